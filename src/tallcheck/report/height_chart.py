"""The height chart of one machine: each row's have against its need, on a common mark at 1."""

import textwrap
from typing import Any

from tallcheck.core.jobs.check import Check
from tallcheck.core.words.sentence import headline, sentence, wanted_text
from tallcheck.report.bars import AXIS, MOST, TICKS, Bar, bars_of
from tallcheck.report.ink import ANSWER_INK, INK, MUTED, PAPER, RULE, STATUS_INK
from tallcheck.report.picture import figure_of, name_ticks, picture, plain_axes


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
