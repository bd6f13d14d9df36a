"""Upgrade plans: what fits, what is said, parts and models lists, and the command."""

import json
from pathlib import Path
from typing import Any

import pytest

from tallcheck.core.board.models import Offer, PartsList, with_model
from tallcheck.core.machine.sheet import Machine
from tallcheck.core.messages.plans import (
    alternative_texts,
    hand_steps,
    plan_conditions,
    plan_notes,
    plan_sentence,
)
from tallcheck.core.messages.values import reason_text
from tallcheck.core.upgrade.plan import IMPOSSIBLE, Upgrade, plan_upgrade
from tallcheck.core.values.errors import InputError
from tallcheck.files.table import models_list, parts_list
from tallcheck.report.structures import plan_json
from tests.helpers import DEMO, GIB, VOCABULARY, call, demo_machine, judge, machine

PARTS = f"{DEMO}/parts/garden.parts.csv"
MODELS = f"{DEMO}/parts/garden.models.csv"


def module(size: float, slot: str, **more: Any) -> dict[str, Any]:
    """A fitted DDR4 SODIMM, or an empty position."""
    kind = {"type": "DDR4", "form": "SODIMM", "speed": 2666} if size else {}
    return {"slot": slot, "size": int(size * GIB), "channel": slot[0], **kind, **more}


def notebook(*sizes: float, **memory: Any) -> Machine:
    """A notebook with modules in A1, B1 …"""
    modules = [module(size, f"{'AB'[at % 2]}{at // 2 + 1}") for at, size in enumerate(sizes)]
    return machine(
        memory={
            "installed": int(sum(sizes) * GIB) or None, "slots": len(sizes), "modules": modules,
            "ceiling": 64 * GIB, "position_most": 32 * GIB, **memory,
        },
        system={"shape": "notebook", "os_bits": 64, "virtual": False}, processor={"bits": 64},
    )  # fmt: skip


def offers(*found: Offer) -> PartsList:
    """A parts list in EUR."""
    return PartsList(found, "EUR")


def offer(part: str, size: int, price: float | None = 10, **more: Any) -> Offer:
    """A DDR4 SODIMM for sale."""
    hundredths = None if price is None else round(price * 100)
    given = {"type": "DDR4", "form": "SODIMM", "speed": 2666, **more}
    return Offer(part, size * GIB, price=hundredths, **given)


def filled(found: Upgrade) -> dict[str, int]:
    """The positions after a plan, in GB."""
    assert found.plan is not None
    return {one.name: one.size // GIB for one in found.plan.after}


# --- plans ---------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("sheet", "target", "answer", "after", "text"),
    [
        (notebook(4, 0), 8, "plan", {"A1": 4, "B1": 4}, "Buy 1 × 4 GB DDR4 SODIMM, 2666 MT/s"),
        (notebook(4, 4), 16, "plan", None, "come out"),
        (notebook(8, 8, ceiling=16 * GIB), 32, "impossible", None, "board takes 16 GB at most"),
        (notebook(8, 0), 8, "nothing", None, "Nothing to buy: bench has 8 GB fitted"),
        (notebook(8, 8, ceiling=16 * GIB), None, "nothing", None, "There is no room"),
        (notebook(4, 0), None, "plan", {"A1": 32, "B1": 32}, "64 GB"),
        (notebook(4, 0, addressable=4 * GIB), 8, "impossible", None, "system addresses 4 GB"),
        (machine(), 8, "unknown", None, "not known"),
        (machine(memory={"installed": 8 * GIB}), 16, "plan", None, "if there is one"),
        (machine(memory={"installed": 8 * GIB}), None, "unknown", None, "is not known"),
        (machine(system={"virtual": True}), 16, "nothing", None,
         "set its memory to 16 GB on the host"),
    ],
)  # fmt: skip
def test_answers(
    sheet: Machine, target: int | None, answer: str, after: dict[str, int] | None, text: str
) -> None:
    found = plan_upgrade(sheet, target and target * GIB, VOCABULARY)
    assert found.answer == answer
    assert text in plan_sentence(found)
    if after is not None:
        assert filled(found) == after


