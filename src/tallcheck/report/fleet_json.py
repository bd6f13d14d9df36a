"""A fleet's summary as JSON: counts, money, order; one machine a line is what --save is for."""

from typing import Any

import msgspec
import numpy as np

from tallcheck.core.fleet.at_machine import Work
from tallcheck.core.fleet.columns import FleetFile
from tallcheck.core.fleet.judged import ANSWERS
from tallcheck.core.fleet.solved import Solved
from tallcheck.core.jobs.fleet_check import FleetCheck
from tallcheck.core.words.fleet import fleet_sentence
from tallcheck.core.words.hints import how_to_find
from tallcheck.report.fleet_texts import doubt_texts
from tallcheck.report.fleet_work import budget_names


def fleet_json(found: FleetCheck, file: FleetFile) -> dict[str, Any]:
    """The summary as the documented object; money in units of the currency."""
    task = found.task
    return {
        "tallcheck": "fleet/1",
        "against": [chosen.label for chosen in task.against],
        "machines": len(found.fleet),
        "sentence": fleet_sentence(found),
        "answers": found.judged.counts(),
        "costs": _costs(found),
        "currency": found.currency or None,
        "deadlines": [
            {"release": one.release or None, "ends": one.ends, "machines": one.machines,
             "cost": one.cost / 100, "unknown": one.unknown, "months": one.months,
             "ended": one.ended, "this_quarter": one.this_quarter,
             "monthly": None if one.monthly is None else one.monthly / 100}
            for one in found.deadlines
        ],
        "order": _solved(found.order),
        "work": [_work(found, one) for one in found.order.work] if found.order else [],
        "budget": None if found.within is None else {
            "amount": (task.budget or 0) / 100, "spent": found.within.spent / 100,
            "machines": budget_names(found), "gap": found.within.gap,
        },
        "curve": None if found.curve is None else [
            [spent / 100, ready]
            for spent, ready in zip(
                found.curve.spent.tolist(), found.curve.ready.tolist(), strict=True
            )
        ],
        "what_if": None if found.what_if is None else msgspec.to_builtins(found.what_if),
        "find_out": [
            {"key": key, "how": how_to_find(key, None), "machines": count}
            for key, count in found.settling
        ],
        "doubts": doubt_texts(found, file, True),
        "faults": [
            {"column": one.column, "text": one.text,
             "lines": file.fleet.lines[one.rows].tolist()}
            for one in file.faults
        ],
        "left_out": [{"line": line, "why": why} for line, why in file.unreadable],
        "remarks": file.remarks,
    }  # fmt: skip


def _costs(found: FleetCheck) -> dict[str, Any] | None:
    if found.costs is None:
        return None
    costs: dict[str, Any] = {}
    for at, answer in enumerate(ANSWERS):
        own = found.costs.whole[found.judged.answers == at]
        costs[answer] = {
            "cost": float(np.nansum(own)) / 100, "unknown": int(np.isnan(own).sum())
        }  # fmt: skip
    return costs


def _solved(solved: Solved | None) -> dict[str, Any] | None:
    if solved is None:
        return None
    return {
        "cost": solved.cost / 100,
        "apart": solved.apart / 100,
        "apart_undone": solved.apart_undone,
        "gap": solved.gap,
        "restricted": solved.restricted,
        "undone": solved.undone,
        "reused": solved.reused,
        "parts": [
            {
                "part": one.offer.part,
                "count": one.count,
                "kit": one.offer.pack,
                "price": (one.offer.price or 0) / 100,
                "source": one.offer.source,
            }
            for one in solved.orders
        ],
        "left": dict(solved.left),
    }


def _work(found: FleetCheck, work: Work) -> dict[str, Any]:
    """What is done at one machine; its place in the list is its place in the order."""

    def name(at: int | None) -> str | None:
        return None if at is None else str(found.fleet.names[at])

    return {
        "machine": name(work.machine),
        "take_out": [
            {"slot": one.slot, "size": one.size, "into": name(one.into)} for one in work.take_out
        ],
        "put_in": [
            {"slot": one.slot, "size": one.size, "part": one.offer.part if one.offer else None,
             "source": one.offer.source if one.offer else None, "out_of": name(one.giver),
             "out_of_slot": one.giver_slot or None}
            for one in work.put_in
        ],
        "cost": work.cost / 100,
    }  # fmt: skip
