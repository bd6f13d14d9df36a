"""Usage logs: judged over the hours of use, read whatever is wrong with them, recorded safely."""

import json
import os
import signal
import struct
import subprocess
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tallcheck.core.usage.finding import judge
from tallcheck.core.usage.intervals import p95_of
from tallcheck.core.usage.log import Log, spans_of
from tallcheck.core.values.errors import InputError
from tallcheck.files import usage_log
from tallcheck.files.demo_data import LOGS, demo_log
from tallcheck.files.usage_log import parse_columns, read_log
from tallcheck.files.usage_writer import COLUMNS
from tallcheck.gather.meters import MacMeter, WindowsMeter, windows_held
from tallcheck.gather.sampler import Counters, is_gap, read_counters, read_levels, sample
from tallcheck.gather.source import Captured
from tests.helpers import COMMAND, GIB, call, demo_machine

HEADER = ",".join(COLUMNS)
START = 1_761_900_000 - 1_761_900_000 % 86400


def log(shares: Any, step: float = 60.0, **columns: Any) -> Log:
    """A log of an 8 GB machine with these shares in use."""
    count = len(shares)
    values = {"memory_total": np.full(count, 8.0 * GIB),
              "memory_available": 8.0 * GIB * (1 - np.asarray(shares))}  # fmt: skip
    extra = {
        name: np.broadcast_to(np.asarray(v, dtype=float), count) for name, v in columns.items()
    }
    return Log(START + np.arange(count) * step, 0.0, {**values, **extra})


def rows(count: int = 10, start: str = "2026-11-24T09:00", **changes: str) -> str:
    """A small log as text, a row a minute; changes replace whole rows by number."""
    lines = []
    for n in range(count):
        row = f"{start[:-2]}{n:02d}:00Z,8589934592,{4294967296 - n},0,0,0,0,0.0,1.0,0.5,4"
        lines.append(changes.get(f"row{n}", row))
    return "\n".join([HEADER, *lines]) + "\n"


# --- the finding -----------------------------------------------------------------------------


@pytest.mark.parametrize("name", LOGS)
def test_each_demo_log_gives_the_finding_it_promises(name: str, tmp_path: Path) -> None:
    path = tmp_path / f"{name}.usage.csv"
    path.write_bytes(demo_log(name))
    assert demo_log(name) == path.read_bytes()  # the same every time
    found = call("usage", str(path), "--format", "json").json()
    assert found["finding"] == LOGS[name][1]
    span = found["figures"]["p95"]
    assert (span["low"] is None) == bool(span["why_none"])
    assert 0 <= (span["low"] or 0.0) <= span["value"] <= (span["high"] or 1.0) <= 1
    text = call("usage", str(path)).out
    assert text.startswith(found["finding"].upper())
    assert max(map(len, text.splitlines())) <= 80


DAY = 1440
NIGHT_AND_DAY = np.where((np.arange(DAY) > 540) & (np.arange(DAY) < 1020), 0.9, 0.2)


@pytest.mark.parametrize(
    ("made", "finding", "part"),
    [
        (log(np.full(DAY, 0.5)), "ample", "More would change nothing"),
        (log(np.full(DAY, 0.9)), "short", "more than 80 % full during 100 %"),
        (log(np.where(np.arange(DAY) % 10 == 0, 0.9, 0.5)), "near", "passes 80 % during 10.0 %"),
        # a quiet night does not dilute a short day
        (log(NIGHT_AND_DAY, cores_busy=NIGHT_AND_DAY**4), "short", "of the"),
        # nor does a log that does not tell how busy the cores were
        (log(NIGHT_AND_DAY), "short", "7 h 59 min of the usual day"),
        (log(np.full(DAY, 0.85), swapped_in=100 << 20), "short", "back from swap"),
        # what comes back beside much free memory, where no swap is held, or fast, is no shortage
        (log(np.full(DAY, 0.5), swapped_in=100 << 20), "ample", "More would change nothing"),
        (log(np.full(DAY, 0.7), swapped_in=100 << 20), "short", "though 70 % of memory"),
        (log(np.full(DAY, 0.7), swapped_in=100 << 20, swap_used=0), "ample", "More would"),
        (log(np.full(DAY, 0.85), swapped_in=100 << 20, memory_stall=0.0), "near", "anybody waits"),
        (log(np.full(DAY, 0.85)), "near", "nothing shows that anybody waits for it"),
        (log(np.where(np.arange(DAY) % 3 == 0, 0.85, 0.5), memory_stall=0.2), "short",
         "wait for memory"),
        (log(np.full(30, 0.9)), "too brief", "a whole working day"),
    ],
)  # fmt: skip
def test_findings(made: Log, finding: str, part: str) -> None:
    found = judge(made)
    assert found.finding == finding
    assert part in found.sentence


