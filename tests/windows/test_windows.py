"""The built program on Windows' own interfaces, folders, pipes and consoles."""

import json
import os
import re
import signal
import subprocess
import time
from pathlib import Path
from typing import Any

import pytest

from tests.windows.conftest import PYTHON, WINE, Run, wine

GIB = 1 << 30
NAME = "Müller 日本"
DEMO = str(Path(__file__).parents[2] / "src" / "tallcheck" / "data" / "demo")


def demo(*parts: str) -> str:
    """A path of the demo data as Windows writes it."""
    return "Z:" + os.path.join(DEMO, *parts).replace("/", "\\")


def meminfo(key: str) -> int:
    """What the host's kernel says, in bytes."""
    found = re.search(rf"^{key}:\s+(\d+) kB", Path("/proc/meminfo").read_text(), re.M)
    assert found
    return int(found[1]) * 1024


@pytest.fixture
def here(run: Run, tmp_path: Path) -> Any:
    """The sheet of this machine, gathered there."""
    ran = run("gather", "-o", "here.json", "--name", NAME)
    assert (ran.code, ran.err) == (0, "")
    return json.loads((tmp_path / "here.json").read_bytes())


def test_gather_tells_what_the_host_knows(here: Any) -> None:
    assert here["name"] == NAME
    assert here["memory"]["usable"] == pytest.approx(meminfo("MemTotal"), rel=0.02)
    assert here["memory"]["available"] == pytest.approx(meminfo("MemAvailable"), rel=0.3)
    assert here["processor"]["threads"] == len(os.sched_getaffinity(0))
    assert here["processor"]["cores"] <= here["processor"]["threads"]
    model = re.search(r"model name\s*: (.*)", Path("/proc/cpuinfo").read_text())
    assert model is None or " ".join(model[1].split()) == here["processor"]["name"]
    assert (here["processor"]["bits"], here["system"]["os_bits"]) == (64, 64)
    assert (here["system"]["os"], here["system"]["family"]) == ("Windows", "windows")
    assert here["system"]["os_version"] == "10"
    assert [one["system"] for one in here["storage"] if one["mount"] == "C:"] == [True]
    # Wine has no such interface, and says that there is no module
    assert "mode" not in here["firmware"]
    assert here["firmware"]["security_module"] == "none"


def test_json_through_a_pipe_is_read_back(run: Run, here: Any) -> None:
    printed = run("gather", "--name", NAME)
    assert json.loads(printed.out)["name"] == NAME
    assert "\r" not in printed.out
    checked = run("check", "-", "merrow@10", "--format", "json", stdin=printed.out.encode())
    assert checked.json()["machine"] == NAME
    again = run("check", "here.json", "merrow@10", "--format", "json").json()
    assert again["decision"]["answer"] == checked.json()["decision"]["answer"]
    assert run("check", "here", "--need", "memory=1GB").code == 0
    assert run("check", "here", "--need", "memory=64TB").code == 10


@pytest.mark.parametrize("encoding", ["utf-8-sig", "utf-16"])
def test_files_that_shells_there_write(run: Run, here: Any, tmp_path: Path, encoding: str) -> None:
    text = json.dumps(here, ensure_ascii=False).replace("\n", "\r\n")
    (tmp_path / "shell.json").write_bytes(text.encode(encoding))
    ran = run("check", "shell.json", "--need", "memory=1GB", "--format", "json")
    assert (ran.code, ran.json()["machine"]) == (0, NAME)
    rows = f"Computer name;RAM;Shape\r\n{NAME};8 GB;notebook\r\n"
    (tmp_path / "list.csv").write_bytes(rows.encode(encoding))
    ran = run("fleet", "list.csv", "merrow@10", "--save", "out.csv", "--save", "out.html")
    assert ran.code == 0
    assert NAME in (tmp_path / "out.csv").read_text(encoding="utf-8")
    assert NAME in (tmp_path / "out.html").read_text(encoding="utf-8")


def test_a_workbook_is_written_and_read_back(run: Run, tmp_path: Path) -> None:
    (tmp_path / "list.csv").write_text(f"Host;RAM (GB)\n{NAME};8\nother;4\n", encoding="utf-8")
    words = ("--need", "memory=8GB", "--format", "json")
    one = run("fleet", "list.csv", *words, "--save", "out.xlsx").json()
    other = run("fleet", "out.xlsx", *words).json()
    assert one["answers"] == other["answers"]
    assert (one["answers"]["ready"], one["machines"]) == (1, 2)


def test_a_call_with_piped_answers(run: Run, tmp_path: Path) -> None:
    answers = "8 GB\nnotebook\n" + "don't know\n" * 12
    ran = run("describe", NAME, "--for", "merrow@10", "-o", "call.json", stdin=answers.encode())
    assert ran.code in (0, 10, 11, 12, 13, 14)
    assert json.loads((tmp_path / "call.json").read_bytes())["name"] == NAME


