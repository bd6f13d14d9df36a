"""Many machines as columns: numbers as arrays, words as codes into a list of distinct values.

A machine of the fleet is the same as a sheet on which the same readings were told: ``machine``
makes it, for whatever has to look at one machine as a whole.
"""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import cached_property
from typing import Any, TypeVar

import numpy as np
import pyarrow as pa
from msgspec import Struct, structs
from numpy.typing import NDArray

from tallcheck.core.board.models import differing
from tallcheck.core.machine.readings import put_all
from tallcheck.core.machine.sheet import SHEET_FORMAT, Doubt, Machine, Origin
from tallcheck.core.machine.telling import level_and_sets, of_modules
from tallcheck.core.machine.vocabulary import Vocabulary

Bools = NDArray[np.bool_]
Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Codes = NDArray[np.int32]
Flags = NDArray[np.bool_]
Found = TypeVar("Found")

_ORIGIN = Origin("told", "the fleet's list")


class Words(Struct):
    """A column of few distinct values: a code into ``values`` for each machine, -1 unknown."""

    codes: Codes
    values: list[Any]

    def mapped(self, change: Callable[[Any], float]) -> Floats:
        """A number for each machine from its value; NaN where it is unknown."""
        if not self.values:
            return np.full(len(self.codes), np.nan)
        table = np.array([*(change(value) for value in self.values), np.nan])
        return np.asarray(table[self.codes])


class Fleet(Struct):
    """The readings of many machines, by dotted key. Sizes in bytes, clocks in Hz."""

    names: Any
    """The machines' names: a numpy or Arrow array of text."""
    lines: Ints
    """Where each machine stands in its file, from 1."""
    numbers: dict[str, Floats]
    words: dict[str, Words]
    doubts: NDArray[np.uint32]
    """A bit for each entry of DOUBTS that a machine's readings give cause for."""
    vocabulary: Vocabulary
    """By which names in the columns are read."""
    sheets: list[Machine] | None = None
    """The machines' own sheets, where the fleet was read from such."""
    listed: dict[str, Words] = {}
    """What a models list says of machines whose own readings say otherwise, by key."""
    origins: dict[str, Words] = {}
    """Where readings come from that a models list filled: a source for each machine, -1 none."""

    def __len__(self) -> int:
        return len(self.names)

    def known(self, key: str) -> Flags:
        """Which machines have a reading."""
        if key in self.numbers:
            return ~np.isnan(self.numbers[key])
        if key in self.words:
            return self.words[key].codes >= 0
        return np.zeros(len(self), dtype=bool)

    def number(self, key: str) -> Floats:
        """A column of numbers; NaN where unknown."""
        found = self.numbers.get(key)
        return np.full(len(self), np.nan) if found is None else found

    def word(self, key: str) -> Words:
        """A column of words; code -1 where unknown."""
        found = self.words.get(key)
        return Words(np.full(len(self), -1, dtype=np.int32), []) if found is None else found

    def machine(self, at: int) -> Machine:
        """One machine as a sheet."""
        if self.sheets is not None:
            return self.sheets[at]
        readings = self._readings(at)
        found: dict[str, tuple[Any, Origin | None]] = {}
        modules = readings.pop("memory.modules", None)
        if modules is not None:
            found |= of_modules(modules, False, _ORIGIN)
        level, sets = level_and_sets(readings.pop("processor.instructions", ()))
        readings = {"processor.level": level, "processor.instructions": sets} | readings
        for key, value in readings.items():
            source = self.origins.get(key)
            code = source.codes[at] if source is not None else -1
            origin = Origin("told", source.values[code]) if source and code >= 0 else _ORIGIN
            found[key] = (value, origin)
        machine = put_all(Machine(SHEET_FORMAT, str(self.names[at])), found)
        return structs.replace(machine, doubts=self._listed_doubts(at, readings))

    def same(self, rows: list[int]) -> list[bytes]:
        """Bytes for each of some machines, the same where all that was told of them is the same."""
        words = [*self.words.values(), *self.listed.values()]
        columns: list[Any] = [*self.numbers.values(), *(one.codes for one in words)]
        if not columns:
            return [b""] * len(rows)
        return [row.tobytes() for row in np.stack([one[rows] for one in columns], axis=1) * 1.0]

    def _readings(self, at: int) -> dict[str, Any]:
        """The given readings of one machine, by key."""
        found: dict[str, Any] = {}
        for key, column in self.numbers.items():
            number = column.item(at)
            if number == number:
                found[key] = int(number)
        for key, words in self.words.items():
            code = words.codes.item(at)
            if code >= 0:
                found[key] = words.values[code]
        return found

    def _listed_doubts(self, at: int, readings: dict[str, Any]) -> list[Doubt]:
        """What a models list says otherwise; all other doubts are found at the one door."""
        found = []
        for key, words in self.listed.items():
            code = words.codes[at]
            if code >= 0:
                found.append(differing(key, readings[key], words.values[code]))
        return found


