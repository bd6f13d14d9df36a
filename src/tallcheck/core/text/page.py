"""A publisher's page of requirements, as people copy it, into values for a needs sheet.

Nothing is guessed: a line, or a part of one, that is not understood is handed back as it stands.
"""

import re
from typing import Any

from msgspec import Struct

from tallcheck.core.machine.instructions import LEVELS, canonical
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.text.processors import counts_said, processor_said
from tallcheck.core.values.comparison import MORE, OR_MORE
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.scanning import (
    ALONE,
    NUMBER,
    SAID_MOST,
    SIZE,
    Scan,
    fold,
    narrowed,
    whole_numbers,
)

MINIMUM, RECOMMENDED = "minimum", "recommended"
_BULLET = re.compile(r"^[\s>*\u2022\u00b7\u25cf\u25aa\u25e6\u2013-]+")
_CELLS = re.compile(r"\s*(?:\t+|\s\|\s|\||\s{2,})\s*")
_WHAT = (
    r"(?:(?:the|system|hardware|requirements?|specifications?|specs?|config(?:uration)?"
    r"|(?:system)?anforderung(?:en)?|(?:system)?voraussetzung(?:en)?|requise?s?|syst\u00e8me)\s*)*"
)
_SECTION = re.compile(
    rf"{_WHAT}(min(?:imum|imal\w*|dest\w*|imaux)|recommended|empfohlen\w*|recommand\u00e9\w*)"
    rf"\s*{_WHAT}:?",
    re.IGNORECASE,
)
_TITLE = re.compile(
    r"(?:[\w :,-]{0,60}\s)?(?:requirements|specifications"
    r"|(?:system)?(?:anforderungen|voraussetzungen)|configuration(?: requise)?)\s*:?",
    re.IGNORECASE,
)
_BETTER = r"(?:recommended|empfohlen|recommand\u00e9e?s?)"
_HALF = (
    rf"[(,;]\s*(?:at least |or )?({SIZE})(?:\s*\w+)?\s+(?:is )?{_BETTER}\b\s*\)?"
    rf"|[(,;]\s*{_BETTER}\s*:?\s+({SIZE})\s*\)?"
)
_MORE_CORES = rf"[(,;]\s*(\d+\s*(?:vcpus?|cores?|threads?))\s+(?:is |are )?{_BETTER}\b\s*\)?"
_NOT = r"(?i)\b(?:not|no longer|cannot|nicht|kein\w*|pas|jamais|except)\b|n['\u2019]t\b"
"""Words of what a page does not ask for, or does not allow."""
_EITHER_BITS = (
    r"\(?\b(?:x86|32)[\s-]*(?:bits?)?(?:\s*\(x86\))?\s*(?:or|and|/|,|&|oder|und|ou|et)\s*"
    r"(?:x64|x86[-_]64|64)(?:[\s-]*bits?)?(?:\s*\(x64\))?(?:\s*(?:versions?|editions?))?(?!\w)\)?"
)
"""Of either kind: nothing is asked for."""
_COUNT_OR_MORE = r"(?i)(\d)\s*\+(?=\s*(?:[kmgt]i?b|[gm]hz|cores?|threads?|v?cpus?)\b)"
_SPELLED = r"(?i)\b([kmgt])(?:ilo|ega|iga|era)(b|o|h)(?:ytes?|ctets?|ertz)\b(?:\s*\(\1\2z?\))?"
"""A unit in full, which may stand in brackets again: "4 gigabytes (GB)"."""


class Page(Struct):
    """What a page asks for, by level and key, and the lines that were not understood."""

    levels: dict[str, dict[str, Any]]
    left: list[tuple[int, str]]
    """Number and text of each line, whole or the part that is left."""


def read_page(text: str, system: bool, vocabulary: Vocabulary, title: str = "") -> Page:
    """The page; ``system``: it is of an operating system, whose storage is the whole drive.

    ``title`` is what the page is of: a system does not ask for itself.
    """
    page = Page({MINIMUM: {}, RECOMMENDED: {}}, [])
    level, columns = MINIMUM, False
    for number, raw in enumerate(text.replace("\ufeff", "").splitlines(), 1):
        line = narrowed(_BULLET.sub("", raw.replace("\u00a0", " ").strip()).rstrip())
        if len(line) > 4 * SAID_MOST:
            page.left.append((number, line[:SAID_MOST]))
            continue
        if not re.search(r"\w", line):
            continue
        cells = [cell for cell in _CELLS.split(line.strip("| ")) if cell]
        levels = [_level(cell) for cell in cells]
        if len(cells) == 1 and not levels[0] and _TITLE.fullmatch(cells[0]):
            continue
        if {MINIMUM, RECOMMENDED} <= set(levels):
            columns = True
            order = [one for one in levels if one]
        elif len(cells) == 1 and levels[0]:
            level, columns = levels[0], False
        elif columns and len(cells) > len(order):
            for one, cell in zip(order, cells[-len(order) :], strict=True):
                _statement(
                    f"{' '.join(cells[: -len(order)])}: {cell}",
                    one,
                    number,
                    page,
                    system,
                    vocabulary,
                )
        else:
            _statement(_joined(cells), level, number, page, system, vocabulary)
    if system:
        for values in page.levels.values():
            _without(title, values, vocabulary)
    return page


