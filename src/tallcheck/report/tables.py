"""A table as every form of output takes it."""

import re
from collections.abc import Iterable, Sequence

from msgspec import Struct

from tallcheck.core.values.text import printable


class Table(Struct, frozen=True):
    """A table with its heading; ``numbers`` are the columns that stand to the right."""

    title: str
    head: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    numbers: tuple[int, ...] = ()
    note: str = ""


def escaped(text: str) -> str:
    """Untrusted text with everything that Markdown or HTML would read as markup escaped."""
    return re.sub(r"([\\`*_{}\[\]()#+!|<>&~])", r"\\\1", printable(text))


def heading(level: int, text: str) -> list[str]:
    """A heading with a blank line behind it."""
    return [f"{'#' * level} {escaped(text)}", ""]


def bullets(texts: Iterable[str]) -> list[str]:
    """A list, one line each."""
    return [f"- {escaped(text)}" for text in texts]


def table(
    head: Sequence[str], rows: Iterable[Sequence[str]], numbers: Sequence[int] = ()
) -> list[str]:
    """A table; ``numbers`` are the columns that stand to the right."""
    rules = ("---:" if at in numbers else "---" for at in range(len(head)))
    lines = [_row(head), "|" + "|".join(rules) + "|"]
    return lines + [_row(row) for row in rows]


def _row(cells: Sequence[str]) -> str:
    return "| " + " | ".join(map(escaped, cells)) + " |"
