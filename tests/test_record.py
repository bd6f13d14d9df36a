"""The recorder and its file: killed, deleted, cut short, full, and two at once."""

import os
import random
import resource
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.helpers import COMMAND, run

pytestmark = pytest.mark.skipif(sys.platform == "win32", reason="signals and limits of POSIX")
STEP = "0.2s"


def start(log: Path, length: str = "20s", **more: object) -> "subprocess.Popen[str]":
    """A recorder at work, once its first rows are on disk."""
    before = len(rows(log)) if log.exists() else 0
    found: subprocess.Popen[str] = subprocess.Popen(
        [COMMAND, "record", "-o", str(log), "--every", STEP, "--for", length],
        stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, **more,  # type: ignore[call-overload]
    )  # fmt: skip
    for _ in range(400):
        if log.exists() and len(rows(log)) > before + 1:
            return found
        time.sleep(0.02)
    raise AssertionError(found.communicate())


def rows(log: Path) -> list[str]:
    """The whole rows."""
    lines = log.read_text().split("\n")[:-1]
    return [line for line in lines if not line.startswith(("#", "time,"))]


def whole(log: Path) -> bool:
    """Whether the log is a header once, and rows of as many cells each."""
    text = log.read_text()
    return text.count("# machine:") == 1 and len({row.count(",") for row in rows(log)}) == 1


def ended(found: "subprocess.Popen[str]") -> tuple[int, str, str]:
    """Interrupted by its user: exit code and what it said."""
    found.send_signal(signal.SIGINT)
    out, err = found.communicate(timeout=20)
    return found.returncode, out, err


def test_killed_at_random_no_row_is_lost_and_a_torn_one_is_mended(tmp_path: Path) -> None:
    log, rng, count = tmp_path / "a.csv", random.Random(1), 0
    for turn in range(6):
        one = start(log)
        time.sleep(rng.random())
        one.kill()
        one.wait()
        assert len(rows(log)) > count
        count = len(rows(log))
        if turn % 2:
            with open(log, "ab") as file:
                file.write(b"2026-11-24T10:0")
    assert whole(log)


@pytest.mark.parametrize(
    ("what", "said"),
    [
        (lambda log: log.unlink(), "was deleted or moved away; it is begun anew"),
        (lambda log: log.rename(log.with_suffix(".old")), "begun anew"),
        (lambda log: os.truncate(log, 0), "cut short by another program"),
        (lambda log: os.truncate(log, log.read_bytes().rfind(b"\n", 0, -1) + 1), "cut short"),
    ],
)
def test_what_happens_to_the_file_is_said(
    tmp_path: Path, what: Callable[[Path], None], said: str
) -> None:
    log = tmp_path / "a.csv"
    one = start(log)
    what(log)
    for _ in range(400):
        if log.exists() and len(rows(log)) > 2:
            break
        time.sleep(0.02)
    code, _, err = ended(one)
    assert (code, said in err, err.count("\n")) == (0, True, 1)
    assert whole(log)


def test_two_at_once_are_told_apart(tmp_path: Path) -> None:
    log = tmp_path / "a.csv"
    one = start(log)
    other = subprocess.run(
        [COMMAND, "record", "-o", str(log), "--every", STEP, "--for", "2s"], capture_output=True,
        text=True, check=False,
    )  # fmt: skip
    first = ended(one) if one.poll() is None else (one.wait(), *one.communicate())
    assert sorted([first[0], other.returncode]) == [0, 4]
    assert "another recorder writes to it" in first[2] + other.stderr
    assert whole(log)


def test_a_full_disk_leaves_out_samples_and_never_half_a_row(tmp_path: Path) -> None:
    log = tmp_path / "a.csv"

    def narrow() -> None:
        resource.setrlimit(resource.RLIMIT_FSIZE, (700, resource.RLIM_INFINITY))

    one = start(log, "4s", preexec_fn=narrow)
    out, err = one.communicate(timeout=30)
    assert one.returncode == 4
    assert f"{log}: cannot be written: File too large; samples are left out" in err
    assert "samples could not be written" in err
    assert "Traceback" not in err
    assert f"wrote {len(rows(log))} rows" in out
    assert whole(log)
    assert run("record", "-o", str(log), "--every", STEP, "--for", "0.5s").code == 0
    assert whole(log)