def _without(title: str, values: dict[str, Any], vocabulary: Vocabulary) -> None:
    """Take a system's own name out of the systems that are asked for."""
    own, same = re.sub(r"[\s\d.]+$", "", title), vocabulary.systems.same
    others = [one for one in values.get("os", []) if not same(one.partition(" >=")[0], own)]
    if others:
        values["os"] = others
    else:
        values.pop("os", None)


def _joined(cells: list[str]) -> str:
    return cells[0] if len(cells) == 1 else f"{cells[0].rstrip(':')}: {' '.join(cells[1:])}"


def _level(cell: str) -> str | None:
    match = _SECTION.fullmatch(cell.strip())
    if not match:
        return None
    return MINIMUM if match[1].lower().startswith("min") else RECOMMENDED


def _statement(
    text: str, level: str, number: int, page: Page, system: bool, vocabulary: Vocabulary
) -> None:
    """One statement into the page's values; what is left of it is handed back."""
    if re.search(_NOT, text):
        page.left.append((number, text))
        return
    found: dict[str, Any] = {}
    label, scan = _label(_plain(text), vocabulary)
    scan.take(_EITHER_BITS)
    better = None
    if match := scan.take(_HALF):
        better = next(filter(None, match.groups()))
    if match := scan.take(_MORE_CORES):
        for name, value in counts_said(match[1])[0].items():
            page.levels[RECOMMENDED].setdefault(name.removeprefix("processor."), value)
    for taker in (_system, _module, _firmware, _processor, _sets, _graphics, _sizes, _display):
        taker(label, scan, found, system, vocabulary)
    if better is not None:
        key = next((one for one in ("memory", "storage", "storage_free") if one in found), "memory")
        page.levels[RECOMMENDED].setdefault(key, better)
    for key, value in found.items():
        own = page.levels[level]
        if isinstance(value, list) and key in own:
            own[key] = [*own[key], *(one for one in value if one not in own[key])]
        elif own.setdefault(key, value) != value:
            page.left.append((number, f"{text} ({key} was {own[key]} before)"))
    rest = scan.left(vocabulary.phrases.page).strip("+/&, ")
    if not found and better is None:
        page.left.append((number, text))
    elif rest:
        page.left.append((number, f"{rest} (of: {text})"))


def _plain(text: str) -> str:
    """A statement without marks of trade, and with its units as they are written in short."""
    text = re.sub(r"(?i)\s?(?:\((?:r|tm)\)|[\u00ae\u2122])", "", text)
    text = re.sub(_COUNT_OR_MORE, r"\1", text)
    return re.sub(_SPELLED, _short_unit, text)


def _short_unit(match: re.Match[str]) -> str:
    return f"{match[1].upper()}{'Hz' if match[2].lower() == 'h' else 'B'}"


def _label(text: str, vocabulary: Vocabulary) -> tuple[str, Scan]:
    """The reading that a statement's label stands for, if it has one, and the rest."""
    head, colon, rest = text.partition(":")
    if fold(head) in _INTERFACES:
        return "", Scan(f"{head} {rest}")
    key = vocabulary.phrases.labels.get(fold(head), "") if colon and rest.strip() else ""
    if not key and colon and rest.strip():
        key = _HEADS.get(fold(head), "")
    if key or (colon and len(head.split()) <= 3 and rest.strip()):
        return key, Scan(rest)
    return "", Scan(text)


_INTERFACES = ("directx", "opengl", "vulkan")
_HEADS = {
    "disk space": "storage.free", "hard disk space": "storage.free",
    "free disk space": "storage.free", "espace disque": "storage.free", "syst\u00e8me": "system.os",
    "speicherplatz": "storage.free", "freier speicherplatz": "storage.free",
    "hard drive space": "storage.free", "available storage": "storage.free",
    "hard drive": "storage.drive", "video card": "graphics", "graphics": "graphics",
    "graphics card": "graphics", "system firmware": "firmware.mode", "supported os": "system.os",
    "supported operating systems": "system.os", "platform": "system.os",
}  # fmt: skip


_EDITIONS = "home|pro|professional|enterprise|education|lts|desktop"


