"""A machine on a page of its own, two beside each other, and what is in use now."""

import csv
import html
import io
import os
import re
import subprocess
import sys
import time
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec import structs

from tallcheck.core.machine.readings import put
from tallcheck.core.machine.sheet import Machine
from tallcheck.core.usage.summary import Moment, Sample, Seen
from tallcheck.files.sheets import machine_from, machine_json
from tallcheck.report.machine_facts import facts_of
from tallcheck.report.plain import Page, as_text
from tallcheck.report.show_view import compared
from tallcheck.report.usage_view import live_line, live_lines, seen_text
from tests.helpers import COMMAND, GIB, demo_machine, run


def _demo(name: str) -> Machine:
    path = demo_machine(name)
    return machine_from(Path(path).read_bytes(), path)


@pytest.mark.parametrize("ending", ["txt", "md", "csv", "html"])
def test_a_page_has_the_same_figures_as_the_view(tmp_path: Path, ending: str) -> None:
    page = tmp_path / f"a.{ending}"
    saved = run("show", demo_machine("potting-02"), "--save", str(page))
    assert (saved.code, saved.err) == (0, f"wrote {page}\n")
    text = page.read_text()
    text = html.unescape(re.sub(r"<[^>]*>", " ", text)) if ending == "html" else text
    text = " ".join(text.replace("\\", "").split())
    for part in facts_of(_demo("potting-02")):
        for label, value in part.facts:
            assert label in text
            assert value in text
    assert "B1" in text
    assert "kept back" in text


def test_what_a_machine_says_is_no_markup_and_no_formula(tmp_path: Path) -> None:
    machine = structs.replace(_demo("potting-02"), name="<b>x</b>", extra={"note": "=1+1"})
    sheet = tmp_path / "x.machine.json"
    sheet.write_bytes(machine_json(machine))
    for ending in ("html", "csv"):
        run("show", str(sheet), "--save", str(tmp_path / f"a.{ending}"))
    assert "<b>x" not in (tmp_path / "a.html").read_text()
    rows = csv.reader(io.StringIO((tmp_path / "a.csv").read_text()))
    assert "'=1+1" in [cell for row in rows for cell in row]


OTHER = {"system.os": "Merrow", "firmware.mode": "bios"}


@given(
    st.dictionaries(
        st.sampled_from(["processor.cores", "system.os", "firmware.mode", "memory.ceiling"]),
        st.sampled_from([8, None]),
        max_size=4,
    )
)
def test_two_machines_beside_each_other(changes: dict[str, int | None]) -> None:
    """Each fact stands in one table, by whether both tell it, and tell the same."""
    first = second = _demo("potting-02")
    for key, value in changes.items():
        second = put(second, key, value and OTHER.get(key, value))
    tables = {one.title: one.rows for one in compared(first, second, programs=False)}
    keys = [row[0] for rows in tables.values() for row in rows]
    assert len(keys) == len({*keys})
    for _, one, other in tables.get("Different", ()):
        assert one != other
        assert "not known" not in (one, other)
    for _, one, other in tables.get("The same", ()):
        assert one == other
    for row in tables.get("Known of one only", ()):
        assert "not known" in row
    assert ("System: firmware" in [row[0] for row in tables.get("Different", ())]) == (
        "firmware.mode" in changes
    )
    assert compared(first, first, programs=True)[0].title == "The same"


@pytest.mark.parametrize("ending", ["txt", "md", "csv", "html"])
def test_two_sheets_that_tell_nothing_are_saved_all_the_same(tmp_path: Path, ending: str) -> None:
    for name in ("a", "b"):
        (tmp_path / f"{name}.json").write_text(f'{{"tallcheck": "machine/1", "name": "{name}"}}')
    found = run("show", "a.json", "b.json", "--save", f"o.{ending}", cwd=tmp_path)
    assert (found.code, (tmp_path / f"o.{ending}").is_file()) == (0, True)


def test_two_sheets_of_one_machine_are_told_apart() -> None:
    after = Path(demo_machine("potting-02")).parents[1] / "after" / "potting-02.machine.json"
    found = run("show", demo_machine("potting-02"), str(after))
    assert found.code == 0
    assert found.out.index("Different") < found.out.index("The same")
    assert "2026-11-20T09:14:02Z" in found.out
    assert run("show", "a", "b", "c").code == 2


@pytest.mark.parametrize(("word", "part"), [
    ("avx512f", "AVX512F: not there; the list of instruction sets is complete."),
    ("virtualization", "virtualization (processor.virtualization): not known."),
    ("zeppelin", "Nothing has 'zeppelin' in it"),
])  # fmt: skip
def test_what_is_not_there_is_told_from_what_is_not_known(word: str, part: str) -> None:
    assert part in run("show", demo_machine("potting-02"), "--find", word).out


