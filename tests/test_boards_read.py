"""One board through raw firmware tables, the udev database and CIM: the same positions."""

import contextlib
import json
import sqlite3
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tallcheck.core.board.account import account_of_machine
from tallcheck.core.machine.modules import FORMS, TYPES, soldered
from tallcheck.core.machine.normalized import normalized
from tallcheck.core.machine.sheet import Machine
from tallcheck.gather import gather
from tallcheck.gather.draft import Draft
from tallcheck.gather.firmware import _speeds
from tallcheck.gather.rpm import packages
from tallcheck.gather.source import Captured
from tests.helpers import (
    CHASSIS,
    END,
    GIB,
    VOCABULARY,
    X86_FLAGS,
    array_structure,
    call,
    judge,
    linux_tree,
    machine,
    module_structure,
)

GB = 1024
"""In the MB of structure 17."""
_KINDS = {name: number for number, name in TYPES.items()} | {"": 2}
_FORM = {name: number for number, name in FORMS.items()} | {"": 2}
_CIM_FORMS = {"DIMM": 8, "SODIMM": 12, "row of chips": 21, "": 0}


class Place:
    """One memory position as firmware lists it."""

    def __init__(self, size: int, kind: str = "DDR4", form: str = "SODIMM", slot: str = "DIMM A1",
                 bank: str = "BANK 0", speed: int = 3200, running: int = 0,
                 maker: str = "Larkmoor") -> None:  # fmt: skip
        self.size, self.kind, self.form, self.slot, self.bank = size, kind, form, slot, bank
        self.speed, self.running, self.maker = speed, running, maker


def _captured(files: dict[str, Any]) -> Machine:
    encoded = {path: text if isinstance(text, bytes) else str(text).encode()
               for path, text in files.items()}  # fmt: skip
    return gather(Captured(encoded), "bench", vocabulary=VOCABULARY)


def by_tables(*places: Place, slots: int | None = None) -> Machine:
    """The board through the raw tables."""
    tables = _tables(places, slots)
    return _captured({**linux_tree(), "sys/firmware/dmi/tables/DMI": tables})


def _tables(places: tuple[Place, ...], slots: int | None) -> bytes:
    count = len(places) if slots is None else slots
    structures = [CHASSIS, array_structure(count, 32 << 20)]
    structures += [
        module_structure(0x20 + at, one.size, one.slot, one.bank, _KINDS[one.kind],
                         _FORM[one.form], one.speed, one.running, maker=one.maker)
        for at, one in enumerate(places)
    ]  # fmt: skip
    return b"".join([*structures, END])


def by_udev(*places: Place, slots: int | None = None) -> Machine:
    """The board through the udev database."""
    lines = [f"E:MEMORY_ARRAY_NUM_DEVICES={len(places) if slots is None else slots}",
             f"E:MEMORY_ARRAY_MAX_CAPACITY={32 * GIB}"]  # fmt: skip
    for at, one in enumerate(places):
        form = {"SODIMM": "SO-DIMM", "row of chips": "Row Of Chips", "": "Unknown"}
        values = {"LOCATOR": one.slot, "BANK_LOCATOR": one.bank, "TYPE": one.kind or "Unknown",
                  "FORM_FACTOR": form.get(one.form, one.form), "SPEED_MTS": one.speed,
                  "CONFIGURED_SPEED_MTS": one.running or one.speed,
                  "MANUFACTURER": one.maker}  # fmt: skip
        values |= {"SIZE": one.size << 20} if one.size else {"PRESENT": 0}
        lines += [f"E:MEMORY_DEVICE_{at}_{key}={value}" for key, value in values.items()]
    tree: dict[str, Any] = {**linux_tree(), "run/udev/data/+dmi:id": "\n".join(lines) + "\n"}
    return _captured(tree)


def by_cim(*places: Place, slots: int | None = None, wrap: bool = False) -> Machine:
    """The board through CIM, which lists filled positions only."""
    listed: Any = [
        {"Capacity": str(one.size << 20), "DeviceLocator": one.slot, "BankLabel": one.bank,
         "SMBIOSMemoryType": _KINDS[one.kind], "FormFactor": _CIM_FORMS[one.form],
         "Speed": one.speed, "ConfiguredClockSpeed": one.running or one.speed,
         "Manufacturer": one.maker}
        for one in places if one.size
    ]  # fmt: skip
    if wrap:
        listed = {"value": [listed], "Count": len(listed)}
    files = {
        "Win32_PhysicalMemory.json": json.dumps(listed),
        "Win32_PhysicalMemoryArray.json": json.dumps(
            {"Use": 3, "MemoryDevices": len(places) if slots is None else slots,
             "MaxCapacity": 32 << 20}
        ),
        "Win32_OperatingSystem.json": json.dumps(
            {"Caption": "Майкрософт Windows 10 Pro", "Version": "10.0.19045",
             "TotalVisibleMemorySize": "8131284", "OSArchitecture": "64-bit"}
        ),
        "Win32_SystemEnclosure.json": json.dumps({"ChassisTypes": {"value": [10], "Count": 1}}),
    }  # fmt: skip
    return _captured(files)


