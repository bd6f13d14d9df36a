"""Usage over time: is memory what is short, in real use?

Memory that is used is memory doing its work. Only a machine that is short all the time, under its
ordinary programs, or that swaps, gains from more. So the hours of use are found from the log and
judged, and a quiet night dilutes nothing.
"""

from typing import Any

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from tallcheck.core.usage.summary import FULL, TIGHT, Figures, Span, Usage
from tallcheck.core.values.quantities import format_duration, format_memory, format_share

Floats = NDArray[np.floating[Any]]

HOUR, DAY, WEEK = 3600.0, 86400.0, 604800.0
BRIEF = 2 * HOUR
"""Less time in use than this tells nothing of a habit."""
SWAP_RATE = 256 * 1024.0  # bytes a second that come back from swap: below, it is tidying up
_STALL = 0.05
_SOME = 0.05  # share of the time from which swapping or stalling is no accident
_BINS = 1000  # a tenth of a percent
_BLOCKS_MOST = 400
_RESAMPLES = 500


class Log(Struct):
    """A usage log in order of time, as arrays of one length; NaN where a value is missing.

    ``time`` is seconds since 1970, ``offset`` seconds east of Greenwich; sizes are bytes.
    """

    time: Floats
    offset: Floats | float
    columns: dict[str, Floats]
    problems: tuple[str, ...] = ()
    growing: str | None = None

    def get(self, name: str) -> Floats | None:
        """A column, or None where it is missing or empty."""
        values = self.columns.get(name)
        return None if values is None or bool(np.isnan(values).all()) else values


def typical_step(time: Floats) -> float:
    """The usual time between samples, in seconds."""
    return float(np.median(np.diff(time))) if len(time) > 1 else 0.0


def weights_of(time: Floats, step: float) -> Floats:
    """The seconds that each sample stands for: until the next one, but not over a gap."""
    gaps = np.diff(time, append=time[-1] + step)
    return np.where(gaps > 3 * step, step, gaps)


