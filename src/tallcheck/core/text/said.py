"""The one reader of what people say of a reading: typed, asked, pasted, or in a list's cell."""

import re
from collections.abc import Callable
from typing import Any

from tallcheck.core.machine.instructions import canonical, told_sets
from tallcheck.core.machine.naming import Named
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
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.text.amounts import names_drive
from tallcheck.core.text.graphics import display_said, graphics_said
from tallcheck.core.text.items import items_of
from tallcheck.core.text.modules import modules_said
from tallcheck.core.text.sheet_words import OWN_WORDS, SAID_FOR, SYSTEM_TYPE
from tallcheck.core.text.statement import read_statement
from tallcheck.core.text.systems import (
    architecture_said,
    bits_said,
    is_system_type,
    system_type_said,
    version_said,
)
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.kinds import KINDS
from tallcheck.core.values.scanning import (
    LISTED_MOST,
    SAID_MOST,
    bounded,
    fold,
    unhedged,
)

_LISTS = ("sets", "modules", "software")  # their texts may be long
_PROCESSOR_EXPECTED = 'a processor\'s name, such as "Osier Wand S5 214"'
_FLAGS = {"yes": True, "true": True, "y": True, "1": True, "no": False, "false": False, "n": False,
          "0": False}  # fmt: skip
_EXPECTED = {"processor.name": _PROCESSOR_EXPECTED, "system.os": SYSTEM_EXPECTED}


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
        if key in ("system.maker", "system.model") and _tells_other(text, vocabulary):
            raise InputError(f'found "{text.strip()}"', label_of(key))
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
    kind = SAID_FOR["storage.kind"].get(fold(name))
    flag = _flags(vocabulary).get(fold(value)) if kind else None
    if kind and flag is not None:
        return [Told("storage.kind", kind if flag else _OTHER_KIND[kind])]
    return read_said(key or resolve_key(name.strip()), value, vocabulary)


_OTHER_KIND = {"solid": "spinning", "spinning": "solid"}


_VIRTUAL = ("vm", "virtual machine", "virtual")


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


def size_said(kind: str, text: str, vocabulary: Vocabulary) -> int:
    """One size of memory or storage, with words around it that say nothing. Raises InputError."""
    try:
        return int(KINDS[kind].read(text))
    except InputError:
        key = {"memory": "memory.installed", "storage": "storage.drive"}[kind]
        read = read_statement(bounded(text), vocabulary, key)
        sizes = [one.value for one in read.told if kind_of(one.key) == kind and one.value]
        if len(sizes) != 1 or read.left or read.open or len(read.told) > 1 + _beside(read.told):
            raise
        return int(sizes[0])


def _beside(told: list[Told]) -> int:
    """How many of some readings only say of what kind a size is."""
    return sum(one.key in ("storage.kind", "extra.memory_type") for one in told)


def module_size_said(text: str, vocabulary: Vocabulary) -> tuple[int, int]:
    """The size of a module that is sold, and how many are sold as one kit. Raises InputError.

    ``8 GB``, ``2x8GB``, ``16 GB (2 x 8 GB)``.
    """
    read = read_statement(bounded(text), vocabulary, "memory.installed")
    told = {one.key: one.value for one in read.told}
    kit = [one.size for one in told.get("memory.modules", ())]
    if not kit and not re.search(r"(?i)\bkit\b", text):
        return size_said("memory", text, vocabulary), 1
    total = told.get("memory.installed", sum(kit))
    if len(set(kit)) != 1 or total != sum(kit) or read.left or read.open:
        raise InputError(
            f'found "{text.strip()}"', "one size, or a kit of equal ones such as 2x8GB"
        )
    return kit[0], len(kit)


# --- by reading --------------------------------------------------------------------------------


def _words(key: str, vocabulary: Vocabulary) -> dict[str, str]:
    return SAID_FOR[key] | vocabulary.phrases.words.get(key, {})


