"""The one reader of what people say of a reading: typed, asked, pasted, or in a list's cell."""

import re
from collections.abc import Callable
from functools import lru_cache
from typing import Any

from tallcheck.core.machine.instructions import canonical, told_sets
from tallcheck.core.machine.naming import Namer
from tallcheck.core.machine.readings import (
    SHORT_NAMES,
    Told,
    in_bounds,
    kind_of,
    label_of,
    resolve_key,
)
from tallcheck.core.machine.sheet import Program
from tallcheck.core.machine.systems import EXPECTED as SYSTEM_EXPECTED
from tallcheck.core.machine.systems import Systems, SystemSaid
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.text.graphics import display_said, graphics_said
from tallcheck.core.text.modules import modules_said, positions_counted
from tallcheck.core.text.processors import EXPECTED as PROCESSOR_EXPECTED
from tallcheck.core.text.processors import clocks_said, counts_said, processor_said
from tallcheck.core.text.sheet_words import OWN_WORDS, SAID_FOR
from tallcheck.core.text.sizes import memory_said, storage_said
from tallcheck.core.text.systems import (
    architecture_said,
    bits_said,
    system_said,
    system_type_said,
    version_said,
)
from tallcheck.core.values import quantities as q
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.kinds import KINDS
from tallcheck.core.values.plain import whole_number
from tallcheck.core.values.scanning import (
    LISTED_MOST,
    NUMBER,
    NUMBER_WORDS,
    SAID_MOST,
    SIZE,
    Scan,
    bounded,
    fold,
    unhedged,
)

_LISTS = ("sets", "modules", "software")  # their texts may be long
SYSTEM_TYPE = "system type"
"""The pseudo key of a text that tells two things: the system's bits and the processor's."""

_FLAGS = {"yes": True, "true": True, "y": True, "1": True, "no": False, "false": False, "n": False,
          "0": False}  # fmt: skip
_EXPECTED = {"processor.name": PROCESSOR_EXPECTED, "system.os": SYSTEM_EXPECTED}
_NAMES = ("processor.name", "system.os", "system.maker", "system.model")


def is_unknown(text: str, vocabulary: Vocabulary) -> bool:
    """Whether somebody says that they do not know."""
    plain = text.strip()
    if plain in ("", "?", "??", "-", "--", "n/a", "N/A"):
        return True
    if plain.isdecimal():
        return False
    return fold(plain) in vocabulary.phrases.unknown


def read_said(key: str, text: str, vocabulary: Vocabulary) -> list[Told]:
    """The readings in what somebody says for one; none where they do not know. InputError."""
    if text in OWN_WORDS.get(key, ()):
        return [Told(key, text)]
    try:
        text = unhedged(bounded(text, LISTED_MOST if said_kind(key) in _LISTS else SAID_MOST))
    except InputError as error:
        raise error.at(key) from None
    if is_unknown(text, vocabulary) and not (key == "memory.modules" and text.strip() == "-"):
        return []
    try:
        other = plainly(text, vocabulary) if key in _NAMES else None
        # a model or a system is often called by its shape, but that alone is none
        if other not in (None, key) and (
            key not in ("system.model", "system.os")
            or other != "system.shape"
            or fold(text) in _words(other, vocabulary)
        ):
            raise InputError(f'found "{text.strip()}"', _EXPECTED.get(key, label_of(key)))
        return in_bounds(_read(key, text, vocabulary))
    except InputError as error:
        raise error.at(key) from None


def tried_said(key: str, text: str, vocabulary: Vocabulary) -> list[Told]:
    """The readings in a text; none where it does not read."""
    try:
        return read_said(key, text, vocabulary)
    except InputError:
        return []


def said_kind(key: str) -> str:
    """The kind of value that a text for a reading holds; that of a pseudo key is text."""
    return "text" if key == SYSTEM_TYPE else kind_of(key)


def is_list(key: str) -> bool:
    """Whether a reading holds several things, which one text may name."""
    return said_kind(key) in (*_LISTS, "graphics")


def value_said(key: str, text: str, vocabulary: Vocabulary) -> Any:
    """The one value that a text gives for a reading. Raises InputError."""
    for one in read_said(key, text, vocabulary):
        if one.key == key:
            return one.value
    raise InputError(f'found "{text.strip()}"', label_of(key), key)


