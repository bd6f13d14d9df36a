"""Memory and storage as people and screens write them, into readings."""

import re
from collections.abc import Callable
from typing import Any

from tallcheck.core.machine.readings import Told
from tallcheck.core.machine.sheet import Kit, Module
from tallcheck.core.machine.vocabulary import Phrases
from tallcheck.core.text.modules import SOLDERED, modules_said
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.plain import whole_number
from tallcheck.core.values.quantities import (
    GIB,
    MEMORY_EXPECTED,
    MIB,
    STORAGE_EXPECTED,
    parse_memory,
    parse_storage,
)
from tallcheck.core.values.scanning import ALONE, NUMBER, NUMBER_WORDS, SIZE, UNIT, Scan

_ABOUT = ("about", "around", "approx", "approximately", "ca", "circa", "roughly", "~")
_MEMORY_FILLERS = (
    *_ABOUT, "ram", "memory", "of", "installed", "fitted", "total", "physical", "system", "main",
    "arbeitsspeicher", "ecc", "memoire", "m\u00e9moire", "vive", "de", "dual", "single", "channel",
    "in", "the", "there", "is", "are", "has", "it", "kit", "modules", "module", "sticks", "stick",
    "slots", "slot", "x", "unified", "shared", "dimms", "dimm", "a", "an", "my",
    "which",
)  # fmt: skip
_TYPE = r"\b((?:lp)?ddr[1-6]?[lx]?|sdram)(?:[ -]?(?:pc\d?-)?(\d{3,5}))?\s*(?:mhz|mt/s|mts)?\b"
_BY_RATE = r"\bpc([2-5])(l)?-?\d{4,5}[a-z]*\b"
_FORM = r"\b(so-?dimm|u-?dimm|r-?dimm|dimm|lpcamm2?|camm2?)s?\b"
_STATE = r"(?:used|in use|free|empty|occupied|filled|full)"
_OF_SLOTS = rf"\b\d{{1,2}}\s*(?:out of|of|/)\s*(\d{{1,2}})\s*slots?(?:\s*(?:are|is)?\s*{_STATE})?\b"
_SLOTS = (
    rf"\b(\d{{1,2}})\s*slots?\b(?!\s*(?:are|is)?\s*{_STATE})"
    rf"(?:[\s,;(]+\d{{1,2}}\s*(?:slots?\s*)?{_STATE}\b)?"
)
_SOLDERED = rf"\b(?:{'|'.join(SOLDERED)}|on[ -]board)\b"
_BESIDE = r"(?i)\s*(?:[+,;&]|\b(?:and|plus|und|et|with|mit|avec)\b)\s*"
_FREE = r"(?:free|empty|freier|leerer|libre|vide)"
_COUNTS = rf"\d|an?|ein|une?|{'|'.join(NUMBER_WORDS)}"
_COUNT = rf"({_COUNTS})"
_FREE_SLOT = rf"(?i)^(?:{_COUNT}\s+)?{_FREE}\s+slots?$|^(?:{_COUNT}\s+)?slots?\s+{_FREE}$"
_NONE = "0|zero|no|keine?"
_FREE_BESIDE = (
    rf"[,;+]?\s*\b(?:({_COUNTS}|{_NONE})\s+(?:slots?\s+)?{_FREE}(?:\s+slots?)?\b"
    rf"|({_NONE})\s+(?:memory\s+)?slots?\b)"
)
_FORMS = {"sodimm": "SODIMM", "udimm": "DIMM", "rdimm": "DIMM", "dimm": "DIMM"}


def can_be_fitted(size: int) -> bool:
    """Whether modules can add up to a size: steps of 512 MB up to 3 GB, whole GB above."""
    return size % (512 * MIB if size <= 3 * GIB else GIB) == 0


