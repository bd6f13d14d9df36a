"""The decision for each of many machines, by the code that decides for one.

For each group of needs the machines fall into classes; what the group can come to for a class is
what it comes to for its first machine. Sets of outcomes are numbered as they are met, and the one
fold, remembered for each pair of numbers, runs over arrays of numbers.
"""

from collections.abc import Callable
from typing import Any

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from tallcheck.core.decide.asked import (
    Asked,
    Chosen,
    asked_by_installed,
    asks_of,
    stays_wanted,
    wanted_systems,
)
from tallcheck.core.decide.decision import Verdict, verdict_of
from tallcheck.core.decide.grouping import grouped
from tallcheck.core.decide.groups import HUBS, Group
from tallcheck.core.decide.matter import Matter
from tallcheck.core.decide.trials import EXIT_CODES, Trials, trials_of
from tallcheck.core.decide.worlds import (
    Masks,
    able,
    answers_of,
    as_answers,
    bears,
    fold,
    hub_values,
    with_hubs,
)
from tallcheck.core.fleet.classes import (
    GroupClasses,
    column_code,
    combined,
    doubt_codes,
    first_of,
    sources,
)
from tallcheck.core.fleet.columns import CHUNK, Fleet, Floats, Ints, cut_fleet
from tallcheck.core.fleet.memory import best_totals, plain_memory
from tallcheck.core.machine.sheet import Machine
from tallcheck.core.needs.key import KINDS

ANSWERS = tuple(EXIT_CODES)
"""The answers by their code in a fleet's arrays."""
STATUSES = ("met", "short", "unknown", "absent")
"""Statuses by code; the last one: the need does not hold for this machine."""
_STUCK = 1 << 6
"""Marks, among the bits of an answer's set, a world in which needs conflict."""

Installed = Callable[[Machine], tuple[Chosen, ...]]


class Judged(Struct):
    """What a fleet comes to. ``classes`` gives for each machine its class of all readings."""

    answers: NDArray[np.int8]
    """The answer's place in ANSWERS, for each machine."""
    statuses: list[NDArray[np.int8]]
    """For each need the status' place in STATUSES, for each machine."""
    classes: Ints
    first: list[int]
    """A machine of each class."""
    asked: list[Asked]
    stuck: NDArray[np.bool_]
    """Where needs conflict, with one another or with what is installed."""
    judge: Any

    def answer(self, at: int) -> str:
        """The answer for one machine."""
        return str(ANSWERS[self.answers[at]])

    def counts(self) -> dict[str, int]:
        """How many machines get each answer."""
        found = np.bincount(self.answers, minlength=len(ANSWERS))
        return {answer: int(found[at]) for at, answer in enumerate(ANSWERS)}


class _Sets:
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


class Judge:
    """One fleet held against one list of needs."""

    def __init__(
        self,
        fleet: Fleet,
        asked: list[Asked],
        against: tuple[Chosen, ...] = (),
        installed: Installed | None = None,
    ) -> None:
        self.fleet, self.asked, self.against = fleet, asked, against
        self.installed = installed
        wanted = wanted_systems(against)
        self.asks = asks_of([*asked, *(stays_wanted(one) for one in wanted)])
        self.groups = grouped(self.asks)
        self.trials: Trials = trials_of(self.asks, bool(wanted), narrow=True)
        self._matters: dict[int, Matter] = {}
        self._verdicts: dict[int, Verdict] = {}

    def own(self, at: int) -> tuple[Chosen, ...]:
        """A machine's own programs whose needs are known."""
        return self.installed(self.fleet.machine(at)) if self.installed is not None else ()

    def matter(self, at: int) -> Matter:
        """The needs held against one machine, with the trials of all."""
        if at not in self._matters:
            machine = self.fleet.machine(at)
            self._matters[at] = Matter(machine, self.asked, self.against, trials=self.trials)
        return self._matters[at]

    def verdict(self, at: int) -> Verdict:
        """The whole verdict on one machine, its own programs counted."""
        if at not in self._verdicts:
            machine = self.fleet.machine(at)
            own = self.installed(machine) if self.installed is not None else ()
            self._verdicts[at] = verdict_of(Matter(machine, self.asked, self.against, own))
        return self._verdicts[at]

    # --- classes ---

    def around(self) -> tuple[Ints, list[int]]:
        """The class of the readings that bear on all groups at once, and a machine of each."""
        fleet = self.fleet
        if fleet.sheets is not None:
            return np.arange(len(fleet)), list(range(len(fleet)))
        keys = sources((*HUBS, "system.virtual"))
        if self.may_break():
            keys += ["system.os", "system.os_version", "software"]
        parts = [column_code(fleet, key, None) for key in keys]
        found = [one for one in parts if one is not None]
        code, count = combined([*found, *doubt_codes(fleet, keys)], len(fleet))
        return code, first_of(code, count).tolist()

    def may_break(self) -> bool:
        """Whether programs are installed, which a change could break."""
        fleet = self.fleet
        if self.installed is None:
            return False
        return "software" in fleet.words or any(one.software for one in fleet.sheets or ())


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
    judge = Judge(fleet, asked, against, installed)
    if fleet.sheets is not None:
        return _one_by_one(judge)
    parts = [GroupClasses(fleet, group) for group in judge.groups]
    around, examples = judge.around()
    everything = [(one.code.astype(np.int64), len(one.first)) for one in parts]
    classes, count = combined([*everything, (around, len(examples))], len(fleet))
    first = first_of(classes, count)
    found = _folded(judge, parts, around[first], examples, first)
    statuses = _statuses(judge, parts)
    breaking = _breaking(judge, examples)
    for at in np.flatnonzero(np.isin(around[first], breaking)).tolist():
        decision = judge.verdict(int(first[at])).decision
        found[at] = ANSWERS.index(decision.answer) | (_STUCK if decision.conflicts else 0)
    answers = (found & (_STUCK - 1)).astype(np.int8)
    stuck = (found & _STUCK) != 0
    return Judged(answers[classes], statuses, classes, first.tolist(), asked, stuck[classes], judge)


