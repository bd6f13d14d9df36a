"""Ways to bring machines' memory to its target: what goes in and comes out, and where."""

from collections import Counter
from collections.abc import Iterator
from itertools import combinations, combinations_with_replacement, product
from typing import Any

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from tallcheck.core.board.account import Account, Position
from tallcheck.core.board.arranging import Arranging, Spot
from tallcheck.core.board.models import Offer
from tallcheck.core.fleet.columns import Ints
from tallcheck.core.machine.modules import (
    corrects_errors,
    family,
    form_of,
    is_load_reduced,
    is_registered,
)
from tallcheck.core.machine.sheet import Module

_OPEN_MOST = 8  # positions up to which every way to reach the target is a choice
_CHOICES_MOST = 400
USED = "used"
Sizes = tuple[int, ...]


class Kind(Struct, frozen=True):
    """A module as another board sees it."""

    size: int
    type: str | None
    form: str | None
    ecc: bool | None
    registered: bool | None
    load_reduced: bool | None = None

    def offer(self) -> Offer:
        """The same as an offer that costs nothing."""
        return Offer(
            USED, self.size, self.type, self.form, ecc=self.ecc, registered=self.registered,
            load_reduced=self.load_reduced, price=0,
        )  # fmt: skip


class Choice(Struct, frozen=True):
    """One way to bring a make-up to its target: the sizes that go in, the modules that come out."""

    add: Sizes
    out: tuple[Kind, ...]


def kind_of_module(module: Module) -> Kind:
    """What counts of a module for another board."""
    return Kind(
        module.size or 0, family(module.type), form_of(module.form), corrects_errors(module),
        is_registered(module), is_load_reduced(module),
    )  # fmt: skip


def choices_of(board: Account, target: int, sizes: list[int]) -> tuple[list[Choice], bool]:
    """Every way to the target that is not worse than another; and whether all were looked at.

    What is not needed for the target comes out, for it may be worth more in another machine;
    what no other machine takes goes back in the end.
    """
    fixed = sum(one.size for one in board.positions if one.fixed)
    slots = [one for one in board.positions if not one.fixed]
    there = [one.module for one in slots if one.module is not None and one.size]
    sold = [size for size in sizes if board.position_most is None or size <= board.position_most]
    complete = len(slots) <= _OPEN_MOST
    found: dict[Choice, None] = {}
    for count in range(1, min(len(slots), _OPEN_MOST) + 1):
        for add in combinations_with_replacement(sold, count):
            most = fixed + sum(add) + sum(one.size or 0 for one in there)
            if most < target or fixed + sum(add) - min(add) >= target:
                continue
            spare = float("inf") if board.limit is None else board.limit - fixed - sum(add)
            for kept in _kept(there, len(slots) - count, spare):
                staying = [one.size or 0 for one in kept]
                total = fixed + sum(add) + sum(staying)
                if total < target or total - min((*add, *staying)) >= target:
                    continue  # too little, or one fewer would do, bought or kept
                found[Choice(add, _missing(there, kept))] = None
            if len(found) > _CHOICES_MOST:
                return list(found), False
    return list(found), complete


def _kept(there: list[Module], room: int, spare: float) -> Iterator[list[Module]]:
    """What can stay in ``room`` positions and ``spare`` bytes, each make-up of sizes once."""
    groups: dict[int, list[Module]] = {}
    for one in there:
        groups.setdefault(one.size or 0, []).append(one)
    for counts in product(*(range(len(ones) + 1) for ones in groups.values())):
        free = room - sum(counts)
        left = spare - sum(size * count for size, count in zip(groups, counts, strict=True))
        if free >= 0 and left >= 0:
            yield [
                one for count, ones in zip(counts, groups.values(), strict=True)
                for one in ones[:count]
            ]  # fmt: skip


def _missing(there: list[Module], kept: list[Module]) -> tuple[Kind, ...]:
    left = Counter(map(kind_of_module, there)) - Counter(map(kind_of_module, kept))
    return tuple(sorted(left.elements(), key=repr))


def kind_text(kind: Kind) -> str:
    from tallcheck.core.values.quantities import format_memory

    return " ".join(filter(None, (format_memory(kind.size), kind.type, kind.form)))


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