def memory_said(text: str, phrases: Phrases) -> list[Told]:
    """What a text says of a machine's memory. Raises InputError where any of it is not understood.

    A figure that modules cannot add up to is what is usable; what is fitted follows from it.
    """
    if apart := _some_soldered(text):
        return apart
    scan = Scan(text)
    told: dict[str, Any] = {}
    usable = "|".join(map(re.escape, phrases.usable)) or "usable"
    bare = rf"({NUMBER})(?:\s*({UNIT}))?"
    for pattern in (
        rf"[(,]?\s*{bare}\s*(?:are |is |sind |ist )?(?:{usable})\b\s*\)?",
        rf"\b(?:{usable}):?\s*{bare}",
    ):
        if match := scan.take(pattern):
            told["memory.usable"] = parse_memory(f"{match[1]} {match[2] or 'GB'}")
            break
    if match := scan.take(rf"{SIZE}\s*(?:available|verf\u00fcgbar|disponible)\b"):
        told["memory.available"] = parse_memory(match[1])
    kind = _kind(scan, told)
    if match := scan.take(_OF_SLOTS) or scan.take(_SLOTS):
        told["memory.slots"] = int(match[1])
    fixed = bool(scan.take(_SOLDERED))
    modules, listed = _kits(scan), False
    match = scan.take(_FREE_BESIDE) if modules or fixed else None
    free = _number(match[1] or match[2]) if match else None
    sizes = []
    while match := scan.take(ALONE):
        sizes.append(parse_memory(match[1]))
    left = scan.left(_MEMORY_FILLERS)
    if left.strip("+&/~") or len(sizes) > 1 or not (sizes or modules or told or kind):
        parse_memory(text)  # its own reason, where it is a plain number
        raise InputError(f'found "{text.strip()}"', MEMORY_EXPECTED)
    if fixed and not modules:
        modules, sizes = sizes, []
    if modules:
        kind |= {"fixed": True} if fixed else {}
        there = [Module(size=one, **kind) for one in modules]
        empty = [Module(size=0)] * (free or 0)
        told["memory.modules"] = Kit(there) if free is None else there + empty
        listed = True
    for size in sizes:
        if can_be_fitted(size) or size < 64 * MIB or listed:
            told["memory.installed"] = size
        else:
            told.setdefault("memory.usable", size)
    if kind and not listed:
        told["extra.memory_type"] = kind["type"]
    return [Told(key, value) for key, value in told.items()]


def _some_soldered(text: str) -> list[Told]:
    """The modules and the total of ``8 GB soldered + 8 GB SODIMM``; none where all are alike."""
    if not re.search(_SOLDERED, text, re.IGNORECASE):
        return []
    whole = re.fullmatch(rf"(?is)\s*{SIZE}\s*[(:=,]\s*(.+?)\)?\s*", text)
    for total, parts in ((whole[1], whole[2]) if whole else ("", ""), ("", text)):
        pieces = [re.sub(_FREE_SLOT, _empty, one.strip()) for one in re.split(_BESIDE, parts)]
        if len(pieces) < 2 or not all(re.search(rf"(?i){SIZE}|^-", one) for one in pieces):
            continue
        modules = modules_said(",".join(pieces))
        if all(one.size for one in modules):
            modules = Kit(modules)  # of empty positions nothing is told
        told = [Told("memory.modules", modules)]
        return [*told, Told("memory.installed", parse_memory(total))] if total else told
    return []


def _empty(match: "re.Match[str]") -> str:
    return ",".join("-" * _number(match[1] or match[2] or "one"))


def _number(word: str) -> int:
    """A count in figures or words; an article is one."""
    if word.lower() in ("zero", "no", "kein", "keine"):
        return 0
    return whole_number(word) or NUMBER_WORDS.get(word.lower(), 1)


def _kind(scan: Scan, told: dict[str, Any]) -> dict[str, Any]:
    """The type of the modules, taken out; the form stays with it where it is told."""
    kind: dict[str, Any] = {}
    if match := scan.take(_BY_RATE):
        kind["type"] = f"DDR{match[1]}{match[2] or ''}"
    if match := scan.take(_TYPE):
        kind["type"] = match[1]
    if kind:
        kind["type"] = kind["type"].upper().replace("DDR4L", "DDR4")
    if match := scan.take(_FORM):
        form = match[1].lower().replace("-", "")
        told["extra.memory_form"] = _FORMS.get(form, "CAMM")
    scan.take(r"@?\s*\b\d{3,5}\s*(?:mhz|mt/s|mts)\b")
    return kind


