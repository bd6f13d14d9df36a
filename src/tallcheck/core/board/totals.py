"""Memory totals that a machine can be given: what its positions can be filled to.

One function says what a wanted total comes to; the answer's target and the total of a plan both
come from it. Where the positions are known it is the total of the cheapest plan that reaches it:
even channels where these take at most half as many gigabytes more, then the fewest gigabytes
bought, then the fewest modules, then the least that comes out.
"""

from bisect import bisect_left
from collections import Counter
from functools import lru_cache
from math import gcd
from typing import Any

from msgspec import Struct, structs

from tallcheck.core.board.account import Account
from tallcheck.core.board.arranging import Arranging, Spot
from tallcheck.core.machine.amounts import HOST_STEP, ROUND_TOTALS
from tallcheck.core.machine.modules import ANY_TYPE
from tallcheck.core.machine.sheet import POSITIONS_MOST
from tallcheck.core.values.either import at_or_above
from tallcheck.core.values.quantities import MIB

UNIT = 64 * MIB
"""The grain in which totals are counted."""

CEILING, POSITIONS = "ceiling", "positions"
"""Why a total cannot be built, where modules can go in."""


_PAIRED_MOST = 8
"""Positions up to which fillings of equal pairs are looked for."""


class Filled(Struct, frozen=True):
    """What filling positions comes to: the total, and the bytes bought for it."""

    total: int
    bought: int


class Total(Struct, frozen=True):
    """The total that reaches what is wanted, or None with the reason why not."""

    bytes: int | None
    why_not: str = ""
    filled: Filled | None = None
    """How, where the positions are known."""


