"""After the work: done, partly or not done, and whether it helped."""

import copy
import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from tallcheck.core.jobs.confirm import confirm
from tallcheck.core.jobs.confirm_modules import Planned, PlannedModule
from tallcheck.core.usage.change import compare
from tallcheck.core.usage.log import Log
from tallcheck.core.values.errors import InputError
from tests.helpers import DEMO, GIB, VOCABULARY, call, demo_machine, machine

MIB = 1 << 20


def module(slot: str, size: int, **more: Any) -> dict[str, Any]:
    """A module of some GB in a position."""
    return {"slot": slot, "size": size * GIB, "channel": slot[0], **more}


def sheet(*modules: dict[str, Any], **memory: Any) -> dict[str, Any]:
    """Sections of a machine with these modules."""
    fitted = sum(one["size"] for one in modules)
    return {
        "memory": {"installed": fitted, "usable": fitted - 300 * MIB, "slots": len(modules),
                   "modules": list(modules), **memory},
        "processor": {"cores": 4, "name": "Osier Wand S5 214"},
        "system": {"os_bits": 64, "model": "Satchel 14"},
        "storage": [{"drive": 10**11, "system": True}, {"drive": 10**12}],
        "firmware": {"security_module": "2.0"},
    }  # fmt: skip


BEFORE = sheet(module("A1", 4), module("B1", 0), module("A2", 0))
AFTER = sheet(module("A1", 4), module("B1", 8, speed=3200, running=2666), module("A2", 0))
PLAN = Planned("bench", 12 * GIB, (), (PlannedModule("B1", 8 * GIB, "LM-8", 3200),), 2666)


def _changed(change: Callable[[dict[str, Any]], Any]) -> dict[str, Any]:
    after = copy.deepcopy(AFTER)
    change(after)
    return after


def _fitted(*modules: dict[str, Any]) -> Callable[[dict[str, Any]], Any]:
    return lambda raw: raw.update(memory=sheet(*modules)["memory"])


@pytest.mark.parametrize(
    ("after", "answer", "text"),
    [
        (AFTER, "done", "all of it is used"),
        (BEFORE, "not done", "8 GB LM-8 is not seen in B1: switch off, reseat it"),
        (_changed(lambda m: m["memory"]["modules"][1].update(running=2133)), "partly", "runs at"),
        (_changed(lambda m: m["memory"]["modules"][1].update(speed=2400)), "partly", "is rated"),
        (_changed(lambda m: m["memory"].update(usable=4 * GIB)), "partly", "kernel"),
        (_changed(lambda m: (m["memory"].update(usable=3 * GIB), m["system"].update(os_bits=32))),
         "partly", "a 32-bit system cannot address more"),
        # half of the rated speed: firmware that gives the clock
        (_changed(lambda m: m["memory"]["modules"][1].update(running=1600)), "done", "the clock"),
        # half of what was bought
        (_changed(_fitted(module("A1", 4), module("B1", 4), module("A2", 0))), "partly",
         "B1 has 4 GB, planned was 8 GB LM-8"),
        (_changed(_fitted(module("A1", 4), module("B1", 0), module("A2", 8))), "partly",
         "less evenly than planned, move it"),
        (_changed(_fitted(module("A1", 0), module("B1", 8), module("A2", 0))), "partly",
         "in A1, which was to stay, is not seen"),
        (_changed(lambda m: m["storage"].pop()), "partly", "loose connection"),
        (_changed(lambda m: m["processor"].update(cores=2)), "partly", "cores: 4 before, 2 now"),
        (_changed(lambda m: m["firmware"].update(security_module="none")), "partly", "security"),
    ],
)  # fmt: skip
def test_answers_against_a_plan(after: dict[str, Any], answer: str, text: str) -> None:
    found = confirm(machine(**BEFORE), machine(**after), PLAN, True, False, VOCABULARY)
    assert found.answer == answer
    assert any(text in one for one in (found.sentence, *(one.text for one in found.findings)))


def test_what_was_to_come_out_is_told_from_what_went_in() -> None:
    before = sheet(module("A1", 4, part="old"), module("B1", 4, part="old"))
    plan = Planned("bench", 8 * GIB, (PlannedModule("A1", 4 * GIB), PlannedModule("B1", 4 * GIB)),
                   (PlannedModule("A1", 8 * GIB),))  # fmt: skip
    same = confirm(machine(**before), machine(**before), plan, True, False, VOCABULARY)
    assert same.answer == "not done"
    assert "A1 still has its old 4 GB" in same.findings[0].text
    after = sheet(module("A1", 8, part="new"), module("B1", 4, part="old"))
    left = confirm(machine(**before), machine(**after), plan, True, False, VOCABULARY)
    assert left.answer == "done"  # more than planned, which is told
    assert any("B1 has 4 GB, planned was nothing" in one.text for one in left.findings)


