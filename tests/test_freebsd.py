"""FreeBSD: what its interfaces print, the kit and the recorder under stand-ins for its commands."""

import json
import os
import subprocess
import time
from pathlib import Path
from typing import Any

import pytest

from tallcheck.core.machine.readings import get
from tallcheck.core.machine.sheet import Machine
from tallcheck.gather import gather
from tallcheck.gather.freebsd import ask_freebsd
from tallcheck.gather.meters import FreeBSDMeter
from tallcheck.gather.sampler import sample
from tallcheck.gather.smbios import table_at
from tallcheck.gather.source import Captured
from tests.helpers import END, GIB, VOCABULARY, array_structure, call, module_structure

PAGE = 4096
SYSCTL = """kern.ostype: FreeBSD
kern.osrelease: 13.2-RELEASE-p4
kern.vm_guest: none
kern.smp.threads_per_core: 2
kern.smp.cores: 4
kern.smp.cpus: 8
security.jail.jailed: 0
hw.model: Osier Wand S5 214 CPU @ 2.10GHz
hw.machine: amd64
hw.machine_arch: amd64
hw.ncpu: 8
hw.physmem: 8497569792
hw.pagesize: 4096
machdep.bootmethod: UEFI
vm.stats.vm.v_free_count: 300000
vm.stats.vm.v_inactive_count: 100000
vm.stats.vm.v_cache_count: 0
vm.stats.vm.v_swappgsin: 10
vm.stats.vm.v_swappgsout: 20
vm.swap_total: 2147483648
kstat.zfs.misc.arcstats.size: 1073741824
kstat.zfs.misc.arcstats.c_min: 268435456
kern.cp_times: 10 0 10 0 80 20 0 0 0 80
dev.tpmcrb.0.%desc: Trusted Platform Module 2.0, CRB mode
"""
DMESG = """CPU: Osier Wand S5 214 CPU @ 2.10GHz (2112.00-MHz K8-class CPU)
  Origin="TollandPike1"  Id=0x806ea  Family=0x6  Model=0x8e  Stepping=10
  Features=0xbfebfbff<FPU,PAE,CX8,CMOV,MMX,FXSR,SSE,SSE2,HTT>
  Features2=0x7ffafbbf<SSE3,PCLMULQDQ,VMX,SSSE3,FMA,CX16,SSE4.1,SSE4.2,MOVBE,POPCNT,AESNI,AVX,F16C>
  AMD Features=0x2c100800<SYSCALL,NX,Page1GB,RDTSCP,LM>
  AMD Features2=0x121<LAHF,ABM,Prefetch>
  Structured Extended Features=0x29c6fbf<FSGSBASE,BMI1,AVX2,BMI2>
  VT-x: PAT,HLT,MTF,PAUSE,EPT,UG,VPID
real memory  = 9395240960 (8960 MB)
FreeBSD/SMP: 1 package(s) x 4 core(s) x 2 hardware threads
"""
KENV = """hint.smbios.0.mem="0xf05b0"
smbios.bios.reldate="03/04/2021"
smbios.bios.version="1.14"
smbios.chassis.type="Notebook"
smbios.memory.enabled="8388608"
smbios.system.maker="Larkmoor"
smbios.system.product="Bench 7"
"""
GEOM = """<mesh><class id="0x1"><name>DISK</name><geom id="0x2"><name>{name}</name>
<provider id="0x3"><name>{name}</name><mediasize>256060514304</mediasize>
<config><rotationrate>{turns}</rotationrate></config></provider></geom>
</class><class id="0x9"><name>PART</name></class></mesh>"""
DF = """Filesystem         1024-blocks     Used Available Capacity  Mounted on
zroot/ROOT/default   100000000  9000000  91000000     9%    /
devfs                        1        1         0   100%    /dev
zroot/usr/home        93000000  2000000  91000000     2%    /usr/home
zroot                 91000088       88  91000000     0%    /zroot
/dev/da0p1             1000000   400000       -12   100%    /media/gran
host:/export           9999999   400000   9000000    10%    /net
"""
SWAP = "Device 1K-blocks Used Avail Capacity\n/dev/ada0p3 2097152 131072 1966080 6%\n"
FILES = {"sysctl.txt": SYSCTL, "dmesg.boot": DMESG, "kenv.txt": KENV, "df.txt": DF,
         "geom.xml": GEOM.format(name="ada0", turns=0), "swapinfo.txt": SWAP,
         "programs": "fernfolio\t4.2\n"}  # fmt: skip


def _sheet(files: dict[str, Any]) -> Machine:
    whole = {name: one if isinstance(one, bytes) else one.encode() for name, one in files.items()}
    return gather(Captured(whole), "x", VOCABULARY)


