"""What a group can come to: each outcome, which is a set of trials that pass, and where.

A trial passes where some value that it can bring about in each cluster meets all. The states in
which each cluster may be, and what each trial can make of them, are worked out cluster by cluster;
the rest is done on truth tables, for all combinations of states at once.
"""

from collections.abc import Callable
from functools import partial
from math import prod
from typing import Any

from msgspec import Struct

from tallcheck.core.decide.atoms import Met
from tallcheck.core.decide.clusters import Cluster, Options, State, tried_world, within
from tallcheck.core.decide.groups import Group
from tallcheck.core.decide.tables import Space
from tallcheck.core.decide.trials import ANOTHER, Kept, Trial, Trials
from tallcheck.core.machine.normalized import World

_COMBINATIONS_MOST = 1 << 20
"""The most combinations of one table; past it a group is taken apart."""

Cases = list[tuple[Kept, Trial, int]]
Moves = tuple[tuple[int, ...], ...]
"""For each value of a variable those that it can move to."""


class _Moved:
    """The states in which a cluster may be, and what each trial can make of them."""

    def __init__(self, alike: dict[tuple[frozenset[Met], ...], list[State]]) -> None:
        """``alike``: the states by the most that each case of trials can make of them."""
        self._alike = alike
        self._of: dict[Met, _Moved] = {}
        self.states = list(alike.values())
        """For each value of it, the states that come to the same."""
        self.readings = {key for each in self.states for state in each for key in state.taken}
        """The unknown readings that are taken in it."""
        self.met = list(dict.fromkeys(one for each in alike for moves in each for one in moves))
        """What may be met in it, after whatever trial."""
        numbers = {one: at for at, one in enumerate(self.met)}
        self.moves = [
            tuple(tuple(sorted(numbers[one] for one in each)) for each in case)
            for case in zip(*alike, strict=True)
        ]
        """For each case of trials, for each value of its states, what it can make of it."""

    def of(self, bits: Met) -> "_Moved":
        """The same where only some atoms count."""
        if bits not in self._of:
            self._of[bits] = self._restricted(bits)
        return self._of[bits]

    def _restricted(self, bits: Met) -> "_Moved":
        found: dict[tuple[frozenset[Met], ...], list[State]] = {}
        for moves, states in self._alike.items():
            some = tuple(_most({one & bits for one in each}) for each in moves)
            found.setdefault(some, []).extend(states)
        return _Moved(found)

    @property
    def size(self) -> int:
        """The number of values that it takes in a table."""
        return max(len(self.states), len(self.met))


class Outcomes(Struct):
    """What some requirements can come to: the trials that pass, and in which combinations."""

    space: Space
    clusters: list[_Moved]
    parts: dict[int, int]
    """For each set of trials the combinations of states in which just these pass."""
    wide: bool = False
    """Whether there may be outcomes among these that cannot be."""

    @property
    def masks(self) -> frozenset[int]:
        """The sets of trials that pass somewhere."""
        return frozenset(self.parts)

    @property
    def is_settled(self) -> bool:
        """Whether there is but one world that it may be in."""
        return all(sum(map(len, one.states)) == 1 for one in self.clusters)

    def readings(self) -> dict[str, list[str | int]]:
        """The unknown readings on which it rests, with their values."""
        found: dict[str, dict[str | int, None]] = {}
        for at, one in enumerate(self.clusters):
            count = len(one.states)
            if not any(self.space.bears(part, at, count) for part in self.parts.values()):
                continue
            for alike in one.states:
                for state in alike:
                    for reading, value in state.taken.items():
                        found.setdefault(reading, {})[value] = None
        return {reading: list(values) for reading, values in found.items()}

    def where(self, reading: str, value: str | int) -> frozenset[int]:
        """The sets of trials that pass somewhere where a reading has a value."""
        here = self.space.every
        for at, one in enumerate(self.clusters):
            if reading in one.readings:
                here &= self.space.where(at, [
                    v for v, alike in enumerate(one.states)
                    if any(state.taken.get(reading, value) == value for state in alike)
                ])  # fmt: skip
        return frozenset(mask for mask, part in self.parts.items() if part & here) or self.masks

    def world(self, world: World, mask: int) -> World:
        """The first world in which just these trials pass."""
        return self._worlds(world, self.parts[mask], 0)[0]

    def worlds(self, world: World, mask: int, at: int) -> list[World]:
        """One such world for each state that a cluster may be in."""
        found: list[World] = []
        for value in range(len(self.clusters[at].states)):
            part = self.parts[mask] & self.space.where(at, [value])
            found += self._worlds(world, part, at) if part else []
        return found

    def _worlds(self, world: World, part: int, at: int) -> list[World]:
        """The first combination of a table, for each state that stands for a cluster's value."""
        alike = [
            one.states[value]
            for value, one in zip(self.space.first(part), self.clusters, strict=True)
        ]
        found = []
        for state in alike[at] if alike else [State({}, {})]:
            there = dict(world)
            for other, states in enumerate(alike):
                there |= state.readings if other == at else states[0].readings
            found.append(there)
        return found


def outcomes_of(
    group: Group, world: World, trials: Trials, once: Callable[[Any, Callable[[], Any]], Any]
) -> list[tuple[Group, Outcomes]]:
    """What a group can come to; of one that is taken apart, what each part can.

    ``once`` gives what was made for a key, made now where it was not.
    """
    apart = not group.of_kind and (not trials.systems or not group.of_system)
    if apart and group.passes(world):
        # whatever else may be changed
        return [(group, _all_pass(group, trials))]
    cases = trials.alike(group.of_system, group.of_kind, group.memory, group.bare)
    clusters = [
        once((_Moved, at, one.seen(world)), partial(_moved, one, world, cases, trials))
        for at, one in enumerate(group.clusters)
    ]
    space = Space([one.size for one in clusters])
    if space.width > _COMBINATIONS_MOST:
        return _taken_apart(group, clusters, cases, trials)
    return [(group, _outcomes(group, clusters, space, cases))]