def test_a_new_system_lifts_what_the_running_one_cannot_address() -> None:
    sheet = notebook(4, 0, addressable=4 * GIB)
    assert plan_upgrade(sheet, 8 * GIB, VOCABULARY, None, True).answer == "plan"


def test_a_doubted_ceiling_is_a_condition_with_what_to_look_up() -> None:
    raw = {"ceiling": 2 * GIB, "installed": 4 * GIB, "slots": 2,
           "modules": [module(4, "A1"), module(0, "B1")]}  # fmt: skip
    sheet = machine(
        memory=raw, system={"maker": "Larkmoor", "model": "Leaf 20"},
        doubts=[{"about": ["memory.ceiling"], "text": "more is fitted than the board takes"}],
    )  # fmt: skip
    found = plan_upgrade(sheet, 8 * GIB, VOCABULARY)
    assert found.answer == "plan"
    assert any("look up for Larkmoor Leaf 20: the most" in text for text in plan_conditions(found))


@pytest.mark.parametrize(
    ("part", "why"),
    [
        (offer("x", 8, type="DDR3"), "DDR3, and the board takes DDR4"),
        (offer("x", 8, type=None), "the list does not say its type"),
        (offer("x", 8, form="UDIMM"), "DIMM, and the board takes SODIMM"),
        (offer("x", 64), "a position takes 32 GB at most"),
        (offer("x", 8, None), "its price is not known"),
        (offer("x", 8, stock=0), "none is in stock"),
        (offer("x", 8, registered=True), "registered, and what is fitted is not known to be"),
        (offer("x", 8, ecc=True), "ECC, and what is fitted is not known to be"),
    ],
)
def test_every_part_that_is_not_usable_has_its_reason(part: Offer, why: str) -> None:
    found = plan_upgrade(notebook(4, 0), 12 * GIB, VOCABULARY, offers(part, offer("fits", 8)))
    assert [(one.part, reason_text(one.why)) for one in found.rejected] == [("x", why)]
    assert found.plan is not None
    assert [one.offer.part for one in found.plan.add] == ["fits"]


@pytest.mark.parametrize(
    ("kind", "part", "fits"),
    [("DDR3", "DDR3L", True), ("DDR3L", "DDR3", False), ("DDR4", "DDR5", False)],
)
def test_types_that_work_side_by_side(kind: str, part: str, fits: bool) -> None:
    modules = [module(4, "A1", type=kind), module(0, "B1")]
    sheet = notebook(4, 0, modules=modules)
    found = plan_upgrade(sheet, 8 * GIB, VOCABULARY, offers(offer("x", 4, type=part)))
    assert found.answer == ("plan" if fits else "impossible")


@pytest.mark.parametrize("fitted", [(), (module(4, "A1", type="LPDDR4X", fixed=True),)])
def test_a_type_that_is_not_known_is_looked_up_before_buying(fitted: tuple[Any, ...]) -> None:
    sheet = notebook(modules=[*fitted, module(0, "B1")], slots=1 + len(fitted))
    found = plan_upgrade(sheet, 8 * GIB, VOCABULARY, offers(offer("x", 8)))
    assert "of the type that the board takes" in plan_sentence(found)
    assert any("type of memory that the machine takes" in text for text in plan_conditions(found))
    assert [one.part for one in found.rejected] == ["x"]


def test_stock_limits_what_can_be_had() -> None:
    few = offers(offer("cheap", 8, 1, stock=1), offer("dear", 8, 9))
    found = plan_upgrade(notebook(4, 4), 16 * GIB, VOCABULARY, few)
    assert found.plan is not None
    assert sorted(one.offer.part for one in found.plan.add) == ["cheap", "dear"]
    assert found.plan.cost == 1000


