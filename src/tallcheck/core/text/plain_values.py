"""Readers of single values: versions, bits, flags, shapes, adapters, displays, programs."""

import re
from collections.abc import Callable

from tallcheck.core.machine.agreeing import adapters_told
from tallcheck.core.machine.instructions import told_sets
from tallcheck.core.machine.readings import Told, kind_of
from tallcheck.core.machine.sheet import ARCHITECTURES, Graphics, Program
from tallcheck.core.machine.systems import EXPECTED, SystemSaid
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.text.lexicon import (
    ARCHITECTURE_WORDS,
    DISPLAYS,
    INTERFACES,
    PSEUDO,
    SAID_FOR,
    SYSTEM_TYPE,
    VIRTUAL,
    lexicon_of,
    tokens_of,
    words_for,
)
from tallcheck.core.text.module_lists import modules_said
from tallcheck.core.values.errors import InputError, nearest
from tallcheck.core.values.quantities import parse_display, parse_memory, parse_version
from tallcheck.core.values.text import SAID_MOST, SIZE, TRANSFER, between_blanks, fold

_BITS = {"16": 16, "32": 32, "64": 64, "x64": 64, "x86 64": 64, "x86_64": 64, "amd64": 64,
         "arm64": 64, "aarch64": 64, "x86": 32, "i386": 32, "i686": 32}  # fmt: skip


_OTHER = r"(?i)(?:or|oder|ou|and|und|et|[/|&+])\s*\d"


def system_told(said: SystemSaid) -> list[Told]:
    """A system with its version, bits, edition, release and build."""
    told = [Told("system.os", said.name)]
    # of Linux itself the version is the kernel's
    version = "system.kernel" if said.name == "Linux" else "system.os_version"
    # the version as the system itself counts it, behind the edition, is none of that
    edition = re.sub(r"\s*\b\d+(?:\.\d+){2,}$", "", said.edition or "") or None
    for name, value in (
        (version, said.version), ("system.os_bits", said.bits),
        ("extra.os_edition", edition), ("extra.os_release", said.release),
        ("extra.os_build", said.build),
    ):  # fmt: skip
        if value is not None:
            told.append(Told(name, value))
    return told


_RELEASE = r"(?i)(?:version\s*)?(\d{2}H[12]|1[5-9]\d\d|20(?:02|04|09))"


def version_said(key: str, text: str, vocabulary: Vocabulary) -> list[Told]:
    """A version, or a whole system; a half-yearly release such as 22H2 stands for itself."""
    whole = vocabulary.systems.said(text) if re.match(r"\s*[^\W\d]{3}", text) else None
    if whole is not None and whole.known and whole.version:
        return system_told(whole)
    release = re.fullmatch(_RELEASE, text.strip())
    if release:
        return [Told("extra.os_release", release[1].upper())]
    return [Told(key, " ".join(re.sub(r"\([^()\d]*\)", " ", text).split()) or text.strip())]


_TYPE_BITS = (
    r"(?i)\b(32|64)[\s-]?bits?[\s-]*(?:operating system|betriebssystem|os|edition)\b"
    r"|syst\u00e8me d.exploitation (32|64)"
)
_TYPE_PROCESSOR = r"(?i)\b(x64|x86|arm)(?:64)?[\s-]?bas\w+|processeur (x64|x86|arm)"


_TYPE_PC = r"(?i)\bx86[\s-]?bas\w+ pc\b|\bpc\b.*\bx86\b"
"""What a 32-bit Windows calls a machine, whatever its processor could do."""


def is_system_type(text: str) -> bool:
    """Whether a text names the bits of a system as screens do."""
    return len(text) <= SAID_MOST and re.search(_TYPE_BITS, text) is not None