def parse_told(text: str, vocabulary: Vocabulary) -> list[Told]:
    """The readings of a ``KEY=VALUE`` that somebody told. Raises InputError."""
    name, equals, value = bounded(text, LISTED_MOST).partition("=")
    if not equals or len(name) > SAID_MOST:
        raise InputError(f'found "{text[:SAID_MOST]}"', "KEY=VALUE, such as memory=8GB")
    key = vocabulary.phrases.labels.get(fold(name)) if "." not in name else None
    if key is None and (known := canonical(name)) and name.strip().lower() not in SHORT_NAMES:
        return _set_told(known, value, vocabulary)
    return read_said(key or resolve_key(name.strip()), value, vocabulary)


_OF_GRAPHICS = r"\b(?:vram|(?:video|graphics)(?: memory)?|grafikspeicher)\b"
_VIRTUAL = ("vm", "virtual machine", "virtual")
_NOT_ITS_OWN = rf"{NUMBER}\s*(?:[gt]i?b|gigs?)\b"
"""A size that is none of a processor's: of its caches, or as in "Athlon 3000G"."""
_DRIVES = r"\b(?:ssd|hdd|nvme|emmc|(?:hard )?(?:disk|drive)|festplatte|disque)\b"


def plainly(text: str, vocabulary: Vocabulary) -> str | None:
    """The reading that a text answers without doubt, whatever was asked; None where none."""
    return _plainly(text, vocabulary, vocabulary) if len(text) <= SAID_MOST else None


@lru_cache(maxsize=256)
def _plainly(text: str, words: Vocabulary, vocabulary: Vocabulary) -> str | None:
    """The same by a vocabulary; it is asked for often."""
    system = words.systems.called(text.rstrip("0123456789.").rstrip())
    if system is None and (shape_said(text, vocabulary) is not None or fold(text) in _VIRTUAL):
        return "system.shape"
    if fold(text) == "uefi":
        return "firmware.mode"
    if not re.search(_NOT_ITS_OWN, text, re.IGNORECASE) and (
        words.processors.named(text) is not None or _tells_line(text, words.processors)
    ):
        return "processor.name"
    if re.search(SIZE, text, re.IGNORECASE):
        if re.search(_DRIVES, text, re.IGNORECASE):
            return "storage.drive"
        if re.search(_OF_GRAPHICS, text, re.IGNORECASE):
            return "graphics.memory"
        if re.search(r"\b(?:free|frei|libres?)\b", text, re.IGNORECASE):
            return "storage.free"
        return "memory.installed"
    if re.search(r"(?<!\S)\d{3,4}\s*(?:ssd|hdd|nvme)\b", text, re.IGNORECASE):
        return "storage.drive"
    if system is None:
        try:
            said = words.systems.said(text)
        except InputError:
            return None
        if not said.known:
            return None
        plain = _is_edition(words.systems, said) if said.edition else said.version
        return "system.os" if plain else None
    return "system.os"


def _tells_line(text: str, namer: Namer) -> bool:
    """Whether a text names a line of processors, as "i5, 8th gen" does."""
    try:
        told = processor_said(text, namer)
    except InputError:
        return False
    return any(one.key == "processor.line" for one in told)


def _is_edition(systems: Systems, said: SystemSaid) -> bool:
    word = systems.called(said.name)
    known = {one.lower() for one in word.editions} if word is not None else set()
    return bool(said.edition) and set((said.edition or "").lower().split()) <= known


def shape_said(text: str, vocabulary: Vocabulary) -> str | None:
    """The shape of a machine in the trade's words; None where it is none of them."""
    words = _words("system.shape", vocabulary)
    word = fold(text)
    found = words.get(word) or words.get(word.rstrip("s"))
    if found is None and len(word.split()) <= 3:
        # a maker's word or "computer" beside it
        within = {words[one] for one in word.split() if one in words and one != "pc"}
        found = within.pop() if len(within) == 1 else None
    return found


# --- by reading --------------------------------------------------------------------------------


def _words(key: str, vocabulary: Vocabulary) -> dict[str, str]:
    return SAID_FOR[key] | vocabulary.phrases.words.get(key, {})