def hours_of_use(log: Log, step: float) -> tuple[NDArray[np.bool_], str]:
    """Which samples lie in hours in which the machine is worked at."""
    busy = log.get("cores_busy")
    everything = np.ones(len(log.time), dtype=bool)
    if busy is None:
        return everything, "all of the log, for it does not tell how busy the cores were"
    hours = ((log.time - log.time[0]) // HOUR).astype(np.int64)
    count = int(hours[-1]) + 1
    if count < 4:
        return everything, "all of the log"
    known = ~np.isnan(busy)
    sums = np.bincount(hours[known], weights=busy[known], minlength=count)
    counts = np.bincount(hours[known], minlength=count)
    means = np.divide(sums, counts, out=np.zeros(count), where=counts > 0)
    cores = log.get("core_count")
    least = 0.01 * float(np.nanmax(cores)) if cores is not None else 0.01
    working = means[counts > 0]
    if not len(working):
        return everything, "all of the log"
    threshold = max(least, 0.2 * float(np.percentile(working, 95)))
    used = means >= threshold
    if used[counts > 0].mean() > 0.9:
        return everything, "all of the log"
    if not used.any():
        return everything, "all of the log, for its cores were hardly worked at"
    picked = used[hours]
    spent = int(used.sum())
    return picked, f"the {spent} hours in which its cores were worked at, of {count}"


def _share_histogram(shares: Floats, blocks: NDArray[np.int64], count: int) -> Floats:
    """For each block, how many samples lie in each tenth of a percent: (count, bins + 1)."""
    bins = np.clip((shares * _BINS).astype(np.int64), 0, _BINS)
    flat = np.bincount(blocks * (_BINS + 1) + bins, minlength=count * (_BINS + 1))
    return flat.reshape(count, _BINS + 1).astype(np.float64)


def p95_span(shares: Floats, time: Floats, seed: int = 1) -> Span:
    """The 95th percentile with a block bootstrap's interval, to a tenth of a percent.

    Neighbouring samples are alike, so whole blocks of at least a quarter of an hour are drawn
    (Künsch 1989). Only their histograms are kept, so the cost does not grow with the log.
    """
    value = float(np.percentile(shares, 95))
    span = max(float(time[-1] - time[0]), 1.0)
    count = int(np.clip(span // 900, 2, _BLOCKS_MOST))
    blocks = np.minimum(((time - time[0]) / span * count).astype(np.int64), count - 1)
    histogram = _share_histogram(shares, blocks, count)
    histogram = histogram[histogram.sum(axis=1) > 0]
    if len(histogram) < 2:
        return Span(value, 0.0, 1.0)
    random = np.random.default_rng(seed)
    draws = random.multinomial(len(histogram), np.full(len(histogram), 1 / len(histogram)),
                               size=_RESAMPLES)  # fmt: skip
    totals = np.cumsum(draws @ histogram, axis=1)
    reached = totals >= 0.95 * totals[:, -1:]
    found = reached.argmax(axis=1) / _BINS
    low, high = np.percentile(found, [2.5, 97.5])
    # a few blocks know little: widen as a t-interval over so few would
    widen = 1 + 4 / len(histogram)
    low, high = value - (value - low) * widen, value + (high - value) * widen
    return Span(value, float(max(min(low, value), 0.0)), float(min(max(high, value), 1.0)))


def _longest(above: NDArray[np.bool_], time: Floats, step: float) -> float:
    """The longest stretch of samples above a mark, in seconds; gaps end a stretch."""
    if not above.any():
        return 0.0
    breaks = np.flatnonzero(~above[1:] | ~above[:-1] | (np.diff(time) > 3 * step))
    edges = np.concatenate(([-1], breaks, [len(above) - 1]))
    starts, ends = edges[:-1] + 1, edges[1:]
    whole = above[starts]
    lengths = np.where(whole, time[ends] - time[starts] + step, 0.0)
    return float(lengths.max())


def _weighted_share(flags: NDArray[np.bool_], weights: Floats) -> float:
    total = float(weights.sum())
    return float(weights[flags].sum()) / total if total else 0.0


def _growth(values: Floats, time: Floats) -> Span | None:
    """Bytes a week by Theil and Sen over daily medians, where at least three weeks are there."""
    days = ((time - time[0]) // DAY).astype(np.int64)
    if int(days[-1]) < 20:
        return None
    names = np.unique(days)
    starts = np.searchsorted(days, names)
    medians = [float(np.median(part)) for part in np.split(values, starts[1:])]
    if len(medians) < 10:
        return None
    from scipy.stats import theilslopes

    slope, _, low, high = theilslopes(medians, names * (DAY / WEEK))
    return Span(float(slope), float(low), float(high))


def _by(group: NDArray[np.int64], values: Floats) -> dict[int, float]:
    """The median of the values in each group."""
    order = np.argsort(group, kind="stable")
    names, starts = np.unique(group[order], return_index=True)
    parts = np.split(values[order], starts[1:])
    return {int(name): float(np.median(part)) for name, part in zip(names, parts, strict=True)}


def figures_of(log: Log, tight: float = TIGHT, full: float = FULL) -> Figures:
    """Every figure of a log over its hours of use."""
    step = typical_step(log.time)
    seconds = float(log.time[-1] - log.time[0]) + step
    used, how = hours_of_use(log, step)
    time = log.time[used]
    weights = weights_of(log.time, step)[used]
    total, available = log.get("memory_total"), log.get("memory_available")
    assert total is not None
    assert available is not None
    in_use = (total - available)[used]
    shares = in_use / total[used]
    above = shares > tight
    swap = log.get("swap_used")
    wanted = in_use + (np.nan_to_num(swap[used]) if swap is not None else 0.0)
    expected = max(round(seconds / step), 1) if step else 1
    growth = _growth(in_use, time)
    offset = log.offset if isinstance(log.offset, float) else log.offset[used]
    local = time + offset
    hours = (local // HOUR % 24).astype(np.int64)
    weekdays = ((local // DAY + 3) % 7).astype(np.int64)  # 1970-01-01 was a Thursday
    return Figures(
        rows=len(log.time),
        seconds=seconds,
        used_seconds=float(weights.sum()),
        complete=min(len(log.time) / expected, 1.0),
        total=int(np.median(total)),
        median=float(np.median(shares)),
        p95=p95_span(shares, time),
        highest=float(shares.max()),
        above_tight=_weighted_share(above, weights),
        above_full=_weighted_share(shares > full, weights),
        longest_tight=_longest(above, time, step),
        in_use_p95=int(np.percentile(in_use, 95)),
        demand=int(np.percentile(wanted, 95)),
        by_hour=_by(hours, shares) if seconds >= 2 * DAY else {},
        by_weekday=_by(weekdays, shares) if seconds >= 2 * WEEK else {},
        growth=growth,
        growing_program=log.growing,
        use=how,
        **_pressure(log, used, weights, above, step),
        **_cores(log, used, weights),
    )


def _pressure(
    log: Log, used: NDArray[np.bool_], weights: Floats, above: NDArray[np.bool_], step: float
) -> dict[str, Any]:
    """Swapping while tight, and waiting for memory and for the drive."""
    swapped, stall, drive = (
        log.get(name) for name in ("swapped_in", "memory_stall", "drive_stall")
    )
    found: dict[str, Any] = dict.fromkeys(("swapping_tight", "stall", "stalled", "drive_stall"))
    if swapped is not None and step:
        rate = np.nan_to_num(swapped[used]) / step
        found["swapping_tight"] = _weighted_share((rate > SWAP_RATE) & above, weights)
    if stall is not None:
        waits = np.nan_to_num(stall[used])
        found["stall"] = float(np.average(waits, weights=weights))
        found["stalled"] = _weighted_share(waits > _STALL, weights)
    if drive is not None:
        found["drive_stall"] = float(np.average(np.nan_to_num(drive[used]), weights=weights))
    return found


def _cores(log: Log, used: NDArray[np.bool_], weights: Floats) -> dict[str, Any]:
    """Cores busy at once, and how often one core alone is full while the others idle."""
    busy, busiest, count = (log.get(n) for n in ("cores_busy", "busiest_core", "core_count"))
    found: dict[str, Any] = dict.fromkeys(
        ("cores_median", "cores_p95", "cores_highest", "core_count", "one_core_full")
    )
    cores = int(np.nanmax(count)) if count is not None else None
    found["core_count"] = cores
    if busy is None:
        return found
    values = busy[used]
    known = values[~np.isnan(values)]
    if len(known):
        found["cores_median"], found["cores_p95"] = map(float, np.percentile(known, [50, 95]))
        found["cores_highest"] = float(known.max())
    if busiest is not None and cores and cores > 1:
        others = (values - busiest[used]) / (cores - 1)
        found["one_core_full"] = _weighted_share((busiest[used] > 0.95) & (others < 0.25), weights)
    return found


def judge(log: Log, tight: float = TIGHT, full: float = FULL) -> Usage:
    """The finding of a log with its sentence, and every figure behind it."""
    figures = figures_of(log, tight, full)
    finding, why = _finding(figures, tight)
    return Usage(finding, _sentence(finding, why, figures, tight), figures, log.problems)


def _finding(figures: Figures, tight: float) -> tuple[str, str]:
    above, p95 = figures.above_tight or 0.0, figures.p95
    mark = format_share(tight)
    if figures.used_seconds < BRIEF:
        return "too brief", ""
    if (figures.swapping_tight or 0.0) > _SOME:
        share = format_share(figures.swapping_tight or 0.0)
        return "short", f"it is tight and brings pages back from swap {share} of the time in use"
    if (figures.stalled or 0.0) > _SOME and above > _SOME:
        return (
            "short",
            f"programs wait for memory {format_share(figures.stalled or 0.0)} of the time",
        )
    if above > 0.5:
        return "short", f"more than {mark} is in use for {format_share(above)} of the time in use"
    if p95 is not None and p95.value > tight:
        return "near", f"{mark} is passed for {format_share(above, 1)} of the time in use"
    high = format_share(p95.value if p95 else 0.0)
    return "ample", f"in use it takes no more than {high} for 95 % of the time"


def _sentence(finding: str, why: str, figures: Figures, tight: float) -> str:
    if finding == "too brief":
        return (
            f"The log is too brief to tell a habit: {format_duration(figures.used_seconds)} in "
            "use; a whole working day would do."
        )
    text = {
        "short": "Memory is short in use",
        "near": "Memory comes near its limit, but is not short",
        "ample": "Memory is ample",
    }[finding]
    text = f"{text}: {why}."
    if finding != "ample" and figures.growing_program:
        return (
            f"{text} One program, {figures.growing_program}, grows without end: more memory only "
            "puts that off; have the program looked at."
        )
    drive = figures.drive_stall
    if finding != "short" and drive is not None and drive > 0.2:
        text += f" Programs wait for the drive {format_share(drive)} of the time: look there."
    if finding == "ample":
        text += " More would change nothing."
    elif figures.demand is not None and finding == "short":
        text += f" What it would have wanted: {format_memory(figures.demand)}."
    if figures.growth and figures.growth.low > 0:
        text += f" Use grows by about {format_memory(int(figures.growth.value))} a week."
    return text