def test_figures_are_those_of_the_log() -> None:
    shares = np.concatenate([np.full(600, 0.5), np.full(120, 0.85), np.full(720, 0.5)])
    busy = np.concatenate([np.full(720, 1.0), np.full(720, 3.0)])
    made = log(shares, cores_busy=busy, busiest_core=np.full(DAY, 0.99), core_count=4.0,
               swap_used=1.0 * GIB)  # fmt: skip
    found = judge(made).figures
    assert found.total == 8 * GIB
    assert found.median == pytest.approx(0.5)
    assert found.above_tight == pytest.approx(120 / DAY)
    assert found.longest_tight == 120 * 60
    assert found.demand == pytest.approx(0.85 * 8 * GIB + GIB, rel=1e-6)
    assert (found.cores_median, found.cores_highest, found.core_count) == (2.0, 3.0, 4)
    assert found.one_core_full == pytest.approx(0.5)  # one busy core of four, not three
    assert (found.by_hour, found.growth) == ({}, None)


def test_growth_and_the_course_of_the_week_need_a_log_that_supports_them() -> None:
    hours = np.arange(24 * 42)
    shares = 0.3 + 0.4 * hours / len(hours)
    found = judge(log(shares, step=3600.0)).figures
    assert found.growth is not None
    assert found.growth.value == pytest.approx(0.4 * 8 * GIB / 6, rel=0.05)
    assert found.growth.low <= found.growth.value <= found.growth.high
    assert sorted(found.by_weekday) == list(range(7))
    assert len(found.by_hour) == 24
    steady = judge(log(np.full(24 * 10, 0.5), step=3600.0)).figures
    assert (steady.growth, steady.by_weekday) == (None, {})


def test_a_gap_is_no_value() -> None:
    made = log(np.full(600, 0.9))
    made.time[300:] += 6 * 3600
    found = judge(made).figures
    assert found.used_seconds == pytest.approx(600 * 60)
    assert found.longest_tight == 300 * 60
    assert found.complete == pytest.approx(600 / 960, abs=0.01)


@given(st.integers(0, 1000), st.floats(0.1, 0.9))
def test_the_interval_holds_the_percentile(seed: int, level: float) -> None:
    random = np.random.default_rng(seed)
    shares = np.clip(level + np.cumsum(random.normal(0, 0.01, 2000)) * 0.2, 0, 1)
    for count in (2000, 600, 60, 5):
        span = p95_of(*_spent(shares[:count]))
        assert (span.low is None) == bool(span.why_none)
        if span.low is not None and span.high is not None:
            assert 0 <= span.low <= span.value <= span.high <= 1
    same = p95_of(*_spent(np.full(2000, level)))
    assert [same.low, same.high] == pytest.approx([level, level])


def _spent(shares: Any, step: float = 60.0) -> Any:
    """Shares, days and weights of a log without a gap."""
    days = spans_of(np.arange(len(shares)) * step, 86400.0)
    return shares, days, np.full(len(shares), step)


# --- other people's logs, and bad ones -------------------------------------------------------