def _word(key: str, text: str, vocabulary: Vocabulary) -> list[Told]:
    words = _words(key, vocabulary)
    if key == "system.shape" and fold(text) in _VIRTUAL:
        return [Told("system.virtual", True)]
    word = shape_said(text, vocabulary) if key == "system.shape" else words.get(fold(text))
    if word is None and key == "system.shape":
        found = read_statement(text, vocabulary, key)
        shapes = [one for one in found.told if one.key in (key, "system.virtual")]
        if shapes and len(found.left) <= 1 and not found.open:
            return shapes
    if word is None:
        known = ", ".join(dict.fromkeys(words.values()))
        raise InputError(f'found "{text.strip()}"', f"one of {known}")
    return [Told(key, word)]


def _modules(key: str, text: str) -> list[Told]:
    return [Told(key, modules_said(text))]


def _stated(key: str, text: str, vocabulary: Vocabulary) -> list[Told]:
    """What a statement tells of the part of the machine that was asked for, and of no other."""
    found = read_statement(text, vocabulary, key)
    section = key.partition(".")[0]
    told = [one for one in found.told if one.key.partition(".")[0] in (section, "extra")]
    beside = {"graphics"} if key == "processor.name" else set()
    whole = all(one in told or one.key in beside for one in found.told)
    if key == "processor.name" and not found.denied:
        named = vocabulary.processors.named
        written = (_written_name(text), " ".join(text.split()))
        name = next((one for one in written if _has_architecture(named(one))), written[0])
        short = next((one.value for one in told if one.key == key), "")
        if named(name) is not None and (found.left or named(name) != named(short)):
            others = [one for one in told if one.key not in _OF_A_NAME]
            return [Told(key, name), *others]
    if found.open or not whole or not told or _untold(key, found.left, text):
        known = found.open or any(one.key == key for one in told)
        named = [] if known else _unknown_name(key, found.left, vocabulary)
        if named:
            return [*named, *(one for one in told if one.key != key)]
        raise _not_understood(key, text)
    keys = {one.key for one in told}
    if (key == "system.os" and key not in keys) or (
        key == "processor.name" and keys == {"processor.bits"}
    ):
        raise _not_understood(key, text)
    return told


_OF_A_NAME = ("processor.name", "processor.line", "processor.generation", "processor.maker")


def _has_architecture(named: Named | None) -> bool:
    return named is not None and bool(named.architecture)


def _written_name(text: str) -> str:
    """A processor's name as it stands there, but for what stands in brackets or behind a comma."""
    bare = re.sub(r" ?\((?!(?:R|TM|C)\))[^()]*\)", "", text, flags=re.IGNORECASE)
    return " ".join(bare.split(",")[0].split())


def _tells_other(text: str, vocabulary: Vocabulary) -> bool:
    """Whether a text for a name is another thing: a size, a processor, a shape alone."""
    read = read_statement(text, vocabulary) if len(text) <= SAID_MOST else None
    if read is None or not read.told or read.left:
        return False
    return fold(text) not in _MODELS


_MODELS = ("mac mini", "imac", "macbook")
"""Models that people take for words of a shape."""


def _untold(key: str, left: list[str], text: str) -> bool:
    """Whether what no rule took is more than a drive's maker and model."""
    return bool(left) and not (key.startswith("storage") and all(map(names_drive, left)))


def _not_understood(key: str, text: str) -> InputError:
    """Why a text tells nothing: its own reason, where it is a plain figure."""
    kind = KINDS[said_kind(key)]
    try:
        kind.read(" ".join(text.split()))
    except InputError as error:
        if key not in _EXPECTED:
            return error
    return InputError(f'found "{text.strip()}"', _EXPECTED.get(key, label_of(key)))