RENAMED = _changed(_fitted(module("A1", 4), module("B1", 8), module("A2", 0)))
for _at, _one in enumerate(RENAMED["memory"]["modules"]):
    _one["slot"] = f"DIMM {_at}"


@pytest.mark.parametrize(
    ("after", "answer", "text"),
    [(_changed(_fitted(module("A1", 8), module("B1", 4), module("A2", 0))), "done",
      "A1 has 8 GB, planned was 4 GB"),
     (RENAMED, "done", "named otherwise now: DIMM 0, DIMM 1, DIMM 2"),
     (_changed(_fitted(module("A1", 8), module("B1", 8), module("A2", 0))), "done",
      "4 GB more than planned"),
     (_changed(_fitted(module("A1", 4), module("B1", 8, part="LM-9"), module("A2", 0))), "done",
      "planned was LM-8, there is LM-9 in B1"),
     (_changed(lambda m: m["storage"].append({"drive": 10**11})), "done", ""),
     (_changed(lambda m: m["storage"][0].update(drive=10**10)), "partly",
      "size of the system drive"),
     (_changed(lambda m: m.update(gathered="2025-01-01T00:00:00Z")), "partly", "swap them")],
)  # fmt: skip
def test_what_matters_is_judged_and_the_rest_told(
    after: dict[str, Any], answer: str, text: str
) -> None:
    before = machine(**BEFORE, gathered="2026-01-01T00:00:00Z")
    found = confirm(
        before,
        machine(**{"gathered": "2026-01-02T00:00:00Z"} | after),
        PLAN,
        True,
        False,
        VOCABULARY,
    )
    assert found.answer == answer
    assert any(text in one.text for one in found.findings)


def test_a_module_that_is_lost_is_named_without_a_plan() -> None:
    before, after = (
        sheet(module("A1", 4), module("B1", 4)),
        sheet(module("A1", 16), module("B1", 0)),
    )
    found = confirm(machine(**before), machine(**after), None, True, False, VOCABULARY)
    assert any("B1 held 4 GB before and is empty now" in one.text for one in found.findings)


@pytest.mark.parametrize(
    ("after", "still_short", "answer"),
    [(AFTER, False, "done"), (AFTER, True, "partly"), (BEFORE, False, "not done")],
)
def test_without_a_plan_more_must_be_fitted(
    after: dict[str, Any], still_short: bool, answer: str
) -> None:
    found = confirm(machine(**BEFORE), machine(**after), None, True, still_short, VOCABULARY)
    assert (found.answer, found.exit_code) == (answer, {"done": 0, "partly": 15}.get(answer, 16))


@pytest.mark.parametrize(
    ("change", "text"),
    [
        ({"system": {"model": "Satchel 15"}}, "the model is 'Satchel 14' and 'Satchel 15'"),
        ({"processor": {"name": "Osier Wand S6 104"}}, "the processor is"),
        ({"name": "other"}, "the name is 'bench' and 'other'"),
    ],
)
def test_sheets_of_two_machines_are_refused(change: dict[str, Any], text: str) -> None:
    other = machine(**{**AFTER, **change})
    with pytest.raises(InputError, match="sheets of two machines") as error:
        confirm(machine(**BEFORE), other, None, True, False, VOCABULARY)
    assert text in str(error.value)
    if "name" in change:  # read on the spot, the name is the system's own
        assert confirm(machine(**BEFORE), other, None, False, False, VOCABULARY).answer == "done"


@pytest.mark.parametrize(
    "plan",
    [
        Planned("not-memory", 12 * GIB, (), PLAN.add),
        Planned("bench", 12 * GIB, (PlannedModule("A1", 2 * GIB),), PLAN.add),
        Planned("bench", 12 * GIB, (), (PlannedModule("A1", 8 * GIB),)),
        Planned("bench", 12 * GIB, (), (PlannedModule("C7", 8 * GIB),)),
    ],
)
def test_a_plan_for_another_machine_is_refused(plan: Planned) -> None:
    with pytest.raises(InputError, match="found a plan"):
        confirm(machine(**BEFORE), machine(**AFTER), plan, True, False, VOCABULARY)


# --- did it help ---------------------------------------------------------------------------


def _log(
    share: float, stall: float, start_hour: float, days: int, seed: int, busy: float = 2.0
) -> Log:
    rng = np.random.default_rng(seed)
    time = np.arange(0, days * 86400, 60.0) + start_hour * 3600
    hour = time / 3600 % 24
    work = (hour > 8) & (hour < 17)
    count = len(time)
    used = np.where(work, share, 0.2) + rng.normal(0, 0.02, count)
    total = np.full(count, 8.0 * GIB)
    return Log(time, 0.0, {
        "memory_total": total, "memory_available": total * (1 - used),
        "memory_stall": np.where(work, stall, 0.0) * rng.random(count) * 2,
        "cores_busy": np.where(work, busy, 0.01), "core_count": np.full(count, 4.0),
    })  # fmt: skip


