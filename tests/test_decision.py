"""Rows, trials and the fold: the rules of the decision, case by case and as properties."""

import random
from itertools import product
from math import prod
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tallcheck.core.board.account import account_of
from tallcheck.core.board.totals import cheapest_total
from tallcheck.core.decide import outcomes
from tallcheck.core.decide.asked import Chosen, asked_at, requirements_of
from tallcheck.core.decide.changes import joined
from tallcheck.core.decide.clusters import tried_world, within
from tallcheck.core.decide.decision import Verdict, decide, verdict_of
from tallcheck.core.decide.evaluation import evaluate_all
from tallcheck.core.decide.trials import ANOTHER
from tallcheck.core.decide.worlds import Problem, Requirements, answers_of, as_answers, branches
from tallcheck.core.machine.amounts import likely_fitted
from tallcheck.core.machine.normalized import normalized, world_of
from tallcheck.core.machine.readings import Told
from tallcheck.core.machine.sheet import Machine
from tallcheck.core.machine.telling import tell_all
from tallcheck.core.messages.conditions import conditions
from tallcheck.core.messages.rows import have_text
from tallcheck.core.needs.key import NotNamedError, View
from tallcheck.core.needs.keys import KEYS
from tallcheck.core.text.needs_sheet import from_table
from tallcheck.core.text.said import parse_told
from tests.helpers import GIB, VOCABULARY, asked, judge, machine
from tests.random_cases import random_machine, random_matter, random_sheet

LIMITED = {"memory": {"installed": "16 GB", "usable": "3.9 GB", "limit": "4 GB"}}
FIXED = {"system": {"maker": "Apple Inc.", "model": "MacBookPro11,1"}}
READ = {"how": "read", "from": "x"}
COMPLETE = {"processor.instructions": READ}
V2 = [
    *("FPU", "CMOV", "CX8", "FXSR", "MMX", "SSE", "SSE2", "CMPXCHG16B", "LAHF-SAHF", "POPCNT"),
    *("SSE3", "SSSE3", "SSE4.1", "SSE4.2"),
]
DESK: dict[str, Any] = {"system": {"shape": "desktop", "os_bits": 64}}
NOTE: dict[str, Any] = {"system": {"shape": "notebook", "os_bits": 64}}
_SEEN: dict[str, Any] = {
    "origins": {"firmware.security_module": {"how": "read", "from": "a running system"}}
}


def mem(installed: Any, **more: Any) -> dict[str, Any]:
    return {"installed": f"{installed} GB", **more}


@pytest.mark.parametrize(
    ("sections", "needs", "answer"),
    [
        # the six answers
        ({"memory": mem(8)}, {"memory": "8 GB"}, "ready"),
        ({"memory": mem(4), **NOTE}, {"memory": "8 GB"}, "memory-alone"),
        ({"memory": mem(4), **DESK, "processor": {"cores": 2}}, {"memory": "8 GB", "cores": 4},
         "memory-plus"),
        ({"memory": mem(8), **DESK, "processor": {"cores": 2}}, {"cores": 4}, "not-memory"),
        ({"memory": mem(8), **NOTE, "processor": {"cores": 2}}, {"cores": 4}, "replace"),
        ({"memory": mem(8), **NOTE}, {"cores": 4}, "undecided"),
        # usable against installed: at 70 % of it, installed counts; below, usable does
        ({"memory": mem(8, usable="7.7 GB")}, {"memory": "8 GB"}, "ready"),
        ({"memory": mem(10, usable="7 GB")}, {"memory": "8 GB"}, "ready"),
        ({"memory": mem(10, usable="6.9 GB")}, {"memory": "8 GB"}, "not-memory"),
        # a 32-bit system cannot address the target; a 64-bit one could, or not
        ({"memory": mem(4), "system": {"os_bits": 32}, "processor": {"bits": 64}},
         {"memory": "8 GB"}, "memory-plus"),
        ({"memory": mem(4), "system": {"os_bits": 32}, "processor": {"bits": 32}},
         {"memory": "8 GB"}, "replace"),
        ({"memory": mem(4), "system": {"os_bits": 32}}, {"memory": "8 GB"}, "undecided"),
        ({"memory": mem(4, addressable="64 GB"), "system": {"os_bits": 32},
          "processor": {"bits": 64}}, {"memory": "8 GB"}, "memory-alone"),
        ({"memory": mem(8, usable="3.2 GB"), "system": {"os_bits": 32},
          "processor": {"bits": 64}}, {"memory": "4 GB"}, "ready"),
        # memory that cannot be raised
        ({"memory": mem(4, ceiling="4 GB")}, {"memory": "8 GB"}, "replace"),
        ({"memory": mem(4, slots=0)}, {"memory": "8 GB"}, "replace"),
        ({"memory": {"slots": 1, "modules": [{"size": "4 GB", "fixed": True}]}},
         {"memory": "8 GB"}, "replace"),
        ({"memory": {"slots": 2, "modules": [{"size": "4 GB", "fixed": True}]}},
         {"memory": "8 GB"}, "memory-alone"),
        ({"memory": mem(4, slots=2, position_most="2 GB")}, {"memory": "8 GB"}, "replace"),
        # the processor's fix: by shape, and a setting on a virtual machine or when switched off
        ({"system": {"virtual": True}, "processor": {"cores": 2}}, {"cores": 4}, "not-memory"),
        ({**NOTE, "processor": {"cores": 2}, "extra": {"cores_off": 2}}, {"cores": 4},
         "not-memory"),
        ({"processor": {"cores": 2}}, {"cores": 4}, "undecided"),
        ({"processor": {"bits": 32}}, {"processor_bits": 64}, "replace"),
        # instruction sets: partial lists, implications, hidden sets, told levels
        ({**NOTE, "processor": {"instructions": ["SSE4.2"]}}, {"instructions": "POPCNT"}, "ready"),
        ({**NOTE, "processor": {"instructions": ["SSE4.2"]}}, {"instructions": "AVX"}, "undecided"),
        ({**NOTE, "processor": {"instructions": ["-AVX2"]}}, {"instructions": "AVX2"}, "replace"),
        ({**NOTE, "processor": {"instructions": V2, "bits": 64}, "origins": COMPLETE},
         {"instructions": "x86-64-v2"}, "ready"),
        ({**NOTE, "processor": {"instructions": V2, "bits": 64}, "origins": COMPLETE},
         {"instructions": "AVX2"}, "replace"),
        ({**NOTE, "processor": {"instructions": ["SSE4.2"]}, "origins": COMPLETE},
         {"instructions": "POPCNT"}, "not-memory"),
        ({**NOTE, "processor": {"instructions": V2, "hidden": ["AVX2"]}, "origins": COMPLETE},
         {"instructions": "AVX2"}, "not-memory"),
        ({**NOTE, "processor": {"level": "x86-64-v3"}}, {"instructions": "AVX2"}, "ready"),
        ({**NOTE, "processor": {"level": "x86-64-v2"}}, {"instructions": "x86-64-v3"}, "replace"),
        ({**NOTE, "processor": {"level": "x86-64-v2"}}, {"instructions": "AVX2"}, "undecided"),
        ({**NOTE, "processor": {"architecture": "arm64"}}, {"instructions": "AVX2"}, "replace"),
        # architecture and bits, upper bounds among them
        ({"processor": {"architecture": "x86-64"}}, {"architecture": "x86"}, "ready"),
        ({"processor": {"architecture": "arm64"}}, {"architecture": "not arm64"}, "replace"),
        ({"system": {"os_bits": 64}}, {"os_bits": 32}, "not-memory"),
        ({"system": {"os_bits": 64}}, {"os_bits": ">= 32"}, "ready"),
        ({"memory": mem(8)}, {"memory": "<= 4 GB"}, "not-memory"),
        # storage: the drive, or the volume as a condition
        ({"storage": [{"drive": "256 GB", "system": True}]}, {"storage": "250 GB"}, "ready"),
        ({"storage": [{"size": "238 GB"}]}, {"storage": "250 GB"}, "not-memory"),
        ({"storage": [{"size": "1 TB"}, {"size": "2 TB"}]}, {"storage": "1 GB"}, "undecided"),
        ({"processor": {"clock": "2 GHz", "clock_most": "4 GHz"}, **NOTE}, {"clock": "3 GHz"},
         "replace"),
        ({"processor": {"line": "Osier Wand", "generation": 5}, **DESK},
         {"generation": {"Osier Wand": 6}}, "not-memory"),
        ({"processor": {"line": "Hazelwick Tern", "generation": 9}, **DESK},
         {"generation": {"Osier Wand": 6}}, "undecided"),
        ({"processor": {"line": "Hazelwick Tern", "generation": 9}, **DESK},
         {"generation": {"Osier Wand": 6, "*": "none"}}, "not-memory"),
    ],
)  # fmt: skip
def test_answers(sections: dict[str, Any], needs: dict[str, Any], answer: str) -> None:
    assert judge(machine(**sections), **needs).decision.answer == answer


