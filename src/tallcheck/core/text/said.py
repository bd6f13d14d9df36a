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
from tallcheck.core.machine.systems import EXPECTED as SYSTEM_EXPECTED
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.text.items import items_of
from tallcheck.core.text.plain_values import PLAIN, flag_said, flags_of, said_kind
from tallcheck.core.text.sheet_words import OWN_WORDS, SAID_FOR
from tallcheck.core.text.statement import read_statement, short_statement
from tallcheck.core.text.whose import names_drive
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.kinds import KINDS
from tallcheck.core.values.scanning import (
    LISTED_MOST,
    SAID_MOST,
    bounded,
    fold,
    unhedged,
)

MACHINE_NAMES = ("system.maker", "system.model")
_LISTS = ("sets", "modules", "software")  # their texts may be long
_PROCESSOR_EXPECTED = 'a processor\'s name, such as "Osier Wand S5 214"'
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
        if key in MACHINE_NAMES and _tells_other(text, vocabulary):
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
    flag = flags_of(vocabulary).get(fold(value)) if kind else None
    if kind and flag is not None:
        return [Told("storage.kind", kind if flag else _OTHER_KIND[kind])]
    return read_said(key or resolve_key(name.strip()), value, vocabulary)


_OTHER_KIND = {"solid": "spinning", "spinning": "solid"}


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


def _stated(key: str, text: str, vocabulary: Vocabulary) -> list[Told]:
    """What a statement tells of the part of the machine that was asked for, and of no other."""
    found = read_statement(text, vocabulary, key)
    section = key.partition(".")[0]
    told = [one for one in found.told if one.key.partition(".")[0] in (section, "extra")]
    beside = {"graphics"} if key == "processor.name" else set()
    whole = all(one in told or one.key in beside for one in found.told)
    if key == "processor.name" and whole and not found.denied:
        named = vocabulary.processors.named
        written = (_written_name(text), " ".join(text.split()))
        name = next((one for one in written if _has_architecture(named(one))), written[0])
        short = next((one.value for one in told if one.key == key), "")
        line = next((one.value for one in told if one.key == "processor.line"), None)
        whole_name = named(name)
        other = whole_name != named(short) and (whole_name is None or whole_name.line != line)
        if whole_name is not None and (found.left or other):
            others = [one for one in told if one.key not in _OF_A_NAME]
            return [Told(key, name), *others]
    if found.open or not whole or not told or _untold(key, found.left, text):
        known = found.open or any(one.key in (key, "processor.line") for one in told)
        unknown = [] if known else _unknown_name(key, found.left, vocabulary)
        if unknown:
            return [*unknown, *(one for one in told if one.key != key)]
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
    read = short_statement(text, vocabulary)
    return bool(read.told) and not read.left and fold(text) not in _MODELS


_MODELS = ("mac mini", "imac", "macbook")
"""Models that people take for words of a shape."""


def _untold(key: str, left: list[str], text: str) -> bool:
    """Whether what no rule took is more than a drive's maker and model."""
    return bool(left) and not (key.startswith("storage") and names_drive(" ".join(left)))


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
        coded = re.match(r"[^\W\d]|\d{4}", name) and re.search(r"\d", name)
        return [Told(key, name)] if coded and codes.isdisjoint(" F") else []
    if not codes <= {*"Zn.-"} or len(name.split()) > _SYSTEM_WORDS:
        return []
    said = vocabulary.systems.said(name)
    version = [Told("system.os_version", said.version)] if said.version else []
    return [Told(key, said.name), *version]


_SYSTEM_WORDS = 4
"""Words of a system's name that no data has, with its version."""


def _set_told(name: str, text: str, vocabulary: Vocabulary) -> list[Told]:
    """That one instruction set is there, or is not: ``avx2=yes``. Raises InputError."""
    key = "processor.instructions"
    if is_unknown(text, vocabulary):
        return []
    (there,) = flag_said(key, text, vocabulary)
    return [Told(key, [name if there.value else f"-{name}"])]


def _shape(key: str, text: str, vocabulary: Vocabulary) -> list[Told]:
    """A word for a shape, alone or in a sentence."""
    try:
        return PLAIN.get(key, flag_said)(key, text, vocabulary)
    except InputError:
        found = read_statement(text, vocabulary, key)
        told = [one for one in found.told if one.key in (key, "system.virtual")]
        if not told or len(found.left) > 1 or found.open:
            raise
        return told


def _sets(key: str, text: str, vocabulary: Vocabulary) -> list[Told]:
    try:
        return [Told(key, told_sets(text.replace(";", " ").replace(",", " ").split()))]
    except InputError:
        found = read_statement(text, vocabulary, key)
        if found.left or [one.key for one in found.told] != [key]:
            raise
        return found.told


def _read(key: str, text: str, vocabulary: Vocabulary) -> list[Told]:
    """By the reader of the reading itself, else by that of its kind."""
    for name in (key, said_kind(key)):
        reader = _STATED.get(name) or PLAIN.get(name)
        if reader is not None:
            return reader(key, text, vocabulary)
    return [Told(key, KINDS[said_kind(key)].read(" ".join(text.split())))]


_STATED: dict[str, Callable[[str, str, Vocabulary], list[Told]]] = {
    **dict.fromkeys(
        ("memory", "clock", "count", "storage", "processor.name", "system.os"), _stated
    ),
    "sets": _sets,
    "system.shape": _shape,
    "system.virtual": _shape,
}
"""By reading or by kind: readers of statements."""
