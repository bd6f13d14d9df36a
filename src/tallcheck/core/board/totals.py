"""Memory totals that a machine can be given: what its positions can be filled to.

One function says what the smallest total at or above a wanted one is; the answer's target and
the total of a plan both come from it.
"""

from functools import lru_cache
from typing import Any

from msgspec import Struct

from tallcheck.core.machine.amounts import HOST_STEP, ROUND_TOTALS
from tallcheck.core.machine.modules import (
    ANY_TYPE,
    family,
    module_sizes,
    one_type,
    position_count,
    soldered,
    types_of,
    unbuffered,
)
from tallcheck.core.machine.sheet import POSITIONS_MOST, Module
from tallcheck.core.values.either import at_or_above
from tallcheck.core.values.quantities import MIB

UNIT = 64 * MIB
"""The grain in which totals are counted."""

CEILING, SOLDERED, NO_POSITION, POSITIONS = "ceiling", "soldered", "no position", "positions"
"""Why a total cannot be built."""

Spot = tuple[int, bool, str | None]
"""What sits in a position: bytes, whether soldered, the type it takes where that is known."""


class MakeUp(Struct, frozen=True):
    """What of a machine's memory decides which totals can be built. Sizes in bytes.

    ``spots`` None: which modules there are is not known; ``slots`` None: nor how many positions.
    """

    spots: tuple[Spot, ...] | None = None
    slots: int | None = None
    position_most: int | None = None
    virtual: bool = False
    type: str | None = None
    unbuffered: bool = False
    """Whether its modules are known to be, which end at a smaller size."""

    @property
    def full_and_soldered(self) -> bool:
        """Whether all that is known is soldered, so that nothing says that more can be fitted."""
        return bool(self.spots) and all(fixed for _, fixed, _ in self.spots or ())


def makeup_of(
    modules: list[Module] | None, slots: int | None, most: int | None, virtual: bool,
    told_type: str | None = None,
) -> MakeUp:  # fmt: skip
    """The make-up of some positions; ``told_type`` where no module tells its type."""
    if virtual:
        return MakeUp(virtual=True)
    if modules is None:
        return MakeUp(None, slots, most, False, family(told_type))
    kind = one_type(types_of(modules)) or family(told_type)
    spots = tuple(
        (one.size or 0, soldered(one), family(one.type) if not one.size else None)
        for one in modules
    )
    if slots is None and not all(fixed for _, fixed, _ in spots):
        # a free position is assumed where none is listed; the answer says so
        slots = len(spots) + all(size for size, _, _ in spots)
    elif slots is not None:
        slots = position_count(modules, slots)
    return MakeUp(spots, slots, most, False, kind, unbuffered(modules))


class Total(Struct, frozen=True):
    """The smallest total that can be built, or None with the reason why not."""

    bytes: int | None
    why_not: str = ""


def smallest_total(board: MakeUp, wanted: float, ceiling: int | None) -> Total:
    """The smallest total of at least ``wanted`` bytes that can be built."""
    if board.virtual:
        return Total(-(-int(wanted) // HOST_STEP) * HOST_STEP)
    if ceiling is not None and wanted > ceiling:
        return Total(None, CEILING)
    if board.slots is None:
        total = int(at_or_above(ROUND_TOTALS, float(wanted)))
        return Total(total if ceiling is None else min(total, ceiling))
    spots = board.spots or ()
    if len(spots) >= board.slots and all(fixed for _, fixed, _ in spots):
        return Total(None, SOLDERED if spots else NO_POSITION)
    choices = _choices(board)
    most = ceiling if ceiling is not None else int(wanted) + ANY_TYPE[1]
    enough = min(most, int(wanted) + max(max(each) for each in choices))
    if wanted > enough or wanted > sum(max(each) for each in choices):
        return Total(None, POSITIONS)
    first = -(-int(wanted) // UNIT)
    above = built(choices, enough) >> first
    if not above:
        return Total(None, POSITIONS)
    return Total((first + (above & -above).bit_length() - 1) * UNIT)


def most_total(board: MakeUp, ceiling: int | None) -> float:
    """The largest total that can be built; infinite where nothing limits it."""
    if board.virtual or board.slots is None:
        return float("inf") if ceiling is None or board.virtual else ceiling
    return min(
        sum(max(each) for each in _choices(board)), float("inf") if ceiling is None else ceiling
    )


def _choices(board: MakeUp) -> list[frozenset[int]]:
    """What each position can hold: a soldered one what it does, another any size sold."""
    spots = board.spots or ()
    found = []
    for size, fixed, kind in spots:
        if fixed:
            found.append(frozenset({size}))
        else:
            found.append(frozenset({0, size, *_sold_for(board, kind or board.type)}))
    free = min(max((board.slots or 0) - len(spots), 0), POSITIONS_MOST)
    return found + [frozenset({0, *_sold_for(board, board.type)})] * free


def _sold_for(board: MakeUp, kind: str | None) -> tuple[int, ...]:
    return _sold(kind, board.position_most, board.unbuffered)


def fillable(board: MakeUp) -> tuple[tuple[int, ...], ...] | None:
    """All that decides which totals can be built: what each position can hold, in no order.

    None where the positions are not known; empty where nothing can be changed.
    """
    if board.slots is None:
        return None
    spots = board.spots or ()
    if len(spots) >= board.slots and all(fixed for _, fixed, _ in spots):
        return ()
    return tuple(sorted(tuple(sorted(each)) for each in _choices(board)))


@lru_cache(maxsize=256)
def _sold(kind: str | None, most: int | None, plain: bool) -> tuple[int, ...]:
    return tuple(size for size in module_sizes(kind, plain) if most is None or size <= most)


@lru_cache(maxsize=4096)
def _built(choices: tuple[frozenset[int], ...], most: int) -> int:
    reached = 1
    limit = (1 << (most // UNIT + 1)) - 1
    for each in choices:
        step = 0
        for size in each:
            step |= reached << (size // UNIT)
        reached = step & limit
    return reached


def built(choices: list[frozenset[int]], most: int) -> int:
    """Every total up to ``most`` bytes, as a number whose bit n stands for n units."""
    return _built(tuple(choices), most)


def built_table(choices: tuple[tuple[int, ...], ...], most: float) -> Any:
    """For each number of units the smallest total of as many to which positions can be filled.

    An array of bytes, at least up to ``most`` and a module more; NaN where nothing reaches, and
    at its end.
    """
    largest = max((max(each) for each in choices), default=0)
    return _table(choices, 1 << (int(most) + largest).bit_length())


@lru_cache(maxsize=4096)
def _table(choices: tuple[tuple[int, ...], ...], most: int) -> Any:
    import numpy as np

    top = min(most, sum(max(each) for each in choices))
    reached = built([frozenset(each) for each in choices], top)
    raw = reached.to_bytes(reached.bit_length() // 8 + 1, "little")
    bits = np.unpackbits(np.frombuffer(raw, dtype=np.uint8), bitorder="little")
    totals = np.append(np.flatnonzero(bits).astype(np.float64) * UNIT, np.nan)
    return totals[np.append(0, np.cumsum(bits, dtype=np.int64))]
