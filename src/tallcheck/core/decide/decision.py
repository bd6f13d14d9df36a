"""The decision: rows, the answer drawn from the trials, and what it rests on; facts, no text."""

from typing import Any

from msgspec import Struct

from tallcheck.core.board.account import account_of
from tallcheck.core.decide.asked import Asked, Chosen, Requirement
from tallcheck.core.decide.changes import Change, Goal, System
from tallcheck.core.decide.conflicts import Conflict, conflicting
from tallcheck.core.decide.evaluation import Answer
from tallcheck.core.decide.problem import Problem
from tallcheck.core.decide.trials import (
    ANOTHER,
    CONFLICT,
    EXIT_CODES,
    MEMORY_ALONE,
    MEMORY_PLUS,
    NOT_MEMORY,
    REPLACE,
    UNDECIDED,
    Trial,
    Trials,
)
from tallcheck.core.decide.tried import Tried
from tallcheck.core.decide.worlds import Branch, answers_of, as_answers, branches, ranked
from tallcheck.core.machine.normalized import Normalized, World
from tallcheck.core.machine.sheet import Machine, Origin
from tallcheck.core.needs.key import KINDS
from tallcheck.core.usage.summary import Figures


class Row(Struct, frozen=True):
    """One need that holds here, as it is met, short or unknown."""

    ask: Requirement
    answer: Answer
    fixes: tuple[str, ...] = ()
    """The kinds of fix that it would take for itself, gravest first."""
    origin: Origin | None = None
    doubted: bool = False

    @property
    def key(self) -> str:
        """The need's key."""
        return self.ask.asked.need.key

    @property
    def status(self) -> str:
        """``met``, ``short`` or ``unknown``."""
        return self.answer.status

    @property
    def ratio(self) -> float | None:
        """Have against need, 1 where they are equal; None where it has no scale."""
        return self.answer.evaluation.ratio


class Fix(Struct, frozen=True):
    """One kind of change of the trial that was taken, the rows that ask for it, what it does."""

    kind: str
    rows: tuple[str, ...]
    changes: World
    """The readings as it leaves them."""


class Decision(Struct, frozen=True):
    """The answer, and what it rests on."""

    answer: str
    goal: Goal | None
    """What memory is to be brought to."""
    fixes: tuple[Fix, ...]
    conflicts: tuple[Conflict, ...]
    possible: tuple[str, ...]
    find_out: tuple[str, ...]
    """Readings that would settle it, the most telling first."""
    limiting: str | None
    unknown_memory: tuple[str, ...]
    """Readings without which a target is conditional."""

    @property
    def target_memory(self) -> int | None:
        """The total memory to build, in bytes."""
        return None if self.goal is None else self.goal.total

    @property
    def exit_code(self) -> int:
        """The exit code of the answer."""
        return EXIT_CODES[self.answer]


class Verdict(Struct, frozen=True):
    """A decision with the rows it was drawn from, and the machine as they saw it."""

    decision: Decision
    rows: tuple[Row, ...]
    known: Normalized
    world: World
    system: System | None
    """The wanted system, where one is to be installed."""
    usage: Figures | None = None

    @property
    def machine(self) -> Machine:
        """The machine as it is known."""
        return self.known.machine


def decide(
    machine: Normalized,
    asked: list[Asked],
    against: tuple[Chosen, ...] = (),
    installed: tuple[Chosen, ...] = (),
    usage: Figures | None = None,
) -> Verdict:
    """Hold a machine against all that is asked, and draw the decision from the trials.

    ``against`` are the releases that the needs come from, ``installed`` the machine's own programs
    whose needs are known, ``usage`` what a log says of memory and cores in use.
    """
    return verdict_of(Problem(machine, asked, against, installed, usage))


def verdict_of(problem: Problem) -> Verdict:
    """The verdict on one machine."""
    found, outcomes = _come_to(problem)
    rows = _rows(problem, found)
    trials = problem.trials
    possible = as_answers(outcomes)
    answer = possible[0] if len(possible) == 1 else UNDECIDED
    fixes, goal = _chosen(problem, found, outcomes)
    if answer == REPLACE:
        fixes = (Fix("machine", _replaced(rows), {}),)
    order = [key for row in rows for key in row.answer.missing]
    decision = Decision(
        answer, goal, fixes,
        conflicting(problem.groups, problem.world, trials) if CONFLICT in outcomes else (),
        possible, ranked(found, trials, order) if answer == UNDECIDED else (),
        _limiting(rows), _unknown_memory(problem.world) if goal is not None else (),
    )  # fmt: skip
    return Verdict(
        decision, tuple(rows), problem.known, problem.world, problem.system, problem.usage
    )


def fixes_of(problem: Problem) -> tuple[tuple[Fix, ...], Goal | None]:
    """The fixes and the goal of a machine that need not be replaced, without its rows."""
    return _chosen(problem, *_come_to(problem))


