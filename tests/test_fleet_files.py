"""Fleets in and out: every fault named, no row lost, and the command as a whole."""

import csv
import io
import json
import re
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from tallcheck.core.fleet.columns import FleetFile
from tallcheck.core.fleet.known import find_doubts
from tallcheck.core.fleet.models import with_models
from tallcheck.core.machine.normalized import normalized
from tallcheck.core.machine.sheet import SHEET_FORMAT, Machine
from tallcheck.core.machine.telling import tell_all
from tallcheck.core.text.labels import heading_said
from tallcheck.core.text.said import parse_told
from tallcheck.core.values.errors import InputError
from tallcheck.files.fleet_file import read_fleet
from tallcheck.files.fleet_rows import parse_heading
from tallcheck.files.sheets import machine_json
from tallcheck.files.table import models_list
from tests.helpers import DEMO, DEMO_MACHINES, GIB, VOCABULARY, call, demo_machine, run

MODELS = f"{DEMO}/parts/garden.models.csv"
PARTS = f"{DEMO}/parts/garden.parts.csv"


def read(tmp_path: Path, text: str | bytes, *columns: str, name: str = "f.csv") -> FleetFile:
    """A fleet from the text of a file."""
    path = tmp_path / name
    path.write_bytes(text.encode() if isinstance(text, str) else text)
    return read_fleet(str(path), dict(map(parse_heading, columns)), True, VOCABULARY)


def faults(found: FleetFile) -> list[tuple[str, str, list[int]]]:
    """Column, text and lines of each fault."""
    return [(one.column, one.text, found.fleet.lines[one.rows].tolist()) for one in found.faults]


@pytest.mark.parametrize(
    ("column", "cells", "values"),
    [
        ("memory", ["8 GB", "8gb", "8192 MB", "", "?"], [8, 8, 8, None, None]),
        ("memory.installed", ["8589934592", "4294967296", "", " ", ""], [8, 4, None, None, None]),
        ("ceiling", ["16 GB", "17179869184", "", "n/a", ""], [16, 16, None, None, None]),
    ],
)
def test_sizes_as_people_write_them(
    tmp_path: Path, column: str, cells: list[str], values: list[float | None]
) -> None:
    rows = "".join(f"m{at},{cell}\n" for at, cell in enumerate(cells))
    found = read(tmp_path, f"name,{column}\n{rows}")
    (numbers,) = found.fleet.numbers.values()
    assert [None if np.isnan(v) else v / GIB for v in numbers] == values
    assert found.faults == []


@pytest.mark.parametrize("order", [("os", "os_version"), ("os_version", "os")])
def test_versions_are_those_that_people_say(tmp_path: Path, order: tuple[str, str]) -> None:
    rows = [
        ("Microsoft Windows 11 Pro", "10.0.22631", "11"), ("Windows", "10.0.22631", "11"),
        ("Windows 10", "10.0 (19045)", "10"), ("Windows 11", "22H2", "11"),
        ("Windows Server 2019 Standard", "10.0.17763", "2019"), ("Ubuntu", "22.04", "22.04"),
        ("Windows 10", "10.0.22631", None), ("", "10.0.22631", "10.0.22631"),
    ]  # fmt: skip
    lines = [f"m{at},{one},{two}" if order[0] == "os" else f"m{at},{two},{one}"
             for at, (one, two, _) in enumerate(rows)]  # fmt: skip
    found = read(tmp_path, "\n".join([f"name,{order[0]},{order[1]}", *lines, ""]))
    machines = [found.fleet.machine(at) for at in range(len(rows))]
    assert [one.system.os_version for one in machines] == [version for *_, version in rows]
    assert [lines for _, _, lines in faults(found)] == [[8]]
    for at, (name, version, expected) in enumerate(rows):
        told = [
            *parse_told(f"os={name}", VOCABULARY),
            *parse_told(f"os_version={version}", VOCABULARY),
        ]
        one = tell_all(Machine(SHEET_FORMAT, f"m{at}"), told, VOCABULARY)
        assert (one.system.os_version if not one.doubts else None) == expected


