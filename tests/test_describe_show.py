"""Sheets told over the telephone or pasted, and sheets for reading."""

import re
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tallcheck.core.machine.readings import keys
from tallcheck.core.text.pasted import read_lines
from tallcheck.core.text.said import is_unknown
from tests.helpers import GIB, VOCABULARY, demo_machine, run


def test_what_was_not_said_is_unknown(tmp_path: Path) -> None:
    ran = run("describe", "potting-05", "modules=4GB*,4GB,-", "cores=4", "os_bits=32",
              "-o", "x.json", cwd=tmp_path)  # fmt: skip
    assert ran.code == 0
    assert "potting-05" in ran.out
    found = run("gather", "--from", "x.json", cwd=tmp_path)
    assert found.code == 3  # a sheet is no capture
    sheet = run("show", "x.json", "--all", cwd=tmp_path).out
    assert "threads" not in sheet
    for part in ("8 GB", "slots", "addressable", "worked out: the running system is a 32-bit one"):
        assert part in sheet


PASTED = """\
Installed RAM: 16.0 GB (15.7 GB usable)
Processor = Osier Wand S5 214, 2100 Mhz, 4 Core(s), 8 Logical Processor(s)
System type\t64-bit operating system, x64-based processor
Edition: Merrow 10 Works
Form factor: Laptop
Secure Boot State: Off
BIOS Mode - Legacy
Screen resolution: 1920 x 1080

Pen and touch: none
Free space: lots
hello
RAM: 8 GB
"""


def test_pasted_lines_are_read_and_the_rest_is_listed(tmp_path: Path) -> None:
    (tmp_path / "mail.txt").write_text(PASTED)
    ran = run("describe", "x", "--text", "mail.txt", cwd=tmp_path)
    sheet = ran.json()
    assert sheet["memory"]["installed"] == 16 * GIB
    assert abs(sheet["memory"]["usable"] - 15.7 * GIB) < 1
    processor = sheet["processor"]
    assert (processor["cores"], processor["threads"], processor["clock"]) == (4, 8, 2_100_000_000)
    assert (processor["bits"], processor["line"]) == (64, "Osier Wand")
    assert sheet["system"] == {"shape": "notebook", "os": "Merrow", "os_version": "10",
                               "family": "merrow", "os_bits": 64}  # fmt: skip
    assert sheet["firmware"] == {"mode": "bios", "secure_boot": "able"}
    assert sheet["display"] == "1920x1080"
    lines = [line.split(": line ")[1].split(" ")[0] for line in ran.err.splitlines()]
    assert lines == ["11", "12"]  # line 10 tells nothing that a need could ask for
    assert any("told more than once" in one["text"] for one in sheet["doubts"])


# a marker begins a part of which only what is the machine's is told
LABELS = sorted(VOCABULARY.phrases.labels.keys() - VOCABULARY.phrases.markers.keys())


@given(st.lists(st.sampled_from(LABELS) | st.text(max_size=10), max_size=6),
       st.text(max_size=20))  # fmt: skip
def test_no_pasted_line_is_lost_or_guessed(labels: list[str], value: str) -> None:
    text = "\n".join(f"{label}: {value}" for label in labels)
    told, left = read_lines(text, VOCABULARY)
    assert {one.key for one in told if not one.key.startswith("extra.")} <= set(keys())
    lines = [n for n, line in enumerate(text.splitlines(), 1) if re.search(r"\w", line)]
    assert {one.line for one in left} <= set(lines)
    # a label and its value may stand on two lines; one with nothing behind it may be a heading
    if not told and lines and re.search(r"\w", value) and not is_unknown(value, VOCABULARY):
        assert left


def test_a_user_adds_labels(tmp_path: Path) -> None:
    (tmp_path / "labels.toml").write_text('[labels]\n"Arbeitsspeicher" = "memory"\n')
    env = {"TALLCHECK_CONFIG": str(tmp_path)}
    ran = run("describe", "x", "--text", "-", stdin=b"Arbeitsspeicher: 8 GB\n", env=env)
    assert ran.json()["memory"]["installed"] == 8 * GIB
    (tmp_path / "labels.toml").write_text('[labels]\n"x" = "memroy"\n')
    ran = run("describe", "x", "--text", "-", stdin=b"x: 8 GB\n", env=env)
    assert ran.code == 3
    assert "labels.toml" in ran.err


@pytest.mark.parametrize(
    ("words", "code", "part"),
    [
        (["describe", "x"], 3, "nothing told"),
        (["describe", "x", "memory"], 3, "KEY=VALUE"),
        (["describe", "x", "modules=8GB,lots"], 3, "memory.modules"),
        (["describe", "x", "shape=brick"], 3, "one of notebook"),
        (["describe", "x", "virtual=maybe"], 3, "yes or no"),
        (["show", "nowhere.json"], 3, "no such file"),
    ],
)
def test_bad_words(words: list[str], code: int, part: str) -> None:
    ran = run(*words)
    assert ran.code == code
    assert part in ran.err


@pytest.mark.parametrize(
    ("words", "parts"),
    [
        (
            [],
            [
                "1 free",
                "A1",
                "B1",
                "free",
                "DDR4 SODIMM",
                "2933 MT/s",
                "generation 5",
                "x86-64-v4 lacks AVX512F",
            ],
        ),
        (["--find", "avx"], ["AVX, AVX2", "/proc/cpuinfo, flags"]),
        (["--find", "nothing-like-it"], ["Nothing has"]),
        (["--all"], ["memory.modules[1].size", "SMBIOS structure 17"]),
        (["--verbose"], ["positions", "memory.modules[1].size"]),
    ],
)
def test_show(words: list[str], parts: list[str]) -> None:
    ran = run("show", demo_machine("potting-02"), *words)
    assert ran.code == 0
    for part in parts:
        assert part in ran.out
    assert max(map(len, ran.out.splitlines())) <= 80


def _positions(count: int) -> Any:
    modules = ",".join(["8GB"] * (count - 1) + ["-"])
    sheet = run("describe", "x", f"modules={modules}").out
    return run("show", "-", stdin=sheet.encode()).out


@pytest.mark.parametrize("count", [1, 2, 5, 16, 32])
def test_positions_are_drawn_for_boards_of_any_size(count: int) -> None:
    text = _positions(count)
    assert f"{count}, 1 free" in text
    assert text.count("position ") == count
    assert max(map(len, text.splitlines())) <= 80


def test_doubts_are_shown_at_the_top() -> None:
    sheet = (
        '{"tallcheck": "machine/1", "name": "x", "memory": {"installed": "8 GB"},'
        '"doubts": [{"about": ["memory.installed"], "text": "two sources disagree"}]}'
    )
    lines = run("show", "-", stdin=sheet.encode()).out.splitlines()
    assert "two sources disagree" in " ".join(lines[2:4])


def test_a_pasted_text_that_is_not_taken_is_named_once(tmp_path: Path) -> None:
    (tmp_path / "long.txt").write_text("Memory: 8 GB\n" * 20_001)
    for name, said in (("none.txt", "cannot be read"), ("long.txt", "found 20,001 lines")):
        ran = run("describe", "x", "--text", name, cwd=tmp_path)
        assert ran.code == 3
        assert f"error: {name}: {said}" in ran.err
