"""Readings that follow from other readings, worked out once, in one place."""

from tallcheck.core.machine.instructions import highest_level
from tallcheck.core.machine.readings import put
from tallcheck.core.machine.sheet import Machine, Origin
from tallcheck.core.values.quantities import GIB, MIB, format_memory

ADDRESSABLE_32 = 4 * GIB
ADDRESSABLE_PAE = 64 * GIB

# A system of 32 bits loses up to about a third of what it can address to devices, so from
# here on "all that is fitted" and "all that it can see" look alike.
LIMIT_SHARE = 0.65

BITS_OF = {"x86": 32, "x86-64": 64, "arm": 32, "arm64": 64}


def fitted_total(usable: int, virtual: bool | None = None) -> int:
    """The total that is likely fitted where ``usable`` bytes can be used.

    The smallest total of 1, 3 or 5 times a power of two at or above it; on a virtual machine,
    where that is more than a tenth above, the next 128 MiB.
    """
    totals = []
    for odd in (1, 3, 5):
        total = odd * MIB
        while total < usable:
            total *= 2
        totals.append(total)
    total = min(totals)
    if virtual and total > usable * 1.1:
        total = -(-usable // (128 * MIB)) * 128 * MIB
    return total


def at_limit(usable: int, os_bits: int | None, addressable: int | None) -> bool:
    """Whether a 32-bit system uses about all it can address, so that more may be fitted."""
    return os_bits == 32 and usable > LIMIT_SHARE * (addressable or ADDRESSABLE_32)


def complete(machine: Machine) -> Machine:
    """The machine with what follows from its readings worked out; no reading is replaced."""
    for work_out in (_bits, _addressable, _installed, _level):
        machine = work_out(machine)
    return machine


def _work_out(machine: Machine, key: str, value: object, source: str) -> Machine:
    return put(machine, key, value, Origin("worked out", source))


def _bits(machine: Machine) -> Machine:
    processor, system = machine.processor, machine.system
    if system.os_bits is None and system.architecture in BITS_OF:
        bits = BITS_OF[system.architecture]
        machine = _work_out(
            machine, "system.os_bits", bits, f"a system built for {system.architecture}"
        )
    if processor.bits is None and processor.architecture in BITS_OF:
        machine = _work_out(
            machine,
            "processor.bits",
            BITS_OF[processor.architecture],
            f"architecture {processor.architecture}",
        )
    elif processor.bits is None and machine.system.os_bits == 64:
        machine = _work_out(machine, "processor.bits", 64, "a 64-bit system runs on it")
    return machine


def _addressable(machine: Machine) -> Machine:
    if machine.memory.addressable is None and machine.system.os_bits == 32:
        return _work_out(
            machine, "memory.addressable", ADDRESSABLE_32, "the running system is a 32-bit one"
        )
    return machine


def _installed(machine: Machine) -> Machine:
    memory = machine.memory
    if memory.installed is not None:
        return machine
    sizes = [module.size for module in memory.modules or []]
    doubted = any("memory.modules" in doubt.about for doubt in machine.doubts)
    if sizes and None not in sizes and not doubted:
        total = sum(size or 0 for size in sizes)
        return _work_out(machine, "memory.installed", total, f"{len(sizes)} positions listed")
    if not memory.usable or at_limit(memory.usable, machine.system.os_bits, memory.addressable):
        return machine
    return _work_out(
        machine,
        "memory.installed",
        fitted_total(memory.usable, machine.system.virtual),
        f"{format_memory(memory.usable, 2)} usable",
    )


def _level(machine: Machine) -> Machine:
    processor = machine.processor
    origin = machine.origins.get("processor.instructions")
    if processor.level is None and origin and origin.how == "read":
        level = highest_level(processor.instructions or [], processor.bits)
        return _work_out(machine, "processor.level", level, "the instruction sets")
    return machine