@pytest.mark.parametrize(
    ("column", "cell", "text"),
    [
        ("memory", "8", "without a unit"),
        ("memory", "lots", 'found "lots"'),
        ("cores", "-2", "no such number"),
        ("cores", "plenty", 'found "plenty"'),
        ("shape", "brick", "expected one of notebook"),
        ("os_bits", "48", "no such number"),
        ("clock", "2.1", "without a unit"),
        ("instructions", "QUICK2", "QUICK2"),
        ("modules", '"4GB,four"', "four"),
        ("storage_free", "-5 GB", 'found "-5 GB"'),
    ],
)
def test_a_cell_that_does_not_read_is_unknown_and_listed(
    tmp_path: Path, column: str, cell: str, text: str
) -> None:
    good = {"memory": "8 GB", "cores": "4", "shape": "desktop", "os_bits": "64", "clock": "2 GHz",
            "instructions": "AVX2", "modules": "4GB", "storage_free": "9 GB"}[column]  # fmt: skip
    found = read(tmp_path, f"name,{column}\na,{good}\nb,{cell}\nc,{good}\n")
    assert len(found.fleet) == 3
    ((where, said, lines),) = faults(found)
    assert (where, lines) == (column, [3])
    assert text in said
    key = next(iter({**found.fleet.numbers, **found.fleet.words}))
    assert found.fleet.known(key).tolist() == [True, False, True]


def test_rows_that_do_not_read_are_listed_with_their_lines(tmp_path: Path) -> None:
    text = (
        "# made up\nname,memory,cores\na,8 GB,4,9,9\nb,4 GB,2\n# more\ntorn,4\n,8 GB,4\n\n"
        'c,"8 GB",4\nd,8 GB,4,5\nb,8 GB,4\n'
    )
    found = read(tmp_path, text)
    assert [str(name) for name in found.fleet.names] == ["b", "c", "b"]
    assert found.fleet.lines.tolist() == [4, 9, 11]
    assert [line for line, _ in found.unreadable] == [3, 6, 7, 10]
    assert "more than the header" in found.unreadable[0][1]
    assert "fewer than the header" in found.unreadable[1][1]
    assert found.unreadable[2][1] == "found no name"
    assert next(one for one in faults(found) if one[0] == "name")[2] == [4, 11]


def test_line_ends_in_cells_and_bytes_that_are_no_text(tmp_path: Path) -> None:
    text = 'name,cores,room\na,4,"up\nstairs"\nb,2\nc,8,x\n'
    found = read(tmp_path, text)
    assert found.fleet.lines.tolist() == [2, 5]
    assert len(found.unreadable) == 1
    # a code page's, or UTF-8 with a byte that is broken
    for written, name in ((b"w\xfcrfel", "w\u00fcrfel"), (b"w\xc3\xbcrf\xfcl", "w\u00fcrf\ufffdl")):
        found = read(tmp_path, b"name,cores\n" + written + b",4\n")
        assert str(found.fleet.names[0]) == name
        assert any("UTF-8" in remark for remark in found.remarks)


def test_doubts_of_a_row_make_its_readings_unknown(tmp_path: Path) -> None:
    text = (
        "name,cores,threads,memory,usable,modules,slots,storage,storage_free,ceiling,shape\n"
        'a,8,4,8 GB,,"8GB,-",,256 GB,60 GB,16 GB,desktop\n'
        'b,4,8,8192 GB,,"8GB,-",,256 GB,60 GB,16 GB,desktop\n'
        'c,4,8,8 GB,,"4GB,-",,256 GB,60 GB,16 GB,desktop\n'
        'd,4,8,8 GB,,"8GB,-",1,64 GB,90 GB,4 GB,desktop\n'
        "e,4,8,8 MB,,,,,,,desktop\n"
        "f,4,8,2048 GB,,,,,,,server\n"
    )
    found = read(tmp_path, text, "memory.usable=usable")
    fleet = found.fleet
    fleet.doubts = find_doubts(fleet)
    texts = [
        " ".join(one.text for one in normalized(fleet.machine(at), VOCABULARY).doubts)
        for at in range(6)
    ]
    for said, part in zip(
        texts, ["swapped", "MB were meant", "add up to", "listed positions (2)", "GB were meant"],
        strict=False,
    ):  # fmt: skip
        assert part in said
    assert "free is more than the 64 GB there is" in texts[3]
    assert "board is said to take" in texts[3]
    assert texts[5] == ""


