"""What people say: the same readings from the same words through every door."""

import json
from pathlib import Path
from typing import Any

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from tallcheck.core.board.account import account_of_machine
from tallcheck.core.machine.names import named_version
from tallcheck.core.machine.readings import TRADE_WORDS, Told, keys, kind_of, resolve_key
from tallcheck.core.machine.sheet import SHEET_FORMAT, Graphics, Kit, Machine, Module
from tallcheck.core.machine.telling import tell_all
from tallcheck.core.text.pasted import read_lines
from tallcheck.core.text.said import (
    is_unknown,
    parse_told,
    read_said,
    read_statement,
    tried_said,
)
from tallcheck.core.values.errors import InputError
from tests.helpers import GIB, VOCABULARY, call, run

GB = 10**9
MODULES = "memory.modules"

# key, what people say, and the readings in it
SAID: list[tuple[str, str, dict[str, Any]]] = [
    ("memory", "8gb", {"memory.installed": 8 * GIB}),
    ("memory", "8192 MB", {"memory.installed": 8 * GIB}),
    ("ram", "8 Gigs of RAM", {"memory.installed": 8 * GIB}),
    ("memory", "8GB DDR4", {"memory.installed": 8 * GIB, "extra.memory_type": "DDR4"}),
    ("memory", "2x4GB", {MODULES: [4 * GIB] * 2}),
    ("memory", "12 GB (8+4)", {"memory.installed": 12 * GIB, MODULES: [8 * GIB, 4 * GIB]}),
    ("memory", "8 gb single stick", {MODULES: [8 * GIB]}),
    ("memory", "8 GB RAM in 2 modules, DDR4", {MODULES: [4 * GIB] * 2}),
    ("memory", "2x4GB, two slots free", {MODULES: [4 * GIB, 4 * GIB, 0, 0]}),
    ("memory", "8 GB soldered, no slots", {MODULES: [8 * GIB]}),
    ("memory", "8 GB, 1 of 2 slots used",
     {"memory.installed": 8 * GIB, "memory.slots": 2, MODULES: [None, 0]}),
    ("memory", "16 GB, 2 of 2 slots used",
     {"memory.installed": 16 * GIB, "memory.slots": 2, MODULES: [None, None]}),
    ("memory", "8 GB, 2 slots used, 2 free",
     {"memory.installed": 8 * GIB, "memory.slots": 4, MODULES: [None, None, 0, 0]}),
    ("memory", "7.4 GB of 8 GB usable",
     {"memory.installed": 8 * GIB, "memory.usable": round(7.4 * GIB)}),
    ("memory", "8GB onboard, 1 SODIMM slot free", {MODULES: [8 * GIB, 0]}),
    ("ceiling", "32 GB (2x16)", {"memory.ceiling": 32 * GIB}),
    ("ceiling", "2x16GB", {"memory.ceiling": 32 * GIB}),
    ("memory", "8 GB; one free slot of two",
     {"memory.installed": 8 * GIB, "memory.slots": 2, MODULES: [None, 0]}),
    ("memory", "8GB (1x8 SODIMM DDR4)",
     {"memory.installed": 8 * GIB, MODULES: [8 * GIB]}),
    ("memory", "8GB, 4 slots (2 free)",
     {"memory.installed": 8 * GIB, "memory.slots": 4, MODULES: [None, None, 0, 0]}),
    ("memory", "8GB PC4-21300", {"memory.installed": 8 * GIB, "extra.memory_type": "DDR4"}),
    ("memory", "2x4GB PC3L-12800S", {MODULES: [4 * GIB] * 2}),
    ("memory", "2 × 4 GB", {MODULES: [4 * GIB] * 2}),
    ("memory", "8 GB (2x4)", {"memory.installed": 8 * GIB, MODULES: [4 * GIB] * 2}),
    ("memory", "4GB + 8GB", {MODULES: [4 * GIB, 8 * GIB]}),
    ("memory", "8.00 GB (7.83 GB usable)",
     {"memory.installed": 8 * GIB, "memory.usable": 8407398482}),
    ("memory", "8,00 GB (7,83 GB verwendbar)",
     {"memory.installed": 8 * GIB, "memory.usable": 8407398482}),
    ("memory", "7.8 GB", {"memory.usable": 8375186227}),
    ("memory", "4.5 GB", {"memory.usable": 9 * GIB // 2}),
    ("memory", "2.5 GB", {"memory.installed": 5 * GIB // 2}),
    ("memory", "8,067 MB", {"memory.usable": 8067 << 20}),
    ("memory", "8.192 MB", {"memory.installed": 8 * GIB}),
    ("memory", "8 Go", {"memory.installed": 8 * GIB}),
    ("memory", "2.5 GB", {"memory.installed": 5 * GIB // 2}),
    ("memory", "7.4/15.8 GB (47%)", {"memory.usable": 16965120819}),
    ("memory", "5,2 von 7,9 Gio", {"memory.usable": 8482560410}),
    ("memory", "4 GB, can take 16",
     {"memory.installed": 4 * GIB, "memory.ceiling": 16 * GIB}),
    ("memory", "12,0 GB nutzbar 11,9 GB",
     {"memory.installed": 12 * GIB, "memory.usable": 12777527706}),
    ("memory", "8GB (1x8GB), second slot empty",
     {"memory.installed": 8 * GIB, MODULES: [8 * GIB, 0]}),
    ("os", "windows ten", {"system.os": "Windows", "system.os_version": "10"}),
    ("os", "upgraded from Windows 7 to Windows 10",
     {"system.os": "Windows", "system.os_version": "10"}),
    ("system.os_version", "Microsoft Windows 10 Pro 10.0.19045",
     {"system.os": "Windows", "system.os_version": "10", "extra.os_edition": "Pro"}),
    ("cpu", "2x Intel Xeon Silver 4210R 10-core",
     {"processor.name": "Intel Xeon Silver 4210R", "processor.sockets": 2, "processor.cores": 20}),
    ("cpu", "Core i5 (11th)",
     {"processor.line": "Core", "processor.maker": "Intel", "processor.generation": 11}),
    ("cores", "6 (12 logical)", {"processor.cores": 6, "processor.threads": 12}),
    ("free", "60,2 GB von 237 GB", {"storage.free": 602 * 10**8, "storage.drive": 237 * GB}),
    ("disk", "Samsung SSD 870 EVO 500GB",
     {"storage.drive": 500 * GB, "storage.kind": "solid"}),
    ("memory", "keine Ahnung", {}),
    ("disk", "256 GB SSD", {"storage.drive": 256 * GB, "storage.kind": "solid"}),
    ("disk", "1TB HDD", {"storage.drive": 1000 * GB, "storage.kind": "spinning"}),
    ("storage", "256 GB SSD, 60 GB free",
     {"storage.drive": 256 * GB, "storage.kind": "solid", "storage.free": 60 * GB}),
    ("storage", "C: 238 GB, 61 GB free", {"storage.size": 238 * GB, "storage.free": 61 * GB}),
    ("storage", "60 GB free of 256 GB", {"storage.drive": 256 * GB, "storage.free": 60 * GB}),
    ("storage", "1.000 GB", {"storage.drive": 1000 * GB}),
    ("cpu", "i5-8365U", {"processor.name": "i5-8365U"}),
    ("cpu", "Osier Wand S5 214, 4 cores, 8 threads",
     {"processor.name": "Osier Wand S5 214", "processor.cores": 4, "processor.threads": 8}),
    ("cpu", "Intel Core i5 8th gen",
     {"processor.line": "Core", "processor.maker": "Intel", "processor.generation": 8}),
    ("cpu", "some i5, 8th generation",
     {"processor.line": "Core", "processor.maker": "Intel", "processor.generation": 8}),
    ("cpu", "quad-core 2.4 GHz", {"processor.cores": 4, "processor.clock": 2_400_000_000}),
    ("os", "Win 10", {"system.os": "Windows", "system.os_version": "10"}),
    ("os", "Microsoft Windows 10 Enterprise",
     {"system.os": "Windows", "system.os_version": "10", "extra.os_edition": "Enterprise"}),
    ("disk", "256 ssd with 30 free",
     {"storage.drive": 256 * 10**9, "storage.kind": "solid", "storage.free": 30 * 10**9}),
    ("disk", "C: 475 GB free 120 GB",
     {"storage.size": 475 * 10**9, "storage.free": 120 * 10**9}),
    ("os", "Windows Server", {"system.os": "Windows Server"}),
    ("display", '15.6" FHD 1920x1080 @ 60 Hz', {"display": "1920x1080"}),
    ("display", "15.6 inch, Full HD (1920 × 1080)", {"display": "1920x1080"}),
    ("memory", "7.7Gi", {"memory.usable": round(7.7 * GIB)}),
    ("display", '14" FHD', {"display": "1920x1080"}),
    ("os", "Debian server",
     {"system.os": "Debian GNU/Linux", "extra.os_edition": "server"}),
    ("os", "Windows 11 Pro 23H2",
     {"system.os": "Windows", "system.os_version": "11", "extra.os_edition": "Pro",
      "extra.os_release": "23H2"}),
    ("os", "Windows 10 64-bit",
     {"system.os": "Windows", "system.os_version": "10", "system.os_bits": 64}),
    ("os", "Майкрософт Windows 10", {"system.os": "Windows", "system.os_version": "10"}),
    ("os", "macOS Sonoma 14.4", {"system.os": "macOS", "system.os_version": "14.4"}),
    ("os", "Debian 12", {"system.os": "Debian GNU/Linux", "system.os_version": "12"}),
    ("os", "Windows", {"system.os": "Windows"}),
    ("os", "Merrow 10", {"system.os": "Merrow", "system.os_version": "10"}),
    ("shape", "laptop", {"system.shape": "notebook"}),
    ("shape", "all in one", {"system.shape": "all-in-one"}),
    ("os_bits", "x64-based PC", {"system.os_bits": 64}),
    ("architecture", "amd64", {"processor.architecture": "x86-64"}),
    ("tpm", "TPM 2.0", {"firmware.security_module": "2.0"}),
    ("secure_boot", "Disabled", {"firmware.secure_boot": "able"}),
    ("secure_boot", "True", {"firmware.secure_boot": "on"}),
    ("storage_kind", "NVMe", {"storage.kind": "solid"}),
    ("display", "1920 × 1080", {"display": "1920x1080"}),
    ("memory", "two 4GB sticks", {MODULES: [4 * GIB] * 2}),
    ("memory", "2 sticks of 4 GB", {MODULES: [4 * GIB] * 2}),
    ("memory", "8GB soldered", {MODULES: [8 * GIB]}),
    ("memory", "8 GB, 2 slots", {"memory.installed": 8 * GIB, "memory.slots": 2}),
    ("memory", "8 067 MB", {"memory.usable": 8067 << 20}),
    ("memory", "8 Gbytes", {"memory.installed": 8 * GIB}),
    ("disk", "120 GB free out of 256 GB", {"storage.drive": 256 * GB, "storage.free": 120 * GB}),
    ("cpu", "2x Xeon E5-2680 v4",
     {"processor.sockets": 2, "processor.name": "Xeon E5-2680 v4"}),
    ("cpu", "Intel 8th gen",
     {"processor.line": "Core", "processor.maker": "Intel", "processor.generation": 8}),
    ("cpu", "AMD Athlon 3000G", {"processor.name": "AMD Athlon 3000G"}),
    ("cores", "4C/8T", {"processor.cores": 4, "processor.threads": 8}),
    ("clock", "1.60 GHz - 3.90 GHz",
     {"processor.clock": 1_600_000_000, "processor.clock_most": 3_900_000_000}),
    ("os", "W10", {"system.os": "Windows", "system.os_version": "10"}),
    ("os", "Ventura", {"system.os": "macOS", "system.os_version": "13"}),
    ("os", "Linux 5.15", {"system.os": "Linux", "system.kernel": "5.15"}),
    ("shape", "Dell laptop", {"system.shape": "notebook"}),
    ("shape", "VM", {"system.virtual": True}),
    ("tpm", "yes, 2.0", {"firmware.security_module": "2.0"}),
    ("cpu", "FX-8350 eight core 4.0 GHz turbo 4.2",
     {"processor.name": "FX-8350", "processor.cores": 8, "processor.clock": 4_000_000_000,
      "processor.clock_most": 4_200_000_000}),
    ("memory", "8GB 2133 MHz", {"memory.installed": 8 * GIB}),
    ("disk", "C: 100 GB free, D: 400 GB free", {"storage.free": 100 * GB}),
    ("disk", "SSD 512GB, used 400GB", {"storage.drive": 512 * GB, "storage.kind": "solid"}),
    ("secure_boot", "supported but disabled", {"firmware.secure_boot": "able"}),
    ("free", "none", {"storage.free": 0}),
    ("cpu", "i7-1165G7 @ 2.80GHz x 8",
     {"processor.name": "i7-1165G7 @ 2.80GHz", "processor.clock": 2_800_000_000,
      "processor.threads": 8}),
    ("memory", "2x8GB + 2x4GB", {MODULES: [8 * GIB] * 2 + [4 * GIB] * 2}),
    ("disk", "20% of 500 GB free", {"storage.drive": 500 * GB}),
    ("free", "118 GB total, 35 GB free", {"storage.free": 35 * GB, "storage.drive": 118 * GB}),
    ("os", "Win 7 64 Ultimate",
     {"system.os": "Windows", "system.os_version": "7", "system.os_bits": 64,
      "extra.os_edition": "Ultimate"}),
    ("memory", "16 GB (max. 64 GB)",
     {"memory.installed": 16 * GIB, "memory.ceiling": 64 * GIB}),
    ("memory", "max 32 GB, currently 8",
     {"memory.installed": 8 * GIB, "memory.ceiling": 32 * GIB}),
    ("memory", "16GB (2x8) 3000MHz", {"memory.installed": 16 * GIB, MODULES: [8 * GIB] * 2}),
    ("memory", "8 GB but one stick is broken", {"memory.installed": 8 * GIB}),
    ("memory", "4 GB (1 Slot frei)", {"memory.installed": 4 * GIB}),
    ("memory", "8 GB in two modules of 4, two slots free",
     {"memory.installed": 8 * GIB, MODULES: [4 * GIB, 4 * GIB, 0, 0]}),
    ("memory", "7.9 GB, of which 6.1 in use", {"memory.usable": 8482560410}),
    ("memory", "4GB + 4GB swap", {"memory.installed": 4 * GIB, "memory.swap": 4 * GIB}),
    ("memory", "2 sticks: 8 and 4", {MODULES: [8 * GIB, 4 * GIB]}),
    ("memory", "two of 4 gig", {MODULES: [4 * GIB] * 2}),
    ("disk", "1 TB full, 20 GB left", {"storage.drive": 1000 * GB, "storage.free": 20 * GB}),
    ("memory", "four slots with 2 GB in each",
     {"memory.slots": 4, MODULES: [2 * GIB] * 4}),
    ("memory", "2 of the 4 slots hold 4GB modules", {"memory.slots": 4, MODULES: [4 * GIB] * 2}),
    ("memory", "8 GB, max 16 GB per slot",
     {"memory.installed": 8 * GIB, "memory.position_most": 16 * GIB}),
    ("memory", "24GB (2x8 + 2x4)",
     {"memory.installed": 24 * GIB, MODULES: [8 * GIB] * 2 + [4 * GIB] * 2}),
    ("memory", "4GB DDR3 (x2)", {MODULES: [4 * GIB] * 2}),
    ("memory", "RAM 7,9 GB frei 3,1 GB",
     {"memory.usable": 8482560410, "memory.available": 3328599654}),
    ("cpu", "Xeon E5-2680 v4 (2 processors)",
     {"processor.name": "Xeon E5-2680 v4", "processor.sockets": 2}),
    ("cpu", "AMD A9-9425 dual-core", {"processor.name": "AMD A9-9425", "processor.cores": 2}),
    ("tpm", "not enabled", {"firmware.security_module": "off"}),
    ("firmware.version", "legacy, MBR", {"firmware.mode": "bios"}),
    ("memory", "8GB (1 DIMM)", {MODULES: [8 * GIB]}),
    ("slots", "none, it's soldered", {"memory.slots": 0}),
    ("modules", "A1: 8 GB, A2: empty", {MODULES: [8 * GIB, 0]}),
    ("os", "upgraded from Windows 7 to 10", {"system.os": "Windows", "system.os_version": "10"}),
    ("cpu", "2x Xeon Gold 6226R 16C 2.9GHz",
     {"processor.name": "Xeon Gold 6226R", "processor.sockets": 2, "processor.cores": 32,
      "processor.clock": 2_900_000_000}),
    ("memory", "12 GB (4 soldered + 8)",
     {"memory.installed": 12 * GIB, MODULES: [4 * GIB, 8 * GIB]}),
    ("modules", "ChannelA-DIMM0 8GB; ChannelB-DIMM0 empty", {MODULES: [8 * GIB, 0]}),
    ("modules", "8,8", {MODULES: [8 * GIB] * 2}),
    ("gpu", "Osier Reed 5, DirectX 12, vulkan 1.2",
     {"graphics": [Graphics("Osier Reed 5", None, {"d3d": "12", "vulkan": "1.2"})]}),
]  # fmt: skip
SAID_IDS = [f"{key}={text}" for key, text, _ in SAID]


def plain(told: list[Any]) -> dict[str, Any]:
    """Told readings with modules as their sizes."""
    return {
        one.key: [m.size for m in one.value] if one.key == MODULES else one.value for one in told
    }  # fmt: skip


def on_sheet(raw: dict[str, Any]) -> dict[str, Any]:
    """The readings of a sheet's JSON by dotted key."""
    found: dict[str, Any] = {}
    for section, part in raw.items():
        if isinstance(part, dict):
            found |= {f"{section}.{key}": value for key, value in part.items()}
    for key, value in (raw.get("storage") or [{}])[0].items():
        found[f"storage.{key}"] = value
    found["display"] = raw.get("display")
    found["graphics"] = [Graphics(**one) for one in raw.get("graphics", [])]
    if MODULES in found:
        found[MODULES] = [one.get("size") for one in found[MODULES]]
    return found


@pytest.mark.parametrize(("key", "text", "expected"), SAID, ids=SAID_IDS)
def test_the_reader(key: str, text: str, expected: dict[str, Any]) -> None:
    assert plain(read_said(resolve_key(key), text, VOCABULARY)) == expected


LABEL = {
         "slots": "Slots", "firmware.version": "BIOS", "memory": "RAM", "ram": "RAM",
         "disk": "Disk",
         "storage": "Storage", "cpu": "Processor",
         "os": "OS", "shape": "Shape", "os_bits": "Bits", "architecture": "Architecture",
         "tpm": "TPM", "cores": "Cores", "clock": "Base speed", "secure_boot": "Secure boot",
         "storage_kind": "Disk type", "modules": "Modules", "gpu": "Graphics",
         "display": "Screen", "free": "Free space", "ceiling": "Max memory",
         "system.os_version": "OS version"}  # fmt: skip


@pytest.mark.parametrize("way", ['"{}"', "({})", "\u201e{}\u201c", " {}. ", "{},", "{};"])
def test_a_value_tells_the_same_whatever_is_around_it(way: str) -> None:
    for key, text, _ in SAID:
        if not {*text} & {*'()"\u201c'} and text[-1] not in "-.?":
            bare, around = (
                [told for told in parse_told(f"{key}={one}", VOCABULARY) if told.key != "extra.gpu"]
                for one in (text, way.format(text))
            )
            assert around == bare, (key, text)


def test_every_door_reads_the_same(tmp_path: Path) -> None:
    """describe typed, describe pasted, --have and a fleet's cell give the same readings."""
    (tmp_path / "none.machine.json").write_text('{"tallcheck": "machine/1", "name": "x"}')
    rows = {}
    for at, (key, text, expected) in enumerate(SAID[::3]):
        typed = call("describe", "x", f"{key}={text}", "extra.there=yes").json()
        pasted = call("describe", "x", "extra.there=yes", "--text", "-",
                     stdin=f"{LABEL[key]}: {text}\n".encode()).json()  # fmt: skip
        for raw in (typed, pasted):
            found = on_sheet(raw)
            assert {name: found.get(name) for name in expected} == expected, (key, text)
        rows[f"m{at}"] = (key, text)
    heads = sorted({key for key, _ in rows.values()} - {"disk", "ram"})
    lines = [",".join(["name", *heads])]
    for name, (key, text) in rows.items():
        key = {"disk": "storage", "ram": "memory"}.get(key, key)
        lines.append(",".join([name, *(f'"{text}"' if head == key else "" for head in heads)]))
    (tmp_path / "list.csv").write_text("\n".join(lines) + "\n", encoding="utf-8")
    ran = call("fleet", "list.csv", "merrow@10", "--format", "json", cwd=tmp_path)
    assert (ran.code, ran.json()["faults"]) == (0, [])


SCREENS = {
    "about": """Device name	potting-31
Processor	Intel(R) Core(TM) i5-8250U CPU @ 1.60GHz   1.80 GHz
Installed RAM	8.00 GB (7.88 GB usable)
Product ID	00330-80000-00000-AA123
System type	64-bit operating system, x64-based processor
Edition	Windows 10 Pro
Version	22H2
OS build	19045.3803
""",
    "cards": """Device name potting-31
Processor 8th Gen Intel(R) Core(TM) i5-8250U @ 1.60GHz (1.80 GHz)
Installed RAM 8.00 GB (7.88 GB usable)
Graphics Card Osier Reed 620 (128 MB)
Storage 477 GB SSD OSIER MZVLB512HBJQ-000L7
System type 64-bit operating system, x64-based processor
Edition Windows 10 Pro
""",
    "summary": """OS Name	Microsoft Windows 10 Pro
Version	10.0.19045 Build 19045
System Type	x64-based PC
Processor	Intel(R) Core(TM) i5-8250U CPU @ 1.60GHz, 1800 Mhz, 4 Core(s), 8 Logical Processor(s)
Platform Role	Mobile
Windows Directory	C:\\WINDOWS
Installed Physical Memory (RAM)	8.00 GB
Total Physical Memory	7.88 GB
Total Virtual Memory	12.1 GB
Hyper-V - Virtualization Enabled in Firmware	Yes
""",
    "listing": """OS Name:                     Microsoft Windows 10 Pro
OS Version:                    10.0.19045 N/A Build 19045
Processor(s):                  1 Processor(s) Installed.
CPU:                           Intel(R) Core(TM) i5-8250U CPU @ 1.60GHz
System Type:                   x64-based PC
Total Physical Memory:         8,067 MB
Virtual Memory: Max Size:      12,419 MB
""",
}


@pytest.mark.parametrize("name", SCREENS)
def test_what_is_copied_from_a_screen_is_read_whole_and_without_doubts(name: str) -> None:
    ran = call("describe", "x", "--text", "-", stdin=SCREENS[name].encode())
    assert (ran.code, ran.err) == (0, "")
    sheet = ran.json()
    assert "doubts" not in sheet
    assert (sheet["system"]["os"], sheet["system"]["os_version"]) == ("Windows", "10")
    assert sheet["memory"]["installed"] == 8 * GIB
    assert sheet["memory"]["usable"] < 7.9 * GIB
    assert sheet["processor"]["name"].endswith(("i5-8250U CPU @ 1.60GHz", "i5-8250U @ 1.60GHz"))
    assert sheet["processor"]["architecture"] == "x86-64"
    more = {
        "about": sheet.get("extra", {}).get("os_release") == "22H2",
        "cards": sheet.get("graphics") == [{"name": "Osier Reed 620", "memory": 128 << 20}]
        and sheet["storage"] == [{"drive": 477 * GB, "kind": "solid", "system": True}],
        "summary": sheet["system"].get("shape") == "notebook"
        and sheet["processor"].get("virtualization") == "on",
    }
    assert more.get(name, True)


I5 = {"line": "Core", "generation": 8}


@pytest.mark.parametrize(
    ("line", "processor", "system", "drive"),
    [
        ("Win10 laptop, i5 8th gen, 8GB ram, 256 ssd", I5,
         {"os": "Windows", "os_version": "10", "shape": "notebook"}, (256 * GB, "solid")),
        ("notebook / 8 GB RAM / Intel Core i5-8250U / 256 GB SSD / Windows 10 Pro 64-bit", I5,
         {"os": "Windows", "os_bits": 64, "shape": "notebook"}, (256 * GB, "solid")),
        ("It's an old laptop with an i5-8250U and 8 GB of RAM", I5, {"shape": "notebook"}, None),
        ("RAM: 8 GB, CPU: i5-8250U, Disk: 1 TB HDD", I5, {}, (1000 * GB, "spinning")),
        ("Memory 8 GB, Processor i5-8250U", I5, {}, None),
        ("i5-8250U | 8GB | 512GB NVMe", I5, {}, (512 * GB, "solid")),
        ("i5-8250U 8GB 256GB SSD win10", {"name": "i5-8250U"}, {"os_version": "10"},
         (256 * GB, "solid")),
        ("laptop Celeron N4020 8GB 64GB eMMC Windows 10 Home S", {"name": "Celeron N4020"},
         {"os_version": "10", "shape": "notebook"}, (64 * GB, "solid")),
        ("RAM 8GB CPU i5-8250U HDD 1TB", {"name": "i5-8250U"}, {}, (1000 * GB, "spinning")),
        ("i5 8th gen (4 cores, 6MB cache), 8 gigs of ram i think", I5 | {"cores": 4}, {}, None),
        ("It needs 16 GB but we only have 8 GB.", {}, {}, None),
        ("8GB RAM 1TB SSD RTX 3070 i5-8250U", I5, {}, (1000 * GB, "solid")),
        ("I have 8 GB RAM Windows 10 i5-8250U", {"name": "i5-8250U"}, {"os_version": "10"}, None),
        ("I have an i5-8250U with 8 GB RAM, is that enough?", I5, {}, None),
        ("8 GB, Windows Server 2019", {}, {"os": "Windows Server", "os_version": "2019"}, None),
    ],
)  # fmt: skip
def test_a_line_of_many_things_is_read_in_its_parts(
    line: str, processor: dict[str, Any], system: dict[str, Any], drive: Any
) -> None:
    ran = call("describe", "x", "--text", "-", stdin=f"{line}\n".encode())
    sheet = ran.json()
    assert ran.err == ""
    assert sheet["memory"]["installed"] == 8 * GIB
    assert processor.items() <= sheet.get("processor", {}).items()
    assert system.items() <= sheet.get("system", {}).items()
    if drive is not None:
        assert [(one["drive"], one["kind"]) for one in sheet["storage"]] == [drive]


PARTS = (
    ("i5-8250U", "Ryzen 5 3600", "Core i5 8th gen", "Celeron N4020", "Core 2 Duo E8400", "i5"),
    ("8GB RAM", "8 GB", "16GB", "4gb ram", "8GB DDR4", "2x4GB", "4 gigs of ram"),
    ("256GB SSD", "1TB HDD", "512 GB NVMe SSD", "500gb hdd", "128GB eMMC"),
    ("Windows 10", "Windows 11 Pro", "win10", "macOS Monterey", "Ubuntu 22.04", "Debian 12"),
)


@given(st.tuples(*map(st.sampled_from, PARTS)).flatmap(st.permutations),
       st.sampled_from(["", "Satchel 14", "OptiBrook 7010", "T480s"]),
       st.sampled_from(["", "laptop", "tower", "all in one"]))  # fmt: skip
def test_no_mark_need_stand_between_what_is_told(parts: list[str], model: str, shape: str) -> None:
    said = [*filter(None, (model, shape)), *parts]
    with_marks, without = (read_lines(mark.join(said), VOCABULARY)[0] for mark in (", ", " "))
    assert {(one.key, str(one.value)) for one in without} == {
        (one.key, str(one.value)) for one in with_marks
    }


def test_a_model_before_what_is_told_is_all_that_is_not_understood() -> None:
    line = "Osier Satchel 14 core i5 8th gen 8gb ram 256gb ssd windows 10 pro"
    ran = call("describe", "x", "--text", "-", stdin=f"{line}\n".encode())
    sheet = ran.json()
    assert ran.err.rstrip().endswith(": Osier Satchel 14")
    assert sheet["memory"] == {"installed": 8 * GIB}
    assert I5.items() <= sheet["processor"].items()


@pytest.mark.parametrize("line", ["Memory upgrade planned in 2027", "Model and make unclear 2",
                                  "Processor count is 3 of 7 boards", "Drive 500 GB 2 drives",
                                  "The Windows 10 update needs 3 GB", "8 GB 1 GB of 2",
                                  "Is 4 GB enough for Merrow 10?",
                                  "There are 3 GB of updates here for Windows 10 and more to come",
                                  "8 GB of 15.8 GB in use", "4.2 GB of 15.8 GB",
                                  "Windows Update Service"])  # fmt: skip
def test_a_line_that_only_begins_like_a_label_tells_nothing(line: str) -> None:
    ran = call("describe", "x", "extra.there=yes", "--text", "-", stdin=f"{line}\n".encode())
    assert "line 1 not understood" in ran.err
    assert set(ran.json()) == {"tallcheck", "name", "extra", "origins"}


@pytest.mark.parametrize(
    ("line", "sizes"),
    [("Modules: 8GB, 4GB, -", [8, 4, 0]), ("Modules: 8GB, 8GB, CPU: i5-8250U", [8, 8])],
)
def test_a_list_behind_its_label_is_one_value(line: str, sizes: list[int]) -> None:
    sheet = call("describe", "x", "--text", "-", stdin=f"{line}\n".encode()).json()
    assert "doubts" not in sheet
    assert [one["size"] // GIB for one in sheet["memory"]["modules"]] == sizes


@pytest.mark.parametrize(
    ("line", "section", "key"),
    [
        ("My colleague's machine has 32 GB, mine only 8.", "memory", "installed"),
        ("Board takes max 32GB", "system", "shape"),
        ("C: 100 GB, D: 1 TB", "memory", "installed"),
    ],
)
def test_what_is_of_another_thing_is_not_the_machines(line: str, section: str, key: str) -> None:
    ran = call("describe", "x", "--text", "-", stdin=f"os: Merrow 10\n{line}\n".encode())
    assert key not in ran.json().get(section, {})


def test_have_reads_as_describe_does() -> None:
    sheet = json.loads(call("describe", "x", "cores=4").out)
    assert sheet["processor"]["cores"] == 4
    words = ("--have", "ram=8.00 GB (7.83 GB usable)", "--have", "type=laptop",
             "--have", "os=Win 10", "--have", "disk=256 GB SSD, 60 GB free")  # fmt: skip
    ran = call("check", "-", "--need", "ram=8 GB RAM", "--need", "os=Windows 10 or later",
              "--need", "storage_kind=ssd", *words, "--format", "json",
              stdin=json.dumps(sheet).encode())  # fmt: skip
    assert ran.json()["decision"]["answer"] == "ready"


@pytest.mark.parametrize(
    ("key", "text"),
    [
        ("memory", "lots"), ("memory", "8"), ("memory", "1.000 GB"), ("memory", "-8 GB"),
        ("memory", "8 GB or 16 GB"), ("memory", "8 GB 16 GB"),
        ("disk", "256GB SSD + 1TB HDD"), ("cpu", "64"), ("cpu", "4"),
        ("cpu", "Windows 10"), ("cpu", "laptop"), ("cpu", "256 GB SSD"), ("os", "laptop"),
        ("cpu", "not an i5"), ("cpu", "64-bit"), ("cpu", "256 ssd with 30 free"),
        ("os", "i5 8th gen"), ("os", "Windows 10 or 11"), ("os", "Win 10/11"),
        ("os", "64-bit"), ("os_bits", "4"),
        ("shape", "brick"), ("tpm", "yes"), ("clock", "2.4"),
        ("cores", "plenty"), ("virtual", "maybe"), ("modules", "8GB,lots"),
        ("architecture", "?!"), ("display", "big"), ("gpu", "17"),
    ],
)  # fmt: skip
def test_what_cannot_be_read_is_refused_with_what_was_expected(key: str, text: str) -> None:
    with pytest.raises(InputError) as caught:
        read_said(resolve_key(key), text, VOCABULARY)
    assert caught.value.expected


@pytest.mark.parametrize("told", ["memory=8192 GB", "memory=4096 kB"])
def test_unlikely_figures_are_doubts(told: str) -> None:
    assert call("describe", "x", told).json()["doubts"]


@pytest.mark.parametrize(("text", "expected"), [
    ("8GB DDR4 SODIMM", [{"size": 8 * GIB, "type": "DDR4", "form": "SODIMM"}]),
    ("2x8 GB SO-DIMM DDR4-3200, empty SODIMM", [
        {"size": 8 * GIB, "type": "DDR4", "form": "SODIMM", "speed": 3200}] * 2
        + [{"size": 0, "form": "SODIMM"}]),
    ("16GB RDIMM DDR4 ECC registered 2933 MT/s", [
        {"size": 16 * GIB, "type": "DDR4", "form": "RDIMM", "speed": 2933, "ecc": True,
         "registered": True}]),
    ("4GB PC3L-12800 (SODIMM) / -", [
        {"size": 4 * GIB, "type": "DDR3L", "form": "SODIMM", "speed": 1600}, {"size": 0}]),
    ("8 GB LPDDR5 on board; free", [
        {"size": 8 * GIB, "type": "LPDDR5", "fixed": True}, {"size": 0}]),
    ("slot 1: 8 GB DDR4, A2: empty slot", [
        {"slot": "slot 1", "size": 8 * GIB, "type": "DDR4"}, {"slot": "A2", "size": 0}]),
    ("ChannelA-DIMM0: 8GB; ChannelB-DIMM0: -", [
        {"slot": "ChannelA-DIMM0", "size": 8 * GIB}, {"slot": "ChannelB-DIMM0", "size": 0}]),
    ("DIMM1 8GB, DIMM 2 empty", [
        {"slot": "DIMM1", "size": 8 * GIB}, {"slot": "DIMM 2", "size": 0}]),
    ("4GB DDR3 1600 MHz non-ECC", [
        {"size": 4 * GIB, "type": "DDR3", "speed": 1600, "ecc": False}]),
])  # fmt: skip
def test_what_is_told_of_modules(text: str, expected: list[dict[str, Any]]) -> None:
    (positions,) = read_said("memory.modules", text, VOCABULARY)
    assert positions.value == [Module(**one) for one in expected]


@pytest.mark.parametrize(("text", "count", "filled"), [
    ("2", 2, None), ("2 slots", 2, None), ("2 (1 free)", 2, 1), ("4 slots, 2 free", 4, 2),
    ("1 of 2 used", 2, 1), ("1/2", 2, 1), ("two", 2, None), ("2 of 2", 2, 2),
    ("2 slots, both used", 2, 2), ("2 Steckplätze, beide belegt", 2, 2),
    ("4 slots, no free slots", 4, 4), ("4 slots, no slot free", 4, 4), ("2 slots used", 2, None),
])  # fmt: skip
def test_how_many_positions_are_told(text: str, count: int, filled: int | None) -> None:
    told = {one.key: one.value for one in read_said("memory.slots", text, VOCABULARY)}
    assert told.pop("memory.slots") == count
    modules = [] if filled is None else [Module()] * filled + [Module(size=0)] * (count - filled)
    assert told.get("memory.modules", []) == modules


@pytest.mark.parametrize(("total", "filled", "out"), [(8, 2, [4, 4]), (12, 2, [8, 4]), (8, 1, [])])
def test_a_board_that_is_told_to_be_full_has_no_free_position(
    total: int, filled: int, out: list[int]
) -> None:
    """What fills it is taken to be as nearly alike as such a total allows."""
    told = [Told("memory.installed", total * GIB),
            *read_said("memory.slots", f"{filled} of 2", VOCABULARY)]  # fmt: skip
    machine = tell_all(Machine(SHEET_FORMAT, "x"), told, VOCABULARY)
    account = account_of_machine(machine, VOCABULARY)
    assert account is not None
    assert account.fitted == total * GIB
    free = [one for one in account.positions if not one.size]
    assert len(free) == 2 - filled
    assert not any(one.assumed for one in free)
    assert [one.size // GIB for one in account.positions if one.size and filled > 1] == out
    assert ("memory.modules" in account.unknown) == (filled > 1)


@pytest.mark.parametrize(
    "text",
    [
        "8GB blue",
        "8GB DDR4 12",
        "- and nothing",
        "DDR4",
        "8GB 8GB",
        "99999999x8GB",
        "900x8GB,900x8GB",
    ],
)
def test_modules_that_are_not_understood_are_refused(text: str) -> None:
    with pytest.raises(InputError):
        read_said("memory.modules", text, VOCABULARY)


@pytest.mark.parametrize(
    ("text", "sizes", "listed"),
    [
        ("8 GB soldered + 8 GB SODIMM", [(8, True), (8, None)], False),
        ("16GB (8GB onboard and 8GB DDR4)", [(8, True), (8, None)], False),
        ("4 GB, 8 GB soldered", [(4, None), (8, True)], False),
        ("8GB soldered, 1 free slot", [(8, True), (0, None)], True),
        ("4 GB on board plus two slots empty", [(4, True), (0, None), (0, None)], True),
        ("2x4GB soldered", [(4, True), (4, True)], False),
        ("8 GB, soldered", [(8, True)], False),
        ("8 GB soldered, no free slots", [(8, True)], True),
    ],
)
def test_what_is_soldered_says_nothing_of_what_is_beside_it(
    text: str, sizes: list[tuple[int, bool | None]], listed: bool
) -> None:
    told = {one.key: one.value for one in read_said("memory.installed", text, VOCABULARY)}
    modules = told["memory.modules"]
    assert [(one.size // GIB, one.fixed) for one in modules] == sizes
    assert isinstance(modules, Kit) != listed
    assert told.get("memory.installed", 16 * GIB) == 16 * GIB


def test_told_modules_say_nothing_of_empty_positions() -> None:
    (kit,) = read_said("memory.installed", "2x4GB", VOCABULARY)
    (positions,) = read_said("memory.modules", "8GB,-", VOCABULARY)
    assert isinstance(kit.value, Kit)
    assert not isinstance(positions.value, Kit)
    sheet = call("describe", "x", "memory=2x4GB").json()["memory"]
    assert sheet["installed"] == 8 * GIB
    assert "slots" not in sheet
    assert call("describe", "x", "modules=4GB,4GB").json()["memory"]["slots"] == 2


def test_a_second_value_that_contradicts_the_first_is_a_doubt() -> None:
    for first, second in (("16", "8"), ("8", "16")):
        told = f"RAM: {first} GB\nMemory: {second} GB\nScreen: 1920x1080\nResolution: 1920x1080\n"
        doubts = call("describe", "x", "--text", "-", stdin=told.encode()).json()["doubts"]
        assert [one["about"] for one in doubts] == [["memory.installed"]]
    same = b"Installed RAM: 8 GB (7.83 GB usable)\nTotal physical memory: 7.8 GB\n"
    assert "doubts" not in call("describe", "x", "--text", "-", stdin=same).json()


@given(st.sampled_from(sorted(keys())), st.text(max_size=60))
@example("processor.cores", "4 threads \u00b2")
def test_any_text_is_read_or_refused(key: str, text: str) -> None:
    try:
        told = read_said(key, text, VOCABULARY)
    except InputError:
        return
    assert told or is_unknown(text, VOCABULARY)


WORDS = st.sampled_from(
    [
        "8",
        "GB",
        "RAM",
        ":",
        "\t",
        "i5-8365U",
        "Windows 10",
        "laptop",
        "SSD",
        "flags",
        "avx2",
        "free",
        "\n",
        "?",
        "(",
        "64-bit",
        "=",
        "|",
        "TPM",
    ]
)


@given(st.lists(WORDS, max_size=30))
@example(["cpu cores: \u00b2"])
def test_any_pasted_text_is_read_or_listed(words: list[str]) -> None:
    text = " ".join(words)
    told, left = read_lines(text, VOCABULARY)
    assert all(0 < one.line <= len(text.splitlines()) for one in left)
    assert isinstance(told, list)


def test_the_trades_words_lead_to_readings() -> None:
    assert {resolve_key(word) for word in TRADE_WORDS} <= set(keys())
    assert resolve_key("RAM") == "memory.installed"


MAIL = """\
> Hi, here is what I see:
> Prozessor\tIntel(R) Core(TM) i5-8365U CPU @ 1.60GHz   1.90 GHz
> Installierter RAM\t8,00 GB (7,83 GB verwendbar)
> Systemtyp\t64-Bit-Betriebssystem, x64-basierter Prozessor
Edition
Windows 10 Pro
| Hard disk | 256 GB SSD, 60 GB free |
• Auflösung: 1920 x 1080
TPM:
  2.0
Laptop
foo bar
"""


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16"])
def test_a_mail_is_read_line_by_line(tmp_path: Path, encoding: str) -> None:
    (tmp_path / "mail.txt").write_bytes(MAIL.encode(encoding))
    ran = call("describe", "x", "--text", "mail.txt", cwd=tmp_path)
    sheet = ran.json()
    assert sheet["memory"] == {"installed": 8 * GIB, "usable": 8407398482}
    processor = sheet["processor"]
    assert (processor["line"], processor["generation"], processor["bits"]) == ("Core", 8, 64)
    system = sheet["system"]
    assert (system["os"], system["os_version"], system["os_bits"], system["shape"]) == (
        "Windows", "10", 64, "notebook",
    )  # fmt: skip
    assert sheet["storage"][0]["free"] == 60 * GB
    assert (sheet["display"], sheet["firmware"]["security_module"]) == ("1920x1080", "2.0")
    assert [line.split("line ")[1].split(" ")[0] for line in ran.err.splitlines()] == ["1", "12"]


CPUINFO = """\
processor\t: 0
vendor_id\t: GenuineIntel
model name\t: Intel(R) Core(TM) i5-8365U CPU @ 1.60GHz
physical id\t: 0
siblings\t: 2
core id\t\t: 0
cpu cores\t: 1
flags\t\t: fpu lm sse sse2 sse4_2 popcnt avx avx2 odd_flag
processor\t: 1
model name\t: Intel(R) Core(TM) i5-8365U CPU @ 1.60GHz
physical id\t: 0
cpu cores\t: 1
flags\t\t: fpu lm sse sse2 sse4_2 popcnt avx avx2 odd_flag
"""


def test_pasted_cpuinfo_is_one_processor() -> None:
    ran = call("describe", "x", "--text", "-", stdin=CPUINFO.encode())
    processor = ran.json()["processor"]
    assert (processor["cores"], processor["threads"], processor["bits"]) == (1, 2, 64)
    assert {"AVX2", "SSE4.2"} <= set(processor["instructions"])
    assert ran.err == ""


def test_a_call_takes_answers_as_callers_give_them(tmp_path: Path) -> None:
    (tmp_path / "w.needs.toml").write_text(
        'tallcheck = "needs/1"\ntitle = "Wattle"\nkind = "program"\n[minimum]\nmemory = "8 GB"\n'
        'os = ["Windows >= 10"]\nstorage = "64 GB"\ngeneration = {"Core" = 8, "*" = "none"}\n'
    )
    answers = [
        "Windows 10 Home",
        "laptop",
        "8.00 GB (7.83 GB usable)",
        "64",
        "about 50 gigs",
        "my shape is tower",
        "it is a notebook",
        "some i5, 8th gen",
        "256 GB SSD",
        "no idea",
    ]
    ran = call("describe", "x", "--for", "w.needs.toml", cwd=tmp_path,
              stdin="\n".join(answers).encode())  # fmt: skip
    heard = ran.err
    assert ran.code == 0
    assert "\noperating system?" in heard
    assert heard.count("\nprocessor's name?") == 3  # told of other things, it asks again
    for part in ("version 10, edition Home", "that is the shape of the machine: taken for it",
                 "8 GB fitted", 'not understood: found "64"', "generation 8", "a drive of 256 GB",
                 'not understood: found "about 50 gigs"', "Press the Windows key"):  # fmt: skip
        assert part in heard
    assert ran.json()["system"]["shape"] == "notebook"


OFFICE = """\
Computer name,User,RAM,CPU,OS,Disk,Free,Type
pc-01,Ann,8 GB,i5-8365U,Win 10,256 GB SSD,60 GB,laptop
pc-02,Bob,8.00 GB (7.83 GB usable),Intel Core i5-6500,Windows 10 Pro 64-bit,500 GB HDD,,desktop
pc-03,,7.8 GB,"i5, 8th gen",Win 11,not sure,?,all in one
pc-04,,2x4GB,R5 3600,Windows 11 Pro 23H2,1TB,,tower
pc-05,Eve,lots,Pentium,Ubuntu 22.04 LTS,C: 238 GB,61 GB,box
"""


def test_an_offices_list_is_read_as_it_is_kept(tmp_path: Path) -> None:
    (tmp_path / "office.csv").write_text(OFFICE)
    words = ("--format", "json")
    ran = call("fleet", "office.csv", "w.needs.toml", *words, cwd=tmp_path)
    assert ran.code == 3
    (tmp_path / "w.needs.toml").write_text(
        'tallcheck = "needs/1"\ntitle = "Wattle"\nkind = "program"\n[minimum]\nmemory = "8 GB"\n'
        'os = ["Windows >= 10"]\ngeneration = {"Intel Core" = 8, "Ryzen" = 2, "*" = "none"}\n'
    )
    ran = call("fleet", "office.csv", "w.needs.toml", *words, "--save", "out.csv", cwd=tmp_path)
    raw = ran.json()
    assert raw["answers"] == {
        "ready": 3, "memory-alone": 0, "memory-plus": 0, "not-memory": 1, "replace": 0,
        "undecided": 1,
    }  # fmt: skip
    assert sorted(one["column"] for one in raw["faults"]) == ["RAM", "Type"]
    recognised = next(one for one in raw["remarks"] if one.startswith("headings recognised"))
    for heading in ("Computer name", "RAM", "CPU", "OS", "Disk", "Free", "Type"):
        assert f"'{heading}'" in recognised
    assert any("'User'" in one for one in raw["remarks"])


def test_a_users_words_add_to_the_vocabulary(tmp_path: Path) -> None:
    (tmp_path / "systems.toml").write_text(
        '[[system]]\nname = "Sedge OS"\nfamily = "linux"\nalso = ["Sedge"]\n'
    )
    (tmp_path / "labels.toml").write_text(
        'unknown = ["weet niet"]\n[labels]\n"geheugen" = "memory"\n'
        '[words."system.shape"]\n"schootcomputer" = "notebook"\n'
    )
    env = {"TALLCHECK_CONFIG": str(tmp_path)}
    sheet = run("describe", "x", "os=sedge 4", "shape=Schootcomputer", "cores=weet niet", "--text",
                "-", stdin=b"Geheugen: 8 GB\n", env=env).json()  # fmt: skip
    assert sheet["system"] == {"os": "Sedge OS", "os_version": "4", "family": "linux",
                               "shape": "notebook"}  # fmt: skip
    assert sheet["memory"]["installed"] == 8 * GIB
    assert "processor" not in sheet
    for wrong in ("system = 4", '[[system]]\nname = "Sedge OS"\nkin = "linux"\n'):
        (tmp_path / "systems.toml").write_text(wrong)
        assert run("describe", "x", "os=sedge 4", env=env).code == 3


def test_families_follow_from_names() -> None:
    systems = VOCABULARY.systems
    assert systems.family("Debian GNU/Linux") == "linux"
    assert systems.family("Sedge", ("debian",)) == "linux"
    assert systems.family("Windows Server") == "windows"
    assert systems.family("Sedge") is None
    assert systems.same("RHEL", "Red Hat Enterprise Linux")
    assert not systems.same("Windows", "Windows Server")


@pytest.mark.parametrize(
    ("name", "plain", "version"),
    [
        ("Fernfolio", "fernfolio", None), ("Fernfolio 3.2 (64-bit)", "fernfolio", "3.2"),
        ("FERNFOLIO Professional x64", "fernfolio", None),
        ("Fernfolio (x64 en-US)", "fernfolio", None),
        ("Mistwright 2", "mistwright", "2"), ("Plot 3D", "plot 3d", None), ("2048", "2048", None),
    ],
)  # fmt: skip
def test_programs_are_compared_by_name(name: str, plain: str, version: str | None) -> None:
    assert named_version(name) == (plain, version)


def test_of_several_versions_any_may_meet_a_need() -> None:
    sheet = json.dumps({"tallcheck": "machine/1", "name": "x", "software": [
        {"name": "Fernfolio (64-bit)", "version": "2.9"}, {"name": "fernfolio 4.1 x64"},
    ]}).encode()  # fmt: skip
    for need, status in (("Fernfolio >= 4", "met"), ("Fernfolio >= 5", "short")):
        ran = call("check", "-", "--need", f"software={need}", "--format", "json", stdin=sheet)
        assert ran.json()["rows"][0]["status"] == status


def test_bits_told_of_a_processor_whose_line_has_others_are_a_doubt(tmp_path: Path) -> None:
    sheet = call("describe", "x", "cpu=Osier Wand S5 214", "processor_bits=32").json()
    assert [one["about"] for one in sheet["doubts"]] == [["processor.bits"]]
    (tmp_path / "f.csv").write_text(
        "name,cpu,processor_bits\na,Osier Wand S5 214,32\nb,Osier Wand S5 214,64\n"
    )
    raw = call("fleet", "f.csv", "merrow@10", "--format", "json", cwd=tmp_path).json()
    assert len(raw["doubts"]) == 1


@given(
    st.sampled_from([one for one in keys() if kind_of(one) in ("memory", "storage", "clock")]),
    st.decimals(0, 9999, places=1).map(lambda one: f"{one.normalize():f}"),
    st.sampled_from(["MB", "GB", "TB", "GiB", "gb", "MHz", "GHz"]), st.sampled_from(["", " "]),
)  # fmt: skip
@settings(max_examples=150, deadline=None)
def test_a_figure_says_what_a_sentence_of_it_says(
    key: str, figure: str, unit: str, blank: str
) -> None:
    text = f"{figure}{blank}{unit}"
    told = tried_said(key, text, VOCABULARY)
    sentence = read_statement(text, VOCABULARY, key)
    assert not told or told == sentence.told
    assert told or (unit.endswith("Hz") == (kind_of(key) != "clock")) or figure == "0"


@pytest.mark.parametrize(("model", "processor"), [
    ("Lifebook U747", None), ("Lifebook N532", None), ("Dell E6440", None),
    ("Acer E1-571", None), ("Medion P7624", None), ("EliteBook 840 G5", None),
    ("ThinkCentre M1", None), ("Latitude 5490", None), ("Mac mini M2", "M2"),
    ("MacBook Pro 14 M3 Pro", "M3 Pro"), ("Latitude 5490 i5-8250U", "i5-8250U"),
])  # fmt: skip
def test_a_model_tells_the_processor_that_is_named_behind_it(
    model: str, processor: str | None
) -> None:
    told = {one.key: one.value for one in read_said("system.model", model, VOCABULARY)}
    assert told.pop("system.model") == model
    assert told == ({} if processor is None else {"processor.name": processor})