def cheapest_total(account: Account, wanted: float, ceiling: int | None) -> Total:
    """The total of the cheapest plan of at least ``wanted`` bytes."""
    if account.virtual:
        return Total(-(-int(wanted) // HOST_STEP) * HOST_STEP)
    if ceiling is not None and wanted > ceiling:
        return Total(None, CEILING)
    if not counted(account):
        total = int(at_or_above(round_totals(account), float(wanted)))
        return Total(total if ceiling is None else min(total, ceiling))
    if account.closed is not None:
        return Total(None, account.closed.what)
    if not account.sizes:
        return Total(None, POSITIONS)  # no module is as small as its positions take
    if account.listed:
        filled = menu_of(account, wanted, ceiling).cheapest(wanted)
        return Total(None, POSITIONS) if filled is None else Total(filled.total, filled=filled)
    return _smallest(account, wanted, ceiling)


def surely_built(account: Account, total: int) -> bool:
    """Whether a total can be built of modules no larger than the board is known to take."""
    largest = account.known_largest
    if largest is None:
        return True
    sure = structs.replace(account, sizes=tuple(one for one in account.sizes if one <= largest))
    return cheapest_total(sure, total, total).bytes == total


def counted(account: Account) -> bool:
    """Whether anything is known of how many positions there are."""
    told = account.slots is not None or (account.listed and not account.full_and_soldered)
    return told or not account.sizes


def round_totals(account: Account) -> list[float]:
    """Totals where the positions are not known: 1 or 3 of a size, of modules that there are."""
    return [float(one) for one in ROUND_TOTALS if one % account.sizes[0] == 0]


def most_total(account: Account, ceiling: int | None) -> float:
    """The largest total that can be built; infinite where nothing limits it."""
    if account.virtual:
        return float("inf")
    most = float("inf") if ceiling is None else ceiling
    if not counted(account):
        return most
    return min(max(sum(max(each) for each in _choices(account)), account.fitted), most)


# --- where it is only known how many positions there are -----------------------------------


def _choices(account: Account) -> list[frozenset[int]]:
    """What each position can hold: a soldered one what it does, another any size there is."""
    if not account.listed:
        free = frozenset({0, *account.sizes})
        return [free] * min(account.slots or 0, POSITIONS_MOST)
    return [
        frozenset({one.size} if one.fixed else {0, one.size, *account.sizes})
        for one in account.positions
    ]


def _smallest(account: Account, wanted: float, ceiling: int | None) -> Total:
    choices = _choices(account)
    largest = max(max(each) for each in choices)
    most = ceiling if ceiling is not None else int(wanted) + ANY_TYPE[1]
    enough = min(most, int(wanted) + largest)
    if wanted > enough or wanted > sum(max(each) for each in choices):
        return Total(None, POSITIONS)
    first = -(-int(wanted) // UNIT)
    above = _built(tuple(choices), enough) >> first
    if not above:
        return Total(None, POSITIONS)
    return Total((first + (above & -above).bit_length() - 1) * UNIT)


@lru_cache(maxsize=4096)
def _built(choices: tuple[frozenset[int], ...], most: int) -> int:
    """Every total up to ``most`` bytes, as a number whose bit n stands for n units."""
    reached = 1
    limit = (1 << (most // UNIT + 1)) - 1
    for each in choices:
        step = 0
        for size in each:
            step |= reached << (size // UNIT)
        reached = step & limit
    return reached


# --- where the positions are known ---------------------------------------------------------


_Ranked = tuple[int, int, int, Filled]
"""A filling behind what it is ranked by."""


class Menu:
    """What reaches each total at the least expense, on one board.

    ``spots`` the positions, ``sizes`` what can be bought, ``limit`` the most in all, ``enough``
    the largest total that will be asked for.
    """

    def __init__(
        self, spots: tuple[Spot, ...], sizes: tuple[int, ...], limit: int | None, enough: int
    ) -> None:
        self._places = Arranging(list(spots), limit)
        # the cheapest buys at most twice what is asked for, or one of the smallest; even channels
        # half as much again
        most = 3 * max([enough, *sizes[:1]])
        self._sizes, self._limit = tuple(one for one in sizes if one <= most), limit
        self._unit = gcd(*self._sizes) if self._sizes else 1
        self._most = min(most, max(self._sizes, default=0) * len(self._places.open))
        self._plain = _steps(self._fillings())
        # pairs stand for channels that are not known, but are worth no gigabyte more
        known = self._places.known
        self._even = _steps(self._even_fillings() if known else self._paired_fillings())
        self._worth = (3, 2) if self._places.even_channels() else (1, 1)

    def cheapest(self, wanted: float) -> Filled | None:
        """What reaches a total; None where nothing does."""
        plain, even = _at(self._plain, wanted), _at(self._even, wanted)
        more, than = self._worth
        if plain is None or (even is not None and than * even.bought <= more * plain.bought):
            return even
        return plain

    def breaks(self) -> list[int]:
        """The totals beyond each of which something else is the cheapest."""
        return sorted({one.total for one in (*self._plain, *self._even)})

    def _fewest(self, count: int) -> dict[int, int]:
        """By bytes bought the fewest modules that hold as many, up to ``count`` of them."""
        fewest, reached, seen = {0: 0}, 1, 1
        limit = (1 << (self._most // self._unit + 1)) - 1
        for number in range(1, count + 1):
            step = 0
            for size in self._sizes:
                step |= reached << (size // self._unit)
            reached = step & limit
            new, seen = reached & ~seen, seen | reached
            while new:
                lowest = new & -new
                fewest[(lowest.bit_length() - 1) * self._unit] = number
                new ^= lowest
        return fewest

    def _fillings(self) -> list[_Ranked]:
        """By bytes bought, with the most that can stay beside them."""
        found = []
        for bought, count in self._fewest(len(self._places.open)).items():
            total = self._places.best_total(count, bought, 0) if bought else None
            if total is not None:
                found.append((bought, count, -total, Filled(total, bought)))
        return found

    def _even_fillings(self) -> list[_Ranked]:
        """Those with the same in each of several channels."""
        reached: dict[int, tuple[int, int]] | None = None
        channels = self._places.even_channels()
        for channel in channels:
            own: dict[int, tuple[int, int]] = {}
            fewest = self._fewest(len(channel.at))
            for _, staying, kept, _ in channel.stays:
                for bought, count in fewest.items():
                    if staying + count <= len(channel.at):
                        total = channel.soldered + kept + bought
                        own[total] = min(own.get(total, (bought, count)), (bought, count))
            if reached is None:
                reached = own
            else:
                reached = {
                    total: (reached[total][0] + bought, reached[total][1] + count)
                    for total, (bought, count) in own.items() if total in reached
                }  # fmt: skip
        return [
            (bought, count, -each, Filled(each * len(channels), bought))
            for each, (bought, count) in (reached or {}).items()
            if bought and (self._limit is None or each * len(channels) <= self._limit)
        ]

    def _paired_fillings(self) -> list[_Ranked]:
        """Those of equal pairs, on a board with few positions whose channels are not known."""
        positions = len(self._places.spots)
        if positions > _PAIRED_MOST:
            return []
        stuck = Counter(one.size for one in self._places.spots if one.fixed)
        loose = Counter(one.size for one in self._places.spots if one.size and not one.fixed)
        most = self._most + sum(one.size for one in self._places.spots)
        states: dict[tuple[int, int], tuple[int, int]] = {(0, 0): (0, 0)}
        for size in sorted({*self._sizes, *stuck, *loose}):
            after: dict[tuple[int, int], tuple[int, int]] = {}
            for count in range(0, positions + 1, 2):
                new = max(count - stuck[size] - loose[size], 0)
                if count < stuck[size] or (new and size not in self._sizes):
                    continue
                for (used, total), (bought, number) in states.items():
                    key = (used + count, total + count * size)
                    way = (bought + new * size, number + new)
                    if key[0] <= positions and key[1] <= most:
                        after[key] = min(after.get(key, way), way)
            states = after
        return [
            (bought, number, -total, Filled(total, bought))
            for (_, total), (bought, number) in states.items()
            if bought and (self._limit is None or total <= self._limit)
        ]


def _steps(fillings: list[_Ranked]) -> list[Filled]:
    """Of fillings by their rank those that reach more than all before them."""
    found: list[Filled] = []
    for *_, one in sorted(fillings, key=lambda each: each[:3]):
        if not found or one.total > found[-1].total:
            found.append(one)
    return found


def _at(steps: list[Filled], wanted: float) -> Filled | None:
    at = bisect_left(steps, wanted, key=lambda one: one.total)
    return steps[at] if at < len(steps) else None


def menu_of(account: Account, enough: float, limit: int | None) -> Menu:
    """What can be built on a board whose positions are known, up to ``enough`` bytes."""
    spots, sizes, most = _board(account, limit)
    return _menu(spots, sizes, most, 1 << int(enough).bit_length())


def _board(
    account: Account, limit: int | None
) -> tuple[tuple[Spot, ...], tuple[int, ...], int | None]:
    """Positions and sizes, and the most in all where it is less than these could hold."""
    reach = sum(max(each) for each in _choices(account))
    # boards that differ only in which position holds what are the same
    spots = sorted(account.spots(), key=lambda one: (one.channel or "", one.size, one.fixed))
    return tuple(spots), account.sizes, None if limit is None or limit >= reach else limit


_menu = lru_cache(maxsize=8192)(Menu)


# --- for arrays ----------------------------------------------------------------------------


def all_that_decides(account: Account) -> tuple[Any, ...]:
    """All that decides which totals come out where the ceiling is that of the account."""
    if not counted(account):
        return ("open", account.sizes[0])
    if account.closed is not None or not account.sizes:
        return ("closed",)
    if not account.listed:
        return tuple(_choices(account))
    return _board(account, account.ceiling)


def built_table(account: Account, most: float, ceiling: int | None) -> Any:
    """For each number of units the total that reaches as many; NaN where none does, and at the end.

    An array of bytes, at least up to ``most``, of an account of which the positions are known, or
    how many there are.
    """
    import numpy as np

    if account.closed is not None or not account.sizes or not counted(account):
        return np.array([np.nan])
    if not account.listed:
        return _smallest_table(tuple(_choices(account)), most)
    menu = menu_of(account, most, ceiling)
    breaks = menu.breaks()
    units = np.arange(-(-int(most) // UNIT) + 1, dtype=np.float64) * UNIT
    filled = [menu.cheapest(one) for one in breaks]
    totals = np.array([np.nan if one is None else float(one.total) for one in filled] + [np.nan])
    return np.append(totals[np.searchsorted(np.array(breaks), units)], np.nan)


@lru_cache(maxsize=4096)
def _smallest_table(choices: tuple[frozenset[int], ...], most: float) -> Any:
    import numpy as np

    largest = max(max(each) for each in choices)
    top = min(1 << (int(most) + largest).bit_length(), sum(max(each) for each in choices))
    reached = _built(choices, top)
    raw = reached.to_bytes(reached.bit_length() // 8 + 1, "little")
    bits = np.unpackbits(np.frombuffer(raw, dtype=np.uint8), bitorder="little")
    totals = np.append(np.flatnonzero(bits).astype(np.float64) * UNIT, np.nan)
    return totals[np.append(0, np.cumsum(bits, dtype=np.int64))]
