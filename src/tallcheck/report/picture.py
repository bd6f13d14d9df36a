"""Figures with no clock in them, the templates of pages, and a usage log drawn.

A page is one file, with nothing loaded from outside; the template engine escapes what it is given.
"""

import io
import os
import re
from collections.abc import Iterable
from typing import Any

import numpy as np

from tallcheck.core.usage.log import Log, since_before, typical_step, weights_of
from tallcheck.core.usage.summary import Usage
from tallcheck.core.values.quantities import GIB, MIB, format_share
from tallcheck.core.values.text import printable

KINDS = ("png", "svg")


def figure_of(width: float = 12.8, height: float = 8.0) -> Any:
    """An empty figure of so many inches, at 100 dots to the inch."""
    os.environ["MPLBACKEND"] = "agg"  # whatever stands there, nothing is drawn on a screen
    import matplotlib as mpl

    mpl.rcParams.update({
        "svg.fonttype": "none", "svg.hashsalt": "tallcheck", "text.color": INK,
        "axes.labelcolor": INK, "xtick.color": INK, "ytick.color": INK, "axes.edgecolor": RULE,
        "font.size": 10, "axes.facecolor": PAPER, "text.parse_math": False,
    })  # fmt: skip
    from matplotlib.figure import Figure

    figure = Figure(figsize=(width, height), dpi=100, layout="constrained", facecolor=PAPER)
    engine: Any = figure.get_layout_engine()
    engine.set(w_pad=0.12, h_pad=0.12)
    return figure


def picture(figure: Any, kind: str) -> bytes:
    """The figure as ``png`` or ``svg``; the same figure gives the same bytes."""
    _clean(figure)
    out = io.BytesIO()
    metadata = {"Date": None} if kind == "svg" else {"Software": None}
    figure.savefig(out, format=kind, metadata=metadata, facecolor=figure.get_facecolor())
    return out.getvalue()


def _clean(figure: Any) -> None:
    """Take control characters out of every text of a figure, but for those beside its ticks."""
    from matplotlib.text import Text

    for one in figure.findobj(Text):
        one.set_text(_lines(one.get_text()))


def name_ticks(axis: Any, texts: Iterable[str], size: float) -> None:
    """A text beside each of an axis' places, from 0 on: the axis writes it anew as it is drawn."""
    named = [_lines(text) for text in texts]
    axis.set_ticks(range(len(named)), named, fontsize=size)


def _lines(text: str) -> str:
    return "\n".join(map(printable, text.split("\n")))


def inline(figure: Any, title: str) -> str:
    """The figure as SVG to stand in a page: its ink and rules follow the page's colours."""
    from html import escape

    figure.set_facecolor("none")
    for axes in figure.axes:
        axes.set_facecolor("none")
    text = picture(figure, "svg").decode()
    text = text[text.index("<svg") :]
    text = re.sub(r'(<svg[^>]*?) height="[^"]*"', r"\1", text, count=1)
    text = re.sub(r'(<svg[^>]*?) width="[^"]*"', r"\1", text, count=1)
    label = escape(printable(title), quote=True)
    text = text.replace("<svg", f'<svg role="img" aria-label="{label}"', 1)
    text = re.sub(r"<metadata>.*?</metadata>", "", text, flags=re.DOTALL)
    for ink, theirs in ((INK, "currentColor"), (RULE, "var(--rule)"), (MUTED, "var(--soft)")):
        text = text.replace(ink, theirs)
    return text


def plain_axes(axes: Any) -> None:
    """Axes without a frame, with light rules behind."""
    for side in ("top", "right", "left"):
        axes.spines[side].set_visible(False)
    axes.set_axisbelow(True)
    axes.tick_params(length=0)


INK, MUTED, RULE, PAPER = "#1f2328", "#5b6470", "#d5d9df", "#fbfbf8"
ANSWER_INK = {
    "ready": "#2f7d4f", "memory-alone": "#3b6fb6", "memory-plus": "#8a6fc0",
    "not-memory": "#b7791f", "replace": "#b3382c", "undecided": "#7a828c",
}  # fmt: skip
STATUS_INK = {"met": "#2f7d4f", "short": "#b3382c", "unknown": "#7a828c"}


_FOOTER = "Made by Tall Check. Sizes of memory are binary (8 GB is 8 GiB), of storage decimal."


def rendered(page: str, values: dict[str, Any]) -> str:
    """One of ``data/pages``, filled in."""
    from jinja2 import Environment, PackageLoader, StrictUndefined

    environment = Environment(
        loader=PackageLoader("tallcheck", "data/pages"), autoescape=True, trim_blocks=True,
        undefined=StrictUndefined, finalize=_shown,
    )  # fmt: skip
    return environment.get_template(page).render(footer=_FOOTER, **values)


def _shown(value: Any) -> Any:
    """Text without control characters; markup of our own, which is another type, as it is."""
    return printable(value) if type(value) is str else value


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
