"""Machines alike in all that some needs read: one number for each such class.

What a rule reads, and at which values it turns, comes from its entry: words as they are, numbers
by the edges they lie between, memory by what its own rules make of it.
"""

from collections.abc import Iterable
from typing import Any

import numpy as np

from tallcheck.core.decide.groups import Group
from tallcheck.core.fleet.columns import Codes, Fleet, Floats, Ints, as_number, doubted
from tallcheck.core.fleet.memory import memory_codes, plain_memory
from tallcheck.core.machine.readings import WORKED_OUT_FROM, kind_of
from tallcheck.core.needs.key import View

_TABLE_MOST = 1 << 22
_STEPPED = ("memory", "storage", "clock")
"""Kinds of numbers of which only the edges count; others are few and count as they are."""


def dense(code: Ints, count: int) -> tuple[Ints, int]:
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


def combined(parts: Iterable[tuple[Ints, int]], size: int) -> tuple[Ints, int]:
    """Several codes as one, numbered without gaps."""
    code, count = np.zeros(size, dtype=np.int64), 1
    for one, many in parts:
        code, count = code * many + one, count * many
        if count > 1 << 16:
            code, count = dense(code, count)
    return dense(code, count)


def sides(values: Floats, edges: list[float]) -> tuple[Ints, int]:
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


def exactly(values: Floats) -> tuple[Ints, int]:
    """Each value as it is."""
    plain = np.nan_to_num(values, nan=-1)
    if len(plain) and plain.min() >= -1 and plain.max() < 4096 and bool((plain % 1 == 0).all()):
        return dense((plain + 1).astype(np.int64), 4098)
    found, code = np.unique(plain, return_inverse=True)
    return code.reshape(-1), max(len(found), 1)


def sources(keys: Iterable[str]) -> list[str]:
    """The readings, and all that they can be worked out from."""
    found: dict[str, None] = {}
    todo = list(keys)
    while todo:
        key = todo.pop()
        if key not in found:
            found[key] = None
            todo += WORKED_OUT_FROM.get(key, ())
    return sorted(found)


def column_code(fleet: Fleet, key: str, edges: list[float] | None) -> tuple[Ints, int] | None:
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


class GroupClasses:
    """The class of each machine for one group of needs, and a machine that stands for each."""

    def __init__(self, fleet: Fleet, group: Group) -> None:
        self.memory = plain_memory(group) and fleet.sheets is None
        """Whether the memory rules stand for the memory readings, by their edges."""
        code, count = self._code(fleet, group)
        self.code: Codes = code.astype(np.int32)
        self.first = first_of(code, count).tolist()

    def _code(self, fleet: Fleet, group: Group) -> tuple[Ints, int]:
        size = len(fleet)
        if fleet.sheets is not None:
            return np.arange(size, dtype=np.int64), size
        reads = group.reads | group.mends
        keys = sources(reads)
        if self.memory:
            keys = [key for key in keys if not key.startswith("memory.")]
        edges = edges_of(group)
        parts = [column_code(fleet, key, _edges_for(key, edges)) for key in keys]
        found = [one for one in parts if one is not None]
        found += doubt_codes(fleet, keys)
        if group.memory:
            # a table of modules counts for its type, too
            kind = column_code(fleet, "extra.memory_type", None)
            found += [] if kind is None or self.memory else [kind]
        if self.memory:
            found.append(memory_codes(fleet, group))
        return combined(found, size)


def doubt_codes(fleet: Fleet, keys: list[str]) -> list[tuple[Ints, int]]:
    """Which of some readings are in doubt: such a one is not worked out from others either."""
    flags = [doubted(fleet, key) for key in keys]
    return [(flag.astype(np.int64), 2) for flag in flags if flag.any()]


def _edges_for(key: str, edges: dict[str, list[float]]) -> list[float] | None:
    """The edges of a column: its own, and those of what is worked out from it."""
    found = [
        values for name, values in edges.items()
        if name == key or key in WORKED_OUT_FROM.get(name, ())
    ]  # fmt: skip
    return sorted({value for values in found for value in values}) if found else None


def edges_of(group: Group) -> dict[str, list[float]]:
    """The values of each reading at which its rules turn, as their entries give them."""
    found: dict[str, set[float]] = {}
    for single in group.singles:
        assert single.key is not None
        stepped = [key for key in single.named if key in _numbers()]
        if not stepped:
            continue
        named = single.named | single.key.mends
        edges = {
            float(value)
            for choice in single.key.choices([single.test], View({}, named, 0, single.beside))
            for key, value in choice.changes.items()
            if key in _numbers() and isinstance(value, int | float)
        }
        for key in stepped:
            found.setdefault(key, set()).update(edges)
    for ask in group.asks:
        for condition in ask.when:
            if condition.key is None and condition.name in _numbers():
                values = [as_number(value) for value in condition.values()]
                found.setdefault(condition.name, set()).update(v for v in values if v == v)
    return {key: sorted(values) for key, values in found.items() if not key.startswith("memory.")}


_KINDS: dict[str, str] = {}


def _numbers() -> Any:
    """The readings of numbers of which only the edges count."""
    if not _KINDS:
        from tallcheck.core.machine.readings import keys

        _KINDS.update({key: kind_of(key) for key in keys() if kind_of(key) in _STEPPED})
        _KINDS["storage.data"] = "storage"
    return _KINDS