WHOLE: dict[str, Any] = {
    "system.os": "FreeBSD", "system.os_version": "13.2", "system.os_bits": 64,
    "system.architecture": "x86-64", "system.virtual": False, "system.shape": "notebook",
    "system.maker": "Larkmoor", "system.model": "Bench 7", "processor.cores": 4,
    "processor.threads": 8, "processor.sockets": 1, "processor.bits": 64,
    "processor.clock": 2_100_000_000, "processor.virtualization": "on",
    "memory.installed": 8 * GIB, "memory.usable": 8497569792,
    "memory.available": 400_000 * PAGE + 805306368, "memory.swap": 2 * GIB,
    "memory.swap_used": 134217728, "memory.slots": None, "firmware.mode": "uefi",
    "firmware.version": "1.14", "firmware.date": "2021-03-04", "firmware.security_module": "2.0",
    "storage.size": 102_000_088 * 1024, "storage.free": 91_000_000 * 1024,
    "storage.drive": 256060514304, "storage.kind": "solid",
}  # fmt: skip
OTHERWISE: list[tuple[dict[str, tuple[str, str]], dict[str, Any]]] = [
    ({"sysctl.txt": ("vm_guest: none", "vm_guest: bhyve")}, {"system.virtual": True}),
    ({"dmesg.boot": ("VT-x: PAT", "VT-x: (disabled in BIOS) PAT")},
     {"processor.virtualization": "able"}),
    ({"sysctl.txt": ("kern.smp.cores: 4\n", ""), "dmesg.boot": ("package(s) x 4 core(s)",
      "package(s) x 2 cache groups x 2 core(s)")}, {"processor.cores": 4}),
    ({"sysctl.txt": ("amd64", "i386")}, {"system.os_bits": 32, "processor.bits": 64}),
    ({"sysctl.txt": ("amd64", "i386"), "dmesg.boot": (",LM>", ">")},
     {"system.os_bits": 32, "processor.bits": 32, "processor.architecture": "x86"}),
    ({"geom.xml": ("<rotationrate>0", "<rotationrate>7200")}, {"storage.kind": "spinning"}),
    ({"geom.xml": ("ada0", "nda0"), "df.txt": ("zroot/ROOT/default", "/dev/nda0p2       ")},
     {"storage.kind": "solid", "storage.size": 100_000_000 * 1024}),
    ({"geom.xml": ("<mesh>", "<!DOCTYPE a><mesh>")}, {"storage.kind": None}),
    ({"kenv.txt": ('"Notebook"', '"10"')}, {"system.shape": "notebook"}),
    ({"sysctl.txt": ("hw.pagesize: 4096\n", "")}, {"memory.available": None}),
]  # fmt: skip


@pytest.mark.parametrize(("changes", "expected"), [({}, WHOLE), *OTHERWISE])
def test_what_freebsd_prints(changes: dict[str, tuple[str, str]], expected: dict[str, Any]) -> None:
    files = dict(FILES)
    for name, (old, new) in changes.items():
        assert old in files[name]
        files[name] = files[name].replace(old, new)
    machine = _sheet(files)
    assert {key: get(machine, key) for key in expected} == expected
    assert {"AVX2", "AES", "LZCNT", "CMPXCHG16B"} <= set(machine.processor.instructions or ())
    assert "gran" not in str(machine)


def test_what_is_not_there_stays_unknown() -> None:
    machine = _sheet({"sysctl.txt": "kern.ostype: FreeBSD\n", "geom.xml": "<mesh>", "df.txt": "x"})
    assert machine.system.os == "FreeBSD"
    assert (machine.memory.installed, machine.processor.cores, machine.storage) == (None,) * 3
    arm = "kern.ostype: FreeBSD\nhw.machine_arch: aarch64\nhw.ncpu: 1\n"
    said = " Instruction Set Attributes 0 = <AES+PMULL,SHA1,SHA2,CRC32>\n"
    machine = _sheet({"sysctl.txt": arm, "dmesg.boot": said})
    assert (machine.processor.architecture, machine.processor.cores) == ("arm64", 1)
    assert {"ASIMD", "AES", "SHA1"} <= set(machine.processor.instructions or ())


def test_the_firmware_tables_give_modules_and_positions() -> None:
    modules = [module_structure(0x11, 4096, "DIMM A1"), module_structure(0x12, 0, "DIMM B1")]
    machine = _sheet(
        FILES | {"smbios/DMI": b"".join([array_structure(2, 32 << 20), *modules, END])}
    )
    assert [one.size for one in machine.memory.modules or ()] == [4 * GIB, 0]
    assert (machine.memory.installed, machine.memory.ceiling) == (4 * GIB, 32 * GIB)


@pytest.mark.parametrize(("entry", "place"), [
    (b"_SM3_" + bytes(7) + (4000).to_bytes(4, "little") + (0x7F00).to_bytes(8, "little"),
     (0x7F00, 4000)),
    (b"_SM_" + bytes(0x12) + (900).to_bytes(2, "little") + (0xE000).to_bytes(4, "little"),
     (0xE000, 900)),
    (b"\0" * 32, (0, 0)), (b"_SM3_", (0, 0)),
])  # fmt: skip
def test_where_the_entry_point_says_that_the_table_is(entry: bytes, place: tuple[int, int]) -> None:
    assert table_at(entry) == place


# --- its commands stood in for -----------------------------------------------------------------

