"""Charts: a fleet's counts and costs, how high a machine stands against its needs, a usage log."""

import textwrap
from typing import Any

import numpy as np
from msgspec import Struct

from tallcheck.core.fleet.judged import ANSWERS
from tallcheck.core.jobs.check import Check
from tallcheck.core.jobs.fleet_check import FleetCheck
from tallcheck.core.messages.fleet import fleet_sentence, wanted_of
from tallcheck.core.messages.rows import key_name
from tallcheck.core.messages.sentence import headline, sentence, wanted_text
from tallcheck.core.usage.log import Log, since_before, typical_step, weights_of
from tallcheck.core.usage.summary import Stretch, Usage
from tallcheck.core.values.quantities import GIB, MIB, format_memory, format_share
from tallcheck.report.check_view import cut
from tallcheck.report.formats import ShownRow, plain_rows, recommended_rows
from tallcheck.report.picture import (
    ANSWER_INK,
    INK,
    MUTED,
    PAPER,
    RULE,
    STATUS_INK,
    figure_of,
    name_ticks,
    picture,
    plain_axes,
)


def fleet_chart(found: FleetCheck, kind: str) -> bytes:
    """The picture as PNG or SVG."""
    return picture(fleet_figure(found, True), kind)


def fleet_figure(found: FleetCheck, alone: bool) -> Any:
    """The chart as a figure; ``alone``: with the sentence above it and the what-if table."""
    figure = figure_of() if alone else figure_of(height=3.6)
    has_curve = found.curve is not None and len(found.curve.order) > 0
    has_table = alone and found.what_if is not None
    panels = [["answers", "curve" if has_curve else "answers"]]
    if has_table:
        panels.append(["table", "table"])
    axes = figure.subplot_mosaic(panels, height_ratios=[3, 2][: len(panels)])
    _answers(axes["answers"], found)
    if has_curve:
        _curve(axes["curve"], found)
    if has_table:
        _what_if(axes["table"], found)
    if alone:
        text = fleet_sentence(found).partition(" What needs")[0]
        lines = textwrap.wrap(text, 110)
        figure.suptitle("\n".join(lines), fontsize=13, fontweight="bold")
    return figure


def _answers(axes: Any, found: FleetCheck) -> None:
    counts = found.judged.counts()
    plain_axes(axes)
    axes.spines["bottom"].set_visible(False)
    places = range(len(ANSWERS))
    values = [counts[answer] for answer in ANSWERS]
    axes.barh(places, values, 0.66, color=[ANSWER_INK[answer] for answer in ANSWERS])
    for at, value in zip(places, values, strict=True):
        share = 100 * value / max(len(found.fleet), 1)
        axes.annotate(f"{value} ({share:.0f} %)", (value, at), (7, 0), va="center",
                      textcoords="offset points", fontsize=10.5)  # fmt: skip
    name_ticks(axes.yaxis, ANSWERS, 11)
    axes.invert_yaxis()
    axes.set_xlim(0, max(values) * 1.25 or 1)
    axes.set_xticks([])
    axes.set_title(f"{len(found.fleet)} machines against {wanted_of(found)}", loc="left",
                   fontsize=11)  # fmt: skip


def _curve(axes: Any, found: FleetCheck) -> None:
    curve = found.curve
    assert curve is not None
    plain_axes(axes)
    already = found.judged.counts()["ready"]
    spent = np.array([0, *curve.spent]) / 100
    ready = np.array([already, *curve.ready])
    axes.step(spent, ready, where="post", color=INK, lw=1.4)
    order = found.judged.answers[curve.order]
    for at, answer in enumerate(ANSWERS):
        here = np.flatnonzero(order == at) + 1
        if len(here):
            axes.plot(spent[here], ready[here], ".", ms=5, color=ANSWER_INK[answer], label=answer)
    total = len(found.fleet)
    axes.axhline(total, color=MUTED, lw=1, ls="--")
    axes.text(0, total, f"all {total} machines", va="bottom", fontsize=9, color=MUTED)
    axes.set_ylim(0, total * 1.1)
    axes.set_xlim(0, float(spent[-1]) * 1.03 or 1)
    axes.grid(lw=0.6, color=RULE)
    axes.xaxis.set_major_formatter(lambda value, _: f"{value:,.0f}")
    if found.task.budget is not None and found.task.budget / 100 <= spent[-1]:
        budget = found.task.budget / 100
        axes.axvline(budget, color=INK, lw=1, ls=":")
        axes.annotate("budget", (budget, total * 0.03), (5, 0), fontsize=9,
                      textcoords="offset points")  # fmt: skip
    axes.set_xlabel(f"spent, {found.currency}, cheapest machines first".replace(", ,", ","))
    axes.set_ylabel("machines ready")
    axes.legend(loc="lower right", fontsize=9, frameon=False, title="what they needed")
    axes.set_title("Machines ready against money spent", loc="left", fontsize=11)