@pytest.mark.parametrize(
    ("fitted", "part", "text"),
    [
        ({}, {"speed": 3200}, "money for nothing"),
        ({}, {"speed": 2133}, "slows down what stays (2666 MT/s)"),
        ({"running": 2400}, {"speed": 2666}, "the board runs modules at 2400 MT/s"),
        ({}, {"speed": 3200}, "the board may run faster: not known"),
    ],
)
def test_speed_is_told_where_it_is_wasted_or_lost(
    fitted: dict[str, Any], part: dict[str, Any], text: str
) -> None:
    sheet = notebook(4, 0, modules=[module(4, "A1", **fitted), module(0, "B1")])
    found = plan_upgrade(sheet, 8 * GIB, VOCABULARY, offers(offer("x", 4, **part)))
    assert any(text in note for note in plan_notes(found))


def test_other_plans_are_shown_only_where_they_differ() -> None:
    few = offers(offer("eight", 8, 22), offer("sixteen", 16, 31))
    found = plan_upgrade(notebook(4, 0), 12 * GIB, VOCABULARY, few)
    texts = alternative_texts(found)
    assert any("for 9.00 EUR more" in text and "20 GB" in text for text in texts)
    plans = [str(one.plan) for one in found.alternatives]
    assert len(set(plans)) == len(plans)
    raw = plan_json(found)
    assert raw.cost == 22.0
    assert raw.add[0].price == 22.0
    assert raw.total == 12 * GIB


@pytest.mark.parametrize(
    "told",
    [["modules=4GB soldered", "slots=0"], ["memory=8GB", "slots=0"],
     ["memory=8GB", "maker=Apple", "model=MacBookPro11,1"]],
)  # fmt: skip
def test_the_most_of_a_machine_into_which_nothing_goes(told: list[str]) -> None:
    sheet = call("describe", "x", *told).out
    ran = call("upgrade", "-", "--to", "most", stdin=sheet.encode())
    assert ran.code == 0
    assert ran.out.startswith("There is no room: x has")


def test_what_a_32_bit_system_does_not_address_may_stay_beside_what_it_does() -> None:
    there = machine(memory={"modules": [{"size": "2 GB", "type": "DDR4", "form": "DIMM"}],
                            "slots": 2}, system={"os_bits": 32})  # fmt: skip
    three = plan_upgrade(there, 3 * GIB, VOCABULARY)
    assert three.plan is not None
    assert judge(there, memory="3 GB").decision.target_memory == three.plan.total == 6 * GIB
    assert any("addresses 4 GB at most" in text for text in plan_notes(three))
    assert plan_upgrade(there, 5 * GIB, VOCABULARY).answer == IMPOSSIBLE


# --- lists ---------------------------------------------------------------------------------

_HEADER = "part,type,form,size,speed,price,currency,stock\n"


@pytest.mark.parametrize(
    ("rows", "text"),
    [
        ("x,DDR4,SODIMM,,3200,9,EUR,\n", "line 2, size: found no size"),
        ("x,DDR4,SODIMM,7 GB,3200,9,EUR,\n", "a size that no module has"),
        ("x,DDR4,SODIMM,8,3200,9,EUR,\n", "without a unit"),
        ("x,DDR4,SODIMM,8GB,3200,cheap,EUR,\n", "line 2, price"),
        ("x,DDR4,SODIMM,8GB,3200,-1,EUR,\n", "line 2, price"),
        ("x,DDR4,SODIMM,8GB,3200,9,EUR,some\n", "line 2, stock"),
        ("x,DDR4,SODIMM,8GB,3200,9,EUR,1,2,3\n", "found 10 cells"),
    ],
)
def test_bad_parts_lists_are_named_by_line_and_column(tmp_path: Path, rows: str, text: str) -> None:
    path = tmp_path / "list.csv"
    path.write_text(_HEADER + rows)
    with pytest.raises(InputError, match=r"list\.csv") as error:
        parts_list(str(path), VOCABULARY)
    assert text in str(error.value)
    ran = call("upgrade", demo_machine("potting-02"), "--to", "8GB", "--parts", str(path))
    assert ran.code == 3
    assert text in ran.err
    assert "Traceback" not in ran.err


