"""The one program to carry: what it does with nothing else on the machine."""

import json
import shutil
from pathlib import Path

import pytest

from tests.helpers import Ran
from tests.windows.conftest import ROOT, Run, wine

BUILT = ROOT / "dist" / "tallcheck.exe"
NEEDS = """tallcheck = "needs/1"
title = "Potting shed"
kind = "program"
[minimum]
memory = "1 GB"
"""


@pytest.fixture
def carried(tmp_path: Path) -> Run:
    """Run a copy of the program that lies in a folder of its own."""
    (tmp_path / "stick").mkdir()
    program = str(shutil.copy(BUILT, tmp_path / "stick" / "tallcheck.exe"))

    def call(*words: str, stdin: bytes = b"", env: dict[str, str] | None = None) -> Ran:
        return wine(program, *words, cwd=tmp_path, stdin=stdin, env=env)

    return call


def test_it_checks_the_machine_it_runs_on(carried: Run, tmp_path: Path) -> None:
    assert carried("gather", "-o", "here.json").code == 0
    sheet = json.loads((tmp_path / "here.json").read_bytes())
    assert sheet["system"]["family"] == "windows"
    assert carried("check", "here.json", "merrow@10").code in (0, 10, 11, 12, 13, 14)
    assert "usable" in carried("show", "here.json").out
    said = carried("describe", "bench", "--for", "merrow@10", stdin=b"8 GB\n?\n?\n?\n?\n?\n?\n?\n")
    assert "Traceback" not in said.err
    assert "Merrow 10" in said.out + said.err


def test_it_says_what_to_install_for_the_rest(carried: Run, tmp_path: Path) -> None:
    ran = carried("check", "here", "merrow@10", "--save", "answer.html")
    assert (ran.code, "pip install 'tall-check[full]'" in ran.err) == (5, True)
    assert not (tmp_path / "answer.html").exists()
    assert carried("fleet", ".", "merrow@10").code == 5


def test_it_keeps_its_sheets_and_settings_beside_itself(carried: Run, tmp_path: Path) -> None:
    stick = tmp_path / "stick"
    (stick / "needs").mkdir()
    (stick / "needs" / "shed.needs.toml").write_text(NEEDS)
    (stick / "config.toml").write_text("needs_pth = 1\n")
    assert carried("check", "here", "shed").code == 3  # the platform's folder is looked in
    (stick / "tallcheck.portable").touch()
    refused = carried("check", "here", "shed")
    assert "config.toml" in refused.err  # its settings are read, and have a wrong key
    (stick / "config.toml").unlink()
    assert carried("check", "here", "shed").code == 0
