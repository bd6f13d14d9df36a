"""Which position takes what: modules that stay, and new ones, over the channels of a board.

A module comes out only where its position is needed or the limit would be passed: no filling
leaves a position empty that a module taken out could go back to. Evenness is exact on every board
of up to eight positions, and where channels are not known; beyond, where the ways to fill the
channels are too many to try, new modules go one by one, largest first, into the channel that holds
least.
"""

from bisect import bisect_left
from collections import Counter
from collections.abc import Iterator
from itertools import product

from msgspec import Struct

from tallcheck.core.board import tables

_SMALL = 8  # positions up to which every way to fill the channels is tried
_STEPS_MOST = 20_000  # on larger boards: steps in trying them, for one board


class Spot(Struct, frozen=True):
    """One memory position: its channel if known, the bytes in it, whether they are soldered."""

    size: int = 0
    channel: str | None = None
    fixed: bool = False


class Filling(Struct, frozen=True):
    """What to put into each position. ``cost`` in the unit of the offers' costs.

    ``kept`` tells for each position whether what sits in it stays; ``new`` is the size that goes
    in, 0 for none. ``uneven`` is the difference between the fullest and the emptiest channel; where
    channels are not known, by how much the modules, taken in pairs by size, differ.
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


class Channel(Struct):
    """The positions of one channel, and what can stay in them."""

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


class Arranging:
    """The positions of a board, and what can stay in them."""

    def __init__(self, spots: list[Spot], limit: int | None = None) -> None:
        self.spots = spots
        self.open = [at for at, spot in enumerate(spots) if not spot.fixed]
        self.soldered = sum(spot.size for spot in spots if spot.fixed)
        self._removable = Counter(spots[at].size for at in self.open if spots[at].size)
        self._limit = limit
        self._steps = _STEPS_MOST
        self.known = all(spot.channel is not None for spot in spots)
        self._channels = self._by_channel()
        self._kept = self._kept_sums()

    def _kept_sums(self) -> list[list[int]]:
        """For each number of new modules, the sums that the modules which stay can have."""
        by_count: list[set[int]] = [set() for _ in range(len(self.open) + 1)]
        by_count[0].add(0)
        for size, count in self._removable.items():
            for _ in range(count):
                for number in range(len(self.open), 0, -1):
                    by_count[number] |= {total + size for total in by_count[number - 1]}
        sums: list[list[int]] = []
        reached: set[int] = set()
        for found in by_count:
            reached |= found
            sums.append(sorted(reached))
        return sums[::-1]

    def best_total(self, count: int, added: int, least: int) -> int | None:
        """The most bytes with ``added`` in ``count`` new modules; None under ``least``."""
        kept = self._kept[count]
        base = self.soldered + added
        if self._limit is None:
            total = base + kept[-1]
        else:
            at = bisect_left(kept, self._limit - base + 1) - 1
            if at < 0:
                return None
            total = base + kept[at]
        return total if total >= least else None

    def even_channels(self) -> list[Channel]:
        """The channels, where they are known and several, so that evenness gains something."""
        return self._channels if self.known and len(self._channels) > 1 else []

    def _by_channel(self) -> list[Channel]:
        """The channels; one for the whole board where some position's is not known."""
        found: dict[str | None, Channel] = {}
        for at, spot in enumerate(self.spots):
            name = spot.channel if self.known else None
            channel = found.setdefault(name, Channel([], 0, Counter()))
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
        if not self.known and len(self.spots) > 1:
            return self._most_paired(vector, target, cost)
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
            total = self.soldered + added + kept
            room = len(self.open) - kept_count - count
            if any(left) or not self._allowed(total, target, room, least_out):
                continue
            for way in ways:
                uneven = way[1] - way[0]
                if best is None or (uneven, -total) < best[:2]:
                    best = (uneven, -total, way)
        if best is None:
            return None
        return self._placed(channels, sizes, best[2][2], -best[1], cost, best[0])

    def _allowed(self, total: int, target: int, room: int, least_out: int) -> bool:
        """Whether a total is one to take: reached, within the limit, and no module out for nothing.

        ``room`` positions are left, and ``least_out`` is the smallest module that comes out.
        """
        if room < 0 or total < target or (self._limit is not None and total > self._limit):
            return False
        back = least_out and room > 0
        return not back or (self._limit is not None and total + least_out > self._limit)

    def _most_paired(self, vector: dict[int, int], target: int, cost: int) -> Filling | None:
        """The filling nearest to pairs of equal modules, where channels are not known."""
        sizes = [size for size in sorted(vector, reverse=True) if vector[size]]
        new, (channel,) = Counter(vector), self._channels
        added = sum(new.elements())
        there = [*new.elements(), *(spot.size for spot in self.spots if spot.fixed)]
        best: tuple[int, int, _Fill] | None = None
        for stay, number, kept, least_out in channel.stays:
            total = self.soldered + added + kept
            room = len(self.open) - number - new.total()
            if self._allowed(total, target, room, least_out):
                uneven = _unpaired([*there, *Counter(dict(stay)).elements()])
                if best is None or (uneven, -total) < best[:2]:
                    best = (uneven, -total, (stay, tuple(vector[size] for size in sizes)))
        if best is None:
            return None
        return self._placed([channel], sizes, (best[2],), -best[1], cost, best[0])

    def _next_states(
        self, states: dict[_State, list[_Way]], channel: Channel, sizes: list[int], last: bool
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
        if len(self.spots) > _SMALL:
            self._steps -= steps
            if self._steps < 0:
                raise _TooManyError

    def _one_by_one(self, vector: dict[int, int], target: int, cost: int) -> Filling | None:
        """New modules largest first, each into the channel that holds least and has room."""
        count = sum(vector.values())
        added = sum(size * number for size, number in vector.items())
        total = self.best_total(count, added, target)
        if total is None:
            return None
        staying = self._staying(len(self.open) - count, total - self.soldered - added)
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
        self, channels: list[Channel], sizes: list[int], path: "tuple[_Fill, ...]", total: int,
        cost: int, uneven: int,
    ) -> Filling:  # fmt: skip
        kept = [spot.fixed for spot in self.spots]
        new = [0] * len(self.spots)
        for channel, (stays, counts) in zip(channels, path, strict=True):
            staying = Counter(dict(stays))
            going = [
                size for size, n in zip(sizes, counts, strict=True) for _ in range(n)
            ]  # fmt: skip
            free = []
            for at in channel.at:
                size = self.spots[at].size
                if size and staying[size]:
                    staying[size] -= 1
                    kept[at] = True
                else:
                    free.append(at)
            for at, size in zip(free, going, strict=False):
                new[at] = size
        return Filling(tuple(kept), tuple(new), total, cost, uneven)


def _unpaired(sizes: list[int]) -> int:
    """By how much modules differ, taken in pairs by size, in bytes."""
    ordered = sorted(sizes, reverse=True)
    return sum(ordered[0::2]) - sum(ordered[1::2])


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
