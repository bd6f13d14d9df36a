"""Did more memory help: two usage logs of one machine, before and after, over like hours.

A quiet Friday after the work tells nothing against a busy Monday before it. So only hours of use
are held against each other that both logs have (the hour of the day, on a working day or at the
weekend), and each such hour counts alike on both sides.
"""

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from tallcheck.core.usage.finding import (
    BRIEF,
    DAY,
    HOUR,
    SWAP_RATE,
    Floats,
    Log,
    hours_of_use,
    typical_step,
    weights_of,
)
from tallcheck.core.usage.summary import TIGHT, Change, Span, UsageChange
from tallcheck.core.values.quantities import format_share

_BLOCK = 900.0  # a quarter of an hour: neighbouring samples are alike (Künsch 1989)
_RESAMPLES = 1000
_WEEKEND = 24  # its hours are counted after those of working days


class _Side(Struct):
    """One log over its hours of use."""

    cells: NDArray[np.int64]
    """The like hour of each sample: 0 to 23 on working days, 24 to 47 at the weekend."""
    blocks: NDArray[np.int64]
    weights: Floats
    shares: Floats
    swapping: Floats | None
    stall: Floats | None

    def hours(self) -> Floats:
        """Seconds in each like hour."""
        found = np.bincount(self.cells, weights=self.weights, minlength=2 * _WEEKEND)
        return found.astype(np.float64)


def _side(log: Log) -> _Side:
    step = typical_step(log.time)
    used, _ = hours_of_use(log, step)
    time = log.time[used]
    offset = log.offset if isinstance(log.offset, float) else log.offset[used]
    local = time + offset
    weekend = ((local // DAY + 3) % 7) >= 5
    cells = (local // HOUR % 24).astype(np.int64) + _WEEKEND * weekend.astype(np.int64)
    total, available = log.get("memory_total"), log.get("memory_available")
    assert total is not None
    assert available is not None
    swapped, stall = log.get("swapped_in"), log.get("memory_stall")
    return _Side(
        cells, ((time - time[0]) // _BLOCK).astype(np.int64), weights_of(log.time, step)[used],
        ((total - available) / total)[used],
        (np.nan_to_num(swapped[used]) / step > SWAP_RATE).astype(np.float64)
        if swapped is not None and step else None,
        np.nan_to_num(stall[used]) if stall is not None else None,
    )  # fmt: skip


def compare(before: Log, after: Log, seed: int = 1) -> UsageChange:
    """Share in use, swapping and stalling before and after, with 95 % intervals."""
    one, other = _side(before), _side(after)
    had, have = one.hours(), other.hours()
    like = np.minimum(had, have)
    seconds = float(like.sum())
    if seconds < BRIEF:
        text = "The logs have too few like hours in use to tell whether it helped."
        return UsageChange(None, text, seconds, ())
    random = np.random.default_rng(seed)
    changes = []
    for label, left, right in (
        ("memory in use", one.shares, other.shares),
        ("time with swapping", one.swapping, other.swapping),
        ("waiting for memory", one.stall, other.stall),
    ):
        if left is None or right is None:
            continue
        was, was_drawn = _mean(left, one, like, had, random)
        now, now_drawn = _mean(right, other, like, have, random)
        draws = now_drawn - was_drawn
        changes.append(
            Change(
                label, _span(was, was_drawn), _span(now, now_drawn), _span(now - was, draws, -1.0)
            )
        )
    helped, text = _judged(changes)
    return UsageChange(helped, text, seconds, tuple(changes))


def _mean(
    values: Floats, side: _Side, like: Floats, have: Floats, random: np.random.Generator
) -> tuple[float, Floats]:
    """The mean over like hours, each hour weighted as on the other side, and bootstrap draws."""
    scale = np.divide(like, have, out=np.zeros_like(like), where=have > 0)
    weights = side.weights * scale[side.cells]
    _, blocks = np.unique(side.blocks, return_inverse=True)
    sums = np.bincount(blocks, weights=weights * values)
    totals = np.bincount(blocks, weights=weights)
    kept = totals > 0
    sums, totals = sums[kept], totals[kept]
    count = len(sums)
    draws = random.multinomial(count, np.full(count, 1 / count), size=_RESAMPLES)
    drawn = draws @ totals
    means = np.divide(draws @ sums, drawn, out=np.zeros(_RESAMPLES), where=drawn > 0)
    return float(sums.sum() / totals.sum()), means


def _span(value: float, draws: Floats, least: float = 0.0) -> Span:
    low, high = np.percentile(draws, [2.5, 97.5])
    return Span(value, max(float(low), least), min(float(high), 1.0))


def _judged(changes: list[Change]) -> tuple[bool | None, str]:
    """Whether it helped: less pressure where there was some, beyond chance."""
    pressed = [
        one for one in changes
        if one.before.value > (TIGHT if one.label == "memory in use" else 0.01)
    ]  # fmt: skip
    better = [one for one in changes if one.difference.high < 0]
    worse = [one for one in changes if one.difference.low > 0]
    if not pressed:
        text = "Memory was not short before, so more of it could not help."
        return False, text
    relieved = [one for one in pressed if one in better]
    if relieved:
        return True, "It helped: " + "; ".join(map(_change_text, relieved)) + "."
    if worse:
        return False, "It did not help: " + "; ".join(map(_change_text, worse)) + "."
    return None, "Whether it helped cannot be told yet: the difference is within chance."


def _change_text(one: Change) -> str:
    return f"{one.label} {format_share(one.before.value)} before, {format_share(one.after.value)}"
