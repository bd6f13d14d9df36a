"""The Linux kit piped out of booted machines: amd64, i386 and arm64, of known make-up, emulated."""

import base64
import gzip
import re
import shutil
import subprocess
from pathlib import Path
from typing import Any

import pytest

from tallcheck.core.machine.readings import get
from tallcheck.gather import gather
from tallcheck.gather.source import capture_from
from tests.boot.prepare import FOLDER
from tests.helpers import VOCABULARY, call

GIB, MIB = 1 << 30, 1 << 20
INIT = """#!/bin/busybox sh
/bin/busybox mkdir -p /proc /sys /dev /tmp /sbin /usr/bin /usr/sbin
/bin/busybox --install -s
export PATH=/bin:/sbin:/usr/bin:/usr/sbin
mount -t proc proc /proc; mount -t sysfs sys /sys; mount -t devtmpfs dev /dev
echo; echo BEGIN
sh /kit.sh < /dev/null | base64
echo END
poweroff -f
"""
PROGRAMS = {
    "amd64": "qemu-system-x86_64",
    "i386": "qemu-system-i386",
    "arm64": "qemu-system-aarch64",
}
BOARDS = {"amd64": ["-M", "pc", "-cpu", "Nehalem"], "i386": ["-M", "pc", "-cpu", "pentium3"],
          "arm64": ["-M", "virt", "-cpu", "cortex-a72"]}  # fmt: skip

# architecture, positions of processors, memory, kernel's words, expected
MACHINES: list[tuple[str, str, str, str, dict[str, Any]]] = [
    ("amd64", "4,sockets=2,cores=2,threads=1", "2G", "", {
        "processor.sockets": 2, "processor.cores": 4, "processor.threads": 4,
        "processor.bits": 64, "processor.architecture": "x86-64", "system.architecture": "x86-64",
        "system.virtual": True, "memory.installed": 2 * GIB, "memory.limit": None,
    }),
    ("amd64", "4,sockets=1,cores=2,threads=2", "3G", "", {
        "processor.sockets": 1, "processor.cores": 2, "processor.threads": 4,
        "memory.installed": 3 * GIB,
    }),
    ("amd64", "1", "2G", "mem=1G", {
        "processor.sockets": 1, "processor.cores": 1, "memory.limit": GIB,
    }),
    ("i386", "2,sockets=2,cores=1,threads=1", "1G", "", {
        "processor.sockets": 2, "processor.cores": 2, "processor.threads": 2,
        "processor.bits": 32, "system.architecture": "x86", "system.os_bits": 32,
        "memory.installed": GIB,
    }),
    ("arm64", "2", "1G", "", {
        "processor.cores": 2, "processor.threads": 2, "processor.bits": 64,
        "processor.architecture": "arm64", "system.os_bits": 64, "system.virtual": True,
        "memory.installed": GIB,
    }),
]  # fmt: skip


def _entry(name: str, data: bytes, mode: int) -> bytes:
    """One file of a newc archive (cpio(5)), from which the kernel fills its first folder."""
    path = name.encode() + b"\0"
    fields = (0, mode, 0, 0, 1, 0, len(data), 0, 0, 0, 0, len(path), 0)
    head = b"070701" + b"".join(b"%08x" % field for field in fields) + path
    return head + bytes(-len(head) % 4) + data + bytes(-len(data) % 4)


def _first_folder(busybox: bytes, kit: str) -> bytes:
    found = _entry("bin", b"", 0o40755) + _entry("bin/busybox", busybox, 0o100755)
    found += _entry("init", INIT.encode(), 0o100755) + _entry("kit.sh", kit.encode(), 0o100644)
    return gzip.compress(found + _entry("TRAILER!!!", b"", 0))


@pytest.mark.parametrize(("architecture", "smp", "memory", "words", "expected"), MACHINES)
def test_the_kit_of_a_booted_machine(
    architecture: str, smp: str, memory: str, words: str, expected: dict[str, Any], tmp_path: Path
) -> None:
    folder, program = FOLDER / architecture, PROGRAMS[architecture]
    if not (folder / "busybox").exists() or shutil.which(program) is None:
        pytest.skip(f"{program}, or a kernel for it, is not on this machine")
    busybox = (folder / "busybox").read_bytes()
    (tmp_path / "first").write_bytes(_first_folder(busybox, call("kit", "linux").out))
    console = "ttyAMA0" if architecture == "arm64" else "ttyS0"
    ran = subprocess.run(
        [program, *BOARDS[architecture], "-accel", "tcg", "-m", memory, "-smp", smp, "-nographic",
         "-no-reboot", "-nic", "none", "-kernel", str(folder / "vmlinuz"),
         "-initrd", str(tmp_path / "first"), "-append", f"console={console} panic=-1 {words}"],
        capture_output=True, timeout=300, check=False, stdin=subprocess.DEVNULL,
    )  # fmt: skip
    said = ran.stdout.decode("latin-1").replace("\r", "")
    sent = re.search(r"\nBEGIN\n([A-Za-z0-9+/=\n]+)\nEND\n", said)
    assert sent, said[-2000:] + ran.stderr.decode()
    source = capture_from(base64.b64decode(sent[1].replace("\n", "")))
    machine = gather(source, architecture, VOCABULARY)
    assert {key: get(machine, key) for key in expected} == expected
    usable, total = machine.memory.usable or 0, machine.memory.limit or machine.memory.installed
    assert total is not None
    assert total * 0.8 < usable < total
