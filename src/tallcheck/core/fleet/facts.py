"""What follows from a list's columns: columns as codes, and each step once for machines alike.

A processor's name counts by what it tells, not by its letters; architecture and bits of processor
and system by what comes of all that they can be worked out from.
"""

from collections.abc import Iterable
from copy import copy
from typing import Any

import numpy as np

from tallcheck.core.fleet.columns import Fleet, Floats, Ints
from tallcheck.core.fleet.known import Numbers, doubted
from tallcheck.core.machine.derive import complete
from tallcheck.core.machine.doubts import RULES
from tallcheck.core.machine.normalized import Normalized, normalized
from tallcheck.core.machine.readings import WORKED_OUT_FROM, get, put
from tallcheck.core.machine.sheet import SHEET_FORMAT, Machine
from tallcheck.core.needs.numbers import shape_for_fixes

_TABLE_MOST = 1 << 22
Coded = tuple[list[Any], Ints]
"""Columns, each once, and which one stands at each place."""
Code = tuple[Ints, int]
"""A number for each machine, and above which no number lies."""


def dense(code: Ints, count: int) -> Code:
    """The codes that occur, numbered anew without gaps, and how many there are."""
    if count > _TABLE_MOST:
        found, inverse = np.unique(code, return_inverse=True)
        return inverse.reshape(-1), len(found)
    present = np.flatnonzero(np.bincount(code, minlength=count))
    table = np.zeros(count, dtype=np.int64)
    table[present] = np.arange(len(present))
    return table[code], len(present)


def first_of(code: Ints, count: int) -> Ints:
    """The first place at which each of ``count`` codes stands."""
    first = np.full(count, len(code), dtype=np.int64)
    np.minimum.at(first, code, np.arange(len(code)))
    return first


def combined(parts: Iterable[Code], size: int) -> Code:
    """Several codes as one, numbered without gaps."""
    code, count = np.zeros(size, dtype=np.int64), 1
    for one, many in parts:
        code, count = code * many + one, count * many
        if count > 1 << 16:
            code, count = dense(code, count)
    return dense(code, count)


def sides(values: Floats, edges: list[float]) -> Code:
    """For each value between or on which edges it lies; unknown ones last."""
    count = 2 * len(edges) + 2
    code = np.zeros(len(values), dtype=np.int64)
    if len(edges) <= 16:
        for edge in edges:
            code += values >= edge
            code += values > edge
    else:
        code = np.searchsorted(edges, values) + np.searchsorted(edges, values, side="right")
    code[np.isnan(values)] = count - 1
    return code, count


def exactly(values: Floats) -> Code:
    """Each value as it is."""
    plain = np.nan_to_num(values, nan=-1)
    if len(plain) and plain.min() >= -1 and plain.max() < 4096 and bool((plain % 1 == 0).all()):
        return dense((plain + 1).astype(np.int64), 4098)
    found, code = np.unique(plain, return_inverse=True)
    return code.reshape(-1), max(len(found), 1)


def numbered(values: Iterable[Any]) -> Code:
    """Any values by number, the same for the same."""
    numbers: dict[str, int] = {}
    code = [numbers.setdefault(repr(one), len(numbers)) for one in values]
    return np.array(code, dtype=np.int64), max(len(numbers), 1)


def column_code(fleet: Fleet, key: str, edges: list[float] | None) -> Code | None:
    """The code of one column as it is known; None where no machine has the reading."""
    if key in fleet.words:
        words = fleet.words[key]
        code: Ints = words.codes.astype(np.int64) + 1
        code = np.where(doubted(fleet, key), 0, code)
        return code, len(words.values) + 1
    if key not in fleet.numbers:
        return None
    values = np.where(doubted(fleet, key), np.nan, fleet.numbers[key])
    return exactly(values) if edges is None else sides(values, edges)


