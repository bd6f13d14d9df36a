"""The height chart of one machine: each row's have against its need, on a common mark at 1."""

import textwrap
from typing import Any

from msgspec import Struct

from tallcheck.core.jobs.check import Check
from tallcheck.core.messages.rows import key_name
from tallcheck.core.messages.sentence import headline, sentence, wanted_text
from tallcheck.report.check_view import cut
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
from tallcheck.report.rows import ShownRow, plain_rows, recommended_rows

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
