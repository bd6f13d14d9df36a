"""A check and an upgrade plan as the documented JSON objects."""

import datetime
from collections.abc import Sequence
from typing import Any, Literal

from msgspec import UNSET, Struct, UnsetType, field, structs

from tallcheck.core.board.models import Offer
from tallcheck.core.decide.decision import Row, Verdict
from tallcheck.core.jobs.check import Check
from tallcheck.core.messages.conditions import conditions_of
from tallcheck.core.messages.fixes import fix_text
from tallcheck.core.messages.hints import how_to_find
from tallcheck.core.messages.plans import plan_conditions, plan_notes, plan_sentence, plan_steps
from tallcheck.core.messages.remarks import note
from tallcheck.core.messages.rows import have_text, have_value, need_value, row_need_text
from tallcheck.core.messages.sentence import conflict_texts, sentence
from tallcheck.core.messages.values import reason_text
from tallcheck.core.upgrade.plan import Plan, Upgrade


class Out(Struct, frozen=True):
    """A module that comes out, by its position; ``size`` in bytes."""

    slot: str
    size: int | None


class In(Struct, frozen=True):
    """A module that goes in: its position, and what is bought for it."""

    slot: str
    part: str | None
    size: int
    price: float | None
    kit: int
    """How many are sold as one."""
    source: str | None
    type: str | None
    form: str | None
    speed: int | None


class OtherPlan(Struct, frozen=True):
    """Another plan, and what it is for."""

    label: str
    total: int
    remove: list[Out]
    add: list[In]
    speed: int | None
    cost: float | None


class Refused(Struct, frozen=True):
    """A part of the list that is not taken, and why."""

    part: str
    why: str


class PlanOut(Struct, frozen=True):
    """A plan, as ``upgrade --format json`` prints it; sizes in bytes, money in the currency."""

    tallcheck: Literal["plan/1"]
    machine: str
    answer: str
    sentence: str
    target: int | None
    total: int | None
    remove: list[Out]
    add: list[In]
    speed: int | None
    cost: float | None
    currency: str | None
    notes: list[str]
    conditions: list[str]
    steps: list[str]
    alternatives: list[OtherPlan]
    rejected: list[Refused]


def plan_json(found: Upgrade, text: str = "", remarks: Sequence[str] = ()) -> PlanOut:
    """The plan; ``text`` in place of its own sentence, ``remarks`` before its notes."""
    plan = found.plan
    listed = found.listed
    return PlanOut(
        "plan/1",
        found.machine.name,
        found.answer,
        text or plan_sentence(found),
        found.target,
        plan.total if plan else (found.board.fitted if found.board else None),
        _out(plan),
        _in(plan, listed),
        plan.speed if plan else None,
        _cost(plan),
        found.currency or None,
        [*remarks, *plan_notes(found)],
        plan_conditions(found),
        plan_steps(found),
        [
            OtherPlan(one.label, one.plan.total, _out(one.plan), _in(one.plan, listed),
                      one.plan.speed, _cost(one.plan))
            for one in found.alternatives
        ],
        [Refused(one.part, reason_text(one.why)) for one in found.rejected],
    )  # fmt: skip


def _out(plan: Plan | None) -> list[Out]:
    return [Out(one.slot, one.module.size) for one in plan.remove] if plan else []


def _in(plan: Plan | None, listed: bool) -> list[In]:
    return [
        In(one.slot, one.offer.part or None, one.offer.size,
           _price(one.offer) if listed else None, one.offer.pack, one.offer.source or None,
           one.offer.type, one.offer.form, one.offer.speed)
        for one in (plan.add if plan else ())
    ]  # fmt: skip


def _cost(plan: Plan | None) -> float | None:
    return None if plan is None or plan.cost is None else plan.cost / 100


def _price(offer: Offer) -> float | None:
    """Of one module in units of the currency; of a kit its share."""
    return None if offer.price is None else round(offer.price / offer.pack) / 100


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
        conditions_of(result),
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
