"""Money and the drawer: costs, curve, deadlines, one order for all, and what if."""

import datetime
import random
from itertools import product
from typing import Any

import numpy as np
import pytest

from tallcheck.core.board.models import Model, Offer, PartsList
from tallcheck.core.decide.decision import decide
from tallcheck.core.fleet.columns import Fleet, Words
from tallcheck.core.fleet.facts import Facts
from tallcheck.core.fleet.judged import ANSWERS, Fixes, Judged, fixes_of, judge_fleet
from tallcheck.core.fleet.known import find_doubts
from tallcheck.core.fleet.models import with_models
from tallcheck.core.fleet.money import (
    TARGETS,
    Deadline,
    Prices,
    Support,
    costs_of,
    curve_of,
    deadlines_of,
    what_if,
    with_memory,
)
from tallcheck.core.fleet.plans import Plans, plans_of
from tallcheck.core.fleet.stock_plan import solve_fleet
from tallcheck.core.fleet.transfers import Solved
from tallcheck.core.machine.names import model_key
from tallcheck.core.machine.normalized import normalized
from tallcheck.core.machine.readings import Told
from tallcheck.core.machine.sheet import Machine
from tallcheck.core.machine.telling import tell_all
from tallcheck.core.upgrade.plan import plan_upgrade
from tests.helpers import GIB, VOCABULARY, asked
from tests.test_fleet import random_fleet
from tests.test_upgrade import notebook, offer, offers

SEED = 20261125


def sheets(*machines: Machine) -> Fleet:
    """A fleet of machine sheets."""
    return Fleet(
        np.array([one.name for one in machines], dtype=object), np.arange(len(machines)), {}, {},
        np.zeros(len(machines), dtype=np.uint32), VOCABULARY, list(machines),
    )  # fmt: skip


def order_for(
    machines: list[tuple[Machine, int]], parts: PartsList, budget: int | None = None,
    extra: int = 0, others: list[tuple[int, int]] | None = None,
) -> Solved | None:  # fmt: skip
    """The order for machines, each with its target in GB."""
    plans = Plans(
        np.arange(len(machines)),
        [plan_upgrade(machine, target * GIB, VOCABULARY, parts) for machine, target in machines],
        list(range(len(machines))),
    )
    return solve_fleet(plans, parts, np.full(len(machines), extra), others, budget)


def solved(machines: list[tuple[Machine, int]], parts: PartsList, *more: Any) -> Solved:
    """The same, where there is one."""
    found = order_for(machines, parts, *more)
    assert found is not None
    return found


def test_modules_that_come_out_serve_another_machine() -> None:
    giver, taker = notebook(4, 4, position_most=8 * GIB), notebook(4, 0)
    few = offers(offer("four", 4, 13), offer("eight", 8, 20))
    found = solved([(giver, 16), (taker, 8)], few)
    assert found.cost == 4000
    assert (found.apart, found.reused, found.gap) == (5300, 1, 0)
    assert found.left == (("4 GB DDR4 SODIMM", 1),)
    assert [(one.giver, one.size) for one in found.work[1].put_in] == [(0, 4 * GIB)]
    assert sum(work.cost for work in found.work) == found.cost


def test_stock_is_shared_and_what_it_cannot_serve_is_counted() -> None:
    takers = [(notebook(4, 0), 8) for _ in range(3)]
    one = solved(takers, offers(offer("spare", 4, 0, stock=1), offer("four", 4, 13)))
    assert (one.cost, one.undone) == (2600, 0)
    found = solved(takers, offers(offer("spare", 4, 0, stock=2)))
    assert (len(found.work), found.undone, found.apart_undone) == (2, 1, 1)


def test_a_budget_buys_the_most_machines_then_the_least_cost() -> None:
    takers = [(notebook(4, 0), 8), (notebook(4, 0), 12), (notebook(4, 0), 20)]
    few = offers(offer("four", 4, 13), offer("eight", 8, 20), offer("sixteen", 16, 40))
    found = solved(takers, few, 5000, 500, [(7, 900), (8, 4000)])
    # two of 13 + 5, 20 + 5 and 9 fit into 50, and the cheapest two are 9 and 18
    assert [work.machine for work in found.work] == [0]
    assert found.others == (7,)
    assert found.spent == 2700


