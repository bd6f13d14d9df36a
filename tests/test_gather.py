"""Gathering on Linux: trees and tars of machines of known make-up, and the live machine."""

import gzip
import io
import tarfile
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tallcheck.core.machine.readings import get
from tallcheck.core.machine.sheet import Machine
from tallcheck.core.values.errors import InputError
from tallcheck.gather import gather
from tallcheck.gather.source import Captured, capture_from, parse_cpu_list
from tests.helpers import GIB, VOCABULARY, X86_FLAGS, linux_tree, run, tar_of


def gathered(tree: dict[str, bytes | str]) -> Machine:
    files = {path: t.encode() if isinstance(t, str) else t for path, t in tree.items()}
    return gather(Captured(files), "bench", vocabulary=VOCABULARY)


OLD_32 = X86_FLAGS.replace(" lm", "")


@pytest.mark.parametrize(
    ("tree", "expected"),
    [
        (linux_tree(), {"processor.cores": 2, "processor.threads": 4, "processor.sockets": 1,
                        "processor.bits": 64, "system.os_bits": 64, "memory.installed": 8 * GIB,
                        "processor.level": "x86-64-v2", "system.virtual": False,
                        "processor.clock": None, "processor.architecture": "x86-64",
                        "system.os": "Merrow", "system.os_version": "9"}),
        (linux_tree(cores=4, packages=2), {"processor.cores": 8, "processor.threads": 16,
                                           "processor.sockets": 2}),
        (linux_tree(cores=4, each=1, off=2), {"processor.cores": 2, "processor.threads": 2,
                                              "extra.cores_off": 2}),
        (linux_tree(flags=X86_FLAGS + " hypervisor", kib=7130000),
         {"system.virtual": True, "memory.installed": 7 * GIB - 128 * (1 << 20)}),
        # a 32-bit system on a 64-bit processor, without and with physical address extension
        (linux_tree(machine_word="i686", kib=3300000),
         {"system.os_bits": 32, "processor.bits": 64, "memory.addressable": 4 * GIB,
          "memory.installed": None, "processor.level": "x86-64-v2"}),
        (linux_tree(machine_word="i686", kib=3300000,
                    proc__sys__kernel__osrelease="6.1.0-50-686-pae"),
         {"memory.addressable": 64 * GIB, "memory.installed": 4 * GIB}),
        # a 32-bit processor
        (linux_tree(machine_word="i686", flags=OLD_32, kib=1015000),
         {"processor.bits": 32, "processor.architecture": "x86", "processor.level": None,
          "memory.installed": GIB}),
        # the kernel's word is missing: what only 32-bit kernels write tells
        ({"proc/cpuinfo": f"processor: 0\nvendor_id: x\nfdiv_bug: no\nflags: {X86_FLAGS}\n"},
         {"system.os_bits": 32, "processor.bits": 64, "processor.cores": 1}),
        # cpuinfo alone gives the topology
        ({"proc/cpuinfo": "".join(f"processor: {n}\nphysical id: {n // 4}\ncore id: {n // 2 % 2}\n"
                                  f"flags: {X86_FLAGS}\n\n" for n in range(8))},
         {"processor.cores": 4, "processor.threads": 8, "processor.sockets": 2}),
        # arm64: no levels; cores from the topology files
        ({**linux_tree(each=1, machine_word="aarch64"),
          "proc/cpuinfo": "processor: 0\nFeatures: fp asimd aes crc32 atomics\n"
                          "CPU architecture: 8\n"},
         {"processor.bits": 64, "processor.architecture": "arm64", "processor.level": None,
          "processor.instructions": ["AES", "FP", "ASIMD", "CRC32", "LSE"],
          "system.virtual": None}),
        ({"proc/cpuinfo": "processor: 0\nmodel name: Osier Wand S5 214 CPU @ 2.40GHz\n"
                          "cpu MHz: 801.0\n"}, {"processor.clock": 2_400_000_000}),
        (linux_tree(sys__devices__system__cpu__cpu0__cpufreq__base_frequency="2100000",
                    sys__devices__system__cpu__cpu0__cpufreq__cpuinfo_max_freq="3900000"),
         {"processor.clock": 2_100_000_000, "processor.clock_most": 3_900_000_000}),
        # before Linux 3.14 the kernel does not say what is available
        ({"proc/meminfo": "MemTotal: 1000 kB\nMemFree: 300 kB\nCached: 200 kB\n"},
         {"memory.available": 500 * 1024}),
    ],
)  # fmt: skip
def test_trees(tree: dict[str, bytes | str], expected: dict[str, Any]) -> None:
    sheet = gathered(tree)
    assert {key: get(sheet, key) for key in expected} == expected


