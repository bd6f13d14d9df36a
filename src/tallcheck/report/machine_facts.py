"""What is known of a machine as labels and texts, part by part: for a terminal, a page, a table."""

from typing import Any

from msgspec import Struct

from tallcheck.core.machine.instructions import missing_for_next
from tallcheck.core.machine.sheet import Machine, Memory, Module
from tallcheck.core.values import quantities as q
from tallcheck.report.formats import Table

MEMORY, POSITIONS = "Memory", "Memory, by position"
_OF_THE_SYSTEM = ("os_edition", "os_release", "os_build", "os_installed")
"""What is told besides, and shown with the system; of graphics the driver's model."""
_DRIVER = "driver_model"

Facts = list[tuple[str, str]]


class Part(Struct, frozen=True):
    """A part of a machine, with a label and a text for all that is known of it."""

    title: str
    facts: Facts


def facts_of(machine: Machine) -> list[Part]:
    """All parts; those of which nothing is known have no facts."""
    found = [
        Part(MEMORY, _memory(machine)), Part("Processor", _processor(machine)),
        Part("System", _system(machine)), Part("Storage", _storage(machine)),
        Part("Graphics", _graphics(machine)),
    ]  # fmt: skip
    if machine.software is not None:
        count = f"{len(machine.software)}; --find NAME searches them"
        found.append(Part("Programs", [("installed", count)]))
    shown = (*_OF_THE_SYSTEM, _DRIVER)
    extra = [(key, str(value)) for key, value in (machine.extra or {}).items() if key not in shown]
    return [*found, Part("Other readings", extra)] if extra else found


_MODULES = ("position", "size", "type", "form", "rated", "running", "channel", "rank", "voltage",
            "maker", "part")  # fmt: skip


def modules_table(machine: Machine) -> Table | None:
    """What sits in each position; None where that is not known. Columns that are empty are out."""
    rows = [_module(one, at) for at, one in enumerate(machine.memory.modules or [])]
    filled = [at for at in range(len(_MODULES)) if any(row[at] for row in rows)]
    if not rows:
        return None
    head = tuple(_MODULES[at] for at in filled)
    return Table(POSITIONS, head, tuple(tuple(row[at] for at in filled) for row in rows))


def how_held(module: Module) -> str:
    """What keeps a module from counting, or from coming out, to be put behind its size."""
    return ", soldered" if module.fixed else ", persistent" if module.persistent else ""


def _module(module: Module, at: int) -> tuple[str, ...]:
    name = module.slot or f"position {at + 1}"
    if module.size == 0:
        return (name, "free", *[""] * (len(_MODULES) - 2))
    speeds = [q.format_speed(one) if one else "" for one in (module.speed, module.running)]
    return (
        name, (_size(module.size) or "unknown") + how_held(module),
        module.type or "", module.form or "", *speeds, module.channel or "",
        str(module.rank or ""), f"{module.voltage / 1000:g} V" if module.voltage else "",
        module.maker or "", module.part or "",
    )  # fmt: skip


def positions_of(machine: Machine) -> Facts:
    """Each position by its name, with all that is known of what sits in it in one text."""
    words = {"running": "runs at {}", "channel": "channel {}", "rank": "rank {}"}
    found = []
    for at, one in enumerate(machine.memory.modules or []):
        name, *cells = _module(one, at)
        named = zip(_MODULES[1:], cells, strict=True)
        texts = [words.get(label, "{}").format(cell) for label, cell in named if cell]
        found.append((name, ", ".join(texts)))
    return found


def programs_table(machine: Machine) -> Table | None:
    """The programs that are installed, by name; None where no list of them is known."""
    if machine.software is None:
        return None
    rows = sorted((one.name, one.version or "") for one in machine.software)
    return Table("Programs", ("name", "version"), tuple(rows))


def tables_of(machine: Machine, programs: bool) -> list[Table]:
    """The machine as tables: doubts, the facts of each part, positions, and programs if asked."""
    doubts = tuple((", ".join(one.about), one.text) for one in machine.doubts)
    found = [Table("In doubt", ("about", "what"), doubts)] if doubts else []
    for part in facts_of(machine):
        if part.facts:
            found.append(Table(part.title, ("what", "is"), tuple(part.facts)))
        if part.title == MEMORY:
            found += filter(None, [modules_table(machine)])
    return found + ([table] if programs and (table := programs_table(machine)) else [])


def _share_out(parts: list[tuple[str, Any]]) -> Facts:
    return [(label, str(value)) for label, value in parts if value not in (None, "")]


def _size(value: int | None) -> str | None:
    return None if value is None else q.format_memory(value)


def kept_back(memory: Memory) -> int | None:
    """Bytes that firmware, graphics and the kernel keep of what is fitted; None: none is known."""
    if memory.installed is None or memory.usable is None:
        return None
    return max(memory.installed - memory.usable, 0) or None


