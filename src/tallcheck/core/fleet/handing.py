"""Who gets what from where: modules handed on from machine to machine, in an order that works.

A machine that gives is done before the one that receives; what no machine takes goes back into
the machine that it came out of, where there is room.
"""

from collections import Counter, deque
from heapq import heapify, heappop, heappush
from itertools import combinations, product
from typing import Any

from msgspec import Struct

from tallcheck.core.fleet.choices import Kind, Sizes, kind_of_module
from tallcheck.core.fleet.solved import In, Out, Work
from tallcheck.core.upgrade.board import Board, Position
from tallcheck.core.upgrade.filling import Search, Spot
from tallcheck.core.upgrade.parts import Offer

_WAYS_MOST = 64  # ways to pick the positions that are emptied


Parts = tuple[Offer | Kind, ...]
"""What goes into a machine: of an offer, or a kind that another one gives."""
Kinds = tuple[Kind, ...]


def kinds_of(add: Parts) -> Kinds:
    """The modules that other machines give."""
    return tuple(one for one in add if isinstance(one, Kind))


def without(those: tuple[Any, ...], one: Any) -> tuple[Any, ...]:
    """All but the first of the same."""
    at = those.index(one)
    return those[:at] + those[at + 1 :]


class Job(Struct):
    """One machine. What goes in and what comes out is shared by many machines of one choice."""

    machine: int
    column: int
    """The place of its choice among all of the model's."""
    board: Board
    add: Parts
    out: Kinds

    def total(self) -> int:
        """Bytes once it is done."""
        return (
            self.board.fitted + sum(one.size for one in self.add)
            - sum(one.size for one in self.out)
        )  # fmt: skip

    def largest_out(self) -> int:
        """The size of the largest module that comes out, 0 for none."""
        return max([one.size for one in self.out], default=0)


_Given = tuple[int, str]
"""A module that lies ready: the machine and the position that it came out of."""


def put_back(jobs: list[Job], left: Counter[Kind]) -> Counter[Kind]:
    """What is left once modules that no machine takes are back where there is room for them."""
    for job in sorted((job for job in jobs if job.out), key=Job.largest_out) if left else ():
        if not left:
            break
        slots = sum(1 for one in job.board.positions if not one.fixed)
        there = sum(1 for one in job.board.positions if one.size and not one.fixed)
        room = slots - len(job.add) - (there - len(job.out))
        for kind in job.out:
            limit = job.board.limit
            fits = limit is None or job.total() + kind.size <= limit
            if room and fits and left[kind]:
                job.out = without(job.out, kind)
                left[kind] -= 1
                room -= 1
        left = +left
    return left


def handed_on(jobs: list[Job]) -> tuple[list[Work], list[Job]]:
    """The work in an order that works, or none and the machines that wait for one another."""
    places = _Places()
    todo = [(job, places.of(job)) for job in jobs]
    given, stuck = _given(todo)
    if stuck:
        return [], stuck
    into = {one: machine for machine, ones in given.items() for one in ones}
    givers = {machine for machine, _ in into}
    works = [
        _handing(job.machine, spots, given.get(job.machine, []), into)
        if job.machine in given or job.machine in givers
        else Work(job.machine, spots.take_out, spots.put_in, spots.cost, _NONE)
        for job, spots in todo
    ]  # fmt: skip
    return _in_order(works), []


def _given(todo: "list[tuple[Job, _Spots]]") -> tuple[dict[int, list[_Given]], list[Job]]:
    """Which modules each machine is given, in an order that works; or who waits in a circle."""
    wanted = {kind for spots in {id(one): one for _, one in todo}.values() for kind in spots.handed}
    ready: dict[Kind, deque[_Given]] = {kind: deque() for kind in wanted}
    given: dict[int, list[_Given]] = {}
    waiting = sorted(
        (one for one in todo if one[1].handed or not wanted.isdisjoint(one[0].out)),
        key=lambda one: (-one[1].largest_out, one[0].machine),
    )
    while waiting:
        still = []
        for job, spots in waiting:
            wants = spots.handed
            if wants and any(len(ready[kind]) < wants.count(kind) for kind in wants):
                still.append((job, spots))
                continue
            if wants:
                given[job.machine] = [ready[one].popleft() for one in wants]
            for kind, name in spots.gone:
                if kind in ready:
                    ready[kind].append((job.machine, name))
        if len(still) == len(waiting):
            return {}, [job for job, _ in still]
        waiting = still
    return given, []


