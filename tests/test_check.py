"""Whole checks: conflicts, releases and support, replacement machines, several sheets."""

import csv
import datetime
from pathlib import Path
from typing import Any

import pytest

from tallcheck.core.decide.asked import Chosen
from tallcheck.core.jobs.check import Check, Task, check, installed_programs
from tallcheck.core.jobs.replacement import at_least
from tallcheck.core.machine.sheet import Machine
from tallcheck.core.messages.conditions import conditions, conditions_of
from tallcheck.core.messages.plans import plan_conditions
from tallcheck.core.messages.remarks import note
from tallcheck.core.messages.sentence import conflict_texts, sentence
from tallcheck.core.needs.sheet import NeedsSheet
from tallcheck.core.text.needs_sheet import from_table
from tallcheck.core.upgrade.plan import plan_upgrade
from tests.helpers import (
    DEMO,
    DEMO_MACHINES,
    GIB,
    VOCABULARY,
    demo_machine,
    judge,
    machine,
    run,
)

DAY = datetime.date(2026, 11, 24)


def needs(title: str, kind: str = "program", **tables: Any) -> NeedsSheet:
    """A needs sheet from its tables."""
    return from_table({"tallcheck": "needs/1", "title": title, "kind": kind, **tables}, VOCABULARY)


def release(name: str, **minimum: Any) -> dict[str, Any]:
    """One release with its minimum."""
    return {"name": name, "minimum": minimum}


MERROW = needs(
    "Merrow", "operating system",
    release=[
        release("10", memory="6 GB", processor_bits=64),
        release("6", memory="1 GB") | {"bits": 32},
    ],
)  # fmt: skip
MISTWRIGHT = needs(
    "Mistwright", release=[release("3", memory="2 GB"), release("2", memory="1 GB", os_bits=32)]
)
ONLY_OLD = needs("Valvemate", minimum={"os": ["Merrow <= 9"]})


def chosen(sheet: NeedsSheet, at: int = 0) -> Chosen:
    """A release of a sheet."""
    return Chosen(sheet, sheet.releases[at])


def old(software: list[dict[str, str]] | None = None, **memory: str) -> Machine:
    """A 32-bit system on a 64-bit processor."""
    return machine(
        memory=memory or {"installed": "8 GB"},
        processor={"bits": 64},
        system={"os": "Merrow", "os_version": "6", "os_bits": 32, "shape": "desktop"},
        **({"software": software} if software else {}),
    )


MIST_2 = [{"name": "Mistwright", "version": "2.4"}]


@pytest.mark.parametrize(
    ("sheet", "against", "conflict", "lifted"),
    [
        # a wanted system under a program for 32-bit systems only, asked for or installed
        (old(), [chosen(MERROW), chosen(MISTWRIGHT, 1)], "Mistwright 2 runs under 32-bit systems",
         "Mistwright 3 would lift it"),
        (old(MIST_2), [chosen(MERROW)], "Mistwright 2, which is installed here,",
         "Mistwright 3 would lift it"),
        (old([{"name": "Valvemate"}]), [chosen(MERROW)], "Valvemate, which is installed here,",
         "no release of Valvemate"),
        # a fix that installs a 64-bit system does the same
        (old(MIST_2, installed="4 GB"), [chosen(needs("Plan", minimum={"memory": "8 GB"}))],
         "Mistwright 2 asks for os_bits", "Mistwright 3 would lift it"),
        # needs that exclude each other
        (old(), [chosen(needs("A", minimum={"cores": 8})),
                 chosen(needs("B", minimum={"cores": "..4"}))], "no machine meets both", "8"),
        (old(), [chosen(needs("A", minimum={"architecture": "arm64"})),
                 chosen(needs("B", minimum={"architecture": "x86"}))], "no machine meets both", ""),
        # nothing changes, so nothing breaks
        (old(MIST_2), [chosen(MERROW, 1)], "", ""),
        (old([{"name": "Mistwright", "version": "3.1"}]), [chosen(MERROW)], "", ""),
        (old(), [chosen(needs("A", minimum={"architecture": "x86-64"})),
                 chosen(needs("B", minimum={"architecture": "x86"}))], "", ""),
    ],
)  # fmt: skip
def test_conflicts_name_both_sides_and_what_gives(
    sheet: Machine, against: list[Chosen], conflict: str, lifted: str
) -> None:
    installed = tuple(installed_programs(sheet, [MISTWRIGHT, ONLY_OLD, MERROW]))
    result = check(sheet, Task(tuple(against), installed=installed), VOCABULARY)
    conflicts = conflict_texts(result)
    assert bool(conflicts) == bool(conflict)
    if conflict:
        assert conflict in conflicts[0]
        assert lifted in conflicts[0]
        assert sentence(result).startswith(conflicts[0][:1].upper() + conflicts[0][1:])
        assert not {"ready", "memory-alone", "memory-plus"} & set(result.verdict.decision.possible)