@pytest.mark.parametrize(
    ("text", "columns", "said"),
    [
        ("thing,memory\na,8 GB\na,4 GB\n", [], "found no column 'name'"),
        ("name,memory\na,8\nb,16\n", [], "--columns memory.installed='memory:GB'"),
        ("name,memory,memory.installed\na,8 GB,8 GB\n", [], "one column for each reading"),
        ("name,cores,cores\na,1,2\n", [], "'cores' twice"),
        ("", [], "no header"),
        ("\ufeffname,memory\n", [], "no machine"),
        ("name,memory\na,8 GB\n", ["memory=RAM"], "no column 'RAM'"),
        ("name,memory\na,8 GB\n", ["memroy=RAM"], "'memory'"),
    ],
)
def test_files_that_cannot_be_used(
    tmp_path: Path, text: str, columns: list[str], said: str
) -> None:
    if said != "no machine":
        with pytest.raises(InputError) as error:
            read(tmp_path, text, *columns)
        assert said in str(error.value)
    else:
        assert len(read(tmp_path, text).fleet) == 0
    words = [word for one in columns for word in ("--columns", one)]
    ran = call("fleet", str(tmp_path / "f.csv"), "merrow@10", *words)
    assert ran.code == (2 if "memroy" in str(columns) else 3)
    assert said in ran.err
    assert "Traceback" not in ran.err


def test_files_of_other_encodings_and_line_ends(tmp_path: Path) -> None:
    for mark in (",", ";", "\t"):
        found = read(tmp_path, f'name{mark}memory\na{mark}"8 GB"\n'.encode("utf-16"))
        assert found.fleet.number("memory.installed").tolist() == [8 * GIB]
    found = read(tmp_path, "\ufeffName,MEMORY\r\n007,8 GB\r\n\r\nb,4 GB\r\n")
    assert [str(name) for name in found.fleet.names] == ["007", "b"]
    assert found.fleet.lines.tolist() == [2, 4]
    assert found.fleet.number("memory.installed").tolist() == [8 * GIB, 4 * GIB]


def test_numbers_that_no_machine_has(tmp_path: Path) -> None:
    text = "name,memory,cores\na,inf,nan\nb,-8589934592,1e12\nc,8589934592,4\n"
    found = read(tmp_path, text)
    assert sorted((column, lines[0]) for column, _, lines in faults(found)) == [
        ("cores", 2), ("cores", 3), ("memory", 2), ("memory", 3)
    ]  # fmt: skip
    assert found.fleet.known("memory.installed").tolist() == [False, False, True]
    assert found.fleet.known("processor.cores").tolist() == [False, False, True]


def test_rows_of_commas_and_empty_objects_are_listed_and_blank_lines_are_none(
    tmp_path: Path,
) -> None:
    found = read(tmp_path, "# x\nname,cores\na,4\n,\n\n# y\n\nb,2\n")
    assert found.unreadable == [(4, "found no name")]
    assert found.fleet.lines.tolist() == [3, 8]
    found = read(tmp_path, '{"name": "a", "cores": 4}\n\n{}\n', name="f.jsonl")
    assert found.unreadable == [(3, "found no name")]


def test_others_headings_and_units(tmp_path: Path) -> None:
    text = "Host,RAM,GHz,Asset\na,8,2.1,=1+1\nb,4,1.4,x\n"
    found = read(tmp_path, text, "name=Host", "memory=RAM:GB", "clock=GHz:GHz")
    assert found.fleet.number("memory.installed").tolist() == [8 * GIB, 4 * GIB]
    assert found.fleet.number("processor.clock").tolist() == [2.1e9, 1.4e9]
    assert found.remarks[0] == "passed on as they are, being no readings: 'Asset'"


