"""Many machines as columns: numbers as arrays, words as codes into a list of distinct values.

A machine of the fleet is the same as a sheet on which the same readings were told: ``machine``
makes it, for whatever has to look at one machine as a whole.
"""

from collections.abc import Callable
from typing import Any

import numpy as np
from msgspec import Struct, structs
from numpy.typing import NDArray

from tallcheck.core.machine.derive import (
    ADDRESSABLE_32,
    BITS_OF,
    LIMIT_SHARE,
)
from tallcheck.core.machine.readings import Told, put, tell
from tallcheck.core.machine.sheet import SHEET_FORMAT, Doubt, Machine, Origin
from tallcheck.core.upgrade.models import differing_text
from tallcheck.core.values.quantities import GIB, MIB, format_memory, format_storage

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Codes = NDArray[np.int32]
Flags = NDArray[np.bool_]

NUMBER_KINDS = ("memory", "storage", "clock", "count")

_ORIGIN = Origin("told", "the fleet's list")
_FROM_LIST = "the modules that were told"


class Words(Struct):
    """A column of few distinct values: a code into ``values`` for each machine, -1 unknown."""

    codes: Codes
    values: list[Any]

    def mapped(self, change: Callable[[Any], float]) -> Floats:
        """A number for each machine from its value; NaN where it is unknown."""
        if not self.values:
            return np.full(len(self.codes), np.nan)
        table = np.array([*(change(value) for value in self.values), np.nan])
        return np.asarray(table[self.codes])


class Fleet(Struct):
    """The readings of many machines, by dotted key. Sizes in bytes, clocks in Hz."""

    names: Any
    """The machines' names: a numpy or Arrow array of text."""
    lines: Ints
    """Where each machine stands in its file, from 1."""
    numbers: dict[str, Floats]
    words: dict[str, Words]
    doubts: NDArray[np.uint16]
    """A bit for each entry of DOUBTS that a machine's readings give cause for."""
    sheets: list[Machine] | None = None
    """The machines' own sheets, where the fleet was read from such."""
    listed: dict[str, Words] = {}
    """What a models list says of machines whose own readings say otherwise, by key."""
    origins: dict[str, Words] = {}
    """Where readings come from that a models list filled: a source for each machine, -1 none."""
    finish: Callable[[Machine], Machine] | None = None
    """What is to be worked out from the processor's name, by naming rules."""

    def __len__(self) -> int:
        return len(self.names)

    def known(self, key: str) -> Flags:
        """Which machines have a reading."""
        if key in self.numbers:
            return ~np.isnan(self.numbers[key])
        if key in self.words:
            return self.words[key].codes >= 0
        return np.zeros(len(self), dtype=bool)

    def number(self, key: str) -> Floats:
        """A column of numbers; NaN where unknown."""
        found = self.numbers.get(key)
        return np.full(len(self), np.nan) if found is None else found

    def word(self, key: str) -> Words:
        """A column of words; code -1 where unknown."""
        found = self.words.get(key)
        return Words(np.full(len(self), -1, dtype=np.int32), []) if found is None else found

    def machine(self, at: int) -> Machine:
        """One machine as a sheet."""
        if self.sheets is not None:
            return self.sheets[at]
        machine = Machine(SHEET_FORMAT, str(self.names[at]))
        readings = self._readings(at)
        modules = readings.pop("memory.modules", None)
        if modules is not None:
            machine = put(machine, "memory.modules", modules, _ORIGIN)
            worked = Origin("worked out", _FROM_LIST)
            machine = put(machine, "memory.slots", len(modules), worked)
            total = sum(module.size or 0 for module in modules)
            machine = put(machine, "memory.installed", total, worked)
        for key, value in readings.items():
            source = self.origins.get(key)
            code = source.codes[at] if source is not None else -1
            origin = Origin("told", source.values[code]) if source and code >= 0 else _ORIGIN
            if key == "processor.instructions":
                machine = tell(machine, Told(key, value), _ORIGIN.source)
            else:
                machine = put(machine, key, value, origin)
        if self.finish is not None and "processor.name" in readings:
            machine = self.finish(machine)
        return structs.replace(machine, doubts=self.doubts_of(at))

    def _readings(self, at: int) -> dict[str, Any]:
        """The given readings of one machine, by key."""
        found: dict[str, Any] = {}
        for key, column in self.numbers.items():
            if not np.isnan(column[at]):
                found[key] = int(column[at])
        for key, words in self.words.items():
            if words.codes[at] >= 0:
                found[key] = words.values[words.codes[at]]
        return found

    def doubts_of(self, at: int) -> list[Doubt]:
        """Readings of one machine that cannot all be true."""
        if self.sheets is not None:
            return self.sheets[at].doubts
        bits = int(self.doubts[at])
        readings = self._readings(at) if bits else {}
        for key, words in self.listed.items():
            if words.codes[at] >= 0:
                readings[f"listed {key}"] = words.values[words.codes[at]]
        return [
            Doubt(list(about), text(readings))
            for bit, (about, text) in enumerate(DOUBTS)
            if bits >> bit & 1
        ]


