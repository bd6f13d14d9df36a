"""Conflicts: which needs cannot be met together, found from the trials that fail."""

from itertools import combinations

from msgspec import Struct

from tallcheck.core.decide.asked import Asked, Requirement
from tallcheck.core.decide.grouping import tried
from tallcheck.core.decide.trials import Trials
from tallcheck.core.decide.tried import Tried
from tallcheck.core.decide.worlds import branches
from tallcheck.core.machine.normalized import World
from tallcheck.core.needs.system import WANTED

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
