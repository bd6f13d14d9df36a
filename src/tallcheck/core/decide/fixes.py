"""The trial that is taken: the fixes that are named, and what memory is to be brought to."""

from collections.abc import Iterator
from typing import Any

from msgspec import Struct, structs

from tallcheck.core.decide.changes import Change, Goal, memory_use, with_total
from tallcheck.core.decide.trials import (
    ANOTHER,
    CONFLICT,
    MEMORY_ALONE,
    MEMORY_PLUS,
    NOT_MEMORY,
    READY,
    REPLACE,
    UNDECIDED,
    Trial,
    Trials,
)
from tallcheck.core.decide.tried import Tried
from tallcheck.core.decide.worlds import Branch, Problem
from tallcheck.core.machine.normalized import World
from tallcheck.core.needs.key import KINDS


class Fix(Struct, frozen=True):
    """One kind of change of the trial that was taken, the rows that ask for it, what it does."""

    kind: str
    rows: tuple[str, ...]
    changes: World
    """The readings as it leaves them."""


def chosen(problem: Problem) -> tuple[tuple[Fix, ...], Goal | None]:
    """The fixes of the trial that is taken and its goal; of an open answer a goal alone."""
    if problem.answer == UNDECIDED:
        return (), _likely_goal(problem)
    if problem.answer in (READY, REPLACE) or problem.conflict:
        return (), None
    return _taken(problem)


Solved = list[tuple[Tried, Change]]


def best_trial(
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


def _taken(problem: Problem) -> tuple[tuple[Fix, ...], Goal | None]:
    """The fixes and the goal of the trial that is taken, where unknown readings are good."""
    trials = problem.trials
    branch = max(problem.branches, key=lambda one: _good_rank(problem, one))
    mask, cases = _good_world(problem, branch)
    found = best_trial(trials, mask, cases)
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
            if goal is not None and not _open_use(group, problem.world):
                goal = _in_every_world(group, trial, problem.branches, goal)
        for kind, keys in _by_kind(group, world, trial, change).items():
            rows.setdefault(kind, {}).update(dict.fromkeys(keys))
            changes.setdefault(kind, {}).update(change.changes)
    fixes = tuple(Fix(kind, tuple(rows[kind]), changes[kind]) for kind in KINDS if kind in rows)
    return fixes, goal


_TOTALS_MOST = 8
"""Totals that are tried one after another."""


def _in_every_world(group: Tried, trial: Trial, branches: list[Branch], goal: Goal) -> Goal:
    """The least goal under which the needs are met whatever is not known."""
    own = [outcomes for one in branches for each, outcomes in one.outcomes if each is group]
    if len(branches) == 1 and all(one.is_settled for one in own):
        return goal
    first = goal.total
    worlds = [one.world for one in branches if one.world.get("memory.installed") is not None]
    for _ in range(_TOTALS_MOST):
        higher = [
            more for world in worlds for more in _still_short(group, trial, world, goal.total)
            if more.total > goal.total
        ]  # fmt: skip
        if not higher:
            return goal
        goal = structs.replace(max(higher), lower=first)
    return goal


def _still_short(group: Tried, trial: Trial, world: World, total: int) -> Iterator[Goal]:
    """What more a trial would call for, where with a total of memory it does not pass."""
    kept = group.trials.all.index(structs.replace(trial, memory=False))
    there = world | with_total(world, total, memory_use(world))
    for part, outcomes in group.outcomes(there):
        for mask in outcomes.parts if part.group.memory else ():
            if mask >> kept & 1:
                continue
            short = outcomes.world(there, mask)
            change = part.solve(trial, short)
            if change is None:
                continue
            goal = part.group.goal_of(trial, short, group.trials.systems, change)
            if goal is not None:
                yield goal


def _good_rank(problem: Problem, branch: Branch) -> tuple[int, int]:
    mask = max(branch.masks(), key=lambda one: (_goodness(problem.trials, one), one))
    return _goodness(problem.trials, mask), mask


def _good_world(problem: Problem, branch: Branch) -> tuple[int, list[tuple[Tried, World]]]:
    """The world that needs the least, of those that a branch allows; the trials that pass there."""
    states: dict[int, list[tuple[Tried, World]]] = {branch.able: []}
    for group, outcomes in branch.outcomes:
        found: dict[int, list[tuple[Tried, World]]] = {}
        for mask, cases in states.items():
            for passed in outcomes.parts:
                world = outcomes.world(branch.world, passed)
                found.setdefault(mask & passed, [*cases, (group, world)])
        states = found
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
    keys = {one.key.name for one in group.group.singles if one.key is not None}
    own = world.get("memory.available") is None and world.get("usage.in_use") is None
    share = world.get("usage.memory_use") is None
    return (own and "memory_own" in keys) or (share and "memory_use" in keys)


def _goodness(trials: Trials, mask: int) -> int:
    """How little a world needs: fewer changes are better."""
    order = (READY, NOT_MEMORY, MEMORY_ALONE, MEMORY_PLUS, REPLACE, CONFLICT)
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


def _likely_goal(problem: Problem) -> Goal | None:
    """Of an open answer the least total that memory would have to come to, where it may do.

    None where that rests on what is in use, which is not known.
    """
    trials = problem.trials
    goals: list[Goal | None] = []
    for branch in problem.branches:
        for group, outcomes in branch.outcomes:
            if not group.group.memory or _open_use(group, problem.world):
                continue
            for mask in outcomes.parts:
                able = mask & branch.able
                if trials.outcome(able) != MEMORY_ALONE:
                    continue
                for world in outcomes.worlds(branch.world, mask, group.group.memory_at):
                    best = best_trial(trials, able, [(group, world)])
                    if best is not None:
                        trial, ((_, change),) = best
                        goals.append(group.group.goal_of(trial, world, trials.systems, change))
    return min(filter(None, goals), default=None)
