"""Whether memory in use grows from week to week, beyond what likeness of days explains."""

import itertools
from typing import Any

import numpy as np

from tallcheck.core.usage.log import DAY, WEEK, Floats, Ints
from tallcheck.core.usage.summary import Span

_DAYS_LEAST, _WEEKS = 14, 20  # days with a median, and days from first to last
_DRAWS = 500
_BEYOND = 0.995
_GOES_ON = 0.5  # of the slope, in the second half and in the least of a third
_LIKENESS_MOST = 0.95


def growth_of(values: Floats, days: Ints) -> Span | None:
    """Bytes a week, by daily medians; None where the log is short or shows no growth that lasts.

    Days are alike from one to the next, so the slope is held against slopes of series that are as
    alike (first-order autoregression, its coefficient corrected for the length) and do not grow.
    What restarts brings down again grows in its least values not at all; a step is no growth.
    """
    if int(days[-1] - days[0]) < _WEEKS:
        return None
    names, starts = np.unique(days, return_index=True)
    if len(names) < _DAYS_LEAST:
        return None
    medians = np.array([float(np.median(part)) for part in np.split(values, starts[1:])])
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


def _step_explains(medians: Floats, left: float) -> bool:
    """Whether one step between two levels leaves less of the values than a slope leaves."""
    count = np.arange(1, len(medians))
    sums, squares = np.cumsum(medians)[:-1], float(medians @ medians)
    total = float(medians.sum())
    levels = sums**2 / count + (total - sums) ** 2 / (len(medians) - count)
    return squares - float(levels.max()) < left


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
