"""Which hours of a log are hours of use, and what a job at night does to it."""

from typing import Any

import numpy as np

from tallcheck.core.usage.log import HOUR, Flags, Floats, Ints, Log

_MORNING, _EVENING = 7, 20  # between them people work, outside jobs may run
_LEVEL = 4.0
"""Where the busiest hours are less than this many times the quietest, all are alike."""
_IDLE = 0.01  # of the cores
_MOSTLY = 0.8
_ENOUGH_DAY = 2 * HOUR


def hours_of_use(log: Log, hours: Ints, weights: Floats) -> tuple[Flags, str]:
    """Which samples lie in hours in which the machine is worked at, and how that was found.

    An hour is in use where the mean of its busy cores lies above the geometric mean of the 10th
    and the 95th percentile of all hours, so that neither a quiet night nor a job that is busier
    than people hides them. Where an hour's cores are not told, the same hour of other days tells.
    ``hours`` are those of the local clock.
    """
    busy = log.get("cores_busy")
    everything = np.ones(len(log.time), dtype=bool)
    if busy is None:
        return everything, "all of the log, for it does not tell how busy the cores were"
    first = int(hours.min())
    hours = hours - first
    count = int(hours.max()) + 1
    known = ~np.isnan(busy)
    here: Any = slice(None) if known.all() else known
    spans = np.bincount(hours[here], weights=weights[here], minlength=count)
    sums = np.bincount(hours[here], weights=(busy * weights)[here], minlength=count)
    told = spans > 0
    if count < 4 or not told.any():
        return everything, "all of the log"
    means = np.divide(sums, spans, out=np.zeros(count), where=told)
    cores = log.get("core_count")
    least = _IDLE * (float(np.nanmax(cores)) if cores is not None else 1.0)
    low, high = np.percentile(means[told], [10, 95])
    if high < least:
        return everything, "all of the log, for its cores were hardly worked at"
    if high < _LEVEL * low:
        return everything, "all of the log, for its cores were worked at alike all the time"
    used = means > max(float(np.sqrt(max(low, 0.0) * high)), least)
    there = np.bincount(hours, minlength=count) > 0
    used |= there & ~told & _as_on_other_days(used, told, first)
    spent, of = int((used & there).sum()), int(there.sum())
    if spent > 0.9 * of:
        return everything, "all of the log"
    return used[hours], f"the {spent} hours in which its cores were worked at, of {of}"


def _as_on_other_days(used: Flags, told: Flags, first: int) -> Flags:
    """Whether the same hour of the day is one of use, mostly; one that is never told counts."""
    of_day = (np.arange(len(used)) + first) % 24
    yes = np.bincount(of_day[told & used], minlength=24)
    all_told = np.bincount(of_day[told], minlength=24)
    return (yes * 2 >= all_told)[of_day]


def by_day(of_day: Ints) -> Flags:
    """Which hours of a day, 0 to 23, people work in."""
    found: Flags = (of_day >= _MORNING) & (of_day < _EVENING)
    return found


def night_job(day: Flags, used: Flags, pressed: Flags, weights: Floats) -> bool:
    """Whether memory is pressed at night only, while the machine is used by day as well."""
    total = float(weights[pressed].sum())
    if not total or float(weights[used & day].sum()) < _ENOUGH_DAY:
        return False
    return float(weights[pressed & ~day].sum()) > _MOSTLY * total


def pressed_a_day(days: Ints, used: Flags, pressed: Flags, weights: Floats) -> float:
    """Seconds in which memory is pressed on the median day of those with some use."""
    days = days - int(days.min())
    count = int(days.max()) + 1
    in_use = np.bincount(days, weights=weights * used, minlength=count) >= HOUR
    spans = np.bincount(days, weights=weights * pressed, minlength=count)
    return float(np.median(spans[in_use])) if in_use.any() else 0.0