@pytest.mark.parametrize(
    ("heading", "key", "unit"),
    [
        ("C: size (GB)", "storage.size", "GB"), ("frei auf C:", "storage.free", ""),
        ("Steckplätze", "memory.slots", ""), ("OS bits", "system.os_bits", ""),
        ("RAM Größe", "memory.installed", ""), ("Total disk", "storage.drive", ""),
        ("Arch", "processor.architecture", ""), ("Taktfrequenz (GHz)", "processor.clock", "GHZ"),
        ("Free space C (GiB)", "storage.free", "GIB"), ("Laufwerk C", "storage.size", ""),
        ("Freier Speicher C:", "storage.free", ""), ("RAM (MiB)", "memory.installed", "MIB"),
        ("CPU-Modell", "processor.name", ""), ("MemoryGB", "memory.installed", "GB"),
        ("HDD size", "storage.drive", ""), ("Nb c\u0153urs", "processor.cores", ""),
        ("CPU count", None, ""), ("Free slots", None, ""), ("Disk used", None, ""),
        ("Monitor size", None, ""), ("Disk model", None, ""), ("Last user", None, ""),
    ],
)  # fmt: skip
def test_headings_by_the_senses_of_their_words(heading: str, key: str | None, unit: str) -> None:
    found = heading_said(heading, VOCABULARY)
    assert (found.key if found else None, found.unit if found else "") == (key, unit)


@pytest.mark.parametrize(
    "row", ["Sum: 2;12 GB", "Anzahl: 2;", "Total;12 GB", "GRAND TOTAL:;12 GB", "Room 2;"]
)
def test_totals_are_no_machines(tmp_path: Path, row: str) -> None:
    found = read(tmp_path, f"Thing;RAM\na;4 GB\nb;8 GB\n{row}\n")
    assert found.fleet.names.to_pylist() == ["a", "b"]


def test_what_two_columns_tell_of_one_reading(tmp_path: Path) -> None:
    """A title, no heading over the names, plain numbers that are usable, positions told twice."""
    text = ("Inventory;;;;\nThing;RAM (MB);RAM modules;Slots used / total;OS\n"
            "a;7580;2x4GB;2 / 2;Win 10\nb;8192;8 GB, -;1/2;Win 11\n")  # fmt: skip
    found = read(tmp_path, text)
    assert found.faults == []
    assert found.fleet.number("memory.usable").tolist()[0] == 7580 << 20
    assert [len(one) for one in found.fleet.words["memory.modules"].values[:2]] == [2, 2]
    assert "'Thing' as the name" in " ".join(found.remarks)


@pytest.mark.parametrize(
    ("headings", "cells", "slots"),
    [("Slots used;Slots total", "1;2", [2, 1]), ("Slots free;Memory slots", "1;2", [2, 1]),
     ("Used slots;Free slots", "1;1", [2, 1]), ("Slots used", "1 of 2", [2, 1]),
     ("Slots used", "1", None)],
)  # fmt: skip
def test_positions_in_use_and_free_in_columns_of_their_own(
    tmp_path: Path, headings: str, cells: str, slots: list[int] | None
) -> None:
    found = read(tmp_path, f"Thing;RAM;{headings}\na;8 GB;{cells}\n")
    memory = found.fleet.machine(0).memory
    filled = sum(one.size != 0 for one in memory.modules or ())
    assert (memory.slots, filled) == (tuple(slots) if slots else (None, 0))
    assert ("positions taken together" in " ".join(found.remarks)) == (";" in cells)


@pytest.mark.parametrize(
    ("name", "text"),
    [("f.md", "| Name | RAM |\n|------|-----|\n| a | 8 GB |\n| b | 4 GB |\n"),
     ("f.txt", "Name|RAM\na|8 GB\nb|4 GB\n"),
     ("f.json", '[{"name": "a", "ram": "8 GB"}, {"name": "b", "ram": "4 GB"}]')],
)  # fmt: skip
def test_a_list_as_a_table_in_a_mail_or_of_objects(tmp_path: Path, name: str, text: str) -> None:
    found = read(tmp_path, text, name=name)
    assert found.fleet.names.to_pylist() == ["a", "b"]
    assert found.fleet.number("memory.installed").tolist() == [8 * GIB, 4 * GIB]