@pytest.mark.parametrize(
    ("text", "kept", "problem"),
    [
        (rows(), 10, ""),
        (rows(row3="2026-11-24T09:03:00Z,lots,1,0,0,0,0,0,0,0,4"), 9, "text where memory_total"),
        (rows(row3="2026-11-24T09:03:00Z,8 GB,4 GB,0,0,0,0,0,0,0,4"), 10, ""),
        (rows(row3="2026-11-24T09:03:00Z,8589934592,9589934592,0,0,0,0,0,0,0,4"), 9, "available"),
        (rows(row3="2026-11-24T09:03:00Z,8589934592,-5,0,0,0,0,0,0,0,4"), 9, "below zero"),
        (rows(row3="2026-11-24T09:03:00Z,8589934592,5,0,0,-9,0,0,0,0,4"), 10, "ran backwards"),
        (rows(row3="2026-11-24T09:03:00,8589934592,5,0,0,0,0,0,0,0,4"), 9, "no zone"),
        (rows(row3="soon,8589934592,5,0,0,0,0,0,0,0,4"), 9, "reads as one"),
        (rows(row3="2026-11-24T09:07:00Z,8589934592,5,0,0,0,0,0,0,0,4"), 9, "another has"),
        (rows(row3="2026-11-24T08:07:00Z,8589934592,5,0,0,0,0,0,0,0,4"), 10, "put in order"),
        (rows(row3="# a remark"), 9, ""),
        (rows()[:-9], 9, "torn or still being written"),
        (rows(row3=",,,,,,,,,,"), 9, ""),
    ],
)  # fmt: skip
def test_what_is_wrong_is_named_and_the_rest_is_judged(
    tmp_path: Path, text: str, kept: int, problem: str
) -> None:
    path = tmp_path / "x.usage.csv"
    path.write_text(text)
    found = read_log(str(path), {})
    assert len(found.time) == kept
    assert bool((np.diff(found.time) > 0).all())
    assert problem in " ".join(found.problems)
    assert call("usage", str(path)).code == 0


@pytest.mark.parametrize("part", [1, 70, 200, 1 << 20])
@pytest.mark.parametrize("more", [{}, {"row3": "# a remark"}])
def test_a_log_in_parts_and_in_half_the_digits_is_the_same(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, part: int, more: dict[str, Any]
) -> None:
    path = tmp_path / "x.usage.csv"
    path.write_text(rows(**more)[:-9])
    whole = read_log(str(path), {})
    monkeypatch.setattr(usage_log, "_PART", part)
    monkeypatch.setattr(usage_log, "_LONG", 0)
    found = read_log(str(path), {})
    assert found.columns["cores_busy"].dtype == np.float32
    assert (found.time.tolist(), found.problems) == (whole.time.tolist(), whole.problems)
    for name, values in whole.columns.items():
        assert found.columns[name] == pytest.approx(values, rel=1e-6, nan_ok=True)


@pytest.mark.parametrize(
    ("text", "part"),
    [
        ("", "no CSV"),
        ("a,b\n1,2\n", "no column 'time'"),
        (HEADER + "\n", "no row"),
        (rows().replace("Z,", ","), "zone"),
        (rows().replace("8589934592", "x"), "no sound row"),
        ("\x00\x01\x02", "column"),
    ],
)
def test_what_is_no_log_is_one_clear_error(tmp_path: Path, text: str, part: str) -> None:
    (tmp_path / "x.csv").write_text(text)
    ran = call("usage", "x.csv", cwd=tmp_path)
    assert ran.code == 3
    assert part in ran.err
    assert "Traceback" not in ran.err
    assert call("usage", "nowhere.csv").code == 3


@given(st.lists(st.text(alphabet=st.characters(codec="utf-8"), max_size=20), max_size=8))
def test_any_text_is_a_log_or_one_clear_error(lines: list[str]) -> None:
    import tempfile

    with tempfile.NamedTemporaryFile("w", suffix=".csv", encoding="utf-8") as file:
        file.write(HEADER + "\n" + "\n".join(lines) + "\n")
        file.flush()
        try:
            found = read_log(file.name, {})
        except InputError:
            return
        assert len(found.time) > 0


def test_anothers_headings_and_units(tmp_path: Path) -> None:
    path = tmp_path / "x.csv"
    path.write_text("stamp,total_mb,free_pct,cpu\n2026-11-24T09:00:00+01:00,8192,2048,1.5\n"
                    "2026-11-24T09:01:00+01:00,8192,1024,2.5\n")  # fmt: skip
    words = "time=stamp,memory_total=total_mb:MB,memory_available=free_pct:MB,cores_busy=cpu"
    found = read_log(str(path), parse_columns([words]))
    assert found.columns["memory_available"].tolist() == [2 * GIB, GIB]
    assert found.offset == 3600.0
    for bad in ("tiem=x", "time", "memory_total=x:MiBs"):
        assert call("usage", str(path), "--columns", bad).code == 3


