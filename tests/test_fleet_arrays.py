"""The arrays of a fleet against the single values of core: totals, targets, memory, classes."""

import random

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tallcheck.core.before.decision import join
from tallcheck.core.before.fleet_decision import (
    ANSWERS,
    in_use_of,
    judge_fleet,
    readings_of,
    targets_of,
    wanted_totals,
)
from tallcheck.core.before.fleet_details import _ratios
from tallcheck.core.before.rows import known_machine, memory_in_use
from tallcheck.core.fleet.columns import (
    DOUBTS,
    Fleet,
    MemoryColumns,
    Words,
    cut_fleet,
    find_doubts,
    known_memory,
    next_total,
    raw_memory,
)
from tallcheck.core.machine.derive import complete, fitted_total
from tallcheck.core.machine.memory import reach, round_total
from tallcheck.core.needs.sheet import Need, parse_test
from tallcheck.core.values.comparison import Bound
from tests.helpers import GIB, asked
from tests.test_fleet import random_fleet

MIB = 1 << 20


def _same(found: float, expected: float | None) -> bool:
    return np.isnan(found) if expected is None else bool(found == expected)


@given(st.lists(st.integers(1, 64 * 1024 * MIB), min_size=1, max_size=30))
@settings(max_examples=60, deadline=None)
def test_totals_on_arrays_are_those_of_single_values(wanted: list[int]) -> None:
    values = np.array(wanted, dtype=np.float64)
    assert next_total(values, (1, 3)).tolist() == [round_total(value) for value in wanted]
    assert next_total(values, (1, 3, 5)).tolist() == [fitted_total(value) for value in wanted]


def test_unknown_totals_stay_unknown() -> None:
    assert np.isnan(next_total(np.array([np.nan]), (1, 3))).all()


@pytest.mark.parametrize("seed", range(12))
def test_targets_are_what_reach_says(seed: int) -> None:
    rng = random.Random(seed)
    fleet = random_fleet(rng, 60)
    memory = known_memory(fleet)
    for size in (1, 3, 6, 7.5, 20, 100):
        wanted = np.array([float(int(size * GIB)) for _ in range(len(fleet))])
        single = targets_of(fleet, memory, wanted)
        mixed = wanted + np.arange(len(fleet), dtype=np.float64) * 64 * MIB
        several = targets_of(fleet, memory, mixed)
        for at in range(len(fleet)):
            machine = known_machine(fleet.machine(at))
            assert _same(single[at], reach(machine, int(wanted[at])).total)
            assert _same(several[at], reach(machine, int(mixed[at])).total)


@pytest.mark.parametrize("seed", range(12))
def test_memory_columns_are_what_each_machine_has(seed: int) -> None:
    fleet = random_fleet(random.Random(100 + seed), 60)
    raw, known = raw_memory(fleet), known_memory(fleet)
    in_use = in_use_of(known)
    for at in range(len(fleet)):
        machine = complete(fleet.machine(at))
        for name in ("installed", "usable", "available", "ceiling", "position_most", "slots",
                     "addressable"):  # fmt: skip
            assert _same(getattr(raw, name)[at], getattr(machine.memory, name)), name
        assert _same(raw.bits[at], machine.processor.bits)
        assert _same(raw.os_bits[at], machine.system.os_bits)
        settled = known_machine(fleet.machine(at))
        for name in ("installed", "usable", "ceiling", "slots"):
            assert _same(getattr(known, name)[at], getattr(settled.memory, name)), name
        assert _same(in_use[at], memory_in_use(settled))


def test_a_slice_has_the_columns_of_the_whole() -> None:
    fleet = random_fleet(random.Random(7), 50)
    whole = known_memory(fleet)
    part = known_memory(cut_fleet(fleet, 20, 35))
    for name in MemoryColumns.__struct_fields__:
        np.testing.assert_array_equal(getattr(part, name), getattr(whole, name)[20:35])
    assert cut_fleet(fleet, 20, 35).machine(3) == fleet.machine(23)


def test_large_fleets_are_looked_at_in_slices(monkeypatch: pytest.MonkeyPatch) -> None:
    fleet = random_fleet(random.Random(3), 200)
    needs = asked(memory="6 GB", memory_own="1 GB", cores=2, storage_free="20 GB")
    whole = judge_fleet(fleet, needs)
    monkeypatch.setattr("tallcheck.core.before.fleet_decision.CHUNK", 17)
    monkeypatch.setattr("tallcheck.core.fleet.columns.CHUNK", 17)
    cut = judge_fleet(fleet, needs)
    np.testing.assert_array_equal(cut.answers, whole.answers)
    np.testing.assert_array_equal(cut.targets, whole.targets)
    np.testing.assert_array_equal(cut.cures, whole.cures)
    np.testing.assert_array_equal(find_doubts(fleet), fleet.doubts)
    assert len(np.unique(cut.classes)) == len(np.unique(whole.classes))