def test_faulty_rows_are_all_named_and_the_sound_ones_used(tmp_path: Path) -> None:
    path = tmp_path / "list.csv"
    path.write_text(
        _HEADER + "x,DDR4,SODIMM,8GB,3200,9,EUR,\ny,DDR4,SODIMM,8GB,3200,9,CHF,\n"
        "z,DDR4,SODIMM,huge,3200,9,EUR,\nw,DDR4,SODIMM,8GB,3200,9 EUR,CHF,\n"
    )
    ran = call("upgrade", demo_machine("potting-02"), "--to", "12GB", "--parts", str(path))
    assert (ran.code, "8 GB x" in ran.out) == (0, True)
    told = [line.partition("list.csv, ")[2].partition(": ")[0] for line in ran.err.splitlines()]
    assert told == ["line 3, currency", "line 4, size", "line 5, price"]


def _board_of_four(path: Path) -> None:
    """8 GB in the first of four positions on two channels."""
    kind = {"type": "DDR4", "form": "DIMM", "speed": 2666}
    modules = [
        {"slot": slot, "size": "8 GB" if slot == "A1" else 0, "channel": slot[0], **kind}
        for slot in ("A1", "B1", "A2", "B2")
    ]
    raw = {"tallcheck": "machine/1", "name": "x", "memory": {"modules": modules, "slots": 4}}
    path.write_text(json.dumps(raw))


def test_slower_modules_are_not_all_that_is_told(tmp_path: Path) -> None:
    path = tmp_path / "list.csv"
    path.write_text(
        "part,type,form,size,speed,price,currency,stock,source\n"
        "slow,DDR4,DIMM,8 GB,2133,9,EUR,1,shop\nfast,DDR4,DIMM,8 GB,2666,12,EUR,1,shop\n"
        "fast,DDR4,DIMM,8 GB,2666,12,EUR,1,drawer\n"
    )
    sheet = tmp_path / "x.machine.json"
    _board_of_four(sheet)
    ran = call("upgrade", str(sheet), "--to", "16GB", "--parts", str(path))
    assert "8 GB slow" in ran.out
    assert "all at full speed: 16 GB for 3.00 EUR more (1 × 8 GB fast)" in ran.out
    # one part from two places is two offers, and no matched pair
    ran = call("upgrade", str(sheet), "--to", "32GB", "--parts", str(path))
    assert "8 GB fast from shop" in ran.out
    assert "8 GB fast from drawer" in ran.out
    assert "matched" not in ran.out


def test_lists_take_what_people_write(tmp_path: Path) -> None:
    path = tmp_path / "list.csv"
    path.write_text('\ufeff# ours\nprice,PART,size,type\n"22,50",a,8 gb,DDR4\n,b,4096 MB,\n')
    found = parts_list(str(path), VOCABULARY)
    assert [(o.part, o.size, o.price, o.stock) for o in found.offers] == [
        ("a", 8 * GIB, 2250, None), ("b", 4 * GIB, None, None)
    ]  # fmt: skip
    assert parts_list(f"{DEMO}/parts/template.parts.csv", VOCABULARY).offers == ()


SHOPS = """Artikel;Kapazität;Typ;Bauform;Takt;ECC;Registered;Preis;Verfügbar;Farbe
a;8 GB;DDR4-3200;SO-DIMM;PC4-25600;N;N;20 €;auf Lager;rot
b;16GB;DDR4;SODIMM;3200 MHz;nein;nein;35,50 €/St.;>10;
c;4 GB DDR4;;SO DIMM;2666;no;no;199 kr;10 pcs;
d;32 GB;DDR4;SODIMM;3200;no;Y;ask;ausverkauft;
e;2x8GB;DDR4;SODIMM;3200;N;N;free;12+;
f;x;DDR4;SODIMM;3200;N;N;5;1;
"""
IN_LINES = """Price list, made up
as of 2026-11-30,,,,

Product,Description,Price,Availability,SKU
LM-8G,8GB DDR4-3200 SODIMM 260-pin CL22,"zł 45",in stock,1001
LM-4G,Memory 2 x 4 GB PC4-21300 ECC SO-DIMM,,~3,1002
"""


