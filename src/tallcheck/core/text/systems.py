"""What people say of a system and its bits, and of a processor's architecture."""

import re

from tallcheck.core.machine.readings import Told
from tallcheck.core.machine.sheet import ARCHITECTURES
from tallcheck.core.machine.systems import EXPECTED, SystemSaid
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.text.sheet_words import ARCHITECTURE_WORDS
from tallcheck.core.values.errors import InputError, nearest
from tallcheck.core.values.scanning import SAID_MOST, fold

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


_RELEASE = r"(?i)(?:version\s*)?(\d{2}H[12]|1[5-9]\d\d|20(?:04|09))"


def version_said(key: str, text: str, vocabulary: Vocabulary) -> list[Told]:
    """A version, or a whole system; a half-yearly release such as 22H2 stands for itself."""
    whole = vocabulary.systems.said(text) if re.match(r"\s*[^\W\d]{3}", text) else None
    if whole is not None and whole.known and whole.version:
        return system_told(whole)
    release = re.fullmatch(_RELEASE, text.strip())
    if release:
        return [Told("extra.os_release", release[1].upper())]
    return [Told(key, " ".join(text.split()))]


_TYPE_BITS = (
    r"(?i)\b(32|64)[\s-]?bit[\s-]*(?:operating system|betriebssystem|os|edition)\b"
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