class Fault(Struct, frozen=True):
    """Cells of one column that do not read for one reason; ``rows`` counts machines from 0."""

    column: str
    text: str
    rows: Any


class FleetFile(Struct):
    """A fleet as read: the machines, the faults, and the table as it was."""

    fleet: Fleet
    faults: list[Fault]
    unreadable: list[tuple[int, str]]
    """Rows that were left out: line (or place in the folder), and why."""
    remarks: list[str]
    table: Any
    """An Arrow table, where it was to be kept."""
    by_line: bool = True
    """Whether machines stand on lines; in a folder they stand in files, by name."""


def cut_fleet(fleet: Fleet, start: int, stop: int) -> Fleet:
    """Some machines in a row, as views on the same columns."""

    def words(found: dict[str, Words]) -> dict[str, Words]:
        return {key: Words(one.codes[start:stop], one.values) for key, one in found.items()}

    return Fleet(
        fleet.names[start:stop], fleet.lines[start:stop],
        {key: column[start:stop] for key, column in fleet.numbers.items()},
        words(fleet.words), fleet.doubts[start:stop],
        fleet.sheets[start:stop] if fleet.sheets is not None else None,
        words(fleet.listed), words(fleet.origins), fleet.finish,
    )  # fmt: skip


# --- readings that cannot all be true ------------------------------------------------------


def _given(readings: dict[str, Any]) -> dict[str, Any]:
    modules = readings.get("memory.modules")
    total = readings.get("memory.installed")
    if total is None and modules is not None:
        total = sum(module.size or 0 for module in modules)
    return readings | {"fitted": total}


def _memory_text(template: str, *keys: str) -> Callable[[dict[str, Any]], str]:
    def text(readings: dict[str, Any]) -> str:
        given = _given(readings)
        return template.format(*(format_memory(int(given[key]), 2) for key in keys))

    return text


def _listed_text(key: str) -> Callable[[dict[str, Any]], str]:
    return lambda readings: differing_text(key, readings[key], readings[f"listed {key}"])


