"""What a machine is held against: needs with where they come from, made ready to be held."""

from collections.abc import Iterator
from typing import Any

from msgspec import Struct

from tallcheck.core.needs.key import AllSets, Key, Named, OneOf
from tallcheck.core.needs.keys import KEYS
from tallcheck.core.needs.sheet import Condition, Need, NeedsSheet, Release, needs_at
from tallcheck.core.needs.system import WANTED
from tallcheck.core.values.comparison import AT_LEAST, Bound

PROGRAM, SYSTEM = "program", "operating system"


class Chosen(Struct, frozen=True):
    """One release of one needs sheet, as it is held against a machine."""

    sheet: NeedsSheet
    release: Release

    @property
    def label(self) -> str:
        """``Merrow 10``."""
        return f"{self.sheet.title} {self.release.name}".strip()


class Asked(Struct, frozen=True):
    """A need with the sheet and strength it comes from.

    ``unseen``: it makes no row (what the machine's own programs ask, and that the wanted system
    stays the one that is installed); ``chosen`` is then whose need it is.
    """

    need: Need
    source: str
    strength: str
    kind: str = ""
    unseen: bool = False
    chosen: Chosen | None = None


class Requirement(Struct):
    """A need made ready: its entry, its test, and the readings that they may look at."""

    asked: Asked
    key: Key | None
    test: Any
    named: frozenset[str]
    when: tuple[Condition, ...] = ()
    tables: tuple[tuple["Requirement", ...], ...] = ()
    beside: tuple[Any, ...] = ()
    nested: bool = False

    @property
    def program(self) -> bool:
        """Whether a program asks."""
        return self.asked.kind == PROGRAM

    def singles(self) -> Iterator["Requirement"]:
        """The ask, or in its place those of all its tables."""
        if not self.tables:
            yield self
        for table in self.tables:
            yield from table

    def reads(self) -> frozenset[str]:
        """All readings that holding it may look at."""
        found = set(self.named)
        for condition in self.when:
            found |= condition.named()
        for table in self.tables:
            for one in table:
                found |= one.named
        return frozenset(found)

    def mends(self) -> frozenset[str]:
        """All readings that its fixes rest on, besides."""
        return frozenset(name for key in self.entries() for name in key.mends)

    def entries(self) -> list[Key]:
        """The entries by whose fixes it can change: its needs', and those of memory conditions."""
        found = [one.key for one in self.singles()] + [one.totals for one in self.when]
        return [key for key in found if key is not None]


_ADAPTER = ("graphics", "graphics_memory")


def requirements_of(asked: list[Asked]) -> list[Requirement]:
    """The needs made ready; graphics needs of one sheet must be met by one adapter."""
    return _with_adapters([_ask(one, one.need) for one in asked])


def _ask(asked: Asked, need: Need, nested: bool = False) -> Requirement:
    tables = tuple(
        tuple(_with_adapters([_ask(asked, one, True) for one in table]))
        for table in need.alternatives
    )
    if tables or need.incomparable:
        return Requirement(asked, None, None, frozenset(), need.when, tables)
    key = WANTED if need.key == WANTED.name else KEYS[need.key]
    return Requirement(asked, key, need.test, key.named(need.test), need.when, (), (), nested)


def _with_adapters(asks: list[Requirement]) -> list[Requirement]:
    for one in asks:
        if one.key is not None and one.key.name in _ADAPTER:
            one.beside = tuple(
                other.test
                for other in asks
                if other is not one
                and other.key is not None
                and other.key.name in _ADAPTER
                and (other.asked.source, other.when) == (one.asked.source, one.when)
            )
    return asks


# --- what sheets ask -----------------------------------------------------------------------


def asked_at(against: tuple[Chosen, ...], level: str) -> list[Asked] | None:
    """Every need of every sheet at a level; None where no sheet states that level."""
    asked: list[Asked] = []
    stated = False
    for chosen in against:
        needs = needs_at(chosen.release, level)
        stated = stated or needs is not None
        if needs is None and level == "recommended":
            needs = needs_at(chosen.release, "minimum")
        kind = chosen.sheet.kind
        asked += [Asked(need, chosen.label, level, kind) for need in needs or ()]
        asked += _implied(chosen, level, needs or ())
    return asked if stated else None


def _implied(chosen: Chosen, level: str, needs: tuple[Need, ...]) -> list[Asked]:
    """A system of 64 bits needs a processor of 64 bits, whether its sheet says so or not."""
    said = {"processor_bits", "architecture"} & {need.key for need in needs}
    if chosen.release.bits != 64 or said:
        return []
    return [
        Asked(Need("processor_bits", Bound(AT_LEAST, 64)), chosen.label, level, chosen.sheet.kind)
    ]


def bits_of(release: Release) -> int | None:
    """The bits of a system's release, as said or as it asks of the processor; None unsaid."""
    if release.bits is not None:
        return release.bits
    for need in release.minimum or release.floor or release.recommended or ():
        test = need.test
        if need.key == "processor_bits" and isinstance(test, Bound) and test.limit == 64:
            return 64
        if isinstance(test, AllSets) and any(name.startswith("x86-64-v") for name in test.names):
            return 64
        words = test.words if isinstance(test, OneOf) and need.key == "architecture" else ()
        refused = isinstance(test, OneOf) and test.refused
        if words and not refused and all("64" in word for word in words):
            return 64
    return None


def wanted_systems(against: tuple[Chosen, ...]) -> list[Chosen]:
    """The operating systems among what is checked: each is to be installed."""
    return [one for one in against if one.sheet.kind == SYSTEM]


def stays_wanted(chosen: Chosen) -> Asked:
    """That the wanted system is the one that runs, whatever else is changed."""
    need = Need(WANTED.name, OneOf((chosen.label,)))
    return Asked(need, chosen.label, "minimum", SYSTEM, True, chosen)


_OF_THE_SYSTEM = ("os", "os_bits", "architecture")


def asked_by_installed(installed: tuple[Chosen, ...], against: tuple[Chosen, ...]) -> list[Asked]:
    """What the machine's own programs ask of the system; those that are checked are left out."""
    wanted = {one.sheet.title for one in against}
    return [
        Asked(need, chosen.label, "minimum", PROGRAM, True, chosen)
        for chosen in installed
        if chosen.sheet.title not in wanted
        for need in chosen.release.minimum or ()
        if need.key in _OF_THE_SYSTEM and not need.when
    ]


def names_in(test: Any) -> tuple[tuple[str, str], ...]:
    """The systems that a test names, with their ranges."""
    return test.names if isinstance(test, Named) else ()


SHARED_UNKNOWNS = ("system.shape", "processor.bits", "processor.architecture", "system.os_bits")
"""Readings that many needs rest on: where one is unknown, all are tried at the same value of it."""

OF_SYSTEM = frozenset({
    "system.os", "system.os_version", "system.family", "system.kernel", "system.os_bits",
    "system.architecture", "system.wanted",
})  # fmt: skip
OF_MEMORY = frozenset({
    "memory.installed", "memory.usable", "memory.available", "memory.ceiling",
    "memory.fixed", "memory.least", "memory.position_most", "memory.addressable", "memory.limit",
    "memory.slots", "memory.modules", "memory.most", "memory.most_shown",
    "extra.memory_type", "extra.memory_form", "system.shape", "system.virtual", "system.os_bits",
    "processor.bits", "usage.in_use", "usage.memory_use",
})  # fmt: skip
"""What bears on any need for memory, besides what its entry names."""
OF_KIND = frozenset({"processor.architecture", "processor.bits"})
