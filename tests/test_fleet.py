"""Fleets: the same answers as check, machine by machine."""

import random
from typing import Any

import numpy as np
import pytest

from tallcheck.core.decide.asked import Asked
from tallcheck.core.decide.decision import Verdict, decide
from tallcheck.core.fleet.columns import Fleet, Words
from tallcheck.core.fleet.details import Details, details_of
from tallcheck.core.fleet.judged import ANSWERS, STATUSES, Fixes, Judged, fixes_of, judge_fleet
from tallcheck.core.fleet.known import find_doubts
from tallcheck.core.machine.normalized import normalized
from tallcheck.core.machine.sheet import Module
from tallcheck.core.messages.conditions import conditions
from tallcheck.files.sheets import needs_from
from tests.helpers import GIB, VOCABULARY, asked

MIB = 1 << 20
_SIZES: list[int] = [1, 2, 3, 4, 6, 8, 16, 32]
NUMBERS: dict[str, list[Any]] = {
    "memory.installed": [size * GIB for size in _SIZES],
    "memory.usable": [int(size * GIB * 0.95) for size in _SIZES] + [3 * GIB + 200 * MIB],
    "memory.available": [size * GIB // 3 for size in _SIZES],
    "memory.ceiling": [4 * GIB, 8 * GIB, 16 * GIB, 64 * GIB],
    "memory.slots": [1, 2, 4],
    "memory.position_most": [4 * GIB, 8 * GIB, 32 * GIB],
    "memory.addressable": [4 * GIB, 64 * GIB],
    "processor.cores": [1, 2, 4, 8],
    "processor.threads": [2, 4, 8, 16],
    "processor.clock": [1.2e9, 1.6e9, 2.1e9, 3.4e9],
    "processor.generation": [3, 4, 5, 6],
    "processor.bits": [32, 64],
    "system.os_bits": [32, 64],
    "storage.drive": [64e9, 128e9, 256e9],
    "storage.size": [60e9, 250e9],
    "storage.free": [5e9, 30e9, 100e9],
    "graphics.memory": [0, 512 * MIB, 2 * GIB],
}
WORDS: dict[str, list[Any]] = {
    "memory.modules": [
        [Module(size=4 * GIB), Module(size=0)], [Module(size=2 * GIB), Module(size=2 * GIB)],
        [Module(size=4 * GIB, fixed=True)], [Module(size=8 * GIB, fixed=True), Module(size=0)],
    ],
    "processor.instructions": [["AVX2"], ["x86-64-v2"], ["SSE4.2", "-AVX2"], ["SSE2"]],
    "processor.line": ["Osier Wand", "Hazelwick Tern"],
    "processor.architecture": ["x86-64", "x86", "arm64"],
    "system.shape": ["desktop", "notebook", "server", "tablet"],
    "system.virtual": [True, False],
    "system.os": ["Merrow", "Other"],
    "system.os_version": ["9", "6"],
    "system.architecture": ["x86-64", "x86"],
    "firmware.security_module": ["1.2", "2.0", "none"],
    "firmware.secure_boot": ["on", "able", "none"],
    "processor.virtualization": ["on", "able", "none"],
    "display": ["1024x768", "1920x1080"],
    "extra.cores_off": [1, 4],
}  # fmt: skip
NEEDS: dict[str, list[Any]] = {
    "memory": ["6 GB", "3 GB", "<= 4 GB", "2 GB..8 GB", "20 GB"],
    "memory_own": ["1 GB", "4 GB"],
    "cores": [2, 4, "<= 4"],
    "threads": [4],
    "clock": ["1.6 GHz"],
    "generation": [{"Osier Wand": 5, "Hazelwick Tern": 4}, {"Osier Wand": 4, "*": "none"}],
    "instructions": [["x86-64-v2"], ["AVX2"], ["SSE4.2", "POPCNT"]],
    "processor_bits": [64],
    "architecture": ["x86-64", "x86"],
    "virtualization": ["on", "able"],
    "os": [["Merrow >= 9"]],
    "os_bits": [64, 32],
    "storage": ["100 GB"],
    "storage_free": ["20 GB"],
    "security_module": ["2.0"],
    "secure_boot": ["able", "on"],
    "graphics_memory": ["1 GB"],
    "display": ["1366x768"],
}


SHEET = """
tallcheck = "needs/1"
title = "Bedplan"
kind = "program"
source = "https://example.org/bedplan"
read_on = 2026-09-04
[minimum]
memory = "2 GB"
[[minimum.also]]
when = {"system.shape" = "notebook"}
display = "1366x768"
[[minimum.also]]
when = {"system.os" = "Merrow"}
cores = 4
[[minimum.also]]
when = {"system.os_bits" = 32}
memory = "3 GB"
[[minimum.any]]
generation = {"Osier Wand" = 5}
[[minimum.any]]
cores = 6
clock = "2 GHz"
"""
CONDITIONAL = [
    Asked(need, "Bedplan", "minimum")
    for need in needs_from(SHEET.encode(), "bedplan.needs.toml", VOCABULARY).releases[0].minimum
    or ()
]


def random_fleet(rng: random.Random, size: int) -> Fleet:
    """A fleet in which each reading is there for some machines, often to contradict others."""
    numbers, words = {}, {}
    for key, values in NUMBERS.items():
        if rng.random() < 0.6:
            share = rng.random()
            numbers[key] = np.array(
                [rng.choice(values) if rng.random() < share else np.nan for _ in range(size)]
            )
    for key, choices in WORDS.items():
        if rng.random() < 0.6:
            share = rng.random()
            codes = [rng.randrange(len(choices)) if rng.random() < share else -1
                     for _ in range(size)]  # fmt: skip
            words[key] = Words(np.array(codes, dtype=np.int32), choices)
    names = np.array([f"m{at}" for at in range(size)], dtype=object)
    fleet = Fleet(
        names, np.arange(size) + 2, numbers, words, np.zeros(size, dtype=np.uint32), VOCABULARY
    )
    fleet.doubts = find_doubts(fleet)
    return fleet


def random_needs(rng: random.Random) -> list[Asked]:
    """Some needs, of one or two sheets."""
    keys = rng.sample(list(NEEDS), rng.randint(1, 6))
    found = asked(**{key: rng.choice(NEEDS[key]) for key in keys})
    if rng.random() < 0.4:
        found += rng.sample(CONDITIONAL, rng.randint(1, len(CONDITIONAL)))
    if rng.random() < 0.3:
        found += asked(memory=rng.choice(NEEDS["memory"]))
    return found


def _limiting(details: Details, judged: Judged, at: int) -> str | None:
    place = int(details.limiting[at])
    return judged.asked[place].need.key if place >= 0 else None


def _same(verdict: Verdict, judged: Judged, fixes: Fixes, details: Details, at: int) -> None:
    decision = verdict.decision
    assert judged.answer(at) == decision.answer
    statuses = [STATUSES[column[at]] for column in judged.statuses]
    there = [status for status in statuses if status != "absent"]
    assert there == [row.status for row in verdict.rows]
    if decision.answer != "undecided":
        target = fixes.targets[at]
        assert (None if np.isnan(target) else int(target)) == decision.target_memory
    assert _limiting(details, judged, at) == decision.limiting
    other = details.verdicts[details.kinds[at]]
    assert other.decision.find_out == decision.find_out
    assert other.decision.possible == decision.possible
    assert {one.kind for one in other.decision.fixes} == {one.kind for one in decision.fixes}
    if decision.answer != "undecided":
        assert conditions(other) == conditions(verdict)


@pytest.mark.parametrize("seed", range(10))
def test_fleet_and_check_agree_machine_by_machine(seed: int) -> None:
    rng = random.Random(seed)
    fleet = random_fleet(rng, 16)
    for _ in range(2):
        needs = random_needs(rng)
        judged = judge_fleet(fleet, needs)
        fixes = fixes_of(judged)
        details = details_of(judged, fixes)
        for at in range(len(fleet)):
            machine = fleet.machine(at)
            verdict = decide(normalized(machine, VOCABULARY), needs)
            try:
                _same(verdict, judged, fixes, details, at)
            except AssertionError as error:
                asks = [(one.need.key, one.need.test) for one in needs]
                raise AssertionError(f"{machine}\n{asks}\n{verdict.decision}") from error


@pytest.mark.parametrize("seed", range(3))
def test_columns_and_sheets_get_the_same_answers(seed: int) -> None:
    rng = random.Random(900 + seed)
    fleet, needs = random_fleet(rng, 20), random_needs(rng)
    sheets = [fleet.machine(at) for at in range(len(fleet))]
    own = Fleet(
        fleet.names, fleet.lines, {}, {}, np.zeros(len(fleet), dtype=np.uint32), VOCABULARY, sheets
    )
    one, other = judge_fleet(fleet, needs), judge_fleet(own, needs)
    assert one.answers.tolist() == other.answers.tolist()
    for column, sheet in zip(one.statuses, other.statuses, strict=True):
        assert column.tolist() == sheet.tolist()
    assert one.counts() == other.counts()
    assert sum(one.counts().values()) == len(fleet)
    assert set(one.counts()) == set(ANSWERS)


def test_each_drive_gets_its_own_answer() -> None:
    numbers = {
        "storage.drive": np.array([64e9, 512e9]), "storage.size": np.array([60e9, 500e9]),
    }  # fmt: skip
    fleet = Fleet(np.array(["a", "b"], dtype=object), np.arange(2), numbers, {},
                  np.zeros(2, dtype=np.uint32), VOCABULARY)  # fmt: skip
    judged = judge_fleet(fleet, asked(storage_data="100 GB"))
    assert [judged.answer(at) for at in range(2)] == ["not-memory", "ready"]


@pytest.mark.parametrize("needs", [
    {"memory": "3 GB"}, {"memory_own": "1 GB"}, {"memory_own": "1 GB", "memory": "2 GB"},
    {"memory": "6 GB", "os_bits": 64}, {"memory_own": "2 GB", "os_bits": 64},
    {"memory": "3 GB", "os_bits": 32}, {"memory_own": "1 GB", "os_bits": 32},
])  # fmt: skip
def test_targets_under_the_system_that_runs_then(needs: dict[str, Any]) -> None:
    """Those of each machine, where systems of 32 and of 64 bits stay or are exchanged."""
    rng = random.Random(repr(needs))
    fitted = [rng.choice([1, 2, 3, 4, 6, 8]) * GIB for _ in range(80)]
    bits = [rng.choice([32.0, 32.0, 64.0]) for _ in fitted]
    kept = [rng.choice([0.02, 0.1, 0.4]) for _ in fitted]
    reach = [min(one, 3.25 * GIB) if wide == 32 else one
             for one, wide in zip(fitted, bits, strict=True)]  # fmt: skip
    usable = [float(int(one * (1 - share))) for one, share in zip(reach, kept, strict=True)]
    columns = {
        "memory.installed": np.array(fitted, dtype=np.float64), "memory.usable": np.array(usable),
        "memory.available": np.array([float(int(one * rng.random())) for one in usable]),
        "memory.slots": np.full(80, 2.0), "system.os_bits": np.array(bits),
        "processor.bits": np.full(80, 64.0),
    }  # fmt: skip
    fleet = Fleet(np.arange(80), np.arange(80), columns, {}, np.zeros(80, dtype=np.uint32),
                  VOCABULARY)  # fmt: skip
    fleet.doubts = find_doubts(fleet)
    asks = asked(**needs)
    judged = judge_fleet(fleet, asks)
    found = fixes_of(judged).targets
    for at in range(80):
        decision = decide(normalized(fleet.machine(at), VOCABULARY), asks).decision
        assert judged.answer(at) == decision.answer
        if decision.answer != "undecided":
            own = decision.target_memory
            assert (None if np.isnan(found[at]) else int(found[at])) == own, fleet.machine(at)
