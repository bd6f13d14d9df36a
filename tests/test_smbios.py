"""The firmware tables: structures of every age, cut, lying or hostile, and what they mean."""

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tallcheck.core.machine.locators import channel_of
from tallcheck.core.machine.modules import clock_for_speed
from tallcheck.core.machine.readings import get
from tallcheck.core.machine.sheet import Machine
from tallcheck.gather import gather
from tallcheck.gather.smbios import (
    decode,
    parse_entry,
    split_system_table,
)
from tallcheck.gather.source import Captured
from tests.helpers import (
    BOARD,
    CHASSIS,
    END,
    GIB,
    VOCABULARY,
    array_structure,
    linux_tree,
    module_structure,
    structure,
    system_structure,
)

TABLES = "sys/firmware/dmi/tables"


def sheet(*structures: bytes, serials: bool = False, **tree: Any) -> Machine:
    """The sheet of a Linux machine with these firmware tables."""
    files: dict[str, bytes | str] = {**linux_tree(**tree), f"{TABLES}/DMI": b"".join(structures)}
    captured = Captured({p: t.encode() if isinstance(t, str) else t for p, t in files.items()})
    return gather(captured, "bench", VOCABULARY, serials)


A1 = module_structure(0x11, 4096, "DIMM A1")
B1 = module_structure(0x12, 4096, "DIMM B1")
EMPTY = module_structure(0x13, 0, "DIMM B2", kind=2, speed=0)
ARRAY = array_structure(4, 32 << 20)


@pytest.mark.parametrize(
    ("structures", "expected"),
    [
        ((BOARD, system_structure(), CHASSIS, ARRAY, A1, B1, EMPTY, END),
         {"memory.installed": 8 * GIB, "memory.slots": 4, "memory.ceiling": 32 * GIB,
          "system.shape": "notebook", "system.maker": "Larkmoor", "system.model": "Leaf 13",
          "firmware.version": "1.14", "firmware.date": "2025-03-11", "system.serial": None}),
        # sizes in KB, in the extended field, and unknown
        ((ARRAY, module_structure(0x11, 0x8000 | 16384), END), {"memory.installed": 16 << 20}),
        ((ARRAY, module_structure(0x11, 0x7FFF, extended=65536), END),
         {"memory.ceiling": 32 * GIB, "memory.slots": 4}),
        ((array_structure(4, 0x80000000, wide=1 << 40),
          module_structure(0x11, 0x7FFF, extended=65536), END),
         {"memory.installed": 64 * GIB, "memory.ceiling": 1 << 40}),
        ((ARRAY, module_structure(0x11, 0xFFFF), END), {"memory.installed": 8 * GIB}),
        # two arrays, as boards with two sockets have; a cache array counts for nothing
        ((ARRAY, array_structure(4, 32 << 20, handle=0x20), A1,
          module_structure(0x21, 4096, array=0x20), END),
         {"memory.slots": 8, "memory.ceiling": 64 * GIB, "memory.installed": 8 * GIB}),
        ((ARRAY, A1, module_structure(0x30, 8, "Flash", kind=9, array=0x99), END),
         {"memory.installed": 4 * GIB}),
        # soldered forms; structures cut short by old firmware
        ((array_structure(1, 8 << 20), module_structure(0x11, 4096, form=0x0B), END),
         {"memory.installed": 4 * GIB, "memory.slots": 1}),
        ((ARRAY, module_structure(0x11, 4096, length=0x15), END), {"memory.installed": 4 * GIB}),
        # fewer positions announced than listed
        ((array_structure(1, 32 << 20), A1, B1, END), {"memory.slots": 2}),
        # no array at all (before 2.1): the positions listed
        ((A1, EMPTY, END), {"memory.installed": 4 * GIB, "memory.slots": 2}),
        ((system_structure("QEMU", "Standard PC"), END), {"system.virtual": True}),
        ((system_structure("To be filled by O.E.M.", "System Product Name"), END),
         {"system.maker": None, "system.model": None, "system.virtual": False}),
        ((system_structure("TBD by OEM", "Type1ProductConfigId"), END),
         {"system.maker": None, "system.model": None}),
        ((system_structure("0123456789", "Type2 - Board Product Name1"), END),
         {"system.maker": None, "system.model": None}),
        ((system_structure("Larkmoor", "System 3"), END),
         {"system.maker": "Larkmoor", "system.model": "System 3"}),
    ],
)  # fmt: skip
def test_tables(structures: tuple[bytes, ...], expected: dict[str, Any]) -> None:
    found = sheet(*structures)
    assert {key: get(found, key) for key in expected} == expected


