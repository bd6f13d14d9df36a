"""Rows, fixes and the fold: the rules of the decision, case by case and as properties."""

from itertools import product
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tallcheck.core.before.decision import answer_of, answers_of, decide, effect, join
from tallcheck.core.before.fixes import GRAVITY
from tallcheck.core.machine.memory import reach

from tallcheck.core.machine.derive import fitted_total
from tallcheck.core.machine.readings import Told, parse_told, put, tell
from tallcheck.core.machine.sheet import Machine
from tests.helpers import GIB, asked, judge, machine

READ = {"how": "read", "from": "x"}
COMPLETE = {"processor.instructions": READ}
V2 = [
    *("FPU", "CMOV", "CX8", "FXSR", "MMX", "SSE", "SSE2", "CMPXCHG16B", "LAHF-SAHF", "POPCNT"),
    *("SSE3", "SSSE3", "SSE4.1", "SSE4.2"),
]
DESK = {"system": {"shape": "desktop", "os_bits": 64}}
NOTE = {"system": {"shape": "notebook", "os_bits": 64}}


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
          "processor": {"bits": 64}}, {"memory": "4 GB"}, "not-memory"),
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
        ({**NOTE, "processor": {"cores": 2}, "extra": {"cores_off": 2}}, {"cores": 4}, "not-memory"),
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


def test_a_doubted_reading_is_unknown_and_telling_it_lifts_the_doubt() -> None:
    doubt = {"about": ["memory.installed", "memory.usable"], "text": "they contradict"}
    sheet = machine(memory=mem(8, usable="9 GB"), doubts=[doubt])
    assert judge(sheet, memory="4 GB").decision.answer == "undecided"
    sheet = tell(sheet, parse_told("memory=8GB"))
    assert not sheet.doubts
    assert judge(sheet, memory="4 GB").decision.answer == "ready"


@pytest.mark.parametrize(
    ("gib", "virtual", "total"),
    [(7.7, None, 8), (3.87, None, 4), (2.9, None, 3), (9.6, None, 10), (11.5, None, 12),
     (0.48, None, 0.5), (6.9, True, 7), (7.7, True, 8), (23.5, True, 24)],
)  # fmt: skip
def test_fitted_memory_is_worked_out(gib: float, virtual: bool | None, total: float) -> None:
    assert fitted_total(int(gib * GIB), virtual) == total * GIB


def test_memory_at_the_limit_of_a_32_bit_system_is_not_worked_out() -> None:
    sheet = machine(memory={"usable": "3.2 GB"}, system={"os_bits": 32}, processor={"bits": 64})
    decision = judge(sheet, memory="4 GB").decision
    assert decision.possible == ("ready", "memory-alone", "not-memory")
    assert [one.key for one in decision.find_out] == ["memory.installed"]
    assert judge(sheet, memory="3 GB").decision.answer == "ready"


@pytest.mark.parametrize(
    ("memory", "wanted", "total"),
    [
        ({"slots": 2, "modules": [{"size": "4 GB", "type": "DDR4"}, {"size": 0}]}, 6, 8),
        ({"slots": 2, "modules": [{"size": "4 GB", "type": "DDR3"}, {"size": 0}]}, 6, 6),
        ({"slots": 2, "modules": [{"size": "8 GB", "type": "DDR5"}] * 2}, 20, 24),
        (
            {"slots": 2, "modules": [{"size": "4 GB", "fixed": True, "type": "DDR4"}, {"size": 0}]},
            12,
            12,
        ),
        ({"slots": 1, "position_most": "8 GB"}, 16, None),
        ({"ceiling": "6 GB"}, 8, None),
        ({}, 5, 6),
        ({"slots": 100000, "ceiling": "900000 TB"}, 80_000, 80_000),
    ],
)
def test_smallest_total_that_can_be_built(
    memory: dict[str, Any], wanted: int, total: int | None
) -> None:
    found = reach(machine(memory=memory), wanted * GIB).total
    assert found == (total * GIB if total is not None else None)


