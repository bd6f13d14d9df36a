"""The built command: usage, exit codes, formats, and what a technician sees."""

import shlex
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

from tests.helpers import DEMO, GIB, demo_machine, run

ANSWERS = [
    ("map-room-03", "ready", 0),
    ("potting-02", "memory-alone", 10),
    ("herbarium-01", "memory-alone", 10),
    ("seedbank-01", "not-memory", 12),
    ("ticket-desk-04", "replace", 13),
    ("glasshouse-05", "undecided", 14),
]


@pytest.mark.parametrize(("name", "answer", "code"), ANSWERS)
def test_each_answer_occurs_on_the_demo_with_its_exit_code(
    name: str, answer: str, code: int
) -> None:
    ran = run("check", demo_machine(name), "merrow@10", "--format", "json")
    found = ran.json()
    assert (found["decision"]["answer"], ran.code) == (answer, code)
    text = run("check", demo_machine(name), "merrow@10")
    assert text.code == code
    lines = text.out.splitlines()
    assert lines[0] == answer.upper().replace("-", " ")
    assert max(map(len, lines)) <= 80
    assert name in " ".join(lines[1:4])
    assert run("check", demo_machine(name), "merrow@10", "--quiet").out == answer + "\n"


def test_json_of_a_check_has_the_documented_keys() -> None:
    found = run("check", demo_machine("potting-02"), "merrow@10", "--format", "json").json()
    assert found["tallcheck"] == "check/1"
    assert found["against"] == [{"title": "Merrow", "release": "10", "kind": "operating system"}]
    decision = found["decision"]
    assert decision["target_memory"] == 8 * GIB
    assert decision["possible"] == ["memory-alone"]
    assert decision["limiting"] == "memory"
    assert decision["fixes"][0]["rows"] == ["memory"]
    row = found["rows"][0]
    assert (row["key"], row["need"], row["have"]) == ("memory", 6 * GIB, 4 * GIB)
    assert (row["status"], row["ratio"], row["fixes"]) == ("short", 0.667, ["memory"])
    assert row["origin"] == {"how": "read", "from": "SMBIOS structure 17"}
    assert found["recommended"]["answer"] == "memory-alone"
    assert {r["strength"] for r in found["rows"]} == {"minimum", "recommended"}


@pytest.mark.parametrize(
    ("words", "answer"),
    [
        (["merrow@10", "--have", "memory=8GB"], "ready"),
        (["--have", "memory.installed=8 GiB", "merrow@10"], "ready"),
        (["merrow@10", "--need", "memory=4GB"], "ready"),
        (["--need", "memory=64GB"], "replace"),
        (["--need", "memory=32GB"], "memory-alone"),
        (["--need", "memory >= 32 GB"], "memory-alone"),
        (["--need", "cores<=4"], "ready"),
        (["Merrow 10"], "memory-alone"),
        (["--need", "cores=..4"], "ready"),
        (["--need", "cores=>=8"], "replace"),
        (["--need", "architecture=not arm64"], "ready"),
        (["--need", "instructions=AVX2;SSE4a"], "replace"),
        (["--need", "os_bits=32"], "not-memory"),
        (["merrow@9", "plotmarrow"], "ready"),
        (["merrow@10", "fernfolio"], "memory-alone"),
        (["merrow@10", "--level", "recommended"], "memory-alone"),
        (["larchwood", "--needs-path", DEMO + "/needs"], "ready"),
        ([DEMO + "/needs/merrow.needs.toml@9"], "ready"),
    ],
)
def test_what_if_and_what_else(words: list[str], answer: str) -> None:
    # options before, between and after the positionals make no difference
    ran = run("check", "--format", "json", demo_machine("potting-02"), *words)
    assert ran.json()["decision"]["answer"] == answer


def test_releases_are_checked_newest_first() -> None:
    ran = run("check", demo_machine("potting-02"), "merrow")
    assert ran.code == 10
    assert "memory alone, the newest that can run on potting-02 is Merrow 10" in ran.out
    lines = [line.split()[:3] for line in ran.out.splitlines() if line.startswith("  Merrow")]
    assert lines == [["Merrow", "10", "memory-alone"], ["Merrow", "9", "ready"],
                     ["Merrow", "6", "ready"]]  # fmt: skip
    mixed = run("check", demo_machine("potting-02"), "merrow@10", "mistwright").out
    assert "the newest that can run on potting-02 is Mistwright 3" in mixed
    assert "  Mistwright 2  not-memory    2027-06-30" in mixed
    found = run("check", demo_machine("potting-02"), "merrow", "--format", "json").json()
    assert [one["against"][0]["release"] for one in found["releases"]] == ["10", "9", "6"]


