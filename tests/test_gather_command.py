"""The command `gather` on captures: what it prints, where it writes, what it leaves out."""

import json
import tarfile
from pathlib import Path

import pytest

from tests.helpers import (
    BOARD,
    CHASSIS,
    END,
    GIB,
    array_structure,
    linux_tree,
    module_structure,
    run,
    system_structure,
    tar_of,
)

TABLE = b"".join(
    [
        BOARD,
        system_structure("Larkmoor", "Leaf 13"),
        CHASSIS,
        array_structure(2, 16 << 20),
        module_structure(0x11, 8192, "DIMM A1", speed=1333),
        module_structure(0x12, 0, "DIMM B1", kind=2, speed=0),
        END,
    ]
)


@pytest.fixture
def capture(tmp_path: Path) -> Path:
    """A folder with a capture of a notebook whose module tells its clock as its speed."""
    tree = {**linux_tree(), "sys/firmware/dmi/tables/DMI": TABLE}
    (tmp_path / "leaf.tar.gz").write_bytes(tar_of(tree, mode="w:gz"))
    return tmp_path


def test_a_sheet_is_written_named_and_its_doubts_are_said(capture: Path) -> None:
    ran = run("gather", "--from", "leaf.tar.gz", "-o", "leaf.machine.json", cwd=capture)
    assert ran.code == 0
    assert "wrote leaf:" in ran.out
    assert "doubt: DIMM A1: no DDR4 module has 1333 MT/s" in ran.out
    sheet = json.loads((capture / "leaf.machine.json").read_text())
    assert sheet["memory"]["installed"] == 8 * GIB
    assert sheet["system"]["shape"] == "notebook"
    assert "gathered" not in sheet  # a capture without a date tells none
    again = run("check", "leaf.machine.json", "--need", "memory=16GB", cwd=capture)
    assert again.code == 10
    assert "In doubt" in again.out


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["--quiet"], ""),
        (["--verbose"], "memory.installed: read, SMBIOS structure 17, 1 module"),
        (["--name", "cellar-01"], "wrote cellar-01:"),
    ],
)
def test_how_much_is_said(capture: Path, words: list[str], said: str) -> None:
    ran = run("gather", "--from", "leaf.tar.gz", "-o", "x.json", *words, cwd=capture)
    assert ran.code == 0
    assert said in ran.out
    assert bool(ran.out) == bool(said)


def test_serial_numbers_only_when_asked_for(capture: Path) -> None:
    plain = run("gather", "--from", "leaf.tar.gz", cwd=capture).out
    asked = run("gather", "--from", "leaf.tar.gz", "--with-serials", cwd=capture).out
    for serial in ("SN-12345", "SERIAL-9"):
        assert serial not in plain
        assert serial in asked
    found = run("show", "-", "--find", "serial", stdin=asked.encode()).out
    assert "SN-12345" in found


def test_a_sheet_can_be_piped_from_command_to_command(capture: Path) -> None:
    sheet = run("gather", "--from", "leaf.tar.gz", cwd=capture).out.encode()
    assert "DIMM A1" in run("show", "-", stdin=sheet).out
    assert run("check", "-", "--need", "memory=8GB", stdin=sheet).code == 0
    assert run("check", "-", "--need", "memory=32GB", stdin=sheet).code == 13  # ceiling: 16 GB
    words = ["check", "-", "--need", "memory=32GB", "--have", "ceiling=64GB"]
    assert run(*words, stdin=sheet).code == 10


@pytest.mark.parametrize("mode", ["w", "w:gz", "w:xz"])
def test_an_archive_is_a_machine_under_any_name(capture: Path, mode: str) -> None:
    with tarfile.open(capture / "leaf.tar.gz") as tar:
        files = {one.name: tar.extractfile(one).read() for one in tar.getmembers()}  # type: ignore[union-attr]
    data = tar_of(files, prefix="", mode=mode)
    (capture / "leaf").write_bytes(data)
    wanted = ("--need", "memory=16GB", "--format", "json")
    piped = run("check", "-", *wanted, stdin=data).json()
    named = run("check", "leaf", *wanted, cwd=capture).json()
    assert (piped["machine"], named["machine"]) == ("captured", "leaf")
    assert piped["rows"] == named["rows"] == run(
        "check", "leaf.tar.gz", *wanted, cwd=capture
    ).json()["rows"]  # fmt: skip


def test_what_gather_writes_keeps_to_the_published_schema(capture: Path) -> None:
    sheet = run("gather", "--from", "leaf.tar.gz", cwd=capture).json()
    schema = run("schema", "machine").json()
    root = schema["$defs"]["Machine"]
    assert set(root["required"]) <= set(sheet) <= set(root["properties"])
    for section in ("memory", "processor", "system", "firmware"):
        known = schema["$defs"][section.capitalize()]["properties"]
        assert set(sheet.get(section, {})) <= set(known), section
    module = schema["$defs"]["Module"]["properties"]
    assert all(set(one) <= set(module) for one in sheet["memory"]["modules"])
    assert schema["x-short-names"]["memory"] in schema["x-keys"]