def _system(
    label: str, scan: Scan, found: dict[str, Any], system: bool, vocabulary: Vocabulary
) -> None:
    """Operating systems, the lowest version of each, and their bits."""
    if scan.take(r"\b64[\s-]*bit (?:processor|cpu) and (?:os|operating system)\b"):
        found["processor_bits"] = found["os_bits"] = 64
    names = vocabulary.systems
    least: dict[str, str] = {}
    places: dict[str, int] = {}
    whole = scan.text
    for word in sorted(names.every_name(), key=lambda name: (-len(name), name)):
        called = names.called(word)
        if called is None:
            continue
        by_name = "|".join(map(re.escape, called.versions)) or "(?!)"
        pattern = (
            rf"\b{re.escape(word)}\b(?:\s+(?:GNU/)?Linux)?(?:\s+kernel)?(?:\s+({by_name})\b)?"
            r"(?:\s+(?:version\s+)?(\d+(?:\.\d+)*)(?:\s+SP\d)?)?"
            r"((?:\s*(?:/|,|or|and)\s*\d+(?:\.\d+)*(?![\d.]|\s*(?:[kmgt]i?b|[gm]hz|-?bit)))*)"
        )
        while match := scan.take(pattern):
            versions = re.findall(r"\d+(?:\.\d+)*", f"{match[2] or ''} {match[3]}")
            if match[1] and not versions:
                versions = [one for name, one in called.versions.items()
                            if name.lower() == match[1].lower()]  # fmt: skip
            version = min(versions, key=whole_numbers, default="")
            at = max(whole.find(match[0]), 0)
            places[called.name] = min(at, places.get(called.name, at))
            known = least.get(called.name)
            if known is None or (version and whole_numbers(version) < whole_numbers(known)):
                least[called.name] = version
    if not least:
        if label == "system.os" and scan.text.strip():
            _unknown_system(scan, found)
        return
    found["os"] = [
        f"{name} >= {least[name]}" if least[name] else name
        for name in sorted(least, key=lambda name: places[name])
    ]
    scan.take(rf"\(?\b(?:{_EDITIONS})\b\)?(?:\s*(?:/|,|or|and)\s*\b(?:{_EDITIONS})\b)*")
    bits = r"\(?\b(32|64)[\s-]*bits?\b(?!\s*(?:processor|cpu))"
    if match := scan.take(rf"{bits}(?:\s*(?:versions?|editions?|only|os|operating system))?\)?"):
        found["os_bits"] = int(match[1])


_OTHER_SYSTEM = re.compile(rf"\s*([^\W\d][\w .!-]*?)\s+(\d[\d.]*)\s*{OR_MORE}?\s*", re.IGNORECASE)


def _unknown_system(scan: Scan, found: dict[str, Any]) -> None:
    match = _OTHER_SYSTEM.fullmatch(scan.text)
    if match:
        found["os"] = [f"{match[1]} >= {match[2]}"]
        scan.text = ""


_MODULE = r"(?:trusted platform module|tpm|security module)"


def _module(
    label: str, scan: Scan, found: dict[str, Any], system: bool, vocabulary: Vocabulary
) -> None:
    match = scan.take(rf"\b{_MODULE}\b(?:\s*\(\s*tpm\s*\))?,?\s*(?:version\s*)?([12]\.\d)")
    if match is None and label == "firmware.security_module":
        match = scan.take(r"\b([12]\.\d)\b")
    if match:
        found["security_module"] = match[1]


def _firmware(
    label: str, scan: Scan, found: dict[str, Any], system: bool, vocabulary: Vocabulary
) -> None:
    if match := scan.take(r"\bsecure boot(?:[\s-]+(capable|able|enabled|on|required|supported))?"):
        enabled = (match[1] or "").lower() in ("enabled", "on")
        found["secure_boot"] = "on" if enabled else "able"
    if scan.take(r"\buefi\b"):
        found["firmware"] = "uefi"
    if scan.take(r"\b(?:hardware )?virtuali[sz]ation(?: support| technology| extensions)?\b"):
        found["virtualization"] = "able"


_ARCHITECTURES = r"\b(?:x64|x86[-_]64|amd64|arm64|aarch64)\b"
_ARCHITECTURE = {"arm64": "arm64", "aarch64": "arm64"}


