"""What real machines tell that is not so, an entry a lie: who tells it, and what becomes of it."""

import json
from collections.abc import Callable
from typing import Any

from msgspec import Struct

from tests.laws.doors import DOORS, MIB, Files

_LINUX = frozenset({"linux as root", "linux"})
_WINDOWS = frozenset(name for name, door in DOORS.items() if door.system == "windows")
_TABLE = frozenset({"linux as root", "windows classes and table", "windows calls"})
_RAW = {"linux as root": "sys/firmware/dmi/tables/DMI"}


def _nothing(_: Any) -> None:
    """An honest half."""


class Lie(Struct, frozen=True):
    """How a lie changes what is shown, or the files in which it is written."""

    doors: frozenset[str] = frozenset(DOORS)
    shown: Callable[[dict[str, Any]], None] = _nothing
    written: Callable[[Files], None] = _nothing


def _each(**values: Any) -> Callable[[dict[str, Any]], None]:
    """The same words in every position."""

    def change(shown: dict[str, Any]) -> None:
        for one in shown["positions"]:
            one |= values

    return change


def _set(**values: Any) -> Callable[[dict[str, Any]], None]:
    return lambda shown: shown.update(values)


def _id(word: str) -> Callable[[dict[str, Any]], None]:
    return lambda shown: shown["ids"].append(word)


