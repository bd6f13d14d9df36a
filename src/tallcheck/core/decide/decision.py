"""The decision: rows, the answer drawn from the trials, conflicts, and what it rests on."""

from itertools import combinations

from msgspec import Struct

from tallcheck.core.board.account import account_of
from tallcheck.core.board.totals import surely_built
from tallcheck.core.decide.asked import Asked, Chosen, Requirement
from tallcheck.core.decide.changes import Goal, System
from tallcheck.core.decide.evaluation import Answer
from tallcheck.core.decide.fixes import Fix, best_trial, chosen
from tallcheck.core.decide.grouping import tried
from tallcheck.core.decide.trials import (
    EXIT_CODES,
    REPLACE,
    UNDECIDED,
    Trials,
)
from tallcheck.core.decide.tried import Tried
from tallcheck.core.decide.worlds import Branch, Problem, branches, ranked
from tallcheck.core.machine.normalized import Normalized, World
from tallcheck.core.machine.readings import TOLD_BY_NAME
from tallcheck.core.machine.sheet import Machine, Origin
from tallcheck.core.needs.key import KINDS
from tallcheck.core.needs.system import WANTED
from tallcheck.core.usage.summary import Figures

_SIZE_MOST = 3
_FOUND_MOST = 8


class Conflict(Struct, frozen=True):
    """Needs that cannot be met together, on whatever machine."""

    between: tuple[Asked, ...]


def conflicting(groups: list[Tried], world: World, trials: Trials) -> tuple[Conflict, ...]:
    """The smallest sets of needs that no trial meets together, in any world."""
    asks = [ask for group in groups for ask in group.asks]
    bad: list[frozenset[int]] = []
    conflicts: list[Conflict] = []
    for size in range(1, _SIZE_MOST + 1):
        for places in combinations(range(len(asks)), size):
            if any(one <= frozenset(places) for one in bad):
                continue
            if len(bad) >= _FOUND_MOST:
                return tuple(conflicts)
            if _excluded([asks[at] for at in places], world, trials):
                bad.append(frozenset(places))
                conflicts.append(Conflict(_named([asks[at] for at in places], asks)))
        if bad:
            break
    return tuple(conflicts)


def _named(between: list[Requirement], asks: list[Requirement]) -> tuple[Asked, ...]:
    """The needs of a conflict; of two systems that are wanted at once both."""
    if all(one.key is WANTED for one in between):
        return tuple(one.asked for one in asks if one.key is WANTED)
    return tuple(one.asked for one in between)


def _excluded(asks: list[Requirement], world: World, trials: Trials) -> bool:
    """Whether some needs fail together in a trial of every kind, in some world."""
    return any(0 in branch.masks() for branch in branches(tried(asks, trials), world, trials))


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
    wide: bool = False
    """Whether there may be answers among the possible ones that cannot be."""

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
    found, answer, trials = problem.branches, problem.answer, problem.trials
    rows = _rows(problem)
    fixes, goal = chosen(problem)
    if answer == REPLACE:
        fixes = (Fix("machine", _replaced(rows), {}),)
    order = [key for row in rows for key in row.answer.missing]
    decision = Decision(
        answer, goal, fixes,
        conflicting(problem.groups, problem.world, trials) if problem.conflict else (),
        problem.possible,
        _name_first(ranked(found, trials, order), problem.world) if answer == UNDECIDED else (),
        _limiting(rows), _unknown_memory(problem, goal.total) if goal is not None else (),
        answer == UNDECIDED and any(branch.wide for branch in found),
    )  # fmt: skip
    return Verdict(
        decision, tuple(rows), problem.known, problem.world, problem.system, problem.usage
    )


def _name_first(found: tuple[str, ...], world: World) -> tuple[str, ...]:
    """What would settle the answer; before what a processor's name tells, that name.

    It is one answer that often tells several readings, and people can read it out.
    """
    told = [key for key in found if key in TOLD_BY_NAME]
    seen = {*told} <= _ON_SCREENS and len(told) < 2
    if not told or seen or world.get(_NAME) is not None:
        return found
    at = found.index(told[0])
    return (*found[:at], _NAME, *found[at:])


_NAME = "processor.name"
_ON_SCREENS = frozenset({"processor.bits", "processor.architecture"})
"""What people find as quickly for itself."""


# --- rows ----------------------------------------------------------------------------------


def _rows(problem: Problem) -> list[Row]:
    answers: dict[int, tuple[Answer, Tried]] = {}
    for group in problem.groups:
        for place, answer in zip(group.places, group.answers(problem.world), strict=True):
            answers[place] = (answer, group)
    rows = []
    for at, ask in enumerate(problem.asks):
        answer, group = answers[at]
        if ask.asked.unseen or answer.status == "absent":
            continue
        fixes = _own_fixes(ask, group, problem.branches) if answer.status == "short" else ()
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
        for one, outcomes in alone.outcomes(branch.world):
            for mask in outcomes.parts:
                world = outcomes.world(branch.world, mask)
                kinds |= set(_lightest(one, world, mask & branch.able))
    return tuple(kind for kind in KINDS if kind in kinds)


def _lightest(group: Tried, world: World, mask: int) -> tuple[str, ...]:
    if not mask:
        return ()
    found = best_trial(group.trials, mask, [(group, world)])
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


def _replaced(rows: list[Row]) -> tuple[str, ...]:
    short = [row for row in rows if row.status == "short"]
    grave = [row.key for row in short if row.fixes[:1] == ("machine",)]
    return tuple(dict.fromkeys(grave or [row.key for row in short]))


def _unknown_memory(problem: Problem, total: int) -> tuple[str, ...]:
    """What is not known of the board, so that a target is conditional."""
    account = account_of(problem.world.get)
    if account.virtual:
        return ()
    doubted = problem.known.doubted & {"memory.ceiling", "memory.modules"}
    beyond = () if surely_built(account, total) else ("memory.position_most",)
    return tuple(dict.fromkeys((*account.unknown, *sorted(doubted), *beyond)))