def _processor(
    label: str, scan: Scan, found: dict[str, Any], system: bool, vocabulary: Vocabulary
) -> None:
    # behind a processor's name it is that one's
    if match := scan.take(rf"(?<![@\d.,])(?<!@ )({NUMBER}\s*[gm]hz)\b"):
        found["clock"] = match[1]
    more = rf"(\d)\s+or {MORE}\s+(?=(?:physical |logical )?(?:core|thread|proc))"
    counts, scan.text = counts_said(re.sub(more, r"\1 ", scan.text))
    for key, value in counts.items():
        found[key.removeprefix("processor.")] = value
    if match := scan.take(
        r"(?<!for )\b(32|64)[\s-]*bits?(?:\s*\(?x\d\d\)?)?\s*(?:processor|cpu|chip)?\b"
    ):
        found["os_bits" if label == "system.os" else "processor_bits"] = int(match[1])
    words = re.findall(_ARCHITECTURES, scan.text, re.IGNORECASE)
    if any(word.lower() in ("arm64", "aarch64") for word in words):
        found["architecture"] = [_ARCHITECTURE.get(word.lower(), "x86-64") for word in words]
    elif words:
        found["processor_bits"] = 64
    while scan.take(_ARCHITECTURES):
        pass
    lines = {}
    for part in re.split(rf"\s+or\s+(?!{MORE})|[/;]", scan.text):
        if not re.search(r"\bgen(?:eration)?\b", part, re.IGNORECASE):
            continue
        said = re.sub(rf"\b(?:or|and)?\s*{MORE}", " ", part)
        try:
            told = {one.key: one.value for one in processor_said(said, vocabulary.processors)}
        except InputError:
            continue
        if "processor.line" in told and "processor.generation" in told:
            lines[told["processor.line"]] = told["processor.generation"]
            scan.text = scan.text.replace(part, " ", 1)
    if lines:
        found["generation"] = lines


def _sets(
    label: str, scan: Scan, found: dict[str, Any], system: bool, vocabulary: Vocabulary
) -> None:
    names = []
    words = r"(?<![\w.-])[A-Za-z][\w.-]*\d[\w.-]*|\b(?:AVX|POPCNT|FMA|LAHF|MOVBE|AES)\b"
    for word in re.findall(words, scan.text):
        plain = word.strip(".")
        name = plain.lower() if plain.lower() in LEVELS else canonical(plain)
        if name is not None:
            names.append(name)
            scan.take(rf"\b{re.escape(plain)}(?!\w)")
    if names:
        found["instructions"] = names


def _graphics(
    label: str, scan: Scan, found: dict[str, Any], system: bool, vocabulary: Vocabulary
) -> None:
    api: dict[str, str] = {}
    for name, pattern in (
        ("d3d", r"\b(?:directx|direct3d|d3d|dx)\s*(?:version\s*)?(\d+(?:\.\d+)?)"),
        ("wddm", r"\bwddm\s*(\d\.\d)"),
        ("opengl", r"\bopengl\s*(\d\.\d)"), ("vulkan", r"\bvulkan\s*(\d\.\d)"),
    ):  # fmt: skip
        if match := scan.take(pattern):
            api[name] = match[1]
    if api:
        found["graphics"] = api
    memory = r"(?:of )?(?:vram|video memory|graphics memory|video ram|dedicated)"
    match = scan.take(rf"{ALONE}\s*{memory}")
    if match is None and label.startswith("graphics"):
        match = scan.take(ALONE)
    if match:
        found["graphics_memory"] = match[1]


_FREE = (
    r"(?:of\s+)?(?:free\b|available|freie[nr]?\b|libres?|d['\u2019]espace|disk space"
    r"|hard[\s-]?(?:disk|drive) space|storage space|space)"
)
_OF_MEMORY = (
    r"(?:(?:of|de)\s+)?(?:(?:system|unified|main|physical) )?"
    r"(?:ram|memory|arbeitsspeicher|m\u00e9moire)\b"
)


def _sizes(
    label: str, scan: Scan, found: dict[str, Any], system: bool, vocabulary: Vocabulary
) -> None:
    if match := scan.take(rf"{ALONE}\s*{_OF_MEMORY}"):
        found["memory"] = match[1]
    more = rf"\s*(?:or {MORE}\s*)?"
    if match := scan.take(rf"{ALONE}{more}{_FREE}"):
        found["storage_free"] = match[1]
    if match := scan.take(rf"{ALONE}{more}(?:of )?(?:storage|drive|(?:hard )?disk|ssd|hdd)\b"):
        found["storage" if system else "storage_free"] = match[1]
    if match := scan.take(ALONE) if label.startswith(("memory", "storage")) else None:
        key = "memory" if label.startswith("memory") else "storage_free"
        if label == "storage.drive" and system:
            key = "storage"
        found.setdefault(key, match[1])


def _display(
    label: str, scan: Scan, found: dict[str, Any], system: bool, vocabulary: Vocabulary
) -> None:
    if match := scan.take(r"\b(\d{3,4})\s*[x\u00d7]\s*(\d{3,4})\b"):
        found["display"] = f"{match[1]}x{match[2]}"
    elif match := scan.take(r"\(?\b(720|1080)p\b\)?"):
        found["display"] = {"720": "1280x720", "1080": "1920x1080"}[match[1]]
