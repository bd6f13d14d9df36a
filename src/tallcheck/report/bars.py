"""What the height chart shows of each row: how high it is against what is asked for, in words."""

import textwrap

from msgspec import Struct

from tallcheck.core.jobs.check import Check
from tallcheck.core.words.rows import key_name
from tallcheck.report.check_view import cut
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
