"""Conflicts: needs that no machine can meet together, and cures that break another need."""

from typing import Any

from msgspec import Struct

from tallcheck.core.before.rows import Asked, in_range, need_text
from tallcheck.core.machine.sheet import Machine
from tallcheck.core.needs.sheet import AllSets, Named, Need, NeedsSheet, OneOf, Release, needs_at
from tallcheck.core.values import comparison as c
from tallcheck.core.values.comparison import Bound
from tallcheck.core.values.quantities import parse_version


class Chosen(Struct, frozen=True):
    """One release of one needs sheet, as it is held against a machine."""

    sheet: NeedsSheet
    release: Release

    @property
    def label(self) -> str:
        """``Merrow 10``."""
        return f"{self.sheet.title} {self.release.name}".strip()


# --- needs that exclude each other ---------------------------------------------------------


def impossible(asked: list[Asked]) -> list[str]:
    """Pairs of needs on one key that no machine meets together, each as a sentence."""
    by_key: dict[str, list[Asked]] = {}
    for one in asked:
        if not one.need.when:
            by_key.setdefault(one.need.key, []).append(one)
    pairs = []
    for same in by_key.values():
        pairs += _bounds_apart(same) + _words_apart(same)
    return [
        f"{one.source} asks for {one.need.key} {need_text(one.need)} and "
        f"{other.source} for {need_text(other.need)}: no machine meets both"
        for one, other in pairs
    ]


def _span(bound: Bound) -> tuple[Any, Any]:
    low = bound.limit if bound.op in (c.AT_LEAST, c.EXACTLY, c.BETWEEN) else None
    high = {c.AT_MOST: bound.limit, c.EXACTLY: bound.limit, c.BETWEEN: bound.most}.get(bound.op)
    return low, high


def _bounds_apart(asked: list[Asked]) -> list[tuple[Asked, Asked]]:
    """Each upper bound with the highest lower bound, where that lies above it."""
    spans = [(_span(one.need.test), one) for one in asked if isinstance(one.need.test, Bound)]
    lows = [(low, one) for (low, _), one in spans if low is not None]
    if not lows:
        return []
    highest, most = max(lows, key=lambda entry: entry[0])
    return [(one, most) for (_, high), one in spans if high is not None and high < highest]


def _words_apart(asked: list[Asked]) -> list[tuple[Asked, Asked]]:
    """Pairs of lists of words with none in common; patterns and refusals are left out."""
    plain: dict[tuple[str, ...], Asked] = {}
    for one in asked:
        test = one.need.test
        if isinstance(test, OneOf) and not test.refused and one.need.key != "processors":
            plain.setdefault(test.words, one)
    lists = list(plain.items())
    return [
        (one, other)
        for at, (words, one) in enumerate(lists)
        for others, other in lists[at + 1 :]
        if not _runs(words) & _runs(others)
    ]


def _runs(words: tuple[str, ...]) -> set[str]:
    """The words that would do: what runs x86 may be an x86-64 processor."""
    return set(words) | ({"x86-64"} if "x86" in words else set())


# --- a system that would change under a program --------------------------------------------


class _System(Struct, frozen=True):
    """The system that the machine would run."""

    label: str
    name: str | None
    version: str | None
    bits: int | None


def _bits_of(release: Release) -> int | None:
    """64 where a system's release asks for 64 bits in one way or another; else None."""
    for need in release.minimum or ():
        test = need.test
        if need.key == "processor_bits" and isinstance(test, Bound) and test.limit == 64:
            return 64
        if isinstance(test, AllSets) and any(name.startswith("x86-64-v") for name in test.names):
            return 64
        words = test.words if isinstance(test, OneOf) and need.key == "architecture" else ()
        if words and not test.refused and all("64" in word for word in words):  # type: ignore[union-attr]
            return 64
    return None


