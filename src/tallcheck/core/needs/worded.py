"""Readings that are a word: held against the words that are asked for."""

from collections.abc import Iterable
from typing import Any

from tallcheck.core.needs.key import Choice, Held, View
from tallcheck.core.needs.tests import OneOf

OTHER = "another"
"""Stands for any word that no need names."""


def hold_word(reading: str) -> Any:
    """How a word is held against the words that are asked for."""

    def hold(test: OneOf, view: View) -> Held:
        word = view[reading]
        if word is None:
            return Held("unknown", None, None, reading, (reading,))
        met = (str(word).lower() in test.words) != test.refused
        return Held("met" if met else "short", word, None, reading)

    return hold


def word_choices(reading: str, kind: str) -> Any:
    """The words that are asked for, and another."""

    def choices(tests: list[Any], view: View) -> Iterable[Choice]:
        words = dict.fromkeys(word for test in tests for word in test.words)
        return [Choice({reading: word}, kind) for word in (*words, OTHER)]

    return choices
