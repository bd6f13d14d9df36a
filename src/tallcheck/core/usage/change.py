"""Did more memory help: two usage logs of one machine, before and after, over like hours.

A quiet Friday after the work tells nothing against a busy Monday before it. So only hours of use
are held against each other that both logs have (the hour of the day, on a working day or at the
weekend), and each such hour counts alike on both sides. Days differ from each other more than the
hours within them tell, so days are what is counted (Welch's interval over days).
"""

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from tallcheck.core.usage.figures import swapping_of
from tallcheck.core.usage.finding import BRIEF
from tallcheck.core.usage.hours import hours_of_use
from tallcheck.core.usage.intervals import correlation_time
from tallcheck.core.usage.log import DAY, HOUR, Floats, Log, weights_of
from tallcheck.core.usage.summary import TIGHT, Change, Span, UsageChange
from tallcheck.core.values.quantities import format_share

_BLOCK_LEAST, _TIMES = 900.0, 3.0
_DAYS_LEAST = 3
_DAYS_DIFFER = 0.05
"""The standard deviation between days where a log has too few to tell: a rule of thumb."""
_WEEKEND = 24  # its hours are counted after those of working days


class _Side(Struct):
    """One log over its hours of use."""

    cells: NDArray[np.int64]
    """The like hour of each sample: 0 to 23 on working days, 24 to 47 at the weekend."""
    days: NDArray[np.int64]
    elapsed: Floats
    weights: Floats
    shares: Floats
    swapping: Floats | None
    stall: Floats | None

    def hours(self) -> Floats:
        """Seconds in each like hour."""
        found = np.bincount(self.cells, weights=self.weights, minlength=2 * _WEEKEND)
        return found.astype(np.float64)


class _Mean(Struct):
    """A mean over time, the variance of that, and the degrees of freedom behind it."""

    value: float
    variance: float
    freedom: float


def _side(log: Log) -> _Side:
    weights = weights_of(log.time)
    used, _ = hours_of_use(log, weights)
    local = log.local()[used]
    weekend = ((local // DAY + 3) % 7) >= 5
    cells = (local // HOUR % 24).astype(np.int64) + _WEEKEND * weekend.astype(np.int64)
    total, available = log.columns["memory_total"], log.columns["memory_available"]
    swapping, stall = swapping_of(log, weights), log.get("memory_stall")
    spent = weights[used]
    return _Side(
        cells, (local // DAY).astype(np.int64), np.cumsum(spent) - spent, spent,
        ((total - available) / total)[used],
        swapping[used].astype(np.float64) if swapping is not None else None,
        np.nan_to_num(stall[used]) if stall is not None else None,
    )  # fmt: skip


def compare(before: Log, after: Log) -> UsageChange:
    """Share in use, swapping and stalling before and after, with 95 % intervals."""
    one, other = _side(before), _side(after)
    had, have = one.hours(), other.hours()
    like = np.minimum(had, have)
    seconds = float(like.sum())
    if seconds < BRIEF:
        text = "The logs have too few like hours in use to tell whether it helped."
        return UsageChange(None, text, seconds, ())
    measures = []
    for label, left, right in (
        ("memory in use", one.shares, other.shares),
        ("time with swapping", one.swapping, other.swapping),
        ("waiting for memory", one.stall, other.stall),
    ):
        if left is not None and right is not None:
            pair = _mean(left, one, like, had), _mean(right, other, like, have)
            measures.append((label, *pair))
    pressed = [
        label for label, was, _ in measures
        if was.value > (TIGHT if label == "memory in use" else 0.01)
    ]  # fmt: skip
    changes = tuple(_change(*measure, 0.95) for measure in measures)
    # of several measures, one may differ by chance: each is asked to be the more certain
    sure = 1 - 0.05 / max(len(pressed), 1)
    helped, text = _judged([_change(*one, sure) for one in measures], pressed)
    return UsageChange(helped, text, seconds, changes)


def _mean(values: Floats, side: _Side, like: Floats, have: Floats) -> _Mean:
    """The mean over like hours, each hour weighted as on the other side."""
    scale = np.divide(like, have, out=np.zeros_like(like), where=have > 0)
    weights = side.weights * scale[side.cells]
    block = max(_BLOCK_LEAST, _TIMES * correlation_time(values, float(np.median(side.weights))))
    within = _over(values, weights, (side.elapsed // block).astype(np.int64))
    days = _over(values, weights, side.days)
    if days.freedom + 1 >= _DAYS_LEAST:
        return days if days.variance >= within.variance else within
    between = _DAYS_DIFFER**2 / (days.freedom + 1)
    return _Mean(within.value, within.variance + between, max(within.freedom, 1.0))


def _over(values: Floats, weights: Floats, blocks: NDArray[np.int64]) -> _Mean:
    """The mean and its variance, by how the blocks differ."""
    _, names = np.unique(blocks, return_inverse=True)
    spans = np.bincount(names, weights=weights)
    sums = np.bincount(names, weights=weights * values)
    sums, spans = sums[spans > 0], spans[spans > 0]
    value, count = float(sums.sum() / spans.sum()), len(spans)
    if count < 2:
        return _Mean(value, 0.0, 0.0)
    rest = sums - value * spans
    variance = float((rest**2).sum()) * count / (count - 1) / float(spans.sum()) ** 2
    return _Mean(value, variance, float(count - 1))


def _change(label: str, was: _Mean, now: _Mean, sure: float) -> Change:
    both = was.variance + now.variance
    parts = [one.variance**2 / one.freedom for one in (was, now) if one.freedom]
    freedom = both**2 / sum(parts) if sum(parts) else 1.0
    return Change(
        label, _span(was.value, was.variance, was.freedom, sure),
        _span(now.value, now.variance, now.freedom, sure),
        _span(now.value - was.value, both, freedom, sure, -1.0),
    )  # fmt: skip


def _span(value: float, variance: float, freedom: float, sure: float, least: float = 0.0) -> Span:
    from scipy.special import stdtrit  # the quantiles of Student's t

    reach = float(stdtrit(max(freedom, 1.0), (1 + sure) / 2)) * variance**0.5
    return Span(value, max(value - reach, least), min(value + reach, 1.0))


def _judged(changes: list[Change], pressed: list[str]) -> tuple[bool | None, str]:
    """Whether it helped: less pressure where there was some, beyond chance."""
    if not pressed:
        return False, "Memory was not short before, so more of it could not help."
    relieved = [one for one in changes if one.label in pressed and one.difference.high < 0]
    worse = [one for one in changes if one.difference.low > 0]
    if relieved:
        return True, "It helped: " + "; ".join(map(_change_text, relieved)) + "."
    if worse:
        return False, "It did not help: " + "; ".join(map(_change_text, worse)) + "."
    return None, "Whether it helped cannot be told yet: the difference is within chance."


def _change_text(one: Change) -> str:
    return f"{one.label} {format_share(one.before.value)} before, {format_share(one.after.value)}"
