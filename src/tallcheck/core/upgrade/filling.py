"""Which modules to take: the exact search over what a board's positions can hold.

In order: the target is reached, the cost is least, the new modules are fewest, the channels are
filled evenly, the total is most. Target, cost and number are exact on every board.
"""

from collections import Counter
from collections.abc import Iterator
from math import gcd

from tallcheck.core.board import tables
from tallcheck.core.board.arranging import Arranging, Filling, Spot
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
