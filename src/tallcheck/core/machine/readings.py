"""The readings of a machine sheet by their dotted keys: kind, label, how to get and set one."""

from collections.abc import Collection, Mapping
from typing import Any

from msgspec import Struct, structs

from tallcheck.core.machine.sheet import (
    COUNT_MOST,
    POSITIONS_MOST,
    SIZE_MOST,
    Graphics,
    Machine,
    Origin,
    Volume,
    system_volume,
)
from tallcheck.core.values.errors import InputError, nearest

# kind and label of each reading that holds one value
_KINDS: dict[str, tuple[str, str]] = {
    "memory.installed": ("memory", "memory fitted"),
    "memory.usable": ("memory", "memory the system can use"),
    "memory.available": ("memory", "memory available now"),
    "memory.swap": ("memory", "swap space"),
    "memory.swap_used": ("memory", "swap space in use"),
    "memory.ceiling": ("memory", "most memory the board takes"),
    "memory.position_most": ("memory", "largest module a position takes"),
    "memory.addressable": ("memory", "memory the system can address"),
    "memory.slots": ("count", "memory positions"),
    "memory.modules": ("modules", "memory modules"),
    "processor.name": ("text", "processor"),
    "processor.maker": ("text", "processor's maker"),
    "processor.line": ("text", "processor line"),
    "processor.generation": ("count", "processor generation"),
    "processor.sockets": ("count", "sockets"),
    "processor.cores": ("count", "cores"),
    "processor.threads": ("count", "threads"),
    "processor.bits": ("bits", "bits of the processor"),
    "processor.architecture": ("text", "architecture of the processor"),
    "processor.clock": ("clock", "nominal clock"),
    "processor.clock_most": ("clock", "highest clock"),
    "processor.instructions": ("sets", "instruction sets"),
    "processor.hidden": ("sets", "hidden instruction sets"),
    "processor.level": ("text", "x86-64 level"),
    "processor.virtualization": ("text", "virtualization"),
    "system.maker": ("text", "maker"),
    "system.model": ("text", "model"),
    "system.shape": ("text", "shape of the machine"),
    "system.virtual": ("flag", "virtual machine"),
    "system.os": ("text", "operating system"),
    "system.os_version": ("text", "version of the system"),
    "system.family": ("text", "family of the system"),
    "system.kernel": ("text", "version of the kernel"),
    "system.os_bits": ("bits", "bits of the running system"),
    "system.architecture": ("text", "architecture of the running system"),
    "firmware.mode": ("text", "firmware mode"),
    "firmware.secure_boot": ("text", "secure boot"),
    "firmware.version": ("text", "firmware version"),
    "firmware.date": ("text", "firmware date"),
    "firmware.security_module": ("text", "security module"),
    "storage.size": ("storage", "size of the system volume"),
    "storage.free": ("storage", "free on the system volume"),
    "storage.drive": ("storage", "size of the system drive"),
    "storage.kind": ("text", "kind of the system drive"),
    "graphics.memory": ("memory", "graphics memory"),
    "graphics": ("graphics", "graphics interfaces"),
    "display": ("text", "display"),
    "software": ("software", "installed programs"),
}

_OTHER_LABELS = {
    "storage.data": "volumes for data",
    "usage.memory_use": "memory in use over time",
    "usage.cores_use": "cores busy over time",
}

SHORT_NAMES = {
    "memory": "memory.installed",
    "modules": "memory.modules",
    "slots": "memory.slots",
    "usable": "memory.usable",
    "available": "memory.available",
    "ceiling": "memory.ceiling",
    "cores": "processor.cores",
    "threads": "processor.threads",
    "clock": "processor.clock",
    "processor": "processor.name",
    "generation": "processor.generation",
    "line": "processor.line",
    "instructions": "processor.instructions",
    "level": "processor.level",
    "processor_bits": "processor.bits",
    "architecture": "processor.architecture",
    "virtualization": "processor.virtualization",
    "os": "system.os",
    "os_version": "system.os_version",
    "os_bits": "system.os_bits",
    "shape": "system.shape",
    "virtual": "system.virtual",
    "os_family": "system.family",
    "model": "system.model",
    "maker": "system.maker",
    "storage": "storage.drive",
    "storage_free": "storage.free",
    "storage_kind": "storage.kind",
    "security_module": "firmware.security_module",
    "firmware": "firmware.mode",
    "secure_boot": "firmware.secure_boot",
    "graphics_memory": "graphics.memory",
}
TRADE_WORDS = {
    "ram": "memory.installed",
    "cpu": "processor.name",
    "system": "system.os",
    "disk": "storage.drive",
    "drive": "storage.drive",
    "ssd": "storage.drive",
    "hdd": "storage.drive",
    "free": "storage.free",
    "tpm": "firmware.security_module",
    "gpu": "graphics",
    "vram": "graphics.memory",
    "bits": "system.os_bits",
}
"""What the trade says for some of them."""