@pytest.mark.parametrize(("modules", "position_most", "asked", "said"), [
    ([8, 8], None, 32, True), ([8, 8], "16 GB", 32, False), ([8, 0], None, 16, False),
    ([16, 8], None, 32, False), ([4, 0], None, 20, True),
])  # fmt: skip
def test_a_larger_module_than_any_that_is_there_is_looked_up(
    modules: list[int], position_most: str | None, asked: int, said: bool
) -> None:
    """By the check and by the plan that it names."""
    parts = [{"size": f"{one} GB", "type": "DDR4", "form": "SODIMM"} for one in modules]
    memory: Any = {"modules": parts, "slots": 2}
    memory |= {"position_most": position_most} if position_most else {}
    sheet = machine(memory=memory)
    verdict = judge(sheet, memory=f"{asked} GB")
    found = plan_upgrade(sheet, asked * GIB, VOCABULARY)
    for texts in (conditions(verdict), plan_conditions(found)):
        assert ("the largest module" in " ".join(texts)) == said, texts


def test_the_demo_conflict_leads_the_sentence() -> None:
    ran = run("check", demo_machine("pump-house-06"), "merrow@10")
    assert ran.code == 12
    assert ran.out.splitlines()[1].startswith("Mistwright 2, which is installed here")
    assert run("check", demo_machine("pump-house-06"), "mistwright@2").code == 0


ALSO = [{"when": {"system.shape": "notebook"}, "display": "1366x768"}]
ANY = [{"generation": {"Osier Wand": 6}}, {"processors": ["Osier Wand S5 9??"]}]


@pytest.mark.parametrize(
    ("sections", "table", "answer", "possible"),
    [
        ({"system": {"shape": "desktop"}, "display": "800x600"}, {"also": ALSO}, "ready", 1),
        ({"system": {"shape": "notebook"}, "display": "800x600"}, {"also": ALSO}, "not-memory", 1),
        ({"display": "800x600"}, {"also": ALSO}, "undecided", 2),
        ({"display": "1920x1080"}, {"also": ALSO}, "ready", 1),
        ({"system": {"shape": "desktop"},
          "processor": {"line": "Osier Wand", "generation": 6, "name": "x"}},
         {"any": ANY}, "ready", 1),
        ({"system": {"shape": "desktop"},
          "processor": {"line": "Osier Wand", "generation": 5, "name": "Osier Wand S5 914"}},
         {"any": ANY}, "ready", 1),
        ({"system": {"shape": "desktop"},
          "processor": {"line": "Osier Wand", "generation": 5, "name": "Osier Wand S5 214"}},
         {"any": ANY}, "not-memory", 1),
        ({"system": {"shape": "desktop"}, "processor": {"line": "Osier Wand", "generation": 5}},
         {"any": ANY}, "undecided", 2),
        # fixd as the least grave alternative
        ({"processor": {"bits": 32}, "firmware": {"mode": "bios"}},
         {"any": [{"processor_bits": 64}, {"firmware": "uefi"}]}, "not-memory", 1),
    ],
)  # fmt: skip
def test_also_and_any(
    sections: dict[str, Any], table: dict[str, Any], answer: str, possible: int
) -> None:
    sheet = needs("Plan", minimum={"memory": "1 GB", **table})
    result = check(
        machine(memory={"installed": "8 GB"}, **sections), Task((chosen(sheet),)), VOCABULARY
    )
    decision = result.verdict.decision
    assert (decision.answer, len(decision.possible)) == (answer, possible)