def sheet(title: str = "Bedplan", kind: str = "program", bits: int = 0, **minimum: Any) -> Chosen:
    """One release of a made-up sheet."""
    raw = {"tallcheck": "needs/1", "title": title, "kind": kind, "minimum": minimum}
    read = from_table(raw | ({"bits": bits} if bits else {}), VOCABULARY)
    return Chosen(read, read.releases[0])


def verdict_on(there: Machine, *sheets: Chosen, **more: Any) -> Verdict:
    """The verdict on a machine against some sheets."""
    return decide(normalized(there, VOCABULARY), asked_at(sheets, "minimum") or [], sheets, **more)


WANTED = {"title": "Merrow", "kind": "operating system"}
OLD = {"memory": mem(4), "system": {"os": "Merrow", "os_bits": 32, "shape": "desktop"},
       "processor": {"bits": 64}}  # fmt: skip


@pytest.mark.parametrize(
    ("sections", "sheets", "answer", "target", "kinds"),
    [
        # an alternative that memory meets counts; an exception that does not hold does not
        ({"memory": mem(8), "processor": {"cores": 4}, **NOTE},
         [{"memory": "8 GB", "any": [{"memory": "16 GB"}, {"cores": 8}]}],
         "memory-alone", 16, ["memory"]),
        ({"memory": mem(4), **NOTE},
         [{"memory": "8 GB", "also": [{"when": {"shape": "server"}, "memory": "64 GB"}]}],
         "memory-alone", 8, ["memory"]),
        ({"memory": mem(8), "processor": {"line": "Osier Wand"}, **NOTE},
         [{"any": [{"memory": "16 GB", "generation": {"Osier Wand": 6}}]}],
         "undecided", 16, []),
        # a condition that more memory ends; nothing is taken away to end one
        ({"memory": mem(8), "processor": {"cores": 8}, **NOTE},
         [{"also": [{"when": {"cores": ">= 4"}, "memory": "16 GB"}]}],
         "memory-alone", 16, ["memory"]),
        ({"memory": mem(16), "processor": {"cores": 2}, **NOTE},
         [{"also": [{"when": {"memory": ">= 16 GB"}, "cores": 4}]}], "replace", None, ["machine"]),
        ({"memory": mem(2), "processor": {"cores": 2}, **NOTE},
         [{"memory": "4 GB", "also": [{"when": {"memory": "<= 7 GB"}, "cores": 8}]}],
         "memory-alone", 8, ["memory"]),
        ({"memory": mem(4), "processor": {"cores": 2}, **NOTE},
         [{"also": [{"when": {"memory.installed": "<= 7 GB"}, "cores": 8}]}],
         "memory-alone", 8, ["memory"]),
        ({"memory": mem(2, ceiling="4 GB"), "processor": {"cores": 2}, **NOTE},
         [{"memory": "4 GB", "also": [{"when": {"memory": "<= 7 GB"}, "cores": 8}]}],
         "replace", None, ["machine"]),
        ({"memory": mem(2), "firmware": {"security_module": "none"}, **NOTE},
         [{"memory": "4 GB", "also": [{"when": {"memory": "4..7 GB"}, "security_module": "2.0"}]}],
         "memory-alone", 8, ["memory"]),
        ({"storage": [{"kind": "spinning", "system": True}], "processor": {"cores": 2}, **NOTE},
         [{"also": [{"when": {"storage_kind": "spinning"}, "cores": 8}]}],
         "replace", None, ["machine"]),
        # a condition on what is unknown: on either side of its limit, where there is another side
        ({"memory": mem(4), "processor": {"cores": 2}, **NOTE},
         [{"also": [{"when": {"processor.sockets": ">= 0"}, "cores": 8}]}],
         "replace", None, ["machine"]),
        ({"memory": mem(4), "processor": {"cores": 2}, **NOTE},
         [{"also": [{"when": {"memory.swap": ">= 1 B"}, "cores": 8}]}],
         "undecided", None, []),
        # what is kept from use stays, what a setting keeps is free
        ({"memory": mem(4, usable="2.7 GB"), "system": {"os_bits": 64}}, [{"memory": "6 GB"}],
         "memory-alone", 6, ["memory"]),
        ({"memory": mem(4, usable="2.7 GB"), "system": {"os_bits": 64}}, [{"memory": "4 GB"}],
         "not-memory", None, ["setting"]),
        ({"memory": mem(4, usable="2.9 GB", available="1 GB")}, [{"memory_own": "2 GB"}],
         "memory-alone", 6, ["memory"]),
        # the wanted system is the job; under a program the old one has to go
        (OLD, [{**WANTED, "memory": "6 GB", "processor_bits": 64}], "memory-alone", 6, ["memory"]),
        (OLD, [{"memory": "6 GB"}], "memory-plus", 6, ["system", "memory"]),
        (OLD, [{**WANTED, "memory": "6 GB", "bits": 32}], "not-memory", None, []),
        # bits and architectures
        ({"processor": {"bits": 32}}, [{"os_bits": 64}], "replace", None, ["machine"]),
        ({"system": {"os_bits": 32}}, [{"os_bits": 64}], "undecided", None, []),
        ({"memory": mem(16), "processor": {"bits": 64}, "system": {"os_bits": 64}},
         [{"os_bits": 32, "memory": "8 GB"}], "not-memory", None, []),
        ({"processor": {"architecture": "x86-64"}, "system": {"os_bits": 32}},
         [{"architecture": "x86-64"}], "not-memory", None, ["system"]),
        ({"processor": {"bits": 64}, "system": {"os_bits": 32}}, [{"processor_bits": 64}],
         "not-memory", None, ["system"]),
        ({"processor": {"bits": 32}}, [{**WANTED, "bits": 64, "memory": "1 GB"}],
         "replace", None, ["machine"]),
        # positions
        ({"memory": {"modules": [{"size": "4 GB", "fixed": True}]}}, [{"memory": "8 GB"}],
         "undecided", 8, []),
        ({"memory": {"slots": 1, "modules": [{"size": "4 GB", "fixed": True}]}},
         [{"memory": "8 GB"}], "replace", None, ["machine"]),
        # counts
        ({"processor": {"cores": 8, "threads": 4}, **NOTE}, [{"cores": 4}], "undecided", None, []),
        ({"processor": {"threads": 8}, **NOTE}, [{"cores": 4}], "ready", None, []),
        ({"processor": {"threads": 4}, **NOTE}, [{"cores": 8}], "replace", None, ["machine"]),
        ({"processor": {"cores": 8}, **NOTE}, [{"cores": "<= 4"}], "not-memory", None, ["setting"]),
        ({"processor": {"clock_most": "2 GHz"}, **NOTE}, [{"clock": "3 GHz"}],
         "replace", None, ["machine"]),
        # needs that exclude one another
        ({"processor": {"cores": 4, "threads": 4}, **DESK}, [{"cores": 8, "threads": "<= 4"}],
         "not-memory", None, []),
        ({"processor": {"architecture": "arm64"}, **NOTE},
         [{"instructions": "AVX2"}, {"architecture": "arm64"}], "not-memory", None, []),
        ({"memory": mem(4), "processor": {"bits": 64}},
         [{**WANTED, "memory": "1 GB"}, {**WANTED, "title": "Larchwood", "memory": "2 GB"}],
         "not-memory", None, []),
        # one adapter must meet all graphics needs of a sheet
        ({"graphics": [{"memory": "512 MB", "api": {"vulkan": "1.3"}},
                       {"memory": "4 GB", "api": {}}],
          **DESK}, [{"graphics": {"vulkan": "1.2"}, "graphics_memory": "2 GB"}],
         "not-memory", None, ["graphics"]),
        # from ten on, less than 30 % is kept back, and fitted memory counts again
        ({"memory": {"installed": "4 GB", "usable": "1 GB", "slots": 2,
                     "modules": [{"size": "2 GB", "type": "DDR4"}] * 2},
          "system": {"os_bits": 64, "shape": "notebook"}},
         [{"memory": "8 GB"}], "memory-alone", 10, ["memory"]),
        # a setting, a part: by what the machine has
        *[({"firmware": {"security_module": module}, **origins, **sections},
           [{"security_module": "2.0"}], "replace" if kind == "machine" else "not-memory", None,
           [kind])
          for module, origins, sections, kind in [
              ("none", {}, DESK, "part"), ("none", {}, NOTE, "machine"),
              ("none", {}, {"system": {"virtual": True}}, "setting"),
              ("none", _SEEN, NOTE, "setting"), ("none", _SEEN, DESK, "setting"),
              ("off", {}, NOTE, "setting"), ("1.2", {}, DESK, "setting")]],
        ({"firmware": {"security_module": "1.2"}}, [{"security_module": "2.0"}],
         "not-memory", None, ["setting"]),
        ({"processor": {"virtualization": "none"}, **NOTE}, [{"virtualization": "on"}],
         "replace", None, ["machine"]),
        ({"processor": {"architecture": "arm64", "cores": 2}, **DESK}, [{"cores": 4}],
         "replace", None, ["machine"]),
        # a told list of programs is partial
        ({"software": [{"name": "Fernfolio", "version": "3"}]}, [{"software": ["Gatepenny"]}],
         "undecided", None, []),
        ({"processor": {"level": "x86-64-v1"}, **NOTE}, [{"instructions": "x86-64-v2"}],
         "replace", None, ["machine"]),
        # modules without a count of positions: one free one is assumed
        ({"memory": {"modules": [{"size": "4 GB", "type": "DDR4"}]}}, [{"memory": "6 GB"}],
         "memory-alone", 8, ["memory"]),
        ({"system": {"family": "linux"}}, [{"os": ["Merrow"]}], "undecided", None, []),
        ({"processor": {"line": "Elm", "generation": 3}, **DESK},
         [{"generation": {"Osier Wand": 5}}], "undecided", None, []),
        # a version that is not said is unknown
        ({"system": {"os": "Merrow"}}, [{"os": ["Merrow >= 9"]}], "undecided", None, []),
        ({"system": {"os": "Merrow", "family": "linux", "kernel": "6.1"}},
         [{"os": ["Linux >= 5.10"]}], "ready", None, []),
    ],
)  # fmt: skip
def test_trials(
    sections: dict[str, Any], sheets: list[dict[str, Any]], answer: str, target: int | None,
    kinds: list[str],
) -> None:  # fmt: skip
    verdict = verdict_on(machine(**sections), *(sheet(**one) for one in sheets))
    decision = verdict.decision
    assert decision.answer == answer
    assert decision.target_memory == (None if target is None else target * GIB)
    assert [fix.kind for fix in decision.fixes] == kinds
    conflict = answer == "not-memory" and not kinds
    assert bool(decision.conflicts) == conflict


