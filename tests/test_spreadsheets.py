"""Lists as offices keep them: spreadsheets, usual headings, own columns, results read back."""

import csv
import io
import json
import shutil
import zipfile
from pathlib import Path
from typing import Any

import pytest

from tallcheck.core.text.labels import with_unit
from tallcheck.files.demo_data import demo_fleet, office_fleet
from tallcheck.files.fleet_rows import key_of, recognised
from tallcheck.files.spreadsheet import spreadsheet
from tallcheck.report.fleet_result import Sheet, workbook
from tests.helpers import DEMO, VOCABULARY, call

OFFICE = [
    ["Computer name", "Type", "RAM", "CPU", "OS", "Disk", "Free", "User", "Bought"],
    ["map-room-03", "Laptop", "4 GB", "Osier Wand S5 214", "Merrow 9", "256 GB SSD", "61 GB",
     "Ines", "2021-03-04"],
    ["=desk", "desktop", "8 GB", "Hazelwick Tern 4-88", "Merrow 9", "512 GB", "200 GB", "-Jo", ""],
]  # fmt: skip
CAPTURES = Path(DEMO) / "captures"
SETS = ["--have", "cores=4", "--have", "bits=64", "--have", "clock=2.1GHz"]


def xlsx(path: Path, *sheets: tuple[str, list[list[Any]]]) -> str:
    """A workbook with a formula's value, a date and numbers as a spreadsheet program writes it."""
    import xlsxwriter

    with xlsxwriter.Workbook(path) as book:
        date = book.add_format({"num_format": "yyyy-mm-dd"})
        for name, rows in sheets:
            sheet = book.add_worksheet(name)
            for line, row in enumerate(rows):
                for at, cell in enumerate(row):
                    if isinstance(cell, tuple):
                        sheet.write_formula(line, at, cell[0], None, cell[1])
                    elif hasattr(cell, "isoformat"):
                        sheet.write_datetime(line, at, cell, date)
                    elif isinstance(cell, str):
                        sheet.write_string(line, at, cell)
                    else:
                        sheet.write(line, at, cell)
    return str(path)


def ods(path: Path, rows: list[list[str]]) -> str:
    """An OpenDocument spreadsheet of one sheet of text."""
    from xml.sax.saxutils import escape

    cells = "".join(
        "<table:table-row>" + "".join(
            f'<table:table-cell office:value-type="string"><text:p>{escape(cell)}</text:p>'
            "</table:table-cell>" for cell in row
        ) + "</table:table-row>" for row in rows
    )  # fmt: skip
    names = " ".join(
        f'xmlns:{one}="urn:oasis:names:tc:opendocument:xmlns:{one}:1.0"'
        for one in ("office", "table", "text")
    )
    kind = "application/vnd.oasis.opendocument.spreadsheet"
    with zipfile.ZipFile(path, "w") as packed:
        packed.writestr("mimetype", kind)
        packed.writestr(
            "META-INF/manifest.xml",
            '<?xml version="1.0"?><manifest:manifest '
            'xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0"/>',
        )
        packed.writestr("content.xml", f'<?xml version="1.0"?><office:document-content {names}>'
                        '<office:body><office:spreadsheet><table:table table:name="PCs">'
                        f"{cells}</table:table></office:spreadsheet></office:body>"
                        "</office:document-content>")  # fmt: skip
    return str(path)


def as_csv(path: Path, rows: list[list[str]]) -> str:
    out = io.StringIO()
    csv.writer(out).writerows(rows)
    path.write_text(out.getvalue(), encoding="utf-8")
    return str(path)


def result(path: Path) -> list[dict[str, Any]]:
    return [json.loads(line) for line in path.read_text(encoding="utf-8").splitlines()]


@pytest.fixture
def lists(tmp_path: Path) -> list[str]:
    """The same list as CSV, as .xlsx under a title and on a later sheet, and as .ods."""
    title = [["Fernhollow, all desks"], [], *OFFICE]
    return [
        as_csv(tmp_path / "office.csv", OFFICE),
        xlsx(tmp_path / "office.xlsx", ("notes", [["nothing here"]]), ("PCs", title)),
        ods(tmp_path / "office.ods", OFFICE),
    ]


@pytest.fixture(scope="module")
def garden(tmp_path_factory: pytest.TempPathFactory) -> str:
    """The demo's list."""
    path = tmp_path_factory.mktemp("garden") / "garden.csv"
    path.write_bytes(demo_fleet())
    return str(path)


