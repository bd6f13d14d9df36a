"""A machine sheet for reading in a terminal, and a search through it."""

from typing import Any

from msgspec import to_builtins
from msgspec.inspect import Type, type_info

from tallcheck.core.machine.instructions import missing_for_next
from tallcheck.core.machine.sheet import Machine, Module
from tallcheck.core.values import quantities as q
from tallcheck.core.values.kinds import KINDS
from tallcheck.core.values.structures import alternatives, inside, kind_named
from tallcheck.report.check_view import cut, section
from tallcheck.report.plain import Line, Page, wrap

_BOX = 18  # columns of one position in the drawing, its frame included
_DRAWN_MOST = 16


def sheet_lines(machine: Machine, page: Page) -> list[Line]:
    """The whole view: doubts, memory with its positions, processor, system, storage, the rest."""
    lines: list[Line] = [[(machine.name, "strong"), (_subtitle(machine), "dim")]]
    doubts = [f"{one.text} ({', '.join(one.about)})" for one in machine.doubts]
    lines += section("In doubt", doubts, page, "bad")
    for title, facts in (
        ("Memory", _memory(machine)),
        ("Processor", _processor(machine)),
        ("System", _system(machine)),
        ("Storage", _storage(machine)),
        ("Graphics", _graphics(machine)),
    ):
        lines += _facts(title, facts, page)
        if title == "Memory":
            lines += slots_drawing(machine, page)
    if machine.software is not None:
        count = len(machine.software)
        lines += _facts("Programs", [("installed", f"{count}; --find NAME searches them")], page)
    if machine.extra:
        extra = [(key, str(value)) for key, value in machine.extra.items()]
        lines += _facts("Told besides", extra, page)
    lines += section("Notes", list(machine.notes), page, "dim")
    if page.verbose:
        lines += [[], *every_reading_lines(machine, page)]
    return lines


def _subtitle(machine: Machine) -> str:
    system = machine.system
    words = [" ".join(filter(None, (system.maker, system.model)))]
    words.append("virtual machine" if system.virtual else (system.shape or ""))
    if machine.gathered:
        words.append(f"gathered {machine.gathered}")
    text = ", ".join(word for word in words if word)
    return f"  {text}" if text else ""


def _facts(title: str, facts: list[tuple[str, str]], page: Page) -> list[Line]:
    if not facts:
        return [[], [(title, "strong"), ("  nothing known", "dim")]]
    lines: list[Line] = [[], [(title, "strong")]]
    for label, value in facts:
        lines += wrap(value, page.width, " " * 22, first=f"  {label:<20}")
    return lines


def _share_out(parts: list[tuple[str, Any]]) -> list[tuple[str, str]]:
    return [(label, str(value)) for label, value in parts if value not in (None, "")]


def _size(value: int | None) -> str | None:
    return None if value is None else q.format_memory(value)


def _memory(machine: Machine) -> list[tuple[str, str]]:
    memory = machine.memory
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


def slots_drawing(machine: Machine, page: Page) -> list[Line]:
    """The positions side by side: what sits in each, what is free."""
    memory = machine.memory
    modules = list(memory.modules or [])
    if not modules:
        return []
    free = min(max((memory.slots or 0) - len(modules), 0), 64)
    return positions_drawing([*modules, *[Module(size=0)] * free], page)