@pytest.mark.parametrize(
    ("cores", "answer"), [(None, "undecided"), (2, "ready"), (4, "memory-alone")]
)
def test_a_condition_on_what_is_unknown_leaves_both_open(cores: int | None, answer: str) -> None:
    there = machine(memory=mem(4, ceiling="16 GB", slots=2), system={"shape": "desktop"},
                    processor={} if cores is None else {"cores": cores})  # fmt: skip
    also = [{"when": {"cores": ">= 4"}, "memory": "8 GB"}]
    decision = verdict_on(there, sheet(memory="4 GB", also=also)).decision
    assert decision.answer == answer
    if cores is None:
        assert decision.possible == ("ready", "memory-alone")
        assert decision.find_out == ("processor.cores",)


def test_a_conflict_names_both_sides() -> None:
    there = machine(memory=mem(16), processor={"bits": 64}, system={"os_bits": 64})
    (conflict,) = verdict_on(there, sheet(os_bits=32, memory="8 GB")).decision.conflicts
    assert [one.need.key for one in conflict.between] == ["memory", "os_bits"]


def test_installed_programs_count_where_they_are_met_today() -> None:
    there = machine(**OLD)
    bus, merrow = sheet("Mistwright", os_bits=32), sheet(**WANTED, memory="2 GB", bits=64)
    assert verdict_on(there, merrow, installed=(bus,)).decision.conflicts
    wide = machine(**{**OLD, "system": {"os_bits": 64}})
    assert verdict_on(wide, merrow, installed=(bus,)).decision.answer == "ready"


