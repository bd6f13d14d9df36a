"""The one door: what is known of a machine, from whatever sheet, once contradictions are out."""

from functools import lru_cache
from typing import Any

from msgspec import Struct, ValidationError, convert, structs, to_builtins

from tallcheck.core.machine.derive import complete, has_fixed_memory
from tallcheck.core.machine.doubts import doubts_of, numbers_of
from tallcheck.core.machine.readings import drop_worked_out, get, keys, put
from tallcheck.core.machine.sheet import SHEET_FORMAT, Doubt, Machine, system_volume
from tallcheck.core.machine.vocabulary import Vocabulary


class Normalized(Struct, frozen=True):
    """A machine with what follows worked out and every doubted reading unknown."""

    machine: Machine
    doubts: tuple[Doubt, ...]
    """Those of the sheet, and those that its readings give cause for."""
    doubted: frozenset[str]
    """The keys that the doubts are about, and all under them."""
    vocabulary: Vocabulary
    possible: tuple[tuple[dict[str, Any], ...], ...] = ()
    """For each doubt whose sources gave values, the readings by each."""


def normalized(machine: Machine, vocabulary: Vocabulary, sound: bool = False) -> Normalized:
    """What is known of a machine; ``sound``: its readings are known to contradict nowhere."""
    doubts = list(machine.doubts)
    doubted = _doubted(doubts)
    there = complete(_without(machine, doubts, vocabulary), vocabulary, doubted)
    if sound:
        return Normalized(there, tuple(doubts), doubted, vocabulary)
    said = {frozenset(one.about) for one in doubts}
    found = [one for one in doubts_of(there, vocabulary) if frozenset(one.about) not in said]
    if found:
        doubts += found
        doubted = _doubted(doubts)
        there = complete(_without(machine, doubts, vocabulary), vocabulary, doubted)
    return Normalized(there, tuple(doubts), doubted, vocabulary, _possible(doubts))


def _doubted(doubts: list[Doubt]) -> frozenset[str]:
    return frozenset(key for one in doubts for about in one.about for key in _under(about))


def _without(machine: Machine, doubts: list[Doubt], vocabulary: Vocabulary) -> Machine:
    """The machine without doubted readings, and without what was worked out from them."""
    doubted = _doubted(doubts)
    for key in doubted:
        machine = drop_worked_out(machine, key)
    origins = machine.origins
    for key in doubted:
        machine = _forget(machine, key)
    for key, fitted in LIMITS.items():
        said = [one[key] for each in doubts for one in each.values if key in one]
        numbers = [int(one) for one in said if _is_a(key, one)]
        if numbers:
            # what is fitted refutes what is less; a plan may go as far as some source allows
            least = numbers_of(machine, vocabulary)(fitted)
            good = [one for one in numbers if not one < least]
            machine = put(machine, key, max(good), origins.get(key)) if good else machine
    return machine


LIMITS = {"memory.ceiling": "fitted", "memory.position_most": "memory.largest"}
"""Limits of the board: where sources differ they are a range. What refutes each, as a number."""


def _possible(doubts: list[Doubt]) -> tuple[tuple[dict[str, Any], ...], ...]:
    """The readings by each source of those doubts whose sources gave some."""
    found: dict[tuple[str, ...], tuple[dict[str, Any], ...]] = {}
    for one in doubts:
        good = all(_is_a(key, value) for each in one.values for key, value in each.items())
        if len(one.values) > 1 and good and not LIMITS.keys() & {*one.about}:
            found.setdefault(tuple(one.about), tuple(one.values))
    cores, threads = found.get(("processor.cores",), ()), found.get(("processor.threads",), ())
    if cores and len(cores) == len(threads):
        # what the same source says belongs together
        del found["processor.cores",], found["processor.threads",]
        found["processor.cores", "processor.threads"] = tuple(
            one | other for one, other in zip(cores, threads, strict=True)
        )
    return tuple(found.values())


@lru_cache(maxsize=1024, typed=True)
def _is_a(key: str, value: float | bool | str) -> bool:
    """Whether a sheet takes a value for a reading."""
    if key not in keys():
        return False
    try:
        convert(to_builtins(put(Machine(SHEET_FORMAT, ""), key, value)), Machine)
    except (ValidationError, AttributeError, KeyError, TypeError):
        return False
    return True


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

POSSIBLE = "possible values"
"""Where a world has what doubted readings may be: for each doubt, the readings by each source."""

_SECTIONS = ("memory", "processor", "system", "firmware")
_VOLUME = ("size", "free", "drive", "kind")


def world_of(found: Normalized) -> World:
    """The readings of a machine that is known."""
    machine, world = found.machine, World()
    if found.possible:
        world[POSSIBLE] = found.possible
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
    if machine.firmware.security_module is not None:
        world["firmware.looked_at"] = not _was_read(origins, "firmware.security_module")
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
