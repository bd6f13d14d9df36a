"""What a trial changes: the system that runs, the memory that is fitted or shown."""

from collections.abc import Iterable, Iterator
from math import ceil
from typing import Any

from msgspec import Struct

from tallcheck.core.board.account import Account, account_of
from tallcheck.core.board.totals import cheapest_total, most_total
from tallcheck.core.machine.amounts import (
    ADDRESSABLE_32,
    Amounts,
    Use,
    least_fitted,
    likely_fitted,
    use_of,
    use_under,
)
from tallcheck.core.machine.normalized import World
from tallcheck.core.needs.key import KINDS
from tallcheck.core.usage.summary import TIGHT, Figures
from tallcheck.core.values.either import UNKNOWN


def _number(value: Any) -> float:
    return UNKNOWN if value is None else float(value)


def memory_use(world: World) -> Use:
    """How the memory of a world counts."""
    get = world.get
    return use_of(
        Amounts(
            installed=_number(get("memory.installed")), usable=_number(get("memory.usable")),
            addressable=_number(get("memory.addressable")),
            limit=_number(get("memory.limit")), os_bits=_number(get("system.os_bits")),
        )
    )  # fmt: skip


def with_total(world: World, total: float, use: Use) -> World:
    """The readings that change where ``total`` bytes are fitted; what is in use stays the same."""
    usable, installed = world.get("memory.usable"), world["memory.installed"]
    shown = int(use.usable(float(total)))
    changes: World = {"memory.installed": int(total)}
    if usable is not None or use.shown < total:
        changes["memory.usable"] = shown
    if world.get("memory.limit") is not None and use.limit != use.limit:
        changes["memory.limit"] = None  # lifted
    before = usable if usable is not None else installed
    after = changes.get("memory.usable", int(total))
    available = world.get("memory.available")
    if available is not None:
        changes["memory.available"] = max(available + after - before, 0)
    share = world.get("usage.memory_use")
    if share is not None and after:
        changes["usage.memory_use"] = share * before / after
    return changes


def with_usage(world: World, figures: Figures) -> None:
    """Put a usage log's figures into a world; other memory than the log's spreads the use."""
    world["usage.in_use"] = figures.in_use_p95
    share = figures.median
    installed = world.get("memory.installed")
    if share is not None:
        fitted = likely_fitted(float(figures.total), float(bool(world.get("system.virtual"))))
        if installed is not None and installed != fitted:
            share = share * figures.total / max(installed - (fitted - figures.total), 1)
        world["usage.memory_use"] = share
    if figures.cores_median is not None:
        world["usage.cores_use"] = figures.cores_median


# --- the system ----------------------------------------------------------------------------


class System(Struct, frozen=True):
    """A system that would run: None leaves what is there. ``wanted`` where it is the job itself."""

    bits: int | None = None
    name: str | None = None
    version: str | None = None
    wanted: str | None = None


def can_run(system: System, world: World) -> bool:
    """Whether the world's processor runs a system of these bits."""
    bits = world.get("processor.bits")
    return system.bits is None or bits is None or system.bits <= bits


def with_system(world: World, system: System) -> World:
    """The world once a system runs in place of the one that is there."""
    found = dict(world)
    if system.name is not None:
        found["system.os"] = system.name
        found["system.os_version"] = system.version
        for key in ("system.family", "system.kernel"):
            found.pop(key, None)
    if system.wanted is not None:
        found["system.wanted"] = system.wanted
    found.pop("system.architecture", None)
    bits = system.bits
    if bits is None:
        found.pop("system.os_bits", None)
        found.pop("memory.addressable", None)
        return found
    found["system.os_bits"] = bits
    if bits == 32 and world.get("system.os_bits") == 32:
        return found
    limit = float(ADDRESSABLE_32) if bits == 32 else UNKNOWN
    if bits == 32:
        found["memory.addressable"] = ADDRESSABLE_32
    else:
        found.pop("memory.addressable", None)
    if found.get("memory.installed") is not None:
        use = use_under(memory_use(world), limit)
        found.update(with_total(found, found["memory.installed"], use))
    elif {"memory.usable", "memory.addressable"} <= world.keys() and "memory.limit" not in world:
        usable, shown = world["memory.usable"], world["memory.addressable"]
        found["memory.least"] = least_fitted(float(usable), float(shown))
        if found["memory.least"] > usable:
            del found["memory.usable"]  # the system that is there could show no more
    return found


# --- memory --------------------------------------------------------------------------------


class Goal(Struct, frozen=True, order=True):
    """The total memory to build, and the least that it has to come to, in bytes.

    ``lower``: less would do for some values of what is not known; 0 where it would for none.
    """

    total: int
    least: int
    lower: int = 0