def _cheapest(machines: list[tuple[Machine, int]], parts: PartsList) -> int:
    """The least cost by trying all pairs of plans and all ways to hand modules on."""
    sizes = sorted({one.size for one in parts.offers})
    price = {one.size: one.price or 0 for one in parts.offers}
    ways: list[list[tuple[tuple[int, ...], tuple[int, ...]]]] = []
    for machine, target in machines:
        memory = machine.memory
        slots = [module.size or 0 for module in memory.modules or []]
        found = []
        for choice in product([-1, 0, *sizes], repeat=len(slots)):
            total = sum(s if c < 0 else c for s, c in zip(slots, choice, strict=True))
            if total >= target * GIB and total <= (memory.ceiling or total):
                new = tuple(c for c in choice if c > 0)
                out = tuple(s for s, c in zip(slots, choice, strict=True) if s and c >= 0)
                found.append((new, out))
        ways.append(found)
    best = 10**9
    for picks in product(*ways):
        bought = [size for added, _ in picks for size in added]
        freed = [size for _, removed in picks for size in removed]
        cost = 0
        for size in bought:
            if size in freed:
                freed.remove(size)
            else:
                cost += price[size]
        best = min(best, cost)
    return best


@pytest.mark.parametrize("seed", range(12))
def test_the_order_costs_what_brute_force_finds(seed: int) -> None:
    rng = random.Random(seed)
    parts = offers(*(offer(f"p{size}", size, rng.randint(5, 40)) for size in (2, 4, 8)))
    machines = []
    for _ in range(3):
        fitted = [rng.choice([2, 4]), rng.choice([0, 2, 4])]
        target = rng.choice([total for total in (5, 6, 8, 12) if total > sum(fitted)])
        machines.append((notebook(*fitted, position_most=8 * GIB), target))
    found = solved(machines, parts)
    assert found.cost == _cheapest(machines, parts)
    assert found.cost <= found.apart
    assert found.gap == 0


# --- plans, costs, curve -------------------------------------------------------------------


@pytest.mark.parametrize("seed", range(8))
def test_a_machine_of_a_make_up_costs_what_its_own_plan_does(seed: int) -> None:
    rng = random.Random(seed)
    fleet = random_fleet(rng, 60)
    needs = asked(memory=rng.choice(["6 GB", "20 GB"]))
    judged = judge_fleet(fleet, needs)
    parts = PartsList(
        tuple(Offer(f"p{size}", size * GIB, "DDR4", "SODIMM", price=size * 100)
              for size in (1, 2, 4, 8, 16)), "EUR",
    )  # fmt: skip
    from tallcheck.core.fleet.columns import Words

    every = np.zeros(len(fleet), dtype=np.int32)
    fleet.words |= {"extra.memory_type": Words(every, ["DDR4"]),
                    "extra.memory_form": Words(every, ["SODIMM"])}  # fmt: skip
    fixes = fixes_of(judged)
    plans = plans_of(fleet, judged, fixes, parts)
    costs = plans.costs()
    for at in range(len(fleet)):
        if plans.makeup[at] < 0:
            continue
        verdict = decide(normalized(fleet.machine(at), VOCABULARY), needs)
        system = any(fix.kind == "system" for fix in verdict.decision.fixes)
        own = plan_upgrade(fleet.machine(at), int(fixes.least[at]), VOCABULARY, parts, system)
        found = plans.found[plans.makeup[at]]
        assert found.answer == own.answer
        cost = own.plan.cost if own.plan else None
        assert (None if np.isnan(costs[at]) or own.answer != "plan" else int(costs[at])) == cost


def _judged(*answers: str, kinds: list[int]) -> tuple[Judged, Fixes]:
    size = len(answers)
    codes = np.array([ANSWERS.index(one) for one in answers], dtype=np.int8)
    stuck = np.zeros(size, dtype=bool)
    judged = Judged(codes, np.arange(size), list(range(size)), [], stuck, None)  # type: ignore[arg-type]
    return judged, Fixes(np.array(kinds, dtype=np.uint8), *np.full((2, size), np.nan))


def test_costs_by_kind_and_the_curve_from_the_cheapest_on() -> None:
    machine, storage, memory = 1, 32, 128
    judged, fixes = _judged(
        "ready", "memory-alone", "memory-plus", "replace", "not-memory", "undecided",
        kinds=[0, memory, memory | storage, machine | memory, storage, memory],
    )  # fmt: skip
    modules = np.array([np.nan, 2000.0, 2500.0, np.nan, np.nan, 900.0])
    prices = Prices({"machine": 64000, "storage": 5500}, 4800, {"memory": 0.5}, "EUR")
    costs = costs_of(judged, fixes, prices, modules)
    assert costs.whole[:5].tolist() == [0, 4400, 2500 + 2400 + 5500 + 4800, 73600, 10300]
    assert np.isnan(costs.whole[5])
    assert costs.missing == {}
    curve = curve_of(judged, costs.whole, {})
    assert curve.order.tolist() == [1, 4, 2, 3]
    assert curve.spent[-1] == 4400 + 10300 + 15200 + 73600
    assert curve.ready.tolist() == [2, 3, 4, 5]
    bare = costs_of(judged, fixes, Prices(), modules)
    assert bare.missing == {"machine": 1, "storage": 2}
    assert np.isnan(bare.whole[3])


