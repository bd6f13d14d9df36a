"""Every end is a documented one: full devices, odd settings, files that ask for too much."""

import json
import os
import subprocess
import sys
import zipfile
from pathlib import Path

import pyarrow as pa
import pytest
from pyarrow import parquet

from tests.helpers import COMMAND, demo_machine, run

FULL = Path("/dev/full")


def _shell(line: str, cwd: Path, **env: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(["sh", "-c", line], cwd=cwd, capture_output=True, text=True, check=False,
                          env=os.environ | env, timeout=60)  # fmt: skip


@pytest.mark.skipif(not FULL.exists(), reason="no device that is full")
@pytest.mark.parametrize(
    ("words", "code"),
    [("check no-such-file merrow@10 2>/dev/full", 3), ("--help >/dev/full", 4),
     ("check --help >/dev/full", 4), ("check 2>/dev/full", 2), ("needs list >/dev/full", 4),
     ("needs list >/dev/full 2>/dev/full", 4), ("--version >/dev/full", 4)],
)  # fmt: skip
def test_a_full_device(tmp_path: Path, words: str, code: int) -> None:
    ran = _shell(f"{COMMAND} {words}", tmp_path)
    assert ran.returncode == code
    assert "Traceback" not in ran.stdout + ran.stderr


def test_a_drawing_library_is_told_where_to_draw(tmp_path: Path) -> None:
    ran = run("check", demo_machine("potting-02"), "merrow@10", "--save", "x.png", "--quiet",
              cwd=tmp_path, env={"MPLBACKEND": "nonsense"})  # fmt: skip
    assert (ran.code, (tmp_path / "x.png").stat().st_size > 10_000) == (10, True)


@pytest.mark.parametrize("kind", ["folder", "loop", "pipe", "text"])
def test_a_settings_file_that_is_none(tmp_path: Path, kind: str) -> None:
    place = tmp_path / "config.toml"
    if kind == "folder":
        place.mkdir()
    elif kind == "loop":
        place.symlink_to(place)
    elif kind == "pipe":
        os.mkfifo(place)
    else:
        place.write_text("parts = 'x\n")
    ran = run("needs", "list", cwd=tmp_path, env={"TALLCHECK_CONFIG": str(tmp_path)})
    assert (ran.code, "config.toml" in ran.err, ran.err.count("\n")) == (3, True, 1)


@pytest.mark.parametrize(
    ("sheet", "place"),
    [({"processor": {"caches": {"L2": {}, "L3": 5}}}, "processor.caches.L3: found 5"),
     ({"processor": {"caches": {"L3": {"size": -1}}}}, "processor.caches.L3.size: found -1"),
     ({"origins": {"a": {"how": "read"}, "b": {"how": "raed"}}}, "origins.b.how: found 'raed'"),
     ({"graphics": [{}, {"api": {"vulkan": 3}}]}, "graphics[1].api.vulkan: found 3"),
     ({"processor": {"architecture": "x86-46"}}, "'x86-46', nearest known: 'x86-64'"),
     ({"system": {"architecture": "x86_64"}}, "system.architecture: found 'x86_64'")],
)  # fmt: skip
def test_a_wrong_entry_is_named(tmp_path: Path, sheet: object, place: str) -> None:
    raw = {"tallcheck": "machine/1", "name": "x"} | sheet  # type: ignore[operator]
    (tmp_path / "x.machine.json").write_text(json.dumps(raw))
    ran = run("check", "x.machine.json", "merrow@10", cwd=tmp_path)
    assert (ran.code, place in ran.err) == (3, True), ran.err


def test_what_nobody_foresaw_is_one_line(tmp_path: Path) -> None:
    (tmp_path / "tomli.py").write_text("raise RuntimeError('odd')")
    words = ["check", demo_machine("potting-02"), "merrow@10"]
    env = {"PYTHONPATH": str(tmp_path)}
    ran = run(*words, env=env, fault=True)
    assert (ran.code, ran.err.count("\n")) == (70, 1)
    assert "a fault of tallcheck itself" in ran.err
    assert "RuntimeError: odd (tomli.py, line 1" in ran.err
    more = run(*words, "--verbose", env=env, fault=True)
    assert (more.code, "Traceback" in more.err) == (70, True)


def test_a_package_that_cannot_be_loaded(tmp_path: Path) -> None:
    (tmp_path / "numpy.py").write_text(
        "raise ImportError('libblas.so: failed to map segment', name='numpy')"
    )
    ran = run("fleet", "x.csv", "merrow@10", env={"PYTHONPATH": str(tmp_path)})
    assert (ran.code, "cannot be loaded: libblas.so" in ran.err) == (5, True)


_MEASURED = (
    "import resource, subprocess, sys\n"
    "ran = subprocess.run(sys.argv[1:], stdout=subprocess.PIPE, stderr=subprocess.STDOUT)\n"
    "peak = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss >> 10\n"
    "print(ran.returncode, peak)\n"
    "print(ran.stdout.decode())\n"
)
"""A process begins with what its parent takes, so that a small one has to begin it."""


def _peak(words: list[str], cwd: Path) -> tuple[int, str, int]:
    """Exit code, output, and the most memory that it took, in MiB."""
    ran = subprocess.run(
        [sys.executable, "-c", _MEASURED, COMMAND, *words], cwd=cwd, capture_output=True,
        text=True, check=True,
    )  # fmt: skip
    first, _, said = ran.stdout.partition("\n")
    code, peak = map(int, first.split())
    return code, said, peak


_BOOK = {
    "[Content_Types].xml": '<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-'
    'types"><Default Extension="xml" ContentType="application/xml"/></Types>',
    "xl/workbook.xml": '<workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"'
    ' xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><sheets>'
    '<sheet name="a" sheetId="1" r:id="r1"/></sheets></workbook>',
    "xl/_rels/workbook.xml.rels": '<Relationships xmlns="http://schemas.openxmlformats.org/package/'
    '2006/relationships"><Relationship Id="r1" Type="http://schemas.openxmlformats.org/'
    'officeDocument/2006/relationships/worksheet" Target="worksheets/sheet1.xml"/></Relationships>',
}  # fmt: skip
_SHEET = '<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>'
_ODS = (
    '<office:document-content xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" '
    'xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" '
    'xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0"><office:body><office:spreadsheet>'
    '<table:table table:name="a">{rows}</table:table></office:spreadsheet></office:body>'
    "</office:document-content>"
)
_MANIFEST = (
    '<manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0">'
    "</manifest:manifest>"
)


def _cell(text: str, place: str) -> str:
    return f'<c r="{place}" t="inlineStr"><is><t>{text}</t></is></c>'


def _workbook(path: Path, rows: str, **more: str) -> None:
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as packed:
        for name, text in (_BOOK | more).items():
            packed.writestr(name, text)
        packed.writestr("xl/worksheets/sheet1.xml", _SHEET + rows + "</sheetData></worksheet>")


def _ods(path: Path, rows: str) -> None:
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        packed.writestr("META-INF/manifest.xml", _MANIFEST)
        packed.writestr("content.xml", _ODS.format(rows=rows))


def _text_cell(text: str, repeated: int = 1) -> str:
    more = f' table:number-columns-repeated="{repeated}"' if repeated > 1 else ""
    return (f'<table:table-cell office:value-type="string"{more}><text:p>{text}</text:p>'
            "</table:table-cell>")  # fmt: skip


HEAD = f"<row>{_cell('name', 'A1')}{_cell('memory', 'B1')}</row>"
ODS_HEAD = f"<table:table-row>{_text_cell('name')}{_text_cell('memory')}</table:table-row>"


def _stray(folder: Path) -> str:
    _workbook(folder / "stray.xlsx", HEAD + f"<row>{_cell('x', 'XFD1048576')}</row>")
    return "stray.xlsx"


def _shared(folder: Path) -> str:
    long = "x" * (1 << 20)
    texts = f'<sst xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><si><t>{long}'
    cells = "".join(f'<c r="A{at}" t="s"><v>0</v></c>' for at in range(2, 5000))
    _workbook(folder / "shared.xlsx", HEAD + f"<row>{cells}</row>",
              **{"xl/sharedStrings.xml": texts + "</t></si></sst>"})  # fmt: skip
    return "shared.xlsx"


def _repeated(folder: Path) -> str:
    row = f'<table:table-row table:number-rows-repeated="1000000">{_text_cell("x", 16000)}'
    _ods(folder / "repeated.ods", ODS_HEAD + row + "</table:table-row>")
    return "repeated.ods"


def _run_lengths(folder: Path) -> str:
    return _written(folder / "long.parquet", "x" * 60_000, 200_000)


def _rows(folder: Path) -> str:
    return _written(folder / "rows.parquet", "x", 30_000_000)


def _written(path: Path, name: str, rows: int) -> str:
    """A file of as many equal names, written in parts: this process is to stay small."""
    part = max(rows // 200, 1)
    codes = pa.array([0], pa.int32()).take(pa.array([0] * part))
    table = pa.table({"name": pa.DictionaryArray.from_arrays(codes, pa.array([name]))})
    with parquet.ParquetWriter(path, table.schema, compression="zstd") as writer:
        for _ in range(200):
            writer.write_table(table)
    return path.name


BOMBS = (_stray, _shared, _repeated, _run_lengths, _rows)


@pytest.mark.parametrize("make", BOMBS)
def test_a_small_file_cannot_take_the_memory(tmp_path: Path, make: object) -> None:
    name = make(tmp_path)  # type: ignore[operator]
    words = ["fleet", name, "--need", "memory=8GB", "--save", "out.csv"]
    code, said, peak = _peak(words, tmp_path)
    assert (code, "Traceback" in said) == (3, False), said
    assert said.startswith(f"tallcheck: error: {name}")
    assert peak < 1100, said


def test_an_empty_rest_of_a_sheet_is_no_table(tmp_path: Path) -> None:
    """What office programs write below a table: empty cells that repeat to the sheet's end."""
    empty = (
        '<table:table-row table:number-rows-repeated="1048570"><table:table-cell '
        'table:number-columns-repeated="16384"/></table:table-row>'
    )
    row = f"<table:table-row>{_text_cell('a')}{_text_cell('8 GB')}</table:table-row>"
    _ods(tmp_path / "f.ods", ODS_HEAD + row + empty)
    code, said, peak = _peak(["fleet", "f.ods", "--need", "memory=8GB", "--quiet"], tmp_path)
    assert (code, "Of 1 machine, 1 is ready" in said or "Of 1 machine, 1 are" in said) == (0, True)
    assert peak < 600


def test_arguments_are_text_of_a_bounded_length(tmp_path: Path) -> None:
    odd = b"odd\xff.machine.json".decode(errors="surrogateescape")
    (tmp_path / odd).write_bytes(Path(demo_machine("potting-02")).read_bytes())
    assert run("check", odd, "merrow@10", cwd=tmp_path).code == 10  # a file may be called so
    for words in (
        ["describe", odd, "memory=8GB"],
        ["check", odd, odd],
        ["needs", "new", odd + "x"],
    ):
        ran = run(*words, cwd=tmp_path)
        assert ran.code == 3, ran.err
        assert "Traceback" not in ran.err
    for words in (["describe", "a" * 5000, "memory=8GB"], ["needs", "keys", "a" * 40_000]):
        ran = run(*words, cwd=tmp_path)
        assert (ran.code, len(ran.err) < 300) == (3, True)