def coded(columns: Any, kind: Any = None) -> Coded:
    """The columns of some rows, each once, and which one stands at each place."""
    inverse, count = combined((_numbered(one) for one in columns), columns.shape[1])
    found = columns[:, first_of(inverse, count)]
    return [(kind, *row) for row in found.T.tolist()], inverse


def _numbered(values: Any) -> Code:
    low = values.min(initial=0)
    if values.dtype.kind in "iu" and values.max(initial=0) - low < _TABLE_MOST >> 6:
        return dense((values - low).astype(np.int64), int(values.max(initial=0) - low) + 1)
    found, inverse = np.unique(values, return_inverse=True)
    return inverse.reshape(-1), len(found)


def numbered_as(found: Coded, numbers: dict[Any, int]) -> Ints:
    """A number for each place, the same for the same column of one kind."""
    keys, inverse = found
    table = np.array([numbers.setdefault(key, len(numbers)) for key in keys], dtype=np.int64)
    return np.asarray(table[inverse])


_SAMPLE, _MANY = 1 << 15, 4


def same_rows(columns: list[Any]) -> tuple[Ints, Ints] | None:
    """The first of each kind of row, and of which kind each row is; None where most differ."""
    size = len(columns[0])
    # a sample tells soon that most differ
    for count in dict.fromkeys((min(_SAMPLE, size), size)):
        some = [np.nan_to_num(one[:count], nan=-1) for one in columns]
        mixed = np.zeros(count, dtype=np.uint64)
        for one in some:
            mixed ^= one.view(np.uint64) if one.dtype.itemsize == 8 else one.astype(np.uint64)
            mixed *= np.uint64(0x9E3779B97F4A7C15)
            mixed ^= mixed >> np.uint64(29)
        _, first, inverse = np.unique(mixed, return_index=True, return_inverse=True)
        if len(first) * _MANY > len(mixed):
            return None
    same = all(bool((one[first][inverse] == one).all()) for one in some)
    return (first, inverse.reshape(-1)) if same else None


FOLLOWING = (
    "processor.architecture", "processor.bits", "system.architecture", "system.os_bits",
)  # fmt: skip
"""Readings that follow from one another, and from many more."""
_NAME = "processor.name"


def sources(keys: Iterable[str], whole: bool = False) -> list[str]:
    """The readings, and all that they can be worked out from; FOLLOWING only where ``whole``."""
    found: dict[str, None] = {}
    todo = list(keys)
    while todo:
        key = todo.pop()
        if key not in found:
            found[key] = None
            if whole or key not in FOLLOWING:
                todo += WORKED_OUT_FROM.get(key, ())
    return sorted(found)


