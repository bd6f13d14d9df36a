"""Many hosts at once, with a stand-in for ssh: garbage, no end, late, never, and an interrupt."""

import os
import signal
import subprocess
import time
from pathlib import Path
from typing import Any

import pytest

from tests.helpers import COMMAND, linux_tree, run, tar_of

STAND_IN = """#!/bin/sh
while [ "$1" != "--" ]; do shift; done
case "$2" in
  good*) cat "$CAPTURE" ;;
  garbage) head -c 100000 /dev/urandom ;;
  endless) cat /dev/zero ;;
  fails) echo "no route to host" >&2; exit 255 ;;
  late) sleep 60 & exec cat "$CAPTURE" ;;  # somebody else keeps the pipe open
  never*) sleep 60 & sleep 60 ;;
esac
"""


@pytest.fixture
def office(tmp_path: Path) -> dict[str, str]:
    """An environment whose ``ssh`` answers by the host's name."""
    (tmp_path / "bin").mkdir()
    ssh = tmp_path / "bin" / "ssh"
    ssh.write_text(STAND_IN)
    ssh.chmod(0o755)
    (tmp_path / "capture.tar").write_bytes(tar_of(linux_tree()))
    return {"PATH": f"{tmp_path}/bin:{os.environ['PATH']}",
            "CAPTURE": str(tmp_path / "capture.tar")}  # fmt: skip


def test_each_host_has_its_own_end(office: dict[str, str], tmp_path: Path) -> None:
    folder = tmp_path / "machines"
    (folder / "good-3.machine.json").mkdir(parents=True)
    (folder / "good-4.machine.json").write_text("my notes")
    sheet = '{"tallcheck": "machine/1", "name": "x", "origins": {"display": {"how": "read"}}}'
    (folder / "good-5.machine.json").write_text(sheet[:-2])  # it breaks off: it is read anew
    (folder / "good-6.machine.json").write_text(sheet)
    lines = ["good-1", "# a remark", "a b", "n" * 300, "admin@good-1"]
    (tmp_path / "hosts").write_text("\n".join(lines))
    start = time.monotonic()
    named = [
        "good-2",
        "garbage",
        "endless",
        "fails",
        "late",
        "never",
        "good-3",
        "good-4",
        "good-5",
        "good-6",
    ]
    ran = run("gather", "--hosts", "hosts", "--ssh", *named, "--within", "3s", "-o", "machines",
              cwd=tmp_path, env=office)  # fmt: skip
    assert time.monotonic() - start < 30
    assert ran.code == 3
    said = ran.out + ran.err
    for text in (
        "good-1: wrote", "good-2: wrote", "good-6: there already",
        "hosts, line 3: a b: found 'a b'; expected the name of a host",
        "hosts, line 4: nnnnn", "hosts, line 5: admin@good-1: found 'good-1' and 'admin@good-1'",
        "garbage: ", "endless: sent more than", "fails: no route to host",
        "late: gave no capture within 3 s", "never: gave no capture within 3 s",
        "good-3: machines/good-3.machine.json: is a folder",
        "good-4: machines/good-4.machine.json: exists already", "good-5: wrote",
    ):  # fmt: skip
        assert text in said, (text, said)
    assert (folder / "good-4.machine.json").read_text() == "my notes"
    last = ran.out.splitlines()[-1]
    assert last.startswith("wrote 3 sheets to machines; 1 was there already")
    assert last.endswith("10 failed: garbage, endless, fails, late, never, good-3, good-4, a b, "
                         + "n" * 300 + ", admin@good-1")  # fmt: skip


def test_an_interrupt_ends_it_within_a_second(office: dict[str, str], tmp_path: Path) -> None:
    hosts = ["good-1", "good-2", *(f"never-{at}" for at in range(166))]
    (tmp_path / "hosts").write_text("\n".join(hosts))
    process = subprocess.Popen(
        [COMMAND, "gather", "--hosts", "hosts", "-o", "machines"], cwd=tmp_path, text=True,
        env=os.environ | office, stdout=subprocess.PIPE, stderr=subprocess.PIPE,
    )  # fmt: skip
    place = tmp_path / "machines" / "good-2.machine.json"
    _wait_for(place)
    time.sleep(0.3)
    process.send_signal(signal.SIGINT)
    start = time.monotonic()
    out, err = process.communicate(timeout=20)
    assert time.monotonic() - start < 2
    assert process.returncode == 130
    assert "good-1: wrote" in out
    assert err.count("interrupted before it answered") == 166
    assert not _left(tmp_path)


def _wait_for(place: Path) -> None:
    """Until a sheet is there, or some seconds are over."""
    for _ in range(200):
        if place.exists():
            break
        time.sleep(0.1)


def _left(folder: Path) -> list[Any]:
    return list(folder.rglob(".tallcheck-*"))


@pytest.mark.parametrize("number", [signal.SIGTERM, signal.SIGHUP])
def test_an_end_from_outside_leaves_nothing_half(
    office: dict[str, str], tmp_path: Path, number: int
) -> None:
    process = subprocess.Popen(
        [COMMAND, "gather", "--ssh", "good-1", "never", "-o", "machines"], cwd=tmp_path,
        env=os.environ | office, stdout=subprocess.PIPE, stderr=subprocess.PIPE,
    )  # fmt: skip
    place = tmp_path / "machines" / "good-1.machine.json"
    _wait_for(place)
    process.send_signal(number)
    process.communicate(timeout=20)
    assert process.returncode == 128 + number
    assert place.exists()
    assert not _left(tmp_path)
