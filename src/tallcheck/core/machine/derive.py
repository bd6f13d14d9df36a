"""Readings that follow from other readings, worked out once, in one place."""

from collections.abc import Collection

from msgspec import structs

from tallcheck.core.machine.amounts import BY_MODULES, Amounts, completed
from tallcheck.core.machine.instructions import highest_level
from tallcheck.core.machine.modules import bytes_in
from tallcheck.core.machine.readings import get, put_all
from tallcheck.core.machine.sheet import Machine, Origin
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.values.either import UNKNOWN
from tallcheck.core.values.quantities import format_memory

BY_NAME = "the processor's name"
BY_MODEL = "the processor's model"
BY_LIST = "the modules listed"
USUAL = ("x86", "x86-64", "arm", "arm64")
"""Architectures of nearly all machines: what one of which nothing is known may have."""
BITS_OF = {
    "x86": 32, "x86-64": 64, "arm": 32, "arm64": 64, "riscv64": 64, "riscv32": 32, "ppc64le": 64,
    "ppc64": 64, "ppc": 32, "s390x": 64, "loongarch64": 64, "mips64": 64, "mips": 32, "ia64": 64,
    "sparc64": 64, "sparc": 32, "alpha": 64, "parisc": 32, "m68k": 32, "sh4": 32,
}  # fmt: skip
"""The bits of each architecture (of PA-RISC those of its programs)."""


def complete(machine: Machine, vocabulary: Vocabulary, leave: Collection[str] = ()) -> Machine:
    """The machine with what follows from its readings worked out; no reading is replaced.

    Keys of ``leave`` stay as they are, unknown ones too.
    """
    machine = _without_persistent(machine)
    machine = _named(machine, leave, vocabulary)
    machine = _bits(machine, leave, vocabulary)
    machine = _amounts(machine, leave, vocabulary)
    machine = _level(machine, leave)
    return _family(machine, leave, vocabulary)


def _without_persistent(machine: Machine) -> Machine:
    """The machine without positions that persistent modules hold: these are no main memory."""
    memory = machine.memory
    held = sum(bool(one.persistent) for one in memory.modules or ())
    if not held:
        return machine
    left = [one for one in memory.modules or () if not one.persistent]
    slots = None if memory.slots is None else max(memory.slots - held, 0)
    memory = structs.replace(memory, modules=left, slots=slots)
    return structs.replace(machine, memory=memory)


def _work_out(machine: Machine, leave: Collection[str], *those: tuple[str, object, str]) -> Machine:
    """The machine with those readings, each with its source, that are not known."""
    found = {
        key: (value, Origin("worked out", source))
        for key, value, source in those
        if key not in leave and get(machine, key) is None
    }  # fmt: skip
    return put_all(machine, found) if found else machine


def _named(machine: Machine, leave: Collection[str], vocabulary: Vocabulary) -> Machine:
    """What the processor's name tells: maker, line, generation, and what all of its line have."""
    processor = machine.processor
    read = machine.origins.get("processor.instructions")
    whole = read is not None and read.how == "read" and processor.instructions is not None
    if None not in (processor.maker, processor.line, processor.generation, processor.bits,
                    processor.architecture) and (whole or processor.level):  # fmt: skip
        return machine  # as of every gathered sheet: the rules need not be read at all
    if processor.name is None or "processor.name" in leave:
        named = None
    else:
        named = vocabulary.processors.named(processor.name)
    if named is None:
        line = vocabulary.processors.line(processor.line) if processor.line else None
        every = f"all {line.name} processors have it" if line is not None else ""
        return _of_kind(machine, line.architecture if line is not None else "", leave, every)
    told = (
        ("processor.maker", named.maker or None), ("processor.line", named.line),
        ("processor.generation", named.generation),
    )  # fmt: skip
    machine = _work_out(
        machine, leave, *((key, value, BY_NAME) for key, value in told if value is not None)
    )
    machine = _of_kind(machine, named.architecture, leave, BY_NAME)
    note = f"{processor.name}: {named.note}"
    if named.note and note not in machine.notes:
        machine = structs.replace(machine, notes=[*machine.notes, note])
    machine = _counted(machine, leave, vocabulary)
    x86 = machine.processor.architecture in (None, "x86-64")
    if named.level is not None and x86 and not whole and not machine.system.virtual:
        machine = _work_out(machine, leave, ("processor.level", named.level, BY_NAME))
    return machine


def _counted(machine: Machine, leave: Collection[str], vocabulary: Vocabulary) -> Machine:
    """Cores and threads of a model that is listed, where neither is known.

    Where one is, the other may be less than the model's: some may be switched off.
    """
    processor = machine.processor
    if machine.system.virtual or not processor.name or {"processor.sockets", *_COUNTS} & {*leave}:
        return machine
    if processor.cores is not None or processor.threads is not None:
        return machine
    found = vocabulary.processors.counts(processor.name)
    if found is None:
        return machine
    sockets = processor.sockets or 1
    counts = zip(_COUNTS, (found.cores * sockets, found.threads * sockets), strict=True)
    return _work_out(machine, leave, *((key, n, BY_MODEL) for key, n in counts))