class Fault(Struct, frozen=True):
    """Cells of one column that do not read for one reason; ``rows`` counts machines from 0."""

    column: str
    text: str
    rows: Any


class FleetFile(Struct, dict=True):
    """A fleet as read: the machines, the faults, and the table as it was."""

    fleet: Fleet
    cells: list[Fault]
    """The faults of cells."""
    unreadable: list[tuple[int, str]]
    """Rows that were left out: line (or place in the folder), and why."""
    remarks: list[str]
    table: Any
    """An Arrow table, where it was to be kept."""
    by_line: bool = True
    """Whether machines stand on lines; in a folder they stand in files, by name."""
    own: list[str] = []
    """Columns that are no readings, such as a room or a user, and are carried along."""
    twice: Callable[[], list[Fault]] = list
    """What to say of names that several machines have, which takes long to find out."""

    @cached_property
    def faults(self) -> list[Fault]:
        """All that is wrong with what was read."""
        return [*self.cells, *self.twice()]


def cut_fleet(fleet: Fleet, rows: slice | Flags) -> Fleet:
    """Some machines: those in a row as views on the same columns, or those of some flags."""

    def words(found: dict[str, Words]) -> dict[str, Words]:
        return {key: Words(one.codes[rows], one.values) for key, one in found.items()}

    sheets = None
    if fleet.sheets is not None:
        at = range(len(fleet))[rows] if isinstance(rows, slice) else np.flatnonzero(rows).tolist()
        sheets = [fleet.sheets[one] for one in at]
    return Fleet(
        fleet.names[rows] if isinstance(rows, slice) else fleet.names.take(_in_arrow(rows)),
        fleet.lines[rows],
        {key: column[rows] for key, column in fleet.numbers.items()},
        words(fleet.words), fleet.doubts[rows], fleet.vocabulary,
        sheets, words(fleet.listed), words(fleet.origins),
    )  # fmt: skip


def _in_arrow(rows: Flags) -> Any:
    """Places as Arrow has them; to hand over an array would look for pandas, a costly import."""
    own = np.flatnonzero(rows)
    return pa.Array.from_buffers(pa.int64(), len(own), [None, pa.py_buffer(own)])


CHUNK = 1 << 16
"""Machines looked at together, so that temporary arrays stay small."""


def in_chunks(fleet: Fleet, work: Callable[[Fleet, slice], Found]) -> list[Found]:
    """What ``work`` finds for some machines at a time, in their order, on all processors.

    It is given the machines and where they stand; arrays are worked on without a lock.
    """
    places = [slice(start, start + CHUNK) for start in range(0, len(fleet), CHUNK)]
    if len(places) < 2:
        return [work(fleet, place) for place in places]
    parts = [cut_fleet(fleet, place) for place in places]
    with ThreadPoolExecutor() as pool:
        return list(pool.map(work, parts, places))