def _kits(scan: Scan) -> list[int]:
    """Modules as ``2x4GB``, ``2x4`` behind a size, ``4GB x 2`` or ``4GB + 4GB``, taken out."""
    found: list[int] = []
    count = rf"([1-9]|{'|'.join(NUMBER_WORDS)})"
    pieces = r"(?:sticks?|modules?|dimms?|riegel|barrettes?)"
    for pattern in (rf"\b{count}\s*[x*]\s*{SIZE}",
                    rf"\b{count}\s+{pieces}\s+(?:of|with|\u00e0|de|mit)\s+{SIZE}",
                    rf"\b{count}\s+{SIZE}\s*{pieces}"):  # fmt: skip
        while match := scan.take(pattern):
            many = NUMBER_WORDS.get(match[1].lower()) or int(match[1])
            found += [parse_memory(match[2])] * many
    whole = rf"{SIZE}(?:\s*(?:of\s+)?(?:ram|memory|arbeitsspeicher))?"
    for pattern in (rf"{whole}\s*(?:\(|(?:in|as|on|auf|en|sur)\s+)\s*{count}\s+{pieces}\s*\)?",
                    rf"{whole}\s*(?:in an?\s+|in\s+)?\b(single|one)\s+{pieces}"):  # fmt: skip
        if match := scan.take(pattern):  # the size of all together
            many = NUMBER_WORDS.get(match[2].lower()) or int(match[2])
            found += [parse_memory(match[1]) // many] * many
    while match := scan.take(rf"{SIZE}\s*[x*]\s*(\d)\b"):
        found += [parse_memory(match[1])] * int(match[2])
    if not found and (match := scan.take(r"\(\s*(\d)\s*[x*]\s*(\d{1,3})\s*\)")):
        found = [int(match[2]) * GIB] * int(match[1])
    elif not found and (match := scan.take(r"\(\s*(\d{1,3}(?:\s*\+\s*\d{1,3})+)\s*\)")):
        found = [int(part) * GIB for part in match[1].split("+")]
    if not found:
        one = rf"{NUMBER}\s*{UNIT}"
        if match := scan.take(rf"\b({one}(?:\s*\+\s*{one})+)\b"):
            found = [parse_memory(part) for part in match[1].split("+")]
        elif match := scan.take(rf"\b(\d+(?:\s*\+\s*\d+)+)\s*({UNIT})\b"):
            found = [parse_memory(f"{part} {match[2]}") for part in match[1].split("+")]
    return found


def memory_size(text: str) -> int:
    """One size of memory, with words around it that say nothing: "8 GB RAM". InputError."""
    return _one_size(text, parse_memory)


def module_size(text: str) -> tuple[int, int]:
    """The size of a module that is sold, and how many are sold as one kit. Raises InputError.

    ``8 GB``, ``2x8GB``, ``16 GB (2 x 8 GB)``.
    """
    scan = Scan(text)
    kit = _kits(scan)
    if not kit and not re.search(r"(?i)\bkit\b", text):
        return memory_size(text), 1
    whole = scan.take(ALONE)
    odd = len(set(kit)) != 1 or (whole is not None and parse_memory(whole[1]) != sum(kit))
    if odd or scan.left(_MEMORY_FILLERS):
        raise InputError(
            f'found "{text.strip()}"', "one size, or a kit of equal ones such as 2x8GB"
        )
    return kit[0], len(kit)


def storage_size(text: str) -> int:
    """One size of storage, with words around it that say nothing. Raises InputError."""
    return _one_size(text, parse_storage)


def _one_size(text: str, parse: Callable[[str], int]) -> int:
    try:
        return parse(text)
    except InputError:
        scan = Scan(text)
        match = scan.take(ALONE)
        if match is None or scan.left((*_MEMORY_FILLERS, *_STORAGE_FILLERS, "ssd", "hdd")):
            raise
    return parse(match[1])


# --- storage ---------------------------------------------------------------------------------

_SOLID = r"\b(?:ssd|nvme|m\.?2|solid[ -]state|solid|emmc|flash)\b"
_SPINNING = r"\b(?:hdd|spinning|magnetic|\d{4,5}\s*rpm|u/min)\b"
_SPACE = r"(?:\s*(?:hard|disk|disc|drive|storage|space|room))*"
_STORAGE_FILLERS = (
    *_ABOUT, "drive", "disk", "hard", "storage", "of", "total", "local", "capacity", "with", "and",
    "size", "volume", "festplatte", "disque", "dur", "de", "von", "sur", "space", "pcie", "sata",
    "in", "the", "there", "is", "are", "has", "it", "on", "internal", "platz", "espace", "/", "~",
    "gen3", "gen4", "gen", "state", "frei", "free", "libre", "libres", "a", "an", "my", "still",
    "die", "der", "das", "ist", "ein", "eine", "meine", "noch", "la", "le", "est", "un", "une",
)  # fmt: skip


def _names_drive(left: str, kind: bool) -> bool:
    """Whether words beside a drive's size are its maker's and model's: "Osier MZ512-L7"."""
    if re.search(SIZE, left, re.IGNORECASE):
        return False  # of another thing
    words = left.split()
    plain = all(re.fullmatch(r"(?!\d{1,2}$)(?=.*[A-Z0-9])[^\W_][\w+./-]*", word) for word in words)
    coded = any(re.fullmatch(r"(?=.*\d)(?=.*[A-Za-z])[\w-]{5,}", word) for word in words)
    return plain and len(words) <= 8 and (coded or (kind and words[0][0].isupper()))


def storage_said(text: str, phrases: Phrases) -> list[Told]:
    """What a text says of the system's drive. Raises InputError where it is not understood."""
    scan = Scan(text)
    told: dict[str, Any] = {}
    free = "|".join(map(re.escape, phrases.free)) or "free|available|left"
    volume = scan.take(r"^\(?[a-z]:\\?\)?:?\s*|^/\w*\s+")
    if scan.take(_SOLID):
        told["storage.kind"] = "solid"
        while scan.take(_SOLID):
            pass
    if scan.take(_SPINNING):
        if "storage.kind" in told:
            raise InputError(f'found "{text.strip()}"', "one drive, the one that holds the system")
        told["storage.kind"] = "spinning"
        while scan.take(_SPINNING):
            pass
    size = None
    of = r"(?:\s*(?:space|room))?\s*(?:(?:out )?of|von|sur|/)\s*"
    if match := scan.take(rf"{ALONE}\s*(?:{free})\b{of}{SIZE}"):
        told["storage.free"], size = parse_storage(match[1]), parse_storage(match[2])
    else:
        for pattern in (rf"{ALONE}\s*(?:{free})\b", rf"\b(?:{free})\b{_SPACE}[\s:]*{SIZE}"):
            if "storage.free" not in told and (match := scan.take(pattern)):
                told["storage.free"] = parse_storage(match[1])
        if match := scan.take(ALONE):
            size = parse_storage(match[1])
    if size is None and "storage.kind" in told and (match := scan.take(r"(?<!\S)\d{3,4}(?!\S)")):
        size = parse_storage(f"{match[0]} GB")  # 256 SSD, 30 free
        if match := scan.take(rf"(?<!\S)(\d{{1,4}})\s*(?:{free})\b"):
            told["storage.free"] = parse_storage(f"{match[1]} GB")
    left = scan.left(_STORAGE_FILLERS)
    if (left and not _names_drive(left, "storage.kind" in told)) or (size is None and not told):
        parse_storage(text)
        raise InputError(f'found "{text.strip()}"', STORAGE_EXPECTED)
    if size is not None and told.get("storage.free", 0) > size:  # "475 GB free 120 GB"
        size, told["storage.free"] = told["storage.free"], size
    if size is not None:
        told = {"storage.size" if volume else "storage.drive": size, **told}
    return [Told(key, value) for key, value in told.items()]