def _come_to(problem: Problem) -> tuple[list[Branch], list[str]]:
    """The worlds that a machine may be in, and what they come to."""
    found = branches(problem.groups, problem.world, problem.trials)
    masks = frozenset(mask for branch in found for mask in branch.masks())
    return found, answers_of(masks, problem.trials)


def _chosen(
    problem: Problem, found: list[Branch], outcomes: list[str]
) -> tuple[tuple[Fix, ...], Goal | None]:
    """The fixes of the trial that is taken and its goal; of an open answer a goal alone."""
    possible = as_answers(outcomes)
    if len(possible) > 1:
        return (), _likely_goal(problem, found)
    if possible[0] in ("ready", REPLACE) or CONFLICT in outcomes:
        return (), None
    return _taken(problem, max(found, key=lambda one: _good_rank(problem, one)))


# --- rows ----------------------------------------------------------------------------------


def _rows(problem: Problem, found: list[Branch]) -> list[Row]:
    answers: dict[int, tuple[Answer, Tried]] = {}
    for group in problem.groups:
        for place, answer in zip(group.places, group.evaluate(problem.world), strict=True):
            answers[place] = (answer, group)
    rows = []
    for at, ask in enumerate(problem.asks):
        answer, group = answers[at]
        if ask.asked.unseen or answer.status == "absent":
            continue
        fixes = _own_fixes(ask, group, found) if answer.status == "short" else ()
        rows.append(
            Row(ask, answer, fixes, _origin(answer, problem), _is_doubted(answer, problem.known))
        )
    return rows


def _is_doubted(answer: Answer, known: Normalized) -> bool:
    reading = answer.evaluation.reading
    return answer.status == "unknown" and (
        reading in known.doubted or reading.partition(".")[0] in known.doubted
    )


def _origin(answer: Answer, problem: Problem) -> Origin | None:
    reading, origins = answer.evaluation.reading, problem.known.machine.origins
    if answer.parts:
        return _origin(answer.parts[0], problem)
    if reading.startswith("usage."):
        return Origin("read", "the usage log") if problem.usage is not None else None
    if answer.status == "unknown" and answer.evaluation.have is None:
        return None
    found = origins.get(reading) or origins.get(reading.partition(".")[0])
    return found or Origin("told")


def _own_fixes(ask: Requirement, group: Tried, found: list[Branch]) -> tuple[str, ...]:
    """The kinds of fix that one need would take for itself, in every branch that is open."""
    alone = group.alone(ask)
    kinds: set[str] = set()
    for branch in found:
        for (_, world), mask in alone.outcomes(branch.world):
            kinds |= set(_lightest(alone, world, mask & branch.able))
    return tuple(kind for kind in KINDS if kind in kinds)


def _lightest(group: Tried, world: World, mask: int) -> tuple[str, ...]:
    if not mask:
        return ()
    found = _best(group.trials, mask, [(group, world)])
    if found is None:
        return ("machine",)
    trial, changes = found
    kinds = dict.fromkeys(kind for _, one in changes for kind in one.kinds)
    return ("system", *kinds) if trial.system else tuple(kinds)


def _limiting(rows: list[Row]) -> str | None:
    """The short row with the gravest fix, then the smallest have against need, then the first."""
    short = [row for row in rows if row.status == "short"]
    return min(short, key=limit_rank).key if short else None


def limit_rank(row: Row) -> tuple[int, float]:
    """Where a short row stands among those that limit: the least first."""
    grave = min((KINDS.index(kind) for kind in row.fixes), default=len(KINDS))
    return grave, row.ratio or 0.0


# --- the trial that is taken ---------------------------------------------------------------


Solved = list[tuple[Tried, Change]]


def _best(
    trials: Trials, mask: int, cases: list[tuple[Tried, World]]
) -> tuple[Trial, Solved] | None:
    """Of the trials that settle it the one with the fewest changes; None for another machine."""
    found: list[tuple[Any, Trial, Solved]] = []
    for trial in trials.settling(mask):
        if trial.hardware == ANOTHER:
            return None
        solved: Solved = []
        for group, world in cases:
            change = group.solve(trial, world)
            if change is None:
                break
            solved.append((group, change))
        else:
            kinds = {kind for _, one in solved for kind in one.kinds}
            count = len(kinds) + bool(trial.system)
            graves = [-KINDS.index(kind) for kind in sorted(kinds, key=KINDS.index)]
            found.append(((count, graves, trial.system), trial, solved))
    if not found:
        return None
    _, trial, solved = min(found, key=lambda one: one[0])
    return trial, solved


