"""What may be added to a machine is one thing: checks, plans and lists say the same of it."""

from typing import Any

import numpy as np
from hypothesis import strategies as st

from tallcheck.core.board.account import Account, account_of_machine, why_not_usable
from tallcheck.core.board.models import Offer, PartsList
from tallcheck.core.fleet.columns import Fleet
from tallcheck.core.fleet.judged import ANSWERS
from tallcheck.core.jobs.check import Check, Task, check, other_system
from tallcheck.core.jobs.fleet_check import FleetTask, counts_only
from tallcheck.core.machine.sheet import Machine
from tallcheck.core.needs.sheet import Need
from tallcheck.core.text.needs_written import parse_test
from tallcheck.core.upgrade.plan import PLAN, Plan, plan_upgrade
from tallcheck.files.sheets import machine_from_table
from tests.helpers import VOCABULARY
from tests.laws.law import Law

GIB = 1 << 30
_SIZES = [0, 2, 4, 8, 16]


def _machine(drawn: dict[str, Any]) -> Machine:
    memory: dict[str, Any] = {"installed": drawn["total"] * GIB}
    if drawn["modules"]:
        kind = {key: drawn[key] for key in ("type", "form") if drawn[key] is not None}
        memory["modules"] = [
            {"size": size * GIB, "fixed": bool(size) and fixed, **kind,
             **({"channel": channel} if drawn["channels"] else {})}
            for size, fixed, channel in drawn["modules"]
        ]  # fmt: skip
        memory["installed"] = sum(one["size"] for one in memory["modules"]) or None
    if drawn["usable"] and memory["installed"]:
        memory["usable"] = memory["installed"] - drawn["usable"] * (GIB >> 2)
    for key in ("slots", "ceiling", "position_most", "limit"):
        if drawn[key] is not None:
            memory[key] = drawn[key] if key == "slots" else drawn[key] * GIB
    maker, model = drawn["model"]
    system = {
        "virtual": drawn["virtual"], "shape": drawn["shape"], "os_bits": drawn["os_bits"],
        "maker": maker, "model": model,
    }  # fmt: skip
    return machine_from_table({
        "tallcheck": "machine/1", "name": "bench",
        "memory": {key: value for key, value in memory.items() if value is not None},
        "processor": {"name": drawn["processor"]} if drawn["processor"] else {},
        "system": {key: value for key, value in system.items() if value is not None},
    })  # fmt: skip


def _parts(drawn: dict[str, Any]) -> PartsList | None:
    if drawn["parts"] is None:
        return None
    return PartsList(
        tuple(
            Offer(f"p{at}", size * GIB, drawn["type"] or "DDR4", drawn["form"] or "SODIMM",
                  price=price, pack=pack)
            for at, (size, price, pack) in enumerate(drawn["parts"])
        ), "EUR",
    )  # fmt: skip


def _fits(plan: Plan, account: Account, listed: bool) -> None:
    """Each module of a plan is one that the account takes, and the whole is within its limits."""
    for one in plan.add:
        if listed:
            assert why_not_usable(one.offer, account, True) is None, one
        else:
            assert one.offer.size in account.sizes, "a size that does not exist for the board"
            assert (one.offer.type, one.offer.form) == (account.type, account.form)
    assert account.ceiling is None or plan.total <= account.ceiling
    there = {one.name: one for one in account.positions}
    out = [one.slot for one in plan.remove]
    assert not any(there[slot].fixed for slot in out), "a soldered module comes out"
    for one in plan.add:
        assert not there[one.slot].size or one.slot in out, "two modules in one position"
    gone = sum(there[slot].size for slot in out)
    put = sum(one.offer.size for one in plan.add)
    assert plan.total == account.fitted - gone + put


