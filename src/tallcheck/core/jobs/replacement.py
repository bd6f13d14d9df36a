"""A replacement machine against the one it replaces, key by key."""

from tallcheck.core.decide.asked import Asked
from tallcheck.core.machine.instructions import LEVELS
from tallcheck.core.machine.normalized import normalized
from tallcheck.core.machine.readings import get
from tallcheck.core.machine.sheet import Machine
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.needs.sheet import Need
from tallcheck.core.needs.tests import AllSets, Generations
from tallcheck.core.values.comparison import AT_LEAST, Bound

GROWTH = 0.2
"""The share that what is stored is expected to grow by."""


def at_least(old: Machine, new: Machine, vocabulary: Vocabulary) -> list[Asked]:
    """What a new machine needs to be no worse than an old one, from the old one's readings.

    Generations are held against each other within one line only, clocks within one line and
    generation; across them the row is unknown and says why.
    """
    old, new = normalized(old, vocabulary).machine, normalized(new, vocabulary).machine
    needs = [
        Need(key, Bound(AT_LEAST, value))
        for key, reading in (
            ("memory", "memory.installed"),
            ("cores", "processor.cores"),
            ("threads", "processor.threads"),
        )
        if (value := get(old, reading)) is not None
    ]
    line, generation = old.processor.line, old.processor.generation
    if line is not None and generation is not None:
        other = new.processor.line not in (None, line)
        why = f"{new.processor.line} and {line} count their generations apart" if other else ""
        needs.append(
            Need(
                "generation",
                Generations({line: generation}, vocabulary.processors),
                incomparable=why,
            )
        )
    sets = [name for name in old.processor.instructions or () if not name.startswith("-")]
    if old.processor.level is not None and sets:
        level = old.processor.level
        sets = [level, *(name for name in sets if name not in LEVELS.get(level, ()))]
    if sets:
        needs.append(Need("instructions", AllSets(tuple(sets))))
    if old.processor.clock is not None:
        bound = Bound(AT_LEAST, old.processor.clock)
        needs.append(Need("clock", bound, incomparable=_other_clock(old, new)))
    stored = _stored(old)
    if stored is not None:
        needs.append(Need("storage", Bound(AT_LEAST, round(stored * (1 + GROWTH)))))
    return [Asked(need, old.name, "minimum") for need in needs]


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


def _stored(old: Machine) -> int | None:
    """Bytes used on all fixed volumes; None where a size is missing."""
    used = 0
    fixed = [volume for volume in old.storage or [] if not volume.external]
    for volume in fixed:
        if volume.size is None or volume.free is None:
            return None
        used += max(volume.size - volume.free, 0)
    return used if fixed else None