def test_a_number_behind_a_name_is_its_release() -> None:
    ran = run("check", demo_machine("potting-02"), "merrow", "10", "fernfolio", "--format", "json")
    assert [one["release"] for one in ran.json()["against"]] == ["10", ""]


@pytest.mark.parametrize(
    ("words", "code", "part"),
    [
        ([], 2, "usage"),
        (["chek"], 2, "no command 'chek'"),
        (["check"], 2, "usage: tallcheck check"),
        (["check", "x", "--form", "json"], 2, "nearest known: '--format'"),
        (["check", "x", "--level", "most"], 2, "invalid choice"),
        (["check", demo_machine("potting-02")], 2, "nothing to hold"),
        (["check", demo_machine("potting-02"), "merow@10"], 3, "nearest known: 'merrow'"),
        (["check", demo_machine("potting-02"), "merrow@11"], 3, "one of: 10, 9, 6"),
        (["check", demo_machine("potting-02"), "merrow@9", "--level", "floor"], 3, "no floor"),
        (["check", demo_machine("potting-02"), "--need", "memory=8"], 2, "without a unit"),
        (["check", demo_machine("potting-02"), "--need", "memroy=8GB"], 2, "'memory'"),
        (["check", demo_machine("potting-02"), "--need", "memory"], 2, "KEY=VALUE"),
        (["check", demo_machine("potting-02"), "merrow@10", "--have", "coers=2"], 2, "'cores'"),
        (["check", demo_machine("potting-02"), "merrow@10", "--have", "cores=x"], 2, "whole"),
        (["check", "-", "-"], 2, "twice"),
        (["gather", "--from", "nowhere.tar"], 3, "no such file"),
        (["gather", "-o", "/nowhere/x.json"], 4, "cannot be written"),
        (["schema", "parts"], 2, "invalid choice"),
        (["confirm", "x"], 2, "are required: AFTER\n"),
        (["version"], 2, "nearest known: '--version'"),
    ],
)
def test_wrong_usage_and_bad_input(words: list[str], code: int, part: str, tmp_path: Path) -> None:
    ran = run(*words, cwd=tmp_path)
    assert ran.code == code
    assert part in ran.err
    assert "Traceback" not in ran.err
    assert list(tmp_path.iterdir()) == []


def test_version_and_help() -> None:
    assert run("--version").out == "tallcheck 0.3.0\n"
    for words in ([], ["check"], ["gather"], ["schema"], ["demo"]):
        ran = run(*words, "--help")
        assert ran.code == 0
        assert "example" in ran.out


def test_untrusted_text_is_harmless_in_a_terminal(tmp_path: Path) -> None:
    (tmp_path / "odd.json").write_text(
        '{"tallcheck": "machine/1", "name": "\\u001b[2Jodd[red]", "notes": ["\\u001b]0;x\\u0007"],'
        '"memory": {"installed": "4 GB"}}'
    )
    ran = run("check", "odd.json", "--need", "memory=8GB", cwd=tmp_path)
    assert ran.code == 10
    assert "\x1b" not in ran.out
    assert "[red]" in ran.out


@pytest.mark.parametrize(
    ("env", "plain"), [({"PYTHONIOENCODING": "ascii"}, True), ({"TERM": "dumb"}, True), ({}, False)]
)
def test_ascii_where_the_terminal_can_do_no_more(env: dict[str, str], plain: bool) -> None:
    ran = run("check", demo_machine("ticket-desk-04"), "merrow@10", env={"TERM": "xterm", **env})
    assert ran.out.isascii() == plain


@pytest.mark.parametrize("columns", ["60", "80", "120"])
def test_lines_keep_to_the_width(columns: str) -> None:
    for name, _, _ in ANSWERS:
        ran = run("check", demo_machine(name), "merrow@10", env={"COLUMNS": columns})
        assert max(map(len, ran.out.splitlines())) <= int(columns)