def _taken(problem: Problem, branch: Branch) -> tuple[tuple[Fix, ...], Goal | None]:
    """The fixes and the goal of the trial that is taken, where unknown readings are good."""
    trials = problem.trials
    mask, cases = _good_world(problem, branch)
    found = _best(trials, mask, cases)
    if found is None:
        return (), None
    trial, solved = found
    rows: dict[str, dict[str, None]] = {}
    changes: dict[str, World] = {}
    goal = None
    if trial.system:
        system = trials.systems[trial.system - 1]
        rows["system"] = {}
        changes["system"] = {
            "system.os": system.name, "system.os_version": system.version,
            "system.os_bits": system.bits,
        }  # fmt: skip
    for (group, world), (_, change) in zip(cases, solved, strict=True):
        if change.goal is not None and "memory" in change.kinds:
            own = group.group.goal_of(trial, world, trials.systems, change)
            goal = own if _is_absolute(group, problem.world) else None
        for kind, keys in _by_kind(group, world, trial, change).items():
            rows.setdefault(kind, {}).update(dict.fromkeys(keys))
            changes.setdefault(kind, {}).update(change.changes)
    fixes = tuple(Fix(kind, tuple(rows[kind]), changes[kind]) for kind in KINDS if kind in rows)
    return fixes, goal


def _good_rank(problem: Problem, branch: Branch) -> tuple[int, int]:
    mask = max(branch.masks(), key=lambda one: (_goodness(problem.trials, one), one))
    return _goodness(problem.trials, mask), mask


def _good_world(problem: Problem, branch: Branch) -> tuple[int, list[tuple[Tried, World]]]:
    """The world that needs the least, of those that a branch allows; the trials that pass there."""
    states: dict[int, list[tuple[Tried, World]]] = {branch.able: []}
    for group, worlds in zip(problem.groups, branch.cases, strict=True):
        joined: dict[int, list[tuple[Tried, World]]] = {}
        for mask, cases in states.items():
            for (_, world), passed in worlds:
                joined.setdefault(mask & passed, [*cases, (group, world)])
        states = joined
    best = max(states, key=lambda mask: (_goodness(problem.trials, mask), mask))
    return best, states[best]


def _is_absolute(group: Tried, world: World) -> bool:
    """Whether a total can be named: not where it counts from what is fitted, which is unknown."""
    return world.get("memory.installed") is not None or all(
        one.key is None or one.key.name not in ("memory_own", "memory_use")
        for one in group.group.singles
    )


def _open_use(group: Tried, world: World) -> bool:
    """Whether needs rest on what is in use, which neither a log nor a reading tells."""
    return (
        world.get("memory.available") is None
        and world.get("usage.in_use") is None
        and any(one.key is not None and one.key.name == "memory_own" for one in group.group.singles)
    )


def _goodness(trials: Trials, mask: int) -> int:
    """How little a world needs: fewer changes are better."""
    order = ("ready", NOT_MEMORY, MEMORY_ALONE, MEMORY_PLUS, REPLACE, CONFLICT)
    return -order.index(trials.outcome(mask))


def _by_kind(group: Tried, world: World, trial: Trial, change: Change) -> dict[str, list[str]]:
    """The rows of a group that are short as it is, by the kinds of fix that they ask for."""
    found: dict[str, list[str]] = {kind: [] for kind in change.kinds}
    short = []
    for ask, answer in zip(group.asks, group.evaluate(world), strict=True):
        if answer.passes or ask.asked.unseen:
            continue
        key = ask.asked.need.key
        short.append(key)
        alone = group.alone(ask)
        kept = Trial(trial.memory, 0, trial.hardware)
        if trial.system and alone.solve(kept, world) is None:
            found.setdefault("system", []).append(key)
        own = alone.solve(trial, world)
        for kind in own.kinds if own is not None else ():
            if kind in found:
                found[kind].append(key)
    return {kind: keys or short for kind, keys in found.items()}


def _replaced(rows: list[Row]) -> tuple[str, ...]:
    short = [row for row in rows if row.status == "short"]
    grave = [row.key for row in short if row.fixes[:1] == ("machine",)]
    return tuple(dict.fromkeys(grave or [row.key for row in short]))


def _likely_goal(problem: Problem, found: list[Branch]) -> Goal | None:
    """Of an open answer the least total that memory would have to come to, where it may do.

    None where that rests on what is in use, which is not known.
    """
    trials = problem.trials
    goals: list[Goal | None] = []
    for branch in found:
        for group, cases in zip(problem.groups, branch.cases, strict=True):
            if not group.group.memory or _open_use(group, problem.world):
                continue
            for (_, world), mask in cases:
                mask &= branch.able
                if trials.outcome(mask) == MEMORY_ALONE:
                    best = _best(trials, mask, [(group, world)])
                    if best is not None:
                        trial, ((_, change),) = best
                        goals.append(group.group.goal_of(trial, world, trials.systems, change))
    return min(filter(None, goals), default=None)


def _unknown_memory(world: World) -> tuple[str, ...]:
    """What is not known of the board, so that a target is conditional."""
    account = account_of(world.get)
    if account.virtual:
        return ()
    where = "memory.slots" if world.get("memory.slots") is None else "memory.modules"
    return tuple(key for key in ("memory.ceiling", where) if key in account.unknown)
