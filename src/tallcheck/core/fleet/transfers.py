"""Who gets what from where: modules handed on from machine to machine, in an order that works.

A machine that gives is done before the one that receives; what no machine takes goes back into
the machine that it came out of, where there is room.
"""

from collections import Counter, deque
from functools import cached_property
from heapq import heapify, heappop, heappush

import numpy as np
from msgspec import Struct, structs

from tallcheck.core.board.models import Offer
from tallcheck.core.fleet.columns import Floats, Ints
from tallcheck.core.fleet.placing import (
    In,
    Job,
    Kind,
    Kinds,
    Names,
    Out,
    Places,
    Spots,
    Work,
    without,
)


def put_back(jobs: list[Job], left: Counter[Kind]) -> tuple[list[Job], Counter[Kind]]:
    """The jobs once modules that no machine takes are back where there is room; what is left."""
    found = [job for job in jobs if not job.out]
    for whole in sorted((job for job in jobs if job.out), key=Job.largest_out):
        job: Job | None = whole
        while job is not None:
            back = _back(job, left)
            count = min([len(job.machines), *(left[one] // many for one, many in back.items())])
            done = structs.replace(job, machines=job.machines[:count])
            for kind in back.elements():
                done = structs.replace(done, out=without(done.out, kind))
                left[kind] -= count
            found.append(done)
            rest = job.machines[count:]
            job = structs.replace(job, machines=rest) if len(rest) else None
    return found, +left


def _back(job: Job, left: Counter[Kind]) -> Counter[Kind]:
    """What goes back into one of the machines, where there is room for it."""
    slots = sum(1 for one in job.board.positions if not one.fixed)
    there = sum(1 for one in job.board.positions if one.size and not one.fixed)
    room = slots - len(job.add) - (there - len(job.out))
    total, limit = job.total(), job.board.limit
    back: Counter[Kind] = Counter()
    for kind in job.out:
        fits = limit is None or total + kind.size <= limit
        if room and fits and left[kind] > back[kind]:
            back[kind] += 1
            total += kind.size
            room -= 1
    return back


_From = tuple[int, str]
"""The machine and the position that a module came out of."""


class _Pile:
    """Modules of one kind that lie ready: the machine and the position that each came out of."""

    def __init__(self) -> None:
        self.count = 0
        self._runs: deque[tuple[Ints, Names]] = deque()

    def lay(self, machines: Ints, names: list[str]) -> None:
        """What comes out of some machines, at each out of the same positions."""
        if names:
            each = np.repeat(machines, len(names))
            self._runs.append((each, np.tile(np.array(names, dtype=object), len(machines))))
            self.count += len(each)

    def take(self, count: int) -> tuple[Ints, Names]:
        """As many, those that were laid first."""
        found = []
        self.count -= count
        while count:
            machines, names = self._runs.popleft()
            if len(machines) > count:
                self._runs.appendleft((machines[count:], names[count:]))
            found.append((machines[:count], names[:count]))
            count -= len(found[-1][0])
        return np.concatenate([one for one, _ in found]), np.concatenate([one for _, one in found])


class _Given(Struct, frozen=True):
    """What some machines are given: a row for each, from which machine and which position."""

    machines: Ints
    givers: Ints
    names: Names


class Transfers:
    """Who gives what to whom. What is done at each machine is made when it is first asked for."""

    def __init__(self, todo: list[tuple[Job, Spots]], given: list[_Given]) -> None:
        self._todo, self._given = todo, given

    def __len__(self) -> int:
        """How many machines there is something to do at."""
        return sum(len(job.machines) for job, _ in self._todo)

    @property
    def given_on(self) -> int:
        """Modules that come out of one machine and go into another."""
        return sum(one.givers.size for one in self._given)

    @cached_property
    def bought(self) -> Counter[Offer]:
        """How many modules of each offer go in."""
        found: Counter[Offer] = Counter()
        for job, spots in self._todo:
            for one in spots.put_in:
                if one.offer is not None:
                    found[one.offer] += len(job.machines)
        return found

    @property
    def _has_kits(self) -> bool:
        return any(offer.pack > 1 for offer in self.bought)

    @property
    def costs(self) -> tuple[Ints, Ints]:
        """The machines, and what is bought for each in hundredths."""
        if self._has_kits:  # which count where they are opened
            found = np.array([(one.machine, one.cost) for one in self.work], dtype=np.int64)
            return found[:, 0], found[:, 1]
        none = np.empty(0, dtype=np.int64)
        machines = [job.machines for job, _ in self._todo]
        costs = [np.full(len(job.machines), spots.cost) for job, spots in self._todo]
        return np.concatenate([none, *machines]), np.concatenate([none, *costs])

    def set_totals(self, targets: Floats) -> None:
        """Put in what the machines have once all is done, in bytes."""
        for job, _ in self._todo:
            targets[job.machines] = job.total()

    @property
    def after(self) -> dict[int, frozenset[int]]:
        """For machines that wait for others, those."""
        if self._has_kits:
            return {one.machine: one.after for one in self.work if one.after}
        return {
            machine: frozenset(givers)
            for one in self._given
            for machine, givers in zip(one.machines.tolist(), one.givers.tolist(), strict=True)
        }

    @cached_property
    def work(self) -> tuple[Work, ...]:
        """In an order in which a machine that gives is done before the one that receives."""
        given = {
            machine: list(zip(givers, names, strict=True))
            for one in self._given
            for machine, givers, names in zip(
                one.machines.tolist(), one.givers.tolist(), one.names.tolist(), strict=True
            )
        }
        into = {one: machine for machine, ones in given.items() for one in ones}
        givers = {machine for machine, _ in into}
        works = [
            _handing(machine, spots, given.get(machine, []), into)
            if machine in given or machine in givers
            else Work(machine, spots.take_out, spots.put_in, spots.cost, _NONE)
            for job, spots in self._todo for machine in job.machines.tolist()
        ]  # fmt: skip
        return tuple(_in_order(works))


def transferred(jobs: list[Job]) -> tuple[Transfers, list[Job]]:
    """Who gives what to whom in an order that works; or the machines that wait in a circle."""
    places = Places()
    todo = [(job, places.of(job)) for job in jobs]
    given, stuck = _given(todo)
    return Transfers(todo, given), stuck


def _given(todo: list[tuple[Job, Spots]]) -> tuple[list[_Given], list[Job]]:
    """What machines are given, in an order that works; or who waits in a circle."""
    wanted = {kind for _, spots in todo for kind in spots.handed}
    ready = {kind: _Pile() for kind in wanted}
    given: list[_Given] = []
    waiting = sorted(
        (one for one in todo if one[1].handed or not wanted.isdisjoint(one[0].out)),
        key=lambda one: (-one[1].largest_out, int(one[0].machines[0])),
    )
    while waiting:
        still, served = [], False
        for job, spots in waiting:
            wants = Counter(spots.handed)
            able = min([len(job.machines), *(ready[one].count // n for one, n in wants.items())])
            some, rest = job.machines[:able], job.machines[able:]
            if able and wants:
                given.append(_taken(some, spots.handed, ready))
            for kind in wanted.intersection(job.out) if able else ():
                ready[kind].lay(some, [name for gone, name in spots.gone if gone == kind])
            served = served or able > 0
            if len(rest):
                still.append((structs.replace(job, machines=rest), spots))
        if not served:
            return [], [job for job, _ in still]
        waiting = still
    return given, []


def _taken(machines: Ints, wants: Kinds, ready: dict[Kind, _Pile]) -> _Given:
    """What lies ready, handed to some machines that want the same."""
    givers = np.empty((len(machines), len(wants)), dtype=np.int64)
    names = np.empty((len(machines), len(wants)), dtype=object)
    for kind in dict.fromkeys(wants):
        at = [place for place, one in enumerate(wants) if one == kind]
        own, own_names = ready[kind].take(len(machines) * len(at))
        givers[:, at], names[:, at] = own.reshape(-1, len(at)), own_names.reshape(-1, len(at))
    return _Given(machines, givers, names)


_NONE: frozenset[int] = frozenset()


def _handing(machine: int, spots: Spots, given: list[_From], into: dict[_From, int]) -> Work:
    """The work at a machine that gives or takes."""
    handed = iter(given)
    put_in = spots.put_in
    if given:
        put_in = tuple(
            In(one.slot, one.size, None, *next(handed)) if one.offer is None else one
            for one in put_in
        )
    take_out = tuple(
        Out(one.slot, one.size, into.get((machine, one.slot))) for one in spots.take_out
    )
    return Work(machine, take_out, put_in, spots.cost, frozenset(giver for giver, _ in given))


def _in_order(works: list[Work]) -> list[Work]:
    """By the fleet's order as far as givers come first; each with its cost, kits opened once."""
    by_machine = {one.machine: one for one in works}
    kits = _with_some_kit(works)
    left = {one.machine: len(one.after) for one in works}
    takers: dict[int, list[int]] = {}
    for one in works:
        for giver in one.after:
            takers.setdefault(giver, []).append(one.machine)
    free = [machine for machine, count in left.items() if not count]
    heapify(free)
    ordered: list[Work] = []
    open_kits: dict[Offer, tuple[int, int]] = {}  # modules left of the open kit, and who opened it
    while free:
        one = by_machine[heappop(free)]
        ordered.append(_with_kits(one, open_kits) if one.machine in kits else one)
        for taker in takers.get(one.machine, ()):
            left[taker] -= 1
            if not left[taker]:
                heappush(free, taker)
    return ordered


def _with_some_kit(works: list[Work]) -> set[int]:
    """The machines into which modules of kits go."""
    once = {id(one.put_in): one.put_in for one in works}
    of_kits = {
        at for at, put_in in once.items()
        if any(one.offer is not None and one.offer.pack > 1 for one in put_in)
    }  # fmt: skip
    return {one.machine for one in works if id(one.put_in) in of_kits} if of_kits else set()


def _with_kits(work: Work, open_kits: dict[Offer, tuple[int, int]]) -> Work:
    cost, after = work.cost, set(work.after)
    for one in work.put_in:
        if one.offer is None or one.offer.pack == 1:
            continue
        rest, opener = open_kits.get(one.offer, (0, -1))
        if not rest:
            rest, opener = one.offer.pack, work.machine
            cost += one.offer.price or 0
        elif opener != work.machine:
            after.add(opener)
        open_kits[one.offer] = (rest - 1, opener)
    return Work(work.machine, work.take_out, work.put_in, cost, frozenset(after))


class Order(Struct, frozen=True):
    """A line of the order: how many of an offer; of kits, how many kits."""

    offer: Offer
    count: int

    @property
    def cost(self) -> int:
        """In hundredths."""
        return self.count * (self.offer.price or 0)


class Solved(Struct, frozen=True):
    """The plan for all machines together. Money in hundredths."""

    cost: int
    """Of modules; what else the machines need is not in it."""
    orders: tuple[Order, ...]
    left: tuple[tuple[str, int], ...]
    """Modules that come out and stay in the drawer, and what is left of kits, by kind."""
    transfers: Transfers
    apart: int
    """The cost where each machine is planned for itself, in the fleet's order, by this stock."""
    apart_undone: int
    """Machines that stock then would not serve."""
    gap: float
    """The proven distance to the best, as a share of the cost; 0 is proven best."""
    restricted: int
    """Machines for which only some ways were looked at."""
    undone: int = 0
    """Machines that cannot be done, for stock or budget."""
    others: tuple[int, ...] = ()
    """With a budget: the machines made ready without memory, as places in the fleet."""
    spent: int = 0
    """With a budget: all money spent, work and other fixes counted."""

    @property
    def work(self) -> tuple[Work, ...]:
        """In an order in which a machine that gives is done before the one that receives."""
        return self.transfers.work

    @property
    def reused(self) -> int:
        """Modules that come out of one machine and go into another."""
        return self.transfers.given_on
