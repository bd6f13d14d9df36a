"""How each system shows a drawn machine: the files, classes and answers that a reader gets."""

import copy
import json
import struct
from collections.abc import Callable
from typing import Any

from msgspec import Struct

from tallcheck.core.machine.modules import FORMS, TYPES
from tests.helpers import (
    BOARD,
    END,
    GIB,
    X86_FLAGS,
    array_structure,
    module_structure,
    structure,
    system_structure,
)

MIB = 1 << 20
Files = dict[str, bytes]
_KINDS = {name: number for number, name in TYPES.items()}
_FORMS = {name: number for number, name in FORMS.items()}
_CIM_FORMS = {"DIMM": 8, "SODIMM": 12, "row of chips": 21, "": 0}
_SPEEDS = {"DDR3": 1600, "DDR4": 3200, "DDR5": 4800, "LPDDR4": 4266, "LPDDR5": 6400}
_BUILDS = {"7": "6.1.7601", "8.1": "6.3.9600", "10": "10.0.19045", "11": "10.0.22631",
           "2019": "10.0.17763", "2022": "10.0.20348"}  # fmt: skip
_BASES = {"DDR3": 0x18, "DDR4": 0x1A, "DDR5": 0x22}


def _shown(drawn: dict[str, Any], shapes: dict[str, int]) -> dict[str, Any]:
    """What an honest system and firmware tell, for lies to change."""
    shown = copy.deepcopy(drawn)
    maker, model = shown["host"] or ("Larkmoor", shown["model"])
    speed = _SPEEDS[shown["type"]]
    shown |= {
        "maker": maker, "model": model, "chassis": shapes[shown["shape"]],
        "announced": len(shown["sizes"]), "rom": False, "cpu_mhz": 800, "boost": False,
        "positions": [
            {"size": size, "type": shown["type"], "form": shown["form"], "slot": f"DIMM {at}",
             "bank": f"BANK {at}", "speed": speed, "running": speed, "maker": "Larkmoor"}
            for at, size in enumerate(shown["sizes"])
        ],
        "told_sockets": [(True, shown["cores"], shown["cores"] * shown["threads"])
                         for _ in range(shown["sockets"])],
        "strings": {}, "ids": [], "wrap": False, "hypervisor": False, "stick": False,
    }  # fmt: skip
    if shown["host"]:  # hosts make up a board of their own
        shown |= {"chassis": 1, "positions": [], "announced": 0}
    return shown


# --- firmware's table ----------------------------------------------------------------------


def _tables(shown: dict[str, Any]) -> bytes:
    found = [BOARD, system_structure(shown["maker"], shown["model"]),
             structure(3, 3, bytes([1, shown["chassis"], 0, 0, 0]), shown["maker"])]  # fmt: skip
    for at, (fitted, cores, threads) in enumerate(shown["told_sockets"]):
        body = bytearray(0x30 - 4)
        body[0x05 - 4], body[0x18 - 4] = 3, 0x41 if fitted else 0
        body[0x23 - 4], body[0x24 - 4], body[0x25 - 4] = cores, cores, threads
        found.append(structure(4, 0x40 + at, bytes(body), f"CPU{at}"))
    arrays = shown["arrays"] if shown["positions"] else 1
    ceiling = shown["ceiling"] // arrays
    wide = ceiling >= 2048 * GIB
    for at in range(arrays):
        found.append(array_structure(
            shown["announced"] // arrays, 0x80000000 if wide else ceiling // 1024, 0x10 + at,
            wide=ceiling if wide else 0))  # fmt: skip
    for at, one in enumerate(shown["positions"]):
        size, extended = one["size"] // MIB, 0
        if size >= 0x7FFF:
            size, extended = 0x7FFF, size
        found.append(module_structure(
            0x50 + at, size, one["slot"], one["bank"],
            _KINDS.get(one["type"], 2) if one["size"] else 2, _FORMS.get(one["form"], 2),
            one["speed"], one["running"], extended=extended, maker=one["maker"],
            array=0x10 + at % arrays, length=shown.get("length", 0x28),
        ))  # fmt: skip
    if shown["rom"]:
        found.append(module_structure(0x90, 16, "SYSTEM ROM", " ", 0x09, 5, 33))
    if shown.get("other_array"):  # of graphics
        found += [structure(16, 0x20, bytes([3, 4, 3]) + bytes(4) + b"\xfe\xff\2\0" + bytes(8)),
                  module_structure(0x91, 2048, "VRAM", " ", array=0x20)]  # fmt: skip
    return b"".join([*found, END])


