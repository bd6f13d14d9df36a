"""Captures: the kits' output, Windows and macOS stand-ins, partial and hostile ones."""

import json
import os
import subprocess
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tallcheck.cli.kit import script_path
from tallcheck.core.machine.derive import complete
from tallcheck.core.machine.readings import get
from tallcheck.core.machine.sheet import Machine
from tallcheck.gather import gather
from tallcheck.gather.cim import cim_date
from tallcheck.gather.macos import ask_macos
from tallcheck.gather.source import Captured, Source, open_capture
from tests.helpers import COMMAND, DEMO, GIB, VOCABULARY, call

WINDOWS = os.path.join(DEMO, "captures", "glasshouse-07")
MACOS = os.path.join(DEMO, "captures", "studio-02")


def _sheet(source: Source) -> Machine:
    return gather(source, "bench", vocabulary=VOCABULARY)


def _cim(**files: Any) -> Machine:
    encoded = {f"{n}.json": json.dumps(o).encode() for n, o in files.items()}
    return _sheet(Captured(encoded))


def test_the_windows_stand_in_gives_a_full_sheet() -> None:
    found = call("gather", "--from", WINDOWS).json()
    assert found["memory"]["installed"] == 8 * GIB
    assert (found["memory"]["slots"], found["memory"]["ceiling"]) == (2, 32 * GIB)
    assert [m["size"] for m in found["memory"]["modules"]] == [8 * GIB, 0]
    assert found["processor"]["level"] == "x86-64-v3"
    assert found["processor"]["clock"] == 2_400_000_000
    assert "-3DNow" in found["processor"]["instructions"]
    assert found["system"]["virtual"] is False
    assert (found["system"]["os"], found["system"]["os_version"]) == ("Merrow", "9")
    assert found["firmware"] == {"mode": "uefi", "secure_boot": "on", "version": "1.14",
                                 "date": "2025-03-11", "security_module": "2.0"}  # fmt: skip
    assert found["storage"][0]["drive"] == 256052966400
    assert "SN-12345" not in json.dumps(found)
    assert call("check", "-", "merrow@10", stdin=json.dumps(found).encode()).code == 0


def test_the_macos_stand_in_gives_a_full_sheet_with_modules_unknown() -> None:
    found = call("gather", "--from", MACOS).json()
    assert found["memory"]["installed"] == 8 * GIB
    assert "modules" not in found["memory"]
    assert found["memory"]["available"] == 144000 * 16384
    assert found["processor"]["cores_by_kind"] == {"performance": 4, "efficiency": 4}
    assert found["processor"]["architecture"] == "arm64"
    assert found["storage"][0]["free"] == 61523112 * 1024


def test_two_files_are_enough_for_a_partial_sheet(tmp_path: Path) -> None:
    for name in ("Win32_PhysicalMemory.json", "Win32_Processor.json"):
        (tmp_path / name).write_bytes((Path(WINDOWS) / name).read_bytes())
    found = call("gather", "--from", str(tmp_path), "--name", "two").json()
    assert found["memory"] == {"installed": 8 * GIB, "modules": found["memory"]["modules"]}
    assert found["processor"]["level"] == "x86-64-v3"
    assert found["system"]["os_bits"] == 64
    assert "virtual" not in found["system"]


PROCESSOR = {"Name": "x", "NumberOfCores": 4, "NumberOfLogicalProcessors": 8, "DataWidth": 64,
             "AddressWidth": 32, "Architecture": 0}  # fmt: skip
COMPUTER = {"Manufacturer": "Larkmoor", "Model": "Leaf 13", "HypervisorPresent": True}