def test_a_list_is_read_the_same_from_every_format(lists: list[str], tmp_path: Path) -> None:
    found = []
    for path in lists:
        saved = tmp_path / "result.jsonl"
        done = call("fleet", path, "merrow@10", *SETS, "--save", str(saved), "--format", "json")
        assert done.code == 0, done.err
        told = json.loads(done.out)
        assert any("headings recognised: 'Computer name' as the name" in one
                   for one in told["remarks"])  # fmt: skip
        found.append((told["answers"], result(saved)))
    assert found[0] == found[1] == found[2]
    assert found[0][1][0]["User"] == "Ines"


def test_cells_are_what_is_shown(tmp_path: Path) -> None:
    import datetime

    day = datetime.date(2021, 3, 4)
    rows: list[list[Any]] = [
        ["name", "n", "f", "d", "b"], ["# left out"], ["x", 8.0, ("=1+1", 2), day, True], [],
        ["y", 7.83, ("=A1", "text"), None, ""],
    ]  # fmt: skip
    path = xlsx(tmp_path / "a.xlsx", ("one", rows))
    found = spreadsheet(path, None, lambda row: "name" in row)
    assert found.rows == [["x", 8, 2, "2021-03-04", "yes"], ["y", 7.83, "text", None, None]]
    assert found.lines == [3, 5]


def test_parts_and_models_may_be_spreadsheets(tmp_path: Path, garden: str) -> None:
    with open(f"{DEMO}/parts/garden.parts.csv", encoding="utf-8") as file:
        parts = [row for row in csv.reader(file) if not row[0].startswith("#")]
    with open(f"{DEMO}/parts/garden.models.csv", encoding="utf-8") as file:
        models = [row for row in csv.reader(file) if not row[0].startswith("#")]
    both = xlsx(tmp_path / "both.xlsx", ("models", models), ("parts", parts))
    words = ["fleet", garden, "merrow@10", "--format", "json"]
    plain = call(*words, "--parts", f"{DEMO}/parts/garden.parts.csv",
                "--models", f"{DEMO}/parts/garden.models.csv")  # fmt: skip
    sheets = call(*words, "--parts", both, "--models", both)
    assert sheets.out == plain.out
    assert json.loads(plain.out)["work"]


@pytest.mark.parametrize(
    ("name", "content", "options", "message"),
    [
        ("a.xlsx", b"no zip", [], "found no spreadsheet; expected one"),
        ("a.xlsx", None, ["--sheet", "PC"], "found no sheet 'PC', nearest known: 'PCs'"),
        ("a.csv", b"name\nx\n", ["--sheet", "PCs"], "found --sheet for a file that has none"),
        ("b.ods", b"", [], "found no spreadsheet"),
    ],
)
def test_what_is_no_table_is_said(
    tmp_path: Path, name: str, content: bytes | None, options: list[str], message: str
) -> None:
    path = tmp_path / name
    if content is None:
        xlsx(path, ("PCs", OFFICE))
    else:
        path.write_bytes(content)
    done = call("fleet", str(path), "merrow@10", *options)
    assert done.code == 3
    assert message in done.err
    assert len(done.err.splitlines()) == 1


@pytest.mark.parametrize("ending", ["csv", "xlsx", "jsonl", "parquet"])
def test_a_saved_result_read_back_gives_the_same_answers(
    tmp_path: Path, garden: str, ending: str
) -> None:
    words = ["merrow@10", "fernfolio", "--parts", f"{DEMO}/parts/garden.parts.csv",
             "--models", f"{DEMO}/parts/garden.models.csv", "--format", "json"]  # fmt: skip
    first = str(tmp_path / f"first.{ending}")
    second = str(tmp_path / f"second.{ending}")
    once = call("fleet", garden, *words, "--save", first)
    again = call("fleet", first, *words, "--save", second)
    assert again.code == 0, again.err
    one, other = json.loads(once.out), json.loads(again.out)
    for key in ("machines", "answers", "costs", "order", "work", "find_out"):
        assert one[key] == other[key], key
    if ending == "csv":
        assert Path(first).read_bytes() == Path(second).read_bytes()


def test_an_office_list_is_the_same_fleet(tmp_path: Path, garden: str) -> None:
    office = tmp_path / "office.csv"
    office.write_bytes(office_fleet())
    words = ("merrow@10", "--parts", f"{DEMO}/parts/garden.parts.csv",
             "--models", f"{DEMO}/parts/garden.models.csv", "--format", "json")  # fmt: skip
    one = json.loads(call("fleet", garden, *words).out)
    other = json.loads(call("fleet", str(office), *words).out)
    for key in ("answers", "costs", "order", "work", "curve", "deadlines", "find_out"):
        assert one[key] == other[key], key