def _system_to_come(
    machine: Machine, against: tuple[Chosen, ...], cures: set[str]
) -> _System | None:
    """The system after the change: the wanted one, or a 64-bit one where a cure installs it."""
    system = machine.system
    for chosen in against:
        if chosen.sheet.kind == "operating system":
            same = (system.os or "").lower() == chosen.sheet.title.lower()
            bits = _bits_of(chosen.release)
            if same and system.os_version == chosen.release.name and bits in (None, system.os_bits):
                return None
            return _System(
                chosen.label, chosen.sheet.title, chosen.release.name or None,
                bits if bits is not None else system.os_bits,
            )  # fmt: skip
    if "system" in cures and system.os_bits == 32:
        return _System("a 64-bit system", system.os, system.os_version, 64)
    return None


def _refuses(needs: tuple[Need, ...] | None, system: _System) -> str:
    """What a program's needs have against a system, or nothing."""
    for need in needs or ():
        test = need.test
        if need.key == "os_bits" and isinstance(test, Bound) and system.bits is not None:
            if not test.holds(system.bits):
                only = test.op in (c.EXACTLY, c.AT_MOST)
                bits = f"{test.limit}-bit systems only"
                return f"runs under {bits if only else need_text(need)}"
        elif need.key == "os" and isinstance(test, Named) and system.name is not None:
            fits = [
                in_range(system.version, span)
                for name, span in test.names
                if name.lower() == system.name.lower()
            ]
            if not fits or all(one is False for one in fits):
                return f"runs under {need_text(need)}"
    return ""


def installed_programs(machine: Machine, sheets: list[NeedsSheet]) -> list[Chosen]:
    """The machine's own programs whose needs are known, each at the release that fits best."""
    found = []
    versions = {one.name.lower(): one.version for one in machine.software or []}
    for sheet in sheets:
        if sheet.kind != "program" or sheet.title.lower() not in versions:
            continue
        release = _release_for(sheet, versions[sheet.title.lower()])
        if release is not None:
            found.append(Chosen(sheet, release))
    return found


def _release_for(sheet: NeedsSheet, version: str | None) -> Release | None:
    if len(sheet.releases) == 1:
        return sheet.releases[0]
    fitting = [
        one
        for one in sheet.releases
        if version is not None and (version == one.name or version.startswith(one.name + "."))
    ]
    return max(fitting, key=lambda one: len(one.name), default=None)


def broken_by_change(
    machine: Machine, against: tuple[Chosen, ...], installed: list[Chosen], cures: set[str]
) -> list[str]:
    """Programs that the system to come would break, each with what gives, as a sentence.

    ``cures`` are the kinds of cure of the short rows; ``installed`` the machine's own programs.
    """
    system = _system_to_come(machine, against, cures)
    if system is None:
        return []
    found = []
    wanted = {chosen.sheet.title for chosen in against}
    for chosen in (*against, *(one for one in installed if one.sheet.title not in wanted)):
        if chosen.sheet.kind != "program":
            continue
        why = _refuses(chosen.release.minimum, system)
        if not why:
            continue
        own = "" if chosen in against else ", which is installed here,"
        bits = f" of {system.bits} bits" if system.bits and "bit" not in system.label else ""
        found.append(
            f"{chosen.label}{own} {why}, and {system.label} is a system{bits}: "
            f"{_what_gives(chosen, system)}"
        )
    return found


def _what_gives(chosen: Chosen, system: _System) -> str:
    others = [
        one.name
        for one in chosen.sheet.releases
        if one is not chosen.release
        and needs_at(one, "minimum") is not None
        and not _refuses(one.minimum, system)
    ]
    if others:
        newest = max(others, key=_version_key)
        return f"{chosen.sheet.title} {newest} would lift it"
    return f"no release of {chosen.sheet.title} that is known would lift it"


def _version_key(name: str) -> tuple[int, ...]:
    try:
        return parse_version(name)
    except ValueError:
        return ()