@pytest.mark.parametrize(
    ("files", "expected"),
    [
        ({"Win32_Processor": PROCESSOR},
         {"processor.bits": 64, "system.os_bits": 32, "processor.architecture": "x86-64",
          "memory.addressable": 4 * GIB}),
        ({"Win32_Processor": [PROCESSOR, PROCESSOR]},
         {"processor.cores": 8, "processor.threads": 16, "processor.sockets": 2}),
        ({"Win32_Processor": {**PROCESSOR, "NumberOfEnabledCore": 2}},
         {"processor.cores": 2, "extra.cores_off": 2}),
        ({"Win32_ComputerSystem": COMPUTER}, {"system.virtual": False}),
        ({"Win32_ComputerSystem": {**COMPUTER, "Model": "Virtual Machine"}},
         {"system.virtual": True}),
        ({"Win32_PhysicalMemory": [{"Capacity": "4294967296", "FormFactor": 12}],
          "Win32_PhysicalMemoryArray": [{"MemoryDevices": 2, "Use": 3, "MaxCapacity": 16777216},
                                        {"MemoryDevices": 1, "Use": 4}]},
         {"memory.slots": 2, "memory.ceiling": 16 * GIB, "memory.installed": 4 * GIB}),
        ({"Win32_Tpm": []}, {"firmware.security_module": "none"}),
        ({"Win32_BIOS": {"ReleaseDate": "2022-06-30T02:00:00+02:00"}},
         {"firmware.date": "2022-06-30"}),
        ({"Win32_VideoController": {"AdapterRAM": 4293918720}}, {"graphics.memory": None}),
        ({"Win32_OperatingSystem": {"Caption": "Microsoft Merrow 10 Works", "OSArchitecture":
                                    "64 bits", "TotalVisibleMemorySize": 8257504}},
         {"system.os": "Merrow", "system.os_version": "10", "system.os_bits": 64,
          "memory.installed": 8 * GIB}),
        ({"Win32_Processor": PROCESSOR, "features": {"10": True, "40": False, "36": False}},
         {"processor.instructions": ["SSE2"]}),
        ({"Win32_Processor": PROCESSOR, "features": {"10": True, "40": False, "36": True}},
         {"processor.instructions": ["SSE2", "SSSE3", "-AVX2"]}),
    ],
)  # fmt: skip
def test_classes(files: dict[str, Any], expected: dict[str, Any]) -> None:
    found = _cim(**files)
    assert {key: get(found, key) for key in expected} == expected


@pytest.mark.parametrize(
    ("encoding", "mark"),
    [("utf-8", b""), ("utf-8", b"\xef\xbb\xbf"), ("utf-16-le", b"\xff\xfe"), ("utf-16-le", b""),
     ("utf-16-be", b"\xfe\xff"), ("utf-16-be", b"")],
)  # fmt: skip
def test_every_encoding_the_shells_write(encoding: str, mark: bytes) -> None:
    data = mark + json.dumps([PROCESSOR]).encode(encoding)
    assert _sheet(Captured({"Win32_Processor.json": data})).processor.cores == 4


@pytest.mark.parametrize(
    ("value", "date"),
    [("/Date(1672617600000)/", "2023-01-02"), ("/Date(-86400000)/", "1969-12-31"),
     ("2023-01-02T00:00:00Z", "2023-01-02"), ("20230102000000.000000+000", "2023-01-02"),
     ({"value": "/Date(1672617600000)/"}, "2023-01-02"), ("soon", None), (5, None)],
)  # fmt: skip
def test_both_ways_in_which_dates_are_written(value: Any, date: str | None) -> None:
    assert cim_date(value) == date


JSON = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=6),
    lambda inner: st.lists(inner, max_size=3)
    | st.dictionaries(
        st.sampled_from(["Capacity", "Name", "Size", "NumberOfCores", "ChassisTypes", "Use",
                         "MemoryDevices", "DeviceID", "SpecVersion", "ReleaseDate", "36"]),
        inner, max_size=4),
    max_leaves=10,
)  # fmt: skip
CLASSES = ["Win32_Processor", "Win32_PhysicalMemory", "Win32_PhysicalMemoryArray", "Win32_BIOS",
           "Win32_OperatingSystem", "Win32_ComputerSystem", "Win32_SystemEnclosure", "Win32_Tpm",
           "Win32_LogicalDisk", "Win32_DiskDrive", "Win32_VideoController", "Win32_PageFileUsage",
           "MSFT_PhysicalDisk", "features", "registry", "programs"]  # fmt: skip


@given(st.dictionaries(st.sampled_from(CLASSES), JSON), st.binary(max_size=100))
def test_any_json_as_a_class_gives_a_sheet(files: dict[str, Any], table: bytes) -> None:
    encoded = {f"{n}.json": json.dumps(o).encode() for n, o in files.items()}
    source = Captured({**encoded, "Win32_X.json": table, "smbios.bin": table})
    assert _sheet(source).name == "bench"


@given(st.text(max_size=200))
def test_any_text_as_macos_output_gives_a_sheet(text: str) -> None:
    files = dict.fromkeys(("sysctl.txt", "vm_stat.txt", "sw_vers.txt", "df.txt", "programs"), text)
    assert _sheet(Captured({n: t.encode() for n, t in files.items()})).name == "bench"


