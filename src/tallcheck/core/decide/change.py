"""What a trial did: readings changed, by which kinds of fix, and how much that is."""

from typing import Any

from msgspec import Struct

from tallcheck.core.machine.world import World
from tallcheck.core.needs.key import KINDS

MEMORY = frozenset({"memory", "memory_own", "memory_use"})
"""Keys that all memory bears on."""
COUNTS = "counts"


class Change(Struct, frozen=True):
    """What one trial did in a group: the readings it changed, and the kinds of fix."""

    changes: World
    kinds: tuple[str, ...]
    total: int | None = None
    """The total memory, where that was changed."""


NO_CHANGE = Change({}, ())


def variable(name: str) -> str:
    """What is changed together: all memory, cores with threads, the graphics adapter."""
    if name in MEMORY:
        return "memory"
    if name == "graphics_memory":
        return "graphics"
    return COUNTS if name in ("cores", "threads") else name


def joined(changes: tuple[Change, ...]) -> Change:
    """Several changes as one, whatever their order: what one leaves open another one may tell."""
    whole: World = {}
    kinds: dict[str, None] = {}
    total = None
    for one in changes:
        whole |= {
            key: value for key, value in one.changes.items()
            if value is not None or key not in whole
        }  # fmt: skip
        kinds |= dict.fromkeys(one.kinds)
        total = one.total if one.total is not None else total
    return Change(whole, tuple(kinds), total)


def weight(change: Change) -> tuple[Any, ...]:
    """Fewest kinds, then the lightest, then the least memory."""
    graves = sorted(KINDS.index(kind) for kind in change.kinds)
    return (len(graves), [-one for one in graves], change.total or 0)
