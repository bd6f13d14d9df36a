"""Machines alike in all that some needs read: one number for each such class.

What a rule reads, and at which values it turns, comes from its entry: words as they are, numbers
by the edges they lie between, memory by what its own rules make of it.
"""

from typing import Any

import numpy as np

from tallcheck.core.decide.groups import Group
from tallcheck.core.fleet.codes import column_code, combined, first_of
from tallcheck.core.fleet.columns import Codes, Fleet, Ints, as_number
from tallcheck.core.fleet.facts import Facts, reading_codes, shape_codes
from tallcheck.core.fleet.memory import memory_codes, plain_memory
from tallcheck.core.machine.readings import kind_of
from tallcheck.core.needs.key import View

_STEPPED = ("memory", "storage", "clock")
"""Kinds of numbers of which only the edges count; others are few and count as they are."""


class GroupClasses:
    """The class of each machine for one group of needs, and a machine that stands for each."""

    def __init__(self, fleet: Fleet, group: Group, facts: Facts) -> None:
        self.memory = plain_memory(group) and fleet.sheets is None
        """Whether the memory rules stand for the memory readings, by their edges."""
        code, count = self._code(fleet, group, facts)
        self.code: Codes = code.astype(np.int32)
        self.first = first_of(code, count).tolist()

    def _code(self, fleet: Fleet, group: Group, facts: Facts) -> tuple[Ints, int]:
        size = len(fleet)
        if fleet.sheets is not None:
            return np.arange(size, dtype=np.int64), size
        reads = group.reads | group.mends
        if self.memory:
            reads = frozenset(key for key in reads if not key.startswith("memory."))
            reads |= {"processor.bits", "system.os_bits", "system.virtual"}
        only_fixes = (group.mends - group.reads) & {"system.shape"}
        found = reading_codes(fleet, reads - only_fixes, facts, edges_of(group))
        if only_fixes:
            found += shape_codes(fleet)
        if self.memory:
            found.append(memory_codes(fleet, group))
        elif group.memory:
            # a table of modules counts for its type, too
            kind = column_code(fleet, "extra.memory_type", None)
            found += [] if kind is None else [kind]
        return combined(found, size)


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
