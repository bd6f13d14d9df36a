"""A check as rows, as Markdown and as CSV, and a table as every form of output takes it."""

import io
import re
from collections.abc import Iterable, Sequence
from typing import Any

from msgspec import Struct

from tallcheck.core.decide.decision import Row, Verdict
from tallcheck.core.jobs.check import Check
from tallcheck.core.machine.readings import label_of
from tallcheck.core.machine.sheet import Origin
from tallcheck.core.messages.conditions import conditions_of
from tallcheck.core.messages.fixes import fix_text, kinds_text
from tallcheck.core.messages.hints import how_to_find
from tallcheck.core.messages.plans import alternative_texts, plan_notes, plan_sentence
from tallcheck.core.messages.remarks import note
from tallcheck.core.messages.rows import have_text, need_text, need_value, row_need_text
from tallcheck.core.messages.sentence import (
    conflict_texts,
    newest_that_runs,
    releases_of,
    sentence,
    wanted_text,
)
from tallcheck.core.messages.values import capital, support_text
from tallcheck.core.values.text import guarded, printable


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


TO_DO = "What to do"

# --- Markdown ------------------------------------------------------------------------------


def markdown(results: list[Check]) -> str:
    """The check, or the check of each release, as Markdown."""
    first = results[0]
    if len(results) == 1:
        return "\n".join(_one_markdown(first)) + "\n"
    lines = [*heading(1, first.machine.name), escaped(newest_that_runs(results)), ""]
    lines += table(
        ["release", "answer", "limited by"],
        [
            [release.label, one.verdict.decision.answer, limit_text(one)]
            for release, one in zip(releases_of(results), results, strict=True)
        ],
    )
    for result in results:
        lines += ["", *_one_markdown(result, 2)]
    return "\n".join(lines) + "\n"


def _one_markdown(result: Check, level: int = 1) -> list[str]:
    decision = result.verdict.decision
    lines = heading(level, f"{result.machine.name} against {wanted_text(result)}")
    lines += [f"**{decision.answer}** — {escaped(sentence(result))}", ""]
    for title, texts in sections(result):
        lines += [*heading(level + 1, title), *bullets(texts), ""]
    rows = [*plain_rows(result), *recommended_rows(result)]
    return lines + table(
        ["what", "strength", "asked", "there", "status", "fix", "note", "from"],
        [
            [r.key, r.strength, r.need_text, r.have_text, r.status,
             r.fix_text, r.note, r.origin_text]
            for r in rows
        ],
    )  # fmt: skip


def sections(result: Check) -> list[tuple[str, list[str]]]:
    """Everything beside the rows, by title; empty ones left out."""
    decision = result.verdict.decision
    doubts = [one.text for one in result.machine.doubts]
    system = result.machine.system.os
    found = [f"{label_of(key)}: {how_to_find(key, system)}" for key in decision.find_out]
    everything = [
        # one alone is what the sentence says
        ("Conflicts", conflict_texts(result) if len(decision.conflicts) > 1 else []),
        (TO_DO, _to_do(result)),
        ("In doubt", doubts),
        ("Assumptions", conditions_of(result)),
        ("What would settle it, most telling first", found),
        ("Support", [support_text(one) for one in result.support]),
    ]
    return [(title, texts) for title, texts in everything if texts]


def _to_do(result: Check) -> list[str]:
    """The fixes by name and the plan, what matters about it, and the other plans."""
    verdict, plan = result.verdict, result.plan
    planned = ("memory",) if plan is not None else ()
    fixes = [fix for fix in verdict.decision.fixes if fix.kind not in planned]
    texts = [capital(fix_text(fix, verdict)) for fix in fixes]
    if plan is None:
        return texts
    return [plan_sentence(plan), *texts, *plan_notes(plan), *alternative_texts(plan)]


def limit_text(result: Check) -> str:
    """What limits a machine, or what would have to be found out."""
    decision = result.verdict.decision
    if decision.conflicts:
        return conflict_texts(result)[0]
    row = next((r for r in result.verdict.rows if r.key == decision.limiting), None)
    if row is None:
        found = decision.find_out
        return f"unknown: {label_of(found[0])}" if found else "-"
    return (
        f"{row.key}: {have_text(row, result.verdict.world)}, {need_text(row.ask.asked.need)} asked"
    )


# --- CSV -----------------------------------------------------------------------------------

_COLUMNS = ("machine", "from", "strength", "key", "need", "have", "status", "ratio", "fixes",
            "origin", "note", "answer")  # fmt: skip


def csv_text(results: list[Check]) -> str:
    """One line for each row of each check."""
    import csv  # which the other formats do without

    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(_COLUMNS)
    for result in results:
        for row in (*plain_rows(result), *recommended_rows(result)):
            ratio = "" if row.ratio is None else f"{row.ratio:.3f}"
            cells = [
                result.machine.name, row.source, row.strength, row.key, row.need_text,
                row.have_text, row.status, ratio, " ".join(row.fixes), row.origin_text, row.note,
                result.verdict.decision.answer,
            ]  # fmt: skip
            writer.writerow([guarded(cell) for cell in cells])
    return out.getvalue()
