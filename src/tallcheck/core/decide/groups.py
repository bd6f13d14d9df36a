"""Requirements that share readings: a formula over the atoms of their clusters."""

from collections.abc import Sequence
from itertools import combinations

from tallcheck.core.decide.asked import OF_KIND, OF_MEMORY, OF_SYSTEM, Requirement
from tallcheck.core.decide.atoms import Met, atoms_of
from tallcheck.core.decide.changes import (
    NO_CHANGE,
    Change,
    Goal,
    System,
    joined,
    weight,
    with_total,
)
from tallcheck.core.decide.clusters import Cluster, clusters_of, tried_world, within
from tallcheck.core.decide.evaluation import Answer, evaluate_all
from tallcheck.core.decide.tables import Space
from tallcheck.core.decide.trials import ANOTHER, NOTHING, Trial
from tallcheck.core.machine.normalized import World
from tallcheck.core.needs.key import KINDS


class Group:
    """Requirements that share readings."""

    def __init__(
        self, asks: list[Requirement], places: list[int], clusters: list[Cluster] | None = None
    ) -> None:
        """``clusters``: those of the group of which it is a piece."""
        self.asks, self.places = asks, places
        entries = [key for ask in asks for key in ask.entries()]
        self.singles = [one for ask in asks for one in ask.singles() if one.key is not None]
        """Each ask, or in its place those of its tables."""
        self.memory = any(key.totals is not None for key in entries)
        """Whether memory can bear on it."""
        self.reads = frozenset(key for ask in asks for key in ask.reads())
        self.mends = frozenset(name for key in entries for name in key.mends)
        self.rests_on = self.reads | self.mends | (OF_MEMORY if self.memory else frozenset())
        """All readings on which anything of it rests."""
        self.of_system = self.memory or bool(self.reads & OF_SYSTEM)
        """Whether the system that runs bears on it."""
        self.of_kind = bool(self.reads & OF_KIND)
        """Whether the architecture of another machine bears on it."""
        self.bare = all(key.totals for key in entries)
        """Whether of this machine's hardware only memory bears on it, which a trial names."""
        self.clusters = clusters_of(asks) if clusters is None else clusters
        self.memory_at = next((at for at, one in enumerate(self.clusters) if one.memory), -1)
        """The cluster of memory, by number."""

    def evaluate(self, world: World) -> list[Answer]:
        """The needs held against a world."""
        return evaluate_all(self.asks, world)

    def table(self, space: Space, met: Sequence[Sequence[Met]]) -> int:
        """Where all is met, over what may be met in each cluster."""
        atoms = {
            id(atom): space.where(at, [v for v, one in enumerate(met[at]) if one >> bit & 1])
            for at, cluster in enumerate(self.clusters) for bit, atom in enumerate(cluster.atoms)
        }  # fmt: skip
        found = space.every
        for ask in self.asks:
            one = 0
            for table in ask.tables or ([ask],):
                whole = space.every
                for single in table:
                    whole &= space.every if single.key is None else atoms[id(single)]
                one |= whole
            for condition in ask.when:
                one |= atoms[id(condition)]
            found &= one
        return found

    def passes(self, world: World) -> bool:
        """Whether all is met in a world, or what no reading can tell."""
        space = Space([1 for _ in self.clusters])
        return bool(self.table(space, [[one.met(world)] for one in self.clusters]))

    def touched(self, ask: Requirement) -> set[int]:
        """The clusters on which a requirement rests, by number."""
        own = {id(atom) for atom in atoms_of(ask)}
        return {
            at for at, one in enumerate(self.clusters) if own & {id(atom) for atom in one.atoms}
        }

    def piece(self, asks: list[int], clusters: list[int]) -> "Group":
        """Some of its requirements with the clusters on which they rest, all by number."""
        return Group(
            [self.asks[at] for at in asks], [self.places[at] for at in asks],
            [self.clusters[at] for at in clusters],
        )  # fmt: skip

    def bits(self, at: int) -> Met:
        """The atoms of a cluster that bear on it."""
        own = {id(atom) for ask in self.asks for atom in atoms_of(ask)}
        return sum(1 << bit for bit, one in enumerate(self.clusters[at].atoms) if id(one) in own)

    def solve(self, trial: Trial, world: World, systems: list[System]) -> Change | None:
        """The least that a trial has to change for all needs to be met; None where it cannot.

        Fewest kinds of fix, then the lightest, then the least memory.
        """
        world = tried_world(world, trial, systems)
        if self.passes(world):
            return NO_CHANGE
        if trial.hardware == NOTHING and not trial.memory:
            return None
        another = trial.hardware == ANOTHER
        options = [within(one.options(world, another), trial) for one in self.clusters]
        ways = [sorted(each.items(), key=lambda way: weight(way[1])) for each in options]
        space = Space([len(each) for each in ways])
        good = self.table(space, [[met for (met, _), _ in each] for each in ways])
        if not good:
            return None
        for kinds in _by_weight({kind for each in ways for _, one in each for kind in one.kinds}):
            left = good
            for at, each in enumerate(ways):
                left &= space.where(
                    at, [v for v, (_, one) in enumerate(each) if kinds >= {*one.kinds}]
                )
            if left:
                break
        picked = []
        for at in sorted(range(len(ways)), key=lambda at: at != self.memory_at):
            value = next(v for v in range(len(ways[at])) if left & space.where(at, [v]))
            left &= space.where(at, [value])
            picked.append(ways[at][value][1])
        return joined(tuple(picked))

    def goal_of(
        self, trial: Trial, world: World, systems: list[System], change: Change
    ) -> Goal | None:
        """The goal of a change with the least total that would do, whatever can be built."""
        if change.goal is None:
            return None
        world = tried_world(world, trial, systems)
        for fill in self.clusters[self.memory_at].fills(world, trial.hardware == ANOTHER):
            if fill.goal.total != change.goal.total or not {*fill.kinds} <= {*change.kinds}:
                continue
            floor = with_total(world, fill.goal.least, fill.use)
            if self.passes(world | change.changes | floor):
                return fill.goal
        return Goal(change.goal.total, change.goal.total)


def _by_weight(kinds: set[str]) -> list[set[str]]:
    """All sets of kinds of fix, the fewest and lightest first."""
    ordered = sorted(kinds, key=KINDS.index, reverse=True)
    found = [{*some} for count in range(len(kinds) + 1) for some in combinations(ordered, count)]
    return sorted(found, key=lambda some: weight(Change({}, tuple(some))))