def test_a_doubted_reading_is_unknown_and_telling_it_lifts_the_doubt() -> None:
    doubt = {"about": ["memory.installed", "memory.usable"], "text": "they contradict"}
    there = machine(memory=mem(8, usable="9 GB"), doubts=[doubt])
    assert judge(there, memory="4 GB").decision.answer == "undecided"
    there = tell_all(there, parse_told("memory=8GB", VOCABULARY), VOCABULARY)
    assert judge(there, memory="4 GB").decision.answer == "ready"


def test_a_doubt_on_storage_covers_all_under_it() -> None:
    doubt = {"about": ["storage"], "text": "they contradict"}
    there = machine(storage=[{"drive": "256 GB", "free": "60 GB"}], doubts=[doubt])
    verdict = judge(there, storage="100 GB", storage_free="20 GB")
    assert [row.status for row in verdict.rows] == ["unknown", "unknown"]
    assert all(row.doubted for row in verdict.rows)


@pytest.mark.parametrize(
    ("sections", "about"),
    [
        ({"processor": {"cores": 8, "threads": 4}}, ["processor.cores", "processor.threads"]),
        ({"processor": {"cores": 8}, "extra": {"firmware_cores": 4}}, ["processor.cores"]),
        ({"memory": mem(8, usable="9 GB")}, ["memory.installed", "memory.usable"]),
        ({"memory": mem(8, modules=[{"size": "4 GB"}])}, ["memory.installed", "memory.modules"]),
        ({"memory": mem(8, ceiling="4 GB")}, ["memory.ceiling"]),
        ({"memory": mem(8192)}, ["memory.installed"]),
        ({"memory": {"installed": "4096 kB"}}, ["memory.installed"]),
        ({"memory": mem(8, available="9 GB")}, ["memory.available"]),
        ({"processor": {"bits": 32}, "system": {"os_bits": 64}},
         ["processor.bits", "system.os_bits"]),
        ({"storage": [{"size": "60 GB", "free": "90 GB"}]}, ["storage.free"]),
        ({"memory": {"modules": [{"size": "4 GB", "type": "DDR3"},
                                {"size": "4 GB", "type": "DDR4"}]}},
         ["memory.modules"]),
    ],
)  # fmt: skip
def test_contradictions_are_found_at_the_door(sections: dict[str, Any], about: list[str]) -> None:
    verdict = judge(machine(**sections), display="1x1")
    assert [doubt.about for doubt in verdict.known.doubts] == [about]


@pytest.mark.parametrize(
    ("gib", "virtual", "total"),
    [(7.7, False, 8), (3.87, False, 4), (2.9, False, 3), (9.6, False, 10), (11.5, False, 12),
     (0.48, False, 0.5), (6.9, True, 7), (7.7, True, 8), (23.5, True, 24)],
)  # fmt: skip
def test_fitted_memory_is_worked_out(gib: float, virtual: bool, total: float) -> None:
    assert likely_fitted(float(int(gib * GIB)), float(virtual)) == total * GIB


def test_memory_at_the_limit_of_a_32_bit_system_is_not_worked_out() -> None:
    there = machine(memory={"usable": "3.2 GB"}, system={"os_bits": 32}, processor={"bits": 64})
    assert judge(there, memory="4 GB").decision.answer == "ready"  # 3 GB would show no 3.2 GB
    less = machine(memory={"usable": "2.9 GB"}, system={"os_bits": 32}, processor={"bits": 64})
    decision = judge(less, memory="4 GB").decision
    assert decision.possible == ("ready", "memory-alone")
    assert decision.find_out == ("memory.installed",)
    assert judge(less, memory="3 GB").decision.answer == "ready"


def test_what_an_old_system_could_not_show_may_be_fitted_under_the_wanted_one() -> None:
    there = machine(memory={"usable": "3.2 GB"}, system={"os_bits": 32}, processor={"bits": 64})
    for memory, possible in (("4 GB", ("ready",)), ("8 GB", ("ready", "memory-alone"))):
        wanted = sheet("Merrow", "operating system", 64, memory=memory)
        assert verdict_on(there, wanted).decision.possible == possible


@pytest.mark.parametrize(
    ("memory", "wanted", "total"),
    [
        ({"slots": 2, "modules": [{"size": "4 GB", "type": "DDR4"}, {"size": 0}]}, 6, 8),
        ({"slots": 2, "modules": [{"size": "4 GB", "type": "DDR3"}, {"size": 0}]}, 6, 6),
        ({"slots": 2, "modules": [{"size": "8 GB", "type": "DDR5"}] * 2}, 20, 24),
        ({"slots": 2, "modules": [{"size": "4 GB", "fixed": True, "type": "DDR4"},
                                  {"size": 0, "type": "DDR4"}]}, 12, 12),
        ({"slots": 1, "position_most": "8 GB"}, 16, None),
        ({"ceiling": "6 GB"}, 8, None),
        ({"slots": 2, "ceiling": "8 GB", "modules": [{"size": "4 GB"}, {"size": 0}]}, 8, 8),
        ({}, 5, 6),
        ({"position_most": "128 MB"}, 5, None),  # no module is so small
        ({"slots": 1024, "ceiling": "900000 TB"}, 80_000, 80_000),
    ],
)  # fmt: skip
def test_the_total_that_reaches_what_is_wanted(
    memory: dict[str, Any], wanted: int, total: int | None
) -> None:
    world = world_of(normalized(machine(memory=memory), VOCABULARY))
    found = cheapest_total(account_of(world.get), wanted * GIB, world.get("memory.ceiling")).bytes
    assert found == (total * GIB if total is not None else None)


