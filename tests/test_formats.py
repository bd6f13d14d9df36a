"""Formats of a check: Markdown, CSV, note, saved files, and one row explained."""

import csv
import io
import json
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tallcheck.core.values.text import guarded
from tallcheck.report.formats import escaped
from tests.helpers import demo_machine, run

HOSTILE = {
    "tallcheck": "machine/1",
    "name": "=cmd|'x'!A1 <b>| `x` [a](b)",
    "memory": {"installed": "4 GB"},
    "notes": ["\u001b[31mred"],
}


@pytest.mark.parametrize("name", ["map-room-03", "potting-02", "herbarium-01", "seedbank-01",
                                  "ticket-desk-04", "glasshouse-05", "pump-house-06"])  # fmt: skip
def test_every_format_of_every_answer(name: str, tmp_path: Path) -> None:
    endings = {"md": "markdown", "json": "json", "csv": "csv", "txt": "text"}
    saves = [word for ending in endings for word in ("--save", str(tmp_path / f"x.{ending}"))]
    ran = run("check", demo_machine(name), "merrow@10", "--quiet", *saves)
    for ending, kind in endings.items():
        again = run("check", demo_machine(name), "merrow@10", "--format", kind, env={"COLUMNS": ""})
        assert again.code == ran.code
        assert (tmp_path / f"x.{ending}").read_text() == again.out
    note = run("check", demo_machine(name), "merrow@10", "--format", "note").out
    assert name in note
    assert "|" not in note
    for jargon in ("SMBIOS", "processor.", "x86-64-v2", "MT/s"):
        assert jargon not in note
    assert len(note.splitlines()) <= 8


def test_releases_in_every_format() -> None:
    words = ["check", demo_machine("potting-02"), "merrow", "--format"]
    assert "| Merrow 9 | ready | - |" in run(*words, "markdown").out
    rows = list(csv.DictReader(io.StringIO(run(*words, "csv").out)))
    assert {row["from"] for row in rows} == {"Merrow 10", "Merrow 9", "Merrow 6"}
    assert "the newest is Merrow 9" in run(*words, "note").out


def test_hostile_text_is_harmless_in_every_format(tmp_path: Path) -> None:
    path = tmp_path / "odd.json"
    path.write_text(json.dumps(HOSTILE))
    words = ["check", str(path), "--need", "memory=8GB", "--format"]
    assert "<b>" not in run(*words, "markdown").out
    cells = next(csv.DictReader(io.StringIO(run(*words, "csv").out)))
    assert cells["machine"].startswith("'=")
    for kind in ("text", "markdown", "csv", "note"):
        assert "\x1b" not in run(*words, kind).out


@given(st.text(max_size=40))
def test_escaping_leaves_no_markup(text: str) -> None:
    plain = escaped(text)
    assert all(plain[at - 1] == "\\" for at, ch in enumerate(plain) if at and ch in "<>|`*[")
    assert guarded(text)[:1] not in ("=", "+", "-", "@")
    assert "\n" not in guarded(text)


@pytest.mark.parametrize(
    ("words", "code", "part"),
    [
        (["--save", "x.pdf"], 2, ".txt, .json, .md, .csv"),
        (["--save", "/nowhere/x.md"], 4, "cannot be written"),
        (["--why", "coers"], 3, "nearest known: 'cores'"),
    ],
)
def test_what_cannot_be_saved_or_explained(words: list[str], code: int, part: str) -> None:
    ran = run("check", demo_machine("potting-02"), "merrow@10", *words)
    assert ran.code == code
    assert part in ran.err


@pytest.mark.parametrize(
    ("name", "key", "parts"),
    [
        (
            "potting-02",
            "memory",
            ["6 GB, asked by Merrow 10", "SMBIOS structure 17", "70 %", "fix"],
        ),
        ("ticket-desk-04", "instructions", ["no POPCNT", "the machine in any other shape"]),
        ("glasshouse-05", "instructions", ["unknown", "depends on instruction sets"]),
    ],
)
def test_why_explains_a_row_from_reading_to_fix(name: str, key: str, parts: list[Any]) -> None:
    out = " ".join(run("check", demo_machine(name), "merrow@10", "--why", key).out.split())
    for part in parts:
        assert part in out
