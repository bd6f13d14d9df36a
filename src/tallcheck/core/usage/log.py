"""A usage log's columns, and its hours of use: who waits is told by when work begins."""

from typing import Any

import numpy as np
from msgspec import Struct, structs
from numpy.typing import NDArray

from tallcheck.core.usage.summary import Stretch

Floats = NDArray[np.floating[Any]]
Flags = NDArray[np.bool_]
Ints = NDArray[np.signedinteger[Any]]

HOUR, DAY, WEEK = 3600.0, 86400.0, 604800.0
_GAP = 3  # times the usual step
_OTHER_TOTAL = 0.05  # by how much a total differs that is no rounding
_CHANGES_MOST = 6  # beyond, memory comes and goes as on a virtual machine


class Log(Struct):
    """A usage log in order of time, as arrays of one length; NaN where a value is missing.

    ``time`` is seconds since 1970, ``offset`` seconds east of Greenwich; sizes are bytes.
    """

    time: Floats
    offset: Floats | float
    columns: dict[str, Floats]
    problems: tuple[str, ...] = ()
    growing: str | None = None
    holders: tuple[tuple[str, int], ...] = ()
    """Programs that hold most while memory is tight, with their bytes."""
    machine: str | None = None
    """The machine's name, where the log tells it."""

    def get(self, name: str) -> Floats | None:
        """A column, or None where it is missing or empty."""
        values = self.columns.get(name)
        return None if values is None or bool(np.isnan(values).all()) else values

    def local(self) -> Floats:
        """Seconds since 1970 by the local clock."""
        return self.time + self.offset

    def part(self, kept: Any) -> "Log":
        """The rows that an index or flags pick."""
        return structs.replace(
            self, time=self.time[kept], columns={n: v[kept] for n, v in self.columns.items()},
            offset=self.offset if isinstance(self.offset, float) else self.offset[kept],
        )  # fmt: skip


def spans_of(moments: Floats, span: float) -> Ints:
    """In which span of so many seconds each moment lies, counted from 0."""
    spans = moments / span  # several times as fast as //
    found: Ints = np.floor(spans, out=spans).astype(np.int64)
    return found


def typical_step(time: Floats) -> float:
    """The usual time between samples, in seconds."""
    return float(np.median(np.diff(time))) if len(time) > 1 else 0.0


def weights_of(time: Floats) -> Floats:
    """The seconds that each sample stands for: until the next one, but not over a gap.

    A gap is longer than three times the steps around it, so a step that changes is none.
    """
    if len(time) < 2:
        return np.zeros(len(time))
    steps = np.diff(time)
    long = np.flatnonzero(steps > _GAP * np.median(steps))
    if len(long):
        around = np.clip(long[:, None] + np.array([-2, -1, 1, 2]), 0, len(steps) - 1)
        usual = np.median(steps[around], axis=1)
        gap = steps[long] > _GAP * usual
        steps[long[gap]] = usual[gap]
    return np.append(steps, steps[-1])


def since_before(weights: Floats) -> Floats:
    """The seconds over which each sample's counters counted: since the one before."""
    return np.concatenate((weights[:1], weights[:-1]))


def present_of(log: Log) -> tuple[Log, Log | None]:
    """The part with the memory that the machine has in the end, and the part before, if any."""
    total = log.columns["memory_total"]
    jumps = np.flatnonzero(np.abs(np.diff(total)) > _OTHER_TOTAL * total[:-1]) + 1
    if not len(jumps) or len(jumps) > _CHANGES_MOST:
        return log, None
    at = int(jumps[-1])
    return log.part(slice(at, None)), log.part(slice(None, at))


_MORNING, _EVENING = 7, 19  # by day, whatever lies there is taken to be people's
_DEAD_OF_NIGHT, _DEAD_LEAST = (1, 2, 3, 4), 2
_LEVEL = 4.0
"""Where the busiest hours are less than this many times the quietest, all are alike."""
_IDLE = 0.01  # of the cores
_MOSTLY = 0.8
_ENOUGH_DAY = 2 * HOUR
_NOTABLE = 0.25  # of the hour with most
_HALF = 0.5
_MINUTE, _A_DAY = 60.0, 1440
_GOES_ON = 10  # minutes of work that are no accident
_DAYS_TOLD = 3
_EXACT, _LOOSE = 1.5, 4.0  # minutes
_MOST_DAYS = 75  # in a hundred: a job may be late at times


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