@pytest.mark.parametrize(
    ("sections", "needs", "answer"),
    [
        # every other key, met, short and unknown
        ({"firmware": {"security_module": "2.0"}}, {"security_module": "2.0"}, "ready"),
        # a limit that is set counts, whatever is fitted, until the setting is changed
        (LIMITED, {"memory": "4 GB"}, "ready"),
        (LIMITED, {"memory": "8 GB"}, "not-memory"),
        (LIMITED, {"memory": "32 GB"}, "memory-plus"),
        ({"memory": {"usable": "3.9 GB", "limit": "4 GB"}}, {"memory": "8 GB"}, "undecided"),
        ({"memory": {"usable": "3.9 GB", "limit": "3 GB"}}, {"memory": "3 GB"}, "ready"),
        # models whose memory is fixed to the board, by name
        ({"memory": {"installed": "8 GB"}, **FIXED}, {"memory": "16 GB"}, "replace"),
        ({"memory": {"modules": [{"size": "8 GB"}, {"size": 0}]}, **FIXED}, {"memory": "16 GB"},
         "replace"),
        ({"firmware": {"security_module": "1.2"}}, {"security_module": "2.0"}, "not-memory"),
        ({"firmware": {"security_module": "none"}}, {"security_module": "1.2"}, "undecided"),
        ({}, {"security_module": "1.2"}, "undecided"),
        # each x86-64 processor has what the first level has
        ({"processor": {"architecture": "x86-64"}},
         {"instructions": ["SSE2", "x86-64-v1"]}, "ready"),
        ({"processor": {"architecture": "x86-64", "instructions": ["-SSE2"]}, **NOTE},
         {"instructions": "SSE2"}, "replace"),
        ({"processor": {"architecture": "x86-64"}}, {"instructions": "SSE3"}, "undecided"),
        ({"firmware": {"mode": "uefi"}}, {"firmware": "uefi"}, "ready"),
        ({"firmware": {"mode": "bios"}}, {"firmware": "uefi"}, "not-memory"),
        ({"firmware": {"secure_boot": "able"}}, {"secure_boot": "able"}, "ready"),
        ({"firmware": {"secure_boot": "able"}}, {"secure_boot": "on"}, "not-memory"),
        ({"firmware": {"secure_boot": "none"}}, {"secure_boot": "able"}, "undecided"),
        ({"firmware": {"secure_boot": "none"}, "system": {"shape": "tower"}},
         {"secure_boot": "able"}, "not-memory"),
        ({"firmware": {"secure_boot": "none"}, "system": {"shape": "notebook"}},
         {"secure_boot": "able"}, "replace"),
        ({"processor": {"virtualization": "able"}, **NOTE}, {"virtualization": "on"}, "not-memory"),
        ({"processor": {"virtualization": "none"}, **NOTE}, {"virtualization": "on"}, "replace"),
        ({"system": {"os": "Merrow", "os_version": "9"}}, {"os": ["Merrow >= 9"]}, "ready"),
        ({"system": {"os": "Merrow", "os_version": "6"}}, {"os": ["Merrow >= 9"]}, "not-memory"),
        ({"system": {"os": "Larchwood"}}, {"os": ["Merrow", "Larchwood"]}, "ready"),
        ({"system": {"os": "Merrow"}}, {"os": ["Merrow 9"]}, "undecided"),
        ({"system": {"os": "Merrow", "os_version": "10.1"}}, {"os": ["Merrow 9"]}, "ready"),
        ({"software": [{"name": "Fernfolio", "version": "3.2"}]},
         {"software": ["Fernfolio >= 3"]}, "ready"),
        ({"software": [{"name": "Fernfolio", "version": "2"}]},
         {"software": ["fernfolio >= 3"]}, "not-memory"),
        ({"software": [{"name": "Fernfolio"}]}, {"software": ["Fernfolio >= 3"]}, "undecided"),
        ({"software": []}, {"software": ["Fernfolio"]}, "not-memory"),
        ({"graphics": [{"api": {"vulkan": "1.3"}}]}, {"graphics": {"Vulkan": "1.2"}}, "ready"),
        ({"graphics": [{"api": {"vulkan": "1.1"}}], **DESK}, {"graphics": {"vulkan": "1.2"}},
         "not-memory"),
        ({"graphics": [{"api": {}}], **NOTE}, {"graphics": {"vulkan": "1.2"}}, "replace"),
        ({"graphics": [{"name": "x"}]}, {"graphics": {"vulkan": "1.2"}}, "undecided"),
        ({"graphics": [], **NOTE}, {"graphics_memory": "1 GB"}, "replace"),
        ({"graphics": [{"memory": "2 GB"}]}, {"graphics_memory": "1 GB"}, "ready"),
        ({"display": "1366x768"}, {"display": "1366x768"}, "ready"),
        ({"display": "2560x700"}, {"display": "1366x768"}, "not-memory"),
        ({"storage": [{"kind": "spinning"}]}, {"storage_kind": "solid"}, "not-memory"),
        ({"storage": [{"size": "1 TB", "external": True}, {"size": "200 GB"}]},
         {"storage_data": "500 GB"}, "not-memory"),
        ({"extra": {"valve_bus": "yes"}}, {"extra": {"valve_bus": "yes"}}, "ready"),
        ({"extra": {"valve_bus": "no"}}, {"extra": {"valve_bus": "yes"}}, "not-memory"),
        ({}, {"extra": {"valve_bus": "yes"}}, "undecided"),
        ({"processor": {"name": "Osier Wand S5 214"}}, {"processors": ["Osier Wand S5 ???"]},
         "ready"),
        ({"processor": {"name": "Osier Wand S4 214"}, **DESK}, {"processors": "Osier Wand S5 *"},
         "not-memory"),
        ({}, {"memory_use": "80 %"}, "undecided"),
        # what programs want for themselves, beside what is in use
        ({"memory": mem(8, usable="8 GB", available="5 GB")}, {"memory_own": "5 GB"}, "ready"),
        ({"memory": mem(8, usable="8 GB", available="5 GB")}, {"memory_own": "6 GB"},
         "memory-alone"),
        ({"memory": mem(8, usable="8 GB", available="5 GB", ceiling="8 GB")},
         {"memory_own": "6 GB"}, "replace"),
        ({"memory": mem(8, usable="8 GB")}, {"memory_own": "6 GB"}, "undecided"),
    ],
)  # fmt: skip
def test_every_other_key(sections: dict[str, Any], needs: dict[str, Any], answer: str) -> None:
    assert judge(machine(**sections), **needs).decision.answer == answer


def test_own_memory_adds_up_and_the_target_holds_the_demand() -> None:
    there = machine(memory=mem(8, usable="7.8 GB", available="3 GB", slots=2))
    alone = sheet("Fernfolio", memory_own="2 GB")
    both = (alone, sheet("Gatepenny", memory_own="2 GB"))
    assert verdict_on(there, alone).decision.answer == "ready"
    verdict = verdict_on(there, *both)
    assert (verdict.decision.answer, verdict.decision.target_memory) == ("memory-alone", 9 * GIB)
    assert "one moment" in " ".join(conditions(verdict))


def test_only_programs_that_ask_here_want_memory_of_their_own() -> None:
    there = machine(memory=mem(4, available="3 GB", slots=2, ceiling="16 GB"), **DESK)
    answers = [
        verdict_on(
            there, sheet(memory_own="1 GB", also=[{"when": {"shape": shape}, "memory_own": own}])
        )
        for shape, own in (("server", "9 GB"), ("desktop", "2 GB"), ("desktop", "2.5 GB"))
    ]
    assert [one.decision.answer for one in answers] == ["ready", "ready", "memory-alone"]


