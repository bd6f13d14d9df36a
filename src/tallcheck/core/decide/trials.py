"""The trials: which changes are tried together, and what a world comes to by those that pass.

Memory off and on, the system kept or changed, nothing or settings or settings and the rest: twelve
trials; the other machine with either system two more. Where a need names several systems or
architectures, each is a trial of its own here, so that all needs are tried against the same one;
what a world comes to asks only whether any of them passes. A set of trials is a whole number, one
bit each.
"""

from collections.abc import Collection, Iterator
from functools import lru_cache

from msgspec import Struct

from tallcheck.core.decide.asked import Requirement, names_in
from tallcheck.core.decide.changes import System
from tallcheck.core.machine.derive import BITS_OF
from tallcheck.core.machine.instructions import belongs_to_other
from tallcheck.core.machine.normalized import World
from tallcheck.core.needs.key import KINDS, AllSets, OneOf
from tallcheck.core.values.comparison import Bound, some_in_range

READY, MEMORY_ALONE, MEMORY_PLUS = "ready", "memory-alone", "memory-plus"
NOT_MEMORY, REPLACE, UNDECIDED = "not-memory", "replace", "undecided"
CONFLICT = "conflict"
"""Of a world in which no trial passes; as an answer it is NOT_MEMORY."""
EXIT_CODES = {
    READY: 0, MEMORY_ALONE: 10, MEMORY_PLUS: 11, NOT_MEMORY: 12, REPLACE: 13, UNDECIDED: 14,
}  # fmt: skip

NOTHING, SETTINGS, REST, ANOTHER = 0, 1, 2, 3
"""How far the hardware may change; ANOTHER is another machine."""


class Trial(Struct, frozen=True):
    """One trial: memory, the system's place (0: kept), hardware, the other machine's kind."""

    memory: bool
    system: int
    hardware: int
    architecture: str = ""


_CHANGEABLE: dict[int, frozenset[str]] = {
    NOTHING: frozenset(),
    SETTINGS: frozenset({"setting"}),
    REST: frozenset({"setting", "processor", "graphics", "storage", "part"}),
    ANOTHER: frozenset(KINDS) - {"system"},
}


def kinds_of(trial: Trial) -> frozenset[str]:
    """The kinds of fix that a trial allows, besides its system."""
    found = _CHANGEABLE[trial.hardware]
    return found | {"memory"} if trial.memory else found


Kept = tuple[int, int, bool, str]
"""What counts of a trial for some needs: system, hardware, memory, architecture."""


class _Kinds:
    """All trials of so many systems and other machines, and which of them settle what."""

    def __init__(self, systems: int, architectures: tuple[str, ...]) -> None:
        self.all = [
            Trial(bool(memory), system, hardware)
            for system in range(systems + 1)
            for hardware in (NOTHING, SETTINGS, REST)
            for memory in (0, 1)
        ] + [
            Trial(False, system, ANOTHER, architecture)
            for system in range(systems + 1)
            for architecture in architectures
        ]
        self.classes = [
            (name, sum(1 << at for at, one in enumerate(self.all) if name == _settles(one)))
            for name in (READY, SETTINGS, MEMORY_ALONE, "others", MEMORY_PLUS, REPLACE)
        ] + [(CONFLICT, 0)]
        """The steps of the order of answers, first to last, with the trials that settle each."""
        self.alike: dict[tuple[bool, ...], list[tuple[Kept, Trial, int]]] = {}


_kinds = lru_cache(maxsize=256)(_Kinds)


class Trials:
    """All trials for some needs, and which of them settle a world in which way."""

    def __init__(self, systems: list[System], architectures: list[str]) -> None:
        self.systems = systems
        """The systems that could run in place of the one that does."""
        kinds = _kinds(len(systems), tuple(architectures))
        self.all, self._classes, self._alike = kinds.all, kinds.classes, kinds.alike
        self.every = (1 << len(self.all)) - 1

    def alike(
        self, of_system: bool, of_kind: bool, memory: bool, bare: bool
    ) -> list[tuple[Kept, Trial, int]]:
        """The trials that differ for needs on which these bear, with the bits of all alike.

        ``bare``: of this machine's hardware only memory bears on them.
        """
        about = (of_system, of_kind, memory, bare)
        if about not in self._alike:
            found: dict[Kept, tuple[Trial, int]] = {}
            for at, trial in enumerate(self.all):
                hardware = trial.hardware
                if hardware == REST and bare:
                    hardware = SETTINGS
                case = (trial.system if of_system else 0, hardware, trial.memory and memory,
                        trial.architecture if of_kind else "")  # fmt: skip
                there = Trial(case[2], case[0], hardware, trial.architecture)
                first, bits = found.get(case, (there, 0))
                found[case] = (first, bits | 1 << at)
            self._alike[about] = [(case, *first) for case, first in found.items()]
        return self._alike[about]

    def outcome(self, mask: int) -> str:
        """What a world comes to in which these trials pass: the first that fits."""
        for name, trials in self._classes:
            if mask & trials:
                return NOT_MEMORY if name in (SETTINGS, "others") else str(name)
        return CONFLICT

    def with_less(self, mask: int, open_ones: int) -> set[int]:
        """Sets of trials that come to all that one can where it is open whether some of it pass."""
        found = {mask}
        for _, trials in self._classes:
            mask &= ~(trials & open_ones)
            found.add(mask)
        return found

    def settling(self, mask: int) -> Iterator[Trial]:
        """The trials that pass and settle the world as its outcome says."""
        for _, trials in self._classes:
            if mask & trials:
                yield from (one for at, one in enumerate(self.all) if mask & trials & 1 << at)
                return