def test_a_switched_off_core_is_a_note_and_every_reading_has_an_origin() -> None:
    sheet = gathered(linux_tree(cores=4, each=1, off=2))
    assert "2 of 4 logical processors are switched off" in " ".join(sheet.notes)
    for key in ("memory.installed", "processor.cores", "processor.level", "system.os_bits"):
        assert sheet.origins[key].source
    assert sheet.origins["memory.installed"].how == "worked out"


@pytest.mark.parametrize("prefix", ["", "./"])
@pytest.mark.parametrize("mode", ["w", "w:gz", "w:xz"])
def test_tars_and_folders_give_one_sheet(tmp_path: Path, prefix: str, mode: str) -> None:
    tree = linux_tree()
    (tmp_path / "bench.tar").write_bytes(tar_of(tree, prefix, mode))
    folder = tmp_path / "bench"
    for path, text in tree.items():
        target = folder / path
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_text(str(text))
    (folder / "outside").symlink_to("/etc/passwd")
    one = run("gather", "--from", "bench.tar", cwd=tmp_path)
    other = run("gather", "--from", "bench", cwd=tmp_path)
    assert one.code == other.code == 0
    assert one.out == other.out
    assert one.json()["name"] == "bench"


def _climbing() -> bytes:
    return tar_of({"../../etc/cron.d/x": "x"}, "")


def _huge_member() -> bytes:
    buffer = io.BytesIO()
    with tarfile.open(fileobj=buffer, mode="w") as tar:
        info = tarfile.TarInfo("proc/meminfo")
        info.size = 1 << 40
        tar.addfile(info)
    return buffer.getvalue()


@pytest.mark.parametrize(
    ("data", "part"),
    [
        (b"", "tar"),
        (b"not a tar at all", "tar"),
        (tar_of(linux_tree())[:3000], "end"),
        (tar_of(linux_tree(), mode="w:gz")[:600], "tar"),
        (_climbing(), "leads out"),
        (_huge_member(), "MiB at most"),
        (gzip.compress(tar_of({"a": b"\0" * (70 << 20)})), "MiB at most"),
        (tar_of({}), "no file"),
        (tar_of({"notes.txt": "x"}), "no system's files"),
    ],
)
def test_bad_captures_are_one_clear_error(tmp_path: Path, data: bytes, part: str) -> None:
    (tmp_path / "bad.tar").write_bytes(data)
    ran = run("gather", "--from", "bad.tar", "-o", "out.json", cwd=tmp_path)
    assert ran.code == 3
    assert part in ran.err
    assert "bad.tar" in ran.err
    assert "Traceback" not in ran.err
    assert not (tmp_path / "out.json").exists()


@given(st.binary(max_size=2000))
def test_any_bytes_as_a_capture_raise_an_input_error(data: bytes) -> None:
    with pytest.raises(InputError):
        capture_from(data)


WORDS = st.sampled_from(
    ["processor", "flags", "lm", "vendor_id", ":", "\n", "\n\n", "core id", "physical id",
     "MemTotal: 99999999999999999999 kB", "0-99999999999", "-1", "0", "@ 9.9.9GHz", "\x00\x1b[2J"]
)  # fmt: skip


@given(st.lists(WORDS | st.text(max_size=10), max_size=30).map(" ".join))
def test_any_text_as_system_files_gives_a_sheet(text: str) -> None:
    cpu = "sys/devices/system/cpu"
    sheet = gathered(
        {"proc/cpuinfo": text, "proc/meminfo": text, f"{cpu}/online": text,
         f"{cpu}/present": text, f"{cpu}/cpu0/topology/core_id": text, "etc/os-release": text,
         "manifest": text}
    )  # fmt: skip
    assert sheet.name == "bench"
    assert "\x1b" not in str(sheet)


@pytest.mark.parametrize(
    ("text", "numbers"),
    [
        ("0-3,8", [0, 1, 2, 3, 8]),
        ("", []),
        (None, []),
        ("3-1", []),
        ("x,2", [2]),
        ("0-1,1", [0, 1]),
    ],
)
def test_cpu_lists(text: str | None, numbers: list[int]) -> None:
    assert parse_cpu_list(text) == numbers


def test_live_then_check(tmp_path: Path) -> None:
    assert run("gather", "-o", "here.json", cwd=tmp_path).code == 0
    ran = run("check", "here.json", "--need", "memory=1MB", "--format", "json", cwd=tmp_path)
    found = ran.json()
    assert found["decision"]["answer"] == "ready"
    assert found["rows"][0]["origin"]["how"] in ("read", "worked out")
    assert run("check", "here", "--need", "memory=1MB").code == 0