def _unknown_name(key: str, left: list[str], vocabulary: Vocabulary) -> list[Told]:
    """A processor or a system that no data names: alone, and of no words that are known."""
    if key not in ("processor.name", "system.os") or len(left) != 1:
        return []
    name, codes = left[0], {one.code for one in items_of(left[0], vocabulary)}
    if key == "processor.name":
        coded = re.search(r"[^\W\d]", name) and re.search(r"\d", name)
        return [Told(key, name)] if coded and codes.isdisjoint(" F") else []
    if not codes <= {*"Zn.-"} or len(name.split()) > _SYSTEM_WORDS:
        return []
    said = vocabulary.systems.said(name)
    version = [Told("system.os_version", said.version)] if said.version else []
    return [Told(key, said.name), *version]


_SYSTEM_WORDS = 4
"""Words of a system's name that no data has, with its version."""


_MODULE_VERSION = re.compile(r"(?<![\d.])(1\.2|2\.0|[12])(?!\.?\d)")
_NOT_ITS_VERSION = re.compile(r"(?i)\bspec(?:ification)?\b.*\d\.\d\d")


def _module_version(key: str, text: str, vocabulary: Vocabulary) -> list[Told]:
    senses = vocabulary.phrases.senses
    word = f" {fold(text)} "
    if word.strip() == "none" or any(f" {fold(one)} " in word for one in senses.get("not", ())):
        return [Told(key, "none")]
    if any(f" {fold(one)} " in word for one in senses.get("off", ())):
        return [Told(key, "off")]
    match = _MODULE_VERSION.search(text)
    if not match or _NOT_ITS_VERSION.search(text):
        expected = 'a version of the security module, such as "2.0", or none'
        raise InputError(f'found "{text.strip()}"', expected)
    return [Told(key, {"1": "1.2", "2": "2.0"}.get(match[1], match[1]))]


def _firmware(key: str, text: str, vocabulary: Vocabulary) -> list[Told]:
    """A version, with the mode where that stands beside it: ``1.2 (type: UEFI)``."""
    mode = re.search(r"\(type: (\w+)\)", text, re.IGNORECASE)
    word = _words("firmware.mode", vocabulary).get(fold(mode[1])) if mode else None
    version = re.sub(r"\s*\(type: \w+\)", "", " ".join(text.split()), flags=re.IGNORECASE)
    return [Told(key, version)] + ([Told("firmware.mode", word)] if word else [])


def _flags(vocabulary: Vocabulary) -> dict[str, bool]:
    said = vocabulary.phrases.words.get("yes", {})
    return _FLAGS | {one: value == "yes" for one, value in said.items()}


def _flag(key: str, text: str, vocabulary: Vocabulary) -> list[Told]:
    word, flags = fold(text), _flags(vocabulary)
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


def _bits(key: str, text: str, vocabulary: Vocabulary) -> list[Told]:
    if is_system_type(text):
        return system_type_said(key, text, vocabulary)
    return bits_said(key, text)


def _sets(key: str, text: str, vocabulary: Vocabulary) -> list[Told]:
    try:
        return [Told(key, told_sets(text.replace(";", " ").replace(",", " ").split()))]
    except InputError:
        found = read_statement(text, vocabulary, key)
        if found.left or [one.key for one in found.told] != [key]:
            raise
        return found.told


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
    "modules": _modules, "software": _programs, "graphics": graphics_said,
    "system.os_version": version_said,
    "display": display_said,
    "processor.architecture": architecture_said, "system.architecture": architecture_said,
}  # fmt: skip
"""By reading or by kind: readers of texts that hold no names."""
_BY_NAMES: dict[str, Callable[[str, str, Vocabulary], list[Told]]] = {
    "memory": _stated, "clock": _stated, "count": _stated, "storage": _stated, "bits": _bits,
    "processor.name": _stated, "system.os": _stated, "flag": _flag, "firmware.version": _firmware,
    "sets": _sets, "firmware.security_module": _module_version,
    SYSTEM_TYPE: system_type_said, **dict.fromkeys(SAID_FOR, _word),
}  # fmt: skip
"""The same for texts that hold names and phrases."""
