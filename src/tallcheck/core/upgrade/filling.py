"""Which modules to take, of each size the cheapest: the exact search over a board's positions.

In order: the target is reached, the cost is least, the new modules are fewest, the channels are
filled evenly, the total is most. Target, cost and number are exact on every board.
"""

from collections import Counter
from collections.abc import Iterator
from itertools import accumulate
from math import gcd

from msgspec import Struct

from tallcheck.core.board import tables
from tallcheck.core.board.account import Account, Why, why_not_usable
from tallcheck.core.board.arranging import Arranging, Filling, Spot
from tallcheck.core.board.models import Offer, PartsList
from tallcheck.core.board.tables import NEVER, Table

_VECTORS_MOST = 500  # equally good choices of sizes that are compared for evenness
_PURE_MOST = 2_000_000  # steps from which numpy is worth its import


class Search:
    """All that can be built on a board from some offers, found once and asked several times.

    ``costs`` has for each size what one module, two … of it cost together.
    """

    def __init__(
        self, spots: list[Spot], costs: dict[int, list[int]], limit: int | None = None
    ) -> None:
        self._places = Arranging(spots, limit)
        positions = len(self._places.open)
        self._costs = {size: costs[size][:positions] for size in sorted(costs)}
        self._sizes = list(self._costs)
        self._unit = gcd(*self._sizes) if self._sizes else 1
        most = max(self._sizes, default=0) * positions
        if limit is not None:
            most = min(most, max(limit - self._places.soldered, 0))
        self._most = most // self._unit
        self._tables = self._build()

    def _build(self) -> list[Table]:
        """Per size, cheapest cost by number of modules and units, of that size and smaller ones."""
        width, height = self._most + 1, len(self._places.open) + 1
        passes = sum(map(tables.passes_of, self._costs.values()))
        improve: tables.Improve = tables.better
        table: Table = [[NEVER] * width for _ in range(height)]
        table[0][0] = 0
        if passes * width * height > _PURE_MOST:
            import numpy as np

            table, improve = [np.array(row) for row in table], tables.better_array
        built = [table]
        for size, costs in self._costs.items():
            step = size // self._unit
            built.append(tables.with_size(built[-1], step, costs, improve))
        return [[row if isinstance(row, list) else row.tolist() for row in t] for t in built]

    def _reached(self, least: int) -> Iterator[tuple[int, int, int, int]]:
        """Cost, count, added bytes and most total of all that reaches ``least``."""
        for count, row in enumerate(self._tables[-1]):
            for units, cost in enumerate(row):
                if cost != NEVER:
                    added = units * self._unit
                    total = self._places.best_total(count, added, least)
                    if total is not None:
                        yield int(cost), count, added, total

    def most(self) -> int:
        """The largest total that can be built, in bytes; 0 where nothing can."""
        return max((total for *_, total in self._reached(0)), default=0)

    def best(
        self, target: int, even_first: bool = False, cost: int | None = None
    ) -> Filling | None:
        """The best filling that reaches ``target`` bytes, or None where there is none.

        ``even_first``: of those that cost the same, evenness counts before few modules; ``cost``:
        what it is to cost, where that is known.
        """
        found = [one for one in self._reached(target) if cost in (None, one[0])]
        if not found:
            return None
        cost, fewest = min((cost, count) for cost, count, _, _ in found)
        ties = sorted(
            (n, added) for c, n, added, _ in found if c == cost and (even_first or n == fewest)
        )
        fillings: list[Filling] = []
        tried = 0
        for count, added in ties:
            for sizes in self._vectors(len(self._sizes), count, added // self._unit, cost):
                filling = self._places.arranged(sizes, target, cost)
                if filling is not None:
                    fillings.append(filling)
                tried += 1
                if tried >= _VECTORS_MOST:
                    break
        return min(fillings, key=lambda one: (one.uneven, one.count, -one.total), default=None)

    def most_for_money(self, installed: int, target: int) -> Filling | None:
        """The filling that reaches ``target`` with the least cost for each byte gained."""
        gains = [
            (cost / (total - installed), -total, count, added, cost)
            for cost, count, added, total in self._reached(target)
            if total > installed and count
        ]
        if not gains:
            return None
        _, negative, count, added, cost = min(gains)
        sizes = next(self._vectors(len(self._sizes), count, added // self._unit, cost))
        return self._places.arranged(sizes, -negative, cost)

    def matched(self, target: int) -> Filling | None:
        """The most even filling that reaches ``target`` with new modules of one size."""
        found = []
        for size, costs in self._costs.items():
            for count in range(1, len(costs) + 1):
                added = count * size
                if added > self._most * self._unit:
                    break
                if self._places.best_total(count, added, target) is not None:
                    filling = self._places.arranged({size: count}, target, costs[count - 1])
                    if filling is not None:
                        found.append(filling)
        return min(
            found, key=lambda f: (f.uneven, f.cost, f.count, -f.total), default=None
        )  # fmt: skip

    def _vectors(self, layer: int, count: int, units: int, cost: int) -> Iterator[Counter[int]]:
        """Every choice of ``count`` sizes that adds up to the units and the cost."""
        if layer == 0:
            if count == units == cost == 0:
                yield Counter()
            return
        size = self._sizes[layer - 1]
        step = size // self._unit
        for taken in range(min(count, len(self._costs[size])) + 1):
            spent = self._costs[size][taken - 1] if taken else 0
            rest = units - taken * step
            if rest < 0:
                return
            if self._tables[layer - 1][count - taken][rest] == cost - spent:
                for vector in self._vectors(layer - 1, count - taken, rest, cost - spent):
                    yield vector + Counter({size: taken})


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