class Fill(Struct, frozen=True):
    """One way to change the memory: what it changes, by what kinds of fix, to what."""

    changes: World
    kinds: tuple[str, ...]
    goal: Goal
    use: Use
    """How memory counts then."""


Turns = Iterable[tuple[Any, Any, Any]]
"""Entry, test and view of each need on memory."""


def _edges(turns: Turns, use: Use) -> set[int]:
    return {
        ceil(edge)
        for key, test, view in turns
        for edge in key.totals(test, view, use)
        if edge == edge and edge < 1 << 62
    }


def fills(world: World, turns: Turns, own: int, less: bool, another: bool) -> Iterator[Fill]:
    """The ways to change a world's memory, the least total first.

    ``less``: less can be shown; ``another``: on another machine any total can be had.
    """
    installed = world.get("memory.installed")
    if installed is None:
        return
    use = memory_use(world)
    turns = list(turns)
    ways: list[tuple[Use, tuple[str, ...]]] = [(use, ())]
    if use.can_free:
        ways.append((use.freed(), ("setting",)))
    board = None if another else (account_of(world.get), world.get("memory.ceiling"))
    least = _with_room(world, own)
    for way, kinds in ways:
        if kinds:
            yield Fill(with_total(world, installed, way), kinds, Goal(installed, installed), way)
        edges = _edges(turns, way)
        if less:
            for edge in sorted({e - step for e in edges for step in (0, 1)}):
                if 0 < edge < installed:
                    yield Fill(_shown(world, edge, way), (*kinds, "setting"), Goal(edge, edge), way)
        for goal in _reached(edges, installed, least, board):
            yield Fill(with_total(world, goal.total, way), (*kinds, "memory"), goal, way)


def _with_room(world: World, own: int) -> int:
    """With a usage log, the total that leaves a fifth free above use and programs' own."""
    used = world.get("usage.in_use")
    return 0 if used is None else int((used + own) / TIGHT)


def _shown(world: World, total: int, use: Use) -> World:
    changes = with_total(world, total, use)
    if "memory.usable" in changes:
        changes["memory.usable"] = min(changes["memory.usable"], total)
    return changes


def _reached(
    edges: set[int], installed: int, least: int, board: tuple[Account, int | None] | None
) -> list[Goal]:
    """The totals above what is fitted that can be built, for each edge."""
    found: set[Goal] = set()
    for edge in edges:
        wanted = max(edge, installed + 1, least)
        total = wanted if board is None else cheapest_total(board[0], wanted, board[1]).bytes
        if total is not None and total > installed:
            found.add(Goal(total, wanted))
    return sorted(found)


def with_most(world: World) -> World:
    """What memory can come to at most, for rules that ask how far it could help."""
    most = most_total(account_of(world.get), world.get("memory.ceiling"))
    use = memory_use(world)
    if most == float("inf"):
        return {"memory.most": most, "memory.most_shown": use.usable(most)}
    return {"memory.most": most - use.kept, "memory.most_shown": use.usable(float(most))}


def missing_memory(world: World, taken: set[str]) -> str | None:
    """What must be known to say whether short memory can be raised."""
    if world.get("memory.installed") is None:
        return "memory.installed"
    if "memory.slots" not in taken and world.get("memory.slots") is None:
        return "memory.slots" if account_of(world.get).full_and_soldered else None
    return None


MEMORY = frozenset({"memory", "memory_own", "memory_use"})
"""Keys that all memory bears on."""
COUNTS = "counts"


class Change(Struct, frozen=True):
    """What one trial did in a group: the readings it changed, and the kinds of fix."""

    changes: World
    kinds: tuple[str, ...]
    """Each once, in the order of the alphabet."""
    goal: Goal | None = None
    """What the memory was brought to, where that was changed."""

    @property
    def total(self) -> int:
        """The memory that it was brought to, in bytes; 0 where it was left."""
        return self.goal.total if self.goal is not None else 0


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
    kinds: set[str] = set()
    goal = None
    for one in changes:
        whole |= {
            key: value for key, value in one.changes.items()
            if value is not None or key not in whole
        }  # fmt: skip
        kinds.update(one.kinds)
        goal = one.goal if one.goal is not None else goal
    return Change(whole, tuple(sorted(kinds)), goal)


def weight(change: Change) -> tuple[Any, ...]:
    """Fewest kinds, then the lightest, then the least memory."""
    graves = sorted(KINDS.index(kind) for kind in change.kinds)
    return (len(graves), [-one for one in graves], change.total)
