"""One fleet under one list of needs: its classes, and what each group of needs comes to for them.

Sets of outcomes are numbered as they are met, and the one fold, remembered for each pair of
numbers, runs over arrays of numbers.
"""

from collections.abc import Callable
from copy import copy
from functools import cached_property
from typing import Any

import numpy as np

from tallcheck.core.decide.asked import (
    SHARED_UNKNOWNS,
    Asked,
    Chosen,
    asked_by_installed,
    requirements_of,
    stays_wanted,
    wanted_systems,
)
from tallcheck.core.decide.changes import Goal
from tallcheck.core.decide.decision import Verdict, verdict_of
from tallcheck.core.decide.edges import edges_of
from tallcheck.core.decide.fixes import Fix, chosen
from tallcheck.core.decide.groups import Group
from tallcheck.core.decide.tried import Tried
from tallcheck.core.decide.worlds import (
    Masks,
    Problem,
    Requirements,
    SharedUnknowns,
    bears,
    fold,
    with_hubs,
)
from tallcheck.core.fleet.columns import Codes, Fleet, Ints, in_chunks
from tallcheck.core.fleet.facts import (
    Facts,
    combined,
    first_of,
    reading_codes,
    shape_codes,
    value_codes,
)
from tallcheck.core.fleet.known import known_memory
from tallcheck.core.fleet.memory import memory_codes, plain_memory
from tallcheck.core.machine.sheet import Machine


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
        found += value_codes(fleet, group.rests_on)
        return combined(found, size)


Installed = Callable[[Machine], tuple[Chosen, ...]]


class Sets:
    """Sets of outcomes by number, and the fold of two of them by their numbers."""

    def __init__(self) -> None:
        self.sets: list[Masks] = []
        self._numbers: dict[Masks, int] = {}
        self._pairs: dict[tuple[int, int], int] = {}

    def number(self, masks: Masks) -> int:
        """The number of a set."""
        if masks not in self._numbers:
            self._numbers[masks] = len(self.sets)
            self.sets.append(masks)
        return self._numbers[masks]

    def fold(self, one: Ints, other: Ints) -> Ints:
        """For each place the number of the two sets' fold."""
        width = int(other.max(initial=0)) + 1
        pairs, inverse = np.unique(one * width + other, return_inverse=True)
        found = np.empty(len(pairs), dtype=np.int64)
        for at, pair in enumerate(pairs.tolist()):
            key = divmod(pair, width)
            if key not in self._pairs:
                joined = fold([self.sets[key[1]]], self.sets[key[0]])
                self._pairs[key] = self.number(joined)
            found[at] = self._pairs[key]
        return np.asarray(found[inverse.reshape(-1)])


def built_for(fleet: Fleet) -> list[str]:
    """The architectures of the systems that run on a fleet's machines."""
    if fleet.sheets is not None:
        words = {one.system.architecture for one in fleet.sheets}
    else:
        words = set(fleet.word("system.architecture").values)
    return sorted(str(word) for word in words if word is not None)