def test_a_module_has_what_its_structure_tells() -> None:
    ecc = module_structure(0x11, 4096, "P1-DIMMA1", total=72, detail=0x2080, running=2666)
    module = (sheet(ARRAY, ecc, END).memory.modules or [])[0]
    assert (module.type, module.form, module.ecc, module.registered) == (
        "DDR4", "SODIMM", True, True,
    )  # fmt: skip
    assert (module.speed, module.running, module.rank) == (3200, 2666, 1)
    assert (module.maker, module.part, module.serial) == ("Larkmoor", "LM-8G", None)
    assert (module.channel, module.fixed) == ("P1-A", False)
    with_serial = sheet(ARRAY, ecc, END, serials=True)
    assert (with_serial.memory.modules or [])[0].serial == "SN-12345"
    soldered = (sheet(module_structure(1, 4096, form=0x0B), END).memory.modules or [])[0]
    assert soldered.fixed is True


@pytest.mark.parametrize(
    ("structures", "tree", "doubts", "note"),
    [
        # a ceiling below what is fitted is wrong: left out, and a doubt
        ((array_structure(2, 4 << 20), A1, B1, END), {}, [["memory.ceiling"]], ""),
        # more usable than fitted cannot be
        ((ARRAY, A1, END), {}, [["memory.installed", "memory.usable"]], ""),
        # a clock where a speed should be
        ((ARRAY, module_structure(0x11, 8192, speed=1333), END), {},
         [["memory.modules[0].speed"], ["memory.modules[0].running"]], ""),
        ((ARRAY, module_structure(0x11, 8192, running=2666), END), {}, [], "runs at 2666 MT/s"),
        # what keeps memory from the system
        ((ARRAY, A1, B1, END), {"kib": 3_300_000, "machine_word": "i686"}, [], "cannot address"),
        ((ARRAY, A1, B1, END), {"kib": 3_000_000, "proc__cmdline": "quiet mem=3G"}, [], "mem=3G"),
        ((ARRAY, A1, B1, END), {"kib": 3_000_000}, [], "module that was not seen"),
        ((ARRAY, A1, B1, END), {"kib": 6_900_000}, [], "share for graphics"),
        ((ARRAY, A1, B1, END), {"sys__fs__cgroup__memory.max": "1073741824"}, [], "1024 MB"),
        ((ARRAY, module_structure(0x11, 0xFFFF), END), {}, [], "does not tell its size"),
        ((ARRAY, A1, B1), {}, [], "no end-of-table"),
        # a table that ends early may hide modules: worked out, unless all adds up
        ((ARRAY, A1, B1[:-9]), {"kib": 15_900_000}, [["memory.modules"]], "have no end"),
        ((ARRAY, A1, B1[:-9]), {}, [], "have no end"),
    ],
)  # fmt: skip
def test_what_cannot_be_true_is_a_doubt_and_what_is_odd_a_note(
    structures: tuple[bytes, ...], tree: dict[str, Any], doubts: list[list[str]], note: str
) -> None:
    found = sheet(*structures, **tree)
    assert [doubt.about for doubt in found.doubts] == doubts
    assert note in " ".join(found.notes)


CUT = [
    (b"", 0),
    (b"\x11\x02\x00\x00", 1),  # a length that cannot be
    (A1[:20], 2),
    (A1 + B1[:-3], 1),
    (structure(17, 1, b"\x10")[:-1] + b"", 1),
]


@pytest.mark.parametrize(("data", "faults"), CUT)
def test_a_lying_table_is_decoded_as_far_as_it_is_sound(data: bytes, faults: int) -> None:
    assert len(decode(data).faults) >= min(faults, 1)


@given(
    st.lists(st.sampled_from([A1, B1, EMPTY, ARRAY, BOARD, CHASSIS, END]) | st.binary(max_size=80))
)
def test_any_bytes_as_a_table_give_a_sheet(parts: list[bytes]) -> None:
    data = b"".join(parts)
    tables = decode(data)
    assert all(one.size is None or one.size >= 0 for one in tables.devices)
    assert sheet(data).name == "bench"
    version, table = split_system_table(data)
    decode(table, version)
    parse_entry(data)


@given(st.binary(max_size=60), st.integers(0, 300))
def test_cutting_a_sound_table_never_invents_memory(tail: bytes, at: int) -> None:
    whole = ARRAY + A1 + B1 + EMPTY
    cut_short = decode(whole[:at]).devices
    assert sum(one.size or 0 for one in cut_short) <= 8 * GIB