@pytest.mark.parametrize("way", [
    lambda text: text.replace("\n", "\n\n").encode(),
    lambda text: text.replace("\n", "\r\n").encode("utf-8-sig"),
    lambda text: text.encode("utf-16"),
    lambda text: text.replace(",", ";").encode(),
    lambda text: text.replace("time,memory", "TIME,Memory").encode(),
    lambda text: b"# machine: bed-04\n\n" + text.encode(),
])  # fmt: skip
def test_a_log_tells_the_same_however_it_was_saved(
    way: Callable[[str], bytes], tmp_path: Path
) -> None:
    found = []
    for data in (rows().encode(), way(rows())):
        (tmp_path / "a.usage.csv").write_bytes(data)
        found.append(judge(read_log(str(tmp_path / "a.usage.csv"), {})).figures)
    assert found[0] == found[1]


def test_changing_offsets_keep_the_hours_of_the_day(tmp_path: Path) -> None:
    path = tmp_path / "x.csv"
    text = rows(row3="2026-11-24T10:03:00+01:00,8589934592,5,0,0,0,0,0,0,0,4")
    path.write_text(text)
    found = read_log(str(path), {})
    assert len(found.time) == 10
    assert sorted(set(np.asarray(found.offset).tolist())) == [0.0, 3600.0]


def test_a_program_that_grows_without_end_is_told_from_a_short_machine(tmp_path: Path) -> None:
    lines = [HEADER + ",drive_stall,programs"]
    for n in range(300):
        leak = GIB + n * (20 << 20)
        moment = f"2026-11-24T{9 + n // 60:02d}:{n % 60:02d}:00Z"
        left = 15 * GIB // 2 - leak
        lines.append(f"{moment},8589934592,{left},0,0,0,0,0,1,0.5,4,0,mapper={leak};mail=99")
    path = tmp_path / "x.csv"
    path.write_text("\n".join(lines) + "\n")
    found = call("usage", str(path), "--tight", "60%").out
    assert "One program, mapper, grows without end" in " ".join(found.split())


def test_those_that_hold_memory_while_it_is_tight_are_named(tmp_path: Path) -> None:
    lines = [HEADER + ",drive_stall,programs"]
    for n in range(300):
        tight = n >= 100  # before, the indexer held more than all others
        held = f"imaging={4 * GIB};mail={GIB};shell=99" if tight else f"indexer={2 * GIB}"
        moment = f"2026-11-24T{9 + n // 60:02d}:{n % 60:02d}:00Z"
        left = GIB // 2 if tight else 6 * GIB
        lines.append(f"{moment},8589934592,{left},0,0,0,0,0,1,0.5,4,0,{held}")
    path = tmp_path / "x.csv"
    path.write_text("\n".join(lines) + "\n")
    found = call("usage", str(path), "--format", "json").json()
    assert found["figures"]["holders"] == [["imaging", 4 * GIB], ["mail", GIB], ["shell", 99]]
    assert "most is held by imaging (4 GB), mail (1 GB), shell (99 bytes)" in found["sentence"]


# --- in a check ------------------------------------------------------------------------------


def test_a_log_that_is_never_tight_names_no_holders(tmp_path: Path) -> None:
    lines = [HEADER + ",drive_stall,programs"]
    for n in range(30):
        moment = f"2026-11-24T09:{n:02d}:00Z"
        lines.append(f"{moment},8589934592,{6 * GIB},0,0,0,0,0,1,0.5,4,0,mail={GIB}")
    path = tmp_path / "x.csv"
    path.write_text("\n".join(lines) + "\n")
    ran = call("usage", str(path), "--format", "json")
    assert (ran.code, ran.json()["figures"]["holders"]) == (0, [])