def _what_if(axes: Any, found: FleetCheck) -> None:
    table = found.what_if
    assert table is not None
    plain_axes(axes)
    axes.spines["bottom"].set_visible(False)
    shares = np.array(table.ready).T / max(table.machines, 1)
    edges = np.arange(shares.shape[1] + 1) - 0.5, np.arange(shares.shape[0] + 1) - 0.5
    axes.pcolormesh(*edges, shares, cmap=_shades(), vmin=0, vmax=1, edgecolor=PAPER, lw=2)
    axes.invert_yaxis()
    for (row, column), share in np.ndenumerate(shares):
        count = table.ready[column][row]
        axes.text(column, row, f"{count} ready\n{share * 100:.0f} %", ha="center", va="center",
                  color=PAPER if share > 0.9 else "#1f2329", fontsize=10.5)  # fmt: skip
    labels = ["as it is" if one is None else f"at least {format_memory(one)}"
              for one in table.totals]  # fmt: skip
    name_ticks(axes.xaxis, labels, 10.5)
    name_ticks(axes.yaxis, table.releases, 10.5)
    axes.set_title("What if every machine had more memory, where it can take it", loc="left",
                   fontsize=11)  # fmt: skip


def _shades() -> Any:
    from matplotlib.colors import LinearSegmentedColormap

    return LinearSegmentedColormap.from_list("ready", ["#eef3ee", "#2f7d4f"])


MOST = 2.25
"""Times the need: what is higher is cut, and says how high it is."""


TICKS = ((0.0, "0"), (0.5, "½"), (1.0, "asked for"), (1.5, "1½"), (2.0, "2 ×"))


AXIS = "what is there, against what is asked for"


_ROWS_MOST = 16


_WIDE = 16


class Bar(Struct, frozen=True):
    """One row of the chart."""

    status: str
    height: float
    """Times the need, MOST at most."""
    label: list[str]
    """The lines under it."""
    above: list[str]
    """The lines above it."""
    recommended: float | None
    """Where what is recommended lies, where that is not too high."""


def height_chart(result: Check, kind: str) -> bytes:
    """The picture as PNG or SVG."""
    return picture(height_figure(result), kind)


def height_figure(result: Check) -> Any:
    """The chart as a figure, with the answer and the sentence above it."""
    bars, notes = bars_of(result)
    figure = figure_of()
    axes = figure.subplots()
    plain_axes(axes)
    for at, bar in enumerate(bars):
        _draw(axes, at, bar)
    axes.axhline(1, color=INK, lw=1.6)
    axes.set_xlim(-0.6, len(bars) - 0.4)
    axes.set_ylim(0, MOST + 0.2)
    axes.set_yticks([at for at, _ in TICKS], [text for _, text in TICKS])
    axes.grid(axis="y", lw=0.6, color=RULE)
    name_ticks(axes.xaxis, ("\n".join(bar.label) for bar in bars), 9)
    axes.set_ylabel(AXIS)
    answer = result.verdict.decision.answer
    wanted = wanted_text(result)
    name = result.machine.name
    figure.suptitle(f"{name}, held against {wanted}: {headline(result)}", fontsize=15,
                    color=ANSWER_INK[answer], fontweight="bold")  # fmt: skip
    text = f"{sentence(result)} {notes}".strip()
    axes.set_title("\n".join(textwrap.wrap(text, 120)), fontsize=10, pad=14)
    return figure


