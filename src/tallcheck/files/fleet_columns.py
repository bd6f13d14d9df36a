"""Columns of a fleet's list on their way in: cells into readings, faults listed, told together."""

from typing import Any

import numpy as np
import pyarrow as pa
from pyarrow import compute as pc

from tallcheck.core.fleet.columns import Fault, Flags, Floats, Words
from tallcheck.core.machine.agreeing import agreed
from tallcheck.core.machine.amounts import can_be_fitted, likely_fitted
from tallcheck.core.machine.readings import NEVER_ZERO, Told, kind_of
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.text.labels import BARE_LEAST, Label, with_its_unit
from tallcheck.core.text.lexicon import PSEUDO
from tallcheck.core.text.plain_values import said_kind
from tallcheck.core.text.said import read_said
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.kinds import KINDS
from tallcheck.core.values.text import unguarded

_MOST = float(1 << 62)
_KINDS: dict[Any, Any] = {
    pa.int32(): np.int32, pa.int64(): np.int64, pa.float32(): np.float32,
    pa.float64(): np.float64,
}  # fmt: skip


class Column:
    """One column of a reading on its way into the fleet."""

    def __init__(
        self,
        label: Label,
        heading: str,
        faults: list[Fault],
        remarks: list[str],
        path: str,
        vocabulary: Vocabulary,
    ) -> None:
        self.label, self.heading = label, heading
        self.key, self.unit = label.key, label.unit
        self.faults, self.remarks, self.path = faults, remarks, path
        self.kind, self.vocabulary = said_kind(self.key), vocabulary

    def read(self, column: Any) -> tuple[dict[str, Floats], dict[str, Words]]:
        """Every reading that the column's cells tell: its own, and what else they say."""
        numbers: dict[str, Floats] = {}
        plain = pa.types.is_integer(column.type) or pa.types.is_floating(column.type)
        if plain and self.label.system:
            column = column.cast(pa.string())
        if plain and is_number(self.key):
            return self._fitted(self._given(column)), {}
        if pa.types.is_null(column.type):
            return self._nothing(len(column))
        codes, distinct = _coded(column)
        told: dict[str, list[Any]] = {}
        if self.key not in PSEUDO:  # which has no reading of its own
            told[self.key] = [None] * len(distinct)
        for at in np.flatnonzero(
            np.bincount(codes[codes >= 0])
        ).tolist():  # rows that are none may have had more
            try:
                found = self._told(distinct[at])
            except InputError as error:
                why = f"{error.found}; expected {error.expected}"
                self.faults.append(Fault(self.heading, why, np.flatnonzero(codes == at)))
                continue
            for one in found:
                told.setdefault(one.key, [None] * len(distinct))[at] = one.value
        words: dict[str, Words] = {}
        for key, values in told.items():
            if is_number(key):
                floats = [np.nan if one is None else float(one) for one in values]
                numbers[key] = np.array([*floats, np.nan])[codes]
            else:
                words[key] = _words(codes, values)
        return numbers, words

    def _fitted(self, values: Floats) -> dict[str, Floats]:
        """Plain numbers, of the reading itself; memory that modules cannot add up to is usable."""
        if self.key != _MEMORY:
            return {self.key: values}
        usable = ~(can_be_fitted(values) | np.isnan(values))
        if not usable.any():
            return {self.key: values}
        return {self.key: np.where(usable, np.nan, values),
                _USABLE: np.where(usable, values, np.nan)}  # fmt: skip

    def _nothing(self, size: int) -> tuple[dict[str, Floats], dict[str, Words]]:
        if self.key in PSEUDO:
            return {}, {}
        if is_number(self.key):
            return {self.key: np.full(size, np.nan)}, {}
        return {}, {self.key: Words(np.full(size, -1, dtype=np.int32), [])}

    def _given(self, column: Any) -> Floats:
        """A column of numbers, in bytes or hertz; NaN unknown."""
        values = as_numpy(column.cast(pa.float64(), safe=False), np.nan)
        if pa.types.is_floating(column.type):
            written = np.isnan(values) & ~flags(column.is_null())
            if written.any():
                fault = Fault(self.heading, 'found "nan"', np.flatnonzero(written))
                self.faults.append(fault)
        return self._plain(values)

    def _told(self, text: str) -> list[Told]:
        """What one cell says."""
        return read_said(
            self.key, with_its_unit(self.label, unguarded(text.strip())), self.vocabulary
        )

    def _plain(self, values: Floats) -> Floats:
        """Numbers without a unit: those of --columns, else bytes or hertz where they can be."""
        if self.kind in ("count", "bits"):
            return self._whole(values)
        if self.unit:
            return self._checked(np.round(values * KINDS[self.kind].units[self.unit]))
        small = (values > 0) & (values < BARE_LEAST)
        if small.any():
            unit = KINDS[self.kind].usual
            if not (values >= BARE_LEAST).any():
                raise InputError(
                    f"found numbers without a unit, such as {values[small][0]:g}",
                    f"a unit in each cell, or --columns {self.key}='{self.heading}:{unit}'",
                    f"{self.path}, column {self.heading}",
                )
            self._fault(small, values, "without a unit")
            values = np.where(small, np.nan, values)
        if len(values):
            bare = KINDS[self.kind].bare
            self.remarks.append(f"{self.heading}: plain numbers are taken as {bare}")
        return self._checked(values)

    def _checked(self, values: Floats) -> Floats:
        odd = (values < 0) | (values > _MOST) | ((values == 0) & (self.key in NEVER_ZERO))
        if not odd.any():
            return values
        self._fault(odd, values, "which no machine has")
        return np.where(odd, np.nan, values)

    def _whole(self, values: Floats) -> Floats:
        if self.kind == "bits":
            odd = ~np.isnan(values) & (values != 64) & (values != 32) & (values != 16)
        else:
            odd = (values < 0) | (values != np.floor(values)) | (values > 1e9)
            odd |= (values == 0) & (self.key in NEVER_ZERO)
            odd &= ~np.isnan(values)
        if not odd.any():
            return values
        self._fault(odd, values, "no such number")
        return np.where(odd, np.nan, values)

    def _fault(self, which: Any, values: Floats, why: str) -> None:
        for value in np.unique(values[which]):
            text = f'found "{value:.15g}" {why}'
            self.faults.append(Fault(self.heading, text, np.flatnonzero(which & (values == value))))


