"""A fleet drawn: the answers, machines ready against money, and the what-if table."""

import textwrap
from typing import Any

import numpy as np

from tallcheck.core.fleet.judged import ANSWERS
from tallcheck.core.jobs.fleet_check import FleetCheck
from tallcheck.core.messages.fleet import fleet_sentence, wanted_of
from tallcheck.core.values.quantities import format_memory
from tallcheck.report.picture import (
    ANSWER_INK,
    INK,
    MUTED,
    PAPER,
    RULE,
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