def _draw(axes: Any, at: int, bar: Bar) -> None:
    color = STATUS_INK[bar.status]
    above = "\n".join(bar.above)
    if bar.status == "unknown":
        axes.bar(at, 1, 0.62, color="none", edgecolor=color, hatch="//", lw=1, ls="--")
        axes.text(at, 0.5, "?", ha="center", va="center", fontsize=20, color=color,
                  bbox={"facecolor": PAPER, "edgecolor": "none", "pad": 2})  # fmt: skip
        axes.text(at, 1.03, above, ha="center", va="bottom", fontsize=9, color=MUTED)
        return
    axes.bar(at, bar.height, 0.62, color=color)
    axes.text(at, bar.height + 0.03, above, ha="center", va="bottom", fontsize=9.5,
              fontweight="bold")  # fmt: skip
    if bar.recommended is not None:
        axes.plot([at - 0.36, at + 0.36], [bar.recommended] * 2, color=INK, lw=1.6, ls=":")


def bars_of(result: Check) -> tuple[list[Bar], str]:
    """The bars of a check, rows that are met left out first where there are too many; a note."""
    rows, others = plain_rows(result), recommended_rows(result)
    shown = sorted(rows, key=lambda row: row.status == "met")[:_ROWS_MOST]
    bars = [_bar(row, _recommended(others, row)) for row in rows if row in shown]
    left = len(rows) - len(bars)
    more = f"{left} more rows that are met are not drawn. " if left > 0 else ""
    return bars, more + ("Dotted: what is recommended." if others else "")


def _bar(row: ShownRow, recommended: float | None) -> Bar:
    if row.status == "unknown":
        return Bar(row.status, 1, _label(row), ["not known"], None)
    ratio = row.ratio if row.ratio is not None else (1.0 if row.status == "met" else 0.0)
    above = [cut(row.have_text, _WIDE + 4)]
    if ratio > MOST:
        above.append(f"▲ {ratio:.1f} ×")
    seen = recommended if recommended is not None and recommended <= MOST else None
    return Bar(row.status, min(ratio, MOST), _label(row), above, seen)


def _label(row: ShownRow) -> list[str]:
    lines = [*textwrap.wrap(key_name(row.key), _WIDE)[:2], f"asked: {row.need_text}"]
    return [cut(line, _WIDE + 6) for line in lines]


def _recommended(others: list[ShownRow], row: ShownRow) -> float | None:
    """Where the recommended need lies against the row's own."""
    for other in others:
        same = (other.key, other.source) == (row.key, row.source)
        if same and isinstance(other.need, int | float) and isinstance(row.need, int | float):
            return float(other.need) / float(row.need) if row.need else None
    return None


_POINTS_MOST = 4000
# two hues that keep apart in grey and for every kind of colour blindness, and a dark line
_MEMORY, _SWAP, _MARK, _CORES = "#2b6ca3", "#d98c1f", "#222222", "#5a5a5a"
_APART = "#d6d6e2"


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


def usage_chart(log: Log, usage: Usage, tight: float, kind: str) -> bytes:
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
    _apart(memory, usage.figures.apart, moments)
    # above the axes, where no curve is
    memory.legend(loc="lower left", bbox_to_anchor=(0, 1), ncols=4, frameon=False, fontsize=9,
                  borderaxespad=0.3)  # fmt: skip
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


def _apart(axis: Any, apart: Stretch | None, moments: Any) -> None:
    """The hours that are judged apart, day by day, behind the curve."""
    if apart is None:
        return
    label = "a job, left out" if apart.of_job else "people or a job"
    hours = np.timedelta64((apart.last - apart.first) % 24 or 24, "h")
    first, last = moments[0], moments[-1]
    for day in np.arange(first.astype("datetime64[D]") - 1, last.astype("datetime64[D]") + 1):
        start = day.astype("datetime64[s]") + np.timedelta64(apart.first, "h")
        if start < last and start + hours > first:
            axis.axvspan(max(start, first), min(start + hours, last), color=_APART, zorder=0,
                         lw=0, label=label)  # fmt: skip
            label = "_"  # once in the legend


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
