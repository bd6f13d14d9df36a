"""A usage log drawn: memory over time with its mark, swapping, levels, and cores below."""

from typing import Any

import numpy as np

from tallcheck.core.usage.log import Log, since_before, typical_step, weights_of
from tallcheck.core.usage.summary import Usage
from tallcheck.core.values.quantities import GIB, MIB, format_share
from tallcheck.report.picture import figure_of, picture

_POINTS_MOST = 4000
# two hues that keep apart in grey and for every kind of colour blindness, and a dark line
_MEMORY, _SWAP, _MARK, _CORES = "#2b6ca3", "#d98c1f", "#222222", "#5a5a5a"


def _thinned(time: Any, values: Any, step: float) -> tuple[Any, Any, Any]:
    """Time, and the lowest and highest value in each of at most a few thousand pieces.

    A gap is a piece without a value, so that it stays a gap.
    """
    pieces = min(len(time), _POINTS_MOST)
    edges = np.linspace(0, len(time), pieces + 1).astype(int)[:-1]
    low = np.fmin.reduceat(values, edges)
    high = np.fmax.reduceat(values, edges)
    at = time[edges]
    wide = np.flatnonzero(np.diff(at) > max(3 * step, 3 * np.median(np.diff(at)))) + 1
    return (
        np.insert(at, wide, at[wide - 1] + step) if len(wide) else at,
        np.insert(low, wide, np.nan) if len(wide) else low,
        np.insert(high, wide, np.nan) if len(wide) else high,
    )


def draw(log: Log, usage: Usage, tight: float, kind: str) -> bytes:
    """The picture as PNG or SVG."""
    figure = figure_of()
    from matplotlib import dates

    step = typical_step(log.time)
    axes = figure.subplots(
        2, 2, width_ratios=[5, 1], height_ratios=[3, 2], sharex="col", sharey="row"
    )
    (memory, levels), (cores, core_levels) = axes
    offset = log.offset if isinstance(log.offset, float) else float(np.median(log.offset))
    total = log.columns["memory_total"]
    shares = (total - log.columns["memory_available"]) / total
    at, low, high = _thinned(log.time, shares, step)
    moments = (np.asarray(at) + offset).astype("datetime64[s]")
    memory.fill_between(moments, low * 100, high * 100, color=_MEMORY, lw=1.2, label="in use")
    memory.axhline(tight * 100, color=_MARK, ls="--", lw=1.2, label=f"{format_share(tight)} mark")
    memory.set_ylim(0, 100)
    memory.set_ylabel(f"memory in use, % of {usage.figures.total / GIB:.1f} GB")
    _swapping(memory, log, step, offset)
    memory.legend(loc="upper left", fontsize=9, ncols=3)
    _levels(levels, shares, np.linspace(0, 1, 51), 100, _MEMORY)
    levels.axhline(tight * 100, color=_MARK, ls="--", lw=1.2)
    levels.set_xlabel("share of the time")
    busy = log.get("cores_busy")
    if busy is not None:
        at, low, high = _thinned(log.time, busy, step)
        moments = (np.asarray(at) + offset).astype("datetime64[s]")
        cores.fill_between(moments, low, high, color=_CORES, lw=1.2)
        most = usage.figures.core_count or max(float(np.nanmax(busy)), 1.0)
        cores.set_ylim(0, most)
        _levels(core_levels, busy[~np.isnan(busy)], np.linspace(0, most, 41), 1, _CORES)
    cores.set_ylabel(f"cores busy, of {usage.figures.core_count or '?'}")
    core_levels.set_xlabel("share of the time")
    locator: Any = cores.xaxis.get_major_locator()
    cores.xaxis.set_major_formatter(dates.ConciseDateFormatter(locator))  # type: ignore[no-untyped-call]
    for one in axes.flat:
        one.grid(color="#dddddd", lw=0.6)
        one.set_axisbelow(True)
    figure.suptitle(_first_sentence(usage.sentence), fontsize=12)
    return picture(figure, kind)


def _first_sentence(text: str) -> str:
    return text.partition(". ")[0].rstrip(".")


def _swapping(axis: Any, log: Log, step: float, offset: float) -> None:
    swapped = log.get("swapped_in")
    if swapped is None or not step or not np.nanmax(swapped):
        return
    rate = np.nan_to_num(swapped) / since_before(weights_of(log.time)) / MIB
    at, _, high = _thinned(log.time, rate, step)
    side = axis.twinx()
    moments = (np.asarray(at) + offset).astype("datetime64[s]")
    side.plot(moments, high, color=_SWAP, lw=1.1)
    side.set_ylabel("back from swap, MB/s", color=_SWAP)
    side.set_ylim(0, max(float(np.nanmax(high)) * 3, 1.0))
    axis.plot([], [], color=_SWAP, lw=1.1, label="back from swap")


def _levels(axis: Any, values: Any, edges: Any, scale: float, color: str) -> None:
    counts, _ = np.histogram(values, bins=edges)
    shares = counts / max(counts.sum(), 1)
    axis.barh(edges[:-1] * scale, shares, height=np.diff(edges) * scale, align="edge", color=color)
    axis.xaxis.set_major_formatter(lambda value, _: f"{value * 100:.0f} %")
