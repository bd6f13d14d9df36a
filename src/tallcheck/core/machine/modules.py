"""Memory modules: the families of their types, their forms, the sizes that are sold."""

import math
import re
from typing import Protocol

from tallcheck.core.machine.sheet import Module
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.quantities import GIB, MIB, format_memory

SIZE_MOST = 1024 * GIB
_FAMILY = re.compile(r"(LP)?DDR([2-5]?)(L?)(X?)")
_FORMS = {
    "UDIMM": "DIMM", "RDIMM": "DIMM", "LRDIMM": "DIMM", "DIMM": "DIMM", "CUDIMM": "DIMM",
    "SODIMM": "SODIMM", "CSODIMM": "SODIMM",
}  # fmt: skip
_REGISTERED = ("RDIMM", "LRDIMM")

# SMBIOS 3.8, 7.18.2 and 7.18.1; CIM (Win32_PhysicalMemory) codes forms otherwise
TYPES = {
    0x03: "DRAM", 0x04: "EDRAM", 0x05: "VRAM", 0x06: "SRAM", 0x07: "RAM", 0x08: "ROM",
    0x09: "FLASH", 0x0A: "EEPROM", 0x0B: "FEPROM", 0x0C: "EPROM", 0x0D: "CDRAM", 0x0E: "3DRAM",
    0x0F: "SDRAM", 0x10: "SGRAM", 0x11: "RDRAM", 0x12: "DDR", 0x13: "DDR2",
    0x14: "DDR2 FB-DIMM", 0x18: "DDR3", 0x19: "FBD2", 0x1A: "DDR4", 0x1B: "LPDDR",
    0x1C: "LPDDR2", 0x1D: "LPDDR3", 0x1E: "LPDDR4", 0x1F: "non-volatile", 0x20: "HBM",
    0x21: "HBM2", 0x22: "DDR5", 0x23: "LPDDR5", 0x24: "HBM3",
}  # fmt: skip
FORMS = {
    0x03: "SIMM", 0x04: "SIP", 0x05: "chip", 0x06: "DIP", 0x07: "ZIP", 0x08: "proprietary",
    0x09: "DIMM", 0x0A: "TSOP", 0x0B: "row of chips", 0x0C: "RIMM", 0x0D: "SODIMM",
    0x0E: "SRIMM", 0x0F: "FB-DIMM", 0x10: "die", 0x11: "CAMM",
}  # fmt: skip
CIM_FORMS = {
    2: "SIP", 3: "DIP", 4: "ZIP", 6: "proprietary", 7: "SIMM", 8: "DIMM", 9: "TSOP", 11: "RIMM",
    12: "SODIMM", 13: "SRIMM", 14: "chip", 21: "chip", 22: "chip",
}  # fmt: skip

# Sizes in which modules of each type are commonly sold, smallest and largest.
# JEDEC module standards by type: 21C (SODIMM, UDIMM), sizes per module.
_SOLD: dict[str, tuple[int, int]] = {
    "DDR": (128 * MIB, GIB),
    "DDR2": (256 * MIB, 4 * GIB),
    "DDR3": (GIB, 16 * GIB),
    "DDR4": (4 * GIB, 64 * GIB),
    "DDR5": (8 * GIB, 128 * GIB),
}
_UNBUFFERED_MOST = {"DDR3": 16 * GIB, "DDR4": 32 * GIB, "DDR5": 64 * GIB}
"""The largest unbuffered modules that there are."""
ANY_TYPE = (256 * MIB, 256 * GIB)
_BETWEEN = {"DDR5": (24 * GIB, 48 * GIB, 96 * GIB)}  # modules of half-again sizes

ALL_SIZES = sorted({MIB << n for n in range(8, 19)} | set(_BETWEEN["DDR5"]))
"""Every size in which a module of some type is sold, in bytes."""