@pytest.mark.parametrize("order", [("RAM", "Usable RAM"), ("Usable RAM", "RAM")])
@pytest.mark.parametrize(
    ("total", "usable", "fitted", "shown"),
    [("7.8 GB", "7.7 GB", 8, 7.7), ("7.8 GB", "3.25 GB", 8, 3.25), ("8 GB", "7.7 GB", 8, 7.7),
     ("7.8 GB", "", None, 7.8), ("7.8 GB", "9 GB", None, None)],
)  # fmt: skip
def test_a_total_beside_what_is_usable_of_it(
    tmp_path: Path, order: tuple[str, str], total: str, usable: str, fitted: float, shown: float
) -> None:
    cells = {"RAM": total, "Usable RAM": usable}
    found = read(tmp_path, f"name,{','.join(order)}\na,{','.join(cells[one] for one in order)}\n")
    assert bool(found.faults) == (shown is None)
    for key, value in (("memory.installed", fitted), ("memory.usable", shown)):
        number = found.fleet.number(key)[0] / GIB
        assert np.isnan(number) if value is None else number == pytest.approx(value)


def test_a_column_that_tells_all_and_rows_that_are_none(tmp_path: Path) -> None:
    text = ("Device,Specs,Swap\na,i5-8250U / 8 GB / 256 GB SSD,0B\nDevice,Specs,Swap\n"
            "b,soon,2 GB\nMachines: 2,,\n")  # fmt: skip
    found = read(tmp_path, text)
    assert found.fleet.names.tolist() == ["a", "b"]
    assert found.fleet.number("memory.installed").tolist()[0] == 8 * GIB
    assert found.fleet.number("memory.swap").tolist() == [0, 2 * GIB]
    assert [(one.column, one.rows.tolist()) for one in found.faults] == [("Specs", [1])]


def test_json_lines_parquet_and_folders_give_the_same(tmp_path: Path) -> None:
    rows = [{"name": f"m{at}", "memory": f"{4 + at} GB", "cores": 2 + at, "virtual": False,
             "os_version": "9"} for at in range(3)]  # fmt: skip
    text = "\n".join(json.dumps(row) for row in rows) + "\nno json\n[1]\n"
    lines = read(tmp_path, text, name="f.jsonl")
    assert [line for line, _ in lines.unreadable] == [4, 5]
    import pyarrow as pa
    from pyarrow import parquet

    parquet.write_table(pa.Table.from_pylist(rows), tmp_path / "f.parquet")
    table = read_fleet(str(tmp_path / "f.parquet"), {}, True, VOCABULARY)
    folder = tmp_path / "sheets"
    folder.mkdir()
    for at in range(3):
        sheet = lines.fleet.machine(at)
        (folder / f"{sheet.name}.machine.json").write_bytes(machine_json(sheet))
    (folder / "broken.machine.json").write_text("{")
    sheets = read_fleet(str(folder), {}, True, VOCABULARY)
    assert len(sheets.unreadable) == 1
    for other in (table, sheets):
        assert [other.fleet.machine(at).memory for at in range(3)] == [
            lines.fleet.machine(at).memory for at in range(3)
        ]


def test_a_models_list_fills_and_contradicts(tmp_path: Path) -> None:
    text = (
        "name,maker,model,memory,modules,ceiling\na,Larkmoor,Bench 28,4 GB,,\n"
        'b,larkmoor,Bench 28,4 GB,"4GB,-",8 GB\nc,Larkmoor,Bench 99,4 GB,,\n'
    )
    found = read(tmp_path, text).fleet
    assert with_models(found, models_list(MODELS, VOCABULARY)).count == 2
    first, second, third = (found.machine(at) for at in range(3))
    assert (first.memory.ceiling, first.memory.slots) == (16 * GIB, 2)
    assert "models list" in first.origins["memory.ceiling"].source
    assert first.extra == {"memory_type": "DDR4", "memory_form": "DIMM"}
    assert second.memory.modules
    assert second.memory.modules[0].type == "DDR4"
    assert [doubt.about for doubt in second.doubts] == [["memory.ceiling"]]
    assert third.memory.ceiling is None