def system_type_said(key: str, text: str, vocabulary: Vocabulary) -> list[Told]:
    """The system's bits and the processor's architecture, or the system. Raises InputError."""
    if bits := re.fullmatch(r"\s*(32|64)[\s-]?bits?\s*", text, re.IGNORECASE):
        return [Told("system.os_bits", int(bits[1]))]
    told = []
    if match := re.search(_TYPE_BITS, text):
        told.append(Told("system.os_bits", int(match[1] or match[2])))
    if not told and re.search(_TYPE_PC, text):
        return [Told("system.os_bits", 32)]
    if not told and re.search(r"(?i)\bx64[\s-]?bas\w+ pc\b", text):
        told.append(Told("system.os_bits", 64))
    if match := re.search(_TYPE_PROCESSOR, text):
        word = (match[1] or match[2]).lower()
        architecture = {"x64": "x86-64", "x86": "x86", "arm": "arm64"}[word]
        told.append(Told("processor.architecture", architecture))
    if told or fold(text) in ARCHITECTURE_WORDS:
        return told or architecture_said("processor.architecture", text)
    said = vocabulary.systems.said(text)
    if not said.known:
        expected = 'a text such as "64-bit operating system, x64-based processor"'
        raise InputError(f'found "{text.strip()}"', expected)
    if re.match(_OTHER, said.edition or ""):
        raise InputError(f'found two versions in "{text.strip()}"', EXPECTED)
    return system_told(said)


def bits_said(key: str, text: str) -> list[Told]:
    """32 or 64, with the architecture where a word for it is said. Raises InputError."""
    word = fold(text)
    if key == "processor.bits" and re.fullmatch(r"(?:(?:32|64) bits? ?(?:and|und|et)? ?)+", word):
        word = max(re.findall("32|64", word))  # it runs both: the wider one is what it has
    if word not in _BITS:
        word = fold(re.sub(r"[\s-]?bits?\b", "", text.strip(), flags=re.IGNORECASE))
        behind = r"\s*(?:based|based pc|based processor|os|operating system|system|edition)$"
        word = re.sub(behind, "", word)
    if word not in _BITS:
        raise InputError(f'found "{text.strip()}"', "32 or 64")
    told = [Told(key, _BITS[word])]
    if key == "processor.bits" and word in ARCHITECTURE_WORDS and word not in ("x86",):
        told.append(Told("processor.architecture", ARCHITECTURE_WORDS[word]))
    return told


def architecture_said(key: str, text: str) -> list[Told]:
    """An architecture, or bits where only these are said. Raises InputError."""
    word = fold(text)
    if word in ARCHITECTURE_WORDS:
        return [Told(key, ARCHITECTURE_WORDS[word])]
    if re.fullmatch(r"(?:32|64)(?: bits?)?", word):
        bits = "system.os_bits" if key.startswith("system.") else "processor.bits"
        return [Told(bits, int(word[:2]))]
    plain = word.replace(" ", "-").replace("_", "-")
    if plain not in ARCHITECTURES:
        raise InputError(
            f'found "{text.strip()}"{nearest(plain, list(ARCHITECTURES))}',
            "an architecture, one of " + ", ".join(ARCHITECTURES),
        )
    return [Told(key, plain)]


_SIZE = r"(?<![\w.,])(\d{3,6})\s*(?:[x\u00d7*]|\s(?:by|mal|par)\s)\s*(\d{3,6})(?!\w)"


def display_said(key: str, text: str) -> list[Told]:
    """The one size in a text such as ``15.6" FHD 1920x1080 @ 60 Hz``. Raises InputError."""
    sizes = {(int(wide), int(high)) for wide, high in re.findall(_SIZE, text, re.IGNORECASE)}
    if len(sizes) == 1:
        return [Told(key, "{}x{}".format(*sizes.pop()))]
    words = between_blanks(text)
    known = {size for name, size in DISPLAYS.items() if f" {name} " in words}
    if len(known) == 1 and not sizes:
        return [Told(key, known.pop())]
    return [Told(key, "{}x{}".format(*parse_display(text)))]


_OWN = ("d3d", "vulkan", "opengl", "metal", "wddm", "opencl", "cuda")
INTERFACE_NAMES = INTERFACES | {one: one for one in _OWN} | {"open gl": "opengl"}
"""What people call graphics interfaces, with the name that a sheet has."""
_API = rf"(?i)\b({'|'.join(INTERFACE_NAMES)})(?: version)?\s?v?:?\s?(\d{{1,2}}(?:\.\d{{1,2}})?)\b"
_LEVEL = r"(?i)\(?\b(?:fl|feature level)\s?\d+[._]\d\b\)?"
_EXPECTED = 'interfaces with versions, such as "vulkan 1.2"'


