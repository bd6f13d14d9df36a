"""A new machine beside the old one that it replaces: what that has is asked of the new one."""

from collections.abc import Iterator
from typing import Any

from msgspec import Struct

from tallcheck.core.decide.asked import Asked
from tallcheck.core.machine.instructions import LEVELS
from tallcheck.core.machine.normalized import normalized, world_of
from tallcheck.core.machine.readings import label_of
from tallcheck.core.machine.sheet import Machine
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.needs.key import AllSets, ExtraKeys, Generations, Interfaces
from tallcheck.core.needs.sheet import Need
from tallcheck.core.text.needs_written import parse_test
from tallcheck.core.values.comparison import AT_LEAST, Bound
from tallcheck.core.values.kinds import KINDS
from tallcheck.core.values.quantities import OFF

GROWTH = 0.2
"""The share that what is stored is expected to grow by."""
_AMOUNTS = {
    "memory": "memory.installed", "cores": "processor.cores", "threads": "processor.threads",
    "processor_bits": "processor.bits",
}  # fmt: skip
_WORDS = {
    "storage_kind": ("storage.kind", {"solid": "solid"}),
    "secure_boot": ("firmware.secure_boot", {"on": "able", "able": "able"}),
    "virtualization": ("processor.virtualization", {"on": "able", "able": "able"}),
}
"""Readings in words, and what each of them asks for where the old machine has it."""
_GROWS = ("memory.ceiling", "memory.slots")
"""How far a machine may still grow."""
_COMPARED = (
    "memory.installed", "processor.cores", "processor.threads", "processor.instructions",
    "storage.kind", "firmware.security_module", "display", "graphics",
)  # fmt: skip
"""What is said not to be told, where the old machine does not tell it."""


class Older(Struct, frozen=True):
    """What an old machine asks of a new one; keys that it does not tell; where it may grow more."""

    name: str
    asked: tuple[Asked, ...]
    untold: tuple[str, ...]
    grows: tuple[tuple[str, int, int], ...]
    """By reading the old machine's and the new one's, where the new one's is less."""


def at_least(old: Machine, new: Machine, vocabulary: Vocabulary) -> Older:
    """What a new machine needs to be no worse than an old one, from the old one's readings.

    Generations are held against each other within one line only, clocks within one line and
    generation; across them the row is unknown and says why. A reading in doubt asks for the least
    that it may be, and leaves open whether for the most.
    """
    before, after = normalized(old, vocabulary), normalized(new, vocabulary)
    theirs, ours = world_of(before), world_of(after)
    needs = [
        *_amounts(theirs, before.possible, old.name),
        *_processor(before.machine, after.machine, vocabulary),
        *_words(theirs, vocabulary), *_graphics(theirs),
    ]  # fmt: skip
    if (stored := _stored(before.machine)) is not None:
        needs.append(Need("storage", Bound(AT_LEAST, round(stored * (1 + GROWTH)))))
    grows = tuple(
        (key, theirs[key], ours[key]) for key in _GROWS
        if key in theirs and key in ours and ours[key] < theirs[key]
    )  # fmt: skip
    doubted = {key for each in before.possible for one in each for key in one}
    untold = tuple(key for key in _COMPARED if key not in theirs and key not in doubted)
    asked = tuple(Asked(need, old.name, "minimum") for need in needs)
    return Older(old.name, asked, untold, grows)


def _amounts(
    world: dict[str, Any], possible: tuple[tuple[dict[str, Any], ...], ...], name: str
) -> Iterator[Need]:
    for key, reading in _AMOUNTS.items():
        known = world.get(reading)
        values = sorted({one[reading] for each in possible for one in each if reading in one})
        if known is not None:
            yield Need(key, Bound(AT_LEAST, known))
        elif values:
            yield Need(key, Bound(AT_LEAST, values[0]))
            least = KINDS["memory" if key == "memory" else "count"].show(values[0])
            told = ExtraKeys({f"{label_of(reading)} of {name}": least})
            most = Need(key, Bound(AT_LEAST, values[-1]))
            yield Need(f"{key} or extra", alternatives=((most,), (Need("extra", told),)))


def _processor(old: Machine, new: Machine, vocabulary: Vocabulary) -> Iterator[Need]:
    line, generation = old.processor.line, old.processor.generation
    if line is not None and generation is not None:
        other = new.processor.line not in (None, line)
        why = f"{new.processor.line} and {line} count their generations apart" if other else ""
        test = Generations({line: generation}, vocabulary.processors)
        yield Need("generation", test, incomparable=why)
    sets = [name for name in old.processor.instructions or () if not name.startswith("-")]
    if old.processor.level is not None and sets:
        level = old.processor.level
        sets = [level, *(name for name in sets if name not in LEVELS.get(level, ()))]
    if sets:
        yield Need("instructions", AllSets(tuple(sets)))
    if old.processor.clock is not None:
        bound = Bound(AT_LEAST, old.processor.clock)
        yield Need("clock", bound, incomparable=_other_clock(old, new))


def _other_clock(old: Machine, new: Machine) -> str:
    """Why the two clocks cannot be compared, or nothing."""
    ours = (old.processor.line, old.processor.generation)
    theirs = (new.processor.line, new.processor.generation)
    if None in ours or None in theirs:
        return "clocks compare within one line and generation only, and those are not known"
    if ours != theirs:
        return (
            f"clocks compare within one line and generation only: {ours[0]} {ours[1]} against "
            f"{theirs[0]} {theirs[1]}"
        )
    return ""


def _words(world: dict[str, Any], vocabulary: Vocabulary) -> Iterator[Need]:
    for key, (reading, asks) in _WORDS.items():
        if wanted := asks.get(world.get(reading, "")):
            yield Need(key, parse_test(key, wanted, vocabulary))
    for key, reading in (("display", "display"), ("security_module", "firmware.security_module")):
        if world.get(reading, "none") not in ("none", OFF):
            yield Need(key, parse_test(key, world[reading], vocabulary))


def _graphics(world: dict[str, Any]) -> Iterator[Need]:
    """The most memory of an adapter, and the interfaces of the one that has most of these."""
    adapters = world.get("graphics") or ()
    sizes = [one.memory for one in adapters if one.memory]
    if sizes:
        yield Need("graphics_memory", Bound(AT_LEAST, max(sizes)))
    offered = max((one.api or {} for one in adapters), key=len, default={})
    if offered:
        yield Need("graphics", Interfaces(dict(offered)))


def _stored(old: Machine) -> int | None:
    """Bytes used on all fixed volumes; None where a size is missing."""
    used = 0
    fixed = [volume for volume in old.storage or [] if not volume.external]
    for volume in fixed:
        if volume.size is None or volume.free is None:
            return None
        used += max(volume.size - volume.free, 0)
    return used if fixed else None