MACS: dict[str, Any] = {
    "an old one": ("Mac OS X", "10.13.6", 4096, """hw.ncpu: 4
hw.memsize: 8589934592
hw.model: MacBookPro13,1
hw.machine: x86_64
hw.physicalcpu: 2
hw.logicalcpu: 4
hw.packages: 1
hw.cpufrequency: 2300000000
hw.cpufrequency_max: 2300000000
hw.l1dcachesize: 32768
hw.l2cachesize: 262144
hw.l3cachesize: 4194304
hw.cpu64bit_capable: 1
machdep.cpu.brand_string: Intel(R) Core(TM) i5-7360U CPU @ 2.30GHz
machdep.cpu.features: FPU CMOV CX8 FXSR MMX SSE SSE2 SSE3 SSSE3 FMA CX16 SSE4.1 SSE4.2 \
MOVBE POPCNT XSAVE OSXSAVE AVX1.0 F16C
machdep.cpu.leaf7_features: SMEP BMI1 AVX2 BMI2 ERMS
machdep.cpu.extfeatures: SYSCALL XD 1GBPAGE EM64T LAHF LZCNT RDTSCP
vm.swapusage: total = 1024.00M  used = 512.25M  free = 511.75M  (encrypted)
kern.hv_support: 1
""", """\
/dev/disk1s1     244277768 150000000  90000000    63%    /
""", {
        "system.os": "Mac OS X", "system.shape": "notebook", "system.os_bits": 64,
        "processor.cores": 2, "processor.threads": 4, "processor.clock": 2_300_000_000,
        "processor.level": "x86-64-v3", "memory.installed": 8 * GIB, "memory.usable": None,
        "memory.swap_used": 537133056, "memory.available": 100_600 * 4096,
        "storage.free": 90_000_000 * 1024,
    }),
    "the last of its kind": ("macOS", "12.7.1", 4096, """hw.memsize: 34359738368
hw.model: iMac20,1
hw.machine: x86_64
hw.physicalcpu: 6
hw.logicalcpu: 12
hw.packages: 1
hw.cpufrequency: 3300000000
hw.cpu64bit_capable: 1
machdep.cpu.brand_string: Intel(R) Core(TM) i5-10600 CPU @ 3.30GHz
machdep.cpu.features: FPU CMOV CX8 FXSR MMX SSE SSE2 SSE3 CX16 SSSE3 SSE4.1 SSE4.2 AVX1.0
vm.swapusage: total = 0.00M  used = 0.00M  free = 0.00M  (encrypted)
kern.osproductversion: 12.7.1
kern.hv_support: 1
""", """\
/dev/disk1s5s1   488245288  15000000 300000000     5%    /
devfs                  191       191         0   100%    /dev
/dev/disk1s1     488245288 170000000 280000000    38%    /System/Volumes/Data
map auto_home            0         0         0   100%    /System/Volumes/Data/home
/dev/disk2s1     976762584 500000000 476762584    52%    /Volumes/Gran's photos
""", {
        "system.shape": "all-in-one", "processor.threads": 12, "processor.level": "x86-64-v3",
        "memory.installed": 32 * GIB, "memory.swap": 0, "storage.free": 280_000_000 * 1024,
    }),
    "of its own processor": ("macOS", "14.5", 16384, """hw.memsize: 17179869184
hw.memsize_usable: 16626368512
hw.model: Mac14,2
hw.machine: arm64
hw.physicalcpu: 8
hw.logicalcpu: 8
hw.packages: 1
hw.perflevel0.physicalcpu: 4
hw.perflevel1.physicalcpu: 4
hw.optional.arm64: 1
hw.optional.AdvSIMD: 1
hw.optional.arm.FEAT_SHA256: 1
hw.optional.arm.FEAT_BF16: 0
hw.cpu64bit_capable: 1
machdep.cpu.brand_string: Apple M2
vm.swapusage: total = 2048.00M  used = 1000.50M  free = 1047.50M  (encrypted)
kern.osproductversion: 14.5
kern.hv_support: 1
""", """\
/dev/disk3s1s1   239362496  10000000  60000000    15%    /
/dev/disk3s5     239362496 160000000  55000000    75%    /System/Volumes/Data
""", {
        "system.shape": None, "processor.architecture": "arm64", "processor.bits": 64,
        "processor.cores_by_kind": {"performance": 4, "efficiency": 4}, "processor.clock": None,
        "memory.installed": 16 * GIB, "memory.usable": 16626368512,
        "memory.available": 100_600 * 16384, "storage.free": 55_000_000 * 1024,
    }),
}  # fmt: skip
VM_STAT = """Mach Virtual Memory Statistics: (page size of {} bytes)
Pages free:                               20000.
Pages active:                            900000.
Pages inactive:                           80000.
Pages speculative:                          500.
Pages wired down:                        300000.
Pages purgeable:                            100.
"Translation faults":                 123456789.
Pages occupied by compressor:             40000.
Swapins:                                     12.
Swapouts:                                    34.
"""


