"""Every figure of a usage log over its hours of use, and whether use grows."""

import itertools
from typing import Any

import numpy as np

from tallcheck.core.usage.intervals import p95_of, weighted_percentile
from tallcheck.core.usage.log import (
    DAY,
    HOUR,
    WEEK,
    Flags,
    Floats,
    Ints,
    Log,
    hours_of_use,
    pressed_a_day,
    since_before,
    spans_of,
    stretch_apart,
    weights_of,
)
from tallcheck.core.usage.summary import Figures, Span, Step

_DAYS_LEAST, _WEEKS = 14, 20  # days with a median, and days from first to last
_DRAWS = 500
_BEYOND = 0.995
_LEVEL_DAYS = 5  # of each level beside a step
_APART, _AT_ONCE = 4.0, 0.7  # spreads between two levels; share of a step between two days
_STEP_LEAST = 0.05  # of all memory
_GOES_ON = 0.5  # of the slope, in the second half and in the least of a third
_LIKENESS_MOST = 0.95


def _daily(values: Floats, days: Ints) -> tuple[Floats, Ints]:
    """The median of each day, and the days."""
    names, starts = np.unique(days, return_index=True)
    return np.array([float(np.median(part)) for part in np.split(values, starts[1:])]), names


def growth_of(medians: Floats, names: Ints) -> Span | None:
    """Bytes a week, by the medians of days; None where these are few or show no lasting growth.

    Days are alike from one to the next, so the slope is held against slopes of series that are as
    alike (first-order autoregression, its coefficient corrected for the length) and do not grow.
    What restarts brings down again grows in its least values not at all; a step is no growth.
    """
    if int(names[-1] - names[0]) < _WEEKS or len(names) < _DAYS_LEAST:
        return None
    at = names - names.mean()
    slope = float(at @ medians / (at @ at))
    half = slice(len(names) // 2, None)
    rest = medians - medians.mean() - slope * at
    if not _lasts(medians, names, slope, half) or _step_explains(medians, float(rest @ rest)):
        return None
    spread = float(rest.std())
    null = _null(rest, at)
    if slope <= float(np.quantile(null, _BEYOND)) * spread:
        return None
    reach = float(np.quantile(np.abs(null), 0.95)) * spread
    scale = WEEK / DAY
    return Span(slope * scale, (slope - reach) * scale, (slope + reach) * scale)


def _lasts(medians: Floats, names: Any, slope: float, half: slice) -> bool:
    if slope <= 0:
        return False
    late = names[half] - names[half].mean()
    if float(late @ medians[half] / (late @ late)) < _GOES_ON * slope:
        return False
    third = len(names) // 3
    risen = float(medians[-third:].min() - medians[:third].min())
    return risen >= _GOES_ON * slope * float(names[-third] - names[0])


def _levels(medians: Floats) -> Floats:
    """What of the squares two levels explain, parted after the first, the second day and so on."""
    count = np.arange(1, len(medians))
    sums, total = np.cumsum(medians)[:-1], float(medians.sum())
    found: Floats = sums**2 / count + (total - sums) ** 2 / (len(medians) - count)
    return found


def _step_explains(medians: Floats, left: float) -> bool:
    """Whether one step between two levels leaves less of the values than a slope leaves."""
    return float(medians @ medians) - float(_levels(medians).max()) < left


def step_of(medians: Floats, names: Ints, least: float) -> Step | None:
    """The one change of at least so many bytes between two levels of the medians of days, if any.

    It lies several times as far apart as days of one level do, and most of it between two days.
    """
    if len(names) < 2 * _LEVEL_DAYS:
        return None
    parted = _levels(medians)[_LEVEL_DAYS - 1 : len(medians) - _LEVEL_DAYS]
    at = int(np.argmax(parted)) + _LEVEL_DAYS
    before, after = medians[:at], medians[at:]
    size = float(np.median(after) - np.median(before))
    sudden = float(after[:2].mean() - before[-2:].mean())
    spread = max(float(before.std()), float(after.std()))
    if abs(size) < max(least, _APART * spread) or sudden / size < _AT_ONCE:
        return None
    return Step(int(names[at]), int(size))


def _null(rest: Floats, at: Floats) -> Floats:
    """Slopes, in spreads a day, of series without growth whose days are as alike."""
    count = len(rest)
    square = float(rest @ rest)
    likeness = float(rest[1:] @ rest[:-1]) / square if square else 0.0
    likeness = float(np.clip((count * likeness + 2) / (count - 4), 0, _LIKENESS_MOST))
    series = np.random.default_rng(1).normal(0, 1, (_DRAWS, count))
    series[:, 1:] *= np.sqrt(1 - likeness**2)
    for day in range(1, count):
        series[:, day] += likeness * series[:, day - 1]
    slopes = series @ at / (at @ at)
    left = series - series.mean(axis=1, keepdims=True) - slopes[:, None] * at
    found: Floats = slopes / left.std(axis=1)
    return found


def lasting_growth(sizes: list[float]) -> float:
    """Bytes by which something grew over parts of a log, in their order; 0 where it did not last.

    A start in mid-log, a day's work, or a restart is no growth.
    """
    grown = sizes[-1] - sizes[0]
    half = sizes[-1] - sizes[len(sizes) // 2]
    steady = all(after >= before for before, after in itertools.pairwise(sizes))
    return grown if steady and half >= 0.5 * _GOES_ON * grown > 0 else 0.0


SWAP_RATE = 256 * 1024.0  # bytes a second that come back from swap: below, it is tidying up
STALL = 0.05  # of an interval: below, no one would notice
_WAITED = 0.01  # of an interval: below, nobody waits for what comes back from swap
_ROOM = 0.6  # share of memory in use up to which what comes back may be pages of files
_ROUNDING = 1e-6  # of shares
_FULL_CORE, _OTHERS_IDLE, _ALL_FULL = 0.95, 0.25, 0.95


def swapping_of(log: Log, weights: Floats) -> Flags | None:
    """When pages come back from swap, and somebody waits for them; None where a log does not say.

    Some systems count pages of files with them: where no swap is in use, or, without a measured
    stall, where much memory is free, nothing comes back from swap that was put there for want of
    room. Compressed swap is fast, so that a stall is what tells.
    """
    swapped, held = log.get("swapped_in"), log.get("swap_used")
    if swapped is None or not weights.any():
        return None
    found: Flags = swapped > SWAP_RATE * since_before(weights)
    if held is not None:
        found = found & ~(held <= 0)
    stall = log.get("memory_stall")
    if stall is not None:
        return found & ~(stall < _WAITED)
    total, available = log.columns["memory_total"], log.columns["memory_available"]
    return found & (total - available > _ROOM * total)


def _share(flags: Flags, weights: Floats) -> float:
    total = float(weights.sum())
    return float(weights[flags].sum()) / total if total else 0.0


def _longest(above: Flags, time: Floats, weights: Floats) -> float:
    """The longest stretch of samples above a mark, in seconds; gaps end a stretch."""
    if not above.any():
        return 0.0
    breaks = np.flatnonzero(~above[1:] | ~above[:-1] | (np.diff(time) > 1.5 * weights[:-1]))
    edges = np.concatenate(([-1], breaks, [len(above) - 1]))
    starts, ends = edges[:-1] + 1, edges[1:]
    lengths = np.where(above[starts], time[ends] - time[starts] + weights[ends], 0.0)
    return float(lengths.max())


def _by(group: Ints, values: Floats) -> dict[int, float]:
    """The median of the values in each group; the groups' numbers are small."""
    counts = np.bincount(group)
    ordered = values[np.argsort(group.astype(np.uint8, copy=False), kind="stable")]
    parts = np.split(ordered, np.cumsum(counts)[:-1])
    return {
        at: float(np.median(part, overwrite_input=True))
        for at, part in enumerate(parts)
        if len(part)
    }


def figures_of(log: Log, tight: float, full: float, people: bool = True) -> Figures:
    """Every figure of a log whose total does not change.

    ``people``: a stretch of which it cannot be told whether a job makes it is taken as people's.
    """
    weights = weights_of(log.time)
    total, available = log.columns["memory_total"], log.columns["memory_available"]
    shares = (total - available) / total
    swapping = swapping_of(log, weights)
    stall = log.get("memory_stall")
    pressed = shares > tight
    if swapping is not None:
        pressed = pressed | swapping
    if stall is not None:
        pressed = pressed | (stall > STALL)
    hours = spans_of(log.local(), HOUR)
    used, how = hours_of_use(log, hours, weights)
    days = hours // 24
    of_day = (hours - 24 * days).astype(np.int8)
    del hours
    tight_ones = shares > tight
    apart = stretch_apart(log, of_day, used, pressed, weights)
    if apart is not None and (apart.of_job or not people):
        rest = ~apart.has(of_day)
        used, how, tight_ones = used & rest, f"the rest alone, of {how}", tight_ones & rest
    here: Any = slice(None) if used.all() else used  # without copies where it is all of the log
    spent, date, share = weights[here], days[here], shares[here]
    in_use = (total - available)[here]
    swap = log.get("swap_used")
    in_use_p95 = weighted_percentile(in_use, spent, 0.95)
    demand = in_use_p95
    if swap is not None and swap.any():
        demand = weighted_percentile(in_use + np.nan_to_num(swap[here]), spent, 0.95)
    seconds = float(log.time[-1] - log.time[0]) + float(weights[-1])
    above = share > tight
    medians, names = _daily(in_use, date)
    growth = growth_of(medians, names)
    return Figures(
        rows=len(log.time),
        seconds=seconds,
        used_seconds=float(spent.sum()),
        complete=min(float(weights.sum()) / seconds, 1.0) if seconds else 1.0,
        total=int(np.median(total)),
        median=weighted_percentile(share, spent, 0.5),
        highest=float(share.max()),
        above_tight=_share(above, spent),
        above_full=_share(share > full, spent),
        longest_tight=_longest(above, log.time[here], spent),
        tight_a_day=pressed_a_day(days, used, tight_ones, weights),
        full_of_tight=_share((shares >= full - _ROUNDING)[tight_ones], weights[tight_ones]),
        in_use_p95=int(in_use_p95),
        demand=int(demand),
        by_hour=_by(of_day[here], share) if seconds >= 2 * DAY else {},
        # a Thursday was the first
        by_weekday=_by((date + 3) % 7, share) if seconds >= 2 * WEEK else {},
        growth=growth,
        step=None if growth else step_of(medians, names, _STEP_LEAST * float(np.median(total))),
        growing_program=log.growing,
        holders=log.holders,
        use=how,
        apart=apart,
        **_pressure(log, here, swapping, above, spent),
        p95=p95_of(share, date, spent),
        **_cores(log, here, spent),
    )


def _pressure(
    log: Log, used: Any, swapping: Flags | None, above: Flags, spent: Floats
) -> dict[str, Any]:
    """Swapping, and waiting for memory and for the drive."""
    found: dict[str, Any] = dict.fromkeys(
        ("swapping", "swapping_tight", "stall", "stalled", "drive_stall")
    )
    if swapping is not None:
        found["swapping"] = _share(swapping[used], spent)
        found["swapping_tight"] = _share(swapping[used] & above, spent)
    stall, drive = log.get("memory_stall"), log.get("drive_stall")
    if stall is not None and spent.any():
        waits = stall[used]
        found["stall"] = float(np.average(np.nan_to_num(waits), weights=spent))
        found["stalled"] = _share(waits > STALL, spent)
    if drive is not None and spent.any():
        found["drive_stall"] = float(np.average(np.nan_to_num(drive[used]), weights=spent))
    return found


def _cores(log: Log, used: Any, spent: Floats) -> dict[str, Any]:
    """Cores busy at once, and how often all are full, or one alone while the others idle."""
    busy, busiest, count = (log.get(n) for n in ("cores_busy", "busiest_core", "core_count"))
    found: dict[str, Any] = dict.fromkeys(
        ("cores_median", "cores_p95", "cores_highest", "core_count", "one_core_full",
         "all_cores_full")
    )  # fmt: skip
    cores = int(np.nanmax(count)) if count is not None else None
    found["core_count"] = cores
    if busy is None:
        return found
    values = busy[used]
    known = ~np.isnan(values)
    if not known.any():
        return found
    if not known.all():
        values, spent = values[known], spent[known]
    found["cores_median"] = weighted_percentile(values, spent, 0.5)
    found["cores_p95"] = weighted_percentile(values, spent, 0.95)
    found["cores_highest"] = float(values.max())
    if cores:
        found["all_cores_full"] = _share(values > _ALL_FULL * cores, spent)
    if busiest is not None and cores and cores > 1:
        most = busiest[used][known]
        others = (values - most) / (cores - 1)
        found["one_core_full"] = _share((most > _FULL_CORE) & (others < _OTHERS_IDLE), spent)
    return found