# which readings a worked-out reading was worked out from
WORKED_OUT_FROM = {
    "memory.installed": ("memory.modules", "memory.usable", "memory.addressable", "system.virtual"),
    "memory.usable": ("memory.installed", "memory.addressable"),
    "memory.addressable": ("system.os_bits",),
    "memory.slots": ("memory.modules",),
    "processor.level": ("processor.instructions", "processor.bits", "processor.name"),
    "processor.bits": (
        "processor.architecture",
        "system.os_bits",
        "processor.name",
        "processor.line",
    ),
    "processor.architecture": (
        "processor.bits",
        "processor.instructions",
        "processor.name",
        "processor.line",
    ),
    "processor.maker": ("processor.name",),
    "processor.line": ("processor.name",),
    "processor.generation": ("processor.name", "processor.line"),
    "processor.clock": ("processor.name",),
    "system.os_bits": ("system.architecture", "processor.bits", "system.os", "system.os_version"),
    "system.architecture": ("system.os_bits",),
    "system.family": ("system.os",),
    "storage.data": ("storage.size",),
    "graphics": ("graphics.memory",),
}


class Told(Struct, frozen=True):
    """One reading as somebody told it: its key and its value."""

    key: str
    value: Any


NEVER_ZERO = frozenset({
    "memory.installed", "memory.usable", "processor.cores", "processor.threads",
    "processor.sockets", "processor.clock", "processor.clock_most", "processor.bits",
})  # fmt: skip
"""Readings of which every machine has some: a zero is a fault, not a fact."""


_MOST = {"memory": SIZE_MOST, "storage": SIZE_MOST, "clock": SIZE_MOST, "count": COUNT_MOST}


def in_bounds(told: list[Told]) -> list[Told]:
    """The same. Raises InputError where a number is told that no sheet takes."""
    for one in told:
        if one.key in NEVER_ZERO and one.value == 0:
            raise InputError(f"found 0 for the {label_of(one.key)}", "one or more")
        most = POSITIONS_MOST if one.key == "memory.slots" else _MOST.get(kind_of(one.key))
        if most is not None and isinstance(one.value, int) and one.value > most:
            raise InputError(f"found {one.value} for the {label_of(one.key)}", f"at most {most}")
    return told


def kind_of(key: str) -> str:
    """The kind of value that a reading holds: ``memory``, ``storage``, ``count`` …"""
    return "text" if key.startswith("extra.") else _KINDS[key][0]


def label_of(key: str) -> str:
    """What people call a reading: ``memory fitted``."""
    if key in _KINDS:
        return _KINDS[key][1]
    return _OTHER_LABELS.get(key, key.removeprefix("extra."))


def keys() -> Collection[str]:
    """Every dotted key that can be told, in the sheet's order."""
    return _KINDS.keys()


def get(machine: Machine, key: str) -> Any:
    """The value of a reading, or None where it is unknown."""
    if key.startswith("extra."):
        return (machine.extra or {}).get(key.removeprefix("extra."))
    if key in ("display", "software", "graphics"):
        return getattr(machine, key)
    section, _, name = key.partition(".")
    if section == "storage":
        volume = system_volume(machine)
        return getattr(volume, name) if volume else None
    if section == "graphics":
        if machine.graphics == []:
            return 0
        sizes = [g.memory for g in machine.graphics or [] if g.memory is not None]
        return max(sizes, default=None)
    return getattr(getattr(machine, section), name)


def put(machine: Machine, key: str, value: Any, origin: Origin | None = None) -> Machine:
    """The machine with one reading set (None: unknown) and its origin noted."""
    return put_all(machine, {key: (value, origin)})


def put_all(machine: Machine, found: Mapping[str, tuple[Any, Origin | None]]) -> Machine:
    """The machine with several readings set, each with its origin."""
    origins = {key: origin for key, origin in machine.origins.items() if key not in found}
    sections: dict[str, dict[str, Any]] = {}
    for key, (value, origin) in found.items():
        section, _, name = key.partition(".")
        sections.setdefault(section, {})[name] = value
        if origin and value is not None:
            origins[key] = origin
    changes = {section: _changed(machine, section, new) for section, new in sections.items()}
    return structs.replace(machine, origins=origins, **changes)


def _changed(machine: Machine, section: str, new: dict[str, Any]) -> Any:
    """A section of the sheet with new values; the whole of it stands under no name."""
    if section == "extra":
        return (machine.extra or {}) | new
    whole = new.pop("") if "" in new else getattr(machine, section)
    if not new:
        return whole
    if section == "storage":
        volumes = list(whole or [])
        volume = system_volume(machine)
        at = volumes.index(volume) if volume else len(volumes)
        volumes[at : at + 1] = [structs.replace(volume or Volume(system=True), **new)]
        return volumes
    if section == "graphics":
        adapters = list(whole or [Graphics()])
        return [structs.replace(adapters[0], **new), *adapters[1:]]
    return structs.replace(whole, **new)


def resolve_key(name: str) -> str:
    """The dotted key for a dotted key or a short name. Raises InputError with the nearest one."""
    word = name.strip().lower()
    key = SHORT_NAMES.get(word) or TRADE_WORDS.get(word, name.strip())
    if key in _KINDS or (key.startswith("extra.") and len(key) > len("extra.")):
        return key
    hint = nearest(name, [*SHORT_NAMES, *_KINDS])
    raise InputError(f"found the unknown key '{name}'{hint}", "a key of the machine sheet")


def drop_worked_out(machine: Machine, key: str) -> Machine:
    """The machine without the readings that were worked out from ``key``, however far."""
    for result, sources in WORKED_OUT_FROM.items():
        origin = machine.origins.get(result)
        if key in sources and origin and origin.how == "worked out" and result != key:
            machine = drop_worked_out(put(machine, result, None), result)
    return machine
