"""What goes into machines and comes out of them, and at which positions."""

from collections import Counter
from itertools import combinations, product
from typing import Any

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from tallcheck.core.board.account import Account, Position
from tallcheck.core.board.arranging import Arranging, Spot
from tallcheck.core.board.models import Offer
from tallcheck.core.fleet.choices import Kind, Sizes, kind_of_module
from tallcheck.core.fleet.columns import Ints


class Out(Struct, frozen=True):
    """A module that comes out of a machine."""

    slot: str
    size: int
    into: int | None
    """The place of the machine that it goes into; None: the drawer."""


class In(Struct, frozen=True):
    """A module that goes into a machine: an offer's, or one that another machine gave."""

    slot: str
    size: int
    offer: Offer | None = None
    giver: int | None = None
    """The place of the machine that it comes out of."""
    giver_slot: str = ""


class Work(Struct, frozen=True):
    """What is done at one machine."""

    machine: int
    """The machine's place in the fleet."""
    take_out: tuple[Out, ...]
    put_in: tuple[In, ...]
    cost: int
    """Of what is bought for it, in hundredths; a kit counts where its first module goes in."""
    after: frozenset[int]
    """Machines that are done before: those that give, and where a kit is opened."""


_WAYS_MOST = 64  # ways to pick the positions that are emptied

Parts = tuple[Offer | Kind, ...]
"""What goes into a machine: of an offer, or a kind that another one gives."""
Kinds = tuple[Kind, ...]
Names = NDArray[np.object_]


def kinds_of(add: Parts) -> Kinds:
    """The modules that other machines give."""
    return tuple(one for one in add if isinstance(one, Kind))


def without(those: tuple[Any, ...], one: Any) -> tuple[Any, ...]:
    """All but the first of the same."""
    at = those.index(one)
    return those[:at] + those[at + 1 :]


class Job(Struct, frozen=True):
    """Machines with the very same board: into all goes the same, and the same comes out of all."""

    machines: Ints
    """Their places in the fleet."""
    column: int
    """The place of their choice among all of the model's."""
    board: Account
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


class Spots(Struct):
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


class Places:
    """Which position is emptied and which takes what, found once for boards that look the same."""

    def __init__(self) -> None:
        self._known: dict[tuple[object, ...], tuple[list[int], list[int]]] = {}
        self._alike: dict[tuple[int, int, int], Spots] = {}

    def of(self, job: Job) -> Spots:
        """The positions of one job; many share their very board and what is done at it.

        The jobs live as long as this does, so what they share is told apart by identity.
        """
        same = (id(job.board), id(job.add), id(job.out))
        found = self._alike.get(same)
        if found is None:
            found = self._alike[same] = self._of(job)
        return found

    def _of(self, job: Job) -> Spots:
        gone, names = self._positions(job)
        put_in = tuple(
            In(name, one.size, None if isinstance(one, Kind) else one)
            for name, one in zip(names, job.add, strict=True)
        )
        return Spots(
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
        filling = Arranging(spots, total).arranged(Counter(sizes), total, 0)
        if filling is not None and (best is None or filling.uneven < best[0]):
            best = (filling.uneven, sorted(gone), list(filling.new))
    assert best is not None, "a choice fits its board"
    return best[1], best[2]