@pytest.mark.parametrize(
    ("heading", "key", "unit"),
    [
        ("RAM (GB)", "memory.installed", "GB"), ("Memory_MB", "memory.installed", "MB"),
        ("ram in gb", "memory.installed", "GB"), ("Disk [GB]", "storage.drive", "GB"),
        ("Free GB", "storage.free", "GB"), ("CPU (GHz)", "processor.clock", "GHZ"),
        ("Base speed MHz", "processor.clock", "MHZ"), ("CPU", "processor.name", ""),
        ("Operating System", "system.os", ""), ("Vendor", "system.maker", ""),
        ("Host", "name", ""), ("DISK", "storage.drive", ""), ("System type", "system type", ""),
        ("TotalPhysicalMemory", "memory.usable", ""), ("PSComputerName", "name", ""),
        ("NumberOfLogicalProcessors", "processor.threads", ""), ("Frei", "storage.free", ""),
        ("OSArchitecture", "system.os_bits", ""), ("Caption", "system.os", ""),
        ("Department", None, ""), ("GB", None, ""), ("Club", None, ""),
    ],
)  # fmt: skip
def test_usual_headings(heading: str, key: str | None, unit: str) -> None:
    assert (key_of(heading, {}) or recognised([heading], {}, VOCABULARY).get(heading)) == key
    assert with_unit(heading)[1] == unit


def test_sizes_under_a_heading_with_their_unit(tmp_path: Path) -> None:
    rows = [["Host", "RAM (GB)", "System type"],
            ["a", "8", "64-bit operating system, x64-based processor"],
            ["b", "8,0", "32-bit operating system, x64-based processor"],
            ["c", "", ""]]  # fmt: skip
    done = call("fleet", as_csv(tmp_path / "a.csv", rows), "--need", "memory=8GB", "--need",
               "os_bits=64", "--format", "json")  # fmt: skip
    assert json.loads(done.out)["answers"] == {
        "ready": 1, "memory-alone": 0, "memory-plus": 0, "not-memory": 1, "replace": 0,
        "undecided": 1,
    }  # fmt: skip


def test_what_is_told_of_all_is_told_of_each(garden: str) -> None:
    done = call("fleet", garden, "merrow@10", "--have", "memory=16GB", "--format", "json")
    assert done.code == 0, done.err
    answers = json.loads(done.out)["answers"]
    assert answers["memory-alone"] == 0
    plain = json.loads(call("fleet", garden, "merrow@10", "--format", "json").out)["answers"]
    assert answers["ready"] > plain["ready"]


def test_all_headings_that_are_not_there_are_one_error(tmp_path: Path) -> None:
    path = as_csv(tmp_path / "a.csv", OFFICE)
    done = call("fleet", path, "merrow@10", "--columns", "memory=Ram size", "--columns", "os=OSS")
    assert done.code == 3
    assert "found no columns 'Ram size'" in done.err
    assert "'OSS' (nearest known: 'OS')" in done.err


def test_a_folder_may_hold_sheets_and_captures(tmp_path: Path) -> None:
    shutil.copy(f"{DEMO}/machines/potting-02.machine.json", tmp_path)
    names = sorted(one.name for one in CAPTURES.iterdir() if one.is_dir())[:2]
    shutil.copytree(CAPTURES / names[0], tmp_path / names[0], symlinks=True)
    shutil.make_archive(str(tmp_path / names[1]), "gztar", CAPTURES / names[1])
    (tmp_path / "broken.zip").write_bytes(b"PK")
    (tmp_path / "readme.txt").write_text("passed over")
    done = call("fleet", str(tmp_path), "--need", "memory=1GB", "--format", "json")
    assert done.code == 0, done.err
    found = json.loads(done.out)
    assert found["machines"] == 3
    assert ["broken.zip" in one["why"] for one in found["left_out"]] == [True]


def test_text_is_never_a_formula() -> None:
    data = workbook([Sheet("=one", [("=name", ["=1+1", None, 3, True])], ["=2+2"])])
    with zipfile.ZipFile(io.BytesIO(data)) as packed:
        sheet = packed.read("xl/worksheets/sheet1.xml").decode()
    assert "<f>" not in sheet
    assert "<v>3</v>" in sheet
