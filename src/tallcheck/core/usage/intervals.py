"""The 95th percentile of a log, with an interval where the log has enough to say.

Neighbouring samples are alike, so blocks of several times their correlation time are what counts;
where days differ, days are. The share of samples above the percentile varies from block to block,
and that share's interval, by Student's t over the blocks, is read off the distribution (Woodruff,
1952, "Confidence intervals for medians and other position measures"; Künsch, 1989, for blocks).
"""

import numpy as np

from tallcheck.core.usage.log import Flags, Floats, Ints, spans_of
from tallcheck.core.usage.summary import Percentile

_LEVEL, _CONFIDENCE = 0.95, 0.95
_BLOCK_LEAST = 900.0  # seconds
_TIMES = 5.0  # as long as the correlation time, which a short log tells too small
_BLOCKS_LEAST, _DAYS_LEAST = 8, 5
_POINTS_MOST = 1 << 15  # of the autocorrelation
_DIFFER = 1.5
_SAME = 1e-9  # shares that differ by less do not


def weighted_percentile(values: Floats, weights: Floats, share: float) -> float:
    """The value that this share of the time does not pass."""
    if not len(values):
        return float("nan")
    if float(np.ptp(weights)) < 1e-6 * float(weights.max(initial=0.0)) or not weights.any():
        return float(np.percentile(values, 100 * share))
    order = np.argsort(values, kind="stable")
    reached = np.cumsum(weights[order])
    at = int(np.searchsorted(reached, share * reached[-1]))
    return float(values[order[min(at, len(values) - 1)]])


def correlation_time(values: Floats, step: float) -> float:
    """Seconds after which the autocorrelation has fallen to 1/e."""
    thin = max(-(-len(values) // _POINTS_MOST), 1)
    count = len(values) // thin
    if count < 4:
        return 0.0
    means = values[: count * thin].reshape(count, thin).mean(axis=1)
    means = means - means.mean()
    spectrum = np.fft.rfft(means, 2 * count)
    covariance = np.fft.irfft(spectrum * np.conj(spectrum))[:count]
    if covariance[0] <= count * _SAME**2:
        return 0.0
    below = np.flatnonzero(covariance < covariance[0] / np.e)
    return float(below[0] if len(below) else count) * thin * step


def block_of(values: Floats, weights: Floats) -> float:
    """Seconds of a block within which samples are alike, and beyond which they are not."""
    step = float(np.median(weights)) if len(weights) else 0.0
    return max(_BLOCK_LEAST, _TIMES * correlation_time(values, step))


def _numbered(blocks: Ints) -> Ints:
    """Blocks counted from the first; some may have no sample."""
    return blocks - int(blocks.min()) if len(blocks) else blocks


def mean_over(values: Floats | Flags, weights: Floats, blocks: Ints) -> tuple[float, float, int]:
    """The mean over time, the variance of that by how blocks differ, and how many these are."""
    names = _numbered(blocks)
    spans = np.bincount(names, weights=weights)
    sums = np.bincount(names, weights=weights * values)
    sums, spans = sums[spans > 0], spans[spans > 0]
    count, total = len(spans), float(spans.sum())
    value = float(sums.sum()) / total if total else 0.0
    if count < 2:
        return value, 0.0, count
    rest = sums - value * spans
    return value, float((rest**2).sum()) * count / (count - 1) / total**2, count


def reach_of(variance: float, freedom: float, sure: float) -> float:
    """How far to either side of an estimate Student's t lets the truth lie, so surely."""
    from scipy.special import stdtrit

    return float(stdtrit(freedom, (1 + sure) / 2) * np.sqrt(variance))


def p95_of(shares: Floats, days: Ints, weights: Floats) -> Percentile:
    """The 95th percentile over time in use; its interval, or why there is none.

    ``days`` are those of the local clock, ``weights`` seconds in use.
    """
    value = weighted_percentile(shares, weights, _LEVEL)
    above = shares > value
    _, by_days, count_days = mean_over(above, weights, days)
    # what differs from day to day is no likeness of neighbours
    block = block_of(_without_days(shares, days), weights)
    total = float(weights.sum())
    elapsed = np.cumsum(weights)
    elapsed -= weights
    blocks = spans_of(elapsed, block)
    np.minimum(blocks, max(int(total // block) - 1, 0), out=blocks)
    _, variance, count = mean_over(above, weights, blocks)
    if count_days >= _DAYS_LEAST and (by_days > variance or count < _BLOCKS_LEAST):
        variance, count = by_days, count_days
    elif count < _BLOCKS_LEAST:
        return Percentile(value, None, None, "the log is too short for how slowly its use changes")
    elif count_days > 1 and by_days > _DIFFER**2 * variance:
        return Percentile(value, None, None, "its few days differ too much")
    reach = reach_of(variance, count - 1, _CONFIDENCE)
    low = weighted_percentile(shares, weights, max(_LEVEL - reach, 0.0))
    # beyond all that was seen, nothing but the whole limits it
    high = 1.0 if _LEVEL + reach >= 1 else weighted_percentile(shares, weights, _LEVEL + reach)
    return Percentile(value, min(low, value), max(high, value))


def _without_days(shares: Floats, days: Ints) -> Floats:
    names = _numbered(days)
    means = np.bincount(names, weights=shares) / np.maximum(np.bincount(names), 1)
    found: Floats = shares - means.astype(shares.dtype)[names]
    return found