COMMANDS = {
    "sysctl": """
file=$(dirname "$0")/sysctl.txt
case "$1 $2" in
"-n kern.geom.confxml") cat "$(dirname "$0")/geom.xml" ;;
-n*) sed -n "s/^$2: //p" "$file" ;;
*) cat "$file" ;;
esac
""",
    "kenv": """
if [ "$1" = -q ]; then exit 1; fi
cat "$(dirname "$0")/kenv.txt"; echo 'smbios.system.serial="S-1"'
""",
    "df": 'cat "$(dirname "$0")/df.txt"',
    "swapinfo": 'cat "$(dirname "$0")/swapinfo.txt"',
    "pkg": 'cat "$(dirname "$0")/programs"',
    "grep": """
case $* in *dmesg.boot) cat "$(dirname "$0")/dmesg.boot" ;; *) exec /bin/grep "$@" ;; esac
""",
}


@pytest.fixture
def there(tmp_path: Path) -> dict[str, str]:
    """An environment in which its commands are stood in for."""
    folder = tmp_path / "bin"
    folder.mkdir()
    for name, text in FILES.items():
        (folder / name).write_text(text)
    for name, script in COMMANDS.items():
        (folder / name).write_text("#!/bin/sh\n" + script)
        (folder / name).chmod(0o755)
    return {**os.environ, "PATH": f"{folder}:{os.environ['PATH']}"}


@pytest.mark.parametrize("temporary", [True, False])
def test_the_kit_gives_the_live_sheet(
    there: dict[str, str], tmp_path: Path, temporary: bool
) -> None:
    (tmp_path / "here").mkdir()
    place = str(tmp_path / "here") if temporary else str(tmp_path / "nowhere")
    ran = subprocess.run(
        ["sh"], input=call("kit", "freebsd").out.encode(), capture_output=True, timeout=60,
        check=False, env=there | {"TMPDIR": place}, cwd=tmp_path / "here",
    )  # fmt: skip
    assert (ran.returncode, list((tmp_path / "here").iterdir())) == (0, [])
    assert b"S-1" not in ran.stdout
    (tmp_path / "kit.tar").write_bytes(ran.stdout)
    found = call("gather", "--from", str(tmp_path / "kit.tar"), "--name", "x").json()
    folder = tmp_path / "bin"

    def answer(words: list[str]) -> bytes:
        own = [str(folder / os.path.basename(words[0])), *words[1:]]
        return subprocess.run(own, capture_output=True, check=False).stdout

    live = gather(ask_freebsd(found["gathered"], answer), "x", VOCABULARY)
    assert found["memory"]["available"] == live.memory.available == WHOLE["memory.available"]
    assert found["storage"][0]["drive"] == WHOLE["storage.drive"]
    assert found["system"]["shape"] == live.system.shape == "notebook"
    assert found["processor"]["virtualization"] == "on"
    assert found["software"] == [{"name": "fernfolio", "version": "4.2"}]


def test_the_recorder(there: dict[str, str], tmp_path: Path) -> None:
    (tmp_path / "record.sh").write_text(call("kit", "freebsd", "--record").out)
    process = subprocess.Popen(["sh", "record.sh", "x.csv", "1", "1"], cwd=tmp_path, env=there)
    file, last = tmp_path / "x.csv", time.monotonic() + 20
    sysctl = tmp_path / "bin" / "sysctl.txt"
    while time.monotonic() < last and not (file.exists() and file.read_text().count("\n") >= 4):
        time.sleep(0.2)
        sysctl.write_text(SYSCTL.replace("10 0 10 0 80 20", "20 0 20 0 90 20"))
    process.terminate()
    assert process.wait(timeout=20) == 0
    row = file.read_text().splitlines()[2].split(",")
    assert row[1:5] == ["8497569792", str(WHOLE["memory.available"]), str(2 * GIB), "134217728"]
    assert row[-1] == "8"
    found = json.loads(call("usage", "x.csv", "--format", "json", cwd=tmp_path).out)
    assert found["problems"] == []


def test_the_port_gives_the_same_kind_of_sample() -> None:
    times = iter(("10 0 10 0 80 20 0 0 0 80", "60 0 10 0 130 30 0 0 0 170"))
    reads = iter((10, 30))

    def ask(words: list[str]) -> str:
        if "swapinfo" in words[0]:
            return SWAP
        if "kern.cp_times" in words and (now := next(times, None)):
            moved = SYSCTL.replace("10 0 10 0 80 20 0 0 0 80", now)
            return moved.replace("swappgsin: 10", f"swappgsin: {next(reads)}")
        return SYSCTL

    meter = FreeBSDMeter(ask)
    before, now, levels = meter.counters(), meter.counters(), meter.levels()
    assert levels is not None
    one = sample(before, now, levels)
    assert (one.memory_total, one.swap_used) == (8497569792, 134217728)
    assert (one.swapped_in, one.cores_busy, one.core_count) == (20 * PAGE, 0.6, 2)
    assert FreeBSDMeter(lambda words: "").levels() is None