@pytest.mark.parametrize("which", MACS)
def test_what_macos_prints_in_several_versions(which: str) -> None:
    name, version, page, sysctl, df, expected = MACS[which]
    head = "Filesystem     1024-blocks      Used Available Capacity  Mounted on\n"
    files = {
        "sysctl.txt": sysctl, "df.txt": head + df, "vm_stat.txt": VM_STAT.format(page),
        "sw_vers.txt": f"ProductName:\t{name}\nProductVersion:\t{version}\nBuildVersion:\t1\n",
    }  # fmt: skip
    machine = _sheet(Captured({name: text.encode() for name, text in files.items()}))
    there = complete(machine, VOCABULARY)
    assert {key: get(there, key) for key in expected} == expected
    assert "Gran" not in str(machine)


def test_the_live_port_hands_back_a_capture() -> None:
    def macos(words: list[str]) -> bytes:
        names = {"sysctl": "sysctl.txt", "vm_stat": "vm_stat.txt", "sw_vers": "sw_vers.txt",
                 "df": "df.txt"}  # fmt: skip
        return (Path(MACOS) / names[os.path.basename(words[0])]).read_bytes()

    now = "2026-11-20T09:14:02Z"
    found = _sheet(ask_macos(now, macos))
    assert (found.memory, found.gathered) == (_sheet(open_capture(MACOS)).memory, now)


MOVES = ("gathered", "available", "free", "swap_used", "load_15min")


def _still(value: Any) -> Any:
    if isinstance(value, dict):
        return {key: _still(inner) for key, inner in value.items() if key not in MOVES}
    return [_still(one) for one in value] if isinstance(value, list) else value


@pytest.mark.parametrize("folder", [".", "nowhere"])
@pytest.mark.parametrize("shell", [["sh"], ["dash"], ["busybox", "sh"]], ids=" ".join)
def test_the_linux_kit_gives_the_live_sheet(shell: list[str], folder: str, tmp_path: Path) -> None:
    """Where nothing can be written to the folder of temporary files, too."""
    script = call("kit", "linux").out
    try:
        ran = subprocess.run(
            shell, input=script.encode(), capture_output=True, timeout=120, check=False,
            env={**os.environ, "TMPDIR": str(tmp_path / folder)}, cwd=tmp_path,
        )  # fmt: skip
    except FileNotFoundError:
        pytest.skip(f"{shell[0]} is not on this machine")
    assert ran.returncode == 0, ran.stderr
    assert list(tmp_path.iterdir()) == []
    (tmp_path / "kit.tar").write_bytes(ran.stdout)
    captured = call("gather", "--from", str(tmp_path / "kit.tar"), "--name", "x").json()
    live = call("gather", "--name", "x").json()
    assert _still(captured) == _still(live)


def test_where_there_is_no_proc_it_says_so(tmp_path: Path) -> None:
    """The kit and the live port alike, in a name space of their own."""
    for words, script in ((["sh"], call("kit", "linux").out), ([COMMAND, "gather"], "")):
        ran = subprocess.run(
            ["unshare", "-m", "sh", "-c", f"umount -l /proc && exec {' '.join(words)}"],
            input=script, capture_output=True, text=True, check=False, cwd=tmp_path,
        )  # fmt: skip
        if "unshare failed" in ran.stderr or "umount" in ran.stderr:
            pytest.skip("no name space of its own is allowed here")
        assert (ran.returncode, ran.stdout) == (3, "")
        assert "found neither /proc/meminfo nor /proc/cpuinfo" in ran.stderr


def test_every_kit_prints_what_it_reads_first() -> None:
    for system in ("linux", "macos", "windows", "freebsd"):
        script = call("kit", system).out
        assert "serial numbers" in "".join(script.splitlines(keepends=True)[:8])
        assert Path(script_path(system)).read_text() == script