def is_number(key: str) -> bool:
    """Whether a reading is a column of numbers in a fleet."""
    return KINDS[kind_of(key)].number


def _words(codes: Any, values: list[Any]) -> Words:
    """A column of words from the value of each distinct text; None where it is unknown."""
    places = np.full(len(values) + 1, -1, dtype=np.int32)
    kept: list[Any] = []
    for at, value in enumerate(values):
        if value is not None:
            places[at] = len(kept)
            kept.append(value)
    return Words(places[codes], kept)


def _coded(column: Any) -> tuple[Any, list[str]]:
    """Codes into the distinct texts of a column, -1 where there is none."""
    if pa.types.is_boolean(column.type):
        column = pc.if_else(column, "yes", "no")
    if not pa.types.is_dictionary(column.type):
        column = column.cast(pa.string()).dictionary_encode()
    whole = column.unify_dictionaries().combine_chunks()
    codes = as_numpy(whole.indices.cast(pa.int32()), -1).astype(np.int32)
    return codes, [str(text) for text in whole.dictionary.to_pylist()]


def as_numpy(column: Any, missing: float) -> Any:
    """An Arrow column of numbers as an array, by its buffer: pandas is not needed for that."""
    whole = column.combine_chunks() if isinstance(column, pa.ChunkedArray) else column
    if not len(whole):
        return np.empty(0)
    here = slice(whole.offset, whole.offset + len(whole))
    known, values = whole.buffers()
    kind = _KINDS[whole.type]
    found = np.frombuffer(values, dtype=kind)[here]
    if whole.null_count:
        bits = np.unpackbits(np.frombuffer(known, dtype=np.uint8), bitorder="little")[here]
        found = np.where(bits == 1, found, missing)
    return found


def flags(column: Any) -> Any:
    """An Arrow column of yes and no as an array."""
    return as_numpy(column.cast(pa.int32()), 0).astype(bool)


_ALIKE = 0.01
"""Two sizes may be the same, rounded in two ways."""


_VERSION = "system.os_version"
_MEMORY, _USABLE = "memory.installed", "memory.usable"


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


class ToldColumns:
    """Columns as they come in, each with what else its cells say."""

    def __init__(self, faults: list[Fault], vocabulary: Vocabulary) -> None:
        self._faults, self.vocabulary = faults, vocabulary
        self._numbers: dict[str, Floats] = {}
        self._words: dict[str, Words] = {}
        self._heading: dict[str, str] = {}
        self._versions: list[tuple[str, Words]] = []
        self._totals: list[tuple[str, Floats, Floats]] = []
        """Of columns of totals what they tell is usable, and what is fitted."""

    def add(
        self, key: str, heading: str, numbers: dict[str, Floats], words: dict[str, Words]
    ) -> None:
        """The readings of one column; where two columns say otherwise, neither is taken."""
        if key == _MEMORY and _USABLE in numbers:
            numbers = dict(numbers)
            self._totals.append((heading, numbers.pop(_USABLE), numbers[_MEMORY]))
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
        for heading, shown, fitted in self._totals:
            self._add_shown(heading, shown, fitted)
        self._totals = []
        for heading, texts in self._versions:
            texts = plain_versions(self._words.get("system.os"), texts, self.vocabulary)
            if _VERSION in self._words:
                texts = self._both_words(_VERSION, heading, self._words[_VERSION], texts)
            self._words[_VERSION] = texts
            self._heading.setdefault(_VERSION, heading)
        self._versions = []
        return self._numbers, self._words

    def _add_shown(self, heading: str, shown: Floats, fitted: Floats) -> None:
        """What a column of totals tells of what is usable.

        A total that modules cannot add up to is what is usable, but where another column says that
        less is: then the total is what is fitted, as near as it was told.
        """
        usable = self._numbers.get(_USABLE, np.full(len(shown), np.nan))
        total = np.isnan(fitted) & (usable < shown)
        self._numbers[_MEMORY] = np.where(total, likely_fitted(shown), self._numbers[_MEMORY])
        self._heading.setdefault(_USABLE, heading)
        self._numbers[_USABLE] = self._both(
            _USABLE, heading, usable, np.where(total, np.nan, shown)
        )

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
        pairs = one.codes[both].astype(np.int64) * width + other.codes[both]
        distinct, inverse = np.unique(pairs, return_inverse=True)
        codes = []
        for first, second in (divmod(pair, width) for pair in distinct.tolist()):
            value = agreed(key, one.values[first], other.values[second])
            codes.append(-1 if value is None else len(values))
            values += [] if value is None else [value]
        found[both] = np.array(codes, dtype=np.int64)[inverse.reshape(-1)]
        self._contradicted(key, heading, both & (found < 0))
        return Words(found.astype(np.int32), values)

    def _contradicted(self, key: str, heading: str, apart: Flags) -> None:
        if apart.any():
            text = f"{key} is told otherwise under '{self._heading[key]}': taken as unknown"
            self._faults.append(Fault(heading, text, np.flatnonzero(apart)))