def check_module_size(size: int) -> None:
    """Raise InputError for a size that no memory module has.

    Modules hold 1 or 3 times a power of two (JEDEC 21C annexes), from 16 MB on.
    """
    odd = size
    while odd and odd % 2 == 0:
        odd //= 2
    if odd not in (1, 3) or not 16 * MIB <= size <= SIZE_MOST:
        raise InputError(
            f"found {format_memory(size, 3)}, a size that no module has",
            "1 or 3 times a power of two, such as 8 GB or 24 GB",
        )


def family(kind: str | None) -> str | None:
    """``DDR4`` out of ``DDR4 SDRAM``; upper case where it is no such type; None if unknown."""
    if kind is None:
        return None
    found = _FAMILY.search(kind.upper())
    return found[0] if found else kind.strip().upper()


def form_of(form: str | None) -> str | None:
    """``SODIMM`` out of ``SO-DIMM`` and the like; None if unknown."""
    if form is None:
        return None
    word = _form_word(form)
    named = re.search(r"(?:SO|CSO|CU|LR|[UR])?DIMM", word)
    return _FORMS.get(named[0] if named else word, word)


def _form_word(form: str) -> str:
    return form.upper().replace("-", "").replace(" ", "").replace("_", "")


def registered_by_form(form: str | None) -> bool | None:
    """What the name of a form says of its kind: RDIMM and LRDIMM are registered, UDIMM is not."""
    word = _form_word(form or "")
    if word in _REGISTERED:
        return True
    return False if word in ("UDIMM", "CUDIMM") else None


def load_reduced_by_form(form: str | None) -> bool | None:
    """What the name of a form says of load reduction, which no other modules go beside."""
    word = _form_word(form or "")
    return word == "LRDIMM" if word in (*_REGISTERED, "UDIMM", "CUDIMM") else None


class OfKind(Protocol):
    """A module, fitted or on a list, as far as it tells what goes beside it."""

    @property
    def form(self) -> str | None: ...
    @property
    def ecc(self) -> bool | None: ...
    @property
    def registered(self) -> bool | None: ...
    @property
    def load_reduced(self) -> bool | None: ...


def is_registered(one: OfKind) -> bool | None:
    """Whether it is registered, as it says or as its form does."""
    return one.registered if one.registered is not None else registered_by_form(one.form)


def is_load_reduced(one: OfKind) -> bool | None:
    """Whether it is load-reduced, as it says or as its form does."""
    return one.load_reduced if one.load_reduced is not None else load_reduced_by_form(one.form)


def corrects_errors(one: OfKind) -> bool | None:
    """Whether it corrects errors, as all registered modules do."""
    return True if one.ecc is None and is_registered(one) else one.ecc


def type_fits(board: str, part: str) -> bool:
    """Whether a module type works where ``board`` is what is fitted.

    DDR3L runs at the 1.5 V of DDR3 too (JESD79-3-1), not the other way about.
    """
    return part == board or (board == "DDR3" and part == "DDR3L")


def soldered(module: Module) -> bool:
    """Whether a module cannot come out."""
    return bool(module.size) and (
        bool(module.fixed) or (module.fixed is None and only_soldered(module.type, module.form))
    )


def bytes_in(modules: list[Module] | None) -> float:
    """The bytes in all of some modules; NaN where not all sizes are known, or none is listed."""
    sizes = [one.size for one in modules or ()]
    return float(sum(one or 0 for one in sizes)) if sizes and None not in sizes else math.nan


def in_positions(modules: list[Module] | None) -> int:
    """How many positions are listed that a module can come out of, or go into."""
    return sum(not soldered(one) for one in modules or [])


def position_count(modules: list[Module], slots: int) -> int:
    """How many positions there are, with those of soldered modules.

    Firmware counts these among its positions, people and makers' pages do not: where fewer are
    counted than listed, soldered ones come on top.
    """
    return slots if slots >= len(modules) else slots + len(modules) - in_positions(modules)


def only_soldered(kind: str | None, form: str | None) -> bool:
    """Whether memory of a type is only ever soldered: LPDDR, unless its form is CAMM (JESD318)."""
    return (kind or "").upper().startswith("LPDDR") and "CAMM" not in (form or "").upper()