@pytest.mark.parametrize(
    ("name", "words", "answer", "part"),
    [
        ("ordinary-day", ["merrow@9"], "ready", "memory is ample: more would change nothing"),
        ("swapping", ["merrow@9"], "ready", "Memory is short in use"),
        ("swapping", ["--need", "memory_use=80%"], "memory-alone", "8 GB"),
        ("ordinary-day", ["--need", "memory_use=80%"], "ready", "ample"),
        ("swapping", ["--need", "cores_use=1"], "replace", "cores in use"),
        ("swapping", ["--need", "memory_own=1GB"], "memory-alone", "8 GB"),
        ("ordinary-day", ["--need", "memory_own=1GB"], "ready", "ample"),
        ("ten-minutes", ["merrow@9"], "ready", "too brief"),
    ],
)
def test_a_check_with_a_usage_log(
    name: str, words: list[str], answer: str, part: str, tmp_path: Path
) -> None:
    path = tmp_path / "x.usage.csv"
    path.write_bytes(demo_log(name))
    words = ["check", demo_machine("potting-02"), *words, "--usage", str(path), "--format", "json"]
    found = call(*words).json()["decision"]
    assert found["answer"] == answer
    assert part in found["sentence"]
    assert "one moment" not in " ".join(found["conditions"])


def test_pictures_of_every_log(tmp_path: Path) -> None:
    for name in ("swapping", "eight-weeks-growth", "ten-minutes"):
        (tmp_path / "x.csv").write_bytes(demo_log(name))
        for ending, mark in (("png", b"\x89PNG"), ("svg", b"<?xml")):
            ran = call("usage", "x.csv", "--plot", f"x.{ending}", "--quiet", cwd=tmp_path)
            assert ran.code == 0, ran.err
            assert (tmp_path / f"x.{ending}").read_bytes().startswith(mark)
    assert call("usage", "x.csv", "--plot", "x.pdf", cwd=tmp_path).code == 2


# --- recording -------------------------------------------------------------------------------

STAT = "cpu  1 1\ncpu0 {} 0 0 {} 0 0 0 0 0 0\ncpu1 0 0 0 {} 0 0 0 0 0 0\n"
MEMINFO = "MemTotal: 8000000 kB\nMemAvailable: 3000000 kB\nSwapTotal: 2000000 kB\n" \
          "SwapFree: 1000000 kB\nZswap: 100000 kB\n"  # fmt: skip


def _counters(wall: float, busy: int, idle: int, pages: int, stall: int) -> Counters:
    ticks = {"cpu0": (busy, busy + idle), "cpu1": (0, busy + idle)}
    return Counters(wall, wall, pages, pages, stall, None, ticks)


def test_a_sample_is_the_difference_of_two_moments() -> None:
    tree = {"proc/meminfo": MEMINFO, "sys/block/zram0/mm_stat": "9 9 51200000 0 0 0 0 0",
            "proc/7/status": "Name:\tmap=per\nRssAnon:\t 2048 kB\n",
            "proc/8/status": "Name:\tmail\nRssAnon:\t 1024 kB\n"}  # fmt: skip
    source = Captured({path: text.encode() for path, text in tree.items()})
    levels = read_levels(source, 1)
    assert levels is not None
    one = sample(_counters(0, 0, 0, 10, 0), _counters(10, 500, 500, 30, 10**6), levels)
    assert one.swap_used == 1000000 * 1024 - 100000 * 1024 - 51200000
    assert one.swapped_in == 20
    assert one.memory_stall == pytest.approx(0.1)
    assert (one.cores_busy, one.busiest_core, one.core_count) == (0.5, 0.5, 2)
    assert one.programs == "map_per=2097152"
    assert read_levels(Captured({"x": b""})) is None
    vmstat = {"proc/vmstat": b"pswpin 3\npswpout 5\n", "proc/stat": STAT.format(7, 3, 10).encode()}
    counters = read_counters(Captured(vmstat))
    assert (counters.swapped_in, counters.swapped_out) == (3 * 4096, 5 * 4096)
    assert counters.busy == {"cpu0": (7, 10), "cpu1": (0, 10)}


VM_STAT = """\
Mach Virtual Memory Statistics: (page size of 16384 bytes)
Pages free:                               12000.
Pages inactive:                          120000.
Pages purgeable:                           8000.
Swapins:                                    {}.
Swapouts:                                   50.
"""
SYSCTL = "hw.memsize: 8589934592\nvm.swapusage: total = 2048.00M  used = 1023.50M  free = 1M\n"