def _all_pass(group: Group, trials: Trials) -> Outcomes:
    clusters = [_Moved({(): [State({}, {})]}) for _ in group.clusters]
    return Outcomes(Space([1 for _ in clusters]), clusters, {trials.every: 1})


def _outcomes(group: Group, clusters: list["_Moved"], space: Space, cases: Cases) -> Outcomes:
    table = group.table(space, [one.met for one in clusters])
    here = space.every
    for at, one in enumerate(clusters):
        here &= space.where(at, range(len(one.states)))
    parts = {0: here}
    # those of which trials make the fewest different things first: what they come to is shared
    order = sorted(range(len(clusters)), key=lambda at: len({*clusters[at].moves}))
    passing: dict[tuple[Any, ...], int] = {(): table}
    for number, (_, _, bits) in enumerate(cases):
        good = _moved_all(space, [(at, clusters[at].moves[number]) for at in order], passing)
        split: dict[int, int] = {}
        for mask, part in parts.items():
            for after, some in ((mask | bits, part & good), (mask, part & ~good)):
                if some:
                    split[after] = split.get(after, 0) | some
        parts = split
    return Outcomes(space, clusters, parts)


def _moved_all(
    space: Space, moves: list[tuple[int, Moves]], done: dict[tuple[Any, ...], int]
) -> int:
    """Where a trial can make a table true that moves some variables; ``done`` by their firsts."""
    found = done[()]
    for count, (at, one) in enumerate(moves, 1):
        key = tuple(each for _, each in moves[:count])
        if key not in done:
            done[key] = space.moved(found, at, one)
        found = done[key]
    return found


def _moved(cluster: Cluster, world: World, cases: Cases, trials: Trials) -> _Moved:
    found: dict[tuple[frozenset[Met], ...], list[State]] = {}
    for state in cluster.states(world):
        moves = _moves(cluster, world | state.readings, cases, trials)
        found.setdefault(moves, []).append(state)
    return _Moved(dict(sorted(found.items(), key=lambda one: _lacking(cluster, one[0]))))


def _lacking(cluster: Cluster, moves: tuple[frozenset[Met], ...]) -> int:
    """How much is not met as it is: states in which less is short stand first."""
    (met,) = moves[0]
    return (cluster.all_met & ~met).bit_count()


def _moves(
    cluster: Cluster, world: World, cases: Cases, trials: Trials
) -> tuple[frozenset[Met], ...]:
    """For each case of trials the most that it can make of a state."""
    done: dict[Kept, frozenset[Met]] = {}
    options: dict[tuple[int, str], Options] = {}
    found = []
    for case, trial, _ in cases:
        key = cluster.kept(case)
        if key not in done:
            where = key[0], trial.architecture
            if where not in options:
                there = tried_world(world, trial, trials.systems)
                options[where] = cluster.options(there, trial.hardware == ANOTHER)
            done[key] = _most({met for met, _ in within(options[where], trial)})
        found.append(done[key])
    return tuple(found)


def _most(met: set[Met]) -> frozenset[Met]:
    """What is met, without what is met by more."""
    return frozenset(
        one for one in met if not any(one != other and one & ~other == 0 for other in met)
    )


# --- past what one table holds ---------------------------------------------------------------


def _taken_apart(
    group: Group, clusters: list[_Moved], cases: Cases, trials: Trials
) -> list[tuple[Group, Outcomes]]:
    """What the parts of a group can come to that is too large for one table.

    A cluster in several parts may then be in another state in each; and where a trial could do one
    thing there or another, but not both, it is left open whether the trial passes.
    """
    touched = [group.touched(ask) for ask in group.asks]
    pieces: list[tuple[set[int], list[int]]] = []
    for at, own in enumerate(touched):
        for place, (there, asks) in enumerate(pieces):
            if prod(clusters[one].size for one in there | own) <= _COMBINATIONS_MOST:
                pieces[place] = (there | own, [*asks, at])
                break
        else:
            pieces.append((own, [at]))
    shared = [one for at, one in enumerate(clusters) if sum(at in there for there, _ in pieces) > 1]
    open_ones = 0
    for number, (_, _, bits) in enumerate(cases):
        if any(len(each) > 1 for one in shared for each in one.moves[number]):
            open_ones |= bits
    found = []
    for there, asks in pieces:
        piece = group.piece(asks, sorted(there))
        moved = [clusters[at].of(piece.bits(number)) for number, at in enumerate(sorted(there))]
        space = Space([one.size for one in moved])
        if space.width > _COMBINATIONS_MOST:
            outcomes = _widened(_all_pass(piece, trials), trials.every, trials)
        else:
            outcomes = _widened(_outcomes(piece, moved, space, cases), open_ones, trials)
        found.append((piece, outcomes))
    return found


def _widened(outcomes: Outcomes, open_ones: int, trials: Trials) -> Outcomes:
    """The same where it is open whether some trials pass."""
    parts: dict[int, int] = {}
    for mask, part in outcomes.parts.items():
        for one in trials.with_less(mask, open_ones):
            parts[one] = parts.get(one, 0) | part
    return Outcomes(outcomes.space, outcomes.clusters, parts, True)
