"""What a need can ask of a reading: the kinds of tests, besides bounds of ordered values."""

from collections.abc import Iterable
from typing import Any

from msgspec import Struct

from tallcheck.core.machine.entries import ReadingKey
from tallcheck.core.machine.naming import Namer
from tallcheck.core.machine.systems import Systems
from tallcheck.core.needs.key import Choice, Evaluation, View
from tallcheck.core.values.comparison import Bound


class OneOf(Struct, frozen=True):
    """One of these words; with ``refused``, none of them."""

    words: tuple[str, ...]
    refused: bool = False
    lines: tuple[str, ...] = ()
    """Those words that name a whole line of processors, of which any will do."""


class AllSets(Struct, frozen=True):
    """All of these instruction sets or levels, by canonical name."""

    names: tuple[str, ...]


class Generations(Struct, frozen=True):
    """At least this generation of its own line; ``"*"`` speaks of every other line."""

    lines: dict[str, int | None]
    namer: Namer
    """How processors are named."""


class Named(Struct, frozen=True):
    """Names with version ranges: one of them, or ``every`` one of them."""

    names: tuple[tuple[str, str], ...]
    systems: Systems
    """How systems are named."""
    every: bool = False


class Interfaces(Struct, frozen=True):
    """Graphics interfaces, each with the least version."""

    versions: dict[str, str]


class ExtraKeys(Struct, frozen=True):
    """Told keys and the value each must have."""

    values: dict[str, Any]


Test = Bound | OneOf | AllSets | Generations | Named | Interfaces | ExtraKeys


OTHER = "another"
"""Stands for any word that no need names."""


def evaluate_word(reading: ReadingKey) -> Any:
    """How a word is held against the words that are asked for."""

    def evaluate(test: OneOf, view: View) -> Evaluation:
        word = view[reading]
        if word is None:
            return Evaluation("unknown", None, None, reading, (reading,))
        met = (str(word).lower() in test.words) != test.refused
        return Evaluation("met" if met else "short", word, None, reading)

    return evaluate


def word_choices(reading: str, kind: str) -> Any:
    """The words that are asked for, and another."""

    def choices(tests: list[Any], view: View) -> Iterable[Choice]:
        words = dict.fromkeys(word for test in tests for word in test.words)
        return [Choice({reading: word}, kind) for word in (*words, OTHER)]

    return choices