def test_classes_beyond_any_table_are_counted_all_the_same(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    fleet = random_fleet(random.Random(4), 120)
    needs = asked(
        memory="6 GB", cores=2, clock="1.6 GHz", security_module="2.0", display="1366x768"
    )
    whole = judge_fleet(fleet, needs)
    monkeypatch.setattr("tallcheck.core.before.fleet_decision._TABLE_MOST", 4)
    small = judge_fleet(fleet, needs)
    np.testing.assert_array_equal(small.answers, whole.answers)
    for one, other in zip(small.statuses, whole.statuses, strict=True):
        np.testing.assert_array_equal(one, other)


@given(st.lists(st.tuples(st.integers(0, 255), st.integers(0, 255)), min_size=1, max_size=50))
@settings(max_examples=50, deadline=None)
def test_the_fold_is_one_definition_for_arrays_and_numbers(pairs: list[tuple[int, int]]) -> None:
    left, right = (np.array(side, dtype=np.uint8) for side in zip(*pairs, strict=True))
    assert join(left, right).tolist() == [join(one, other) for one, other in pairs]


@pytest.mark.parametrize(
    ("bound", "values"),
    [
        (Bound("at least", 8), [0, 4, 8, 16]),
        (Bound("at least", 0), [0, 4]),
        (Bound("at most", 4), [0, 2, 4, 16]),
        (Bound("between", 2, 8), [0, 2, 5, 8, 32]),
        (Bound("exactly", 32), [32, 64]),
        (Bound("not", 32), [32, 64]),
    ],
)
def test_ratios_on_arrays_are_those_of_rows(bound: Bound, values: list[float]) -> None:
    found = _ratios(bound, np.array(values, dtype=np.float64))
    assert found.tolist() == [bound.ratio(value) or 0.0 for value in values]


@pytest.mark.parametrize(
    ("key", "value", "rests"),
    [
        ("memory", "8 GB", {"memory.installed"}),
        ("cores", 4, {"processor.cores", "system.shape", "system.virtual", "extra.cores_off"}),
        ("storage", "9 GB", {"storage.drive", "storage.size"}),
        ("graphics_memory", "1 GB", {"graphics.memory", "system.shape"}),
        ("os", ["Merrow >= 9"], {"system.os", "system.os_version"}),
        ("extra", {"dongle": "green"}, {"extra.dongle"}),
    ],
)
def test_what_a_need_rests_on(key: str, value: object, rests: set[str]) -> None:
    assert rests <= readings_of(Need(key, parse_test(key, value)))


def test_an_extra_reading_decides_for_each_machine() -> None:
    words = {"extra.dongle": Words(np.array([0, 1, -1], dtype=np.int32), ["green", "red"])}
    fleet = Fleet(np.array(["a", "b", "c"], dtype=object), np.arange(3), {}, words,
                  np.zeros(3, dtype=np.uint16))  # fmt: skip
    judged = judge_fleet(fleet, asked(extra={"dongle": "green"}))
    assert [ANSWERS[code] for code in judged.answers] == ["ready", "other", "undecided"]


def test_wanted_totals_count_use_only_where_it_is_known() -> None:
    numbers = {
        "memory.installed": np.array([8.0, 8.0]) * GIB,
        "memory.available": np.array([2.0 * GIB, np.nan]),
    }
    fleet = Fleet(np.array(["a", "b"], dtype=object), np.arange(2), numbers, {},
                  np.zeros(2, dtype=np.uint16))  # fmt: skip
    memory = known_memory(fleet)
    assert wanted_totals(memory, 4 * GIB, 0).tolist() == [4 * GIB, 4 * GIB]
    assert wanted_totals(memory, 4 * GIB, 3 * GIB).tolist() == [9 * GIB, 4 * GIB]


def test_every_doubt_says_what_it_is_about() -> None:
    readings = {
        "processor.cores": 8, "processor.threads": 4, "memory.installed": 8 * GIB,
        "memory.usable": 9 * GIB, "memory.available": 9 * GIB, "memory.modules": [],
        "memory.slots": 1, "storage.free": 10**11, "storage.drive": 10**10,
        "memory.ceiling": 4 * GIB, "memory.position_most": GIB,
        "listed memory.ceiling": 16 * GIB, "listed memory.slots": 2,
        "listed memory.position_most": 8 * GIB,
    }  # fmt: skip
    texts = [text(readings) for _, text in DOUBTS]
    assert len(set(texts)) == len(DOUBTS)
    assert all(texts)
    assert "16 GB" in texts[10]
    assert "the sheet says 1, the models list 2" in texts[11]