def graphics_said(key: str, text: str, vocabulary: Vocabulary) -> list[Told]:
    """Adapters by name, with memory and interfaces: ``GTX 1650 4GB, vulkan 1.2``. InputError."""
    if fold(text) == "none":
        return [Told(key, [])]
    if fold(text).partition(" ")[0] in map(fold, vocabulary.phrases.senses.get("not", ())):
        raise InputError(f'found "{text.strip()}"', "an adapter that is there, or none")
    only_interfaces = re.match(rf"\s*(?:{'|'.join(INTERFACE_NAMES)})\b", text, re.IGNORECASE)
    parts = filter(None, (one.strip() for one in re.split(r"[,;]|\s[+&]\s", text)))
    found = adapters_told([_pairs(one) if only_interfaces else _adapter(one) for one in parts])
    if not any(one.name or one.api for one in found):
        raise InputError(f'found "{text.strip()}"', "an adapter, or interfaces with versions")
    return [Told(key, found)]


def _adapter(text: str) -> Graphics:
    """What one part of a text tells of an adapter."""
    api = {INTERFACE_NAMES[name.lower()]: version for name, version in re.findall(_API, text)}
    rest = re.sub(_LEVEL, " ", re.sub(_API, " ", text))
    size = next(reversed([*re.finditer(SIZE, rest, re.IGNORECASE)]), None)
    rest = rest[: size.start()] + " " + rest[size.end() :] if size else rest
    name = " ".join(re.sub(rf"(?i)\(\s*\)|\bgddr\w+|{TRANSFER}", " ", rest).split())
    named = re.search(r"[^\W\d]", name) and (not api or re.search(r"[A-Z]|\d", name))
    return Graphics(name if named else None, parse_memory(size[1]) if size else None, api or None)


def _pairs(text: str) -> Graphics:
    """An interface, of whatever name, with its version."""
    name, _, version = re.sub(_LEVEL, "", text).replace(":", " ").strip().rpartition(" ")
    parse_version(version)
    if not name.strip():
        raise InputError(f'found "{text}"', _EXPECTED)
    return Graphics(api={INTERFACE_NAMES.get(name.strip().lower(), name.strip().lower()): version})


_FLAGS = {"yes": True, "true": True, "y": True, "1": True, "no": False, "false": False, "n": False,
          "0": False}  # fmt: skip


def said_kind(key: str) -> str:
    """The kind of value that a text for a reading holds; that of a pseudo key is text."""
    return "text" if key in PSEUDO else kind_of(key)


def shape_said(text: str, vocabulary: Vocabulary) -> str | None:
    """The shape of a machine in the trade's words; None where it is none of them."""
    words = words_for("system.shape", vocabulary)
    word = fold(text)
    found = words.get(word) or words.get(word.rstrip("s"))
    if found is None and len(word.split()) <= 3:
        # a maker's word or "computer" beside it
        within = {words[one] for one in word.split() if one in words and one != "pc"}
        found = within.pop() if len(within) == 1 else None
    return found


def _within(text: str, words: dict[str, str], vocabulary: Vocabulary) -> str | None:
    """The one of some words that a text has, among labels and words that tell nothing."""
    found, rest = set(), between_blanks(text)
    for said in sorted(words, key=len, reverse=True):
        if f" {said} " in rest:
            found.add(words[said])
            rest = rest.replace(f" {said} ", "  ")
    tokens, at = tokens_of(rest), 0
    lexicon = lexicon_of(vocabulary)
    while at < len(tokens):
        known = lexicon.longest(tokens, at)
        if known is None or known[0].senses.keys().isdisjoint(("filler", "label", "owner", "kind")):
            return None
        at = known[1]
    return found.pop() if len(found) == 1 else None


def _word(key: str, text: str, vocabulary: Vocabulary) -> list[Told]:
    words = words_for(key, vocabulary)
    if key == "system.shape" and fold(text) in VIRTUAL:
        return [Told("system.virtual", True)]
    word = shape_said(text, vocabulary) if key == "system.shape" else words.get(fold(text))
    word = word or _within(text, words, vocabulary)
    if word is None:
        known = ", ".join(dict.fromkeys(words.values()))
        raise InputError(f'found "{text.strip()}"', f"one of {known}")
    return [Told(key, word)]


_MODULE_VERSION = re.compile(r"(?<![\d.])(1\.2|2\.0|[12])(?!\.?\d)")
_NOT_ITS_VERSION = re.compile(r"(?i)\bspec(?:ification)?\b.*\d\.\d\d")