def by_firmware_call(*places: Place, slots: int | None = None) -> Machine:
    """The board through the table that Windows hands out, with its header."""
    tables = _tables(places, slots)
    head = bytes([0, 3, 2, 0]) + len(tables).to_bytes(4, "little")
    return _captured({
        "smbios.bin": head + tables,
        "Win32_OperatingSystem.json": '{"Caption": "Microsoft Windows 10 Pro"}',
    })  # fmt: skip


DOORS = [by_tables, by_udev, by_cim, by_firmware_call]
CHIPS = Place(8 * GB, "LPDDR4", "row of chips", "Motherboard")

# positions; then size, soldered, type and form of each that is left
BOARDS: list[tuple[list[Place], list[tuple[int, bool, str | None, str | None]]]] = [
    ([Place(8 * GB), Place(8 * GB, slot="DIMM B1")],
     [(8, False, "DDR4", "SODIMM"), (8, False, "DDR4", "SODIMM")]),
    # LPDDR is soldered, whatever form firmware gives it
    ([Place(8 * GB, "LPDDR4", "row of chips")], [(8, True, "LPDDR4", "row of chips")]),
    ([Place(8 * GB, "LPDDR5", "SODIMM")], [(8, True, "LPDDR5", "SODIMM")]),
    ([Place(8 * GB, "LPDDR3", "")], [(8, True, "LPDDR3", None)]),
    ([Place(8 * GB, "DDR4", "row of chips")], [(8, True, "DDR4", "row of chips")]),
    # flash and the like are no memory
    ([Place(8 * GB), Place(16, "FLASH", "row of chips", "SYSTEM ROM")],
     [(8, False, "DDR4", "SODIMM")]),
    ([Place(8 * GB), Place(8, "ROM", "")], [(8, False, "DDR4", "SODIMM")]),
    # names that firmware leaves unset are none
    ([Place(8 * GB, maker="To be filled by O.E.M.")], [(8, False, "DDR4", "SODIMM")]),
    ([Place(8 * GB, maker="Unknown")], [(8, False, "DDR4", "SODIMM")]),
]  # fmt: skip


