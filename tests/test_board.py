"""Boards, parts and choices: what sits where, what fits, and every way to a target."""

import random
from itertools import product
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tallcheck.core.board.account import Account, account_of_machine, why_not_usable
from tallcheck.core.board.models import Model, Offer, listed_model, modules_with_kind
from tallcheck.core.fleet.placing import choices_of, kind_of_module
from tallcheck.core.machine.modules import (
    check_module_size,
    family,
    form_of,
    module_sizes,
    registered_by_form,
    type_fits,
)
from tallcheck.core.machine.names import model_key
from tallcheck.core.machine.sheet import Module
from tallcheck.core.messages.plans import kind_text, plan_conditions
from tallcheck.core.messages.values import reason_text
from tallcheck.core.upgrade.plan import plan_upgrade
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.money import format_money, parse_money, parse_price
from tests.helpers import GIB, VOCABULARY, judge, machine
from tests.test_upgrade import module, notebook, offer, offers

MIB = 1 << 20


def board(**sections: Any) -> Account:
    """The board of a machine with these sections."""
    found = account_of_machine(machine(**sections), VOCABULARY)
    assert found is not None
    return found


# --- words and sizes -----------------------------------------------------------------------


@pytest.mark.parametrize(
    ("text", "kind"),
    [("DDR4", "DDR4"), ("ddr4 SDRAM", "DDR4"), ("DDR3L-1600", "DDR3L"), ("LPDDR4X", "LPDDR4X"),
     ("LPDDR5", "LPDDR5"), ("DDR", "DDR"), ("Rambus", "RAMBUS"), (None, None)],
)  # fmt: skip
def test_families_of_memory(text: str | None, kind: str | None) -> None:
    assert family(text) == kind


@pytest.mark.parametrize(
    ("text", "form", "registered"),
    [("SODIMM", "SODIMM", None), ("SO-DIMM", "SODIMM", None), ("so dimm", "SODIMM", None),
     ("RDIMM", "DIMM", True), ("LRDIMM", "DIMM", True), ("UDIMM", "DIMM", False),
     ("DIMM", "DIMM", None), ("CAMM2", "CAMM2", None), (None, None, None)],
)  # fmt: skip
def test_forms_and_what_they_tell(
    text: str | None, form: str | None, registered: bool | None
) -> None:
    assert form_of(text) == form
    assert registered_by_form(text) is registered


@pytest.mark.parametrize(
    ("there", "part", "fits"),
    [("DDR4", "DDR4", True), ("DDR3", "DDR3L", True), ("DDR3L", "DDR3", False),
     ("DDR4", "DDR5", False)],
)  # fmt: skip
def test_types_that_go_together(there: str, part: str, fits: bool) -> None:
    assert type_fits(there, part) is fits


@given(st.sampled_from([1, 3]), st.integers(0, 16))
def test_modules_have_one_or_three_times_a_power_of_two(odd: int, power: int) -> None:
    size = odd * 16 * MIB << power
    if size <= 1024 * GIB:
        check_module_size(size)


@pytest.mark.parametrize("size", [0, 1, 8 * MIB, 5 * GIB, 7 * GIB, 12 * GIB + 1, 2048 * GIB])
def test_sizes_that_no_module_has(size: int) -> None:
    with pytest.raises(InputError, match="no module has"):
        check_module_size(size)


@given(st.integers(0, 10**9))
def test_money_reads_as_it_is_written(hundredths: int) -> None:
    text = format_money(hundredths, "EUR").removesuffix(" EUR").replace(",", "")
    assert parse_money(text) == hundredths
    assert parse_money(text.replace(".", ",")) == hundredths


@pytest.mark.parametrize(
    ("text", "price"),
    [("18.5", (1850, "")), ("22 EUR", (2200, "EUR")), ("\u20ac22.50", (2250, "EUR")),
     ("1,022.50", (102250, "")), ("1.022,50 \u20ac", (102250, "EUR")), ("$1,022", (102200, "USD")),
     ("CHF 1'022.50", (102250, "CHF")), ("39,90 eur", (3990, "EUR")), ("20,-", (2000, "")),
     ("1 022,50 \u20ac", (102250, "EUR")), ("1.022.000", (102200000, "")), ("0", (0, ""))],
)  # fmt: skip
def test_prices_as_people_write_them(text: str, price: tuple[int, str]) -> None:
    assert parse_price(text) == price


@pytest.mark.parametrize(
    "text",
    ["", "-1", "1.22.5", "1,23,456.5", "EUR 9 EUR", "free", "1e3", "nan", "1.022,505", "1234,567"],
)
def test_prices_that_are_none(text: str) -> None:
    with pytest.raises(InputError, match="price"):
        parse_money(text)