def _agree(drawn: dict[str, Any]) -> None:
    machine, parts = _machine(drawn), _parts(drawn)
    need = Need("memory", parse_test("memory", f"{drawn['target']} GB", VOCABULARY))
    found = check(machine, Task(instead=(need,), parts=parts), VOCABULARY)
    decision, upgrade = found.verdict.decision, found.plan
    account = account_of_machine(machine, VOCABULARY, other_system(found.verdict))
    sold = upgrade is not None and upgrade.answer == PLAN
    if account is not None and account.closed is not None:
        assert not sold, "a module is sold where none goes in"
        # of one whose memory is told to be soldered, a position may be there that was not told
        open_ = account.virtual or account.full_and_soldered
        assert open_ or "memory-alone" not in decision.possible, decision.possible
    if decision.answer in ("replace", "ready", "not-memory"):
        assert not sold
    if upgrade is not None and upgrade.plan is not None and account is not None:
        assert decision.target_memory == upgrade.plan.total, "two totals"
        if account.listed and not all(one.channel for one in account.positions):
            put_in = min(one.offer.size for one in upgrade.plan.add)
            for one in upgrade.plan.remove:
                assert (one.module.size or 0) < put_in, "a module comes out for one no larger"
        for plan in (upgrade.plan, *(one.plan for one in upgrade.alternatives)):
            _fits(plan, account, upgrade.listed)
        alone = plan_upgrade(machine, drawn["target"] * GIB, VOCABULARY, parts)
        if decision.answer == "memory-alone" and alone.plan is not None:
            assert alone.plan.add == upgrade.plan.add or found.verdict.world.get("memory.usable")
    _as_in_a_list(machine, found, need, parts)


def _as_in_a_list(machine: Machine, found: Check, need: Need, parts: PartsList | None) -> None:
    """A list of this one machine says the same."""
    fleet = Fleet(
        np.array([machine.name], dtype=object), np.array([2]), {}, {},
        np.zeros(1, dtype=np.uint32), VOCABULARY, [machine],
    )  # fmt: skip
    whole = counts_only(fleet, FleetTask((), instead=(need,), parts=parts or PartsList(())), True)
    decision = found.verdict.decision
    assert ANSWERS[whole.judged.answers[0]] == decision.answer
    assert whole.fixes is not None
    if decision.answer not in ("memory-alone", "memory-plus"):
        return
    plan = found.plan.plan if found.plan is not None else None
    if whole.solved is not None and plan is not None and plan.cost is not None:
        assert whole.solved.cost == plan.cost  # of what costs the same, either may be taken
    else:
        target = whole.fixes.targets[0]
        assert (None if np.isnan(target) else int(target)) == decision.target_memory


_MODELS = [(None, None), (None, None), ("Larkmoor", "Bench 4"), ("Apple", "MacBookPro11,1")]
BOARDS = Law(
    "boards",
    "Where a check says that no memory can be added, no plan sells any, and the reverse; each "
    "module of each plan fits the board; check, plan and list name one total.",
    st.fixed_dictionaries({
        "processor": st.sampled_from(
            [None, "Apple M2", "Core Ultra 7 258V", "Core i5-8365U", "Snapdragon X Elite"]
        ),
        "model": st.sampled_from(_MODELS).map(list),
        "shape": st.sampled_from([None, "notebook", "desktop", "server", "mini"]),
        "type": st.sampled_from([None, "DDR3", "DDR4", "DDR4", "DDR5"]),
        "form": st.sampled_from([None, "SODIMM", "DIMM"]),
        "channels": st.booleans(),
        "total": st.sampled_from([2, 4, 8, 16]),
        "modules": st.lists(
            st.tuples(st.sampled_from(_SIZES), st.booleans(), st.sampled_from("AB")).map(list),
            max_size=4,
        ),
        "usable": st.sampled_from([0, 0, 1, 6]),
        "slots": st.sampled_from([None, None, 0, 1, 2, 4]),
        "ceiling": st.sampled_from([None, None, 8, 16, 32]),
        "position_most": st.sampled_from([None, None, 8, 16]),
        "limit": st.sampled_from([None, None, None, 4]),
        "os_bits": st.sampled_from([None, 64, 64, 32]),
        "virtual": st.sampled_from([False, False, False, True]),
        "target": st.sampled_from([3, 4, 6, 8, 10, 12, 16, 20, 24, 32, 48, 64]),
        "parts": st.one_of(st.none(), st.none(), st.lists(
            st.tuples(st.sampled_from([2, 4, 8, 12, 16, 32]), st.integers(0, 60),
                      st.sampled_from([1, 1, 2])).map(list),
            min_size=1, max_size=3,
        )),
    }),
    _agree,
)  # fmt: skip