# --- Linux ---------------------------------------------------------------------------------


def _linux(shown: dict[str, Any]) -> Files:
    name, version = shown["system"]
    narrow, arm = shown["os_bits"] == 32, shown["architecture"] == "arm64"
    word = "aarch64" if arm else ("i686" if narrow else "x86_64")
    total = shown["usable"] // 1024
    meminfo = f"MemTotal: {total} kB\nMemFree: {total // 4} kB\nMemAvailable: {total // 2} kB\n"
    meminfo += "SwapTotal: 0 kB\nSwapFree: 0 kB\n"
    meminfo += f"LowTotal: {min(total, 880000)} kB\nDirectMap4k: 9000 kB\n" if narrow else ""
    tree: dict[str, Any] = {
        "proc/meminfo": meminfo, "proc/sys/kernel/arch": word,
        "proc/sys/kernel/osrelease": "6.1.0-21-generic",
        "etc/os-release": f'NAME="{name}"\nVERSION_ID="{version}"\n',
        "proc/mounts": "/dev/sda2 / ext4 rw 0 0\n"
        + ("/dev/sdb1 /media/stick vfat rw 0 0\n" if shown["stick"] else ""),
        "df": "Filesystem 1024-blocks Used Available Capacity Mounted on\n"
        f"/dev/sda2 {shown['drive'] // 1100} 9 {shown['free'] // 1024} 1% /\n"
        + ("/dev/sdb1 15000000 9 14000000 1% /media/stick\n" if shown["stick"] else ""),
        "sys/block/sda/size": str(shown["drive"] // 512),
        "sys/block/sda/queue/rotational": str(int(not shown["solid"])),
        "sys/block/sda/removable": "0", "sys/block/sda/sda2/size": "1",
        "sys/class/dmi/id/sys_vendor": shown["maker"],
        "sys/class/dmi/id/product_name": shown["model"],
        "sys/class/dmi/id/chassis_type": str(shown["chassis"]),
    }  # fmt: skip
    if shown["stick"]:
        tree |= {"sys/block/sdb/size": "31000000", "sys/block/sdb/removable": "1",
                 "sys/block/sdb/sdb1/size": "1"}  # fmt: skip
    if shown["mode"] == "uefi":
        tree["sys/firmware/efi/fw_platform_size"] = "64"
    else:
        tree["manifest"] = "absent sys/firmware/efi"
    if shown["group"]:
        tree["sys/fs/cgroup/memory.max"] = shown["group"]
        tree["sys/fs/cgroup/memory.current"] = 100 * MIB
    if shown["limit"]:
        tree["proc/cmdline"] = f"root=/dev/sda2 mem={shown['limit'] // GIB}G quiet"
    _processors(shown, tree, arm)
    return {path: str(text).encode() for path, text in tree.items()}


def _processors(shown: dict[str, Any], tree: dict[str, Any], arm: bool) -> None:
    cores, each = shown["cores"], shown["threads"]
    count = cores * each * shown["sockets"]
    flags = X86_FLAGS + (" hypervisor" if shown["host"] else "")
    flags = flags.replace(" lm ", " ") if shown["architecture"] == "x86" else flags
    cpu = "sys/devices/system/cpu"
    live = [
        at
        for at in range(count)
        if not (
            (shown["off"] == "smt" and at % each)
            or (shown["off"] == "cores" and at >= count - each)
        )
    ]
    tree |= {f"{cpu}/online": ",".join(map(str, live)), f"{cpu}/present": f"0-{count - 1}"}
    if shown["off"] == "smt":
        tree[f"{cpu}/smt/control"] = "off"
    blocks = []
    for at in live:
        core = at // each
        package, number = core // cores, core % cores
        folder = f"{cpu}/cpu{at}/topology"
        both = [one for one in live if one // each == core]
        siblings = ",".join(map(str, both))
        if "no topology" not in shown["ids"]:
            package = at // 4 if arm and "clusters" in shown["ids"] else package
            tree |= {f"{folder}/physical_package_id": package, f"{folder}/core_id": number,
                     f"{folder}/thread_siblings_list": siblings}  # fmt: skip
        if arm:
            blocks.append(
                f"processor\t: {at}\nCPU implementer\t: 0x51\nCPU architecture: 8\n"
                "CPU part\t: 0x001\nFeatures\t: fp asimd aes crc32 atomics\n"
            )
            continue
        number = number % 4 if "dies" in shown["ids"] else number
        here = [one // each for one in live if one // each // cores == package]
        blocks.append(
            f"processor\t: {at}\nvendor_id\t: GenuineIntel\nmodel name\t: {shown['processor']}\n"
            f"cpu MHz\t\t: {shown['cpu_mhz']}.000\nphysical id\t: {package}\n"
            f"siblings\t: {len(here)}\ncore id\t\t: {number}\ncpu cores\t: {len(set(here))}\n"
            f"flags\t\t: {flags}\n"
        )
    tree["proc/cpuinfo"] = "\n".join(blocks)


def _linux_root(shown: dict[str, Any]) -> Files:
    return _linux(shown) | {"sys/firmware/dmi/tables/DMI": _tables(shown)}


def _linux_user(shown: dict[str, Any]) -> Files:
    """The same for somebody who may not read the table: the udev database has most of it."""
    lines = [f"E:MEMORY_ARRAY_NUM_DEVICES={shown['announced']}",
             f"E:MEMORY_ARRAY_MAX_CAPACITY={shown['ceiling']}"]  # fmt: skip
    form = {"SODIMM": "SO-DIMM", "row of chips": "Row Of Chips", "": "Unknown"}
    for at, one in enumerate(shown["positions"]):
        values = {"LOCATOR": one["slot"], "BANK_LOCATOR": one["bank"],
                  "TYPE": one["type"] or "Unknown",
                  "FORM_FACTOR": form.get(one["form"], one["form"])}  # fmt: skip
        filled = {"SIZE": one["size"], "SPEED_MTS": one["speed"],
                  "CONFIGURED_SPEED_MTS": one["running"]}  # fmt: skip
        values |= filled if one["size"] else {"PRESENT": 0}
        lines += [f"E:MEMORY_DEVICE_{at}_{key}={value}" for key, value in values.items()]
    udev = {"run/udev/data/+dmi:id": ("\n".join(lines) + "\n").encode()}
    return _linux(shown) | (udev if shown["positions"] else {})


# --- Windows -------------------------------------------------------------------------------


def _encoded(value: Any, wrap: bool) -> bytes:
    """JSON as shells write it: one object without a list, or a list in a table."""
    if isinstance(value, list):
        value = {"value": value, "Count": len(value)} if wrap else value
        value = value[0] if isinstance(value, list) and len(value) == 1 else value
    return json.dumps(value).encode("utf-16" if wrap else "utf-8-sig")


def _classes(shown: dict[str, Any]) -> Files:
    name, version = shown["system"]
    kernel = _BUILDS[version]
    arm = shown["architecture"] == "arm64"
    narrow = shown["architecture"] == "x86"
    bits = "ARM 64-bit Processor" if arm else f"{shown['os_bits']}-bit"
    bits = f"{shown['os_bits']}-\u0431\u0438\u0442\u043d\u0430\u044f" if shown["wrap"] else bits
    edition = "Standard" if "Server" in name else "Pro"
    sockets = [
        {"Name": shown["processor"], "NumberOfCores": shown["cores"],
         "NumberOfLogicalProcessors": shown["cores"] * shown["threads"],
         "NumberOfEnabledCore": shown["cores"] if kernel.startswith("10") else None,
         "DataWidth": 32 if narrow else 64, "AddressWidth": shown["os_bits"],
         "Architecture": 12 if arm else (0 if shown["os_bits"] == 32 else 9),
         "MaxClockSpeed": 4800 if shown["boost"] else 1600}
        for _ in range(shown["sockets"])
    ]  # fmt: skip
    modules = [
        {"Capacity": str(one["size"]), "DeviceLocator": one["slot"], "BankLabel": one["bank"],
         "SMBIOSMemoryType": _KINDS.get(one["type"], 2), "FormFactor": _CIM_FORMS[one["form"]],
         "Speed": one["speed"], "ConfiguredClockSpeed": one["running"],
         "Manufacturer": one["maker"], "MemoryType": 0}
        for one in shown["positions"] if one["size"]
    ]  # fmt: skip
    if shown["rom"]:
        modules.append({"Capacity": str(16 * MIB), "DeviceLocator": "SYSTEM ROM", "MemoryType": 11,
                        "SMBIOSMemoryType": 9, "FormFactor": 21})  # fmt: skip
    drives = [{"Index": 0, "Size": str(shown["drive"]), "InterfaceType": "SCSI",
               "MediaType": "Fixed hard disk media"}]  # fmt: skip
    volumes = [{"DeviceID": "C:", "DriveType": 3, "Size": str(shown["drive"] // 2 * 1),
                "FreeSpace": str(shown["free"])}]  # fmt: skip
    disks = [{"DeviceId": "0", "MediaType": 4 if shown["solid"] else 3, "BusType": 11}]
    if shown["stick"]:
        drives.append({"Index": 1, "Size": "31000000000", "InterfaceType": "USB",
                       "MediaType": "Removable Media"})  # fmt: skip
        volumes.append({"DeviceID": "E:", "DriveType": 2, "Size": "30000000000",
                        "FreeSpace": "29000000000"})  # fmt: skip
        disks.append({"DeviceId": "1", "MediaType": 0, "BusType": 7})
    if shown["host"]:
        disks = [{"DeviceId": "0", "MediaType": 0, "BusType": 10}]
    found: dict[str, Any] = {
        "Win32_Processor": sockets,
        "Win32_OperatingSystem": {
            "Caption": f"Microsoft\u00ae {name} {version} {edition}", "Version": kernel,
            "BuildNumber": kernel.rpartition(".")[2], "SystemDrive": "C:",
            "OSArchitecture": bits,
            "TotalVisibleMemorySize": str(shown["usable"] // 1024), "FreePhysicalMemory": "900000",
        },
        "Win32_ComputerSystem": {
            "Manufacturer": shown["maker"], "Model": shown["model"],
            "TotalPhysicalMemory": str(shown["usable"]), "PCSystemType": 0,
            "HypervisorPresent": shown["hypervisor"] or shown["host"] is not None,
        },
        "Win32_SystemEnclosure": {"ChassisTypes": [shown["chassis"]]},
        "Win32_BIOS": {"SMBIOSBIOSVersion": "1.14", "ReleaseDate": "20250311000000.000000+000"},
        "Win32_DiskDrive": drives, "Win32_LogicalDisk": volumes, "MSFT_PhysicalDisk": disks,
        "registry": {"PEFirmwareType": 2 if shown["mode"] == "uefi" else 1},
    }  # fmt: skip
    if not shown["host"]:
        capped = shown["ceiling"] >= 2048 * GIB
        array: dict[str, Any] = {"Use": 3, "MemoryDevices": shown["announced"],
                 "MaxCapacity": 0x80000000 if capped else shown["ceiling"] // 1024}  # fmt: skip
        array |= {"MaxCapacityEx": str(shown["ceiling"] // 1024)} if capped else {}
        found |= {"Win32_PhysicalMemory": modules, "Win32_PhysicalMemoryArray": [array]}
    return {f"{name}.json": _encoded(value, shown["wrap"]) for name, value in found.items()}


def _raw(shown: dict[str, Any]) -> bytes:
    table = _tables(shown)
    return bytes([0, 3, 2, 0]) + len(table).to_bytes(4, "little") + table


def _windows_table(shown: dict[str, Any]) -> Files:
    return _classes(shown) | {"smbios.bin": _raw(shown)}


def _windows_calls(shown: dict[str, Any]) -> Files:
    """What the interfaces answer to a program that runs there."""
    name, version = shown["system"]
    build = int(_BUILDS[version].rpartition(".")[2])
    major, minor = map(int, _BUILDS[version].split(".")[:2])
    head = struct.pack("<IIIII", 284, major, minor, build, 2).ljust(282, b"\0")
    told = "10" if version == "11" else version
    machine = {"x86": 0x14C, "x86-64": 0x8664, "arm64": 0xAA64}[
        "x86" if shown["os_bits"] == 32 else shown["architecture"]
    ]
    records = []
    for at in range(shown["cores"] * shown["sockets"]):
        mask = (1 << shown["threads"]) - 1 << at * shown["threads"]
        records.append(_relation(0, mask))
    records += [_relation(3, 1)] * shown["sockets"]
    registry = {
        "ProductName": f"{name} {told} Pro", "ProcessorNameString": shown["processor"],
        "~MHz": 4800 if shown["boost"] else 1600, "SystemManufacturer": shown["maker"],
        "SystemProductName": shown["model"], "BIOSVersion": "1.14",
    }  # fmt: skip
    volume = "calls/volumes/C"
    found = {
        "registry.json": json.dumps(registry).encode(), "smbios.bin": _raw(shown),
        "calls/version": head + bytes([3 if "Server" in name else 1, 0]),
        "calls/machines": struct.pack("<HH", 0, machine),
        "calls/logical-processors": b"".join(records),
        "calls/memory-status": struct.pack("<II7Q", 64, 50, shown["usable"], GIB, 2 * GIB, GIB,
                                           0, 0, 0),
        "calls/firmware-type": struct.pack("<I", 2 if shown["mode"] == "uefi" else 1),
        "calls/system-drive": b"C:", f"{volume}/kind": bytes([3]),
        f"{volume}/space": struct.pack("<QQ", shown["drive"] // 2, shown["free"]),
        f"{volume}/device": struct.pack("<28xI", 10 if shown["host"] else 11),
        f"{volume}/geometry": struct.pack("<24xQ", shown["drive"]),
    }  # fmt: skip
    if not shown["host"]:
        found[f"{volume}/seek"] = struct.pack("<8xB", not shown["solid"])
        found["calls/installed-memory"] = struct.pack("<Q", sum(shown["sizes"]) // 1024)
    return found


def _relation(relation: int, mask: int) -> bytes:
    groups = [mask >> at & 0xFFFFFFFFFFFFFFFF for at in range(0, max(mask.bit_length(), 1), 64)]
    at = next((at for at, one in enumerate(groups) if one), 0)
    body = bytes([0, 0]) + bytes(20) + struct.pack("<H", 1)
    body += groups[at].to_bytes(8, "little") + struct.pack("<H6x", at)
    return struct.pack("<II", relation, 8 + len(body)) + body


# --- macOS ---------------------------------------------------------------------------------


def _macos(shown: dict[str, Any]) -> Files:
    arm = shown["architecture"] == "arm64"
    cores = shown["cores"] * shown["sockets"]
    lines = {
        "hw.memsize": sum(shown["sizes"]), "hw.memsize_usable": shown["usable"],
        "hw.physicalcpu": cores, "hw.logicalcpu": cores * shown["threads"],
        "hw.packages": shown["sockets"],
        "hw.machine": shown.get("machine_word", "arm64" if arm else "x86_64"),
        "hw.cpu64bit_capable": 1, "vm.swapusage": "total = 0.00M  used = 0.00M  free = 0.00M",
        "machdep.cpu.brand_string": "Apple M1" if arm else shown["processor"],
        "hw.model": shown["model"],
    }  # fmt: skip
    lines |= {"hw.optional.arm64": 1} if arm else {}
    name, version = shown["system"]
    blocks = [shown["drive"] // 1024, 9, shown["free"] // 1024]
    return {
        "sysctl.txt": "\n".join(f"{key}: {value}" for key, value in lines.items()).encode(),
        "sw_vers.txt": f"ProductName:\t{name}\nProductVersion:\t{version}\n".encode(),
        "df.txt": "Filesystem 1024-blocks Used Available Capacity Mounted on\n"
        f"/dev/disk1s1 {' '.join(map(str, blocks))} 1% /\n".encode(),
    }  # fmt: skip


class Door(Struct, frozen=True):
    """One way in which a machine shows itself: its system, and what comes out there."""

    system: str
    written: Callable[[dict[str, Any]], Files]
    shows: Callable[[dict[str, Any], dict[str, int]], dict[str, Any]] = _shown


DOORS: dict[str, Door] = {
    "linux as root": Door("linux", _linux_root),
    "linux": Door("linux", _linux_user),
    "windows classes": Door("windows", _classes),
    "windows classes and table": Door("windows", _windows_table),
    "windows calls": Door("windows", _windows_calls),
    "macos": Door("macos", _macos),
}