def running_is_clock(module: Module) -> bool:
    """Whether what is given as the running speed is the clock: exactly half the rated one."""
    speed, running = module.speed, module.running
    return bool(speed and running) and abs(2 * (running or 0) - (speed or 0)) <= 1


_LOW_VOLTAGE_MOST = 1400
"""mV at most of DDR3L, which runs at 1.35 V (JESD79-3-1)."""


def types_of(modules: list[Module]) -> set[str]:
    """The types that positions take, as far as the modules tell.

    What can come out tells it, or a free position; soldered memory tells nothing of a position
    beside it.
    """
    return {kind for one in modules if not soldered(one) and (kind := _type_of(one))}


def _type_of(module: Module) -> str | None:
    """The type with the letter that firmware leaves off where modules run at 1.35 V."""
    kind = family(module.type)
    low = module.voltage is not None and module.voltage <= _LOW_VOLTAGE_MOST
    return "DDR3L" if kind == "DDR3" and low else kind


def one_type(types: set[str]) -> str | None:
    """The one type that some modules tell of; a DDR3L beside a DDR3 runs as DDR3."""
    if types == {"DDR3", "DDR3L"}:
        return "DDR3"
    return next(iter(types)) if len(types) == 1 else None


def one_form(modules: list[Module]) -> str | None:
    """The one form that the modules of some positions tell of; None where they tell several."""
    forms = {form for one in modules if (form := form_of(one.form))}
    return forms.pop() if len(forms) == 1 else None


def unbuffered(modules: list[Module]) -> bool:
    """Whether those that can come out are known to be unbuffered, as all of a board then are.

    There are no registered modules of the small form, and none without error correction.
    """
    told = [
        False if form_of(one.form) == "SODIMM" or one.ecc is False else one.registered
        for one in modules if one.size and not soldered(one)
    ]  # fmt: skip
    return False in told and True not in told


def module_sizes(kind: str | None, plain: bool = False) -> list[int]:
    """The module sizes sold for a memory type, in bytes; for an unknown type, every size.

    ``plain``: of unbuffered modules, which end earlier than registered ones.
    """
    found = re.search(r"DDR[2-5]?", (kind or "").upper())
    name = found[0] if found else ""
    least, most = _SOLD.get(name, ANY_TYPE)
    if plain:
        most = min(most, _UNBUFFERED_MOST.get(name, most))
    sizes = []
    size = least
    while size <= most:
        sizes.append(size)
        size *= 2
    return sorted([*sizes, *(one for one in _BETWEEN.get(name, ()) if one <= most)])


_SPEEDS: dict[str, tuple[int, ...]] = {
    "DDR": (200, 266, 333, 400),
    "DDR2": (400, 533, 667, 800, 1066),
    "DDR3": (800, 1066, 1333, 1600, 1866, 2133),
    "DDR4": (1600, 1866, 2133, 2400, 2666, 2933, 3200, 3600),
    "DDR5": (3200, 3600, 4000, 4400, 4800, 5200, 5600, 6000, 6400, 7200, 8000),
}
"""In MT/s, at which modules of each type are sold (JEDEC), with the trade's roundings."""
_BYTES_A_TRANSFER = 8
_ROUNDED = 10
"""MT/s by which a rate in MB a second, rounded, may be off."""


def clock_for_speed(kind: str | None, speed: int | None) -> int | None:
    """The speed in MT/s that is meant where ``speed`` is its clock, half of it; else None.

    A speed that no module of its type has, but whose double is one, is the clock.
    """
    known = _SPEEDS.get(kind or "", ())
    if not speed or any(abs(speed - one) <= 1 for one in known):
        return None
    return next((one for one in known if abs(2 * speed - one) <= 2), None)


def speed_of_rate(kind: str | None, rate: int) -> int:
    """The speed in MT/s of a rate in MB a second: ``PC4-21300`` is DDR4-2666."""
    speed = rate // _BYTES_A_TRANSFER
    known = _SPEEDS.get((kind or "").removesuffix("L"), ())
    return next((one for one in known if abs(one - speed) <= _ROUNDED), speed)
