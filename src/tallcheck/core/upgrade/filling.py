"""Which modules stay, which come out and which go in: the exact search over a board's positions.

In order: the target is reached, the cost is least, the new modules are fewest, the channels are
filled evenly, the total is most. A module comes out only where its position is needed or the
limit would be passed: no plan leaves a position empty that a module taken out could go back to.

Target, cost and number are exact on every board, and evenness on every board of up to eight
positions; beyond, where the ways to fill the channels are too many to try, the new modules go one
by one, largest first, into the channel that holds least.
"""

from bisect import bisect_left
from collections import Counter
from collections.abc import Iterator
from itertools import product
from math import gcd

from msgspec import Struct

from tallcheck.core.upgrade import tables
from tallcheck.core.upgrade.tables import NEVER, Table

_VECTORS_MOST = 500  # equally good choices of sizes that are compared for evenness
_SMALL = 8  # positions up to which every way to fill the channels is tried
_STEPS_MOST = 20_000  # on larger boards: steps in trying them, for one board
_PURE_MOST = 2_000_000  # steps from which numpy is worth its import


class Spot(Struct, frozen=True):
    """One memory position: its channel if known, the bytes in it, whether they are soldered."""

    size: int = 0
    channel: str | None = None
    fixed: bool = False


class Filling(Struct, frozen=True):
    """What to put into each position. ``cost`` in the unit of the offers' costs.

    ``kept`` tells for each position whether what sits in it stays; ``new`` is the size that goes
    in, 0 for none. ``uneven`` is the difference between the fullest and the emptiest channel.
    """

    kept: tuple[bool, ...]
    new: tuple[int, ...]
    total: int
    cost: int
    uneven: int

    @property
    def count(self) -> int:
        """How many modules go in."""
        return sum(1 for size in self.new if size)


class _Channel(Struct):
    at: list[int]  # the positions that can be changed
    soldered: int
    sizes: Counter[int]  # of the modules in it that can come out
    stays: list[tuple[tuple[tuple[int, int], ...], int, int, int]] = []
    """Every choice of what stays: sizes with counts, modules, bytes, least size that comes out."""


class _TooManyError(Exception):
    """The ways to fill the channels are too many to try."""


_State = tuple[tuple[int, ...], int, int, int]  # new ones left, bytes and modules kept, least out
_Fill = tuple[tuple[tuple[int, int], ...], tuple[int, ...]]  # what stays in a channel, what goes in
_Way = tuple[int, int, tuple[_Fill, ...]]  # emptiest and fullest channel so far, and the way there