def test_the_macos_port_gives_the_same_kind_of_sample() -> None:
    swapins = iter((10, 10, 30))
    ticks = iter(([5, 5, 80, 10] * 2, [55, 5, 130, 10] * 2))

    def ask(words: list[str]) -> str:
        return SYSCTL if "sysctl" in words[0] else VM_STAT.format(next(swapins))

    meter = MacMeter(ask, lambda: next(ticks))
    before, levels, now = meter.counters(), meter.levels(), meter.counters()
    assert levels is not None
    one = sample(before, now, levels)
    assert one.memory_available == 140000 * 16384
    assert (one.swap_total, one.swap_used) == (2 * GIB, round(1023.5 * (1 << 20)))
    assert one.swapped_in == 20 * 16384
    assert (one.cores_busy, one.core_count) == (1.0, 2)
    assert MacMeter(lambda words: "", list).levels() is None


def test_the_windows_port_gives_the_same_kind_of_sample() -> None:
    status = struct.pack("<II7Q", 64, 50, 8 * GIB, 3 * GIB, 10 * GIB, 4 * GIB, 0, 0, 0)
    times = iter([(0, 0, 0), (60, 90, 10)])
    pages = iter([(7000, 10), (7020, 10)])
    files = b""

    def ask(path: str) -> bytes:
        if path == "calls/processor-times":
            return struct.pack("<qqqqqIi", *next(times), 0, 0, 0, 0) * 4
        if path == "calls/performance":
            read, written = next(pages)
            return struct.pack("<80xI12xI200x", read, written)
        return {"calls/memory-status": status, "calls/page-files": files}.get(path, b"")

    meter = WindowsMeter(ask)
    before, levels, now = meter.counters(), meter.levels(), meter.counters()
    assert levels is not None
    one = sample(before, now, levels)
    assert (one.memory_total, one.memory_available) == (8 * GIB, 3 * GIB)
    assert (one.swap_total, one.swap_used) == (2 * GIB, GIB)
    assert one.cores_busy == pytest.approx(1.6)
    assert (one.busiest_core, one.core_count) == (0.4, 4)
    assert (one.swapped_in, one.swapped_out, one.memory_stall) == (20 * 4096, 0, None)
    files = struct.pack("<QQQQ", 1 << 18, 1 << 10, 1 << 18, 0)
    levels = meter.levels()
    assert levels is not None
    assert (levels.swap_total, levels.swap_used) == (2 * GIB, 4 << 20)


def _process(name: str, private: int, in_memory: int, following: int, at: int) -> bytes:
    """One entry of SYSTEM_PROCESS_INFORMATION, its name behind it."""
    text = name.encode("utf-16-le")
    entry = bytearray(256)
    struct.pack_into("<I", entry, 0, following)
    struct.pack_into("<H6xQ", entry, 56, len(text), at + 256 if text else 0)
    struct.pack_into("<Q", entry, 144, in_memory)
    struct.pack_into("<Q", entry, 200, private)
    return bytes(entry) + text.ljust(44, b"\0")


def test_the_programs_that_hold_most_are_noted_there_too() -> None:
    base, room = 0x7F0000000000, 300
    entries = [("", 8, 8), ("Ledger.exe", 900, 700), ("zeta; x.exe", 300, 800),
               ("Ledger.exe", 100, 200), ("日記.exe", 50, 60)]  # fmt: skip
    listed = struct.pack("<Q", base) + b"".join(
        _process(name, private, there, room if at < 4 else 0, base + at * room)
        for at, (name, private, there) in enumerate(entries)
    )
    status = struct.pack("<II7Q", 64, 50, 8 * GIB, 3 * GIB, 10 * GIB, 4 * GIB, 0, 0, 0)
    answers = {"calls/memory-status": status, "calls/processes": listed}
    levels = WindowsMeter(answers.get, 3).levels()
    assert levels is not None
    assert levels.programs == "Ledger.exe=800;zeta_x.exe=300;日記.exe=50"
    for cut in range(0, len(listed), 7):  # a list cut short gives what it has, and no error
        list(windows_held(listed[:cut]))

    def ask(words: list[str]) -> str:
        if "ps" in words[0]:
            return "  1024 Ledger\n 99 zeta x\n     7 Ledger\n"
        return SYSCTL if "sysctl" in words[0] else VM_STAT.format(1)

    levels = MacMeter(ask, list, 2).levels()
    assert levels is not None
    assert levels.programs == f"Ledger={1031 << 10};zeta_x={99 << 10}"