def test_recommended_overlays_the_minimum_and_the_floor_stands_alone() -> None:
    sheet = needs("Plan", floor={"memory": "1 GB"}, minimum={"memory": "4 GB", "cores": 2},
                  recommended={"memory": "8 GB"})  # fmt: skip
    small = machine(memory={"installed": "2 GB"}, processor={"cores": 2})
    result = check(small, Task((chosen(sheet),)), VOCABULARY)
    assert "would install, without the publisher's support" in sentence(result)
    assert [row.key for row in result.recommended_rows] == ["memory"]
    higher = check(small, Task((chosen(sheet),), level="recommended"), VOCABULARY)
    assert [(row.key, row.ask.test.limit) for row in higher.verdict.rows] == [
        ("memory", 8 * GIB), ("cores", 2),
    ]  # fmt: skip
    assert (
        check(small, Task((chosen(sheet),), level="floor"), VOCABULARY).verdict.decision.answer
        == "ready"
    )


def test_age_and_support_are_judged_on_the_day() -> None:
    words = ["check", demo_machine("potting-02"), "gatepenny", "merrow@10", "--format", "json"]
    found = run(*words, "--on", "2026-11-24").json()
    text = " ".join(found["decision"]["conditions"])
    assert "provisional" in text
    assert "18 months ago" in text
    assert found["support"] == [
        {"release": "Merrow 10", "ends": "2032-05-31", "days_left": 2015, "running": False},
        {"release": "Merrow 9", "ends": "2028-01-31", "days_left": 433, "running": True},
    ]
    early = run(*words, "--on", "2025-07-01").json()
    assert "ago" not in " ".join(early["decision"]["conditions"])
    late = run("check", demo_machine("potting-02"), "merrow@9", "--on", "2028-02-10").out
    assert "no support since 2028-01-31 (10 days)" in late
    assert run(*words, "--on", "soon").code == 2


OLD = {"memory": {"installed": "8 GB"},
       "processor": {"cores": 4, "threads": 8, "line": "Osier Wand", "generation": 5,
                     "clock": "2 GHz", "instructions": ["AVX2"]},
       "storage": [{"size": "200 GB", "free": "100 GB", "system": True},
                   {"size": "1 TB", "free": "1 TB", "external": True}]}  # fmt: skip
NEW = {"memory": {"installed": "16 GB"}, "system": {"shape": "desktop"},
       "processor": {"cores": 6, "threads": 6, "line": "Osier Wand", "generation": 5,
                     "clock": "1.8 GHz", "instructions": ["AVX2"]},
       "storage": [{"drive": "119 GB", "system": True}]}  # fmt: skip


@pytest.mark.parametrize(
    ("change", "statuses"),
    [
        ({}, {"memory": "met", "cores": "met", "threads": "short", "generation": "met",
              "instructions": "met", "clock": "short", "storage": "short"}),
        ({"generation": 6}, {"clock": "unknown", "generation": "met"}),
        ({"line": "Hazelwick Tern"}, {"clock": "unknown", "generation": "unknown"}),
        ({"line": None}, {"clock": "unknown", "generation": "unknown"}),
    ],
)  # fmt: skip
def test_a_replacement_is_held_against_the_old_machine(
    change: dict[str, Any], statuses: dict[str, str]
) -> None:
    new = machine(**{**NEW, "processor": {**NEW["processor"], **change}})  # type: ignore[dict-item]
    result = check(new, Task(older=at_least(machine(**OLD), new, VOCABULARY)), VOCABULARY)
    found = {row.key: row for row in result.verdict.rows}
    assert {key: found[key].status for key in statuses} == statuses
    assert found["storage"].ask.test.limit == 120 * 10**9
    if found["clock"].status == "unknown":
        assert "one line and generation" in note(found["clock"], result.verdict)
        assert "clock is not judged" in " ".join(conditions(result.verdict))


WHOLE: dict[str, Any] = {
    "memory": {"installed": "8 GB", "ceiling": "32 GB", "slots": 2},
    "processor": {"cores": 4, "threads": 8, "virtualization": "on"},
    "system": {"shape": "notebook"}, "display": "1920x1080",
    "firmware": {"security_module": "2.0", "secure_boot": "on"},
    "graphics": [{"name": "Gleam 3", "memory": "2 GB", "api": {"vulkan": "1.3"}}],
    "storage": [{"size": "200 GB", "free": "100 GB", "drive": "256 GB", "kind": "solid",
                 "system": True}],
}  # fmt: skip