@pytest.mark.parametrize(("wanted", "total"), [("5 GB", 5), ("4.1 GB", 4.125)])
def test_a_virtual_machine_is_given_memory_in_its_hosts_grain(wanted: str, total: float) -> None:
    there = machine(memory=mem(4), system={"virtual": True, "os_bits": 64})
    decision = judge(there, memory=wanted).decision
    assert (decision.answer, decision.target_memory) == ("memory-alone", total * GIB)


def test_conditions_name_what_the_answer_rests_on() -> None:
    there = machine(memory={"usable": "3.7 GB"}, storage=[{"size": "100 GB"}])
    texts = " / ".join(conditions(judge(there, memory="8 GB", storage="60 GB")))
    for part in ("memory fitted is worked out", "stands for the drive's",
                 "the most memory the board",
                 "how many positions there are", "bits of the running system"):  # fmt: skip
        assert part in texts


# --- one need alone is met by some machine ---------------------------------------------------

_OLD_ONE: dict[str, Any] = {
    "memory": {"installed": "4 GB"}, "display": "800x600", "graphics": [], "software": [],
    "processor": {"name": "Osier Wand S5 214", "cores": 2, "threads": 4, "clock": "1 GHz",
                  "bits": 64, "architecture": "x86-64", "instructions": ["SSE2"],
                  "virtualization": "none"},
    "system": {"shape": "notebook", "os": "Merrow", "os_version": "9", "os_bits": 64,
               "architecture": "x86-64"},
    "firmware": {"mode": "bios", "secure_boot": "none", "security_module": "none"},
    "storage": [{"drive": "32 GB", "free": "1 GB", "kind": "spinning", "system": True}],
}  # fmt: skip
ALONE: dict[str, list[Any]] = {
    "processors": ["Osier Wand S? *", "* 9??", "[ab]*", "!= Osier Wand *", ["A*B", "C?"], "[!o]*"],
    "generation": [{"Osier Wand": 9}, {"*": "none", "Osier Wand": 99}, {"Hazelwick Tern": 1}],
    "instructions": [["AVX512F", "AMX-TILE"], ["x86-64-v4"], ["NEON"]],
    "clock": ["9 GHz", "<= 1 MHz", "2 GHz..3 GHz"], "cores": ["= 3", "<= 1", 1000, "2..3"],
    "threads": ["= 5", "<= 1", 3000], "display": ["7680x4320", "<= 640x480"],
    "security_module": ["3.0", "= 1.2"], "firmware": ["uefi", "bios", "!= bios"],
    "secure_boot": ["on", "able"], "virtualization": ["on"],
    "graphics": [{"vulkan": "9.9", "directx": "12"}], "graphics_memory": ["96 GB", "<= 1 GB"],
    "storage": ["64 TB", "<= 100 GB"], "storage_free": ["9 TB"], "storage_data": ["9 TB"],
    "storage_kind": ["solid", "spinning", "!= solid"],
    "software": [["Fernfolio >= 3, < 4"], ["A", "B 2"]], "extra": [{"dongle": "green"}],
    "os": [["Merrow >= 9"], ["Linux >= 5.10"], ["Larchwood == 3"], ["Merrow < 6"], ["Linux"]],
    "os_bits": [32, 64, ">= 32"], "processor_bits": [32, 64, "= 32"],
    "architecture": ["arm64", ["x86", "arm"], "!= x86-64", "riscv64", "ppc64le"],
    "memory": ["1 TB", "<= 1 GB", "= 5 GB"], "memory_own": ["500 GB"], "cores_use": [64],
}  # fmt: skip


@given(
    bounds=st.tuples(*[st.tuples(st.sampled_from((">=", "<=", "=")), st.integers(1, 40))] * 2),
    cores=st.integers(1, 12),
    each=st.integers(1, 2),
)
def test_cores_and_threads_go_together(
    bounds: tuple[tuple[str, int], ...], cores: int, each: int
) -> None:
    """Whatever is asked of both, it is met where a machine can have such counts, and only there."""
    there = machine(
        processor={"cores": cores, "threads": cores * each, "architecture": "x86-64"},
        system={"shape": "tower"},
    )
    needs = {key: f"{op} {n}" for key, (op, n) in zip(("cores", "threads"), bounds, strict=True)}
    compare = {">=": int.__ge__, "<=": int.__le__, "=": int.__eq__}
    can = [
        (c, t) for c in range(1, 90) for t in range(c, 2 * c + 1)
        if all(compare[op](have, n) for have, (op, n) in zip((c, t), bounds, strict=True))
    ]  # fmt: skip
    decision = judge(there, **needs).decision
    assert bool(decision.conflicts) == (not can)
    if can:
        assert (decision.answer == "ready") == ((cores, cores * each) in can)
        by_setting = any(c <= cores and t <= cores * each for c, t in can)
        assert ({fix.kind for fix in decision.fixes} <= {"setting"}) == by_setting


@pytest.mark.parametrize("key", ALONE)
def test_a_need_alone_is_no_conflict(key: str) -> None:
    for value in ALONE[key]:
        for there in (_OLD_ONE, {}, {"system": {"virtual": True}}, {"system": {"shape": "tower"}}):
            assert not judge(machine(**there), **{key: value}).decision.conflicts, (value, there)


# --- doubts whose sources gave values ------------------------------------------------------

_BOTH = {"memory": {"installed": "8 GB", "slots": 2, "modules": [{"size": "16 GB"}]}}
_SHOWN = {"memory": {"installed": "8 GB", "usable": "15.8 GB"}, "system": {"os_bits": 64}}
_COUNTS = {"processor": {"cores": 8, "threads": 4, "architecture": "x86-64"}}
_KERNEL = {"processor": {"cores": 8, "threads": 16}, "extra": {"firmware_cores": 4,
           "firmware_threads": 8}}  # fmt: skip


@pytest.mark.parametrize(
    ("sections", "needs", "possible"),
    [(_BOTH, {"memory": "4 GB"}, ("ready",)), (_BOTH, {"memory": "8 GB"}, ("ready",)),
     (_BOTH, {"memory": "12 GB"}, ("ready", "memory-alone")),
     (_BOTH, {"memory": "20 GB"}, ("memory-alone",)),
     (_BOTH, {"memory": "<= 4 GB"}, ("not-memory",)),
     (_SHOWN, {"memory": "6 GB"}, ("ready",)), (_SHOWN, {"memory": "16 GB"}, None),
     (_COUNTS, {"cores": 2}, ("ready",)), (_COUNTS, {"threads": 4}, ("ready",)),
     (_COUNTS, {"cores": 6}, ("ready", "not-memory", "replace")),
     (_COUNTS, {"threads": 32}, ("not-memory", "replace")),
     (_KERNEL, {"cores": 4, "threads": 8}, ("ready",)),
     (_KERNEL, {"cores": 8, "threads": "<= 8"}, ("not-memory", "replace"))],
)  # fmt: skip
def test_doubted_readings_have_the_values_that_sources_gave(
    sections: dict[str, Any], needs: dict[str, Any], possible: tuple[str, ...] | None
) -> None:
    verdict = judge(machine(**sections), **needs)
    if possible is None:
        assert verdict.decision.possible[0] == "ready"
        assert len(verdict.decision.possible) > 1
        return
    assert verdict.decision.possible == possible
    if possible == ("ready",):
        assert [row.status for row in verdict.rows] == ["met"] * len(needs)


