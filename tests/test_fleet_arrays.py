"""The arrays of a fleet against the single values of core: totals, amounts, doubts, classes."""

import random
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tallcheck.core.board.account import account_of
from tallcheck.core.board.totals import cheapest_total
from tallcheck.core.decide.asked import requirements_of
from tallcheck.core.decide.grouping import grouped
from tallcheck.core.fleet.columns import Fleet, Words, cut_fleet
from tallcheck.core.fleet.facts import Facts, combined, exactly, same_rows, sides, sources
from tallcheck.core.fleet.judge import GroupClasses
from tallcheck.core.fleet.judged import judge_fleet
from tallcheck.core.fleet.known import find_doubts, fixed_memory, known_memory, raw_memory
from tallcheck.core.fleet.memory import memory_codes
from tallcheck.core.fleet.model import Builder
from tallcheck.core.machine.amounts import likely_fitted, use_of
from tallcheck.core.machine.derive import complete, has_fixed_memory
from tallcheck.core.machine.normalized import normalized, world_of
from tallcheck.core.values.comparison import Bound
from tallcheck.files.fleet_file import read_fleet
from tests.helpers import GIB, VOCABULARY, asked
from tests.test_fleet import random_fleet

MIB = 1 << 20
_AMOUNTS = ("installed", "usable", "available", "ceiling", "position_most", "addressable")


def _same(found: float, expected: float | None) -> bool:
    return bool(np.isnan(found)) if expected is None else bool(found == expected)


@given(st.lists(st.integers(1, 64 * 1024 * MIB), min_size=1, max_size=30))
@settings(max_examples=60, deadline=None)
def test_totals_on_arrays_are_those_of_single_values(wanted: list[int]) -> None:
    values = np.array(wanted, dtype=np.float64)
    assert likely_fitted(values).tolist() == [likely_fitted(float(value)) for value in wanted]


@pytest.mark.parametrize(
    ("maker", "model"),
    [(None, "MacBookPro11,1"), ("Apple Inc.", "MacBookPro11,1"), ("Apple", "iMac"), (None, None),
     ("Raspberry Pi", "4"), (None, "4")],
)  # fmt: skip
def test_fixed_memory_is_that_of_each_machine(
    maker: str | None, model: str | None, tmp_path: Path
) -> None:
    (tmp_path / "f.csv").write_text(f'name,maker,model\na,{maker or ""},"{model or ""}"\n')
    fleet = read_fleet(str(tmp_path / "f.csv"), {}, True, VOCABULARY).fleet
    assert (fixed_memory(fleet)[0] == 1) == has_fixed_memory(fleet.machine(0), VOCABULARY)


@pytest.mark.parametrize("seed", range(10))
def test_totals_to_build_are_those_of_each_machine(seed: int) -> None:
    fleet = random_fleet(random.Random(seed), 60)
    memory = known_memory(fleet)
    build = Builder(fleet, memory)
    for size in (1, 3, 6, 7.5, 20, 100):
        wanted = size * GIB + np.arange(len(fleet), dtype=np.float64) * 64 * MIB
        found = build.smallest(wanted)
        for at in range(len(fleet)):
            world = world_of(normalized(fleet.machine(at), VOCABULARY))
            installed = world.get("memory.installed")
            if installed is None:
                continue
            least = max(wanted[at], installed + 1)
            own = cheapest_total(account_of(world.get), least, world.get("memory.ceiling"))
            assert _same(found[at], own.bytes)


@pytest.mark.parametrize("seed", range(10))
def test_memory_columns_are_what_each_machine_has(seed: int) -> None:
    fleet = random_fleet(random.Random(100 + seed), 60)
    raw, there = raw_memory(fleet), known_memory(fleet)
    for at in range(len(fleet)):
        machine = complete(fleet.machine(at), VOCABULARY)
        for name in _AMOUNTS:
            assert _same(getattr(raw, name)[at], getattr(machine.memory, name)), name
        assert _same(raw.bits[at], machine.processor.bits)
        assert _same(raw.os_bits[at], machine.system.os_bits)
        settled = normalized(fleet.machine(at), VOCABULARY).machine
        for name in _AMOUNTS:
            assert _same(getattr(there, name)[at], getattr(settled.memory, name)), name


@pytest.mark.parametrize("seed", range(6))
def test_doubts_on_columns_are_those_of_each_machine(seed: int) -> None:
    fleet = random_fleet(random.Random(300 + seed), 60)
    for at in range(len(fleet)):
        doubts = normalized(fleet.machine(at), VOCABULARY).doubts
        assert bool(fleet.doubts[at]) == bool(doubts), fleet.machine(at)


def test_a_slice_has_the_columns_of_the_whole() -> None:
    fleet = random_fleet(random.Random(7), 50)
    whole, part = known_memory(fleet), known_memory(cut_fleet(fleet, slice(20, 35)))
    for name in _AMOUNTS:
        np.testing.assert_array_equal(getattr(part, name), getattr(whole, name)[20:35])
    assert cut_fleet(fleet, slice(20, 35)).machine(3) == fleet.machine(23)


