"""Needs in groups: those that share a reading belong together."""

from tallcheck.core.decide.asked import SHARED_UNKNOWNS, Requirement
from tallcheck.core.decide.groups import Group
from tallcheck.core.decide.trials import Trials
from tallcheck.core.decide.tried import Tried


def grouped(asks: list[Requirement]) -> list[Group]:
    """The needs in groups that share no reading, but for the hubs."""
    sets: list[tuple[set[str], list[int]]] = []
    for at, ask in enumerate(asks):
        keys = set(ask.reads()) - set(SHARED_UNKNOWNS)
        members = [at]
        apart = []
        for other, others in sets:
            if other & keys:
                keys, members = keys | other, others + members
            else:
                apart.append((other, others))
        sets = [*apart, (keys, members)]
    ordered = sorted((sorted(members) for _, members in sets), key=lambda one: one[0])
    return [Group([asks[at] for at in members], members) for members in ordered]


def tried(asks: list[Requirement], trials: Trials, many: bool = False) -> list[Tried]:
    """The needs in groups, under some trials; ``many``: for many machines."""
    return [Tried(group, trials, many) for group in grouped(asks)]