class Facts:
    """What a fleet's names and architectures come to; kept while its processors stay the same."""

    def __init__(self, fleet: Fleet) -> None:
        self.fleet = fleet
        self._known: dict[int, Normalized] = {}
        self._named: list[Machine] | None = None
        self._following: dict[str, Code] | None = None

    def normalized(self, at: int) -> Normalized:
        """What is known of one machine."""
        if at not in self._known:
            fleet = self.fleet
            sound = fleet.sheets is None and not fleet.doubts[at]
            self._known[at] = normalized(fleet.machine(at), fleet.vocabulary, sound)
        return self._known[at]

    def with_memory(self, fleet: Fleet) -> "Facts":
        """The same of the same machines with other memory."""
        self._followed()  # rests on nothing of the memory
        found = copy(self)
        found.fleet, found._known = fleet, {}
        return found

    def named(self, keys: Iterable[str], edges: dict[str, list[float]]) -> Code | None:
        """The class of each machine by what its processor's name tells of some readings."""
        words = self.fleet.words.get(_NAME)
        if words is None:
            return None
        if self._named is None:
            self._named = [self._of_name(name) for name in words.values]
        told: list[Code] = []
        for key in keys:
            if _NAME not in WORKED_OUT_FROM.get(key, ()):
                continue
            values = [get(machine, key) for machine in self._named]
            if key in edges:
                floats = [np.nan if one is None else float(one) for one in values]
                told.append(sides(np.array(floats), edges[key]))
            else:
                told.append(numbered(values))
        code, count = combined(told, len(words.values))
        gone = (words.codes < 0) | doubted(self.fleet, _NAME)
        table = np.append(code, count)
        return table[np.where(gone, len(code), words.codes)], count + 1

    def _of_name(self, name: str) -> Machine:
        return complete(put(Machine(SHEET_FORMAT, ""), _NAME, name), self.fleet.vocabulary)

    def following(self, key: str) -> Code:
        """The class of each machine by what is known of one of FOLLOWING."""
        return self._followed()[key]

    def _followed(self) -> dict[str, Code]:
        if self._following is not None:
            return self._following
        fleet = self.fleet
        keys = sources(FOLLOWING, whole=True)
        parts = [column_code(fleet, one, None) for one in keys if one != _NAME]
        parts.append(self.named(keys, {}) if _NAME in keys else None)
        found = [one for one in parts if one is not None]
        code, count = combined([*found, *doubt_codes(fleet, keys)], len(fleet))
        machines = [self.normalized(at).machine for at in first_of(code, count).tolist()]
        tables = {}
        for key in FOLLOWING:
            table, many = numbered([(get(one, key), one.origins.get(key)) for one in machines])
            tables[key] = (table[code], many)
        self._following = tables
        return tables


def doubt_codes(fleet: Fleet, keys: Iterable[str]) -> list[Code]:
    """Which of some readings are in doubt: such a one is not worked out from others either."""
    flags = [doubted(fleet, key) for key in keys]
    return [(flag.astype(np.int64), 2) for flag in flags if flag.any()]


def value_codes(fleet: Fleet, keys: frozenset[str]) -> list[Code]:
    """What doubted readings may be, where sources gave them values: these are tried."""
    found: list[Code] = []
    for bit, rule in enumerate(RULES if fleet.doubts.any() else ()):
        there = (fleet.doubts >> np.uint32(bit)) & 1 != 0
        if rule.values and keys & {*rule.about} and there.any():
            numbers = Numbers(fleet)  # few lists have such doubts
            for key in rule.reads:
                column = np.where(there, np.nan_to_num(numbers(key), nan=-1), -1)
                distinct, code = np.unique(column, return_inverse=True)
                found.append((code.reshape(-1), len(distinct)))
    return found


def reading_codes(
    fleet: Fleet,
    direct: Iterable[str],
    facts: Facts,
    edges: dict[str, list[float]] | None = None,
) -> list[Code]:
    """Codes that together tell apart the machines that differ in some readings as known."""
    edges = edges or {}
    keys = sources(direct)
    found: list[Any] = [facts.following(key) for key in keys if key in FOLLOWING]
    plain = [key for key in keys if key not in FOLLOWING]
    if _NAME in plain and _NAME not in direct:
        plain.remove(_NAME)
        found.append(facts.named(keys, edges))
    found += [column_code(fleet, key, _edges_for(key, edges)) for key in plain]
    return [one for one in found if one is not None] + doubt_codes(fleet, plain)


def shape_codes(fleet: Fleet) -> list[Code]:
    """Shapes told apart as far as fixes do."""
    words = fleet.words.get("system.shape")
    if words is None:
        return []
    table, count = numbered([*map(shape_for_fixes, words.values), None])
    return [(table[words.codes], count), *doubt_codes(fleet, ["system.shape"])]


def _edges_for(key: str, edges: dict[str, list[float]]) -> list[float] | None:
    """The edges of a column: its own, and those of what is worked out from it."""
    found = [
        values for name, values in edges.items()
        if name == key or key in WORKED_OUT_FROM.get(name, ())
    ]  # fmt: skip
    return sorted({value for values in found for value in values}) if found else None
