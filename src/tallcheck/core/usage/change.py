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
from tallcheck.core.usage.intervals import block_of, mean_over, reach_of
from tallcheck.core.usage.log import HOUR, Floats, Log, hours_of_use, spans_of, weights_of
from tallcheck.core.usage.summary import TIGHT, Change, Span, UsageChange
from tallcheck.core.values.quantities import format_share

_STEP_DAYS_LEAST = 3
_DAYS_DIFFER = 0.05
"""The standard deviation between days where a log has too few to tell: a rule of thumb."""
_ALIKE_MOST, _IDLE = 2.0, 0.05
"""Times as many busy cores from which on the work was another, and what counts as none."""
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
    busy: Floats | None
    """Cores busy."""

    def hours(self) -> Floats:
        """Seconds in each like hour."""
        found = np.bincount(self.cells, weights=self.weights, minlength=2 * _WEEKEND)
        return found.astype(np.float64)


class _Mean(Struct):
    """A mean over time, the variance of that, and how many blocks are behind it."""

    value: float
    variance: float
    count: int

    @property
    def freedom(self) -> int:
        """Degrees of freedom."""
        return self.count - 1


def _side(log: Log) -> _Side:
    weights = weights_of(log.time)
    hours = spans_of(log.local(), HOUR)
    used, _ = hours_of_use(log, hours, weights)
    days, of_day = np.divmod(hours[used], 24)
    weekend = ((days + 3) % 7) >= 5
    cells = of_day + _WEEKEND * weekend.astype(np.int64)
    total, available = log.columns["memory_total"], log.columns["memory_available"]
    swapping, stall = swapping_of(log, weights), log.get("memory_stall")
    busy = log.get("cores_busy")
    spent = weights[used]
    return _Side(
        cells, days, np.cumsum(spent) - spent, spent,
        ((total - available) / total)[used],
        swapping[used].astype(np.float64) if swapping is not None else None,
        np.nan_to_num(stall[used]) if stall is not None else None,
        np.nan_to_num(busy[used]) if busy is not None else None,
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
    if pressed and (unlike := _unlike_work(one, other, like, had, have)):
        helped, text = None, unlike
    return UsageChange(helped, text, seconds, changes)


def _unlike_work(one: _Side, other: _Side, like: Floats, had: Floats, have: Floats) -> str:
    """That the cores did another amount of work before and after; empty where they did not."""
    if one.busy is None or other.busy is None:
        return ""
    was, now = _mean(one.busy, one, like, had).value, _mean(other.busy, other, like, have).value
    if max(was, now) <= _ALIKE_MOST * max(min(was, now), _IDLE):
        return ""
    return (
        "Whether it helped cannot be told: the work was not alike. On average "
        f"{was:.1f} cores were busy before, {now:.1f} after, in the same hours."
    )


def _mean(values: Floats, side: _Side, like: Floats, have: Floats) -> _Mean:
    """The mean over like hours, each hour weighted as on the other side."""
    scale = np.divide(like, have, out=np.zeros_like(like), where=have > 0)
    weights = side.weights * scale[side.cells]
    block = block_of(values, side.weights)
    within = _Mean(*mean_over(values, weights, spans_of(side.elapsed, block)))
    days = _Mean(*mean_over(values, weights, side.days))
    if days.count >= _STEP_DAYS_LEAST:
        return days if days.variance >= within.variance else within
    between = _DAYS_DIFFER**2 / days.count
    return _Mean(within.value, within.variance + between, max(within.count, 2))


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
    reach = reach_of(variance, max(freedom, 1.0), sure)
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