@pytest.mark.parametrize("door", DOORS)
@pytest.mark.parametrize(("places", "expected"), BOARDS)
def test_positions_through_every_door(
    door: Any, places: list[Place], expected: list[tuple[int, bool, str | None, str | None]]
) -> None:
    found = door(*places, slots=len(expected))
    modules = found.memory.modules

    def form(text: str | None) -> str | None:
        return text.lower().replace("row of chips", "chip") if text else None

    assert [
        ((one.size or 0) // GIB, soldered(one), one.type, form(one.form)) for one in modules
    ] == [(size, fixed, kind, form(shape)) for size, fixed, kind, shape in expected]
    assert found.memory.installed == sum(size for size, *_ in expected) * GIB
    assert {one.maker for one in modules} <= {"Larkmoor", None}


def test_a_camm_can_be_changed() -> None:
    found = by_tables(Place(16 * GB, "LPDDR5", "CAMM"))
    assert not soldered((found.memory.modules or [])[0])


@pytest.mark.parametrize("door", [by_tables, by_udev])
def test_a_free_position_keeps_its_form(door: Any) -> None:
    soldered_8 = Place(8 * GB, "DDR4", "row of chips", "Onboard")
    free = Place(0, "", "SODIMM", "DIMM B1")
    found = door(soldered_8, free)
    second = (found.memory.modules or [])[1]
    assert (second.size, second.form, second.type) == (0, "SODIMM", None)
    board = account_of_machine(found, VOCABULARY)
    assert board is not None
    # what is soldered beside a position tells its type, as a condition
    assert (board.form, board.type) == ("SODIMM", "DDR4")
    assert "memory.type beside" in board.unknown


@pytest.mark.parametrize("door", DOORS)
def test_positions_of_one_name_get_their_banks(door: Any) -> None:
    found = door(Place(8 * GB, slot="DIMM 0", bank="Channel A"),
                 Place(8 * GB, slot="DIMM 0", bank="Channel B"))  # fmt: skip
    assert [one.slot for one in found.memory.modules or []] == [
        "DIMM 0 (Channel A)", "DIMM 0 (Channel B)",
    ]  # fmt: skip


@pytest.mark.parametrize("door", DOORS)
@pytest.mark.parametrize(
    ("names", "channels"),
    [([f"{letter}{number}" for letter in "AB" for number in range(1, 7)], {"socket A", "socket B"}),
     ([f"DIMM_{letter}{number}" for letter in "AB" for number in (1, 2)], {"A", "B"}),
     ([f"PROC {number} DIMM {at}" for number in (1, 2) for at in range(8)],
      {"socket 1", "socket 2"})],
)  # fmt: skip
def test_letters_of_too_many_positions_are_sockets(
    door: Any, names: list[str], channels: set[str]
) -> None:
    found = door(*(Place(8 * GB, form="DIMM", slot=name) for name in names))
    assert {one.channel for one in found.memory.modules or []} == channels


@pytest.mark.parametrize("door", DOORS)
def test_exactly_half_the_rated_speed_is_the_clock(door: Any) -> None:
    found = door(Place(8 * GB, speed=3200, running=1600))
    assert [one.about for one in found.doubts] == [["memory.modules[0].running"]]
    board = account_of_machine(found, VOCABULARY)
    assert board is not None
    assert board.runs is None


def test_lists_that_shells_wrap() -> None:
    plain, wrapped = (by_cim(Place(8 * GB), Place(8 * GB, slot="DIMM B1"), wrap=wrap)
                      for wrap in (False, True))  # fmt: skip
    assert plain.memory == wrapped.memory
    system = wrapped.system
    assert (system.os, system.os_version, system.family, system.shape) == (
        "Windows", "10", "windows", "notebook",
    )  # fmt: skip


def test_soldered_memory_and_no_free_position(tmp_path: Any) -> None:
    sheet = tmp_path / "x.machine.json"
    sheet.write_text(json.dumps({
        "tallcheck": "machine/1", "name": "x", "system": {"shape": "notebook"},
        "memory": {"installed": "8 GB", "slots": 1,
                   "modules": [{"slot": "board", "size": "8 GB", "type": "LPDDR4"}]},
    }))  # fmt: skip
    ran = call("check", str(sheet), "--need", "memory=16GB", "--format", "json")
    assert ran.json()["decision"]["answer"] == "replace"
    assert call("upgrade", str(sheet), "--to", "16GB").code == 13


def _with_processor(
    kernel_cores: int, cores: int, enabled: int, threads: int | None = None
) -> Machine:
    from tests.helpers import structure

    body = bytearray(0x30 - 4)
    body[0], body[1] = 1, 3  # the socket's name; a central processor
    body[0x18 - 4] = 0x41
    body[0x23 - 4], body[0x24 - 4], body[0x25 - 4] = cores, enabled, threads or enabled
    tables = b"".join([CHASSIS, structure(4, 4, bytes(body), "CPU1"), END])
    return _captured({**linux_tree(cores=kernel_cores, each=1),
                      "sys/firmware/dmi/tables/DMI": tables})  # fmt: skip


@pytest.mark.parametrize(
    ("kernel", "cores", "enabled", "off", "note"),
    [
        (8, 8, 8, None, ""),
        (6, 8, 6, 2, "in the firmware's settings"),
        (4, 8, 8, 4, "by the running system"),
    ],
)
def test_cores_that_are_switched_off(
    kernel: int, cores: int, enabled: int, off: int | None, note: str
) -> None:
    found = _with_processor(kernel, cores, enabled)
    assert found.processor.cores == kernel
    assert (found.extra or {}).get("cores_off") == off
    assert note in " ".join(found.notes)
    assert not found.doubts


def test_more_cores_than_the_firmware_counts_are_a_doubt() -> None:
    found = _with_processor(8, 4, 4)
    assert ["processor.cores"] in [one.about for one in normalized(found, VOCABULARY).doubts]


def test_family_and_kernel_of_a_system_like_another() -> None:
    found = _captured({
        **linux_tree(), "proc/sys/kernel/osrelease": "5.15.0-91-generic\n",
        "etc/os-release": 'NAME="Sedge OS"\nID=sedge\nID_LIKE="ubuntu debian"\nVERSION_ID="4"\n',
    })  # fmt: skip
    assert (found.system.family, found.system.kernel) == ("linux", "5.15.0")
    ran = call("check", "-", "--need", "os=Linux >= 5.10", "--format", "json",
              stdin=json.dumps({"tallcheck": "machine/1", "name": "x", "system": {
                  "os": "Sedge OS", "family": "linux", "kernel": "5.15.0"}}).encode())  # fmt: skip
    assert ran.json()["decision"]["answer"] == "ready"


def test_a_capture_can_be_checked_at_once(tmp_path: Any) -> None:
    for path, text in linux_tree().items():
        target = tmp_path / "tree" / path
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(text if isinstance(text, bytes) else str(text).encode())
    assert call("check", str(tmp_path / "tree"), "--need", "cores=2").code == 0
    assert call("show", str(tmp_path / "tree")).code == 0


def test_a_level_by_name_is_for_machines_that_can_have_it() -> None:
    for words in (["virtual=yes"], ["architecture=arm64"], ["instructions=-AVX2"]):
        sheet = call("describe", "x", "cpu=Osier Wand S5 214", *words).json()
        if words[0].startswith("instructions"):
            ran = call("check", "-", "--need", "instructions=AVX2", "--format", "json",
                      stdin=json.dumps(sheet).encode())  # fmt: skip
            assert ran.json()["rows"][0]["status"] == "short"
        else:
            assert "level" not in sheet["processor"]


# --- boards that a device tree describes, containers, clocks ------------------------------------

ARM_32 = (
    "processor\t: 0\nmodel name\t: ARMv7 Processor rev 3 (v7l)\nFeatures\t: half thumb neon vfpv4\n"
    "CPU implementer\t: 0x41\nCPU architecture: 7\nCPU part\t: {part}\n"
)
TREE = "sys/firmware/devicetree/base"


def _board(part: str, kib: int, release: str = "6.1.21-v7+", **files: Any) -> Machine:
    return _captured({
        "proc/cpuinfo": ARM_32.format(part=part), "proc/meminfo": f"MemTotal: {kib} kB\n",
        "proc/sys/kernel/osrelease": release, "uname-m": "armv7l\n",
        f"{TREE}/model": b"Larkmoor Seed 4 Rev 1.4\0",
        f"{TREE}/#address-cells": (2).to_bytes(4, "big"),
        f"{TREE}/#size-cells": (1).to_bytes(4, "big"),
        f"{TREE}/memory@0/reg": bytes(8) + (1 << 30).to_bytes(4, "big"), **files,
    })  # fmt: skip


@pytest.mark.parametrize(
    ("part", "bits"), [("0xd08", 64), ("0xd03", 64), ("0xd01", 32), ("0xc07", 32)]
)
def test_the_part_tells_bits_under_a_32_bit_kernel(part: str, bits: int) -> None:
    found = _board(part, 948_000)
    assert (found.processor.bits, found.system.os_bits) == (bits, 32)


def test_a_board_has_no_positions() -> None:
    found = _board("0xd08", 948_000)
    assert (found.system.model, found.system.shape) == ("Larkmoor Seed 4 Rev 1.4", "board")
    assert (found.memory.slots, found.memory.installed) == (0, GIB)
    # a kernel with large addresses shows more than 4 GiB; the node's 1 GB is not all of it then
    large = _board("0xd08", 7_900_000, "6.1.21-v7l+")
    assert large.memory.addressable == 1 << 40


def test_a_containers_limit_is_what_is_usable() -> None:
    found = _captured({
        **linux_tree(), "sys/fs/cgroup/memory.max": str(2 * GIB),
        "sys/fs/cgroup/memory.current": str(GIB // 2),
    })  # fmt: skip
    assert (found.memory.usable, found.memory.available) == (2 * GIB, 3 * GIB // 2)
    assert found.system.virtual is True
    assert (found.memory.limit, found.memory.installed) == (2 * GIB, 8 * GIB)
    # its host has so much: the limit is a setting; beyond it the host needs more, too
    for asked, answer in (("2 GB", "ready"), ("8 GB", "not-memory"), ("16 GB", "memory-plus")):
        assert judge(found, memory=asked, os_bits=64).decision.answer == answer
    assert _captured(linux_tree()).system.virtual is False
    # the root group has no such file, whatever stands in it
    within = _captured({**linux_tree(), "sys/fs/cgroup/memory.max": "max"})
    assert (within.system.virtual, within.memory.slots) == (True, None)


@pytest.mark.parametrize(
    ("group", "file", "noted"),
    [
        ("0::/a/b", "memory.max", True),
        ("5:cpu,memory:/a", "memory/a/memory.limit_in_bytes", True),
        ("0::/", "a/memory.max", False), ("0::/../a", "a/memory.max", False),
        ("3:cpu:/a", "memory/a/memory.limit_in_bytes", False),
    ],
)  # fmt: skip
def test_a_group_below_the_root_does_not_limit_the_machine(
    group: str, file: str, noted: bool
) -> None:
    where = f"sys/fs/cgroup/a/{file}" if group.startswith("0::/a") else f"sys/fs/cgroup/{file}"
    free = _captured(linux_tree())
    found = _captured({**linux_tree(), "proc/self/cgroup": f"{group}\n", where: str(GIB)})
    assert found.memory == free.memory
    assert ("gathered in the control group /a" in " ".join(found.notes)) == noted


@pytest.mark.parametrize(("reported", "clock"), [(2112, 1600), (1600, 1600), (1400, 1400)])
def test_the_names_clock_where_the_system_reports_a_higher_rating(
    reported: int, clock: int
) -> None:
    found = _captured({
        "Win32_Processor.json": json.dumps(
            {"Name": "Intel(R) Core(TM) i5-8365U CPU @ 1.60GHz", "MaxClockSpeed": reported}
        ),
        "Win32_OperatingSystem.json": "{}",
    })  # fmt: skip
    assert found.processor.clock == clock * 10**6


def test_threads_that_firmware_switches_off_are_a_setting() -> None:
    found = _with_processor(4, 4, 4, threads=8)
    assert (found.processor.threads, (found.extra or {})["threads_off"]) == (4, 4)
    assert "several threads a core" in " ".join(found.notes)
    assert not normalized(found, VOCABULARY).doubts


def _rpm_header(**texts: str) -> bytes:
    tags = {"name": 1000, "version": 1001, "summary": 1004}
    data, entries = b"", b""
    for key, text in texts.items():
        entries += b"".join(n.to_bytes(4, "big") for n in (tags[key], 6, len(data), 1))
        data += text.encode() + b"\0"
    return len(texts).to_bytes(4, "big") + len(data).to_bytes(4, "big") + entries + data


def test_an_rpm_database_in_sqlite_is_read(tmp_path: Any) -> None:
    path = tmp_path / "rpmdb.sqlite"
    with contextlib.closing(sqlite3.connect(path)) as base:
        base.execute("CREATE TABLE Packages (hnum INTEGER PRIMARY KEY, blob BLOB)")
        for blob in (_rpm_header(name="fernfolio", summary="x", version="3.2"), b"\0" * 5,
                     _rpm_header(name="nameless")):  # fmt: skip
            base.execute("INSERT INTO Packages (blob) VALUES (?)", (blob,))
        base.commit()
    where = "var/lib/rpm/rpmdb.sqlite"
    found = _captured({**linux_tree(), where: path.read_bytes()})
    assert [(one.name, one.version) for one in found.software or []] == [("fernfolio", "3.2")]
    assert _captured({**linux_tree(), where: b"SQLite format 3\0" + bytes(90)}).software is None


@given(st.binary(max_size=200))
def test_any_bytes_as_an_rpm_database_are_taken(data: bytes) -> None:
    assert packages(b"SQLite format 3\0" + data) in (None, [])
    assert packages(data) in (None, [])


def test_the_domain_that_controls_a_machine_is_no_guest() -> None:
    tree = linux_tree(flags=X86_FLAGS + " hypervisor")
    guest = _captured(tree)
    control = _captured({**tree, "proc/xen/capabilities": "control_d\n"})
    assert (guest.system.virtual, control.system.virtual) == (True, False)


@pytest.mark.parametrize(("kib", "named"), [(6_200_000, True), (5_950_000, False)])
def test_a_share_for_graphics_is_named_where_nearly_all_is_usable(kib: int, named: bool) -> None:
    found = _captured(linux_tree(kib=kib))
    assert found.memory.installed == 6 * GIB
    assert ("8 GB is fitted where a share" in " ".join(found.notes)) == named


@pytest.mark.parametrize(
    ("count", "said"),
    [(1, "A1 is rated 2933 MT/s and runs at 2666"),
     (8, "8 modules are rated 2933 MT/s and run at 2666")],
)  # fmt: skip
def test_modules_that_run_below_their_rating_are_one_note(count: int, said: str) -> None:
    module = {"size": 16 * GIB, "type": "DDR4", "speed": 2933, "running": 2666}
    draft = Draft("bench", None, VOCABULARY)
    draft.machine = machine(
        memory={"modules": [{"slot": f"A{at + 1}", **module} for at in range(count)]}
    )
    _speeds(draft)
    (note,) = draft.machine.notes
    assert note.startswith(said)
