"""Who gets what from where: modules handed on from machine to machine, in an order that works.

A machine that gives is done before the one that receives; what no machine takes goes back into
the machine that it came out of, where there is room.
"""

from collections import Counter, deque
from heapq import heapify, heappop, heappush
from itertools import combinations, product

from msgspec import Struct

from tallcheck.core.fleet.choices import Kind, Sizes, kind_of_module
from tallcheck.core.fleet.solved import In, Out, Work
from tallcheck.core.upgrade.board import Board, Position
from tallcheck.core.upgrade.filling import Search, Spot
from tallcheck.core.upgrade.parts import Offer

_WAYS_MOST = 64  # ways to pick the positions that are emptied


class Job(Struct):
    """One machine: what goes in (an offer, or a kind that another one gives), what comes out."""

    machine: int
    column: int
    """The place of its choice among all of the model's."""
    board: Board
    add: list[Offer | Kind]
    out: list[Kind]

    def total(self) -> int:
        """Bytes once it is done."""
        return (
            self.board.fitted + sum(one.size for one in self.add)
            - sum(one.size for one in self.out)
        )  # fmt: skip

    def largest_out(self) -> int:
        """The size of the largest module that comes out, 0 for none."""
        return max((one.size for one in self.out), default=0)

    def handed(self) -> list[Kind]:
        """The modules that other machines give."""
        return [one for one in self.add if isinstance(one, Kind)]


class _Given(Struct, frozen=True):
    """A module that lies ready: where it came out."""

    machine: int
    slot: str


def put_back(jobs: list[Job], left: Counter[Kind]) -> Counter[Kind]:
    """What is left once modules that no machine takes are back where there is room for them."""
    for job in sorted((job for job in jobs if job.out), key=Job.largest_out):
        if not left:
            break
        slots = sum(1 for one in job.board.positions if not one.fixed)
        there = sum(1 for one in job.board.positions if one.size and not one.fixed)
        room = slots - len(job.add) - (there - len(job.out))
        for kind in list(job.out):
            limit = job.board.limit
            fits = limit is None or job.total() + kind.size <= limit
            if room and fits and left[kind]:
                job.out.remove(kind)
                left[kind] -= 1
                room -= 1
        left = +left
    return left


def handed_on(jobs: list[Job]) -> tuple[list[Work], list[Job]]:
    """The work in an order that works, or none and the machines that wait for one another."""
    places = _Places()
    spots = {job.machine: places.of(job) for job in jobs}
    ready: dict[Kind, deque[_Given]] = {}
    into: dict[_Given, int] = {}
    given: dict[int, list[_Given]] = {}
    waiting = sorted(jobs, key=lambda job: (-job.largest_out(), job.machine))
    while waiting:
        still = []
        for job in waiting:
            wants = job.handed()
            if any(len(ready.get(kind, ())) < wants.count(kind) for kind in wants):
                still.append(job)
                continue
            if wants:
                given[job.machine] = [ready[one].popleft() for one in wants]
                into |= dict.fromkeys(given[job.machine], job.machine)
            for kind, position in spots[job.machine][0]:
                one = _Given(job.machine, position.name)
                ready.setdefault(kind, deque()).append(one)
        if len(still) == len(waiting):
            return [], still
        waiting = still
    works = [_work(job, spots[job.machine], given.get(job.machine, []), into) for job in jobs]
    return _in_order(works), []


_Spots = tuple[list[tuple[Kind, Position]], list[str]]
"""What comes out of which position, and the position of each module that goes in."""


def _work(job: Job, spots: _Spots, given: list[_Given], into: dict[_Given, int]) -> Work:
    gone, names = spots
    handed = iter(given)
    put_in = []
    for name, one in zip(names, job.add, strict=True):
        if isinstance(one, Kind):
            giver = next(handed)
            put_in.append(In(name, one.size, None, giver.machine, giver.slot))
        else:
            put_in.append(In(name, one.size, one))
    take_out = tuple(
        Out(position.name, kind.size, into.get(_Given(job.machine, position.name)))
        for kind, position in gone
    )
    return Work(job.machine, take_out, tuple(put_in), 0, frozenset(one.machine for one in given))


def _in_order(works: list[Work]) -> list[Work]:
    """By the fleet's order as far as givers come first; each with its cost, kits opened once."""
    by_machine = {one.machine: one for one in works}
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
        ordered.append(_priced(one, open_kits))
        for taker in takers.get(one.machine, ()):
            left[taker] -= 1
            if not left[taker]:
                heappush(free, taker)
    return ordered


def _priced(work: Work, open_kits: dict[Offer, tuple[int, int]]) -> Work:
    cost, after = 0, set(work.after)
    for one in work.put_in:
        if one.offer is None:
            continue
        if one.offer.pack == 1:
            cost += one.offer.price or 0
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
        self._alike: dict[tuple[object, ...], _Spots] = {}

    def of(self, job: Job) -> _Spots:
        """The positions of one job; many share their very board and what is done at it."""
        same = (id(job.board), *(one.size for one in job.add), *map(id, job.out))
        if same not in self._alike:
            self._alike[same] = self._of(job)
        return self._alike[same]

    def _of(self, job: Job) -> _Spots:
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
        out = [(kind, positions[at]) for at in gone if (kind := kinds[at]) is not None]
        rooms: dict[int, list[str]] = {}
        for position, size in zip(positions, new, strict=True):
            rooms.setdefault(size, []).append(position.name)
        return out, [rooms[size].pop(0) for size in sizes]


def _placed(
    positions: list[Position], kinds: list[Kind | None], out: list[Kind], sizes: Sizes
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
