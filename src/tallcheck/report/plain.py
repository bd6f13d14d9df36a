"""Lines of styled text: plain into a pipe, in colour on a terminal, ASCII where need be."""

import os
import sys
from collections.abc import Callable
from typing import TYPE_CHECKING, TextIO

from tallcheck.core.values.text import printable

if TYPE_CHECKING:
    from rich.console import Console
    from rich.text import Text

Span = tuple[str, str]
"""A piece of text and its style: good, bad, open, strong, dim, an answer, or empty."""
Line = list[Span]

_ASCII = str.maketrans({"█": "#", "·": ".", "│": "|", "►": ">", "…": "~", "—": "-", "─": "-",
                        "┌": "+", "┐": "+", "└": "+", "┘": "+", "×": "x", "≥": ">",
                        "–": "-"})  # fmt: skip


_ROOM_LEAST = 20
"""Columns for the text itself, whatever stands before it."""


class Page:
    """What the place of output can show: its width in columns; and whether all is wanted."""

    def __init__(self, width: int, verbose: bool = False) -> None:
        self.width, self.verbose = width, verbose


def wrap(text: str, width: int, indent: str = "", style: str = "", first: str = "") -> list[Line]:
    """Text from anywhere as lines of at most ``width`` columns."""
    import textwrap

    lines = textwrap.wrap(
        printable(text),
        max(width, len(first) + _ROOM_LEAST, len(indent) + _ROOM_LEAST),
        initial_indent=first or indent,
        subsequent_indent=indent,
        break_on_hyphens=False,
    )
    return [[(line, style)] for line in lines] or [[("", style)]]


def show(make: Callable[[Page], list[Line]], verbose: bool = False) -> None:
    """Print the lines that ``make`` draws for the page at hand."""
    out = sys.stdout
    terminal = out.isatty()
    lines = make(Page(page_width(terminal), verbose))
    if terminal and not os.environ.get("NO_COLOR") and os.environ.get("TERM") != "dumb":
        _show_coloured(lines)
        return
    plain = not _takes_unicode(out.encoding)
    text = as_text(lines)
    out.write(_ascii(text) if plain else text)


def as_text(lines: list[Line]) -> str:
    """Lines as plain text, without colour."""
    return "".join(printable("".join(piece for piece, _ in line)).rstrip() + "\n" for line in lines)


def _ascii(text: str) -> str:
    return text.translate(_ASCII).encode("ascii", "replace").decode()


def _takes_unicode(encoding: str | None) -> bool:
    if os.environ.get("TERM") == "dumb":
        return False
    try:
        "█│·…►".encode(encoding or "ascii")
    except (UnicodeEncodeError, LookupError):
        return False
    return True


def page_width(terminal: bool) -> int:
    """Columns to fill: those of the terminal, 80 into a pipe, never under 60 or over 120."""
    columns = os.environ.get("COLUMNS", "")
    width = int(columns) if columns.isdecimal() and len(columns) < 5 else 0
    if not width and terminal:
        try:
            width = os.get_terminal_size(sys.stdout.fileno()).columns
            width -= sys.platform == "win32"  # its console begins a line after a full one
        except OSError:
            width = 0
    return min(max(width or 80, 60), 120)


_STYLES = {
    "good": "color(28)", "bad": "bold color(160)", "open": "color(130)", "strong": "bold",
    "dim": "dim", "ready": "color(28)", "memory-alone": "color(27)", "memory-plus": "color(127)",
    "not-memory": "color(130)", "replace": "color(160)", "undecided": "color(243)",
}  # fmt: skip
"""The answers in the hues of the charts, dark and bright enough for white and for black."""


def console(out: TextIO) -> "Console":
    """A place for colour and progress bars, which reads no text as markup."""
    from rich.console import Console

    return Console(file=out, highlight=False, markup=False, soft_wrap=True)


def _show_coloured(lines: list[Line]) -> None:
    place = console(sys.stdout)
    for line in lines:
        place.print(styled([line]))


def styled(lines: list[Line]) -> "Text":
    """Lines in colour, as the terminal at hand takes them."""
    from rich.text import Text

    plain = not _takes_unicode(sys.stdout.encoding)
    found = []
    for line in lines:
        text = Text()
        for piece, style in line:
            piece = printable(piece)
            text.append(_ascii(piece) if plain else piece, _STYLES.get(style, ""))
        text.rstrip()
        found.append(text)
    return Text("\n").join(found)
