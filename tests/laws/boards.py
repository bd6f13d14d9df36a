"""What may be added to a machine is one thing: checks, plans and lists say the same of it."""

from typing import Any

from hypothesis import strategies as st

from tallcheck.core.decide.asked import Asked
from tallcheck.core.decide.decision import decide
from tallcheck.core.machine.normalized import normalized
from tallcheck.core.machine.sheet import Machine
from tallcheck.core.needs.sheet import Need
from tallcheck.core.text.needs_written import parse_test
from tallcheck.core.upgrade.plan import PLAN, plan_upgrade
from tallcheck.files.sheets import machine_from_table
from tests.helpers import VOCABULARY
from tests.laws.law import Law

GIB = 1 << 30
_SIZES = [0, 2, 4, 8, 16]


def _machine(drawn: dict[str, Any]) -> Machine:
    memory: dict[str, Any] = {"installed": drawn["total"] * GIB}
    if drawn["modules"]:
        memory["modules"] = [
            {"size": size * GIB, "type": "DDR4", "form": "SODIMM", "fixed": bool(size) and fixed}
            for size, fixed in drawn["modules"]
        ]
        memory["installed"] = sum(one["size"] for one in memory["modules"]) or None
    for key, value in (("slots", drawn["slots"]), ("ceiling", drawn["ceiling"])):
        if value is not None:
            memory[key] = value if key == "slots" else value * GIB
    return machine_from_table({
        "tallcheck": "machine/1", "name": "bench",
        "memory": {key: value for key, value in memory.items() if value is not None},
        "processor": {"name": drawn["processor"]} if drawn["processor"] else {},
        "system": {"virtual": drawn["virtual"]},
    })  # fmt: skip


def _agree(drawn: dict[str, Any]) -> None:
    machine, target = _machine(drawn), drawn["target"] * GIB
    need = Need("memory", parse_test("memory", f"{drawn['target']} GB", VOCABULARY))
    decision = decide(normalized(machine, VOCABULARY), [Asked(need, "--need", "minimum")]).decision
    plan = plan_upgrade(machine, target, VOCABULARY)
    if decision.answer == "replace":
        assert plan.answer != PLAN, "a module is sold where the check says that none can be added"
    if normalized(machine, VOCABULARY).machine.memory.slots == 0 and plan.plan is not None:
        raise AssertionError("a module is sold for a machine that has no position")
    if plan.answer == PLAN:
        assert decision.answer in ("memory-alone", "undecided"), decision.answer


BOARDS = Law(
    "boards",
    "Where a check says that no memory can be added, no plan sells any, and the reverse.",
    st.fixed_dictionaries({
        "processor": st.sampled_from(
            [None, "Apple M2", "Core Ultra 7 258V", "Core i5-8365U", "Snapdragon X Elite"]
        ),
        "total": st.sampled_from([2, 4, 8, 16]),
        "modules": st.lists(st.tuples(st.sampled_from(_SIZES), st.booleans()).map(list),
                            max_size=4),
        "slots": st.sampled_from([None, None, 0, 1, 2, 4]),
        "ceiling": st.sampled_from([None, None, 8, 16, 32]),
        "virtual": st.sampled_from([False, False, True]),
        "target": st.sampled_from([4, 8, 12, 16, 32, 64]),
    }),
    _agree,
)  # fmt: skip