def _word(key: str, text: str, vocabulary: Vocabulary) -> list[Told]:
    words = _words(key, vocabulary)
    if key == "system.shape" and fold(text) in _VIRTUAL:
        return [Told("system.virtual", True)]
    word = shape_said(text, vocabulary) if key == "system.shape" else words.get(fold(text))
    if word is None:
        known = ", ".join(dict.fromkeys(words.values()))
        raise InputError(f'found "{text.strip()}"', f"one of {known}")
    return [Told(key, word)]


def _memory(key: str, text: str, vocabulary: Vocabulary) -> list[Told]:
    return memory_said(text, vocabulary.phrases)


def _size(key: str, text: str) -> list[Told]:
    """A size of memory besides what is fitted: the figure as it is."""
    plain = re.sub(
        r"^(?:up to|max(?:imum)?|about|ca\.?)\s+"
        r"|\s+(?:max(?:imum)?|v?ram|memory|(?:video|graphics)(?: memory)?)$",
        "", text.strip(), flags=re.IGNORECASE,
    )  # fmt: skip
    return [Told(key, q.parse_memory(plain))]


def _modules(key: str, text: str) -> list[Told]:
    return [Told(key, modules_said(text))]


def _storage(key: str, text: str, vocabulary: Vocabulary) -> list[Told]:
    told = storage_said(text, vocabulary.phrases)
    if key in ("storage.size", "storage.free") and len(told) == 1:
        return [Told(key, told[0].value)]
    if key == "storage.size":
        return [Told("storage.size" if one.key == "storage.drive" else one.key, one.value)
                for one in told]  # fmt: skip
    return told


def _processor(key: str, text: str, vocabulary: Vocabulary) -> list[Told]:
    return processor_said(text, vocabulary.processors)


_BOTH_KINDS = (
    r"(?i)\(\s*\d+\s*p(?:erformance)?(?:-cores?)?\s*(?:\+|and|,)"
    r"\s*\d+\s*e(?:fficiency)?(?:-cores?)?\s*\)"
)
"""How many of all cores are large ones, and how many small: ``(8P + 4E)``."""


def _count(key: str, text: str) -> list[Told]:
    counts, rest = counts_said(text)
    rest = re.sub(_BOTH_KINDS, " ", rest)
    rest = re.sub(r"[,()/]|\band\b", " ", rest).strip()
    if counts and key not in counts and (number := whole_number(rest)) is not None:
        counts[key], rest = number, ""
    if counts and not rest:
        return [Told(one, value) for one, value in counts.items()]
    if fold(text) in NUMBER_WORDS:
        return [Told(key, NUMBER_WORDS[fold(text)])]
    plain = re.sub(r"(?:slots?|positions?|sockets?|\(s\)|pieces?)$", "", rest or text.strip(),
                   flags=re.IGNORECASE)  # fmt: skip
    return [Told(key, q.parse_count(plain))]


_TWO_CLOCKS = (
    rf"\s*({NUMBER}\s*[mg]hz)\s*(?:-|to|/|,)?\s*\(?(?:up to|boost|turbo|max\.?)?\s*"
    rf"({NUMBER}(?:\s*[mg]hz)?)\)?\s*"
)


def _clock(key: str, text: str) -> list[Told]:
    both = re.fullmatch(_TWO_CLOCKS, text, re.IGNORECASE)
    if both and key == "processor.clock":
        unit = "" if re.search(r"hz", both[2], re.IGNORECASE) else both[1].strip()[-3:]
        most = q.parse_clock(both[2] + unit)
        return [Told(key, q.parse_clock(both[1])), Told("processor.clock_most", most)]
    scan = Scan(text)
    told = clocks_said(scan) if key == "processor.clock" else {}
    if told and not scan.left():
        return [Told(one, value) for one, value in told.items()]
    match = re.fullmatch(
        rf"\s*(?:base|max\.?|up to|about)?\s*({NUMBER}\s*[kmg]?hz)\s*"
        r"(?:\(?(?:base|max\.?|nominal|turbo|boost)\)?)?\s*",
        text, re.IGNORECASE,
    )  # fmt: skip
    return [Told(key, q.parse_clock(match[1] if match else text))]


