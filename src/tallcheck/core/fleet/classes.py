"""Machines alike in all that some needs read: one number for each such class.

What a rule reads, and at which values it turns, comes from its entry: words as they are, numbers
by the edges they lie between, memory by what its own rules make of it.
"""

import numpy as np

from tallcheck.core.decide.edges import edges_of
from tallcheck.core.decide.groups import Group
from tallcheck.core.fleet.codes import combined, first_of
from tallcheck.core.fleet.columns import Codes, Fleet, Ints
from tallcheck.core.fleet.facts import Facts, reading_codes, shape_codes
from tallcheck.core.fleet.memory import memory_codes, plain_memory


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
        reads = group.rests_on
        if self.memory:
            reads = frozenset(key for key in reads if not key.startswith("memory."))
            reads |= {"processor.bits", "system.os_bits", "system.virtual"}
        only_fixes = (group.mends - group.reads) & {"system.shape"}
        found = reading_codes(fleet, reads - only_fixes, facts, edges_of(group))
        if only_fixes:
            found += shape_codes(fleet)
        if self.memory:
            found.append(memory_codes(fleet, group))
        return combined(found, size)