@pytest.mark.parametrize(
    ("key", "values"),
    [("memory.installed", [-1, 1 << 34]), ("memory.installed", ["much", 1 << 33]),
     ("memory.installed", [True, 1e300]), ("processor.architecture", [False, "x86-64"]),
     ("memory.ceiling", [1e300, "x"]), ("display", [True, 3]), ("no.such", [1, 2])],
)  # fmt: skip
def test_values_that_no_sheet_takes_leave_a_doubted_reading_unknown(
    key: str, values: list[Any]
) -> None:
    doubt = {"about": [key], "text": "x", "values": [{key: one} for one in values]}
    there = machine(processor={"bits": 64}, doubts=[doubt])
    needs = {"memory": "4 GB", "architecture": "x86-64", "display": "1366x768"}
    bare = judge(machine(processor={"bits": 64}), **needs).decision
    assert judge(there, **needs).decision.possible == bare.possible


@pytest.mark.parametrize(
    ("ceilings", "asked", "answer", "said"),
    [((2, 4), 8, "replace", "4 GB"), ((16, 64), 32, "memory-alone", "sources differ"),
     ((16, 64), 65, "replace", "64 GB"), ((1, 16), 16, "memory-alone", "sources differ")],
)  # fmt: skip
def test_limits_on_which_sources_differ_are_a_range(
    ceilings: tuple[int, int], asked: int, answer: str, said: str
) -> None:
    told = [Told("memory.installed", 2 * GIB), Told("memory.slots", 2)]
    told += [Told("memory.ceiling", one * GIB) for one in ceilings]
    there = tell_all(machine(system={"os_bits": 64}), told, VOCABULARY)
    verdict = judge(there, memory=f"{asked} GB")
    assert verdict.decision.answer == answer
    assert any(said in text for text in conditions(verdict))


# --- a rule reads what it names ------------------------------------------------------------


def test_a_rule_that_reads_what_it_does_not_name_fails() -> None:
    view = View({"processor.cores": 4}, frozenset({"processor.threads"}))
    with pytest.raises(NotNamedError):
        view["processor.cores"]


@pytest.mark.parametrize("seed", range(60))
def test_every_entry_names_what_it_reads(seed: int) -> None:
    """Holding and mending raise on any reading that an entry did not name."""
    rng = random.Random(seed)
    there = random_machine(rng)
    for key in KEYS:
        if not key.endswith("_use"):
            verdict_on(there, random_sheet(rng, [key]))


# --- properties ----------------------------------------------------------------------------


def _by_trying(problem: Problem, most: int) -> frozenset[int] | None:
    """The trials that pass, over every combination of states, each by every way to change them."""
    found = set()
    for branch in branches(problem.groups, problem.world, problem.trials):
        clusters = [one for group in problem.groups for one in group.group.clusters]
        states = [one.states(branch.world) for one in clusters]
        if prod(map(len, states)) > most:
            return None
        for combination in product(*states):
            world = dict(branch.world)
            for state in combination:
                world |= state.readings
            mask = 0
            for at, trial in enumerate(problem.trials.all):
                there = tried_world(world, trial, problem.trials.systems)
                another = trial.hardware == ANOTHER
                ways = [within(one.options(there, another), trial).values() for one in clusters]
                if prod(map(len, ways)) > most:
                    return None
                mask |= (
                    any(
                        all(
                            answer.passes
                            for answer in evaluate_all(problem.asks, there | each.changes)
                        )
                        for each in map(joined, product(*ways))
                    )
                    << at
                )
            found.add(mask & branch.able)
    return frozenset(found)


@pytest.mark.parametrize("seed", range(300))
def test_tables_give_what_every_combination_gives(seed: int) -> None:
    there, asked, sheets = random_matter(seed)
    problem = Problem(normalized(there, VOCABULARY), asked, sheets)
    verdict = verdict_of(problem)
    if verdict.decision.answer == "ready":
        assert not any(row.status == "short" for row in verdict.rows)
    masks = _by_trying(problem, 40)
    if masks is not None:
        assert as_answers(answers_of(masks, problem.trials)) == verdict.decision.possible


