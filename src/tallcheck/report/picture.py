"""Figures with no clock in them, and the templates of pages.

A page is one file, with nothing loaded from outside; the template engine escapes what it is given.
"""

import io
import logging
import os
import re
from collections.abc import Iterable
from typing import Any

from tallcheck.core.values.text import printable

KINDS = ("png", "svg")


def figure_of(width: float = 12.8, height: float = 8.0) -> Any:
    """An empty figure of so many inches, at 100 dots to the inch."""
    os.environ["MPLBACKEND"] = "agg"  # whatever stands there, nothing is drawn on a screen
    # that it looks for fonts for a while is none of the user's concern
    logging.getLogger("matplotlib.font_manager").setLevel(logging.ERROR)
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