DOUBTS: tuple[tuple[tuple[str, ...], Callable[[dict[str, Any]], str]], ...] = (
    (("processor.cores", "processor.threads"),
     lambda r: f"{int(r['processor.cores'])} cores and {int(r['processor.threads'])} threads "
     "cannot both be true: most likely they are swapped"),
    (("memory.installed", "memory.usable"),
     _memory_text("{} usable is more than the {} fitted", "memory.usable", "fitted")),
    (("memory.installed", "memory.modules"),
     lambda r: f"{format_memory(int(r['memory.installed']))} fitted is not what the modules add "
     f"up to ({format_memory(sum(m.size or 0 for m in r['memory.modules']))})"),
    (("memory.slots",),
     lambda r: f"{int(r['memory.slots'])} positions are fewer than the "
     f"{len(r['memory.modules'])} listed"),
    (("processor.bits", "system.os_bits"),
     lambda r: "a 64-bit system cannot run on a 32-bit processor"),
    (("memory.available",),
     _memory_text("{} available is more than the machine has", "memory.available")),
    (("storage.free",),
     lambda r: f"{format_storage(int(r['storage.free']))} free is more than the drive of "
     f"{format_storage(int(r['storage.drive']))}"),
    (("memory.ceiling",),
     _memory_text("{1} is fitted, and the board is said to take {0}", "memory.ceiling", "fitted")),
    (("memory.installed",),
     _memory_text("{} fitted is more than such a machine takes: most likely MB were meant",
                  "fitted")),
    (("memory.installed",),
     _memory_text("{} fitted is less than any system here runs with: most likely GB were meant",
                  "fitted")),
    (("memory.ceiling",), _listed_text("memory.ceiling")),
    (("memory.slots",), _listed_text("memory.slots")),
    (("memory.position_most",), _listed_text("memory.position_most")),
)  # fmt: skip
"""The keys each doubt is about, and its text from a machine's readings."""

SLOTS_BIT = 3
"""The doubt of fewer positions than modules."""
LISTED_BITS = {"memory.ceiling": 10, "memory.slots": 11, "memory.position_most": 12}

CHUNK = 1 << 17
"""Machines looked at together, so that temporary arrays stay small."""
_TOO_MUCH = 1024 * GIB
_TOO_LITTLE = 64 * MIB


def find_doubts(fleet: Fleet) -> NDArray[np.uint16]:
    """The doubts that each machine's own readings give cause for, as bits of DOUBTS."""
    found = np.zeros(len(fleet), dtype=np.uint16)
    for start in range(0, len(fleet), CHUNK):
        part = cut_fleet(fleet, start, start + CHUNK)
        found[start : start + CHUNK] = _doubts_in(part)
    return found


def _doubts_in(fleet: Fleet) -> NDArray[np.uint16]:
    memory = raw_memory(fleet)
    cores, threads = fleet.number("processor.cores"), fleet.number("processor.threads")
    free, drive = fleet.number("storage.free"), fleet.number("storage.drive")
    fitted = np.where(memory.derived == 2, np.nan, memory.installed)
    given = fleet.number("memory.installed")
    shape = fleet.word("system.shape").mapped(lambda word: float(word == "server"))
    held = np.where(np.isnan(memory.usable), fitted, memory.usable)
    flags: list[Flags] = [
        threads < cores,
        memory.usable > fitted,
        ~np.isnan(given) & ~np.isnan(memory.in_modules) & (given != memory.in_modules),
        fleet.number("memory.slots") < memory.listed_slots,
        (fleet.number("processor.bits") == 32) & (fleet.number("system.os_bits") == 64),
        memory.available > held,
        free > drive,
        memory.ceiling < fitted,
        (fitted > _TOO_MUCH) & (shape != 1),
        (fitted < _TOO_LITTLE) & (fitted > 0),
    ]
    flags[2] = flags[2] & ~flags[8] & ~flags[9]
    # 8192 GB fitted also passes the ceiling, which is the less likely one to be wrong
    flags[7] = flags[7] & ~flags[8]
    found = np.zeros(len(fleet), dtype=np.uint16)
    for bit, flag in enumerate(flags):
        found |= flag.astype(np.uint16) << bit
    return found


# --- memory, with what follows worked out --------------------------------------------------


class MemoryColumns(Struct):
    """The memory readings of every machine; NaN unknown. As ``core.derive`` works them out."""

    installed: Floats
    usable: Floats
    available: Floats
    ceiling: Floats
    position_most: Floats
    addressable: Floats
    slots: Floats
    in_modules: Floats
    listed_slots: Floats
    os_bits: Floats
    bits: Floats
    virtual: Floats
    derived: NDArray[np.int8]
    """How ``installed`` is known: 0 given, 1 by the modules, 2 worked out from what is usable."""