def _below(shown: dict[str, Any]) -> None:
    shown["ceiling"] = max(sum(shown["sizes"]) // 2, 512 * MIB)


def _clock(shown: dict[str, Any]) -> None:
    for one in shown["positions"]:
        one["running"] = one["speed"] // 2


def _letters(shown: dict[str, Any]) -> None:
    for at, one in enumerate(shown["positions"]):
        one |= {"slot": f"ChannelA-DIMM{at % 2}", "bank": f"P0 CHANNEL {'AB'[at % 2]}"}


def _empty_socket(shown: dict[str, Any]) -> None:
    shown["told_sockets"].append((False, 0, 0))


def _other_processor(shown: dict[str, Any]) -> None:
    """Free positions of a processor that is not there, named by its number."""
    if shown["host"] or shown["arrays"] > 1:
        return
    there = shown["positions"]
    more = [one | {"size": 0} for one in there]
    for number, positions in enumerate((there, more), 1):
        for at, one in enumerate(positions):
            one |= {"slot": f"P{number}-DIMM{at}", "bank": f"NODE {number}"}
    shown["positions"] = there + more
    shown["announced"] += len(more)
    shown["told_sockets"] = [shown["told_sockets"][0], (False, 0, 0)]


def _persistent(shown: dict[str, Any]) -> None:
    if not shown["host"] and shown["arrays"] == 1:
        kept = {"type": "non-volatile", "form": "DIMM", "size": 128 << 30, "slot": "DIMM 90"}
        shown["positions"].append(shown["positions"][0] | kept | {"bank": "BANK 90"})
        shown["announced"] += 1


def _capped_counts(shown: dict[str, Any]) -> None:
    shown["told_sockets"] = [(fitted, 0, 0) for fitted, _, _ in shown["told_sockets"]]


def _lock(shown: dict[str, Any]) -> None:
    shown["chassis"] |= 0x80


def _made_up(shown: dict[str, Any]) -> None:
    """Hosts list one position that holds all, and many that are free."""
    if shown["host"]:
        total = sum(shown["sizes"])
        made = {"type": "", "form": "DIMM", "speed": 0, "running": 0, "maker": "QEMU", "bank": " "}
        shown["positions"] = [made | {"size": total if at == 0 else 0, "slot": f"RAM slot #{at}"}
                              for at in range(16)]  # fmt: skip
        shown |= {"announced": 16, "ceiling": 64 * max(total, 1 << 30)}


def _translated(shown: dict[str, Any]) -> None:
    shown["machine_word"] = "x86_64"


def _class_without(name: str, *keys: str) -> Callable[[Files], None]:
    """A class whose objects lack some of their properties, as on older systems."""

    def change(files: Files) -> None:
        data = files.get(f"{name}.json")
        if data is None:
            return
        text = data.decode("utf-16" if data[:2] in (b"\xff\xfe", b"\xfe\xff") else "utf-8-sig")
        found = json.loads(text)
        for one in found if isinstance(found, list) else [found]:
            for key in keys:
                one.pop(key, None)
        files[f"{name}.json"] = json.dumps(found).encode()

    return change


def _cut(files: Files) -> None:
    for path in ("sys/firmware/dmi/tables/DMI", "smbios.bin"):
        if path in files:
            files[path] = files[path][: -len(files[path]) // 4]


def _without(ending: str) -> Callable[[Files], None]:
    def change(files: Files) -> None:
        for path in [one for one in files if one.endswith(ending)]:
            del files[path]

    return change


ALONE = [{"a table cut short", other} for other in
         ("a persistent module", "positions of a processor that is not there")]  # fmt: skip
"""Lies that together leave nothing to tell what is so."""

LIES: dict[str, Lie] = {
    "a ceiling below what is fitted": Lie(shown=_below),
    "no ceiling": Lie(_LINUX | _WINDOWS, _set(ceiling=0)),
    "clock for speed": Lie(shown=_clock),
    "one name for all positions": Lie(shown=_each(slot="DIMM", bank="BANK")),
    "no names": Lie(shown=_each(slot="Not Specified", bank=" ")),
    "letters of channels": Lie(shown=_letters),
    "placeholders for makers": Lie(shown=_each(maker="Manufacturer00")),
    "form not told": Lie(shown=_each(form="")),
    "type not told": Lie(shown=_each(type="")),
    "speed not told": Lie(shown=_each(speed=0, running=0)),
    "firmware's own chip among the modules": Lie(shown=_set(rom=True)),
    "positions not counted": Lie(shown=_set(announced=0)),
    "no shape": Lie(shown=_set(chassis=2)),
    "a chassis with a lock": Lie(shown=_lock),
    "an old table with short structures": Lie(_TABLE, _set(length=0x1B)),
    "a table cut short": Lie(_TABLE, written=_cut),
    "an empty processor socket": Lie(_TABLE, _empty_socket),
    "firmware that counts no cores": Lie(_TABLE, _capped_counts),
    "a clock of the moment": Lie(_LINUX, _set(cpu_mhz=4200)),
    "the highest clock for the nominal": Lie(_WINDOWS, _set(boost=True)),
    "core numbers that repeat in dies": Lie(_LINUX, _id("dies")),
    "no topology": Lie(_LINUX, _id("no topology")),
    "a hypervisor for the system's own protection": Lie(_WINDOWS, _set(hypervisor=True)),
    "lists in tables, words of another language": Lie(_WINDOWS, _set(wrap=True)),
    "positions that a host makes up": Lie(shown=_made_up),
    "a shell that is translated": Lie(frozenset({"macos"}), _translated),
    "clusters that are numbered as packages": Lie(_LINUX, _id("clusters")),
    "memory of another use": Lie(_TABLE, _set(other_array=True)),
    "a system that does not tell its bits": Lie(
        _WINDOWS, written=_class_without("Win32_OperatingSystem", "OSArchitecture")),
    "a system that does not tell what is usable": Lie(
        _WINDOWS, written=_class_without("Win32_OperatingSystem", "TotalVisibleMemorySize")),
    "a processor that tells neither name nor counts": Lie(
        _WINDOWS, written=_class_without("Win32_Processor", "Name", "NumberOfCores",
                                         "NumberOfLogicalProcessors", "Architecture")),
    "modules that tell no type": Lie(
        _WINDOWS, written=_class_without("Win32_PhysicalMemory", "SMBIOSMemoryType", "Speed",
                                         "ConfiguredClockSpeed")),
    "a drive without a letter's link": Lie(
        _WINDOWS, written=_class_without("Win32_DiskDrive", "InterfaceType", "MediaType")),
    "a stick": Lie(shown=_set(stick=True)),
    "no sizes of volumes": Lie(_LINUX, written=_without("df")),
    "packages without numbers": Lie(_LINUX, written=_without("physical_package_id")),
    "no class of modules": Lie(_WINDOWS, written=_without("Win32_PhysicalMemory.json")),
    "no class of arrays": Lie(_WINDOWS, written=_without("Win32_PhysicalMemoryArray.json")),
    "no class of systems": Lie(_WINDOWS, written=_without("Win32_OperatingSystem.json")),
    "no class of processors": Lie(_WINDOWS, written=_without("Win32_Processor.json")),
    "no kinds of drives": Lie(_WINDOWS, written=_without("MSFT_PhysicalDisk.json")),
    "no list of drives": Lie(_WINDOWS, written=_without("Win32_DiskDrive.json")),
    # which name positions, whatever those before made of the names
    "positions of a processor that is not there": Lie(_TABLE, _other_processor),
    "a persistent module": Lie(_TABLE, _persistent),
}  # fmt: skip