# --- boards --------------------------------------------------------------------------------


def test_positions_listed_and_free_ones_behind_them() -> None:
    found = board(memory={"slots": 4, "ceiling": 32 * GIB,
                          "modules": [module(4, "A1"), module(0, "B1")]})  # fmt: skip
    assert [one.name for one in found.positions] == ["A1", "B1", "position 3", "position 4"]
    assert (found.fitted, found.type, found.form) == (4 * GIB, "DDR4", "SODIMM")
    assert found.unknown == ()


def test_a_persistent_module_is_no_memory_and_holds_its_position() -> None:
    held = module(128, "B1") | {"persistent": True}
    found = board(memory={"slots": 2, "modules": [module(4, "A1"), held]})
    assert (found.fitted, found.slots, [one.name for one in found.positions]) == (
        4 * GIB, 1, ["A1"],
    )  # fmt: skip


def test_one_size_that_is_missing_follows_from_the_total() -> None:
    modules = [module(4, "A1"), {"slot": "B1", "type": "DDR4"}]
    found = board(memory={"slots": 2, "installed": 12 * GIB, "modules": modules})
    assert [one.size for one in found.positions] == [4 * GIB, 8 * GIB]
    two = [{"slot": "A1"}, {"slot": "B1"}]
    found = board(memory={"slots": 2, "installed": 12 * GIB, "modules": two})
    assert [one.size for one in found.positions] == [8 * GIB, 4 * GIB]
    assert "memory.modules" in found.unknown
    assert "memory.modules" in found.unknown


@pytest.mark.parametrize(
    ("memory", "unknown", "names"),
    [
        ({"installed": 8 * GIB, "slots": 1}, ["memory.type", "memory.ceiling"],
         ["the only position"]),
        ({"installed": 8 * GIB, "slots": 2, "ceiling": GIB * 16},
         ["memory.modules", "memory.type"], ["what is fitted", "a free slot"]),
        ({"installed": 8 * GIB},
         ["memory.slots", "memory.modules", "memory.type", "memory.ceiling"],
         ["what is fitted", "a free slot"]),
        ({"modules": [module(4, "A1")]}, ["memory.slots", "memory.ceiling"],
         ["A1", "a free slot"]),
    ],
)  # fmt: skip
def test_what_is_not_known_of_a_board(
    memory: dict[str, Any], unknown: list[str], names: list[str]
) -> None:
    found = board(memory=memory)
    assert list(found.unknown) == unknown
    assert [one.name for one in found.positions] == names


@pytest.mark.parametrize(
    ("sections", "other", "limit", "why"),
    [
        ({"memory": {"ceiling": 16 * GIB}}, False, 16, "the board takes 16 GB"),
        ({"memory": {"ceiling": 16 * GIB}, "system": {"os_bits": 32}}, False, 4,
         "the running 32-bit system addresses 4 GB"),
        ({"memory": {"ceiling": 16 * GIB}, "system": {"os_bits": 32},
          "processor": {"bits": 64}}, True, 16, "the board takes 16 GB"),
        ({"system": {"os_bits": 32}, "processor": {"bits": 32}}, True, 4, "4 GB"),
        ({"processor": {"bits": 32}}, False, 4, "the running 32-bit system addresses 4 GB"),
        ({}, False, None, ""),
    ],
)  # fmt: skip
def test_limits_of_board_processor_and_system(
    sections: dict[str, Any], other: bool, limit: int | None, why: str
) -> None:
    memory = {"installed": GIB, **sections.get("memory", {})}
    found = account_of_machine(machine(**{**sections, "memory": memory}), VOCABULARY, other)
    assert found is not None
    assert found.limit == (None if limit is None else limit * GIB)
    assert why in (reason_text(found.limit_why) if found.limit_why else "")


@pytest.mark.parametrize(
    ("modules", "runs"),
    [
        ([{"speed": 2933, "running": 2666}, {"speed": 2933, "running": 2666}], 2666),
        ([{"speed": 2933, "running": 2933}], None),
        ([{"speed": 2933, "running": 2400}, {"speed": 2400, "running": 2400}], None),
        ([{"speed": 2933}], None),
        ([{"running": 2400}], None),
    ],
)
def test_the_boards_own_speed_shows_only_where_modules_are_held_back(
    modules: list[dict[str, int]], runs: int | None
) -> None:
    fitted = [{"slot": f"S{at}", "size": 8 * GIB, **one} for at, one in enumerate(modules)]
    assert board(memory={"modules": fitted}).runs == runs