def test_what_a_windows_system_does_not_tell_is_unknown() -> None:
    meter = WindowsMeter(lambda path: struct.pack("<1024x") if "performance" in path else None)
    assert meter.levels() is None
    assert (meter.counters().swapped_in, meter.counters().busy) == (None, {})


@pytest.mark.parametrize(
    ("wall", "steady", "gap"), [(5, 5, False), (3600, 5, True), (5, 3600, True), (-3600, 5, True)]
)
def test_suspends_and_clock_changes_are_gaps(wall: float, steady: float, gap: bool) -> None:
    before = Counters(0, 0, None, None, None, None, {})
    now = Counters(wall, steady, None, None, None, None, {})
    assert is_gap(before, now, 5.0) == gap


def _record(folder: Path, *words: str) -> "subprocess.Popen[bytes]":
    return subprocess.Popen(
        [COMMAND, "record", "-o", "x.csv", "--every", "0.1s", *words], cwd=folder,
        stdout=subprocess.PIPE, stderr=subprocess.PIPE,
    )  # fmt: skip


def _wait_for_rows(path: Path, count: int) -> None:
    for _ in range(600):
        if path.exists() and path.read_bytes().count(b"\n") >= count:
            return
        time.sleep(0.05)
    raise AssertionError(f"{path} never had {count} lines")


def test_a_recording_survives_being_killed_and_is_mended(tmp_path: Path) -> None:
    path = tmp_path / "x.csv"
    process = _record(tmp_path, "--for", "60s")
    _wait_for_rows(path, 5)
    process.kill()
    process.communicate()
    whole = path.read_bytes().count(b"\n")
    with path.open("ab") as file:
        file.write(b"2026-11-24T0")
    assert len(read_log(str(path), {}).time) == whole - 2
    again = call("record", "-o", "x.csv", "--every", "0.1s", "--for", "0.3s", cwd=tmp_path)
    assert again.code == 0
    assert "torn" in again.err
    assert len(read_log(str(path), {}).time) >= whole
    assert "2026-11-24T0\n" not in path.read_text()


@pytest.mark.parametrize("number", [signal.SIGINT, signal.SIGTERM])
def test_a_recording_stops_cleanly_when_asked(tmp_path: Path, number: int) -> None:
    process = _record(tmp_path, "--for", "60s", "--programs", "2")
    _wait_for_rows(tmp_path / "x.csv", 4)
    process.send_signal(number)
    out, err = process.communicate(timeout=20)
    assert process.returncode == 0, err
    assert b"wrote" in out
    assert b"\x1b" not in out + err
    assert (tmp_path / "x.csv").read_text().splitlines()[1].endswith("drive_stall,programs")


@pytest.mark.parametrize(
    ("text", "words", "code", "part"),
    [
        ("a,b\n1,2\n", [], 3, "columns"),
        (f"# machine: another\n{HEADER}\n", [], 3, "another"),
        ("", ["--every", "0s"], 2, "--every"),
        ("", ["--for", "soon"], 2, "--for"),
    ],
)
def test_a_log_of_another_machine_is_not_appended_to(
    tmp_path: Path, text: str, words: list[str], code: int, part: str
) -> None:
    (tmp_path / "x.csv").write_text(text)
    ran = call("record", "-o", "x.csv", "--for", "1s", *words, cwd=tmp_path)
    assert ran.code == code
    assert part in ran.err
    assert (tmp_path / "x.csv").read_text() == text


@pytest.mark.parametrize("shell", [["sh"], ["busybox", "sh"]], ids=" ".join)
def test_the_kits_recorder_writes_the_same_log(shell: list[str], tmp_path: Path) -> None:
    (tmp_path / "record.sh").write_text(call("kit", "linux", "--record").out)
    try:
        process = subprocess.Popen([*shell, "record.sh", "x.csv", "1", "1"], cwd=tmp_path)
    except FileNotFoundError:
        pytest.skip(f"{shell[0]} is not on this machine")
    _wait_for_rows(tmp_path / "x.csv", 4)
    process.terminate()
    assert process.wait(timeout=20) == 0
    assert sorted(os.listdir(tmp_path)) == ["record.sh", "x.csv"]
    found = json.loads(call("usage", "x.csv", "--format", "json", cwd=tmp_path).out)
    assert found["figures"]["total"] > 0
    assert found["figures"]["core_count"] == os.cpu_count()
    assert found["problems"] == []