def _beside(old: dict[str, Any], new: dict[str, Any]) -> tuple[Check, set[str]]:
    """The check of a new machine beside an old one, and the rows that are short or open."""
    there = machine(**{**WHOLE, **new})
    older = at_least(machine(**{**WHOLE, **old}), there, VOCABULARY)
    result = check(there, Task(older=older), VOCABULARY)
    return result, {row.key for row in result.verdict.rows if row.status != "met"}


@pytest.mark.parametrize(("new", "worse"), [
    ({}, set()), ({"display": "1366x768"}, {"display"}),
    ({"firmware": {"security_module": "1.2", "secure_boot": "able"}}, {"security_module"}),
    ({"firmware": {"security_module": "2.0", "secure_boot": "none"}}, {"secure_boot"}),
    ({"graphics": [{"memory": "1 GB", "api": {"vulkan": "1.1"}}]}, {"graphics", "graphics_memory"}),
    ({"storage": [{"drive": "1 TB", "kind": "spinning", "system": True}]}, {"storage_kind"}),
    ({"processor": {"cores": 4, "threads": 8, "virtualization": "none"}}, {"virtualization"}),
    ({"memory": {"installed": "8 GB", "ceiling": "16 GB", "slots": 1}}, set()),
])  # fmt: skip
def test_a_replacement_is_ready_only_where_nothing_is_worse(
    new: dict[str, Any], worse: set[str]
) -> None:
    result, found = _beside({}, new)
    assert found == worse
    assert (result.verdict.decision.answer == "ready") == (not worse)
    assert ("less room to grow" in " ".join(conditions_of(result))) == ("memory" in new)


def test_what_the_old_machine_does_not_tell_is_said_and_what_is_in_doubt_is_open() -> None:
    result, found = _beside({"display": None, "processor": {}}, {})
    assert (result.verdict.decision.answer, found) == ("ready", set())
    assert "does not tell it: cores, threads" in " ".join(conditions_of(result))
    doubted = {"memory": {"installed": "8 GB", "slots": 2, "modules": [{"size": "12 GB"}]}}
    for total, answer in (("8 GB", "undecided"), ("12 GB", "ready"), ("4 GB", "memory-alone")):
        result, _ = _beside(doubted, {"memory": {"installed": total, "slots": 2}})
        assert result.verdict.decision.answer == answer, total
        assert result.verdict.decision.target_memory in (None, 12 * GIB)


def test_several_sheets_the_highest_memory_counts() -> None:
    words = [demo_machine("potting-02"), "merrow@10", "fernfolio", "plotmarrow"]
    found = run("check", *words, "--format", "json").json()
    assert found["decision"]["target_memory"] == 8 * GIB
    assert [row["need"] for row in found["rows"] if row["key"] == "memory"][:3] == [
        6 * GIB, 8 * GIB, 4 * GIB,
    ]  # fmt: skip
    assert run("check", demo_machine("potting-02"), "merrow", "mistwright").code == 3


def test_a_file_of_processor_names(tmp_path: Path) -> None:
    names = "\n".join(f"Osier Wand S5 {n}" for n in range(3000))
    (tmp_path / "names.txt").write_text(f"# accepted\n{names}\nHazelwick Tern 4-*\n")
    (tmp_path / "plan.needs.toml").write_text(
        'tallcheck = "needs/1"\ntitle = "Plan"\nkind = "program"\n'
        '[minimum]\nprocessors = "names.txt"\n'
    )
    for name, code in (("potting-02", 0), ("herbarium-01", 0), ("ticket-desk-04", 13)):
        assert run("check", demo_machine(name), str(tmp_path / "plan.needs.toml")).code == code


def test_a_models_list_fills_a_check_as_it_fills_a_fleet(tmp_path: Path) -> None:
    wanted = ("--need", "memory=32GB", "--models", f"{DEMO}/parts/garden.models.csv")
    result = str(tmp_path / "answers.csv")
    assert run("fleet", DEMO_MACHINES, *wanted, "--save", result).code == 0
    with open(result, encoding="utf-8") as file:
        answers = {row["name"]: row for row in csv.DictReader(file)}
    for name, row in answers.items():
        decision = run("check", demo_machine(name), *wanted, "--format", "json").json()["decision"]
        assert decision["answer"] == row["answer"], name
        assert "; ".join(decision["conditions"]) == row["conditions"], name
    without = run("check", demo_machine("glasshouse-05"), *wanted[:2]).code
    assert (without, answers["glasshouse-05"]["answer"]) == (10, "replace")  # it takes 16 GB