def _module_version(key: str, text: str, vocabulary: Vocabulary) -> list[Told]:
    senses = vocabulary.phrases.senses
    word = between_blanks(text)
    if any(f" {fold(one)} " in word for one in senses.get("off", ())):
        return [Told(key, "off")]
    if word.strip() == "none" or any(f" {fold(one)} " in word for one in senses.get("not", ())):
        return [Told(key, "none")]
    match = _MODULE_VERSION.search(text)
    if not match or _NOT_ITS_VERSION.search(text):
        expected = 'a version of the security module, such as "2.0", or none'
        raise InputError(f'found "{text.strip()}"', expected)
    return [Told(key, {"1": "1.2", "2": "2.0"}.get(match[1], match[1]))]


_DATE = r"\d{1,2}/\d{1,2}/\d{2,4}|\d{4}[./-]\d{1,2}[./-]\d{1,2}|\d{1,2}[.-]\d{1,2}[.-]\d{4}"
"""A day; three numbers between dots are a version unless one is a year."""


def _firmware(key: str, text: str, vocabulary: Vocabulary) -> list[Told]:
    """A version, with the mode where that stands beside it: ``1.2 (type: UEFI)``."""
    mode = re.search(r"\(type: (\w+)\)", text, re.IGNORECASE)
    modes = words_for("firmware.mode", vocabulary)
    word = modes.get(fold(mode[1])) if mode else None
    if not re.search(r"\d", text) and (alone := modes.get(fold(text.split(",")[0]))):
        return [Told("firmware.mode", alone)]  # "BIOS: Legacy"
    version = re.sub(r"\s*\(type: \w+\)", "", " ".join(text.split()), flags=re.IGNORECASE)
    dated = re.fullmatch(rf"(.+?),? ({_DATE})", version)
    told = [Told(key, dated[1]), Told("firmware.date", dated[2])] if dated else [Told(key, version)]
    return told + ([Told("firmware.mode", word)] if word else [])


def flags_of(vocabulary: Vocabulary) -> dict[str, bool]:
    """The words for yes and no, in every language."""
    said = vocabulary.phrases.words.get("yes", {})
    return _FLAGS | {one: value == "yes" for one, value in said.items()}


def flag_said(key: str, text: str, vocabulary: Vocabulary) -> list[Told]:
    """A yes or a no. Raises InputError."""
    word, flags = fold(text), flags_of(vocabulary)
    if word not in flags:
        raise InputError(f'found "{text.strip()}"', "yes or no")
    return [Told(key, flags[word])]


def _bits(key: str, text: str, vocabulary: Vocabulary) -> list[Told]:
    if is_system_type(text):
        return system_type_said(key, text, vocabulary)
    return bits_said(key, text)


def _programs(key: str, text: str) -> list[Told]:
    programs = []
    for entry in filter(None, (part.strip() for part in text.split(";"))):
        name, _, version = entry.rpartition(" ")
        numbered = bool(name) and re.match(r"v?\d", version) is not None
        programs.append(Program(name, version.lstrip("v")) if numbered else Program(entry))
    return [Told(key, programs)]


_Reader = Callable[[str, str, Vocabulary], list[Told]]


def _by_text(read: Callable[[str, str], list[Told]]) -> _Reader:
    """A reader of texts that hold no names."""
    return lambda key, text, vocabulary: read(key, text)


PLAIN: dict[str, _Reader] = {
    "bits": _bits, "flag": flag_said, "firmware.version": _firmware,
    "firmware.security_module": _module_version, SYSTEM_TYPE: system_type_said,
    **dict.fromkeys(SAID_FOR, _word),
    "modules": lambda key, text, vocabulary: [Told(key, modules_said(text, vocabulary))],
    "sets": _by_text(lambda key, text: [Told(key, told_sets(re.split(r"[\s;,]+", text.strip())))]),
    "system.virtual": flag_said, "software": _by_text(_programs),
    "graphics": graphics_said,
    "system.os_version": version_said, "display": _by_text(display_said),
    "processor.architecture": _by_text(architecture_said),
    "system.architecture": _by_text(architecture_said),
}  # fmt: skip
"""Readers by reading or by kind."""


def tried_plain(key: str, text: str, vocabulary: Vocabulary) -> list[Told]:
    """What a text tells of a reading by its own words; nothing where it does not."""
    reader = PLAIN.get(key) or PLAIN.get(said_kind(key))
    try:
        return reader(key, text, vocabulary) if reader is not None else []
    except InputError:
        return []