@pytest.mark.skipif(sys.platform == "win32", reason="a terminal of POSIX")
def test_gather_alone_on_a_terminal_is_for_reading() -> None:
    import pty

    ours, theirs = pty.openpty()
    with subprocess.Popen([COMMAND, "gather"], stdout=theirs, stderr=subprocess.PIPE) as ran:
        os.close(theirs)
        seen = b""
        try:
            while part := os.read(ours, 4096):
                seen += part
        except OSError:
            pass  # what Linux gives where the other end is closed
        assert ran.stderr is not None
        assert b"tallcheck gather -o FILE" in ran.stderr.read()
    assert b"Memory" in seen
    assert b'"tallcheck"' not in seen
    assert run("gather").json()["tallcheck"] == "machine/1"


def test_a_needs_sheet_of_this_folder_is_found_by_its_name(tmp_path: Path) -> None:
    (tmp_path / "wattle.needs.toml").write_text(
        'tallcheck = "needs/1"\ntitle = "Wattle"\nkind = "program"\n[minimum]\nmemory = "2 GB"\n'
    )
    found = run("check", demo_machine("potting-02"), "wattle", "--quiet", cwd=tmp_path)
    assert (found.code, found.out) == (0, "ready\n")


# --- live ----------------------------------------------------------------------------------

SAMPLE = Sample(0.0, 8 * GIB, 2 * GIB, 4 * GIB, GIB, 1 << 20, 0, None, 1.5, 0.9, 4, None,
                "mistwright=3221225472;fernfolio=1073741824")  # fmt: skip


def test_one_moment_and_what_was_seen() -> None:
    seen = Seen(0.0)
    seen.add(SAMPLE, 60.0)
    now = Moment(SAMPLE, [0.9, 0.6, 0.0, 0.0], GIB, GIB // 8)
    text = as_text(live_lines("seedbank-01", now, seen, Page(100)))
    for part in ("75 %", "6 GB of 8 GB usable in use, 2 GB available", "kept back       128 MB",
                 "1 GB of 4 GB in use, 1 MB read back", "1.5 of 4 logical processors busy",
                 "90 %  60 %   0 %   0 %", "mistwright", "3 GB"):  # fmt: skip
        assert part in text
    assert "memory 75 % (6 GB of 8 GB), swap 1 GB, cores 1.5 of 4" in live_line(SAMPLE)
    assert seen_text("seedbank-01", 8 * GIB, seen).endswith("too brief to tell a habit")
    seen.add(structs.replace(SAMPLE, memory_available=GIB), 7200.0)
    assert seen_text("seedbank-01", 8 * GIB, seen) == (
        "seedbank-01, 2 h: at most 7 GB of 8 GB in use (88 %), 1 GB of swap, 1.5 cores busy"
    )


def test_a_pipe_gets_a_line_each_interval_and_one_at_the_end() -> None:
    once = run("show", "here", "--once")
    assert (once.code, len(once.out.splitlines())) == (0, 1)
    words = [COMMAND, "show", "here", "--live", "--every", "0.3s"]
    with subprocess.Popen(words, stdout=subprocess.PIPE, text=True) as live:
        assert live.stdout is not None
        lines = [live.stdout.readline() for _ in range(2)]
        live.terminate()
        end = live.stdout.read()
        assert live.wait(20) == 0
    assert all(re.match(r"\d\d:\d\d:\d\d  memory \d+ % \(", one) for one in lines)
    assert "too brief to tell" in end.splitlines()[-1]
    for words in ([demo_machine("potting-02"), "--live"], ["here", "--live", "--save", "a.md"],
                  ["here", "--once", "--every", "0s"]):  # fmt: skip
        assert run("show", *words).code == 2


@pytest.mark.skipif(sys.platform == "win32", reason="a terminal of POSIX")
def test_q_ends_the_view_and_leaves_the_terminal_as_it_was() -> None:
    import pty
    import termios

    ours, theirs = pty.openpty()
    before = termios.tcgetattr(theirs)
    words = [COMMAND, "show", "here", "--live", "--every", "0.3s"]
    live = subprocess.Popen(words, stdin=theirs, stdout=theirs, env={**os.environ, "TERM": "xterm"})
    seen = b""
    until = time.monotonic() + 30
    while b"q ends it" not in seen and time.monotonic() < until:
        seen += os.read(ours, 4096)
    os.write(ours, b"q")
    while b"too brief" not in seen and time.monotonic() < until:
        seen += os.read(ours, 4096)
    assert live.wait(20) == 0
    assert b"too brief to tell a habit" in seen
    assert termios.tcgetattr(theirs) == before