def _generation(key: str, text: str, vocabulary: Vocabulary) -> list[Told]:
    match = re.fullmatch(
        r"\s*(?:gen(?:eration)?\s*)?(\d{1,2})(?:st|nd|rd|th|\.)?\s*(?:gen(?:eration)?)?\s*",
        text, re.IGNORECASE,
    )  # fmt: skip
    if match:
        return [Told(key, int(match[1]))]
    told = _processor(key, text, vocabulary)
    if any(one.key == "processor.line" for one in told):
        return told
    return [Told(key, q.parse_count(text))]


def _module_version(key: str, text: str) -> list[Told]:
    word = fold(text)
    if word in ("none", "no", "not present", "missing", "absent", "not found", "no tpm"):
        return [Told(key, "none")]
    match = re.fullmatch(
        r"(?:yes|ja|oui|,|f?tpm|version|v|security module|spec(?:ification)?|\s)*"
        r"([12](?:\.\d+)?)\b.*",
        text.strip(), re.IGNORECASE,
    )  # fmt: skip
    if not match:
        expected = 'a version of the security module, such as "2.0", or none'
        raise InputError(f'found "{text.strip()}"', expected)
    return [Told(key, {"1": "1.2", "2": "2.0"}.get(match[1], match[1]))]


def _firmware(key: str, text: str, vocabulary: Vocabulary) -> list[Told]:
    """A version, with the mode where that stands beside it: ``1.2 (type: UEFI)``."""
    mode = re.search(r"\(type: (\w+)\)", text, re.IGNORECASE)
    word = _words("firmware.mode", vocabulary).get(fold(mode[1])) if mode else None
    version = re.sub(r"\s*\(type: \w+\)", "", " ".join(text.split()), flags=re.IGNORECASE)
    return [Told(key, version)] + ([Told("firmware.mode", word)] if word else [])


def _flag(key: str, text: str, vocabulary: Vocabulary) -> list[Told]:
    said = vocabulary.phrases.words.get("yes", {})
    word = fold(text)
    flags = _FLAGS | {one: value == "yes" for one, value in said.items()}
    if word not in flags:
        raise InputError(f'found "{text.strip()}"', "yes or no")
    return [Told(key, flags[word])]


def _set_told(name: str, text: str, vocabulary: Vocabulary) -> list[Told]:
    """That one instruction set is there, or is not: ``avx2=yes``. Raises InputError."""
    key = "processor.instructions"
    if is_unknown(text, vocabulary):
        return []
    (there,) = _flag(key, text, vocabulary)
    return [Told(key, [name if there.value else f"-{name}"])]


def _sets(key: str, text: str) -> list[Told]:
    return [Told(key, told_sets(text.replace(";", " ").replace(",", " ").split()))]


def _programs(key: str, text: str) -> list[Told]:
    programs = []
    for entry in filter(None, (part.strip() for part in text.split(";"))):
        name, _, version = entry.rpartition(" ")
        numbered = bool(name) and re.match(r"v?\d", version) is not None
        programs.append(Program(name, version.lstrip("v")) if numbered else Program(entry))
    return [Told(key, programs)]


def _read(key: str, text: str, vocabulary: Vocabulary) -> list[Told]:
    """By the reader of the reading itself, else by that of its kind."""
    for name in (key, said_kind(key)):
        if name in _BY_NAMES:
            return _BY_NAMES[name](key, text, vocabulary)
        if name in _READERS:
            return _READERS[name](key, text)
    return [Told(key, KINDS[said_kind(key)].read(" ".join(text.split())))]


_READERS: dict[str, Callable[[str, str], list[Told]]] = {
    "memory": _size, "clock": _clock, "count": _count, "bits": bits_said, "sets": _sets,
    "modules": _modules, "software": _programs, "graphics": graphics_said,
    "system.os_version": version_said, "firmware.security_module": _module_version,
    "display": display_said,
    "memory.slots": lambda key, text: _count(key, positions_counted(text)),
    "processor.architecture": architecture_said, "system.architecture": architecture_said,
}  # fmt: skip
"""By reading or by kind: readers of texts that hold no names."""
_BY_NAMES: dict[str, Callable[[str, str, Vocabulary], list[Told]]] = {
    "storage": _storage, "flag": _flag, "memory.installed": _memory, "processor.name": _processor,
    "system.os": system_said, "firmware.version": _firmware, "processor.generation": _generation,
    SYSTEM_TYPE: system_type_said, **dict.fromkeys(SAID_FOR, _word),
}  # fmt: skip
"""The same for texts that hold names and phrases."""
