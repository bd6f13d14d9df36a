"""What came of a confirmation: for reading, and as the documented JSON object."""

from typing import Literal

from msgspec import Struct

from tallcheck.core.jobs.check import Check
from tallcheck.core.jobs.confirm import DONE, PARTLY, Confirmed
from tallcheck.core.jobs.confirm_modules import Finding
from tallcheck.core.messages.sentence import sentence
from tallcheck.core.usage.summary import Change, Span, UsageChange
from tallcheck.core.values.quantities import format_duration, format_memory, format_share
from tallcheck.report.check_view import section
from tallcheck.report.plain import Line, Page, wrap
from tallcheck.report.upgrade_view import shown_positions

_STYLES = {DONE: "good", PARTLY: "open"}
_MARKS = {True: ("ok ", "good"), False: ("no ", "bad"), None: ("?  ", "open")}


def confirm_lines(
    found: Confirmed, decisions: list[tuple[Check, Check]], usage: UsageChange | None, page: Page
) -> list[Line]:
    """The answer first, then each thing that was looked at, the positions, and the decision."""
    lines = wrap(found.sentence, page.width, style=_STYLES.get(found.answer, "bad"))
    for before, after in decisions:
        was, now = before.verdict.decision.answer, after.verdict.decision.answer
        wanted = " and ".join(chosen.label for chosen in after.against)
        lines += wrap(f"{wanted}: {was} before, {now} now. {sentence(after)}", page.width)
    if usage is not None:
        style = {True: "good", False: "bad", None: "open"}[usage.helped]
        lines += wrap(usage.sentence, page.width, style=style)
    lines += [[], [("What was looked at", "strong")]]
    for one in found.findings:
        mark, style = _MARKS[one.good]
        first, *rest = wrap(one.text, page.width - 5, "     ", first=" ")
        lines += [[("  ", ""), (mark, style), *[(text[1:], kind) for text, kind in first]], *rest]
    for title, board in (("Before", found.before), ("Now", found.after)):
        if board is not None:
            lines += [[], [(f"{title}: {format_memory(board.fitted)}", "strong")]]
            lines += shown_positions(board.positions, page)
    lines += section("Other changes", list(found.changes), page)
    return lines + (_usage_lines(usage, page) if usage is not None and usage.changes else [])


def _usage_lines(usage: UsageChange, page: Page) -> list[Line]:
    spent = format_duration(usage.seconds)
    title = f"In use, over {spent} of like hours (with 95 % confidence)"
    lines: list[Line] = [[], [(title, "strong")]]
    lines.append([(f"  {'':<20}{'before':<17}{'now':<17}difference", "dim")])
    for one in usage.changes:
        cells = f"{_span(one.before):<17}{_span(one.after):<17}{_points(one)}"
        lines += wrap(cells, page.width, " " * 22, first=f"  {one.label:<20}")
    return lines


def _span(span: Span) -> str:
    return f"{format_share(span.value)} ({_number(span.low)} to {_number(span.high)})"


def _number(share: float) -> str:
    return f"{share * 100:.0f}"


def _points(one: Change) -> str:
    span = one.difference
    return f"{span.value * 100:+.0f} ({span.low * 100:+.0f} to {span.high * 100:+.0f}) points"


class Redecided(Struct, frozen=True):
    """The answer for some needs, before the work and after it."""

    against: list[str]
    before: str
    after: str


class ConfirmOut(Struct, frozen=True):
    """A confirmation, as ``confirm --format json`` prints it; totals in bytes."""

    tallcheck: Literal["confirm/1"]
    machine: str
    answer: str
    sentence: str
    before: int | None
    after: int | None
    findings: list[Finding]
    changes: list[str]
    decisions: list[Redecided]
    usage: UsageChange | None


def confirm_json(
    found: Confirmed, decisions: list[tuple[Check, Check]], usage: UsageChange | None
) -> ConfirmOut:
    """The findings, what the checks come to, and whether it helped."""
    return ConfirmOut(
        "confirm/1",
        found.machine,
        found.answer,
        found.sentence,
        found.before.fitted if found.before else None,
        found.after.fitted if found.after else None,
        list(found.findings),
        list(found.changes),
        [
            Redecided([chosen.label for chosen in now.against], was.verdict.decision.answer,
                      now.verdict.decision.answer)
            for was, now in decisions
        ],
        usage,
    )  # fmt: skip