@pytest.mark.parametrize(
    ("fitted", "part", "why"),
    [
        ({"ecc": True, "registered": True}, {"ecc": True, "registered": True}, ""),
        ({"ecc": True, "registered": True}, {"ecc": True}, "not said to be registered"),
        ({"ecc": True, "registered": True}, {"registered": True}, "not said to be ECC"),
        ({"ecc": False, "registered": False}, {"registered": True}, "what is fitted is not"),
        ({"ecc": False}, {"ecc": True}, "ECC, and what is fitted is not"),
        ({"form": "RDIMM"}, {"form": "RDIMM"}, ""),
        ({"form": "RDIMM"}, {"form": "UDIMM"}, "not said to be registered"),
    ],
)
def test_kinds_do_not_mix(fitted: dict[str, Any], part: dict[str, Any], why: str) -> None:
    fitted = {"slot": "A1", "size": 8 * GIB, "type": "DDR4", "form": "DIMM", **fitted}
    found = board(memory={"modules": [fitted]})
    one = Offer("x", 8 * GIB, **{"type": "DDR4", "form": "DIMM", "price": 1, **part})
    said = why_not_usable(one, found, True)
    assert why in reason_text(said) if said else why == ""


def test_a_kind_in_words() -> None:
    fitted = {"slot": "A1", "size": 8 * GIB, "type": "DDR4", "form": "RDIMM", "ecc": True}
    found = board(memory={"modules": [fitted]})
    assert kind_text(8 * GIB, found, 2666) == "8 GB DDR4 DIMM registered ECC, 2666 MT/s or faster"
    plain = board(memory={"installed": 8 * GIB})
    assert kind_text(8 * GIB, plain, None) == "8 GB of the type that the board takes"


def test_a_server_whose_modules_may_be_registered_says_so() -> None:
    memory = {"modules": [{"slot": "A1", "size": 8 * GIB, "type": "DDR4"}], "slots": 4,
              "ceiling": 64 * GIB}  # fmt: skip
    sheet = machine(memory=memory, system={"shape": "server"})
    found = plan_upgrade(sheet, 16 * GIB, VOCABULARY)
    assert any("registered is not known" in text for text in plan_conditions(found))


# --- models --------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("maker", "model"),
    [
        ("Larkmoor", "Bench 9"), ("LARKMOOR", " bench  9 "), ("larkmoor ", "BENCH 9"),
        ("Larkmoor Inc.", "Bench 9"), ("Larkmoor Co., Ltd.", "Bench 9"),
        ("Larkmoor GmbH", "Larkmoor Bench 9"), ("Larkmoor", "Larkmoor Inc. Bench 9"),
    ],
)  # fmt: skip
def test_what_says_nothing_of_a_make_makes_no_other_model(maker: str, model: str) -> None:
    assert model_key(maker, model) == ("larkmoor", "bench 9")


@pytest.mark.parametrize(
    ("maker", "model", "found"),
    [
        (None, "Bench 9", "Bench 9"), (None, "Larkmoor Bench 9", "Bench 9"),
        ("Other", "Bench 9", None),
        (None, "Satchel", None), ("Larkmoor", None, None), ("Co", "Bench 9", None),
        ("Tolland & Pike Ltd", "Satchel", "Satchel"), ("Larkmoor", "Desk", "Desk"),
    ],
)  # fmt: skip
def test_a_model_is_found_without_its_maker_where_it_is_the_only_one(
    maker: str | None, model: str | None, found: str | None
) -> None:
    listed = [Model("Larkmoor", "Bench 9"), Model("Larkmoor", "Satchel"),
              Model("Tolland & Pike", "Satchel"), Model("", "Desk")]  # fmt: skip
    models = {model_key(one.maker, one.model): one for one in listed}
    one = listed_model(models, maker, model)
    assert (one and one.model) == found


def test_a_models_kind_goes_where_it_is_missing_and_differs_where_it_does() -> None:
    model = Model("Larkmoor", "Bench 9", type="DDR3", form="DIMM")
    modules = [
        Module(size=GIB), Module(size=GIB, type="DDR4"), Module(size=0),
        Module(size=GIB, fixed=True), Module(size=GIB, type="DDR3L", form="DIMM"),
    ]  # fmt: skip
    filled, differing = modules_with_kind(modules, model)
    assert [(one.type, one.form) for one in filled] == [
        ("DDR3", "DIMM"), ("DDR4", "DIMM"), (None, None), (None, None), ("DDR3L", "DIMM")
    ]  # fmt: skip
    assert differing == [("type", "DDR4", "DDR3")]


# --- choices for the drawer ----------------------------------------------------------------