# --- the command ---------------------------------------------------------------------------


def demo_csv(tmp_path: Path) -> Path:
    """The demo's fleet."""
    from tallcheck.files.demo_data import demo_fleet

    path = tmp_path / "garden.csv"
    path.write_bytes(demo_fleet())
    return path


WORDS = ("merrow@10", "--models", MODELS, "--parts", PARTS, "--price", "machine=640",
         "--price", "hour=48", "--price", "storage=55", "--price", "system=95",
         "--on", "2026-11-25")  # fmt: skip


def test_the_demo_fleet_names_every_fault_and_loses_no_row(tmp_path: Path) -> None:
    path = demo_csv(tmp_path)
    ran = call("fleet", str(path), *WORDS, "--format", "json")
    assert (ran.code, ran.err) == (0, "")
    raw = ran.json()
    lines = [line for line in path.read_text().splitlines() if not line.startswith("#")]
    assert raw["machines"] + len(raw["left_out"]) == len(lines) - 1
    assert sum(raw["answers"].values()) == raw["machines"]
    assert min(raw["answers"].values()) > 0
    texts = " ".join([*(one["text"] for one in raw["faults"]), *raw["doubts"]])
    for part in ("without a unit", "the same name", "trolley", "swapped", "MB were meant"):
        assert part in texts
    assert raw["order"]["gap"] == 0
    assert [one["release"] for one in raw["deadlines"]][:2] == ["Merrow 6", "Merrow 9"]


def test_fleet_and_check_agree_on_the_demo(tmp_path: Path) -> None:
    ran = call("fleet", DEMO_MACHINES, "merrow@10", "--save", "out.csv", cwd=tmp_path)
    assert ran.code == 0
    rows = list(csv.DictReader(io.StringIO((tmp_path / "out.csv").read_text())))
    assert len(rows) == 12
    for row in rows:
        sheet = f"{DEMO_MACHINES}/{row['name']}.machine.json"
        decision = call("check", sheet, "merrow@10", "--format", "json").json()["decision"]
        assert row["answer"] == decision["answer"], row["name"]
        assert row["limiting"] == (decision["limiting"] or "")
        assert row["target_memory"] == str(decision["target_memory"] or "")
        assert row["conditions"] == "; ".join(decision["conditions"])
        assert row["find_out"] == " ".join(one["key"] for one in decision["find_out"])


def test_saved_files_agree_and_guard_formulas(tmp_path: Path) -> None:
    text = "name,memory,cores,note\n=a,4 GB,4,+1\nb\x1b[31m,,2,\n"
    (tmp_path / "f.csv").write_text(text)
    names = [f"out.{ending}" for ending in ("csv", "jsonl", "parquet", "md", "html", "png", "svg")]
    words = [word for name in names for word in ("--save", name)]
    ran = call("fleet", "f.csv", "merrow@10", *words, cwd=tmp_path)
    assert ran.code == 0
    assert all(one.startswith("wrote ") for one in ran.err.splitlines())
    rows = list(csv.DictReader(io.StringIO((tmp_path / "out.csv").read_text())))
    assert (rows[0]["name"], rows[0]["note"]) == ("'=a", "'+1")
    from pyarrow import parquet

    table = parquet.read_table(tmp_path / "out.parquet").to_pylist()
    lines = [json.loads(line) for line in (tmp_path / "out.jsonl").read_text().splitlines()]
    assert table == lines
    assert [row["answer"] for row in lines] == [row["answer"] for row in rows]
    assert lines[0]["memory_status"] == "short"
    for name in ("out.md", "out.html", "out.svg"):
        assert "\x1b" not in (tmp_path / name).read_text()
    assert "\x1b" not in ran.out
    assert (tmp_path / "out.png").read_bytes()[:4] == b"\x89PNG"


