"""What exists is not overwritten by what it was not made by, and says so; by force it is."""

import os
from pathlib import Path

import pytest

from tallcheck.files.demo_data import demo_log
from tests.helpers import DEMO, call, demo_machine

READ = demo_machine("potting-02")
LOG = "log.usage.csv"
MAKERS = {
    "gathered": ("gather", "-o"),
    "told": ("describe", "a", "ram=8GB", "-o"),
    "needs": ("needs", "new", "A", "memory=4GB", "-o"),
    "json": ("check", READ, "merrow@10", "--save"),
    "csv": ("check", READ, "merrow@10", "--save"),
    "html": ("check", READ, "merrow@10", "--save"),
    "txt": ("check", READ, "merrow@10", "--save"),
    "fleet": ("fleet", os.path.join(DEMO, "machines"), "merrow@10", "--save"),
    "fleet page": ("fleet", os.path.join(DEMO, "machines"), "merrow@10", "--save"),
    "plot": ("usage", LOG, "--plot"),
}  # fmt: skip
"""Commands by what they write, without the file."""
ENDINGS = {"html": "html", "csv": "csv", "fleet": "csv", "fleet page": "html", "txt": "txt",
           "json": "json", "plot": "svg"}  # fmt: skip
KINDS = {
    "gathered": b'{"tallcheck": "machine/1", "name": "a", "origins": {"memory.installed": '
                b'{"how": "read", "from": "x"}}}',
    "told": b'\xef\xbb\xbf{\n "tallcheck": "machine/1", "name": "a"}',
    "needs": b'# ours\ntallcheck = "needs/1"\n',
    "log": b"# machine: a\ntime,memory_total,memory_available\n",
    "json": b'{"tallcheck": "check/1"}',
    "csv": b"machine,from,strength,key,need,have,status,ratio,fixes,origin,note,answer\n",
    "fleet": b"name,answer,limiting,target_memory\na,ready,,\n",
    "html": b"<!doctype html>\n<footer>Made by Tall Check. </footer>\n",
    "other": b"my own notes\n",
}  # fmt: skip
OVER = {
    "gathered": {"gathered"}, "told": {"told"}, "needs": set(), "json": {"json"},
    "csv": {"csv"}, "html": {"html"}, "txt": {"other"}, "fleet": {"fleet"},
    "fleet page": {"html"}, "plot": {"other"},
}  # fmt: skip
"""What each may be written over."""


def _place(maker: str, folder: Path) -> Path:
    (folder / LOG).write_bytes(demo_log("ten-minutes"))
    return folder / f"there.{ENDINGS.get(maker, 'txt')}"


@pytest.mark.parametrize("maker", MAKERS)
def test_only_what_it_was_made_by(maker: str, tmp_path: Path) -> None:
    path = _place(maker, tmp_path)
    for kind, content in KINDS.items():
        path.write_bytes(content)
        found = call(*MAKERS[maker], str(path), cwd=tmp_path)
        if kind in OVER[maker]:
            assert found.code in (0, 10), (kind, found.err)
            assert path.read_bytes() != content
        else:
            assert found.code == 4, kind
            assert found.err.startswith(f"tallcheck: error: {path}: exists already")
            assert "--force" in found.err
            assert path.read_bytes() == content
    assert call(*MAKERS[maker], str(path), "--force", cwd=tmp_path).code in (0, 10)
    assert path.read_bytes() != content


@pytest.mark.parametrize("maker", MAKERS)
def test_what_it_wrote_is_its_own(maker: str, tmp_path: Path) -> None:
    path = _place(maker, tmp_path)
    assert call(*MAKERS[maker], str(path), cwd=tmp_path).code in (0, 10)
    refused = call(*MAKERS[maker], str(path), cwd=tmp_path).code == 4
    assert refused == (maker == "needs")  # what is filled in is somebody's