_COUNTS: tuple[str, str] = ("processor.cores", "processor.threads")


def bits_by_line(name: str | None, line: str | None, vocabulary: Vocabulary) -> float:
    """The bits that all of a line have, told by it or by a processor's name; NaN where unknown."""
    processors = vocabulary.processors
    named = processors.named(name) if name else None
    found = named if named is not None else processors.line(line or "")
    return UNKNOWN if found is None else float(BITS_OF.get(found.architecture, UNKNOWN))


def fixed_by_line(name: str | None, line: str | None, vocabulary: Vocabulary) -> float:
    """1 where the memory of every machine with such a processor is fixed to it, 0 else."""
    processors = vocabulary.processors
    named = processors.named(name) if name else None
    found = named if named is not None else processors.line(line or "")
    return float(found is not None and found.memory == "fixed")


def has_fixed_memory(machine: Machine, vocabulary: Vocabulary) -> bool:
    """Whether all such machines have their memory fixed, by their processor or their model."""
    system, processor = machine.system, machine.processor
    return not system.virtual and bool(
        fixed_by_line(processor.name, processor.line, vocabulary)
        or vocabulary.models.fixed(system.maker, system.model)
    )


def _of_kind(machine: Machine, kind: str, leave: Collection[str], source: str) -> Machine:
    """Architecture and bits, where nothing known of the processor says otherwise."""
    bits, architecture = machine.processor.bits, machine.processor.architecture
    if kind not in BITS_OF or bits not in (None, BITS_OF[kind]):
        return machine
    if architecture not in (None, kind):
        return machine
    return _work_out(
        machine, leave, ("processor.architecture", kind, source),
        ("processor.bits", BITS_OF[kind], source),
    )  # fmt: skip


def _family(machine: Machine, leave: Collection[str], vocabulary: Vocabulary) -> Machine:
    system = machine.system
    if system.os is None or system.family is not None or "system.os" in leave:
        return machine
    family = vocabulary.systems.family(system.os)
    if family is None:
        return machine
    return _work_out(machine, leave, ("system.family", family, f"{system.os} is one of them"))


def bits_by_system(name: str | None, version: str | None, vocabulary: Vocabulary) -> float:
    """The bits that all of a system's version have; NaN where they differ or none are known."""
    found = vocabulary.systems.bits(name, version) if name and version else None
    return UNKNOWN if found is None else float(found)


def _bits(machine: Machine, leave: Collection[str], vocabulary: Vocabulary) -> Machine:
    system = machine.system
    parts = (
        (system.architecture, "system.os_bits", "a system built for "),
        (machine.processor.architecture, "processor.bits", "architecture "),
    )
    machine = _work_out(
        machine, leave,
        *((key, BITS_OF[word], label + word) for word, key, label in parts if word in BITS_OF),
    )  # fmt: skip
    if machine.system.os_bits is not None or {"system.os", "system.os_version"} & {*leave}:
        return machine
    own = bits_by_system(system.os, system.os_version, vocabulary)
    if own != own:
        return machine
    source = f"its name: {system.os} {system.os_version} comes with {own:.0f} bits only"
    return _work_out(machine, leave, ("system.os_bits", int(own), source))


def amounts_of(machine: Machine, vocabulary: Vocabulary) -> Amounts:
    """The machine's memory as amounts, as the sheet has them."""
    memory, system = machine.memory, machine.system
    return Amounts(
        _number(memory.installed), _number(memory.usable), _number(memory.available),
        _number(memory.ceiling), _number(memory.position_most), _number(memory.addressable),
        _number(memory.limit), _number(memory.slots),
        bytes_in(memory.modules), UNKNOWN,
        UNKNOWN if memory.slots is not None else float(has_fixed_memory(machine, vocabulary)),
        _number(machine.processor.bits), _number(system.os_bits),
        _number(system.virtual),
    )  # fmt: skip


def _number(value: int | None) -> float:
    return UNKNOWN if value is None else float(value)


def _amounts(machine: Machine, leave: Collection[str], vocabulary: Vocabulary) -> Machine:
    memory = machine.memory
    found = completed(amounts_of(machine, vocabulary))
    if found.how == BY_MODULES:
        source = BY_LIST
    else:
        source = f"{format_memory(memory.usable or 0, 2)} usable"
    amounts = (
        ("system.os_bits", found.os_bits, "the processor has 32 bits"),
        ("processor.bits", found.bits, "a 64-bit system runs on it"),
        ("memory.addressable", found.addressable, "the running system is a 32-bit one"),
        ("memory.installed", found.installed, source),
        ("memory.usable", found.usable, "what the running system can address"),
        ("memory.slots", found.slots, "the memory of every such machine is fixed to its board"),
    )
    return _work_out(
        machine, leave, *((key, int(value), why) for key, value, why in amounts if value == value)
    )


def _level(machine: Machine, leave: Collection[str]) -> Machine:
    processor = machine.processor
    origin = machine.origins.get("processor.instructions")
    if origin and origin.how == "read" and processor.instructions is not None:
        level = highest_level(processor.instructions, processor.bits)
        if level is not None:
            machine = _work_out(machine, leave, ("processor.level", level, "the instruction sets"))
    return machine
