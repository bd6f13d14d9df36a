"""An upgrade plan as the documented JSON object."""

from typing import Any

from tallcheck.core.upgrade.parts import Offer
from tallcheck.core.upgrade.plan import Plan, Upgrade
from tallcheck.core.words.plans import (
    plan_conditions,
    plan_notes,
    plan_sentence,
    plan_steps,
)
from tallcheck.core.words.reasons import reason_text


def plan_json(found: Upgrade, text: str = "") -> dict[str, Any]:
    """The plan as the documented JSON object; ``text`` in place of its own sentence."""
    plan = found.plan
    return {
        "tallcheck": "plan/1",
        "machine": found.machine.name,
        "answer": found.answer,
        "sentence": text or plan_sentence(found),
        "target": found.target,
        "total": plan.total if plan else (found.board.fitted if found.board else None),
        **_content_json(plan, found.listed),
        "currency": found.currency or None,
        "notes": plan_notes(found),
        "conditions": plan_conditions(found),
        "steps": plan_steps(found),
        "alternatives": [
            {"label": other.label, "total": other.plan.total,
             **_content_json(other.plan, found.listed)}
            for other in found.alternatives
        ],
        "rejected": [{"part": one.part, "why": reason_text(one.why)} for one in found.rejected],
    }  # fmt: skip


def _content_json(plan: Plan | None, listed: bool) -> dict[str, Any]:
    if plan is None:
        return {"remove": [], "add": [], "cost": None}
    return {
        "remove": [{"slot": one.slot, "size": one.module.size} for one in plan.remove],
        "add": [
            {"slot": one.slot, "part": one.offer.part or None, "size": one.offer.size,
             "price": _price(one.offer) if listed else None, "kit": one.offer.pack,
             "source": one.offer.source or None,
             "type": one.offer.type, "form": one.offer.form, "speed": one.offer.speed}
            for one in plan.add
        ],
        "speed": plan.speed,
        "cost": None if plan.cost is None else plan.cost / 100,
    }  # fmt: skip


def _price(offer: Offer) -> float | None:
    """Of one module in units of the currency; of a kit its share."""
    return None if offer.price is None else round(offer.price / offer.pack) / 100
