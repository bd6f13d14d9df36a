"""A machine as plain readings by dotted key: what rules read, and what trials change.

A reading that is absent is unknown.
"""

from typing import Any

from tallcheck.core.machine.sheet import Machine, system_volume
from tallcheck.core.machine.vocabulary import vocabulary

World = dict[str, Any]

_SECTIONS = ("memory", "processor", "system", "firmware")
_VOLUME = ("size", "free", "drive", "kind")


def world_of(machine: Machine) -> World:
    """The readings of a machine that is known (see ``known``)."""
    world: World = {}
    for section in _SECTIONS:
        part = getattr(machine, section)
        for name in part.__struct_fields__:
            value = getattr(part, name)
            if value is not None:
                world[f"{section}.{name}"] = value
    if "system.os_version" in world:
        plain = vocabulary().systems.plain_version
        world["system.os_version"] = plain(machine.system.os, world["system.os_version"])
    origins = machine.origins
    if "processor.instructions" in world:
        world["processor.complete"] = _was_read(origins, "processor.instructions")
    if machine.storage is not None:
        _storage(machine, world)
    if machine.graphics is not None:
        world["graphics"] = tuple(machine.graphics)
    if machine.display is not None:
        world["display"] = machine.display
    if machine.software is not None:
        world["software"] = tuple(machine.software)
        world["software.complete"] = not machine.software or _was_read(origins, "software")
    for key, value in (machine.extra or {}).items():
        world[f"extra.{key}"] = value
    return world


def _was_read(origins: dict[str, Any], key: str) -> bool:
    origin = origins.get(key)
    return origin is not None and origin.how == "read"


def _storage(machine: Machine, world: World) -> None:
    volume = system_volume(machine)
    for name in _VOLUME if volume is not None else ():
        value = getattr(volume, name)
        if value is not None:
            world[f"storage.{name}"] = value
    sizes = [one.size for one in machine.storage or [] if not one.external]
    if None not in sizes:
        world["storage.data"] = max((size or 0 for size in sizes), default=0)
