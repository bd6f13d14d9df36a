"""The readings of a machine sheet by their dotted keys: kind, label, how to get and set one."""

from collections.abc import Collection, Mapping
from typing import Any

from msgspec import Struct, structs

from tallcheck.core.machine.entries import ENTRIES, READINGS, ReadingKey
from tallcheck.core.machine.sheet import (
    POSITIONS_MOST,
    Graphics,
    Machine,
    Origin,
    Volume,
    system_volume,
)
from tallcheck.core.values.errors import InputError, nearest
from tallcheck.core.values.kinds import KINDS

SHORT_NAMES: dict[str, str] = {one.short: one.key for one in READINGS if one.short}
"""The needs' names for readings."""
TRADE_WORDS: dict[str, str] = {word: one.key for one in READINGS for word in one.words}
"""What the trade says for some of them."""
WORKED_OUT_FROM: dict[str, tuple[str, ...]] = {
    one.key: one.follows for one in READINGS if one.follows
}
"""Which readings a reading follows from where it is not read."""
NEVER_ZERO = frozenset(one.key for one in READINGS if one.never_zero)
"""Readings of which every machine has some: a zero is a fault, not a fact."""
_KEYS = {one.key: None for one in READINGS if one.kind}


class Told(Struct, frozen=True):
    """One reading as somebody told it: its key and its value."""

    key: str
    value: Any


def in_bounds(told: list[Told]) -> list[Told]:
    """The same. Raises InputError where a number is told that no sheet takes."""
    for one in told:
        if one.key in NEVER_ZERO and one.value == 0:
            raise InputError(f"found 0 for the {label_of(one.key)}", "one or more")
        most = POSITIONS_MOST if one.key == "memory.slots" else KINDS[kind_of(one.key)].most
        if most is not None and isinstance(one.value, int) and one.value > most:
            raise InputError(f"found {one.value} for the {label_of(one.key)}", f"at most {most}")
    return told


def kind_of(key: str) -> str:
    """The kind of value that a reading holds: ``memory``, ``storage``, ``count`` …"""
    return "text" if key.startswith("extra.") else ENTRIES[key].kind


def label_of(key: str) -> str:
    """What people call a reading: ``memory fitted``."""
    return ENTRIES[key].label if key in ENTRIES else key.removeprefix("extra.")


TOLD_BY_NAME = frozenset(
    key for key, one in ENTRIES.items()
    if key.startswith("processor.") and "processor.name" in one.follows and one.kind != "count"
) | {"processor.generation"}  # fmt: skip
"""What a processor's name tells; counts are looked up as quickly, and only some names tell them."""


def keys() -> Collection[ReadingKey]:
    """Every dotted key that can be told, in the sheet's order."""
    return _KEYS.keys()


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
    if key in _KEYS or (key.startswith("extra.") and len(key) > len("extra.")):
        return key
    hint = nearest(name, [*SHORT_NAMES, *_KEYS])
    raise InputError(f"found the unknown key '{name}'{hint}", "a key of the machine sheet")


def drop_worked_out(machine: Machine, key: str) -> Machine:
    """The machine without the readings that were worked out from ``key``, however far."""
    for result, sources in WORKED_OUT_FROM.items():
        origin = machine.origins.get(result)
        if key in sources and origin and origin.how == "worked out" and result != key:
            machine = drop_worked_out(put(machine, result, None), result)
    return machine