def _settles(trial: Trial) -> str | int:
    """Which step of the order of answers a trial stands for."""
    if trial.hardware == ANOTHER:
        return REPLACE
    if not trial.system and trial.hardware < REST:
        if trial.memory:
            return MEMORY_ALONE if trial.hardware == NOTHING else MEMORY_PLUS
        return SETTINGS if trial.hardware else READY
    return MEMORY_PLUS if trial.memory else "others"


# --- which systems and architectures are worth a trial -------------------------------------


def is_narrow(asks: list[Requirement], world: World) -> bool:
    """Whether what the running system can address may be too little."""
    return world.get("memory.addressable") is not None or (
        world.get("system.os_bits") is None and any("system.os_bits" in ask.reads() for ask in asks)
    )


def trials_of(
    asks: list[Requirement], wanted: bool, narrow: bool, built_for: Collection[str]
) -> Trials:
    """The trials that some needs call for.

    ``wanted``: which system runs is settled, for it is the job; ``narrow``: see ``is_narrow``;
    ``built_for``: the architectures of the systems that run, for another machine may be of any.
    """
    singles = [one for ask in asks for one in ask.singles()]
    arm = _asks_for_arm(singles)
    systems = [] if wanted else _systems(singles, narrow or arm)
    return Trials(systems, _architectures(singles, built_for, arm))


def _keys(singles: list[Requirement], *names: str) -> list[Requirement]:
    return [one for one in singles if one.key is not None and one.key.name in names]


def _systems(singles: list[Requirement], narrow: bool) -> list[System]:
    about_bits = _keys(singles, "os_bits", "architecture", "processor_bits")
    named = [pair for one in _keys(singles, "os") for pair in names_in(one.test)]
    if not about_bits and not named and not narrow:
        return []
    names: dict[tuple[str | None, str | None], None] = {(None, None): None}
    for name, span in named:
        names[name, some_in_range(span)] = None
    bits: list[int | None] = [64 if about_bits or narrow else None]
    if any(_takes_narrow(one) for one in about_bits):
        bits.append(32)
    return [System(one, name, version) for name, version in names for one in bits]


def _takes_narrow(ask: Requirement) -> bool:
    """Whether a need can be met by a 32-bit system only."""
    test = ask.test
    if isinstance(test, Bound):
        return bool(test.holds(32) and not test.holds(64))
    return isinstance(test, OneOf) and (
        test.refused or not any(BITS_OF.get(word) == 64 for word in test.words)
    )


def _asks_for_arm(singles: list[Requirement]) -> bool:
    """Whether instruction sets are asked for that only other processors have."""
    tests = (one.test for one in singles)
    return any(
        belongs_to_other(name, "x86-64")
        for test in tests if isinstance(test, AllSets) for name in test.names
    )  # fmt: skip


def _architectures(singles: list[Requirement], built_for: Collection[str], arm: bool) -> list[str]:
    """Kinds of another machine: the usual one, those on which the systems that run would run, and
    those that a need calls for."""
    found = ["x86-64", *built_for]
    asked = _keys(singles, "architecture")
    if asked or arm:
        found.append("arm64")
    for one in asked:
        if isinstance(one.test, OneOf) and not one.test.refused:
            found += [word for word in one.test.words if word in BITS_OF]
    if asked or any(_takes_narrow(one) for one in _keys(singles, "processor_bits", "os_bits")):
        found += ["x86", "arm"]
    return list(dict.fromkeys(found))


def on_another(world: World, architecture: str) -> World:
    """The world on another machine of an architecture: its processor's kind is all that is set."""
    return world | {
        "processor.architecture": architecture, "system.virtual": None,
        "processor.bits": BITS_OF[architecture], "memory.ceiling": None,
        "memory.limit": None,
        "memory.fixed": None,
    }  # fmt: skip


def fits_system(world: World, architecture: str) -> bool:
    """Whether the world's system runs on another machine of an architecture."""
    bits, own = world.get("system.os_bits"), world.get("system.architecture")
    if bits is not None and bits > BITS_OF[architecture]:
        return False
    return own is None or own == architecture or (own == "x86" and architecture == "x86-64") or (
        own == "arm" and architecture == "arm64"
    )  # fmt: skip