def test_fitted_memory_is_worked_out_where_the_table_ends_early() -> None:
    found = sheet(ARRAY, A1, B1[:-9], kib=15_900_000)
    assert found.memory.installed == 16 * GIB
    assert found.origins["memory.installed"].how == "worked out"


def test_what_the_kernel_shows_to_everybody_fills_a_mute_table() -> None:
    found = sheet(END, sys__class__dmi__id__sys_vendor="Larkmoor",
                  sys__class__dmi__id__chassis_type="3",
                  sys__class__dmi__id__product_name="To be filled by O.E.M.")  # fmt: skip
    assert (found.system.maker, found.system.model) == ("Larkmoor", None)
    assert found.system.shape == "desktop"


def test_entry_points() -> None:
    old = b"_SM_" + bytes([0, 31, 2, 8]) + bytes(14) + (600).to_bytes(2, "little") + bytes(7)
    new = b"_SM3_" + bytes([0, 24, 3, 4, 0, 1, 0]) + bytes(12)
    assert parse_entry(old).version == (2, 8)  # type: ignore[union-attr]
    assert parse_entry(old).length == 600  # type: ignore[union-attr]
    assert parse_entry(new).version == (3, 4)  # type: ignore[union-attr]
    assert parse_entry(b"_SM_") is None


@pytest.mark.parametrize(
    ("locator", "bank", "channel"),
    [("ChannelA-DIMM0", "BANK 0", "A"), ("DIMM B2", None, "B"), ("A1", None, "A"),
     ("DIMM0", "A", "A"), ("DIMM 0", "P0 CHANNEL A", "P0-A"), ("CPU1_DIMM_C1", None, "P1-C"),
     ("Controller0-ChannelA-DIMM0", "BANK 0", "C0-A"), ("Controller1-ChannelA", None, "C1-A"),
     ("PROC 1 DIMM 3", None, "socket 1"), ("DIMM 3", "NODE 0", "socket 0"),
     ("DIMM 0", "BANK 0", None), (None, None, None)],
)  # fmt: skip
def test_channels(locator: str | None, bank: str | None, channel: str | None) -> None:
    assert channel_of(locator, bank) == channel


@pytest.mark.parametrize(
    ("kind", "speed", "meant"),
    [("DDR4", 1333, 2666), ("DDR4", 1600, None), ("DDR4", 1200, 2400), ("DDR3", 667, 1333),
     ("DDR5", 2400, 4800), ("DDR5", 4800, None), ("DDR4", 1334, 2666), ("LPDDR4", 2133, None),
     (None, 800, None), ("DDR4", None, None)],
)  # fmt: skip
def test_a_clock_where_a_speed_should_be(
    kind: str | None, speed: int | None, meant: int | None
) -> None:
    assert clock_for_speed(kind, speed) == meant


def test_without_root_the_udev_database_stands_in() -> None:
    udev = (
        "E:MEMORY_ARRAY_NUM_DEVICES=2\nE:MEMORY_ARRAY_MAX_CAPACITY=34359738368\n"
        "E:MEMORY_DEVICE_0_LOCATOR=DIMM A1\nE:MEMORY_DEVICE_0_SIZE=8589934592\n"
        "E:MEMORY_DEVICE_0_TYPE=DDR4\nE:MEMORY_DEVICE_0_FORM_FACTOR=SO-DIMM\n"
        "E:MEMORY_DEVICE_0_SPEED_MTS=3200\nE:MEMORY_DEVICE_1_LOCATOR=DIMM B1\n"
        "E:MEMORY_DEVICE_1_PRESENT=0\n"
    )
    tree = linux_tree(
        sys__class__dmi__id__chassis_type="10", sys__class__dmi__id__sys_vendor="Larkmoor",
        manifest=f"there {TABLES}\ndenied {TABLES}/DMI\n",
    )  # fmt: skip
    tree["run/udev/data/+dmi:id"] = udev
    captured = Captured({p: str(t).encode() for p, t in tree.items()})
    found = gather(captured, "bench", vocabulary=VOCABULARY)
    assert found.memory.installed == 8 * GIB
    assert (found.memory.slots, found.memory.ceiling) == (2, 32 * GIB)
    first, second = found.memory.modules or []
    assert (first.form, first.type, second.size) == ("SODIMM", "DDR4", 0)
    assert found.system.shape == "notebook"
    assert "for root only" in " ".join(found.notes)
