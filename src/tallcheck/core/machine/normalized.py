"""The one door: what is known of a machine, from whatever sheet, once contradictions are out."""

from typing import Any

from msgspec import Struct, structs

from tallcheck.core.machine.derive import complete, has_fixed_memory
from tallcheck.core.machine.doubts import doubts_of
from tallcheck.core.machine.readings import drop_worked_out, get, keys, put
from tallcheck.core.machine.sheet import Doubt, Machine, system_volume
from tallcheck.core.machine.vocabulary import Vocabulary


class Normalized(Struct, frozen=True):
    """A machine with what follows worked out and every doubted reading unknown."""

    machine: Machine
    doubts: tuple[Doubt, ...]
    """Those of the sheet, and those that its readings give cause for."""
    doubted: frozenset[str]
    """The keys that the doubts are about, and all under them."""
    vocabulary: Vocabulary


def normalized(machine: Machine, vocabulary: Vocabulary, sound: bool = False) -> Normalized:
    """What is known of a machine; ``sound``: its readings are known to contradict nowhere."""
    doubts = list(machine.doubts)
    doubted = _doubted(doubts)
    there = complete(_without(machine, doubted), vocabulary, doubted)
    if sound:
        return Normalized(there, tuple(doubts), doubted, vocabulary)
    said = {frozenset(one.about) for one in doubts}
    found = [one for one in doubts_of(there, vocabulary) if frozenset(one.about) not in said]
    if found:
        doubts += found
        doubted = _doubted(doubts)
        there = complete(_without(machine, doubted), vocabulary, doubted)
    return Normalized(there, tuple(doubts), doubted, vocabulary)


def _doubted(doubts: list[Doubt]) -> frozenset[str]:
    return frozenset(key for one in doubts for about in one.about for key in _under(about))


def _without(machine: Machine, doubted: frozenset[str]) -> Machine:
    """The machine without doubted readings, and without what was worked out from them."""
    for key in doubted:
        machine = drop_worked_out(machine, key)
    for key in doubted:
        machine = _forget(machine, key)
    return machine


def _under(about: str) -> list[str]:
    """A key and all under it: ``storage`` means every volume."""
    return [about, *(key for key in keys() if key.startswith(f"{about}."))]


def _forget(machine: Machine, key: str) -> Machine:
    if key in ("storage", "graphics"):
        return structs.replace(machine, **{key: None})
    try:
        there: Any = get(machine, key)
    except (AttributeError, KeyError):
        return machine  # a doubt about a part of the sheet that no need is held against
    return put(machine, key, None) if there is not None else machine


def with_findings(machine: Machine, vocabulary: Vocabulary) -> Machine:
    """The sheet with what follows worked out and every doubt on it; no reading is taken off."""
    found = normalized(machine, vocabulary)
    for key, origin in found.machine.origins.items():
        if origin.how == "worked out" and get(machine, key) is None:
            machine = put(machine, key, get(found.machine, key), origin)
    return structs.replace(machine, doubts=list(found.doubts))


World = dict[str, Any]

_SECTIONS = ("memory", "processor", "system", "firmware")
_VOLUME = ("size", "free", "drive", "kind")


def world_of(found: Normalized) -> World:
    """The readings of a machine that is known."""
    machine, world = found.machine, World()
    for section in _SECTIONS:
        part = getattr(machine, section)
        for name in part.__struct_fields__:
            value = getattr(part, name)
            if value is not None:
                world[f"{section}.{name}"] = value
    if "system.os_version" in world:
        plain = found.vocabulary.systems.plain_version
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
    if has_fixed_memory(machine, found.vocabulary):
        world["memory.fixed"] = True
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
