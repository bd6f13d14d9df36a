"""The decision for each of many machines, by the code that decides for one.

For each group of needs the machines fall into classes; what the group can come to for a class is
what it comes to for its first machine.
"""

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from tallcheck.core.decide.asked import Asked, Chosen, asked_by_installed
from tallcheck.core.decide.fixes import Fix
from tallcheck.core.decide.groups import Group
from tallcheck.core.decide.trials import EXIT_CODES, Trials, is_narrow
from tallcheck.core.decide.worlds import (
    Problem,
    SharedUnknowns,
    able,
    answers_of,
    as_answers,
    hub_values,
    with_hubs,
)
from tallcheck.core.fleet.columns import Fleet, Floats, Ints, cut_fleet, in_chunks
from tallcheck.core.fleet.facts import combined, first_of
from tallcheck.core.fleet.judge import Installed, Judge, Sets
from tallcheck.core.fleet.memory import best_totals
from tallcheck.core.needs.key import KINDS

ANSWERS = tuple(EXIT_CODES)
"""The answers by their code in a fleet's arrays."""
READY, UNDECIDED = ANSWERS.index("ready"), ANSWERS.index("undecided")
WITH_MEMORY = (ANSWERS.index("memory-alone"), ANSWERS.index("memory-plus"))
STATUSES = ("met", "short", "unknown", "absent")
"""Statuses by code; the last one: the need does not hold for this machine."""
_STUCK = 1 << 6
"""Marks, among the bits of an answer's set, a world in which needs conflict."""


class Judged(Struct):
    """What a fleet comes to. ``classes`` gives for each machine its class of all readings."""

    answers: NDArray[np.int8]
    """The answer's place in ANSWERS, for each machine."""
    classes: Ints
    first: list[int]
    """A machine of each class."""
    asked: list[Asked]
    stuck: NDArray[np.bool_]
    """Where needs conflict, with one another or with what is installed."""
    judge: Judge
    _statuses: list[NDArray[np.int8]] | None = None

    @property
    def statuses(self) -> list[NDArray[np.int8]]:
        """For each need the status' place in STATUSES, for each machine."""
        if self._statuses is None:
            self._statuses = _statuses(self.judge)
        return self._statuses

    @property
    def wanting(self) -> NDArray[np.bool_]:
        """The machines that something is to be done to."""
        return ~np.isin(self.answers, [READY, UNDECIDED])

    def answer(self, at: int) -> str:
        """The answer for one machine."""
        return str(ANSWERS[self.answers[at]])

    def counts(self) -> dict[str, int]:
        """How many machines get each answer."""
        found = np.bincount(self.answers, minlength=len(ANSWERS))
        return {answer: int(found[at]) for at, answer in enumerate(ANSWERS)}


def judge_fleet(
    fleet: Fleet,
    asked: list[Asked],
    against: tuple[Chosen, ...] = (),
    installed: Installed | None = None,
) -> Judged:
    """The answer and the status of every need for every machine of a fleet.

    ``against`` are the chosen releases that the needs come from, and ``installed`` gives a
    machine's own programs whose needs are known.
    """
    return judged_by(Judge(fleet, asked, against, installed))


def judged_by(judge: Judge) -> Judged:
    """The same, by a judge that may know a part of it already."""
    fleet, asked = judge.fleet, judge.asked
    if fleet.sheets is not None:
        return _one_by_one(judge)
    parts = judge.parts
    around, examples = judge.around
    everything = [(one.code.astype(np.int64), len(one.first)) for one in parts]
    classes, count = combined([*everything, (around, len(examples))], len(fleet))
    first = first_of(classes, count)
    found = _folded(judge, around[first], examples, first)
    breaking = _breaking(judge, examples)
    for at in np.flatnonzero(np.isin(around[first], breaking)).tolist():
        problem = judge.whole_matter(int(first[at]))
        found[at] = ANSWERS.index(problem.answer) | (_STUCK if problem.conflict else 0)
    answers = (found & (_STUCK - 1)).astype(np.int8)
    stuck = (found & _STUCK) != 0
    return Judged(answers[classes], classes, first.tolist(), asked, stuck[classes], judge)


def _one_by_one(judge: Judge) -> Judged:
    """Machines that have sheets of their own: each is a class of its own."""
    size = len(judge.fleet)
    found = [judge.whole_matter(at) for at in range(size)]
    answers = np.array([ANSWERS.index(one.answer) for one in found], dtype=np.int8)
    stuck = np.array([one.conflict for one in found], dtype=bool)
    return Judged(answers, np.arange(size), list(range(size)), judge.asked, stuck, judge)


def _breaking(judge: Judge, examples: list[int]) -> list[int]:
    """The classes of surroundings whose machines have programs of their own that ask something."""
    if not judge.may_break:
        return []
    return [
        at for at, example in enumerate(examples)
        if asked_by_installed(judge.own(example), judge.against)
    ]  # fmt: skip


def _statuses(judge: Judge) -> list[NDArray[np.int8]]:
    if judge.fleet.sheets is not None:
        return _own_statuses(judge)
    found: list[NDArray[np.int8]] = [np.empty(0, dtype=np.int8)] * len(judge.asked)
    for group, part in zip(judge.tried, judge.parts, strict=True):
        table = np.array(
            [
                [STATUSES.index(one.status) for one in group.answers(judge.problem(at).world)]
                for at in part.first
            ],
            dtype=np.int8,
        ).reshape(len(part.first), len(group.asks))
        for column, place in enumerate(group.places):
            if place < len(judge.asked):
                found[place] = table[:, column][part.code]
    return found