MACOS_COMMANDS = {
    "vm_stat": """
echo 'Mach Virtual Memory Statistics: (page size of 16384 bytes)'
echo 'Pages free:                               10000.'
echo 'Pages active:                            200000.'
echo 'Pages inactive:                           20000.'
echo 'Pages speculative:                         1000.'
echo 'Pages purgeable:                            500.'
echo '"Translation faults":                 123456789.'
n=$(cat count); n=$((n + 10)); echo $n > count
echo "Swapins:                                    $n."
echo 'Swapouts:                                     7.'
""",
    "sysctl": """
case $2 in
hw.logicalcpu) echo 8 ;;
hw.memsize) echo 17179869184 ;;
vm.swapusage) echo 'total = 2048.00M  used = 1023.50M  free = 1024.50M  (encrypted)' ;;
esac
""",
    "top": """
sleep 1.1
echo 'CPU usage: 99.0% user, 0.50% sys, 0.50% idle '
echo 'CPU usage: 20.10% user, 4.90% sys, 75.0% idle '
""",
}


@pytest.mark.parametrize("shell", [["sh"], ["bash", "--posix"]], ids=" ".join)
def test_the_recorder_for_macos(shell: list[str], tmp_path: Path) -> None:
    (tmp_path / "record.sh").write_text(call("kit", "macos", "--record").out)
    (tmp_path / "count").write_text("1000")
    for name, script in MACOS_COMMANDS.items():
        (tmp_path / name).write_text("#!/bin/sh\n" + script)
        (tmp_path / name).chmod(0o755)
    env = {**os.environ, "PATH": f"{tmp_path}:{os.environ['PATH']}"}
    try:
        process = subprocess.Popen([*shell, "record.sh", "x.csv", "1", "1"], cwd=tmp_path, env=env)
    except FileNotFoundError:
        pytest.skip(f"{shell[0]} is not on this machine")
    _wait_for_rows(tmp_path / "x.csv", 4)
    process.terminate()
    assert process.wait(timeout=20) == 0
    lines = (tmp_path / "x.csv").read_text().splitlines()
    assert lines[2].split(",")[1:] == [
        str(16 * GIB), str(31500 * 16384), str(2 * GIB), str(2047 << 19), str(10 * 16384), "0", "",
        "2.0000", "", "8",
    ]  # fmt: skip
    assert (
        json.loads(call("usage", "x.csv", "--format", "json", cwd=tmp_path).out)["problems"] == []
    )


@pytest.mark.parametrize("system", ["linux", "macos"])
@pytest.mark.parametrize("words", [["soon"], ["1.2.3"], ["5", "-1"], ["."]])
def test_a_step_that_is_no_number_is_refused(system: str, words: list[str], tmp_path: Path) -> None:
    (tmp_path / "record.sh").write_text(call("kit", system, "--record").out)
    ran = subprocess.run(
        ["sh", "record.sh", "x.csv", *words], cwd=tmp_path, capture_output=True, check=False
    )
    assert (ran.returncode, b"expected a number" in ran.stderr) == (2, True)
    assert not (tmp_path / "x.csv").exists()


@pytest.mark.parametrize(("rows", "said"), [
    (b"0001-01-01T00:00:00Z,8 GB,4 GB\n9999-01-01T00:00:00Z,8 GB,4 GB\n",
     "2 rows with a time before 1970 or after 2200"),
    (b"soon,8 GB,4 GB,\xff\xaf\n", "1 row with other cells than the header has"),
    (b"so\xffon,8 GB,4 GB\n", "1 row without a time that reads as one"),
])  # fmt: skip
def test_rows_that_no_log_has_are_counted_and_nothing_more(
    rows: bytes, said: str, tmp_path: Path
) -> None:
    head = b"time,memory_total,memory_available\n2026-11-24T09:00:00Z,8 GB,4 GB\n"
    (tmp_path / "a.csv").write_bytes(head + rows)
    ran = call("usage", "a.csv", cwd=tmp_path)
    assert (ran.code, ran.err) == (0, "")
    assert said in " ".join(ran.out.split())