def test_less_pressure_helped_and_intervals_hold_the_truth() -> None:
    found = compare(_log(0.93, 0.1, 0, 3, 1), _log(0.5, 0.0, 0, 2, 2))
    assert found.helped is True
    in_use, stall = found.changes
    assert in_use.difference.low < -0.43 < in_use.difference.high < 0
    assert stall.before.low < 0.1 < stall.before.high
    assert stall.after.value == 0


@pytest.mark.parametrize(
    ("before", "after", "helped", "text"),
    [
        ((0.5, 0.0), (0.3, 0.0), False, "was not short before"),
        ((0.93, 0.1), (0.93, 0.1), None, "within chance"),
        ((0.85, 0.0), (0.95, 0.1), False, "did not help"),
    ],
)
def test_what_did_not_help_is_not_said_to(
    before: tuple[float, float], after: tuple[float, float], helped: bool | None, text: str
) -> None:
    found = compare(_log(*before, 0, 2, 1), _log(*after, 0, 2, 2))
    assert found.helped is helped
    assert text in found.sentence


@pytest.mark.parametrize(("busy", "helped"), [(2.0, True), (1.2, True), (0.6, None), (3.9, True)])
def test_a_holiday_helped_nobody(busy: float, helped: bool | None) -> None:
    """Less pressure in hours in which half the work was done, or less, tells nothing."""
    found = compare(_log(0.93, 0.1, 0, 3, 1), _log(0.5, 0.0, 0, 2, 2, busy))
    assert found.helped is helped
    assert ("the work was not alike" in found.sentence) == (helped is None)


def test_only_like_hours_are_compared() -> None:
    quiet = _log(0.9, 0.1, 0, 1, 1)
    keep = quiet.time < 7 * 3600  # a night, against working days
    night = Log(quiet.time[keep], 0.0, {k: v[keep] for k, v in quiet.columns.items()})
    day = Log(quiet.time[~keep], 0.0, {k: v[~keep] for k, v in quiet.columns.items()})
    found = compare(night, day)
    assert found.helped is None
    assert "too few like hours" in found.sentence


# --- the command ---------------------------------------------------------------------------


def _after(name: str) -> str:
    return f"{DEMO}/after/{name}.machine.json"


def test_the_demo_from_plan_to_confirmation(tmp_path: Path) -> None:
    parts = f"{DEMO}/parts/garden.parts.csv"
    for name, to, words, code, text in [
        ("potting-02", "8GB", ["merrow@10"], 0, "memory-alone before, ready now"),
        ("orchid-house-08", "16GB", ["--parts", parts], 15, "not seen in B1"),
    ]:
        own = words if words[0].startswith("--") else []
        plan = call("upgrade", demo_machine(name), "--to", to, "--format", "json", *own).out
        (tmp_path / "plan.json").write_text(plan)
        needs = [word for word in words if word not in own]
        ran = call("confirm", demo_machine(name), _after(name), *needs, "--plan", "plan.json",
                  cwd=tmp_path)  # fmt: skip
        assert (ran.code, ran.err) == (code, "")
        assert text in " ".join(ran.out.split())


@pytest.mark.parametrize(
    ("content", "text"),
    [
        ("no json", "plan.json: found"),
        ('{"tallcheck": "check/1"}', '"plan/1"'),
        ('{"tallcheck": "plan/1", "total": 1, "add": []}', "adds nothing"),
        ('{"tallcheck": "plan/1", "add": [{"slot": 1}]}', "$.add[0].slot"),
    ],
)
def test_bad_plans_are_named(tmp_path: Path, content: str, text: str) -> None:
    (tmp_path / "plan.json").write_text(content)
    ran = call("confirm", demo_machine("potting-02"), _after("potting-02"), "--plan", "plan.json",
              cwd=tmp_path)  # fmt: skip
    assert ran.code == 3
    assert text in ran.err
    assert "Traceback" not in ran.err


def test_json_and_quiet(tmp_path: Path) -> None:
    words = ("confirm", demo_machine("potting-02"), _after("potting-02"), "merrow@10")
    assert call(*words, "--quiet").out == "done\n"
    raw = json.loads(call(*words, "--format", "json").out)
    assert raw["tallcheck"] == "confirm/1"
    assert raw["after"] == 8 * GIB
    assert raw["decisions"] == [
        {"against": ["Merrow 10"], "before": "memory-alone", "after": "ready"}
    ]
    ran = call("confirm", demo_machine("potting-02"), _after("orchid-house-08"))
    assert ran.code == 3
    assert "two machines" in ran.err