def _memory(machine: Machine) -> Facts:
    memory, kept = machine.memory, kept_back(machine.memory)
    origin = machine.origins.get("memory.installed")
    fitted = _size(memory.installed)
    if fitted and origin and origin.how == "worked out":
        fitted += f" (worked out from {origin.source})"
    swap = _size(memory.swap)
    if memory.swap == 0:
        swap = "none"
    elif swap and memory.swap_used is not None:
        swap += f", {_size(memory.swap_used)} in use"
    limits = [f"{_size(memory.ceiling)} in all"] if memory.ceiling else []
    if memory.position_most:
        limits.append(f"{_size(memory.position_most)} in one position")
    return _share_out(
        [
            ("fitted", fitted),
            ("usable", _size(memory.usable)),
            ("kept back", None if kept is None else f"{kept / q.MIB:,.0f} MB"),
            ("available now", _size(memory.available)),
            ("board takes", ", ".join(limits)),
            ("system addresses", _size(memory.addressable)),
            ("positions", _positions(machine)),
            ("swap", swap),
        ]
    )


def _positions(machine: Machine) -> str | None:
    memory = machine.memory
    if memory.slots is None:
        return None
    if memory.modules is None:
        return f"{memory.slots}"
    filled = sum(1 for module in memory.modules if module.size != 0)
    fixed = sum(1 for module in memory.modules if module.fixed)
    free = max(memory.slots - filled, 0)
    text = f"{memory.slots}, {free} free" if free else f"{memory.slots}, none free"
    return text + (f", {fixed} soldered" if fixed else "")


def _processor(machine: Machine) -> Facts:
    processor = machine.processor
    cores = None if processor.cores is None else str(processor.cores)
    if cores and processor.cores_by_kind:
        kinds = ", ".join(f"{n} {kind}" for kind, n in processor.cores_by_kind.items())
        cores += f" ({kinds})"
    if processor.sockets and processor.sockets > 1:
        cores = f"{cores or 'unknown'} in {processor.sockets} sockets"
    line = processor.line
    if line and processor.generation is not None:
        line += f", generation {processor.generation}"
    clock = q.format_clock(processor.clock) if processor.clock else None
    if processor.clock_most:
        clock = f"{clock or 'nominal unknown'}, highest {q.format_clock(processor.clock_most)}"
    bits = f"{processor.bits}-bit" if processor.bits else None
    architecture = ", ".join(filter(None, (processor.architecture, bits)))
    sets = processor.instructions
    told = machine.origins.get("processor.instructions")
    partial = "" if told and told.how == "read" else " (not all are known)"
    caches = ", ".join(
        f"{name} {cache.count or ''}{' × ' if cache.count else ''}{_size(cache.size)}"
        for name, cache in (processor.caches or {}).items()
        if cache.size
    )
    return _share_out(
        [
            ("name", processor.name),
            ("line", line),
            ("cores", cores),
            ("threads", processor.threads),
            ("clock", clock),
            ("architecture", architecture),
            ("level", _level(machine)),
            ("instruction sets", f"{len(sets)} known{partial}" if sets else None),
            ("hidden", ", ".join(processor.hidden or [])),
            ("caches", caches),
            ("virtualization", processor.virtualization),
        ]
    )


def _level(machine: Machine) -> str | None:
    """The x86-64 level, and what the next one would need where that is known."""
    processor = machine.processor
    told = machine.origins.get("processor.instructions")
    if processor.bits != 64 or processor.architecture != "x86-64":
        return processor.level
    if not (told and told.how == "read") or processor.instructions is None:
        return processor.level
    following = missing_for_next(processor.instructions, processor.bits)
    if following is None:
        return processor.level
    level, missing = following
    return f"{processor.level or 'none'}; {level} lacks {', '.join(missing)}"


def _system(machine: Machine) -> Facts:
    system, firmware = machine.system, machine.firmware
    edition, release, build, when = ((machine.extra or {}).get(one) for one in _OF_THE_SYSTEM)
    words = (system.os, system.os_version, edition, release)
    name = " ".join(str(one) for one in words if one)
    bits = f"{system.os_bits}-bit" if system.os_bits else ""
    version = " of ".join(filter(None, (firmware.version, firmware.date)))
    return _share_out(
        [
            ("runs", ", ".join(filter(None, (name, bits, system.architecture)))),
            ("kernel", system.kernel),
            ("build", build),
            ("installed on", when),
            ("firmware", ", ".join(filter(None, (firmware.mode, version)))),
            ("secure boot", firmware.secure_boot),
            ("security module", firmware.security_module),
        ]
    )


def _storage(machine: Machine) -> Facts:
    facts = []
    for volume in machine.storage or []:
        parts = []
        if volume.size is not None:
            parts.append(q.format_storage(volume.size))
        if volume.free is not None:
            parts.append(f"{q.format_storage(volume.free)} free")
        if volume.size is not None and volume.free is not None and volume.size >= volume.free:
            parts.append(f"{q.format_storage(volume.size - volume.free)} stored")
        if volume.drive is not None:
            parts.append(f"on a drive of {q.format_storage(volume.drive)}")
        words = (volume.kind, "external" if volume.external else None,
                 "encrypted" if volume.encrypted else None,
                 "holds the system" if volume.system else None)  # fmt: skip
        parts += [word for word in words if word]
        facts.append((volume.mount or "volume", ", ".join(parts) or "size unknown"))
    return facts


def _graphics(machine: Machine) -> Facts:
    facts = []
    for one in machine.graphics or []:
        interfaces = [f"{name} {version}" for name, version in (one.api or {}).items()]
        texts = (one.name or "unnamed", _size(one.memory), *interfaces)
        facts.append(("adapter", ", ".join(filter(None, texts))))
    driver, display = (machine.extra or {}).get(_DRIVER), machine.display
    return facts + _share_out([("driver model", driver), ("display", display)])
