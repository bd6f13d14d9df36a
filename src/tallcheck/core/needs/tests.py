"""What a need can ask of a reading: the kinds of tests, besides bounds of ordered values."""

from typing import Any

from msgspec import Struct

from tallcheck.core.values.comparison import Bound

ABILITY = ("none", "able", "on")
"""Words in rising order for virtualization and secure boot."""


class OneOf(Struct, frozen=True):
    """One of these words; with ``refused``, none of them."""

    words: tuple[str, ...]
    refused: bool = False


class AllSets(Struct, frozen=True):
    """All of these instruction sets or levels, by canonical name."""

    names: tuple[str, ...]


class Generations(Struct, frozen=True):
    """At least this generation of its own line; ``"*"`` speaks of every other line."""

    lines: dict[str, int | None]


class Named(Struct, frozen=True):
    """Names with version ranges: one of them, or ``every`` one of them."""

    names: tuple[tuple[str, str], ...]
    every: bool = False


class Interfaces(Struct, frozen=True):
    """Graphics interfaces, each with the least version."""

    versions: dict[str, str]


class ExtraKeys(Struct, frozen=True):
    """Told keys and the value each must have."""

    values: dict[str, Any]


Test = Bound | OneOf | AllSets | Generations | Named | Interfaces | ExtraKeys