def test_a_recording_and_what_it_says(run: Run, tmp_path: Path) -> None:
    ran = run("record", "-o", "log.usage.csv", "--every", "0.2s", "--for", "2s",
              "--programs", "3")  # fmt: skip
    assert ran.code == 0
    lines = (tmp_path / "log.usage.csv").read_text(encoding="utf-8").splitlines()
    rows = [line.split(",") for line in lines if not line.startswith("#")]
    header, samples = rows[0], [dict(zip(rows[0], row, strict=True)) for row in rows[1:]]
    assert len(samples) >= 5
    assert int(samples[0]["memory_total"]) == pytest.approx(meminfo("MemTotal"), rel=0.02)
    assert "python.exe=" in samples[0]["programs"]
    assert samples[0]["core_count"] == str(os.cpu_count())
    # Wine counts no paging: unknown, and said to be so
    assert {sample["swapped_in"] for sample in samples} == {""}
    assert "memory_stall" in header
    said = run("usage", "log.usage.csv")
    assert said.code == 0
    assert "swapping is unknown on this log" in " ".join(said.out.split()).lower()


def test_a_recording_that_is_interrupted_is_whole(tmp_path: Path) -> None:
    # Wine hands the signal on as the console's Ctrl+C
    words = ["wine", str(PYTHON), "-m", "tallcheck", "record", "-o", "i.csv", "--every", "0.2s"]
    with subprocess.Popen(
        words, cwd=tmp_path, env={**os.environ, **WINE}, stdin=subprocess.PIPE,
        stdout=subprocess.PIPE, stderr=subprocess.PIPE,
    ) as ran:  # fmt: skip
        log = tmp_path / "i.csv"
        while not log.exists() or log.read_bytes().count(b"\n") < 6:
            time.sleep(0.2)
        ran.send_signal(signal.SIGINT)
        out, err = ran.communicate(timeout=60)
    assert (ran.returncode, err) == (0, b"")
    assert out.startswith(b"wrote ")
    assert log.read_bytes().endswith(b"\n")


def test_plans_pages_and_pictures(run: Run, tmp_path: Path) -> None:
    machine = demo("machines", "archive-10.machine.json")
    plan = run("upgrade", machine, "--to", "16GB", "--parts", demo("parts", "garden.parts.csv"),
               "--format", "json")  # fmt: skip
    assert plan.json()["tallcheck"] == "plan/1"
    saved = run("check", machine, "merrow@10", "--save", "a.html", "--save", "b.png", "--save",
                "c d.md", "--quiet")  # fmt: skip
    assert saved.code in (0, 10, 11, 12, 13, 14)
    assert (tmp_path / "b.png").read_bytes().startswith(b"\x89PNG")
    assert "Merrow 10" in (tmp_path / "a.html").read_text(encoding="utf-8")
    assert (tmp_path / "c d.md").exists()


@pytest.mark.parametrize(
    ("words", "code", "text"),
    [(["chek"], 2, "check"), (["check", "no.json", "merrow@10"], 3, "no.json"),
     (["check", r"C:\no where\x.json", "merrow@10"], 3, r"C:\no where\x.json"),
     (["gather", "-o", r"Q:\none\x.json"], 4, r"Q:\none\x.json"),
     (["gather", "-o", "NUL"], 0, ""), (["check", "here", "--need", "memory=much"], 2, "memory")],
)  # fmt: skip
def test_exit_codes_and_paths(run: Run, words: list[str], code: int, text: str) -> None:
    ran = run(*words)
    assert (ran.code, text in ran.err + ran.out) == (code, True), ran
    assert "Traceback" not in ran.err


HELD = """
import ctypes, subprocess, sys
open("held.json", "w").close()
# another program has it open, and shares it with nobody
handle = ctypes.windll.kernel32.CreateFileW("held.json", 0xC0000000, 0, None, 3, 0, None)
words = [sys.executable, "-m", "tallcheck", "gather", "-o", "held.json"]
sys.exit(subprocess.run(words).returncode)
"""


def test_a_file_that_another_program_holds_open(tmp_path: Path) -> None:
    ran = wine(str(PYTHON), "-c", HELD, cwd=tmp_path)
    assert ran.code == 4
    assert "held.json" in ran.err
    assert "Traceback" not in ran.err
    assert [path.name for path in tmp_path.iterdir()] == ["held.json"]


def test_long_paths(run: Run, tmp_path: Path) -> None:
    folder = tmp_path / ("deep" * 12) / ("deeper" * 12) / ("deepest" * 12)
    folder.mkdir(parents=True)
    path = "Z:" + str(folder / "here.json").replace("/", "\\")
    assert run("gather", "-o", path).code in (0, 4)
    assert not [p for p in folder.iterdir() if p.name.startswith(".tallcheck-")]