TOTALS = {
    odds: np.array(sorted(odd * MIB << n for odd in odds for n in range(43 - odd.bit_length())))
    for odds in ((1, 3), (1, 3, 5))
}
"""Totals of so many times a power of two, from 1 MiB on, in bytes."""


def next_total(wanted: Floats, odds: tuple[int, int] | tuple[int, int, int]) -> Floats:
    """The smallest such total that is at least ``wanted``."""
    totals = TOTALS[odds]
    at = np.minimum(np.searchsorted(totals, wanted), len(totals) - 1)
    return np.asarray(np.where(np.isnan(wanted), np.nan, totals[at]), dtype=np.float64)


def raw_memory(fleet: Fleet) -> MemoryColumns:
    """The memory columns as told, completed, doubts not yet counted."""
    modules = fleet.word("memory.modules")
    in_modules = modules.mapped(lambda value: float(sum(m.size or 0 for m in value)))
    listed = modules.mapped(lambda value: float(len(value)))
    virtual = fleet.word("system.virtual").mapped(float)
    os_bits, bits = fleet.number("system.os_bits"), fleet.number("processor.bits")
    system_arch = fleet.word("system.architecture").mapped(lambda v: BITS_OF.get(v, np.nan))
    os_bits = np.where(np.isnan(os_bits), system_arch, os_bits)
    arch = fleet.word("processor.architecture").mapped(lambda v: BITS_OF.get(v, np.nan))
    bits = np.where(np.isnan(bits), arch, bits)
    bits = np.where(np.isnan(bits) & (os_bits == 64), 64.0, bits)
    addressable = fleet.number("memory.addressable")
    addressable = np.where(np.isnan(addressable) & (os_bits == 32), ADDRESSABLE_32, addressable)
    usable = fleet.number("memory.usable")
    installed = fleet.number("memory.installed")
    derived = np.where(np.isnan(installed), 1, 0).astype(np.int8)
    installed = np.where(np.isnan(installed), in_modules, installed)
    near = (os_bits == 32) & (usable > LIMIT_SHARE * addressable)
    from_usable = np.isnan(installed) & (usable > 0) & ~near
    if from_usable.any():
        installed = installed.copy()
        installed[from_usable] = _fitted(usable[from_usable], virtual[from_usable] == 1)
        derived[from_usable] = 2
    slots = fleet.number("memory.slots")
    return MemoryColumns(
        installed, usable, fleet.number("memory.available"), fleet.number("memory.ceiling"),
        fleet.number("memory.position_most"), addressable,
        np.where(np.isnan(slots), listed, slots), in_modules, listed, os_bits, bits, virtual,
        derived,
    )  # fmt: skip


def _fitted(usable: Floats, virtual: Flags) -> Floats:
    """The totals likely fitted: ``core.derive.fitted_total`` on arrays."""
    total = next_total(usable, (1, 3, 5))
    step = 128 * MIB
    close = np.ceil(usable / step) * step
    return np.where(virtual & (total > usable * 1.1), close, total)


def known_memory(fleet: Fleet) -> MemoryColumns:
    """The memory columns as the rows see them: doubted readings unknown."""
    found = raw_memory(fleet)
    names = {
        "memory.installed": "installed", "memory.usable": "usable",
        "memory.available": "available", "memory.ceiling": "ceiling",
        "memory.position_most": "position_most", "memory.slots": "slots",
        "system.os_bits": "os_bits", "processor.bits": "bits",
    }  # fmt: skip
    for bit, (about, _) in enumerate(DOUBTS):
        hit = (fleet.doubts >> bit & 1).astype(bool)
        if hit.any():
            for key in about:
                if key in names:
                    column = getattr(found, names[key])
                    setattr(found, names[key], np.where(hit, np.nan, column))
    return found


def doubted(fleet: Fleet, key: str) -> Flags:
    """Which machines have a doubt about a reading."""
    bits = sum(1 << bit for bit, (about, _) in enumerate(DOUBTS) if key in about)
    return np.asarray((fleet.doubts & bits) != 0)