@pytest.mark.parametrize("seed", range(20))
def test_no_way_to_the_target_is_missing_or_worse_than_another(seed: int) -> None:
    rng = random.Random(seed)
    fitted = [rng.choice([2, 4, 8]), rng.choice([0, 2, 4]), rng.choice([0, 4])]
    target = sum(fitted) + rng.choice([1, 2, 4, 8])
    sheet = notebook(*fitted, ceiling=rng.choice([16, 24, 64]) * GIB, position_most=8 * GIB)
    found = account_of_machine(sheet, VOCABULARY)
    assert found is not None
    sizes = [2 * GIB, 4 * GIB, 8 * GIB]
    choices, complete = choices_of(found, target * GIB, sizes)
    assert complete
    ours = {
        (one.add, tuple(sorted(kind.size for kind in one.out))) for one in choices
    }  # fmt: skip
    every = set()
    for ways in product([-1, 0, *sizes], repeat=3):
        kept = [f * GIB if w < 0 else w for f, w in zip(fitted, ways, strict=True)]
        if target * GIB <= sum(kept) <= (found.limit or sum(kept)):
            add = tuple(sorted(way for way in ways if way > 0))
            out = tuple(sorted(f * GIB for f, w in zip(fitted, ways, strict=True) if f and w >= 0))
            every.add((add, out))
    assert ours <= every

    def covers(one: tuple[tuple[int, ...], tuple[int, ...]], other: Any) -> bool:
        """Whether ``one`` takes no more than ``other`` and gives no less."""
        takes = all(one[0].count(size) <= other[0].count(size) for size in sizes)
        return takes and all(one[1].count(size) >= other[1].count(size) for size in set(other[1]))

    for other in every:
        if other[0]:
            assert any(covers(one, other) for one in ours), other
    for one in ours:
        assert not any(covers(other, one) for other in ours - {one}), one


def test_used_modules_are_seen_as_other_boards_see_them() -> None:
    kind = kind_of_module(Module("A1", 8 * GIB, "DDR4 SDRAM", "RDIMM", 2933, ecc=True))
    assert (kind.type, kind.form, kind.registered, kind.ecc) == ("DDR4", "DIMM", True, True)
    assert kind.offer().price == 0
    slow = kind_of_module(Module("B1", 8 * GIB, "DDR4", "RDIMM", 2133, ecc=True))
    assert slow == kind  # speed is not weighed


@pytest.mark.parametrize("priced", [True, False])
def test_without_prices_the_least_memory_is_bought(priced: bool) -> None:
    price = 5.0 if priced else None
    few = offers(offer("four", 4, 9 if priced else None), offer("eight", 8, price))
    found = plan_upgrade(notebook(4, 0), 8 * GIB, VOCABULARY, few)
    assert found.plan is not None
    assert [one.offer.part for one in found.plan.add] == (["eight"] if priced else ["four"])
    assert found.plan.cost == (500 if priced else None)


@pytest.mark.parametrize(
    ("kind", "smallest", "largest", "between"),
    [
        ("DDR3", 1, 16, ()), ("DDR4", 4, 64, ()), ("DDR5", 8, 128, (24, 48, 96)),
        (None, 0.25, 256, ()),
    ],
)  # fmt: skip
def test_modules_are_sold_in_the_sizes_of_their_type(
    kind: str | None, smallest: float, largest: int, between: tuple[int, ...]
) -> None:
    sizes = module_sizes(kind)
    assert (min(sizes), max(sizes)) == (smallest * GIB, largest * GIB)
    assert [size for size in sizes if size // GIB % 3 == 0 and size >= GIB] == [
        size * GIB for size in between
    ]


@pytest.mark.parametrize(
    ("module", "largest"),
    [({"type": "DDR5", "form": "DIMM", "ecc": False}, 64), ({"type": "DDR5", "form": "SODIMM"}, 64),
     ({"type": "DDR4", "form": "DIMM", "registered": False}, 32),
     ({"type": "DDR4", "form": "DIMM", "registered": True}, 64),
     ({"type": "DDR3", "form": "DIMM", "ecc": False}, 16)],
)  # fmt: skip
def test_no_module_is_larger_than_there_are_of_its_kind(
    module: dict[str, Any], largest: int
) -> None:
    sheet = machine(memory={"slots": 2, "modules": [{"slot": "A", "size": 8 * GIB} | module]})
    most = plan_upgrade(sheet, largest * 2 * GIB, VOCABULARY)
    assert most.plan is not None
    assert max(one.offer.size for one in most.plan.add) == largest * GIB
    assert plan_upgrade(sheet, largest * 2 * GIB + GIB, VOCABULARY).plan is None
    assert judge(sheet, memory=f"{largest * 2} GB").decision.answer == "memory-alone"
    assert judge(sheet, memory=f"{largest * 2 + 1} GB").decision.answer == "replace"
