"""A needs sheet reviewed: every problem at once, and what looks suspicious."""

import copy
import re
from typing import Any

from msgspec import Struct

from tallcheck.core.needs.sheet import NeedsSheet, Release, from_table
from tallcheck.core.needs.unknown_names import every_need, unknown_names
from tallcheck.core.values import comparison as c
from tallcheck.core.values.comparison import Bound
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.quantities import GIB, MIB, format_memory, format_storage

_PROBLEMS_MOST = 200
_PLACEHOLDERS = {"tallcheck": "needs/1", "title": "?", "kind": "program", "name": "?"}


class Remark(Struct, frozen=True):
    """One problem or warning: the place by keys, and the text."""

    place: str
    text: str


def problems(raw: dict[str, Any]) -> list[Remark]:
    """Every problem of a decoded sheet: each is taken out in turn, and the rest read again."""
    rest = copy.deepcopy(raw)
    found: list[Remark] = []
    while len(found) < _PROBLEMS_MOST:
        try:
            from_table(rest)
            return found
        except InputError as error:
            remark = Remark(error.where, str(InputError(error.found, error.expected)))
            if remark in found or not _take_out(rest, error.where):
                return found if remark in found else [*found, remark]
            found.append(remark)
    return found


def _steps(place: str) -> list[str | int]:
    parts: list[str | int] = []
    for name, index in re.findall(r"([^.\[\]]+)|\[(\d+)\]", place):
        parts.append(name or int(index))
    return parts


def _take_out(raw: dict[str, Any], place: str) -> bool:
    """Remove the entry at a place; a missing one that must be there is filled in."""
    steps = _steps(place)
    at: Any = raw
    for step in steps[:-1]:
        try:
            at = at[step]
        except (KeyError, IndexError, TypeError):
            return False
    if not steps or not isinstance(at, dict | list):
        return False
    last = steps[-1]
    if (
        isinstance(at, dict)
        and last in _PLACEHOLDERS
        and at.get(str(last)) != _PLACEHOLDERS[str(last)]
    ):
        at[last] = _PLACEHOLDERS[str(last)]
        return True
    try:
        del at[last]  # type: ignore[arg-type]
    except (KeyError, IndexError, TypeError):
        return False
    return True


# --- what looks suspicious -----------------------------------------------------------------


def suspicions(sheet: NeedsSheet) -> list[Remark]:
    """What is allowed, but is rarely meant."""
    found = []
    if not sheet.source:
        found.append(Remark("source", "no source: where do these figures come from?"))
    if sheet.read_on is None:
        found.append(Remark("read_on", "no reading date: publishers change their needs"))
    for at, release in enumerate(sheet.releases):
        prefix = f"release[{at}]." if release.name else ""
        found += _of_release(release, prefix)
    return found


def _limits(release: Release, level: str) -> dict[str, Bound]:
    needs = getattr(release, level) or ()
    return {need.key: need.test for need in needs if isinstance(need.test, Bound)}


def _of_release(release: Release, prefix: str) -> list[Remark]:
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
            found += [Remark(f"{place}.{need.key}", text) for text in unknown_names(need)]
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


# --- places as lines -----------------------------------------------------------------------

_HEADER = re.compile(r"\s*(\[\[?)\s*([^\]]+?)\s*\]\]?")
_KEY = re.compile(r"\s*([\w.\-\" ]+?)\s*=")


def lines_of(text: str) -> dict[str, int]:
    """The line on which each place of a TOML text stands, as far as simple reading tells."""
    lines: dict[str, int] = {}
    counts: dict[str, int] = {}
    table = ""
    for number, line in enumerate(text.splitlines(), 1):
        header = _HEADER.match(line)
        if header:
            table = _indexed(header[2].replace('"', ""), counts, header[1] == "[[")
            lines.setdefault(table, number)
            continue
        key = _KEY.match(line)
        if key:
            name = key[1].replace('"', "").strip()
            lines.setdefault(f"{table}.{name}" if table else name, number)
    return lines


def _indexed(name: str, counts: dict[str, int], array: bool) -> str:
    """A header's name with the index of each array of tables on the way."""
    path, plain = "", ""
    parts = [part.strip() for part in name.split(".")]
    for at, part in enumerate(parts):
        plain = f"{plain}.{part}" if plain else part
        path = f"{path}.{part}" if path else part
        if array and at == len(parts) - 1:
            counts[path] = counts.get(path, -1) + 1
        if path in counts:
            path += f"[{counts[path]}]"
    return path


def line_of(place: str, lines: dict[str, int]) -> int | None:
    """The line of a place, or of the table around it."""
    while place:
        if place in lines:
            return lines[place]
        cut = max(place.rfind("."), place.rfind("["))
        place = place[:cut] if cut > 0 else ""
    return None
