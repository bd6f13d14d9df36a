"""Boards with a parts list, each plan found by hand: what comes out, what goes in, the cost."""

from pathlib import Path

import pytest

from tests.helpers import GIB, call

LIST = """part,type,form,size,registered,ecc,price,currency,stock
S4-4,DDR4,SODIMM,4 GB,no,no,10,EUR,
S4-8,DDR4,SODIMM,8 GB,no,no,18,EUR,
S4-16,DDR4,SODIMM,16 GB,no,no,34,EUR,
S4-32,DDR4,SODIMM,32 GB,no,no,80,EUR,
D3-4,DDR3,DIMM,4 GB,no,no,7,EUR,1
D3-8,DDR3,DIMM,8 GB,no,no,16,EUR,
D4-pair,DDR4,DIMM,2x8GB,no,no,30,EUR,
D4-8,DDR4,DIMM,8 GB,no,no,17,EUR,
D4-16,DDR4,DIMM,16 GB,no,no,40,EUR,
R4-16,DDR4,RDIMM,16 GB,yes,yes,60,EUR,
"""
NOTEBOOK = ("shape=notebook", "os_bits=64", "processor_bits=64", "ceiling=32GB")
DESKTOP = ("shape=desktop", "os_bits=64", "processor_bits=64", "ceiling=64GB")
BOARDS = {
    # name: readings, target, answer, comes out, goes in, cost
    "one free position": (
        ("modules=4GB DDR4 SODIMM,-", *NOTEBOOK), "8GB", "plan", [], ["S4-4"], 10.0),
    # 8 + 8 GB would cost 36, and whether the positions lie on two channels is not known
    "the cheapest of two ways": (
        ("modules=4GB DDR4 SODIMM,4GB DDR4 SODIMM", *NOTEBOOK), "16GB", "plan",
        [4], ["S4-16"], 34.0),
    "there already": (
        ("modules=4GB DDR4 SODIMM,4GB DDR4 SODIMM", *NOTEBOOK), "8GB", "nothing", [], [], None),
    # of the cheap ones there is only one
    "the last one on the shelf": (
        ("modules=2GB DDR3 DIMM,2GB DDR3 DIMM,-,-", *DESKTOP), "8GB", "plan", [], ["D3-4"], 7.0),
    "a kit of two": (
        ("modules=8GB DDR4 DIMM,-,-,-", *DESKTOP), "24GB", "plan",
        [], ["D4-pair", "D4-pair"], 30.0),
    "no kit for one": (
        ("modules=8GB DDR4 DIMM,-", *DESKTOP), "16GB", "plan", [], ["D4-8"], 17.0),
    "beside what is soldered": (
        ("modules=4GB DDR4 soldered,- DDR4 SODIMM", *NOTEBOOK), "16GB", "plan",
        [], ["S4-16"], 34.0),
    "no position takes more": (
        ("modules=2GB DDR4 SODIMM,- DDR4 SODIMM", "memory.position_most=8GB", *NOTEBOOK), "16GB",
        "plan", [2], ["S4-8", "S4-8"], 36.0),
    "above what the board takes": (
        ("modules=4GB DDR4 SODIMM,4GB DDR4 SODIMM", *NOTEBOOK[:3], "ceiling=8GB"), "16GB",
        "impossible", [], [], None),
    "a server's own kind": (
        ("modules=16GB DDR4 RDIMM ECC,16GB DDR4 RDIMM ECC,-,-,-,-", "shape=server",
         "os_bits=64", "ceiling=384GB"), "48GB", "plan", [], ["R4-16"], 60.0),
    "a processor of 32 bits": (
        ("modules=4GB DDR3 DIMM,-", "shape=desktop", "processor_bits=32", "os_bits=32",
         "ceiling=16GB"), "8GB", "impossible", [], [], None),
}  # fmt: skip


