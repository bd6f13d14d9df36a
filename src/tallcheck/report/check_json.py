"""A check as the documented JSON object."""

import datetime
from typing import Any, Literal

from msgspec import UNSET, Struct, UnsetType, field, structs

from tallcheck.core.decide.decision import Row, Verdict
from tallcheck.core.jobs.check import Check
from tallcheck.core.messages.conditions import conditions
from tallcheck.core.messages.fixes import fix_text
from tallcheck.core.messages.hints import how_to_find
from tallcheck.core.messages.rows import (
    have_text,
    have_value,
    need_value,
    note,
    row_need_text,
)
from tallcheck.core.messages.sentence import conflict_texts, sentence
from tallcheck.report.plan_json import PlanOut, plan_json


class Against(Struct, frozen=True):
    """A release that the machine was held against."""

    title: str
    release: str
    kind: str


class FixMade(Struct, frozen=True):
    """A change that is made, and the rows that it meets."""

    kind: str
    rows: list[str]
    text: str


class ToFind(Struct, frozen=True):
    """A reading that would settle the answer, and where it is found."""

    key: str
    how: str


class Decided(Struct, frozen=True):
    """The answer and what belongs to it; ``target_memory`` in bytes."""

    answer: str
    sentence: str
    target_memory: int | None
    fixes: list[FixMade]
    conditions: list[str]
    conflicts: list[str]
    possible: list[str]
    find_out: list[ToFind]
    limiting: str | None


class Answered(Struct, frozen=True):
    """The answer at the recommended level."""

    answer: str


class Supported(Struct, frozen=True):
    """How long a release is supported, and whether it runs now."""

    release: str
    ends: datetime.date
    days_left: int
    running: bool


class Found(Struct, frozen=True):
    """What a usage log says."""

    finding: str
    sentence: str


class Origin(Struct, frozen=True):
    """Where a reading came from."""

    how: str
    source: str = field(name="from")


class RowOut(Struct, frozen=True):
    """One need against one reading, in the reading's own unit and as text."""

    key: str
    strength: str
    source: str = field(name="from")
    need: Any
    need_text: str
    have: Any
    have_text: str
    status: str
    """``met``, ``short`` or ``unknown``."""
    ratio: float | None
    fixes: list[str]
    origin: Origin | None
    note: str


class CheckOut(Struct, frozen=True):
    """A check, as ``check --format json`` prints it."""

    tallcheck: Literal["check/1"]
    machine: str
    level: str
    against: list[Against]
    decision: Decided
    recommended: Answered | None
    support: list[Supported]
    usage: Found | None
    rows: list[RowOut]
    plan: PlanOut | None
    releases: "list[CheckOut] | UnsetType" = UNSET
    """The check of each release, newest first, where several were asked for."""


def check_json(results: list[Check]) -> CheckOut:
    """The check, or that of the newest release with all of them beside it."""
    first = _one(results[0])
    return first if len(results) == 1 else structs.replace(first, releases=list(map(_one, results)))


def _one(result: Check) -> CheckOut:
    rows = [_row(row, result.verdict) for row in result.verdict.rows]
    if result.recommended is not None:
        rows += [_row(row, result.recommended) for row in result.recommended_rows]
    usage, plan, recommended = result.usage, result.plan, result.recommended
    return CheckOut(
        "check/1",
        result.machine.name,
        result.level,
        [Against(one.sheet.title, one.release.name, one.sheet.kind) for one in result.against],
        _decided(result),
        None if recommended is None else Answered(recommended.decision.answer),
        [Supported(one.release, one.ends, one.days_left, one.running) for one in result.support],
        None if usage is None else Found(usage.finding, usage.sentence),
        rows,
        None if plan is None else plan_json(plan),
    )


def _decided(result: Check) -> Decided:
    verdict = result.verdict
    decision = verdict.decision
    system = result.machine.system.os
    return Decided(
        decision.answer,
        sentence(result),
        decision.target_memory,
        [FixMade(fix.kind, list(fix.rows), fix_text(fix, verdict)) for fix in decision.fixes],
        conditions(verdict, result.ages, result.usage),
        conflict_texts(result),
        list(decision.possible),
        [ToFind(key, how_to_find(key, system)) for key in decision.find_out],
        decision.limiting,
    )


def _row(row: Row, verdict: Verdict) -> RowOut:
    asked = row.ask.asked
    return RowOut(
        row.key,
        asked.strength,
        asked.source,
        need_value(asked.need),
        row_need_text(row),
        have_value(row),
        have_text(row, verdict.world),
        row.status,
        None if row.ratio is None else round(row.ratio, 3),
        list(row.fixes),
        Origin(row.origin.how, row.origin.source) if row.origin else None,
        note(row, verdict),
    )