class Judge:
    """One fleet held against one list of needs."""

    def __init__(
        self,
        fleet: Fleet,
        asked: list[Asked],
        against: tuple[Chosen, ...] = (),
        installed: Installed | None = None,
        facts: Facts | None = None,
    ) -> None:
        self.fleet, self.asked, self.against = fleet, asked, against
        self.installed = installed
        wanted = wanted_systems(against)
        self.asks = requirements_of([*asked, *(stays_wanted(one) for one in wanted)])
        self.question = Requirements(self.asks, bool(wanted), built_for(fleet), many=True)
        self.trials, self.tried = self.question.under(narrow=True)
        self.groups = [one.group for one in self.tried]
        self._matters: dict[int, Problem] = {}
        self._verdicts: dict[int, Verdict] = {}
        self._tables: dict[bool, list[Outcomes]] = {}
        self.facts = facts or Facts(fleet)
        self.sets = Sets()

    @cached_property
    def parts(self) -> list[GroupClasses]:
        """The classes of the machines for each group."""
        return [GroupClasses(self.fleet, group, self.facts) for group in self.groups]

    @cached_property
    def tells_narrow(self) -> bool:
        """Whether other systems are tried where a machine's own may address too little."""
        wide, narrow = (self.question.under(one)[0].systems for one in (False, True))
        return bool(wide) and wide != narrow

    def tables(self, narrow: bool) -> list["Outcomes"]:
        """What each group comes to, for each of its classes, under the trials of such machines."""
        if narrow not in self._tables:
            groups = self.question.under(narrow)[1]
            pairs = zip(groups, self.parts, strict=True)
            self._tables[narrow] = [Outcomes(self, group, part) for group, part in pairs]
        return self._tables[narrow]

    def with_memory(self, facts: Facts) -> "Judge":
        """The same needs held against the same machines with other memory.

        What does not rest on memory is what it was.
        """
        found = copy(self)
        found.fleet, found.facts = facts.fleet, facts
        found._matters, found._verdicts = {}, {}
        if found.fleet.sheets is not None:
            return found
        found.parts = list(self.parts)
        found._tables = {narrow: list(self.tables(narrow)) for narrow in (True, False)}
        for at, group in enumerate(self.groups):
            if group.memory or any(key.startswith("memory.") for key in group.reads | group.mends):
                found.parts[at] = GroupClasses(facts.fleet, group, facts)
                for tables in found._tables.values():
                    tables[at] = Outcomes(found, tables[at].group, found.parts[at])
        return found

    def own(self, at: int) -> tuple[Chosen, ...]:
        """A machine's own programs whose needs are known."""
        if self.installed is None or not self.may_break:
            return ()
        return self.installed(self.fleet.machine(at))

    def problem(self, at: int) -> Problem:
        """The needs held against one machine, with the trials of all."""
        if at not in self._matters:
            there = self.facts.normalized(at)
            self._matters[at] = Problem(there, self.asked, self.against, question=self.question)
        return self._matters[at]

    def whole_matter(self, at: int) -> Problem:
        """The same, its own programs counted."""
        own = self.own(at)
        if asked_by_installed(own, self.against):
            return Problem(self.facts.normalized(at), self.asked, self.against, own)
        return self.problem(at)

    def verdict(self, at: int) -> Verdict:
        """The whole verdict on one machine, its own programs counted."""
        if at not in self._verdicts:
            self._verdicts[at] = verdict_of(self.whole_matter(at))
        return self._verdicts[at]

    def fixes(self, at: int) -> tuple[tuple[Fix, ...], Goal | None]:
        """What is to be done to one machine that need not be replaced.

        Of sheets the whole verdict is made, which all that follows asks for.
        """
        if at in self._verdicts or self.fleet.sheets is not None:
            found = self.verdict(at).decision
            return found.fixes, found.goal
        return chosen(self.whole_matter(at))

    # --- classes ---

    @cached_property
    def around(self) -> tuple[Ints, list[int]]:
        """The class of the readings that bear on all groups at once, and a machine of each."""
        fleet = self.fleet
        if fleet.sheets is not None:
            return np.arange(len(fleet)), list(range(len(fleet)))
        keys = [*SHARED_UNKNOWNS, "system.virtual"]
        if self.may_break:
            keys += ["system.os", "system.os_version", "software"]
        codes = reading_codes(fleet, keys, self.facts)
        if self.tells_narrow:
            limits = in_chunks(fleet, lambda part, _: ~np.isnan(known_memory(part).addressable))
            codes.append((np.concatenate([[], *limits]).astype(np.int64), 2))
        code, count = combined(codes, len(fleet))
        return code, first_of(code, count).tolist()

    @cached_property
    def may_break(self) -> bool:
        """Whether programs are installed, which a change could break."""
        fleet = self.fleet
        if self.installed is None:
            return False
        return "software" in fleet.words or any(one.software for one in fleet.sheets or ())


class Outcomes:
    """What a group of needs can come to, by class and by the hubs that bear on it."""

    def __init__(self, judge: Judge, group: Tried, part: GroupClasses) -> None:
        self._judge, self.group, self._part, self._sets = judge, group, part, judge.sets
        self._known: dict[Any, dict[int, int]] = {}

    def numbers(self, hubs: SharedUnknowns, code: Ints) -> Ints:
        """The number of the set of outcomes of each class, under values of the unknown hubs."""
        bearing = tuple(one for one in hubs if bears(one[0], self.group.group))
        known = self._known.setdefault(bearing, {})
        present, inverse = np.unique(code, return_inverse=True)
        table = np.empty(len(present), dtype=np.int64)
        for at, one in enumerate(present.tolist()):
            if one not in known:
                known[one] = self._sets.number(self._masks(int(self._part.first[one]), bearing))
            table[at] = known[one]
        return table[inverse.reshape(-1)]

    def _masks(self, machine: int, hubs: SharedUnknowns) -> Masks:
        world = with_hubs(self._judge.problem(machine).world, hubs)
        found = (outcomes.masks for _, outcomes in self.group.outcomes(world))
        return fold(found, frozenset({self.group.trials.every}))