def test_pages_escape_and_load_nothing(tmp_path: Path) -> None:
    (tmp_path / "f.csv").write_text("name,memory,os\n<script>x</script>,4 GB,<b>\n")
    call("fleet", "f.csv", "merrow@10", "--save", "f.html", cwd=tmp_path)
    sheet = json.dumps({"tallcheck": "machine/1", "name": "<img src=x>", "memory":
                        {"installed": "4 GB"}, "notes": ["<script>"]})  # fmt: skip
    (tmp_path / "m.json").write_text(sheet)
    call("check", "m.json", "merrow", "--save", "m.html", "--parts", PARTS, cwd=tmp_path)
    for name in ("f.html", "m.html"):
        page = (tmp_path / name).read_text()
        assert "<script>x" not in page
        assert "<img" not in page
        outside = re.findall(r'(?:src|href)="(?!#)[^"]*"', page)
        assert [one for one in outside if "xlink" not in one] == []
        assert 'lang="en"' in page
        assert "prefers-color-scheme: dark" in page
        assert '<svg role="img" aria-label=' in page
        assert "url(http" not in page


def test_quiet_text_and_wrong_usage(tmp_path: Path) -> None:
    path = str(demo_csv(tmp_path))
    quiet = call("fleet", path, *WORDS, "--quiet")
    assert quiet.out.count("\n") == 1
    assert "What needs memory alone costs" in quiet.out
    shown = run("fleet", path, *WORDS, "--budget", "4000", "--what-if", env={"COLUMNS": "100"})
    assert max(map(len, shown.out.splitlines())) <= 100
    for part in ("With 4,000.00 EUR", "What if: machines ready", "Proven best", "Rows left out"):
        assert part in " ".join(shown.out.split())
    unpriced = call("fleet", path, "merrow@10", "--price", "machine=1")
    merrow = [line.split() for line in unpriced.out.splitlines() if "Merrow 9 " in line]
    assert merrow[0][-3:] == ["not", "known", "113"]
    assert call("fleet", path, "merrow@10", "--save", "x.doc").code == 2
    for words, said in (
        (["--price", "setting=3"], "KIND=AMOUNT"), (["--price", "hour=x"], "--price"),
        (["--budget", "lots"], "--budget"), (["--on", "soon"], "--on"),
    ):  # fmt: skip
        ran = call("fleet", path, "merrow@10", *words)
        assert ran.code == 2
        assert said in ran.err
    empty = call("fleet", str(tmp_path), "merrow@10")
    assert empty.code == 3
    assert "no machine sheet" in empty.err


@pytest.mark.parametrize(
    ("content", "said"),
    [
        ("[prices]\nmachin = 3\n", "nearest known: 'machine'"),
        ("[hours]\nmemory = -1\n", "zero or more"),
        ("currency = 3\n", "currency: found '3'; expected a word, such as"),
        ("[price]\nmachine = 3\n", "found the unknown key 'price', nearest known: 'prices'"),
        ("zzz = 3\n", "found the unknown key 'zzz'; expected needs_path, parts"),
        ("parts = [1]\n", "parts: found '[1]'; expected the name of a parts list"),
    ],
)  # fmt: skip
def test_settings_that_cannot_be_used(tmp_path: Path, content: str, said: str) -> None:
    (tmp_path / "config.toml").write_text(content)
    env = {"TALLCHECK_CONFIG": str(tmp_path)}
    ran = run("fleet", str(demo_csv(tmp_path)), "merrow@10", env=env)
    assert ran.code == 3
    assert said in ran.err


@pytest.mark.parametrize("content", ["tigth = 0.7\n", "tight = 0.95\n", "full = 'x'\n"])
def test_faulty_settings_stop_only_what_needs_them(tmp_path: Path, content: str) -> None:
    (tmp_path / "config.toml").write_text(content)
    env = {"TALLCHECK_CONFIG": str(tmp_path)}
    assert run("check", demo_machine("potting-02"), "merrow@10", env=env).code == 10
    log = tmp_path / "a.usage.csv"
    log.write_text("time,memory_total,memory_available\n2026-11-24T09:00:00Z,8 GB,4 GB\n")
    ran = run("usage", str(log), env=env)
    assert ran.code == 3
    assert content.partition(" ")[0] in ran.err


