"""What the columns of a list tell together: a reading may be told in its own cell and in others."""

import numpy as np

from tallcheck.core.fleet.columns import Fault, Flags, Floats, Words
from tallcheck.core.machine.agreeing import agreed
from tallcheck.core.machine.vocabulary import Vocabulary

_ALIKE = 0.01
"""Two sizes may be the same, rounded in two ways."""


_VERSION = "system.os_version"


def plain_versions(systems: Words | None, versions: Words, vocabulary: Vocabulary) -> Words:
    """Versions as people say them, by the system that each is of."""
    if systems is None or not systems.values or not versions.values:
        return versions
    plain = vocabulary.systems.plain_version
    names = [*systems.values, None]  # code -1 is the last one's
    width = len(versions.values)
    pairs = (systems.codes % len(names)).astype(np.int64) * width + versions.codes
    found, inverse = np.unique(np.where(versions.codes >= 0, pairs, -1), return_inverse=True)
    numbers: dict[str, int] = {}
    codes = []
    for pair in found.tolist():
        text = plain(names[pair // width], versions.values[pair % width])
        codes.append(numbers.setdefault(text, len(numbers)) if pair >= 0 else -1)
    return Words(np.array(codes, dtype=np.int32)[inverse.reshape(-1)], list(numbers))


class Told:
    """Columns as they come in, each with what else its cells say."""

    def __init__(self, faults: list[Fault], vocabulary: Vocabulary) -> None:
        self._faults, self.vocabulary = faults, vocabulary
        self._numbers: dict[str, Floats] = {}
        self._words: dict[str, Words] = {}
        self._heading: dict[str, str] = {}
        self._versions: list[tuple[str, Words]] = []

    def add(
        self, key: str, heading: str, numbers: dict[str, Floats], words: dict[str, Words]
    ) -> None:
        """The readings of one column; where two columns say otherwise, neither is taken."""
        for name, column in numbers.items():
            if name in self._numbers:
                column = self._both(name, heading, self._numbers[name], column)
            self._numbers[name] = column
        for name, texts in words.items():
            if name == _VERSION:
                self._versions.append((heading, texts))
                continue
            if name in self._words:
                texts = self._both_words(name, heading, self._words[name], texts)
            self._words[name] = texts
        for name in (*numbers, *words):
            self._heading.setdefault(name, heading)

    def columns(self) -> tuple[dict[str, Floats], dict[str, Words]]:
        """All columns of numbers, and all of words; versions as people say them."""
        for heading, texts in self._versions:
            texts = plain_versions(self._words.get("system.os"), texts, self.vocabulary)
            if _VERSION in self._words:
                texts = self._both_words(_VERSION, heading, self._words[_VERSION], texts)
            self._words[_VERSION] = texts
            self._heading.setdefault(_VERSION, heading)
        self._versions = []
        return self._numbers, self._words

    def _both(self, key: str, heading: str, one: Floats, other: Floats) -> Floats:
        found = np.where(np.isnan(one), other, one)
        with np.errstate(invalid="ignore"):
            apart = np.abs(one - other) > _ALIKE * np.maximum(np.abs(one), np.abs(other))
        self._contradicted(key, heading, apart)
        return np.where(apart, np.nan, found)

    def _both_words(self, key: str, heading: str, one: Words, other: Words) -> Words:
        """Two columns of words as one, by what each pair of values comes to."""
        width = len(other.values)
        both = (one.codes >= 0) & (other.codes >= 0)
        values = [*one.values, *other.values]
        found = np.where(one.codes >= 0, one.codes, other.codes + len(one.values))
        found = np.where((one.codes < 0) & (other.codes < 0), -1, found)
        pairs = one.codes.astype(np.int64) * width + other.codes
        for pair in np.unique(pairs[both]).tolist():
            first, second = divmod(pair, width)
            value = agreed(key, one.values[first], other.values[second])
            found[both & (pairs == pair)] = -1 if value is None else len(values)
            values += [] if value is None else [value]
        self._contradicted(key, heading, both & (found < 0))
        return Words(found.astype(np.int32), values)

    def _contradicted(self, key: str, heading: str, apart: Flags) -> None:
        if apart.any():
            text = f"{key} is told otherwise under '{self._heading[key]}': taken as unknown"
            self._faults.append(Fault(heading, text, np.flatnonzero(apart)))