@pytest.mark.parametrize("seed", range(80))
def test_what_is_too_much_for_one_table_comes_to_no_less(
    seed: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    there, asked, sheets = random_matter(5000 + seed)
    exact = decide(normalized(there, VOCABULARY), asked, sheets).decision
    monkeypatch.setattr(outcomes, "_COMBINATIONS_MOST", 2 + seed % 7)
    found = decide(normalized(there, VOCABULARY), asked, sheets).decision
    assert {*exact.possible} <= {*found.possible}
    if found.possible != exact.possible:
        assert found.wide
    assert not exact.wide


@pytest.mark.parametrize("seed", range(12))
def test_one_question_put_to_many_machines(seed: int) -> None:
    """What is remembered of machines alike in what is read is true of each of them."""
    rng = random.Random(seed)
    sheets = (random_sheet(rng, count=3),)
    needs = asked_at(sheets, "minimum") or []
    question = Requirements(requirements_of(needs), wanted=False, built_for=(), many=True)
    for _ in range(40):
        there = random_machine(rng)
        one = verdict_of(Problem(normalized(there, VOCABULARY), needs, sheets, question=question))
        other = decide(normalized(there, VOCABULARY), needs, sheets)
        assert one.decision == other.decision
        assert one.rows == other.rows


@pytest.mark.parametrize("seed", range(80))
def test_the_order_of_needs_changes_nothing(seed: int) -> None:
    there, asked, sheets = random_matter(1000 + seed)
    one = decide(normalized(there, VOCABULARY), asked, sheets).decision
    mixed = random.Random(seed).sample(asked, len(asked))
    other = decide(normalized(there, VOCABULARY), mixed, sheets).decision
    assert (one.answer, one.target_memory, set(one.find_out), one.possible) == (
        other.answer, other.target_memory, set(other.find_out), other.possible,
    )  # fmt: skip
    assert {fix.kind for fix in one.fixes} == {fix.kind for fix in other.fixes}


_NOT_TOLD = ("processor.complete", "processor.level", "processor.hidden", "processor.continues",
             "software.complete", "system.family", "system.kernel", "storage.data")  # fmt: skip


def _told(verdict: Verdict) -> list[Told] | None:
    """The fixes of an answer as readings to tell; None where one cannot be told."""
    decision = verdict.decision
    told = []
    if decision.target_memory is not None:
        told.append(Told("memory.installed", decision.target_memory))
    for fix in decision.fixes:
        if fix.kind == "memory" and decision.target_memory is None:
            return None
        for key, value in fix.changes.items():
            if key == "storage.data":
                return None
            of_memory = key.startswith("memory.") and (fix.kind == "memory" or told)
            if key not in _NOT_TOLD and value is not None and not of_memory:
                told.append(Told(key, list(value) if isinstance(value, tuple) else value))
    return told


@pytest.mark.parametrize("seed", range(250))
def test_applying_the_fixes_gives_ready(seed: int) -> None:
    there, asked, sheets = random_matter(3000 + seed)
    verdict = decide(normalized(there, VOCABULARY), asked, sheets)
    decision = verdict.decision
    if decision.answer in ("ready", "undecided", "replace") or decision.conflicts:
        return
    told = _told(verdict)
    if told is None or any(row.status == "unknown" for row in verdict.rows):
        return
    mixed = random.Random(seed).sample(told, len(told))
    after = decide(
        normalized(tell_all(there, mixed, VOCABULARY, "what if"), VOCABULARY), asked, sheets
    )
    assert after.decision.answer in ("ready", "undecided"), (verdict.decision, after.decision)
    if after.decision.answer == "undecided":
        assert any(row.answer.parts for row in after.rows)


def test_telling_in_any_order_is_the_same() -> None:
    there = machine(**OLD)
    told = [
        one
        for text in ("memory=8GB", "os_bits=64", "os=Merrow", "cores=4")
        for one in parse_told(text, VOCABULARY)
    ]
    first = tell_all(there, told, VOCABULARY)
    for seed in range(6):
        mixed = random.Random(seed).sample(told, len(told))
        other = tell_all(there, mixed, VOCABULARY)
        assert (first.memory, first.processor, first.system) == (
            other.memory, other.processor, other.system,
        )  # fmt: skip


def test_bits_that_are_not_known_are_asked_for() -> None:
    decision = verdict_on(machine(), sheet(kind="operating system", processor_bits=64)).decision
    assert (decision.answer, decision.find_out) == ("undecided", ("processor.bits",))


def test_what_only_the_publisher_knows_is_not_asked_for() -> None:
    there = machine(processor={"line": "Elm", "generation": 3}, **DESK)
    decision = judge(there, generation={"Osier Wand": 5}).decision
    assert (decision.possible, decision.find_out) == (("ready", "not-memory"), ())


@pytest.mark.parametrize(
    ("threads", "cores", "text"),
    [(4, 8, "at most 4"), (8, 4, "at least 4"), (8, "..8", "at most 8")],
)
def test_a_range_is_said_by_the_edge_that_settles_it(threads: int, cores: Any, text: str) -> None:
    verdict = judge(machine(processor={"threads": threads}, **NOTE), cores=cores)
    (row,) = verdict.rows
    assert have_text(row, verdict.world) == text
    assert row.answer.evaluation.worked_out == ("processor.threads",)


def test_what_settles_most_comes_first() -> None:
    decision = judge(machine(memory=mem(8), **NOTE), memory="4 GB", cores=4).decision
    assert decision.find_out[0] == "processor.cores"


def test_each_fix_names_the_rows_that_ask_for_it() -> None:
    there = machine(memory={"installed": 4 * GIB, "slots": 2, "ceiling": 16 * GIB},
                    system={"shape": "desktop"}, processor={"cores": 2},
                    storage=[{"system": True, "drive": 64 * 10**9}])  # fmt: skip
    found = decide(
        normalized(there, VOCABULARY), asked(memory="8 GB", storage="128 GB", cores=4)
    ).decision
    assert {fix.kind: fix.rows for fix in found.fixes} == {
        "processor": ("cores",), "storage": ("storage",), "memory": ("memory",),
    }  # fmt: skip


def test_a_rows_own_fix_is_one_that_this_machine_can_have() -> None:
    # a 64-bit system would show more of the memory, but this processor runs none
    there = machine(memory=mem(4, usable="2.9 GB", ceiling="16 GB", slots=2),
                    processor={"bits": 32}, system={"os_bits": 32, "shape": "desktop"})  # fmt: skip
    (row,) = judge(there, memory="6 GB").rows
    assert row.fixes == ("machine",)
    able = machine(memory=mem(8, usable="2.9 GB"), processor={"bits": 64}, system={"os_bits": 32})
    (row,) = judge(able, memory="6 GB").rows
    assert row.fixes == ("system",)


def test_where_a_rows_reading_comes_from() -> None:
    there = machine(memory=mem(8), processor={"cores": 4}, origins={"memory.installed": READ})
    whole = machine(storage=[{"system": True, "drive": 10**12}], origins={"storage": READ})
    (row,) = judge(whole, storage="128 GB").rows  # what was read as a whole tells of its parts
    assert row.origin is not None
    assert row.origin.how == "read"
    tables = [{"memory": "8 GB", "cores": 4}, {"cores": 99}]
    (row,) = verdict_on(there, sheet(any=tables)).rows
    assert row.origin is not None
    assert (row.status, row.origin.how) == ("met", "read")


def test_told_bits_of_the_system_replace_what_followed_from_the_old_ones() -> None:
    there = machine(
        system={"os_bits": 32, "architecture": "x86"}, processor={"architecture": "x86-64"},
        memory={"installed": 8 * GIB, "usable": 3 * GIB, "addressable": 4 * GIB},
    )  # fmt: skip
    told = tell_all(there, parse_told("os_bits=64", VOCABULARY), VOCABULARY)
    assert (told.system.architecture, told.memory.addressable) == (None, None)
    assert told.memory.usable is not None
    assert told.memory.usable > 6 * GIB
    kept = tell_all(
        there,
        [*parse_told("os_bits=64", VOCABULARY), Told("system.architecture", "x86-64")],
        VOCABULARY,
    )
    assert kept.system.architecture == "x86-64"


@pytest.mark.parametrize(
    ("minimum", "keys"),
    [
        ({"memory": "4 GB"}, ["memory", "processor_bits"]),
        ({"processor_bits": 64}, ["processor_bits"]),
        ({"architecture": "arm64"}, ["architecture"]),
    ],
)
def test_a_system_of_64_bits_asks_for_such_a_processor_once(
    minimum: dict[str, Any], keys: list[str]
) -> None:
    wanted = sheet("Merrow", "operating system", 64, **minimum)
    assert [one.need.key for one in asked_at((wanted,), "minimum") or ()] == keys


@pytest.mark.parametrize(
    ("bits", "architecture", "possible"),
    [
        ("= 32", "x86-64", ("not-memory",)),  # a conflict: no processor has both
        ("= 32", "arm64", ("not-memory",)),
        ("= 64", "x86", ("ready", "replace")),
        ("= 64", "x86-64", ("ready", "replace")),
    ],
)
def test_unknown_bits_and_architecture_are_those_of_one_processor(
    bits: str, architecture: str, possible: tuple[str, ...]
) -> None:
    there = machine(system={"shape": "notebook", "os_bits": 32})
    decision = judge(there, processor_bits=bits, architecture=architecture).decision
    assert decision.possible == possible
