"""A needs sheet reviewed: what is allowed, but is rarely meant."""

from msgspec import Struct

from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.needs.sheet import NeedsSheet, Release
from tallcheck.core.needs.validation import every_need, unknown_names
from tallcheck.core.values import comparison as c
from tallcheck.core.values.comparison import Bound
from tallcheck.core.values.quantities import GIB, MIB, format_memory, format_storage


class Remark(Struct, frozen=True):
    """One problem or warning: the place by keys, and the text."""

    place: str
    text: str


def suspicions(sheet: NeedsSheet, vocabulary: Vocabulary) -> list[Remark]:
    """What is allowed, but is rarely meant."""
    found = []
    if not sheet.source:
        found.append(Remark("source", "no source: where do these figures come from?"))
    if sheet.read_on is None:
        found.append(Remark("read_on", "no reading date: publishers change their needs"))
    for at, release in enumerate(sheet.releases):
        prefix = f"release[{at}]." if release.name else ""
        found += _of_release(release, prefix, vocabulary)
    return found


def _limits(release: Release, level: str) -> dict[str, Bound]:
    needs = getattr(release, level) or ()
    return {need.key: need.test for need in needs if isinstance(need.test, Bound)}


def _of_release(release: Release, prefix: str, vocabulary: Vocabulary) -> list[Remark]:
    found = []
    minimum = _limits(release, "minimum")
    for key, bound in _limits(release, "recommended").items():
        least = minimum.get(key)
        if least and least.op == bound.op == c.AT_LEAST and bound.limit < least.limit:
            found.append(
                Remark(f"{prefix}recommended.{key}", "what is recommended is below the minimum")
            )
    for level in ("floor", "minimum", "recommended"):
        limits = _limits(release, level)
        place = f"{prefix}{level}"
        for need in every_need(getattr(release, level) or ()):
            found += [
                Remark(f"{place}.{need.key}", text) for text in unknown_names(need, vocabulary)
            ]
        memory = limits.get("memory")
        if memory and memory.limit < 64 * MIB:
            found.append(
                Remark(
                    f"{place}.memory", f"{format_memory(memory.limit)} is very little: MB or GB?"
                )
            )
        bits = limits.get("os_bits")
        if bits and bits.op == c.EXACTLY and bits.limit == 32:
            text = (
                "systems of 32 bits and no other: is that meant, or that the program is one of 32 "
                'bits, which also runs under 64 (then write ">= 32")?'
            )
            found.append(Remark(f"{place}.os_bits", text))
            if memory and memory.op == c.AT_LEAST and memory.limit > 4 * GIB:
                found.append(Remark(f"{place}.memory", "more than most 32-bit systems can address"))
        drive, free = limits.get("storage"), limits.get("storage_free")
        if drive and free and free.limit > drive.limit:
            text = (
                f"{format_storage(free.limit)} free on a drive of {format_storage(drive.limit)}: "
                "are the two the other way round?"
            )
            found.append(Remark(f"{place}.storage_free", text))
        for key in ("storage", "storage_free", "storage_data"):
            if key in limits and limits[key].op == c.AT_MOST:
                found.append(Remark(f"{place}.{key}", "an upper bound on storage is rarely meant"))
        cores, threads = limits.get("cores"), limits.get("threads")
        if cores and threads and cores.limit > threads.limit:
            found.append(Remark(f"{place}.cores", "more cores than threads: the other way round?"))
    return found