def _one_by_one(judge: Judge) -> Judged:
    """Machines that have sheets of their own: each is a class of its own."""
    size = len(judge.fleet)
    verdicts = [judge.verdict(at) for at in range(size)]
    answers = np.array([ANSWERS.index(one.decision.answer) for one in verdicts], dtype=np.int8)
    stuck = np.array([bool(one.decision.conflicts) for one in verdicts], dtype=bool)
    table = np.full((len(judge.asked), size), STATUSES.index("absent"), dtype=np.int8)
    for at, verdict in enumerate(verdicts):
        rows = iter(verdict.rows)
        row = next(rows, None)
        for place, one in enumerate(judge.asked):
            if row is not None and row.ask.asked is one:
                table[place, at] = STATUSES.index(row.status)
                row = next(rows, None)
    return Judged(
        answers, list(table), np.arange(size), list(range(size)), judge.asked, stuck, judge
    )


def _breaking(judge: Judge, examples: list[int]) -> list[int]:
    """The classes of surroundings whose machines have programs of their own that ask something."""
    if not judge.may_break():
        return []
    return [
        at for at, example in enumerate(examples)
        if asked_by_installed(judge.own(example), judge.against)
    ]  # fmt: skip


def _statuses(judge: Judge, parts: list[GroupClasses]) -> list[NDArray[np.int8]]:
    found: list[NDArray[np.int8]] = [np.empty(0, dtype=np.int8)] * len(judge.asked)
    for group, part in zip(judge.groups, parts, strict=True):
        table = np.array(
            [
                [STATUSES.index(one.status) for one in group.hold(judge.matter(at).world)]
                for at in part.first
            ],
            dtype=np.int8,
        ).reshape(len(part.first), len(group.asks))
        for column, place in enumerate(group.places):
            if place < len(judge.asked):
                found[place] = table[:, column][part.code]
    return found


# --- the fold ------------------------------------------------------------------------------


def _folded(
    judge: Judge, parts: list[GroupClasses], around: Ints, examples: list[int], first: Ints
) -> Ints:
    """The answer of each class of everything, as its place, with _STUCK for a conflict."""
    sets = _Sets()
    tables = [
        _Outcomes(judge, group, part, sets) for group, part in zip(judge.groups, parts, strict=True)
    ]
    codes = [part.code[first].astype(np.int64) for part in parts]
    found = np.zeros(len(first), dtype=np.int64)
    for at, example in enumerate(examples):
        here = np.flatnonzero(around == at)
        if not len(here):
            continue
        world = judge.matter(example).world
        states = np.zeros(len(here), dtype=np.int64)
        for hubs in hub_values(judge.asks, world, judge.trials):
            there = with_hubs(world, hubs)
            start = sets.number(frozenset({able(judge.trials, there)}))
            number = np.full(len(here), start, dtype=np.int64)
            for table, code in zip(tables, codes, strict=True):
                number = sets.fold(number, table.numbers(hubs, code[here]))
            states |= _as_bits(sets, judge.trials)[number]
        found[here] = states
    return np.array([_answer(state) for state in range(_STUCK << 1)])[found]