def _own_statuses(judge: Judge) -> list[NDArray[np.int8]]:
    size = len(judge.fleet)
    table = np.full((len(judge.asked), size), STATUSES.index("absent"), dtype=np.int8)
    for at in range(size):
        rows = iter(judge.verdict(at).rows)
        row = next(rows, None)
        for place, one in enumerate(judge.asked):
            if row is not None and row.ask.asked is one:
                table[place, at] = STATUSES.index(row.status)
                row = next(rows, None)
    return list(table)


# --- the fold ------------------------------------------------------------------------------


def _folded(judge: Judge, around: Ints, examples: list[int], first: Ints) -> Ints:
    """The answer of each class of everything, as its place, with _STUCK for a conflict."""
    sets = judge.sets
    codes = [part.code[first].astype(np.int64) for part in judge.parts]
    found = np.zeros(len(first), dtype=np.int64)
    for (narrow, hubs), starts in _turns(judge, examples).items():
        here = np.flatnonzero(starts[around] >= 0)
        number = starts[around[here]]
        for table, code in zip(judge.tables(narrow), codes, strict=True):
            number = sets.fold(number, table.numbers(hubs, code[here]))
        found[here] |= _as_bits(sets, judge.question.under(narrow)[0])[number]
    return np.array([_answer(state) for state in range(_STUCK << 1)])[found]


def _turns(judge: Judge, examples: list[int]) -> dict[tuple[bool, SharedUnknowns], Ints]:
    """The trials to make, and the values that unknown hubs can have: with each what can run under
    it in which surroundings, as a set's number; -1 where it cannot be.
    """
    found: dict[tuple[bool, SharedUnknowns], Ints] = {}
    for at, example in enumerate(examples):
        world = judge.problem(example).world
        narrow = not judge.tells_narrow or is_narrow(judge.asks, world)
        trials = judge.question.under(narrow)[0]
        for hubs in hub_values(judge.asks, world, trials):
            starts = found.setdefault((narrow, hubs), np.full(len(examples), -1, dtype=np.int64))
            there = frozenset({able(trials, with_hubs(world, hubs))})
            starts[at] = judge.sets.number(there)
    return found


def _as_bits(sets: Sets, trials: Trials) -> Ints:
    """For each set of outcomes the answers that it allows, a bit each."""
    bits = []
    for masks in sets.sets:
        outcomes = answers_of(masks, trials)
        bit = sum(1 << ANSWERS.index(one) for one in as_answers(outcomes))
        bits.append(bit | (_STUCK if "conflict" in outcomes else 0))
    return np.array(bits, dtype=np.int64)


def _answer(state: int) -> int:
    possible = [at for at in range(len(ANSWERS)) if state >> at & 1]
    answer = possible[0] if len(possible) == 1 else UNDECIDED
    return answer | (state & _STUCK)


_REPLACE = ANSWERS.index("replace")


class Fixes(Struct):
    """For each machine the kinds of fix of the trial that is taken, and the memory to build."""

    kinds: NDArray[np.uint8]
    """A bit for each place in KINDS."""
    targets: Floats
    """The total memory to build in bytes; NaN where none is."""
    least: Floats
    """The least that it has to come to."""


def fixes_of(judged: Judged, likely: bool = True) -> Fixes:
    """The fixes of every machine that has some, by one whole verdict for each class.

    ``likely``: with the total of undecided machines that they would most likely be brought to.
    """
    judge: Judge = judged.judge
    fleet = judge.fleet
    kinds = np.zeros(len(judged.first), dtype=np.uint8)
    own = np.full((2, len(judged.first)), np.nan)
    ways = np.full(len(judged.first), -1, dtype=np.int64)
    answers = judged.answers[judged.first] if judged.first else judged.answers
    kinds[answers == _REPLACE] = 1 << KINDS.index("machine")
    known = (READY, _REPLACE) if likely else (READY, _REPLACE, UNDECIDED)
    for at in np.flatnonzero(~np.isin(answers, known)).tolist():
        fixes, goal = judge.fixes(judged.first[at])
        kinds[at] = sum(1 << KINDS.index(fix.kind) for fix in fixes)
        if goal is not None:
            own[:, at] = goal.total, goal.least
            ways[at] = _way_of(judge.whole_matter(judged.first[at]), fixes)
    goals = own[:, judged.classes]
    memory = [
        group for group, part in zip(judge.groups, judge.parts, strict=True) if part.memory
    ]  # fmt: skip
    if memory:
        _spread(fleet, memory[0], ways[judged.classes], goals)
    return Fixes(kinds[judged.classes], *goals)


def _way_of(problem: Problem, those: tuple[Fix, ...]) -> int:
    """Under which system, and whether with what is kept back freed, a target counts."""
    fixes = {fix.kind: fix for fix in those}
    bits = None
    if "system" in fixes:
        bits = fixes["system"].changes.get("system.os_bits")
    elif problem.system is not None:
        bits = problem.world.get("system.os_bits")
        if bits == problem.known.machine.system.os_bits:
            bits = None
        elif bits is None:
            bits = 64
    way = 0 if bits is None else (2 if bits == 32 else 1)
    setting = fixes["setting"].rows if "setting" in fixes else ()
    return way * 2 + any(key in ("memory", "memory_own") for key in setting)


def _spread(fleet: Fleet, group: Group, ways: Ints, goals: Floats) -> None:
    """The goal of each machine for itself, where its class' own is that of another machine."""

    def spread(part: Fleet, place: slice) -> None:
        there = goals[:, place]
        for way in np.unique(ways[place]).tolist():
            here = ways[place] == way
            if way >= 0:
                best = best_totals(cut_fleet(part, here), group, way // 2, bool(way % 2))
                there[:, here] = np.where(np.isnan(best), there[:, here], best)

    in_chunks(fleet, spread)
