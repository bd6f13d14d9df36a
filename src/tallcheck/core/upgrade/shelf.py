"""What can be had for a board: of each size the cheapest way to one, two … modules."""

from itertools import accumulate

from msgspec import Struct

from tallcheck.core.board.account import Account, Why, why_not_usable
from tallcheck.core.board.models import Offer, PartsList

_GRAIN = 24
"""Bits of a size in which no module differs from another."""
_PRICE = 20
"""Bits for the bytes bought, in that grain, that stand below a price: they break its ties."""


class Rejected(Struct, frozen=True):
    """A module of the list that is not usable here, and why."""

    part: str
    why: Why


class Stack(Struct):
    """All that can be had of one size: single modules, cheapest first, or with kits each way."""

    singles: list[Offer]
    ways: list[tuple[Offer, ...]] | None = None
    """Where there are kits: what to buy for one module, two, and so on."""

    def __len__(self) -> int:
        return len(self.singles if self.ways is None else self.ways)

    def take(self, count: int) -> tuple[Offer, ...]:
        """What to buy for ``count`` modules, each kit once."""
        return tuple(self.singles[:count]) if self.ways is None else self.ways[count - 1]

    def costs(self, priced: bool) -> list[int]:
        """What one module, two … weigh together: their price, then the bytes bought."""
        if self.ways is None:
            return list(accumulate(_weight(one, priced) for one in self.singles))
        return [sum(_weight(one, priced) for one in bought) for bought in self.ways]


class Shelf(Struct):
    """The offers that fit, by size, and those that do not, with the reason."""

    by_size: dict[int, Stack]
    rejected: list[Rejected]
    priced: bool
    listed: bool

    @staticmethod
    def weight(bought: int) -> int:
        """What bytes bought weigh, where nothing is priced."""
        return bought >> _GRAIN

    def costs(self) -> dict[int, list[int]]:
        """What the search weighs, by size."""
        return {size: stack.costs(self.priced) for size, stack in self.by_size.items()}


def _cost(offer: Offer, priced: bool) -> int:
    return offer.price if priced and offer.price is not None else offer.size * offer.pack


def _weight(offer: Offer, priced: bool) -> int:
    bought = Shelf.weight(offer.size * offer.pack)
    return (offer.price or 0) << _PRICE | bought if priced else bought


def shelf_of(board: Account, parts: PartsList | None, least: int = 0) -> Shelf:
    """What of a list fits the board; without one, or where its type is unknown, what is sold.

    ``least``: only of modules that are at least so fast, in MT/s.
    """
    most = sum(1 for one in board.positions if not one.fixed)
    offers = () if parts is None else parts.offers
    priced = parts is not None and parts.priced
    reasons = [(one, why_not_usable(one, board, priced)) for one in offers]
    rejected = [Rejected(one.part, why) for one, why in reasons if why is not None]
    if parts is not None and board.type is not None:
        fitting = [one for one, why in reasons if why is None and (one.speed or 0) >= least]
        return Shelf(_stacks(fitting, board, priced, most), rejected, priced, True)
    kinds = {
        size: Stack([Offer("", size, board.type, board.form, least_speed(board))] * most)
        for size in board.sizes if board.limit is None or size <= board.limit
    }  # fmt: skip
    return Shelf(kinds, rejected, False, False)


def _stacks(offers: list[Offer], board: Account, priced: bool, most: int) -> dict[int, Stack]:
    slow = least_speed(board) or 0
    by_size: dict[int, list[Offer]] = {}
    for offer in offers:
        by_size.setdefault(offer.size, []).append(offer)
    return {size: stack_of(own, slow, priced, most) for size, own in by_size.items()}


def stack_of(offers: list[Offer], slow: int, priced: bool, most: int) -> Stack:
    """The cheapest ways to up to ``most`` modules of one size.

    ``slow``: a speed in MT/s that nothing should be under. Of what costs the same, what slows
    nothing down, then the slowest of those.
    """
    each = [
        one for one in offers
        for _ in range(min(-(-most // one.pack), most if one.stock is None else one.stock))
    ]  # fmt: skip
    if all(one.pack == 1 for one in each):
        each.sort(key=lambda o: (o.price or 0, (o.speed or 0) < slow, o.speed or 0))
        return Stack(each[:most])
    # for each number of modules the best way so far: its weight, and what is bought
    best: list[tuple[tuple[int, ...], tuple[Offer, ...]] | None] = [None] * (most + 1)
    best[0] = ((0, 0, 0, 0), ())
    for one in each:
        weight = (
            _cost(one, priced), one.pack, one.pack * ((one.speed or 0) < slow),
            one.pack * (one.speed or 0),
        )  # fmt: skip
        for count in range(most, 0, -1):
            before = best[max(count - one.pack, 0)]
            if before is None:
                continue
            sums = tuple(a + b for a, b in zip(before[0], weight, strict=True))
            known = best[count]
            if known is None or sums < known[0]:
                best[count] = (sums, (*before[1], one))
    return Stack([], [way[1] for way in best[1:] if way is not None])


def least_speed(board: Account) -> int | None:
    """The speed below which a new module would slow the rest: the board's, or the slowest one's."""
    if board.runs is not None:
        return board.runs
    speeds = [one.module.speed for one in board.positions if one.module and one.module.speed]
    return min(speeds, default=None)