_NONE: frozenset[int] = frozenset()


class _Spots(Struct):
    """What is done at the positions of machines that look the same and get the same."""

    gone: list[tuple[Kind, str]]
    """What comes out of which position."""
    handed: Kinds
    take_out: tuple[Out, ...]
    """What comes out where no other machine takes it."""
    put_in: tuple[In, ...]
    """What goes in where no other machine gives it."""
    cost: int
    """Of what is bought, in hundredths; kits apart."""
    largest_out: int


def _handing(machine: int, spots: _Spots, given: list[_Given], into: dict[_Given, int]) -> Work:
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


# --- positions -----------------------------------------------------------------------------


class _Places:
    """Which position is emptied and which takes what, found once for boards that look the same."""

    def __init__(self) -> None:
        self._known: dict[tuple[object, ...], tuple[list[int], list[int]]] = {}
        self._alike: dict[tuple[int, int, int], _Spots] = {}

    def of(self, job: Job) -> _Spots:
        """The positions of one job; many share their very board and what is done at it.

        The jobs live as long as this does, so what they share is told apart by identity.
        """
        same = (id(job.board), id(job.add), id(job.out))
        found = self._alike.get(same)
        if found is None:
            found = self._alike[same] = self._of(job)
        return found

    def _of(self, job: Job) -> _Spots:
        gone, names = self._positions(job)
        put_in = tuple(
            In(name, one.size, None if isinstance(one, Kind) else one)
            for name, one in zip(names, job.add, strict=True)
        )
        return _Spots(
            gone, kinds_of(job.add), tuple(Out(name, kind.size, None) for kind, name in gone),
            put_in,
            sum(one.price or 0 for one in job.add if isinstance(one, Offer) and one.pack == 1),
            job.largest_out(),
        )  # fmt: skip

    def _positions(self, job: Job) -> tuple[list[tuple[Kind, str]], list[str]]:
        positions = job.board.positions
        kinds = tuple(
            kind_of_module(one.module) if one.module and one.size and not one.fixed else None
            for one in positions
        )
        sizes = tuple(one.size for one in job.add)
        key = (
            tuple((one.size, one.channel, one.fixed) for one in positions), kinds,
            tuple(sorted(job.out, key=repr)), tuple(sorted(sizes)),
        )  # fmt: skip
        if key not in self._known:
            self._known[key] = _placed(list(positions), list(kinds), job.out, sizes)
        gone, new = self._known[key]
        out = [(kind, positions[at].name) for at in gone if (kind := kinds[at]) is not None]
        rooms: dict[int, list[str]] = {}
        for position, size in zip(positions, new, strict=True):
            rooms.setdefault(size, []).append(position.name)
        return out, [rooms[size].pop(0) for size in sizes]


def _placed(
    positions: list[Position], kinds: list[Kind | None], out: Kinds, sizes: Sizes
) -> tuple[list[int], list[int]]:
    """The positions that are emptied, and the size that goes into each; the most even way."""
    ways = product(*(
        combinations([at for at, kind in enumerate(kinds) if kind == wanted], count)
        for wanted, count in Counter(out).items()
    ))  # fmt: skip
    costs = {size: [0] * count for size, count in Counter(sizes).items()}
    best: tuple[int, list[int], list[int]] | None = None
    for _, picked in zip(range(_WAYS_MOST), ways, strict=False):
        gone = [at for group in picked for at in group]
        spots = [
            Spot(
                0 if at in gone else one.size,
                one.channel,
                one.fixed or (one.size > 0 and at not in gone),
            )
            for at, one in enumerate(positions)
        ]
        total = sum(spot.size for spot in spots) + sum(sizes)
        filling = Search(spots, costs, total).arranged(Counter(sizes), total, 0)
        if filling is not None and (best is None or filling.uneven < best[0]):
            best = (filling.uneven, sorted(gone), list(filling.new))
    assert best is not None, "a choice fits its board"
    return best[1], best[2]