def test_large_fleets_are_looked_at_in_slices(monkeypatch: pytest.MonkeyPatch) -> None:
    fleet = random_fleet(random.Random(3), 200)
    needs = asked(memory="6 GB", memory_own="1 GB", cores=2, storage_free="20 GB")
    whole = judge_fleet(fleet, needs)
    monkeypatch.setattr("tallcheck.core.fleet.columns.CHUNK", 17)
    np.testing.assert_array_equal(judge_fleet(fleet, needs).answers, whole.answers)
    np.testing.assert_array_equal(find_doubts(fleet), fleet.doubts)


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
def test_bounds_on_arrays_are_those_of_values(bound: Bound, values: list[float]) -> None:
    array = np.array(values, dtype=np.float64)
    with np.errstate(all="ignore"):
        ratios = bound.ratios(array)
    assert [None if np.isnan(r) else r for r in ratios] == [bound.ratio(v) for v in values]
    assert np.asarray(bound.within(array)).tolist() == [bound.holds(v) for v in values]


def test_machines_alike_by_the_edges_are_of_one_class() -> None:
    clock = np.array([1.0e9, 1.5e9, 1.6e9, 3.0e9, 2.5e9, np.nan])
    fleet = Fleet(np.arange(6), np.arange(6), {"processor.clock": clock}, {},
                  np.zeros(6, dtype=np.uint32), VOCABULARY)  # fmt: skip
    (group,) = grouped(requirements_of(asked(clock="1.6 GHz")))
    code = GroupClasses(fleet, group, Facts(fleet)).code.tolist()
    assert code[0] == code[1]
    assert code[3] == code[4]
    assert len(set(code)) == 4


def test_figures_of_a_list_do_not_make_classes_of_memory(tmp_path: Path) -> None:
    """All that the memory of 300 machines is told by differs; they come to a dozen classes."""
    rng = np.random.default_rng(7)
    total = rng.integers(2 * GIB, 64 * GIB, 300)
    rows = "".join(f"m{n},{one},{int(one * 0.96)}\n" for n, one in enumerate(total.tolist()))
    for heading in ("memory", "memory.installed", "RAM"):
        (tmp_path / "f.csv").write_text(f"name,{heading},usable\n{rows}")
        file = read_fleet(str(tmp_path / "f.csv"), {}, True, VOCABULARY)
        assert not file.faults
        (group,) = grouped(requirements_of(asked(memory="8 GB")))
        assert len(GroupClasses(file.fleet, group, Facts(file.fleet)).first) < 12


def test_figures_do_not_make_classes_of_memory() -> None:
    rng = np.random.default_rng(5)
    installed = rng.integers(2 * GIB, 64 * GIB, 500).astype(np.float64)
    numbers = {"memory.installed": installed, "memory.usable": np.floor(installed * 0.96)}
    fleet = Fleet(
        np.arange(500), np.arange(500), numbers, {}, np.zeros(500, dtype=np.uint32), VOCABULARY
    )
    (group,) = grouped(requirements_of(asked(memory="8 GB")))
    assert len(GroupClasses(fleet, group, Facts(fleet)).first) < 12
    use = use_of(known_memory(fleet))
    assert use.counted(installed).tolist() == installed.tolist()


@pytest.mark.parametrize("seed", range(6))
def test_memory_of_rows_alike_is_looked_at_once(seed: int) -> None:
    """A list that repeats has the classes of what it repeats."""
    rng = random.Random(seed)
    fleet = random_fleet(rng, 30)
    (group,) = grouped(requirements_of(asked(memory="6 GB")))
    places = np.array([rng.randrange(30) for _ in range(400)])
    own, _ = memory_codes(fleet, group)
    many = Fleet(
        fleet.names[places], places, {key: one[places] for key, one in fleet.numbers.items()},
        {key: Words(one.codes[places], one.values) for key, one in fleet.words.items()},
        fleet.doubts[places], VOCABULARY,
    )  # fmt: skip
    found, _ = memory_codes(many, group)
    pairs = set(zip(found.tolist(), own[places].tolist(), strict=True))
    assert len(pairs) == len({one for one, _ in pairs}) == len({one for _, one in pairs})


def test_which_rows_are_the_same() -> None:
    nan = float("nan")
    columns = [np.array([1.0, nan, 1.0, nan, 1.0, 2.0] * 20), np.array([0, -1, 0, -1, 1, 0] * 20)]
    found = same_rows(columns)
    assert found is not None
    first, inverse = found
    assert len(first) == 4
    for column in columns:
        np.testing.assert_array_equal(column[first][inverse], column)
    assert same_rows([np.arange(100.0)]) is None


def test_codes_and_sources() -> None:
    assert combined([(np.array([0, 1, 1]), 2), (np.array([5, 5, 6]), 7)], 3)[0].tolist() == [
        0,
        1,
        2,
    ]
    assert sides(np.array([1.0, 2.0, 3.0, np.nan]), [2.0])[0].tolist() == [0, 1, 2, 3]
    assert len(set(exactly(np.array([4.0, 0.5, 4.0, np.nan]))[0].tolist())) == 3
    assert {"processor.name", "processor.line"} <= set(sources(["processor.generation"]))


def test_an_extra_reading_decides_for_each_machine() -> None:
    words = {"extra.dongle": Words(np.array([0, 1, -1], dtype=np.int32), ["green", "red"])}
    fleet = Fleet(np.array(["a", "b", "c"], dtype=object), np.arange(3), {}, words,
                  np.zeros(3, dtype=np.uint32), VOCABULARY)  # fmt: skip
    judged = judge_fleet(fleet, asked(extra={"dongle": "green"}))
    assert [judged.answer(at) for at in range(3)] == ["ready", "not-memory", "undecided"]
