"""The height chart of one machine: each row's have against its need, on a common mark at 1."""

from typing import Any

from tallcheck.core.jobs.check import Check
from tallcheck.core.values.text import printable
from tallcheck.core.words.rows import key_name
from tallcheck.core.words.sentence import headline, sentence, wanted_text
from tallcheck.report.ink import ANSWER_INK, INK, MUTED, PAPER, RULE, STATUS_INK
from tallcheck.report.picture import figure_of, picture, plain_axes
from tallcheck.report.rows import ShownRow, plain_rows, recommended_rows

_MOST = 2.25  # times the need: what is higher is cut, and says how high it is
_ROWS_MOST = 16
_WIDE = 16


def height_chart(result: Check, kind: str) -> bytes:
    """The picture as PNG or SVG."""
    return picture(height_figure(result, True), kind)


def height_figure(result: Check, titled: bool) -> Any:
    """The chart as a figure; ``titled``: with the answer and the sentence above it."""
    rows = plain_rows(result)
    others = recommended_rows(result)
    shown = sorted(rows, key=lambda row: row.status == "met")[:_ROWS_MOST]
    shown = [row for row in rows if row in shown]
    figure = figure_of()
    axes = figure.subplots()
    plain_axes(axes)
    for at, row in enumerate(shown):
        _bar(axes, at, row, _recommended(others, row))
    axes.axhline(1, color=INK, lw=1.6)
    axes.set_xlim(-0.6, len(shown) - 0.4)
    axes.set_ylim(0, _MOST + 0.2)
    axes.set_yticks([0, 0.5, 1, 1.5, 2], ["0", "½", "asked for", "1½", "2 ×"])
    axes.grid(axis="y", lw=0.6, color=RULE)
    axes.set_xticks(range(len(shown)), [_label(row) for row in shown], fontsize=9)
    axes.set_ylabel("what is there, against what is asked for")
    left = len(rows) - len(shown)
    more = f"{left} more rows that are met are not drawn. " if left > 0 else ""
    notes = more + ("Dotted: what is recommended." if others else "")
    if titled:
        _titles(figure, axes, result, notes)
    else:
        axes.set_title(notes, fontsize=10)
    return figure


def _titles(figure: Any, axes: Any, result: Check, notes: str) -> None:
    answer = result.verdict.decision.answer
    wanted = wanted_text(result)
    name = printable(result.machine.name)
    figure.suptitle(f"{name}, held against {printable(wanted)}: {headline(result)}", fontsize=15,
                    color=ANSWER_INK[answer], fontweight="bold")  # fmt: skip
    text = _wrapped(f"{printable(sentence(result))} {notes}".strip(), 120)
    axes.set_title(text, fontsize=10, pad=14)


def _wrapped(text: str, width: int) -> str:
    import textwrap

    return "\n".join(textwrap.wrap(text, width))


def _label(row: ShownRow) -> str:
    lines = [*_wrapped(key_name(row.key), _WIDE).splitlines()[:2], f"asked: {row.need_text}"]
    return "\n".join(printable(line)[: _WIDE + 6] for line in lines)


def _recommended(others: list[ShownRow], row: ShownRow) -> float | None:
    """Where the recommended need lies against the row's own."""
    for other in others:
        same = (other.key, other.source) == (row.key, row.source)
        if same and isinstance(other.need, int | float) and isinstance(row.need, int | float):
            return float(other.need) / float(row.need) if row.need else None
    return None


def _bar(axes: Any, at: int, row: ShownRow, recommended: float | None) -> None:
    color = STATUS_INK[row.status]
    if row.status == "unknown":
        axes.bar(at, 1, 0.62, color="none", edgecolor=color, hatch="//", lw=1, ls="--")
        axes.text(at, 0.5, "?", ha="center", va="center", fontsize=20, color=color,
                  bbox={"facecolor": PAPER, "edgecolor": "none", "pad": 2})  # fmt: skip
        axes.text(at, 1.03, "not known", ha="center", va="bottom", fontsize=9, color=MUTED)
        return
    ratio = row.ratio if row.ratio is not None else (1.0 if row.status == "met" else 0.0)
    height = min(ratio, _MOST)
    axes.bar(at, height, 0.62, color=color)
    text = printable(row.have_text)
    text = text if len(text) <= _WIDE + 4 else text[: _WIDE + 3] + "…"
    above = f"{text}\n▲ {ratio:.1f} ×" if ratio > _MOST else text
    axes.text(at, height + 0.03, above, ha="center", va="bottom", fontsize=9.5, fontweight="bold")
    if recommended is not None and recommended <= _MOST:
        axes.plot([at - 0.36, at + 0.36], [recommended] * 2, color=INK, lw=1.6, ls=":")