@pytest.mark.parametrize("name", BOARDS)
def test_what_is_bought(name: str, tmp_path: Path) -> None:
    readings, target, answer, out, bought, cost = BOARDS[name]
    (tmp_path / "list.csv").write_text(LIST)
    assert call("describe", "bench", *readings, "-o", "m.json", cwd=tmp_path).code == 0
    ran = call("upgrade", "m.json", "--to", target, "--parts", "list.csv", "--format", "json",
              cwd=tmp_path)  # fmt: skip
    plan = ran.json()
    assert plan["answer"] == answer, plan["sentence"]
    assert [one["size"] >> 30 for one in plan.get("remove", [])] == out
    assert [one["part"] for one in plan.get("add", [])] == bought, plan["sentence"]
    assert plan.get("cost") == cost


@pytest.mark.parametrize(
    ("told", "target", "out", "into"),
    [
        # channels that are not known: pairs are kept
        ("modules=4GB,4GB", "16GB", [4, 4], [8, 8]),
        ("modules=4GB,4GB,-,-", "16GB", [], [4, 4]),
        ("modules=8GB,-", "16GB", [], [8]),
        ("modules=8GB,-", "24GB", [], [16]),
        ("modules=8GB", "16GB", [8], [16]),
        # people do not count soldered memory among the positions, firmware does
        ("modules=4GB soldered,4GB;slots=1", "12GB", [4], [8]),
        ("modules=4GB soldered,4GB;slots=2", "12GB", [4], [8]),
        ("modules=4GB soldered,4GB soldered;slots=1", "16GB", [], [8]),
        ("modules=4GB soldered;slots=0", "8GB", None, []),
    ],
)
def test_what_is_bought_without_a_list(
    told: str, target: str, out: list[int] | None, into: list[int]
) -> None:
    sheet = call("describe", "x", *told.split(";"), "shape=notebook").out
    assert "doubts" not in sheet
    plan = call("upgrade", "-", "--to", target, "--format", "json", stdin=sheet.encode()).json()
    assert plan["answer"] == ("impossible" if out is None else "plan")
    if out is not None:
        assert [one["size"] // GIB for one in plan["remove"]] == out
        assert [one["size"] // GIB for one in plan["add"]] == into


@pytest.mark.parametrize(
    ("told", "answer"),
    [(["memory=8 GB LPDDR4X"], "undecided"), (["memory=8 GB", "memory_type=LPDDR5"], "undecided"),
     (["memory=8 GB LPDDR4X", "slots=0"], "replace"),
     (["memory=8 GB LPDDR4X", "slots=1"], "replace"),
     (["memory=8 GB LPDDR4X", "slots=2"], "memory-alone"), (["memory=8 GB DDR4"], "memory-alone")],
)  # fmt: skip
def test_memory_of_a_type_that_is_only_soldered_is_soldered(
    told: list[str], answer: str, tmp_path: Path
) -> None:
    """Typed and in a list alike; whether there is a position beside it is open."""
    call("describe", "x", *told, "shape=notebook", "os_bits=64", "-o", "x.machine.json",
         cwd=tmp_path)  # fmt: skip
    found = call("check", "x.machine.json", "--need", "memory=16GB", "--format", "json",
                 cwd=tmp_path).json()  # fmt: skip
    assert found["decision"]["answer"] == answer
    plan = call("upgrade", "x.machine.json", "--to", "16GB", cwd=tmp_path).out
    assert ("Buy" in plan) == (answer == "memory-alone")
    assert "LPDDR4X SODIMM" not in plan
    cells = dict(one.split("=") for one in told) | {"shape": "notebook", "os_bits": "64"}
    (tmp_path / "f.csv").write_text(f"name,{','.join(cells)}\nx,{','.join(cells.values())}\n")
    ran = call("fleet", "f.csv", "--need", "memory=16GB", "--format", "json", cwd=tmp_path).json()
    assert ran["answers"][answer] == 1