class Search:
    """All that can be built on a board from some offers, found once and asked several times.

    ``costs`` has for each size what one module, two … of it cost together.
    """

    def __init__(
        self, spots: list[Spot], costs: dict[int, list[int]], limit: int | None = None
    ) -> None:
        self._spots = spots
        self._open = [at for at, spot in enumerate(spots) if not spot.fixed]
        self._soldered = sum(spot.size for spot in spots if spot.fixed)
        self._removable = Counter(spots[at].size for at in self._open if spots[at].size)
        self._costs = {size: costs[size][: len(self._open)] for size in sorted(costs)}
        self._sizes = list(self._costs)
        self._unit = gcd(*self._sizes) if self._sizes else 1
        most = max(self._sizes, default=0) * len(self._open)
        if limit is not None:
            most = min(most, max(limit - self._soldered, 0))
        self._limit = limit
        self._most = most // self._unit
        self._steps = _STEPS_MOST
        self._channels = self._by_channel()
        self._tables = self._build()
        self._kept = self._kept_sums()

    def _build(self) -> list[Table]:
        """Per size, cheapest cost by number of modules and units, of that size and smaller ones."""
        width, height = self._most + 1, len(self._open) + 1
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

    def _kept_sums(self) -> list[list[int]]:
        """For each number of new modules, the sums that the modules which stay can have."""
        by_count: list[set[int]] = [set() for _ in range(len(self._open) + 1)]
        by_count[0].add(0)
        for size, count in self._removable.items():
            for _ in range(count):
                for number in range(len(self._open), 0, -1):
                    by_count[number] |= {total + size for total in by_count[number - 1]}
        sums: list[list[int]] = []
        reached: set[int] = set()
        for found in by_count:
            reached |= found
            sums.append(sorted(reached))
        return sums[::-1]

    def _best_total(self, count: int, added: int, least: int) -> int | None:
        """The most bytes with ``added`` in ``count`` new modules; None under ``least``."""
        kept = self._kept[count]
        base = self._soldered + added
        if self._limit is None:
            total = base + kept[-1]
        else:
            at = bisect_left(kept, self._limit - base + 1) - 1
            if at < 0:
                return None
            total = base + kept[at]
        return total if total >= least else None

    def _reached(self, least: int) -> Iterator[tuple[int, int, int, int]]:
        """Cost, count, added bytes and most total of all that reaches ``least``."""
        for count, row in enumerate(self._tables[-1]):
            for units, cost in enumerate(row):
                if cost != NEVER:
                    added = units * self._unit
                    total = self._best_total(count, added, least)
                    if total is not None:
                        yield int(cost), count, added, total

    def most(self) -> int:
        """The largest total that can be built, in bytes; 0 where nothing can."""
        return max((total for *_, total in self._reached(0)), default=0)

    def best(self, target: int, even_first: bool = False) -> Filling | None:
        """The best filling that reaches ``target`` bytes, or None where there is none.

        ``even_first``: of those that cost the same, evenness counts before few modules.
        """
        found = list(self._reached(target))
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
                filling = self.arranged(sizes, target, cost)
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
        return self.arranged(sizes, -negative, cost)

    def matched(self, target: int) -> Filling | None:
        """The most even filling that reaches ``target`` with new modules of one size."""
        found = []
        for size, costs in self._costs.items():
            for count in range(1, len(costs) + 1):
                added = count * size
                if added > self._most * self._unit:
                    break
                if self._best_total(count, added, target) is not None:
                    filling = self.arranged({size: count}, target, costs[count - 1])
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

    # --- which position takes what ---------------------------------------------------------

    def _by_channel(self) -> list[_Channel]:
        """The channels; one for the whole board where some position's is not known."""
        known = all(spot.channel is not None for spot in self._spots)
        found: dict[str | None, _Channel] = {}
        for at, spot in enumerate(self._spots):
            name = spot.channel if known else None
            channel = found.setdefault(name, _Channel([], 0, Counter()))
            if spot.fixed:
                channel.soldered += spot.size
                continue
            channel.at.append(at)
            if spot.size:
                channel.sizes[spot.size] += 1
        for channel in found.values():
            channel.stays = tables.choices(channel.sizes)
        return list(found.values())

    def arranged(self, vector: dict[int, int], target: int, cost: int) -> Filling | None:
        """The most even, then largest filling with these new modules (size to count)."""
        try:
            return self._most_even(vector, target, cost)
        except _TooManyError:
            return self._one_by_one(vector, target, cost)

    def _most_even(self, vector: dict[int, int], target: int, cost: int) -> Filling | None:
        """The best way out of all ways to fill the channels."""
        sizes = [size for size in sorted(vector, reverse=True) if vector[size]]
        channels = self._channels
        states: dict[_State, list[_Way]] = {
            (tuple(vector[size] for size in sizes), 0, 0, 0): [(-1, -1, ())]
        }
        for number, channel in enumerate(channels):
            states = self._next_states(states, channel, sizes, number == len(channels) - 1)
        count = sum(vector.values())
        added = sum(size * number for size, number in vector.items())
        best: tuple[int, int, _Way] | None = None
        for (left, kept, kept_count, least_out), ways in states.items():
            total = self._soldered + added + kept
            if any(left) or total < target or (self._limit is not None and total > self._limit):
                continue
            back = least_out and len(self._open) - kept_count - count > 0
            if back and (self._limit is None or total + least_out <= self._limit):
                continue
            for way in ways:
                uneven = way[1] - way[0]
                if best is None or (uneven, -total) < best[:2]:
                    best = (uneven, -total, way)
        if best is None:
            return None
        return self._placed(channels, sizes, best[2][2], -best[1], cost, best[0])

    def _next_states(
        self, states: dict[_State, list[_Way]], channel: _Channel, sizes: list[int], last: bool
    ) -> dict[_State, list[_Way]]:
        """The states after one more channel is filled, each with the ways that may be best."""
        following: dict[_State, list[_Way]] = {}
        for (left, kept, kept_count, least_out), ways in states.items():
            for stay, number, stay_bytes, out in channel.stays:
                least = min(filter(None, (out, least_out)), default=0)
                for counts in _going_in(left, len(channel.at) - number, last):
                    self._count_steps(len(ways))
                    into = stay_bytes + sum(s * n for s, n in zip(sizes, counts, strict=True))
                    filled = channel.soldered + into
                    key = (
                        tuple(have - n for have, n in zip(left, counts, strict=True)),
                        kept + stay_bytes, kept_count + number, least,
                    )  # fmt: skip
                    for low, high, path in ways:
                        way = (
                            filled if low < 0 else min(low, filled), max(high, filled),
                            (*path, (stay, counts)),
                        )  # fmt: skip
                        _keep(following.setdefault(key, []), way)
        return following

    def _count_steps(self, steps: int) -> None:
        if len(self._spots) > _SMALL:
            self._steps -= steps
            if self._steps < 0:
                raise _TooManyError

    def _one_by_one(self, vector: dict[int, int], target: int, cost: int) -> Filling | None:
        """New modules largest first, each into the channel that holds least and has room."""
        count = sum(vector.values())
        added = sum(size * number for size, number in vector.items())
        total = self._best_total(count, added, target)
        if total is None:
            return None
        staying = self._staying(len(self._open) - count, total - self._soldered - added)
        channels = self._channels
        stays: list[Counter[int]] = [Counter() for _ in channels]
        sums = [channel.soldered for channel in channels]
        for size, number in sorted(staying.items(), reverse=True):
            for _ in range(number):
                at = min(
                    (at for at, one in enumerate(channels) if stays[at][size] < one.sizes[size]),
                    key=lambda at: sums[at],
                )
                stays[at][size] += 1
                sums[at] += size
        sizes = [size for size in sorted(vector, reverse=True) if vector[size]]
        goes = [[0] * len(sizes) for _ in channels]
        room = [len(one.at) - stays[at].total() for at, one in enumerate(channels)]
        for place, size in enumerate(sizes):
            for _ in range(vector[size]):
                at = min((at for at, free in enumerate(room) if free), key=lambda at: sums[at])
                goes[at][place] += 1
                room[at] -= 1
                sums[at] += size
        path = tuple(
            (tuple(stay.items()), tuple(go)) for stay, go in zip(stays, goes, strict=True)
        )  # fmt: skip
        return self._placed(channels, sizes, path, total, cost, max(sums) - min(sums))

    def _staying(self, most: int, wanted: int) -> Counter[int]:
        """At most ``most`` of the modules that can stay, ``wanted`` bytes in all, largest first."""
        ways: dict[tuple[int, int], Counter[int]] = {(0, 0): Counter()}
        for size in sorted(self._removable, reverse=True):
            for (number, total), way in list(ways.items()):
                for taken in range(1, min(self._removable[size], most - number) + 1):
                    reached = (number + taken, total + taken * size)
                    ways.setdefault(reached, way + Counter({size: taken}))
        return next(way for (_, total), way in ways.items() if total == wanted)

    def _placed(
        self, channels: list[_Channel], sizes: list[int], path: "tuple[_Fill, ...]", total: int,
        cost: int, uneven: int,
    ) -> Filling:  # fmt: skip
        kept = [spot.fixed for spot in self._spots]
        new = [0] * len(self._spots)
        for channel, (stays, counts) in zip(channels, path, strict=True):
            staying = Counter(dict(stays))
            going = [
                size for size, n in zip(sizes, counts, strict=True) for _ in range(n)
            ]  # fmt: skip
            free = []
            for at in channel.at:
                size = self._spots[at].size
                if size and staying[size]:
                    staying[size] -= 1
                    kept[at] = True
                else:
                    free.append(at)
            for at, size in zip(free, going, strict=False):
                new[at] = size
        return Filling(tuple(kept), tuple(new), total, cost, uneven)


def _keep(ways: list[_Way], way: _Way) -> None:
    """Add a way unless another one is as good: emptiest channel fuller, fullest emptier."""
    low, high, _ = way
    if any(one[0] >= low and one[1] <= high for one in ways):
        return
    ways[:] = [one for one in ways if not (low >= one[0] and high <= one[1])]
    ways.append(way)


def _going_in(left: tuple[int, ...], room: int, last: bool) -> Iterator[tuple[int, ...]]:
    """What of the modules that are left can go into ``room`` positions; all of it in the last."""
    if last:
        if sum(left) <= room:
            yield left
        return
    for counts in product(*(range(min(n, room) + 1) for n in left)):
        if sum(counts) <= room:
            yield counts
