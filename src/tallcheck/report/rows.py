"""Rows as every report shows them: facts with the words for them, worked out once."""

from typing import Any

from msgspec import Struct

from tallcheck.core.decide.decision import Row, Verdict
from tallcheck.core.jobs.check import Check
from tallcheck.core.machine.sheet import Origin
from tallcheck.core.messages.fixes import fix_text, kinds_text
from tallcheck.core.messages.rows import have_text, need_value, note, row_need_text


class ShownRow(Struct, frozen=True):
    """One row with its texts."""

    key: str
    source: str
    strength: str
    need: Any
    need_text: str
    have_text: str
    status: str
    ratio: float | None
    fixes: tuple[str, ...]
    origin: Origin | None
    note: str
    fix_text: str
    """What is done about a short row: the fix that was taken, else the kinds there are."""

    @property
    def height(self) -> float | None:
        """Have against need; None for lists, bits, yes or no, which have no scale."""
        return None if isinstance(self.need, list | dict) else self.ratio

    @property
    def origin_text(self) -> str:
        """Where the reading is from."""
        if self.origin is None:
            return ""
        source = self.origin.source
        return f"{self.origin.how}: {source}" if source else self.origin.how


def _shown(row: Row, verdict: Verdict) -> ShownRow:
    asked = row.ask.asked
    return ShownRow(
        row.key, asked.source, asked.strength, need_value(asked.need), row_need_text(row),
        have_text(row, verdict.world), row.status, row.ratio, row.fixes, row.origin,
        note(row, verdict), _fix(row, verdict),
    )  # fmt: skip


def _fix(row: Row, verdict: Verdict) -> str:
    if row.status != "short":
        return ""
    taken = [fix_text(fix, verdict) for fix in verdict.decision.fixes if row.key in fix.rows]
    return "; ".join(taken) or kinds_text(row.fixes, row.key)


def plain_rows(result: Check) -> list[ShownRow]:
    """The rows of the level that was checked."""
    return [_shown(row, result.verdict) for row in result.verdict.rows]


def recommended_rows(result: Check) -> list[ShownRow]:
    """The rows that only the recommended level has."""
    if result.recommended is None:
        return []
    return [_shown(row, result.recommended) for row in result.recommended_rows]