def _as_bits(sets: _Sets, trials: Trials) -> Ints:
    """For each set of outcomes the answers that it allows, a bit each."""
    bits = []
    for masks in sets.sets:
        outcomes = answers_of(masks, trials)
        bit = sum(1 << ANSWERS.index(one) for one in as_answers(outcomes))
        bits.append(bit | (_STUCK if "conflict" in outcomes else 0))
    return np.array(bits, dtype=np.int64)


def _answer(state: int) -> int:
    possible = [at for at in range(len(ANSWERS)) if state >> at & 1]
    answer = possible[0] if len(possible) == 1 else ANSWERS.index("undecided")
    return answer | (state & _STUCK)


class _Outcomes:
    """What a group of needs can come to, by class and by the hubs that bear on it."""

    def __init__(self, judge: Judge, group: Group, part: GroupClasses, sets: _Sets) -> None:
        self._judge, self._group, self._part, self._sets = judge, group, part, sets
        self._known: dict[Any, dict[int, int]] = {}

    def numbers(self, hubs: tuple[tuple[str, Any], ...], code: Ints) -> Ints:
        """The number of the set of outcomes of each class, under values of the unknown hubs."""
        bearing = tuple(one for one in hubs if bears(one[0], self._group))
        known = self._known.setdefault(bearing, {})
        present, inverse = np.unique(code, return_inverse=True)
        table = np.empty(len(present), dtype=np.int64)
        for at, one in enumerate(present.tolist()):
            if one not in known:
                known[one] = self._sets.number(self._masks(int(self._part.first[one]), bearing))
            table[at] = known[one]
        return table[inverse.reshape(-1)]

    def _masks(self, machine: int, hubs: tuple[tuple[str, Any], ...]) -> Masks:
        world = with_hubs(self._judge.matter(machine).world, hubs)
        trials = self._judge.trials
        return frozenset(self._group.mask(there, trials) for _, there in self._group.cases(world))


# --- what the classes' verdicts give each machine ------------------------------------------


class Fixes(Struct):
    """For each machine the kinds of fix of the trial that is taken, and the memory to build."""

    kinds: NDArray[np.uint8]
    """A bit for each place in KINDS."""
    targets: Floats
    """The total memory to build in bytes; NaN where none is."""


def fixes_of(judged: Judged) -> Fixes:
    """The fixes of every machine that has some, by one whole verdict for each class."""
    judge: Judge = judged.judge
    fleet = judge.fleet
    kinds = np.zeros(len(judged.first), dtype=np.uint8)
    own = np.full(len(judged.first), np.nan)
    ways = np.full(len(judged.first), -1, dtype=np.int64)
    answers = judged.answers[judged.first] if judged.first else judged.answers
    open_ones = (ANSWERS.index("ready"),)
    for at in np.flatnonzero(~np.isin(answers, open_ones)).tolist():
        verdict = judge.verdict(judged.first[at])
        decision = verdict.decision
        kinds[at] = sum(1 << KINDS.index(fix.kind) for fix in decision.fixes)
        if decision.target_memory is not None:
            own[at] = decision.target_memory
            ways[at] = _way_of(verdict)
    targets = own[judged.classes]
    memory = [
        group for group, part in zip(judge.groups, _plain(judge), strict=True) if part
    ]  # fmt: skip
    if memory:
        _spread(fleet, memory[0], ways[judged.classes], targets)
    return Fixes(kinds[judged.classes], targets)


def _plain(judge: Judge) -> list[bool]:
    return [judge.fleet.sheets is None and plain_memory(group) for group in judge.groups]


def _way_of(verdict: Verdict) -> int:
    """Under which system, and whether with what is kept back freed, a target counts."""
    fixes = {fix.kind: fix for fix in verdict.decision.fixes}
    bits = None
    if "system" in fixes:
        bits = fixes["system"].changes.get("system.os_bits")
    elif verdict.system is not None:
        bits = verdict.world.get("system.os_bits")
        if bits == verdict.machine.system.os_bits:
            bits = None
        elif bits is None:
            bits = 64
    way = 0 if bits is None else (2 if bits == 32 else 1)
    memory = verdict.decision.fixes and any(
        key in ("memory", "memory_own") for fix in verdict.decision.fixes
        if fix.kind == "setting" for key in fix.rows
    )  # fmt: skip
    return way * 2 + bool(memory)


def _spread(fleet: Fleet, group: Group, ways: Ints, targets: Floats) -> None:
    """The target of each machine for itself, where its class' own is that of another machine."""
    for start in range(0, len(fleet), CHUNK):
        part = cut_fleet(fleet, start, start + CHUNK)
        own, there = ways[start : start + CHUNK], targets[start : start + CHUNK]
        for way in np.unique(own[own >= 0]).tolist():
            best = best_totals(part, group, way // 2, bool(way % 2))
            here = (own == way) & ~np.isnan(best)
            there[here] = best[here]