def test_demo_writes_its_data_and_runs_an_example(tmp_path: Path) -> None:
    ran = run("demo", "garden", cwd=tmp_path)
    assert ran.code == 0
    assert "memory-alone" in ran.out
    assert "a conflict: Mistwright 2" in ran.out
    sheet = tmp_path / "garden" / "machines" / "potting-02.machine.json"
    assert sheet.exists()
    assert run("demo", "garden", "--quiet", cwd=tmp_path).code == 0
    sheet.write_text("mine")
    ran = run("demo", "garden", cwd=tmp_path)
    assert ran.code == 4
    assert "exists and differs" in ran.err
    assert sheet.read_text() == "mine"


def _decision(*words: str) -> Any:
    return run("check", *words, "--format", "json").json()["decision"]


def test_the_sentence_says_why_and_what_the_floor_would_do() -> None:
    text = _decision(demo_machine("ticket-desk-04"), "merrow@10")["sentence"]
    assert text.startswith("ticket-desk-04 must be replaced")
    assert "the board takes 2 GB at most" in text
    floor = _decision(demo_machine("potting-02"), "merrow@10")["sentence"]
    assert "would install, without the publisher's support" in floor
    undecided = _decision(demo_machine("glasshouse-05"), "merrow@10")
    assert undecided["find_out"][0]["key"] == "processor.name"


@pytest.mark.parametrize(
    "words",
    [
        ["check", demo_machine("potting-02"), "merrow@10"],
        ["upgrade", demo_machine("potting-02"), "--to", "8GB"],
        ["confirm", demo_machine("potting-02"), demo_machine("potting-02")],
    ],
)
def test_json_is_json_however_quiet(words: list[str]) -> None:
    assert "tallcheck" in run(*words, "--format", "json", "--quiet").json()


def test_a_mistyped_here_gets_the_nearest() -> None:
    ran = run("check", "hear", "merrow@10")
    assert (ran.code, "nearest known: 'here'" in ran.err) == (3, True)


POTTING = demo_machine("potting-02")
CLOSED = [
    # what is closed, the words, the exit code, and what is said where anything can be
    ("stdout", ["check", POTTING, "merrow@10"], 4, "standard output: is closed"),
    ("stdout", ["check", POTTING, "merrow@10", "--format", "json"], 4, "standard output"),
    ("stdout", ["kit", "linux"], 4, "standard output: is closed"),
    ("stdout", ["--version"], 4, "standard output: is closed"),
    ("stdout", ["check", "--help"], 4, "standard output: is closed"),
    ("stdout", ["gather", "--quiet", "-o", "here.json"], 0, ""),
    ("stdin", ["check", "-", "merrow@10"], 3, "found no standard input"),
    ("stdin", ["describe", "x", "--for", "merrow@10", "-o", "x.json"], 14, "operating system?"),
    ("stderr", ["check", "nosuch.json", "merrow@10"], 3, ""),
    ("stderr", ["check", POTTING, "merrow@10"], 10, ""),
]


@pytest.mark.parametrize(("closed", "words", "code", "said"), CLOSED)
def test_standard_streams_that_are_closed(
    closed: str, words: list[str], code: int, said: str, tmp_path: Path
) -> None:
    number = ("stdin", "stdout", "stderr").index(closed)
    line = shlex.join([sys.executable, "-m", "tallcheck", *words])
    ran = subprocess.run(
        ["sh", "-c", f"exec {line} {number}{'<' if not number else '>'}&-"],
        capture_output=True, text=True, cwd=tmp_path, check=False, timeout=60,
    )  # fmt: skip
    assert (ran.returncode, "Traceback" in ran.stderr) == (code, False), ran.stderr
    assert said in ran.stderr


@pytest.mark.parametrize("words", [
    ["check", POTTING, "merrow@10", "--verbose"], ["check", POTTING, "merrow"], ["show", POTTING],
    ["upgrade", POTTING, "--to", "8GB"], ["needs", "show", "merrow"],
])  # fmt: skip
def test_a_place_that_takes_ascii_only_gets_ascii(words: list[str]) -> None:
    ran = run(*words, env={"PYTHONIOENCODING": "ascii"})
    assert ran.code in (0, 10)
    assert ran.out.isascii()
    assert "?" not in ran.out.replace("??", "")  # every mark has a form of its own
