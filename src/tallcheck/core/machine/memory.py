"""Memory that can be reached on a machine: the smallest total that can be built, and the cures."""

import re

from msgspec import Struct

from tallcheck.core.machine.sheet import Machine, Module
from tallcheck.core.values.quantities import GIB, MIB, format_memory

# Sizes in which modules of each type are commonly sold, smallest and largest.
# JEDEC module standards by type: 21C (SODIMM, UDIMM), sizes per module.
_SOLD: dict[str, tuple[int, int]] = {
    "DDR": (128 * MIB, GIB),
    "DDR2": (256 * MIB, 4 * GIB),
    "DDR3": (GIB, 16 * GIB),
    "DDR4": (4 * GIB, 64 * GIB),
    "DDR5": (8 * GIB, 128 * GIB),
}
_ANY_TYPE = (256 * MIB, 256 * GIB)
_BETWEEN = {"DDR5": (24 * GIB, 48 * GIB, 96 * GIB)}  # modules of half-again sizes

ALL_SIZES = sorted({MIB << n for n in range(8, 19)} | set(_BETWEEN["DDR5"]))
"""Every size in which a module of some type is sold, in bytes."""
UNIT = 64 * MIB
"""The grain in which totals are counted."""
_POSITIONS_MOST = 1024  # more than any board has


def usable_share_kept(machine: Machine) -> bool:
    """Whether so little of what is fitted is usable that usable is what counts (under 70 %)."""
    memory = machine.memory
    if memory.usable is None or memory.installed is None:
        return False
    return memory.usable < 0.7 * memory.installed


class Reach(Struct, frozen=True):
    """What memory a machine can be given: the total, or None with the reason why not.

    ``unknown`` names the readings that were missing, so that the total is conditional.
    """

    total: int | None
    why_not: str = ""
    unknown: tuple[str, ...] = ()


def module_sizes(kind: str | None) -> list[int]:
    """The module sizes sold for a memory type, in bytes; for an unknown type, every size."""
    found = re.search(r"DDR[2-5]?", (kind or "").upper())
    family = found[0] if found else ""
    least, most = _SOLD.get(family, _ANY_TYPE)
    sizes = []
    size = least
    while size <= most:
        sizes.append(size)
        size *= 2
    return sorted([*sizes, *_BETWEEN.get(family, ())])


def round_total(wanted: int) -> int:
    """The smallest total of 1 or 3 times a power of two that is at least ``wanted``."""
    totals = []
    for odd in (1, 3):
        total = odd * MIB
        while total < wanted:
            total *= 2
        totals.append(total)
    return min(totals)


def _smallest_built(machine: Machine, wanted: int, most: int) -> int | None:
    """The smallest total from ``wanted`` to ``most`` that the positions can be filled to.

    A soldered position keeps what it has; any other keeps it, is emptied, or takes a sold size.
    """
    memory = machine.memory
    largest = memory.position_most or most
    choices_at = position_choices(memory.modules or [], memory.slots or 0, largest)
    enough = min(most, wanted + max(max(choices) for choices in choices_at))
    if wanted > enough or wanted > sum(max(choices) for choices in choices_at):
        return None
    first = -(-wanted // UNIT)
    above = built_totals(choices_at, enough) >> first
    return (first + (above & -above).bit_length() - 1) * UNIT if above else None


def position_choices(modules: list[Module], slots: int, largest: int) -> list[set[int]]:
    """What each position can hold, in bytes: soldered ones what they do, others any sold size."""
    kinds = {module.type for module in modules if module.type and module.size}
    sold = [s for s in module_sizes(min(kinds) if len(kinds) == 1 else None) if s <= largest]
    choices_at = [
        {module.size or 0} if module.fixed else {0, module.size or 0, *sold} for module in modules
    ]
    free = min(max(slots - len(modules), 0), _POSITIONS_MOST)
    return choices_at + [{0, *sold}] * free


def built_totals(choices_at: list[set[int]], most: int) -> int:
    """Every total up to ``most`` bytes, as a number whose bit n stands for n units."""
    reached = 1
    limit = (1 << (most // UNIT + 1)) - 1
    for choices in choices_at:
        step = 0
        for size in choices:
            step |= reached << (size // UNIT)
        reached = step & limit
    return reached


def reach(machine: Machine, wanted: int) -> Reach:
    """The smallest total that can be built on the machine and is at least ``wanted`` bytes."""
    memory = machine.memory
    if memory.installed is not None and wanted <= memory.installed:
        return Reach(memory.installed)
    if machine.system.virtual:
        return Reach(-(-wanted // (128 * MIB)) * 128 * MIB)
    if memory.ceiling is not None and wanted > memory.ceiling:
        return Reach(None, f"the board takes {format_memory(memory.ceiling)} at most")
    unknown: tuple[str, ...] = () if memory.ceiling is not None else ("memory.ceiling",)
    if memory.slots is None:
        total = round_total(wanted)
        if memory.ceiling is not None:
            total = min(total, memory.ceiling)
        return Reach(total, unknown=(*unknown, "memory.slots"))
    modules = memory.modules or []
    if len(modules) >= memory.slots and all(module.fixed for module in modules):
        if memory.slots:
            return Reach(None, "its memory is soldered and no position is free", unknown)
        return Reach(None, "it has no position for a module", unknown)
    built = _smallest_built(machine, wanted, memory.ceiling or wanted + _ANY_TYPE[1])
    if built is None:
        room = f"its {memory.slots} position{'s' if memory.slots != 1 else ''}"
        if memory.position_most is not None:
            room += f", {format_memory(memory.position_most)} each at most,"
        return Reach(None, f"{room} cannot hold {format_memory(wanted)}", unknown)
    if memory.modules is None:
        unknown += ("memory.modules",)
    return Reach(built, unknown=unknown)


class MemoryCures(Struct, frozen=True):
    """The cures of a short memory row, or two ways it could be where ``unsure`` names a reading."""

    cures: frozenset[str]
    unsure: str = ""
    otherwise: frozenset[str] = frozenset()
    why: tuple[str, ...] = ()


def cures_of_short_memory(machine: Machine, target: Reach, wanted: int) -> MemoryCures:
    """Every cure that a short memory row needs, ``wanted`` bytes being the highest need.

    The rules of a short memory row: fit more; let the system address it; replace the machine
    that cannot take it; give back what is kept from the system.
    """
    memory, bits = machine.memory, machine.processor.bits
    total = target.total if target.total is not None else wanted
    cures: set[str] = set()
    why: list[str] = []
    if target.total is None:
        cures.add("machine")
        why.append(target.why_not)
    if memory.installed is None or total > memory.installed:
        cures.add("memory")
    kept = usable_share_kept(machine)
    cannot_address = memory.addressable is not None and total > memory.addressable
    if cannot_address or (kept and machine.system.os_bits == 32):
        limit = format_memory(memory.addressable or 0)
        why.append(f"the running {machine.system.os_bits or 32}-bit system addresses {limit}")
        if bits is None:
            return MemoryCures(
                frozenset(cures | {"system"}), "processor.bits", frozenset(cures | {"machine"}),
                tuple(why),
            )  # fmt: skip
        if bits < 64:
            why.append(f"a {bits}-bit processor runs no 64-bit system")
        cures.add("system" if bits == 64 else "machine")
    elif kept:
        cures.add("setting")
        why.append(
            f"{format_memory(memory.usable or 0)} of {format_memory(memory.installed or 0)} "
            "fitted is usable: something keeps the rest back"
        )
    return MemoryCures(frozenset(cures), why=tuple(why))