def test_settings_give_parts_prices_and_thresholds(tmp_path: Path) -> None:
    (tmp_path / "list.csv").write_text(Path(PARTS).read_text())
    (tmp_path / "config.toml").write_text(
        'parts = "list.csv"\ncurrency = "EUR"\n[prices]\nmachine = 640\nhour = 48\n'
    )
    env = {"TALLCHECK_CONFIG": str(tmp_path)}
    raw: Any = run("fleet", str(demo_csv(tmp_path)), "merrow@10", "--models", MODELS,
                   "--format", "json", env=env).json()  # fmt: skip
    assert raw["currency"] == "EUR"
    assert raw["order"]["parts"]
    assert raw["costs"]["replace"]["cost"] == 736.0 * raw["answers"]["replace"]


def test_what_is_no_line_of_a_list_is_no_header(tmp_path: Path) -> None:
    """Marks that only old systems end lines with, inside of quotes and out of them."""
    path = tmp_path / "old.csv"
    path.write_bytes(b'name\0( "mem GB,(mo GB,"\r8)B\nname,memory\na,8 GB\n')
    with suppress(InputError):
        read_fleet(str(path), {}, False, VOCABULARY)
    path.write_bytes(b"sep=;\nInventory\n\nName;RAM;\n;GB;\na;8;\nTotal;8;\nName;RAM;\nb;4;\n")
    found = read_fleet(str(path), {}, False, VOCABULARY)
    assert found.fleet.names.to_pylist() == ["a", "b"]
    assert (found.fleet.numbers["memory.installed"] / GIB).tolist() == [8, 4]
    assert found.fleet.lines.tolist() == [6, 9]


DRESSED = "Name,RAM,Clock,Disk\n,GB,GHz,GB\nFront desk,,,\nu1,8,2.4,256\nu2,4,1.2,128\nTotal,12,,\n"


def _each_cell(change: Callable[[str], str]) -> str:
    return "\n".join(",".join(map(change, line.split(","))) for line in DRESSED.splitlines())


WAYS: dict[str, bytes] = {
    "line ends": DRESSED.replace("\n", "\r\n").encode(),
    "blank lines": DRESSED.replace("\n", "\n\n").encode(),
    "byte order mark": DRESSED.encode("utf-8-sig"),
    "wide characters": DRESSED.encode("utf-16"),
    "semicolons": DRESSED.replace(",", ";").encode(),
    "tabs": DRESSED.replace(",", "\t").encode(),
    "quotes": _each_cell('"{}"'.format).encode(),
    "padded": _each_cell(" {}  ".format).encode(),
    "columns with nothing": DRESSED.replace("\n", ",,\n").encode(),
    "small letters": DRESSED.replace(
        "Name,RAM,Clock,Disk", "name,installedram,clock,disk"
    ).encode(),
    "a title": b"Inventory 2026\n\n" + DRESSED.encode(),
    "a header on each page": DRESSED.encode() + b"Name,RAM,Clock,Disk\n",
}


@pytest.mark.parametrize("way", WAYS)
def test_a_list_tells_the_same_however_it_was_saved(way: str, tmp_path: Path) -> None:
    needs = [word for one in ("memory=8 GB", "clock=2 GHz", "storage=200 GB")
             for word in ("--need", one)]  # fmt: skip
    (tmp_path / "list.csv").write_bytes(WAYS[way])
    ran = call("fleet", "list.csv", *needs, "--save", "out.csv", "--quiet", cwd=tmp_path)
    assert ran.code == 0
    with open(tmp_path / "out.csv", encoding="utf-8-sig", newline="") as file:
        found = {row["name" if "name" in row else "Name"]: row for row in csv.DictReader(file)}
    status = {
        name: [row[f"{key}_status"] for key in ("memory", "clock", "storage")]
        for name, row in found.items()
    }
    assert status == {"u1": ["met"] * 3, "u2": ["short"] * 3}