def positions_drawing(modules: list[Module], page: Page) -> list[Line]:
    """Positions side by side, or as a list where they are many; an empty line comes first."""
    if len(modules) > _DRAWN_MOST:
        return _slots_list(modules, page)
    lines: list[Line] = [[]]
    across = max((page.width - 2) // (_BOX + 1), 1)
    for at in range(0, len(modules), across):
        row = modules[at : at + across]
        frame = "─" * (_BOX - 2)
        lines.append([("  " + " ".join(f"┌{frame}┐" for _ in row), "dim")])
        for texts in zip(*(_in_box(one, at + n) for n, one in enumerate(row)), strict=True):
            line: Line = [("  ", "")]
            for module, text in zip(row, texts, strict=True):
                style = "good" if module.size == 0 else ""
                line += [
                    ("│", "dim"),
                    (f" {cut(text, _BOX - 4):<{_BOX - 3}}", style),
                    ("│ ", "dim"),
                ]
            lines.append(line)
        lines.append([("  " + " ".join(f"└{frame}┘" for _ in row), "dim")])
    return lines


def _in_box(module: Module, at: int) -> tuple[str, str, str, str]:
    slot = module.slot or f"position {at + 1}"
    if module.size == 0:
        return slot, "free", "", ""
    size = "size unknown" if module.size is None else q.format_memory(module.size)
    if module.fixed:
        size += ", soldered"
    kind = " ".join(filter(None, (module.type, module.form if module.form != module.type else "")))
    speed = q.format_speed(module.speed) if module.speed else ""
    if module.running and module.speed and module.running < module.speed - 1:
        speed = f"{module.running}/{module.speed} MT/s"
    return slot, size, kind, speed


def _slots_list(modules: list[Module], page: Page) -> list[Line]:
    lines: list[Line] = [[]]
    for at, module in enumerate(modules):
        slot, size, kind, speed = _in_box(module, at)
        style = "good" if module.size == 0 else ""
        lines.append(
            [(f"  {cut(slot, 24):<26}{cut(f'{size} {kind} {speed}', page.width - 30)}", style)]
        )
    return lines


def _processor(machine: Machine) -> list[tuple[str, str]]:
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


def _system(machine: Machine) -> list[tuple[str, str]]:
    system, firmware = machine.system, machine.firmware
    name = " ".join(filter(None, (system.os, system.os_version)))
    bits = f"{system.os_bits}-bit" if system.os_bits else ""
    version = " of ".join(filter(None, (firmware.version, firmware.date)))
    return _share_out(
        [
            ("runs", ", ".join(filter(None, (name, bits, system.architecture)))),
            ("firmware", ", ".join(filter(None, (firmware.mode, version)))),
            ("secure boot", firmware.secure_boot),
            ("security module", firmware.security_module),
        ]
    )


def _storage(machine: Machine) -> list[tuple[str, str]]:
    facts = []
    for volume in machine.storage or []:
        parts = []
        if volume.size is not None:
            parts.append(q.format_storage(volume.size))
        if volume.free is not None:
            parts.append(f"{q.format_storage(volume.free)} free")
        if volume.drive is not None:
            parts.append(f"on a drive of {q.format_storage(volume.drive)}")
        words = (volume.kind, "external" if volume.external else None,
                 "encrypted" if volume.encrypted else None,
                 "holds the system" if volume.system else None)  # fmt: skip
        parts += [word for word in words if word]
        facts.append((cut(volume.mount or "volume", 18), ", ".join(parts) or "size unknown"))
    return facts


def _graphics(machine: Machine) -> list[tuple[str, str]]:
    facts = [
        ("adapter", f"{one.name or 'unnamed'}{f', {_size(one.memory)}' if one.memory else ''}")
        for one in machine.graphics or []
    ]
    return facts + ([("display", machine.display)] if machine.display else [])


# --- every reading, and the search ---------------------------------------------------------


def flat(machine: Machine) -> list[tuple[str, str, str]]:
    """Every reading: its key, its value as text, and where it is from."""
    found: list[tuple[str, str, str]] = []
    raw = to_builtins(machine)
    for key in ("tallcheck", "origins"):
        raw.pop(key, None)

    def walk(value: Any, key: str, kinds: list[Type]) -> None:
        if isinstance(value, dict):
            for name, inner in value.items():
                walk(inner, f"{key}.{name}" if key else name, inside(kinds, name))
        elif isinstance(value, list) and value and isinstance(value[0], dict):
            for at, inner in enumerate(value):
                walk(inner, f"{key}[{at}]", inside(kinds, at))
        else:
            found.append((key, _value_text(value, kinds), _origin_of(machine, key)))

    walk(raw, "", alternatives(type_info(Machine)))
    return found


def _value_text(value: Any, kinds: list[Type]) -> str:
    if isinstance(value, list):
        return ", ".join(map(str, value)) or "none"
    return KINDS[kind_named(kinds) or "text"].show(value)


def _origin_of(machine: Machine, key: str) -> str:
    """Where a reading is from: its own origin, or that of the list it stands in."""
    while key:
        origin = machine.origins.get(key)
        if origin:
            return f"{origin.how}: {origin.source}" if origin.source else origin.how
        cut_at = max(key.rfind("."), key.rfind("["))
        key = key[:cut_at] if cut_at > 0 else ""
    return ""


def every_reading_lines(machine: Machine, page: Page) -> list[Line]:
    """Every reading with its origin."""
    return _reading_lines(flat(machine), page)


def find_lines(machine: Machine, word: str, page: Page) -> list[Line]:
    """The readings whose key or value has a word in it; case makes no difference."""
    everything = flat(machine)
    wanted = word.lower()
    found = []
    for key, value, origin in everything:
        if wanted in key.lower() or wanted in value.lower():
            if len(value) > page.width and wanted in value.lower():
                value = ", ".join(part for part in value.split(", ") if wanted in part.lower())
            found.append((key, value, origin))
    if not found:
        text = f"Nothing has '{word}' in it; {len(everything)} readings were searched."
        return wrap(text, page.width)
    return _reading_lines(found, page)


def _reading_lines(readings: list[tuple[str, str, str]], page: Page) -> list[Line]:
    lines: list[Line] = []
    for key, value, origin in readings:
        lines += wrap(value, page.width, " " * 30, first=f"{cut(key, 28):<30}")
        if origin:
            lines[-1].append((f"  ({origin})", "dim"))
            if sum(len(text) for text, _ in lines[-1]) > page.width:
                lines[-1].pop()
                lines += wrap(f"({origin})", page.width, " " * 32, "dim")
    return lines
