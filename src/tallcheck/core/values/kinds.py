"""Kinds of values, one entry each: how a kind is read, shown, bounded and put into arrays."""

import re
from collections.abc import Callable
from typing import Any

from msgspec import Struct

from tallcheck.core.values import quantities as q
from tallcheck.core.values.errors import InputError

SIZE_MOST, COUNT_MOST = 1 << 62, 1 << 31
KIND = "kind"
"""Under which the type of a sheet's field names its kind."""
ABILITY = ("none", "able", "on")
"""Words in rising order for virtualization and secure boot."""


class Kind(Struct, frozen=True):
    """What a kind of value can do."""

    read: Callable[[str], Any] = str
    """One value from plain text. Raises InputError."""
    show: Callable[[Any], str] = str
    """The value as people read it, with its unit."""
    fine: Callable[[Any, int], str] | None = None
    """The same with so many digits behind the mark, where the usual ones are not enough."""
    digits: int = 3
    """How many these are."""
    most: int | None = None
    """More than a sheet takes."""
    units: dict[str, float] = {}
    """What the units that a heading may name stand for."""
    bare: str = ""
    """The unit of a plain number that is so large that it can be in no other."""
    usual: str = ""
    """The unit in which people give it."""
    number: bool = False
    """Whether many of them are an array of numbers."""
    stepped: bool = False
    """Whether between the values that are asked for all come to the same."""
    example: str = ""
    """What a caller may answer."""


def _number(text: str) -> float:
    match = re.fullmatch(r"\s*(\d{1,9}(?:[.,]\d{1,9})?)\s*", text)
    if not match:
        raise InputError(f'found "{text.strip()}"', "a number, such as 2.5")
    return float(match[1].replace(",", "."))


def _ability(text: str) -> int:
    word = text.strip().lower()
    word = {"capable": "able", "supported": "able", "enabled": "on", "yes": "on"}.get(word, word)
    if word not in ABILITY:
        raise InputError(f'found "{text.strip()}"', '"on" or "able"')
    return ABILITY.index(word)


def _show_version(version: tuple[int, ...]) -> str:
    text = ".".join(map(str, version))
    return (text if "." in text else f"{text}.0") if version else "none"


def _sizes(factor: int) -> dict[str, float]:
    sizes = {f"{letter}B": float(factor**power) for power, letter in enumerate(("", *"KMGT"))}
    return sizes | {f"{letter}IB": 1024.0**power for power, letter in enumerate("KMGT", 1)}


_CLOCKS = {"HZ": 1.0, "KHZ": 1e3, "MHZ": 1e6, "GHZ": 1e9}

KINDS: dict[str, Kind] = {
    "memory": Kind(
        q.parse_memory, q.format_memory, q.format_memory, most=SIZE_MOST, units=_sizes(1024),
        bare="bytes", usual="GB", number=True, stepped=True, example="8 GB",
    ),
    "storage": Kind(
        q.parse_storage, q.format_storage, q.format_storage, most=SIZE_MOST, units=_sizes(1000),
        bare="bytes", usual="GB", number=True, stepped=True, example="256 GB SSD",
    ),
    "clock": Kind(
        q.parse_clock, q.format_clock, q.format_clock, 4, SIZE_MOST, _CLOCKS, "Hz", "GHz",
        number=True, stepped=True, example="2.1 GHz",
    ),
    "speed": Kind(q.parse_speed, q.format_speed, most=COUNT_MOST, usual="MT/s"),
    "count": Kind(q.parse_count, "{:g}".format, most=COUNT_MOST, number=True, example="4"),
    "number": Kind(_number, "{:g}".format),
    "bits": Kind(q.parse_count, "{}-bit".format, number=True, example="64-bit"),
    "share": Kind(q.parse_share, q.format_share),
    "version": Kind(q.parse_version, _show_version),
    "ability": Kind(_ability, lambda value: ABILITY[value] if isinstance(value, int) else value),
    "display": Kind(q.parse_display, lambda size: f"{size[0]}x{size[1]}"),
    "flag": Kind(example="yes"),
    "sets": Kind(example="AVX2 SSE4.2"),
    **{name: Kind() for name in ("text", "modules", "software", "graphics", "words", "patterns",
                                 "named", "generation", "interfaces", "extra", "")},
}  # fmt: skip
"""Every kind by its name; what is text, or a list of things, is read by `text` alone."""