@pytest.mark.parametrize(
    ("sections", "needs", "answer"),
    [
        # every other key, met, short and unknown
        ({"firmware": {"security_module": "2.0"}}, {"security_module": "2.0"}, "ready"),
        ({"firmware": {"security_module": "1.2"}}, {"security_module": "2.0"}, "not-memory"),
        ({"firmware": {"security_module": "none"}}, {"security_module": "1.2"}, "not-memory"),
        ({}, {"security_module": "1.2"}, "undecided"),
        ({"firmware": {"mode": "uefi"}}, {"firmware": "uefi"}, "ready"),
        ({"firmware": {"mode": "bios"}}, {"firmware": "uefi"}, "not-memory"),
        ({"firmware": {"secure_boot": "able"}}, {"secure_boot": "able"}, "ready"),
        ({"firmware": {"secure_boot": "able"}}, {"secure_boot": "on"}, "not-memory"),
        ({"firmware": {"secure_boot": "none"}}, {"secure_boot": "able"}, "not-memory"),
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
    sheet = machine(memory=mem(8, usable="8 GB", available="5 GB"))
    both = [*asked(memory_own="3 GB"), *asked(memory_own="4 GB"), *asked(memory="6 GB")]
    decision = decide(sheet, both).decision
    assert (decision.answer, decision.target_memory) == ("memory-alone", 12 * GIB)
    assert "one moment" in " ".join(decision.conditions)


def test_conditions_name_what_the_answer_rests_on() -> None:
    sheet = machine(memory={"usable": "3.8 GB"})
    text = " ".join(judge(sheet, memory="8 GB").decision.conditions)
    for part in (
        "worked out from 3.8 GB usable",
        "most memory",
        "positions",
        "bits of the running",
    ):
        assert part in text


def test_rows_on_one_reading_are_taken_together() -> None:
    # whatever the cores are, one of the two rows is short: ready cannot be reached
    needs = [*asked(cores=">= 4"), *asked(cores="<= 2")]
    assert decide(machine(system={"shape": "desktop"}), needs).decision.possible == ("not-memory",)


CURES = st.lists(st.sampled_from(GRAVITY), max_size=3)


@given(st.lists(st.tuples(CURES, st.booleans()), max_size=6))
def test_the_fold_is_the_exhaustive_trial(rows: list[tuple[list[str], bool]]) -> None:
    states = 1
    for fixes, unknown in rows:
        states = join(states, 1 << effect(fixes) | (1 if unknown else 0))
    tried = {
        answer_of(effect(fix for fixes, short in zip(rows, picks, strict=True) if short
                         for fix in fixes[0]))
        for picks in product(*([False, True] if unknown else [True] for _, unknown in rows))
    }  # fmt: skip
    assert set(answers_of(states)) == tried


def test_the_fold_works_on_arrays_as_on_numbers() -> None:
    class Column(list[int]):
        """The few operators an array has, value by value."""

        def _each(self, other: Any, do: Any) -> "Column":
            others = other if isinstance(other, list) else [other] * len(self)
            return Column(do(a, b) for a, b in zip(self, others, strict=True))

        def __and__(self, other: Any) -> "Column":
            return self._each(other, lambda a, b: a & b)

        def __or__(self, other: Any) -> "Column":
            return self._each(other, lambda a, b: a | b)

        def __rshift__(self, other: Any) -> "Column":
            return self._each(other, lambda a, b: a >> b)

        def __lshift__(self, other: Any) -> "Column":
            return self._each(other, lambda a, b: a << b)

        def __rmul__(self, other: Any) -> "Column":
            return self._each(other, lambda a, b: a * b)

    left, right = [1, 6, 255, 16, 3], [4, 2, 1, 129, 7]
    assert join(Column(left), Column(right)) == list(map(join, left, right))


SECTIONS = st.fixed_dictionaries(
    {},
    optional={
        "memory": st.fixed_dictionaries(
            {},
            optional={
                "installed": st.sampled_from(["2 GB", "4 GB", "8 GB", "16 GB"]),
                "ceiling": st.sampled_from(["16 GB", "64 GB"]),
                "slots": st.just(2),
            },
        ),
        "processor": st.fixed_dictionaries(
            {}, optional={"cores": st.integers(1, 8), "bits": st.sampled_from([32, 64])}
        ),
        "system": st.fixed_dictionaries(
            {},
            optional={
                "shape": st.sampled_from(["desktop", "notebook"]),
                "os_bits": st.sampled_from([32, 64]),
            },
        ),
    },
)
NEEDS = st.fixed_dictionaries(
    {},
    optional={
        "memory": st.sampled_from(["3 GB", "6 GB", "12 GB"]),
        "cores": st.integers(1, 8),
        "processor_bits": st.just(64),
        "security_module": st.just("2.0"),
        "instructions": st.sampled_from(["AVX2", "x86-64-v2"]),
    },
)


@given(SECTIONS, NEEDS, st.sampled_from([
    "cores=1", "cores=8", "shape=desktop", "shape=notebook", "processor_bits=32",
    "processor_bits=64", "security_module=2.0", "security_module=none", "memory=4GB",
    "memory=32GB", "instructions=AVX2", "instructions=-POPCNT", "level=x86-64-v3"]))  # fmt: skip
def test_filling_an_unknown_stays_within_what_was_possible(
    sections: dict[str, Any], needs: dict[str, Any], told: str
) -> None:
    sheet = machine(**sections)
    found = parse_told(told)
    before = judge(sheet, **needs)
    asked_for = {key for row in before.rows for key in row.readings}
    if found.key not in asked_for:
        return  # not a reading that a row was missing
    after = judge(tell(sheet, found), **needs)
    assert set(after.decision.possible) <= set(before.decision.possible)


def _more_memory(sheet: Machine) -> Machine:
    return tell(sheet, parse_told("memory=64GB"))


RANK = {"ready": 0, "memory-alone": 1, "not-memory": 2, "memory-plus": 2, "replace": 3}


@given(SECTIONS, NEEDS)
def test_ready_means_every_row_met_and_memory_never_hurts(
    sections: dict[str, Any], needs: dict[str, Any]
) -> None:
    sheet = machine(**sections)
    verdict = judge(sheet, **needs)
    every_met = all(row.status == "met" for row in verdict.rows)
    assert (verdict.decision.answer == "ready") == every_met
    reversed_needs = dict(reversed(needs.items()))
    assert judge(sheet, **reversed_needs).decision.possible == verdict.decision.possible
    more = judge(_more_memory(sheet), **needs).decision.possible
    assert max(RANK[a] for a in more) <= max(RANK[a] for a in verdict.decision.possible)


# --- the fold against the exhaustive trial, on whole machines --------------------------------

UNKNOWN: dict[str, list[Any]] = {
    "processor.cores": [1, 3, 4, 5, 8],
    "processor.clock": [10**9, 2 * 10**9, 3 * 10**9],
    "memory.installed": [2 * GIB, 4 * GIB, 6 * GIB, 8 * GIB],
    "firmware.secure_boot": ["none", "able", "on"],
    "system.shape": ["desktop", "notebook"],
}
ASKED = [
    *asked(cores=4), *asked(cores="..6"), *asked(clock="2 GHz"), *asked(memory="4 GB"),
    *asked(memory="8 GB"), *asked(secure_boot="able"), *asked(secure_boot="on"),
]  # fmt: skip


@given(
    st.sets(st.sampled_from(sorted(UNKNOWN)), max_size=3),
    st.sets(st.integers(0, len(ASKED) - 1), min_size=1),
)
def test_possible_answers_are_those_of_every_combination(
    missing: set[str], picks: set[int]
) -> None:
    needs = [ASKED[at] for at in sorted(picks)]
    sheet = machine()
    for key, values in UNKNOWN.items():
        if key not in missing:
            sheet = put(sheet, key, values[1])
    tried = set()
    for combination in product(*(UNKNOWN[key] for key in sorted(missing))):
        full = sheet
        for key, value in zip(sorted(missing), combination, strict=True):
            full = put(full, key, value)
        tried |= set(decide(full, needs).decision.possible)
    assert set(decide(sheet, needs).decision.possible) == tried


FULL = st.fixed_dictionaries(
    {
        "memory": st.fixed_dictionaries({"installed": st.sampled_from(["2 GB", "4 GB", "8 GB"])}),
        "processor": st.fixed_dictionaries({"cores": st.integers(1, 6), "bits": st.just(64)}),
        "system": st.fixed_dictionaries(
            {
                "shape": st.sampled_from(["desktop", "notebook"]),
                "os_bits": st.sampled_from([32, 64]),
            }
        ),
        "firmware": st.fixed_dictionaries({"secure_boot": st.sampled_from(["none", "able", "on"])}),
        "storage": st.just([{"drive": "64 GB", "free": "10 GB", "system": True}]),
    }
)
LESS = st.fixed_dictionaries(
    {},
    optional={
        "memory": st.sampled_from(["3 GB", "6 GB", "12 GB"]),
        "cores": st.integers(1, 8),
        "secure_boot": st.sampled_from(["able", "on"]),
        "storage": st.sampled_from(["32 GB", "128 GB"]),
        "storage_free": st.sampled_from(["5 GB", "20 GB"]),
    },
)


@given(FULL, LESS)
def test_the_fixes_applied_make_every_row_met(
    sections: dict[str, Any], needs: dict[str, Any]
) -> None:
    sheet = machine(**sections)
    verdict = judge(sheet, **needs)
    if verdict.decision.answer == "replace":
        return  # what a new machine has is not for this sheet to say
    fixes = {fix.kind for fix in verdict.decision.fixes}
    if "system" in fixes:
        sheet = put(put(sheet, "system.os_bits", 64), "memory.addressable", None)
    told = {"processor": "cores=8", "setting": "secure_boot=on"}
    for kind in fixes & set(told):
        sheet = tell(sheet, parse_told(told[kind]))
    if "storage" in fixes:
        sheet = tell(tell(sheet, parse_told("storage=256GB")), parse_told("storage_free=99GB"))
    if "memory" in fixes:
        assert verdict.decision.target_memory is not None
        sheet = tell(sheet, Told("memory.installed", verdict.decision.target_memory))
    assert judge(sheet, **needs).decision.answer == "ready"


def test_what_settles_most_comes_first() -> None:
    # the shape decides between replace and other; the cores only whether they are short at all
    sheet = machine(memory=mem(8), processor={"cores": 2})
    decision = judge(sheet, cores=4, clock="2 GHz").decision
    assert decision.possible == ("not-memory", "replace")
    assert decision.find_out[0].key == "system.shape"
    assert all(one.how for one in decision.find_out)


def test_many_unknowns_stay_quick() -> None:
    needs = [one for n in range(1, 60) for one in asked(cores=n, clock=f"{n} GHz", threads=n)]
    assert decide(machine(), needs).decision.answer == "undecided"
