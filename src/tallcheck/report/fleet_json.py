"""A fleet's summary as JSON: counts, money, order; one machine a line is what --save is for."""

import datetime
from typing import Literal

import numpy as np
from msgspec import Struct

from tallcheck.core.fleet.columns import FleetFile
from tallcheck.core.fleet.judged import ANSWERS
from tallcheck.core.fleet.money import WhatIf
from tallcheck.core.fleet.placing import Work
from tallcheck.core.fleet.transfers import Solved
from tallcheck.core.jobs.fleet_check import FleetCheck
from tallcheck.core.messages.fleet import fleet_sentence
from tallcheck.core.messages.hints import how_to_find
from tallcheck.report.fleet_texts import doubt_texts
from tallcheck.report.fleet_work import Due, budget_names, due_of


class Costs(Struct, frozen=True):
    """What the machines with one answer cost, and how many of them have no known cost."""

    cost: float
    unknown: int


class DeadlineOut(Struct, frozen=True):
    """What has to be spent by when."""

    release: str | None
    ends: datetime.date | None
    machines: int
    cost: float
    unknown: int
    months: int | None
    ended: bool
    this_quarter: bool
    monthly: float | None


class PartOut(Struct, frozen=True):
    """A part that is ordered: how many, what one costs, where it can be had."""

    part: str
    count: int
    kit: int
    price: float
    source: str


class OrderOut(Struct, frozen=True):
    """The order: its cost, and that of every machine for itself."""

    cost: float
    apart: float
    apart_undone: int
    gap: float
    restricted: int
    undone: int
    reused: int
    parts: list[PartOut]
    left: dict[str, int]
    """Modules that come out and serve nothing, by size in bytes."""


class TakenOut(Struct, frozen=True):
    """A module that comes out, and the machine that it goes into."""

    slot: str
    size: int
    into: str | None


class PutIn(Struct, frozen=True):
    """A module that goes in: bought, or out of another machine."""

    slot: str
    size: int
    part: str | None
    source: str | None
    out_of: str | None
    out_of_slot: str | None


class WorkOut(Struct, frozen=True):
    """What is done at one machine; its place in the list is its place in the order."""

    machine: str | None
    take_out: list[TakenOut]
    put_in: list[PutIn]
    cost: float


class BudgetOut(Struct, frozen=True):
    """What the budget buys."""

    amount: float
    spent: float
    machines: list[str]
    gap: float


class Settles(Struct, frozen=True):
    """A reading to find out, and how many machines it comes first for."""

    key: str
    how: str
    machines: int


class FaultOut(Struct, frozen=True):
    """Cells of a column that did not read, with their lines."""

    column: str
    text: str
    lines: list[int]


class LeftOut(Struct, frozen=True):
    """A row that could not be read."""

    line: int
    why: str


class FleetOut(Struct, frozen=True):
    """A fleet, as ``fleet --format json`` prints it; money in units of the currency."""

    tallcheck: Literal["fleet/1"]
    against: list[str]
    machines: int
    sentence: str
    answers: dict[str, int]
    costs: dict[str, Costs] | None
    currency: str | None
    deadlines: list[DeadlineOut]
    order: OrderOut | None
    work: list[WorkOut]
    budget: BudgetOut | None
    due: Due | None
    curve: list[tuple[float, int]] | None
    """Money spent, and machines ready by then."""
    what_if: WhatIf | None
    find_out: list[Settles]
    doubts: list[str]
    faults: list[FaultOut]
    left_out: list[LeftOut]
    remarks: list[str]


def fleet_json(found: FleetCheck, file: FleetFile) -> FleetOut:
    """The summary as the documented object."""
    task, curve, within = found.task, found.curve, found.within
    return FleetOut(
        "fleet/1",
        [chosen.label for chosen in task.against],
        len(found.fleet),
        fleet_sentence(found),
        found.judged.counts(),
        _costs(found),
        found.currency or None,
        [
            DeadlineOut(one.release or None, one.ends, one.machines, one.cost / 100, one.unknown,
                        one.months, one.ended, one.this_quarter,
                        None if one.monthly is None else one.monthly / 100)
            for one in found.deadlines
        ],
        _solved(found.order),
        [_work(found, found.works[at]) for at in found.todo.tolist() if at in found.works],
        None if within is None else BudgetOut((task.budget or 0) / 100, within.spent / 100,
                                              budget_names(found), within.gap),
        due_of(found),
        None if curve is None else [
            (spent / 100, ready)
            for spent, ready in zip(curve.spent.tolist(), curve.ready.tolist(), strict=True)
        ],
        found.what_if,
        [Settles(key, how_to_find(key, None), count) for key, count in found.settling],
        doubt_texts(found, file, True),
        [
            FaultOut(one.column, one.text, file.fleet.lines[one.rows].tolist())
            for one in file.faults
        ],
        [LeftOut(line, why) for line, why in file.unreadable],
        file.remarks,
    )  # fmt: skip


def _costs(found: FleetCheck) -> dict[str, Costs] | None:
    if found.costs is None:
        return None
    costs: dict[str, Costs] = {}
    for at, answer in enumerate(ANSWERS):
        own = found.costs.whole[found.judged.answers == at]
        costs[answer] = Costs(float(np.nansum(own)) / 100, int(np.isnan(own).sum()))
    return costs


def _solved(solved: Solved | None) -> OrderOut | None:
    if solved is None:
        return None
    parts = [
        PartOut(one.offer.part, one.count, one.offer.pack, (one.offer.price or 0) / 100,
                one.offer.source)
        for one in solved.orders
    ]  # fmt: skip
    return OrderOut(
        solved.cost / 100, solved.apart / 100, solved.apart_undone, solved.gap, solved.restricted,
        solved.undone, solved.reused, parts, dict(solved.left),
    )  # fmt: skip


def _work(found: FleetCheck, work: Work) -> WorkOut:
    def name(at: int | None) -> str | None:
        return None if at is None else str(found.fleet.names[at])

    return WorkOut(
        name(work.machine),
        [TakenOut(one.slot, one.size, name(one.into)) for one in work.take_out],
        [
            PutIn(one.slot, one.size, one.offer.part if one.offer else None,
                  one.offer.source if one.offer else None, name(one.giver), one.giver_slot or None)
            for one in work.put_in
        ],
        work.cost / 100,
    )  # fmt: skip
