"""Memory modules by position, as people and shops list them."""

import re
from typing import Any

from msgspec import structs

from tallcheck.core.machine.modules import speed_of_rate
from tallcheck.core.machine.sheet import POSITIONS_MOST, Module
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.quantities import parse_memory
from tallcheck.core.values.text import SIZE, any_of

_EXPECTED = "modules by position, such as 8GB,4GB,-,- (- an empty one, * a soldered one, ? any)"
_EMPTY = r"(?i)(?:-|empty|none|0 ?gb|0)(?=\s|\(|$)"
_BARE = "([1248]|12|16|24|32|48|64|96|128|256)"
"""Sizes that need no unit, in GB."""
_SIZED = rf"(?i)(?:(\d{{1,4}})\s*[x\u00d7*]\s*)?(?:{SIZE}|{_BARE}$)"
_SIZE_IN_LINE = rf"(?i)(?<![\w.,-])(?:(\d{{1,4}})\s*[x\u00d7*]\s*)?{SIZE}(?![\w-])"
_TYPE = r"(?i)((?:lp)?ddr[1-6]?[lx]?)(?:-?(\d{3,5}))?"
_BY_RATE = r"(?i)pc([2-5])?(l)?-(\d{4,5})[a-z]*"  # PC3L-12800: MB a second
_SPEED = r"(?i)(\d{3,5})(?:mts)?"
_FORM = r"(?i)(?:so|u|r|lr|fb|cu|cso)?-?(?:dimm|camm2?)s?"
_WORDS: dict[str, dict[str, Any]] = {
    "*": {"fixed": True}, "soldered": {"fixed": True},
    "ecc": {"ecc": True}, "non-ecc": {"ecc": False}, "registered": {"registered": True},
    "buffered": {"registered": True}, "unbuffered": {"registered": False},
    **{key: {} for key in ("slot", "position", "module", "modules", "ram", "sdram", "@", "at")},
}  # fmt: skip
_PLACE = r"(?:slot|position|bank|socket|dimm|channel)[ _-]?[a-z]?\d{0,2}"
_NAMED = (
    r"(?i)([a-z][\w .-]{0,30}?|\d{1,2}|)\s*[:=]\s*"
    rf"|((?![\d x]*\d ?[gm])[\w -]{{0,20}}{_PLACE}|[a-d]\d)\s+(?=\S)"
)


def _glued(text: str) -> str:
    """The text with each speed and its unit as one word."""
    return re.sub(r"(?i)(\d)\s*(?:mt/s|mts|mhz)\b", r"\1mts", text)


def modules_said(text: str, vocabulary: Vocabulary) -> list[Module]:
    """The positions in order, with what is told of each. Raises InputError."""
    modules: list[Module] = []
    whole = re.sub(r"(?i)\bon-board\b", "on board", _glued(text))
    phrases = vocabulary.phrases
    empty_words = (*phrases.words.get("position", ()), *phrases.free)
    for said, ours in ((empty_words, "empty"), (phrases.senses.get("soldered", ()), "soldered")):
        whole = re.sub(any_of(said), ours, whole) if said else whole
    for part in (one.strip() for one in re.split(r"[,;+|/]", whole)):
        named = re.match(_NAMED, part)
        part = part[named.end() :] if named else part
        empty = re.match(_EMPTY, part)
        sized = None if empty else re.match(_SIZED, part)
        start = empty or sized or re.match(r"\?$", part)
        if start is None:
            raise InputError(f'found "{part}"', _EXPECTED)
        slot = (named[1] or named[2] or "") if named and not (sized and sized[1]) else ""
        size = _size(sized[2], sized[3]) if sized else 0 if empty else None
        one = Module(slot=slot or None, size=size)
        for word in part[start.end() :].split():
            told = _told(word.strip("()"))
            if told is None:
                raise InputError(f'found "{part}"', _EXPECTED)
            one = structs.replace(one, **told)
        count = int((sized[1] if sized else None) or 1)
        if len(modules) + count > POSITIONS_MOST:
            raise InputError(f'found "{part}"', f"at most {POSITIONS_MOST} positions")
        modules += [one] * count
    return modules


def _size(text: str | None, number: str | None) -> int:
    """A size, or a number alone, which of a module is of GB."""
    return parse_memory(text or f"{number} GB")


def module_named(text: str) -> tuple[Module, int]:
    """What a shop's line tells of a module, and how many come as one kit; the rest is passed over.

    The size is None where the line has none, or several.
    """
    sizes = list(re.finditer(_SIZE_IN_LINE, text))
    one, pack = Module(), 1
    kits = [found for found in sizes if found[1]] or sizes
    if len({(found[1], found[2]) for found in kits}) == 1:
        one, pack = Module(size=parse_memory(kits[0][2])), int(kits[0][1] or 1)
    for word in _glued(text).split():
        bare = word.strip("()[],;:")
        if not re.fullmatch(r"\d{3,5}", bare):  # a number alone is no speed here
            one = structs.replace(one, **(_told(bare) or {}))
    return one, pack


def _told(word: str) -> dict[str, Any] | None:
    """What one word tells of a module; None where it is not understood."""
    known = _WORDS.get(word.lower())
    if known is not None:
        return known
    if kind := re.fullmatch(_TYPE, word):
        told: dict[str, Any] = {"type": kind[1].upper()}
        return told | ({"speed": int(kind[2])} if kind[2] else {})
    if rate := re.fullmatch(_BY_RATE, word):
        named = f"DDR{rate[1]}{(rate[2] or '').upper()}" if rate[1] else None
        return ({"type": named} if named else {}) | {"speed": speed_of_rate(named, int(rate[3]))}
    if speed := re.fullmatch(_SPEED, word):
        return {"speed": int(speed[1])}
    if re.fullmatch(_FORM, word):
        return {"form": word.upper().replace("-", "").removesuffix("S")}
    return None


_PLACES = ("dimm", "sodimm", "so-dimm", "bank", "channel")
"""What screens call a position, besides people's words."""


def by_place(lines: list[str], vocabulary: Vocabulary) -> list[Module]:
    """Every position, from ``DIMM 2: 8192 MB``, a line each or in a row; what is read goes."""
    words = "|".join(map(re.escape, (*_PLACES, *vocabulary.phrases.senses.get("slot", ()))))
    place = (
        r"(?:channel[ _-]?[a-h]\d?[ _/-]+)?"
        rf"(?:(?:{words})(?:[ _#-]?\d{{1,2}}|[ _-][a-h]\d?)|[a-d]\d(?=\s*[:=]))"
    )
    form = re.compile(rf"(?i)\W*({place})(?: size)?\s*[\s:=\u2013-]\s*(\S.*)")
    found: list[Module] = []
    rest: dict[int, list[str]] = {}
    for at, line in enumerate(lines):
        if not re.search(place, line, re.IGNORECASE):
            continue
        rest[at] = []
        for part in re.split(r"[,;|]|\s/\s", line):
            match = form.fullmatch(part.strip())
            module = _one_module(match[2], vocabulary) if match else None
            if match and module:
                module = structs.replace(module, slot=match[1])
                found += [module] if module not in found else []  # told twice alike
            else:
                rest[at].append(part)
    if len(found) < 2:
        return []
    for at, parts in rest.items():
        lines[at] = ",".join(parts)
    return found


def _one_module(text: str, vocabulary: Vocabulary) -> Module | None:
    """What is told of one position; None where that is not understood."""
    try:
        modules = modules_said(text.strip("()[] "), vocabulary)
    except InputError:
        return None
    return modules[0] if len(modules) == 1 else None
