"""An upgrade plan as the documented JSON object."""

from collections.abc import Sequence
from typing import Literal

from msgspec import Struct

from tallcheck.core.board.models import Offer
from tallcheck.core.messages.plans import plan_conditions, plan_notes, plan_sentence, plan_steps
from tallcheck.core.messages.reasons import reason_text
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
