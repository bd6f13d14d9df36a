"""Values as people read them, each kind with its unit."""

from collections.abc import Callable
from typing import Any

from tallcheck.core.machine.entries import ENTRIES
from tallcheck.core.machine.readings import Told, kind_of, label_of
from tallcheck.core.needs.tests import ABILITY
from tallcheck.core.values import quantities as q
from tallcheck.core.values.comparison import Bound


def _bits(bits: int) -> str:
    return f"{bits}-bit"


def _version(version: tuple[int, ...]) -> str:
    text = ".".join(str(part) for part in version)
    return (text if "." in text else f"{text}.0") if version else "none"


def _display(size: tuple[int, int]) -> str:
    return f"{size[0]}x{size[1]}"


def _number(value: float) -> str:
    return f"{value:g}"


def _ability(value: Any) -> str:
    return ABILITY[value] if isinstance(value, int) else str(value)


_SHOW: dict[str, Callable[[Any], str]] = {
    "memory": q.format_memory,
    "storage": q.format_storage,
    "clock": q.format_clock,
    "count": _number,
    "number": _number,
    "bits": _bits,
    "share": q.format_share,
    "version": _version,
    "ability": _ability,
    "display": _display,
}
_FINE: dict[str, Callable[[Any], str]] = {
    "memory": lambda size: q.format_memory(size, 3),
    "storage": lambda size: q.format_storage(size, 3),
    "clock": lambda hertz: q.format_clock(hertz, 4),
}


def show_value(kind: str, value: Any) -> str:
    """A value of a kind, with its unit; what has no unit as it is."""
    return _SHOW.get(kind, str)(value)


def bound_text(kind: str, bound: Bound) -> str:
    """What a bound asks for."""
    return bound.text(_SHOW[kind])


def apart(kind: str, bound: Bound, value: Any) -> tuple[str, str]:
    """Need and have as text, with more digits where the usual ones would look the same."""
    need, have = bound_text(kind, bound), show_value(kind, value)
    if need == have and value != bound.limit and kind in _FINE:
        return bound.text(_FINE[kind]), _FINE[kind](value)
    return need, have


_TOLD = {
    "extra.os_edition": "edition {}", "extra.os_release": "release {}",
    "extra.os_build": "build {}",
}  # fmt: skip


def told_text(told: Told) -> str:
    """A told reading as it was understood: ``8 GB fitted``."""
    kind, value = kind_of(told.key), told.value
    if isinstance(value, list):
        shown = " ".join(map(str, value)) if kind == "sets" else f"{len(value)} listed"
        return f"{label_of(told.key)}: {shown}"
    text = show_value(kind, value) if kind not in ("memory", "storage") else _exact(kind, value)
    form = ENTRIES[told.key].told if told.key in ENTRIES else _TOLD.get(told.key, "")
    if form:
        return form.format(text)
    return f"{label_of(told.key)} {text}"


def _exact(kind: str, size: int) -> str:
    return q.format_memory(size, 2) if kind == "memory" else q.format_storage(size, 2)