def test_money_by_the_end_of_support() -> None:
    judged, _ = _judged("memory-alone", "replace", "not-memory", "ready", kinds=[128, 1, 32, 0])
    whole = np.array([1000.0, 60000.0, np.nan, 0.0])
    running = np.array([0, 0, -1, 1], dtype=np.int32)
    ends = [datetime.date(2027, 3, 31), datetime.date(2026, 11, 30)]
    support = Support(["Merrow 6", "Merrow 9"], running, ends)
    found = deadlines_of(judged, whole, support, datetime.date(2026, 11, 25))
    assert [(one.release, one.machines, one.cost, one.unknown) for one in found] == [
        ("Merrow 6", 2, 61000, 0), ("", 1, 0, 1)
    ]  # fmt: skip
    assert (found[0].months, found[0].monthly, found[1].monthly) == (4, 15250, None)


@pytest.mark.parametrize(
    ("on", "ends", "months", "ended", "this_quarter"),
    [
        ("2026-11-25", "2027-03-31", 4, False, False),
        ("2026-11-25", "2027-03-24", 3, False, False),
        ("2026-11-25", "2026-12-31", 1, False, True),
        ("2026-11-30", "2026-12-01", 0, False, True),
        ("2026-08-31", "2026-11-30", 3, False, False),  # both are last days
        ("2026-11-25", "2026-11-25", 0, False, True),
        ("2026-11-25", "2026-11-24", None, True, True),
        ("2026-09-30", "2026-10-01", 0, False, False),
        ("2026-01-01", "2026-03-31", 2, False, True),
    ],
)
def test_months_as_the_calendar_counts_them(
    on: str, ends: str, months: int | None, ended: bool, this_quarter: bool
) -> None:
    day, last = datetime.date.fromisoformat(on), datetime.date.fromisoformat(ends)
    one = Deadline("Merrow 6", last, 1, 900, 0, day)
    assert (one.months, one.ended, one.this_quarter) == (months, ended, this_quarter)
    assert one.monthly == (None if months is None else -(-900 // max(months, 1)))


def test_no_machine_stands_on_the_curve_before_those_that_give_to_it() -> None:
    judged, _ = _judged("memory-alone", "memory-alone", "memory-alone", kinds=[128] * 3)
    whole = np.array([0.0, 5000.0, 2000.0])
    curve = curve_of(judged, whole, {0: frozenset({1})})
    assert curve.order.tolist() == [2, 1, 0]
    assert curve.spent.tolist() == [2000, 7000, 7000]
    whole[1] = np.nan  # what the giver costs is not known, so neither can be had
    assert curve_of(judged, whole, {0: frozenset({1})}).order.tolist() == [2]


# --- what if -------------------------------------------------------------------------------


@pytest.mark.parametrize("seed", range(16))
def test_what_if_is_what_each_machine_would_be_told(seed: int) -> None:
    rng = random.Random(seed)
    fleet = random_fleet(rng, 40)
    if seed % 2:  # a models list that says otherwise of some
        model = Model("Larkmoor", "Bench 9", ceiling=16 * GIB, slots=rng.choice([1, 4]))
        codes = np.array([rng.choice([0, 0, -1]) for _ in range(len(fleet))], dtype=np.int32)
        fleet.words |= {"system.maker": Words(codes, [model.maker]),
                        "system.model": Words(codes, [model.model])}  # fmt: skip
        with_models(fleet, {model_key(model.maker, model.model): model})
        fleet.doubts |= find_doubts(fleet)
    needs: Any = asked(memory="6 GB", cores=2)
    table = what_if(fleet, [("Merrow 10", needs, ())])
    own = what_if(sheets(*(fleet.machine(at) for at in range(len(fleet)))),
                  [("Merrow 10", needs, ())])  # fmt: skip
    assert table.ready == own.ready
    counts = [row[0] for row in table.ready]
    assert counts[1:] == sorted(counts[1:])
    assert table.totals == (None, *TARGETS)
    for more in range(1, len(TARGETS) + 1):
        changed = with_memory(Facts(fleet), list(TARGETS[:more]))
        found = [normalized(changed.machine(at), VOCABULARY).doubts for at in range(len(fleet))]
        assert [bool(one) for one in found] == (changed.doubts != 0).tolist()


def test_what_if_of_one_machine_is_a_check_with_have() -> None:
    machine = notebook(4, 0)
    table = what_if(sheets(machine), [("x", asked(memory="6 GB"), ())])
    told = [
        decide(
            normalized(
                tell_all(machine, [Told("memory.installed", total)], VOCABULARY),
                VOCABULARY,
            ),
            asked(memory="6 GB"),
        )
        for total in TARGETS
    ]
    assert [row[0] for row in table.ready[1:]] == [
        int(one.decision.answer == "ready") for one in told
    ]
