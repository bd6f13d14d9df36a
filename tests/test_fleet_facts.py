"""Classes of a fleet by what follows: machines of one class come to the same, one by one."""

import random
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest

from tallcheck.core.decide.asked import asked_at
from tallcheck.core.decide.outcomes import outcomes_of
from tallcheck.core.decide.worlds import bears, hub_values, with_hubs
from tallcheck.core.fleet.columns import Fleet, Words
from tallcheck.core.fleet.facts import (
    FOLLOWING,
    Facts,
    combined,
    numbered,
    reading_codes,
    shape_codes,
    sources,
)
from tallcheck.core.fleet.judge import GroupClasses, Judge
from tallcheck.core.machine.normalized import normalized
from tallcheck.core.machine.readings import get
from tests.helpers import VOCABULARY, asked
from tests.random_cases import random_sheet
from tests.test_fleet import random_fleet


def fresh(key: object, make: Callable[[], Any]) -> Any:
    """What is made for a key, anew each time."""
    return make()


@pytest.mark.parametrize("seed", range(6))
def test_machines_of_one_class_come_to_the_same(seed: int) -> None:
    """For every machine, not only for the one that stands for its class."""
    fleet = random_fleet(random.Random(seed), 60)
    needs = asked(memory="6 GB", cores=4, clock="1.6 GHz", instructions=["AVX2"], storage="48 GB",
                  generation={"Osier Wand": 5, "*": "none"}, processor_bits=64)  # fmt: skip
    if seed % 2:
        sheet = random_sheet(random.Random(seed), count=5)
        needs = asked_at((sheet,), "minimum") or []
    judge = Judge(fleet, needs)
    for group, tried, part in zip(judge.groups, judge.tried, judge.parts, strict=True):
        seen: dict[object, list[frozenset[int]]] = {}
        for at in range(len(fleet)):
            world = judge.problem(at).world
            for hubs in hub_values(judge.asks, world, judge.trials):
                bearing = tuple(one for one in hubs if bears(one[0], group))
                there = with_hubs(world, bearing)
                masks = [one.masks for _, one in outcomes_of(group, there, judge.trials, fresh)]
                assert masks == [one.masks for _, one in tried.outcomes(there)]
                assert seen.setdefault((int(part.code[at]), bearing), masks) == masks


@pytest.mark.parametrize("seed", range(4))
def test_what_follows_is_what_is_known_of_each_machine(seed: int) -> None:
    fleet = random_fleet(random.Random(100 + seed), 80)
    facts = Facts(fleet)
    for key in FOLLOWING:
        code, count = facts.following(key)
        assert int(code.max()) < count
        values: dict[int, object] = {}
        for at in range(len(fleet)):
            value = get(normalized(fleet.machine(at), VOCABULARY).machine, key)
            assert values.setdefault(int(code[at]), value) == value


def _named(*names: str | None) -> Fleet:
    distinct = [name for name in dict.fromkeys(names) if name is not None]
    codes = np.array([-1 if n is None else distinct.index(n) for n in names], dtype=np.int32)
    count = len(names)
    return Fleet(np.arange(count), np.arange(count), {},
                 {"processor.name": Words(codes, list(distinct))},
                 np.zeros(count, dtype=np.uint32), VOCABULARY)  # fmt: skip


def test_a_name_counts_by_what_it_tells() -> None:
    fleet = _named("Osier Wand S5 214", "Osier Wand S5 118", "Osier Wand S4 109", None,
                   "Sedge 9", "Sedge 10")  # fmt: skip
    facts = Facts(fleet)
    found = facts.named(["processor.generation", "processor.line"], {})
    assert found is not None
    code = found[0].tolist()
    assert code[0] == code[1]
    assert len(set(code)) == 4  # the fifth, the fourth, no name, a name that tells nothing
    assert code[4] == code[5]
    whole, count = combined(reading_codes(fleet, ["processor.generation"], facts), len(fleet))
    assert (len(set(whole.tolist())), count) == (4, 4)
    exact, _ = combined(reading_codes(fleet, ["processor.name"], facts), len(fleet))
    assert len(set(exact.tolist())) == 6


def test_shapes_are_told_apart_as_far_as_fixes_do() -> None:
    shapes = ["desktop", "tower", "server", "notebook", "tablet", "mini"]
    codes = np.array([0, 1, 2, 3, 4, 5, -1], dtype=np.int32)
    fleet = Fleet(np.arange(7), np.arange(7), {}, {"system.shape": Words(codes, shapes)},
                  np.zeros(7, dtype=np.uint32), VOCABULARY)  # fmt: skip
    ((code, _),) = shape_codes(fleet)
    assert len({*code[:3].tolist()}) == len({*code[3:6].tolist()}) == 1
    assert len(set(code.tolist())) == 3
    assert shape_codes(_named("x1")) == []


def test_sources_end_at_what_follows_from_many() -> None:
    assert "processor.instructions" not in sources(["processor.bits"])
    assert "processor.instructions" in sources(["processor.bits"], whole=True)
    assert "processor.name" in sources(["processor.generation"])
    assert numbered([[1], [1], None])[0].tolist() == [0, 0, 1]


def test_other_memory_leaves_the_other_classes_as_they_are() -> None:
    fleet = random_fleet(random.Random(5), 40)
    judge = Judge(fleet, asked(memory="6 GB", cores=4))
    before = list(judge.parts)
    more = random_fleet(random.Random(6), 40)
    after = judge.with_memory(judge.facts.with_memory(more))
    kept = [one is other for one, other in zip(before, after.parts, strict=True)]
    assert kept == [not group.memory for group in judge.groups]
    assert isinstance(after.parts[0], GroupClasses)
    assert after.fleet is more
