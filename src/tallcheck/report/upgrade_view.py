"""An upgrade plan, and what a confirmation found, in a terminal."""

from collections.abc import Collection
from typing import Literal

from msgspec import Struct, structs

from tallcheck.core.board.account import Position
from tallcheck.core.jobs.check import Check
from tallcheck.core.jobs.confirm import DONE, PARTLY, Confirmed
from tallcheck.core.jobs.confirm_modules import Finding
from tallcheck.core.machine.sheet import Module
from tallcheck.core.messages.plans import (
    alternative_texts,
    counted,
    hand_steps,
    plan_conditions,
    plan_notes,
    plan_steps,
)
from tallcheck.core.messages.sentence import sentence
from tallcheck.core.messages.values import reason_text
from tallcheck.core.upgrade.plan import Upgrade
from tallcheck.core.usage.summary import Change, Span, UsageChange
from tallcheck.core.values.money import format_money
from tallcheck.core.values.quantities import (
    format_duration,
    format_memory,
    format_share,
    format_speed,
)
from tallcheck.report.check_view import section
from tallcheck.report.plain import Line, Page, wrap
from tallcheck.report.show_view import positions_drawing

_STYLES = {"nothing": "good", "plan": "strong", "impossible": "bad", "unknown": "open"}
_REJECTED_MOST = 6


def upgrade_lines(
    found: Upgrade, text: str, remarks: list[str], steps: bool, page: Page
) -> list[Line]:
    """The whole view of a plan under its sentence, with remarks before and after it.

    ``steps``: with what hands do.
    """
    lines: list[Line] = []
    before = [one for one in remarks if one.startswith("Nothing to buy")]
    after = [one for one in remarks if one not in before]
    for remark in before:
        lines += wrap(remark, page.width, style="good")
    lines += wrap(text, page.width, style=_STYLES[found.answer])
    for remark in after:
        lines += wrap(remark, page.width)
    if found.board is not None and found.board.positions:
        lines += _drawing(found, page)
    if found.plan is not None:
        lines += plan_lines(found, page)
    else:
        lines += section("Assumptions", plan_conditions(found), page)
    if steps:
        lines += section("By hand", hand_steps(found), page)
    lines += section("Other plans", alternative_texts(found), page)
    lines += section("Not usable here", rejected_texts(found, page.verbose), page, "dim")
    return lines


def plan_lines(found: Upgrade, page: Page) -> list[Line]:
    """What to buy, what to do, what matters, and what it rests on."""
    lines = _shopping(found, page)
    lines += [[], [("What to do", "strong")]]
    for number, step in enumerate(plan_steps(found), 1):
        lines += wrap(step, page.width, "     ", first=f"  {number}. ")
    lines += section("Worth knowing", plan_notes(found), page)
    return lines + section("Assumptions", plan_conditions(found), page)


def _drawing(found: Upgrade, page: Page) -> list[Line]:
    assert found.board is not None
    now = format_memory(found.board.fitted)
    lines: list[Line] = [[], [(f"Now: {now}", "strong")]]
    lines += shown_positions(found.board.positions, page)
    if found.plan is not None:
        speed = f", {format_speed(found.plan.speed)}" if found.plan.speed else ""
        lines += [[(f"After: {format_memory(found.plan.total)}{speed}", "strong")]]
        lines += shown_positions(found.plan.after, page, {one.slot for one in found.plan.add})
    return lines


def shown_positions(
    positions: tuple[Position, ...], page: Page, new: Collection[str] = ()
) -> list[Line]:
    """The positions as boxes; those in ``new`` are marked."""
    shown = []
    for one in positions:
        module = one.module or Module(size=0)
        name = f"{one.name}: new" if one.name in new else one.name
        fixed = one.fixed and bool(module.size) and not one.assumed
        shown.append(structs.replace(module, slot=name, fixed=fixed))
    return positions_drawing(shown, page)[1:]


def _shopping(found: Upgrade, page: Page) -> list[Line]:
    plan, board = found.plan, found.board
    assert plan is not None
    assert board is not None
    lines: list[Line] = [[], [("To buy", "strong")]]
    for count, text, price in counted(plan, board, found.listed):
        each = ""
        if price is not None and found.listed and plan.cost is not None:
            money = format_money(price * count, found.currency)
            each = f": {money}" if count == 1 else f": {money}, {format_money(price)} each"
        lines += wrap(f"{count} × {text}{each}", page.width, "    ", first="  - ")
    sources = dict.fromkeys(one.offer.source for one in plan.add if one.offer.source)
    if sources:
        lines += wrap(f"from {', '.join(sources)}", page.width, "    ", "dim")
    return lines


def rejected_texts(found: Upgrade, everything: bool) -> list[str]:
    """Why parts of the list are not usable, those with one reason together."""
    by_why: dict[str, list[str]] = {}
    for one in found.rejected:
        by_why.setdefault(reason_text(one.why), []).append(one.part)
    texts = []
    for why, parts in by_why.items():
        some = parts if everything else parts[:_REJECTED_MOST]
        more = len(parts) - len(some)
        texts.append(f"{why}: {', '.join(some)}" + (f" and {more} more" if more else ""))
    return texts


_ANSWER_STYLES = {DONE: "good", PARTLY: "open"}
_MARKS = {True: ("ok ", "good"), False: ("no ", "bad"), None: ("?  ", "open")}


def confirm_lines(
    found: Confirmed, decisions: list[tuple[Check, Check]], usage: UsageChange | None, page: Page
) -> list[Line]:
    """The answer first, then each thing that was looked at, the positions, and the decision."""
    lines = wrap(found.sentence, page.width, style=_ANSWER_STYLES.get(found.answer, "bad"))
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