def test_a_shops_list_is_read_cell_by_cell(tmp_path: Path) -> None:
    (tmp_path / "a.csv").write_text(SHOPS)
    found = parts_list(str(tmp_path / "a.csv"), VOCABULARY)
    assert [
        (o.part, o.size // GIB, o.pack, o.type, o.speed, o.registered, o.price, o.stock)
        for o in found.offers
    ] == [
        ("a", 8, 1, "DDR4", 3200, False, 2000, None), ("b", 16, 1, "DDR4", 3200, False, 3550, 10),
        ("d", 32, 1, "DDR4", 3200, True, None, 0),
        ("e", 8, 2, "DDR4", 3200, False, 0, 12),
    ]  # fmt: skip
    assert found.currency == "EUR"
    named = ("'farbe'", "the currency 'kr' beside 'EUR'", "line 7, size")
    assert all(word in one for word, one in zip(named, found.faults, strict=True))
    # of two headings for one column the first counts, and the other is named
    (tmp_path / "b.csv").write_text(IN_LINES)
    assert "'sku'" in parts_list(str(tmp_path / "b.csv"), VOCABULARY).faults[0]
    assert [
        (o.part, o.size // GIB, o.pack, o.type, o.form, o.speed, o.ecc, o.stock)
        for o in parts_list(str(tmp_path / "b.csv"), VOCABULARY).offers
    ] == [
        ("LM-8G", 8, 1, "DDR4", "SODIMM", 3200, None, None),
        ("LM-4G", 4, 2, "DDR4", "SODIMM", 2666, True, 3),
    ]  # fmt: skip
    # a drawer's few words, in a code page
    (tmp_path / "c.csv").write_bytes(
        "what;Anzahl\n8 GB DDR4 SO-DIMM (gr\u00fcn);2\n".encode("cp1252")
    )
    (one,) = parts_list(str(tmp_path / "c.csv"), VOCABULARY).offers
    assert (one.part, one.size // GIB, one.stock) == ("8 GB DDR4 SO-DIMM (gr\u00fcn)", 8, 2)


def test_anothers_headings_are_told(tmp_path: Path) -> None:
    (tmp_path / "p.csv").write_text(
        "Preis;X1;X2;Form;Typ\n1;8 GB;30 EUR;SODIMM;DDR4\n1;16 GB;50 EUR;SODIMM;DDR4\n"
    )
    told = ["--parts", "p.csv", "--columns", "parts.size=X1", "--columns", "parts.price=X2"]
    ran = call("describe", "a", "memory=8GB", "shape=notebook", "slots=2", "modules=8GB,-",
               "memory_type=DDR4", "-o", "a.machine.json", cwd=tmp_path)  # fmt: skip
    assert ran.code == 0
    (tmp_path / "list.csv").write_text("name,RAM,modules,type\na,8 GB,8GB DDR4 SODIMM|-,\n")
    for words in (("upgrade", "a.machine.json", "--to", "16GB"),
                  ("check", "a.machine.json", "--need", "memory=16GB"),
                  ("fleet", "list.csv", "--need", "memory=16GB")):  # fmt: skip
        ran = call(*words, *told, cwd=tmp_path)
        assert "30.00 EUR" in ran.out, words
        assert "'price'" in ran.err
    ran = call("upgrade", "a.machine.json", "--to", "16GB", "--columns", "parts.cost=X1",
               cwd=tmp_path)  # fmt: skip
    assert ran.code == 2
    assert "parts.NAME=THEIRS" in ran.err


@pytest.mark.parametrize("heading", ["Module", "Product", "Name", "RAM", "Bezeichnung", "size"])
@pytest.mark.parametrize("first", ["Article;", ""])
def test_the_words_of_one_column_tell_the_module(heading: str, first: str, tmp_path: Path) -> None:
    number = "1001;" if first else ""
    (tmp_path / "a.csv").write_text(
        f"{first}{heading};Price\n{number}8 GB DDR4 SODIMM PC4-25600;199 kr\n{number}Cable;9 kr\n"
    )
    found = parts_list(str(tmp_path / "a.csv"), VOCABULARY)
    (one,) = found.offers
    assert (one.size, one.type, one.form, one.price) == (8 * GIB, "DDR4", "SODIMM", 19900)
    assert found.currency == "kr"
    assert "line 3" in found.faults[0]


def test_a_models_list_fills_gaps_and_is_held_against_the_rest() -> None:
    models = models_list(MODELS, VOCABULARY)
    given = {"maker": "tolland & pike", "model": "Satchel  11"}
    filled_in = with_model(machine(system=given), models)
    assert (filled_in.memory.ceiling, filled_in.memory.slots) == (16 * GIB, 2)
    origin = filled_in.origins["memory.ceiling"]
    assert origin.how == "told"
    assert "owner's guide p. 12" in origin.source
    against = with_model(machine(system=given, memory={"slots": 4}), models)
    assert against.memory.slots == 4
    assert [doubt.about for doubt in against.doubts] == [["memory.slots"]]
    other = machine(system={"maker": "Larkmoor", "model": "Satchel 11"})
    assert with_model(other, models) == other


# --- the command ---------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("name", "words", "code", "text"),
    [
        ("potting-02", ["--to", "8GB"], 0, "Put 1 × 4 GB drawer-S4-4"),
        ("orchid-house-08", ["--to", "16GB"], 0, "The 2 × 4 GB in A1 and B1 come out"),
        ("nursery-09", ["--to", "16GB"], 0, "Buy 1 × 16 GB LM-S4-16"),
        ("archive-10", ["--to", "32GB"], 13, "the board takes 16 GB at most"),
        ("glasshouse-05", ["--to", "16GB", "--models", MODELS], 0, "if there is one"),
        ("seed-server-11", ["--to", "256GB"], 0, "best balanced"),
        ("booking-12", ["--for", "merrow@10"], 0, "Nothing to buy"),
        ("glasshouse-05", ["--for", "merrow@10"], 14, "Find out first"),
        ("ticket-desk-04", ["--for", "merrow@10"], 13, "replace"),
        ("archive-10", ["--for", "merrow@10"], 0, "Nothing to buy. archive-10 is ready"),
    ],
)
def test_demo_machines(name: str, words: list[str], code: int, text: str) -> None:
    ran = call("upgrade", demo_machine(name), *words, "--parts", PARTS)
    assert (ran.code, ran.err) == (code, "")
    assert text in " ".join(ran.out.split())
    quiet = call("upgrade", demo_machine(name), *words, "--parts", PARTS, "--quiet")
    assert quiet.out.count("\n") == 1


def test_check_carries_the_plan() -> None:
    words = ("check", demo_machine("potting-02"), "merrow@10", "--parts", PARTS)
    plan = call(*words, "--format", "json").json()["plan"]
    assert plan["answer"] == "plan"
    assert plan["add"][0]["part"] == "drawer-S4-4"
    assert "drawer-S4-4" in call(*words).out
    without = call("check", demo_machine("archive-10"), "merrow@10", "--format", "json").json()
    assert without["plan"] is None


def test_wrong_usage_and_unusable_targets() -> None:
    assert call("upgrade", demo_machine("potting-02")).code == 2
    assert call("upgrade", demo_machine("potting-02"), "--to", "lots").code == 2
    ran = call("upgrade", demo_machine("potting-02"), "--to", "8")
    assert ran.code == 2
    assert "without a unit" in ran.err


def test_lists_are_read_with_semicolons_and_words(tmp_path: Path) -> None:
    path = tmp_path / "models.csv"
    path.write_text(
        "maker;model;ceiling;slots\nLarkmoor;Bench 14;32 GB RAM;2\nLarkmoor;X;not sure;\n"
    )
    found = {
        one.model: (one.ceiling, one.slots) for one in models_list(str(path), VOCABULARY).values()
    }
    assert found == {"Bench 14": (32 * GIB, 2), "X": (None, None)}


KITS = offers(
    Offer("K8", 8 * GIB, "DDR4", "SODIMM", 3200, price=3000, pack=2),
    Offer("S8", 8 * GIB, "DDR4", "SODIMM", 3200, price=2200, source="shop"),
    Offer("S8", 8 * GIB, "DDR4", "SODIMM", 3200, price=1800, stock=1, source="drawer"),
    Offer("K4", 4 * GIB, "DDR4", "SODIMM", 3200, price=1000, pack=2),
)  # fmt: skip


@pytest.mark.parametrize(
    ("fitted", "target", "bought", "spare"),
    [
        ((8, 0), 16, ["S8"], 0),  # one from the drawer costs less than a kit
        ((4, 4), 16, ["K8"], 0),  # a kit costs less than two
        ((4, 0), 8, ["K4"], 1),  # nothing comes out for one of the same size
        ((4,), 8, ["S8"], 0),
        ((2,), 4, ["K4"], 1),  # there is one position, and one of the kit is left over
    ],
)
def test_kits_are_bought_whole(
    fitted: tuple[int, ...], target: int, bought: list[str], spare: int
) -> None:
    found = plan_upgrade(notebook(*fitted), target * GIB, VOCABULARY, KITS)
    assert found.plan is not None
    assert ([one.part for one in found.plan.bought], found.plan.spare) == (bought, spare)
    assert found.plan.cost == sum(one.price or 0 for one in found.plan.bought)
    assert len(found.plan.add) == sum(one.pack for one in found.plan.bought) - spare


@pytest.mark.parametrize(("four", "first"), [(10.5, "best balanced"), (11.5, "all at full speed")])
def test_a_balanced_plan_that_costs_little_more_stands_first(four: float, first: str) -> None:
    few = offers(offer("fast", 8, 25), offer("slow", 8, 20, speed=1600), offer("four", 4, four))
    found = plan_upgrade(notebook(2, 0), 8 * GIB, VOCABULARY, few)
    assert found.plan is not None
    assert (found.plan.cost, found.plan.uneven) == (2000, 6 * GIB)
    assert found.alternatives[0].label == first


@pytest.mark.parametrize(
    ("shape", "sizes", "parts", "not_there"),
    [
        ("notebook", (4, 0), ["battery", "at a slant"], "Take a module out"),
        ("tower", (4, 4), ["straight down", "Take a module out: press down the clip"], "battery"),
    ],
)
def test_what_hands_do_fits_the_case(
    shape: str, sizes: tuple[int, int], parts: list[str], not_there: str
) -> None:
    form = "SODIMM" if shape == "notebook" else "DIMM"
    modules = [module(size, slot, form=form if size else None)
               for size, slot in zip(sizes, ("A1", "B1"), strict=True)]  # fmt: skip
    memory = {"installed": sum(sizes) * GIB, "slots": 2, "modules": modules}
    sheet = machine(system={"shape": shape}, memory=memory)
    found = plan_upgrade(sheet, (sum(sizes) + 8) * GIB, VOCABULARY)
    assert found.plan is not None
    steps = " ".join(hand_steps(found))
    assert [
        one for one in (*parts, f"{found.plan.total // GIB} GB is what") if one not in steps
    ] == []
    assert not_there not in steps


def test_a_virtual_machine_is_nothing_for_hands() -> None:
    sheet = machine(system={"virtual": True}, memory={"installed": 4 * GIB})
    assert hand_steps(plan_upgrade(sheet, 8 * GIB, VOCABULARY)) == []