def stretch_apart(
    log: Log, of_day: Ints, used: Flags, pressed: Flags, weights: Floats
) -> Stretch | None:
    """The stretch of the day that has to be judged apart, None where there is none.

    People and jobs are told by when they begin: a job to the minute, people not. Where both begin
    alike, the clock tells a little: by day people are there, in the dead of night none of those
    who work by day; in between it cannot be told.
    """
    spans = np.bincount(of_day[pressed], weights=weights[pressed], minlength=24)
    if not spans.any():
        return None
    inside = _around(np.flatnonzero(spans > _NOTABLE * spans.max()))
    use = np.bincount(of_day[used], weights=weights[used], minlength=24)
    if spans[inside].sum() < _MOSTLY * spans.sum() or use[~inside].sum() < _ENOUGH_DAY:
        return None
    first = int(np.flatnonzero(inside & ~np.roll(inside, 1))[0])
    last = int(np.flatnonzero(inside & ~np.roll(inside, -1))[0] + 1) % 24
    beside = [(first - 1) % 24, last]
    if not used.all() and (use[beside] > _NOTABLE * use[~inside].max()).any():
        return None
    wide = inside | np.roll(inside, 1) | np.roll(inside, -1)  # who comes early is seen to
    own, others = _begins(log, of_day, wide), _begins(log, of_day, ~wide)
    if own > _LOOSE:
        return None
    if own <= _EXACT < others:
        return Stretch(first, last, True)
    hours = np.flatnonzero(inside)
    if np.mean((hours >= _MORNING) & (hours < _EVENING)) >= _HALF:
        return None
    return Stretch(first, last, int(np.isin(hours, _DEAD_OF_NIGHT).sum()) >= _DEAD_LEAST)


def _around(hours: Ints) -> Flags:
    """The shortest stretch of a day's cycle that has all of some hours."""
    gaps = np.diff(hours, append=hours[0] + 24)
    widest = int(np.argmax(gaps))
    first = int(hours[(widest + 1) % len(hours)])
    found: Flags = (np.arange(24) - first) % 24 <= 24 - int(gaps[widest])
    return found


def _begins(log: Log, of_day: Ints, inside: Flags) -> float:
    """By how many minutes the beginnings of work differ from day to day, 0 where days are few.

    The distance from the median that most days keep, of work that goes on for some minutes.
    """
    busy = log.get("cores_busy")
    if busy is None:
        return 0.0
    minutes = spans_of(log.local(), _MINUTE)
    at = minutes - int(minutes[0])
    if int(at[-1]) < _DAYS_TOLD * _A_DAY:
        return 0.0
    there = np.searchsorted(at, np.arange(int(at[-1]) + 1), side="right") - 1
    each = np.nan_to_num(busy)[there]  # in a gap what was last
    sums = np.cumsum(each)
    goes_on = (sums[_GOES_ON:] - sums[:-_GOES_ON]) / _GOES_ON
    low, high = np.percentile(each, [10, 95])
    level = np.sqrt(max(float(low), 0.01) * float(high))
    # days begin in the middle of the hours that are not looked at
    shift = int(np.flatnonzero(inside & ~np.roll(inside, 1))[0]) - int((~inside).sum()) // 2
    clock = np.arange(len(goes_on)) + int(minutes[0]) - 60 * shift
    hit = np.flatnonzero((goes_on > level) & (each[: len(goes_on)] > level)
                         & inside[of_day[there[: len(goes_on)]]])  # fmt: skip
    days, starts = np.unique(clock[hit] // _A_DAY, return_index=True)
    if len(days) < _DAYS_TOLD:
        return 0.0
    begins = clock[hit][starts] % _A_DAY
    return float(np.percentile(np.abs(begins - np.median(begins)), _MOST_DAYS))


def pressed_a_day(days: Ints, used: Flags, pressed: Flags, weights: Floats) -> float:
    """Seconds in which memory is pressed on the median day of those with some use."""
    days = days - int(days.min())
    count = int(days.max()) + 1
    in_use = np.bincount(days, weights=weights * used, minlength=count) >= HOUR
    spans = np.bincount(days, weights=weights * pressed, minlength=count)
    return float(np.median(spans[in_use])) if in_use.any() else 0.0
