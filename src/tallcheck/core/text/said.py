"""The one reader of what people say of a reading, typed, asked, pasted, in a cell; statements.

A statement's items go through a grammar over their senses: each rule is a pattern over the letters
of the items, and takes those it understands; what no rule took is handed back. A word that turns a
figure is part of the rule that takes the figure.
"""

import re
from functools import lru_cache
from typing import Any

from msgspec import Struct

from tallcheck.core.machine.amounts import can_be_fitted
from tallcheck.core.machine.instructions import canonical
from tallcheck.core.machine.names import Named
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
from tallcheck.core.text.figures import CLOCKS, COUNTS, NOT_SO
from tallcheck.core.text.items import items_of
from tallcheck.core.text.lexicon import OWN_WORDS, SAID_FOR, WHOLE
from tallcheck.core.text.names import NAMES
from tallcheck.core.text.plain_values import INTERFACE_NAMES, PLAIN, flag_said, flags_of, said_kind
from tallcheck.core.text.sentence import Sentence, apply
from tallcheck.core.text.whose import AMOUNTS
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.kinds import KINDS
from tallcheck.core.values.text import (
    LISTED_MOST,
    SAID_MOST,
    bounded,
    fold,
    unhedged,
    unwrapped,
)


class Statement(Struct):
    """Readings, the parts of the text that no rule took, and whether some of it settles nothing."""

    told: list[Told]
    left: list[str]
    doubtful: bool = False
    """Whether so much is not known that what is told may be of another thing."""
    open: bool = False
    """Something was asked for, denied, or said in two ways."""
    denied: bool = False
    """Something was asked for or denied."""


@lru_cache(maxsize=2048)
def read_statement(text: str, vocabulary: Vocabulary, asked: str | None = None) -> Statement:
    """What a text tells, where ``asked`` is the reading that it answers, if any."""
    sentence = Sentence(text, vocabulary, asked)
    try:
        apply(sentence, NOT_SO, CLOCKS, COUNTS, NAMES, AMOUNTS)
    except InputError:
        sentence.open = True
    told = [Told(key, value) for key, value in sentence.told.items() if value is not None]
    return Statement(told, sentence.left(), sentence.doubtful(), sentence.open, sentence.denied)


def short_statement(text: str, vocabulary: Vocabulary) -> Statement:
    """What a text tells; one that is longer than anybody says of a thing tells nothing."""
    return read_statement(text, vocabulary) if len(text) <= SAID_MOST else Statement([], [text])


MACHINE_NAMES = ("system.maker", "system.model")
_LISTS = ("sets", "modules", "software")  # their texts may be long
_PROCESSOR_EXPECTED = 'a processor\'s name, such as "Osier Wand S5 214"'
_DRIVE_EXPECTED = 'the drive that holds the system, such as "256 GB" or "1 TB HDD"'
_EXPECTED = {"processor.name": _PROCESSOR_EXPECTED, "system.os": SYSTEM_EXPECTED,
             "storage.drive": _DRIVE_EXPECTED}  # fmt: skip


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
        text = bounded(text, LISTED_MOST if said_kind(key) in _LISTS else SAID_MOST)
        text = unhedged(text, vocabulary.phrases.hedges)
        text = text if key in MACHINE_NAMES else unwrapped(text)
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
    word = fold(name.replace("_", " "))
    key = vocabulary.phrases.labels.get(word) if "." not in name else None
    if word not in SHORT_NAMES and key is None:
        if known := canonical(name):
            return _set_told(known, value, vocabulary)
        if word in INTERFACE_NAMES:
            return read_said("graphics", f"{word} {value}" if value[:1].isdigit() else value,
                             vocabulary)  # fmt: skip
    kind = SAID_FOR["storage.kind"].get(word) if " " not in word else None
    if kind is None:
        return read_said(key or resolve_key(name.strip()), value, vocabulary)
    flag = flags_of(vocabulary).get(fold(value))
    if flag is not None:
        return [Told("storage.kind", kind if flag else _OTHER_KIND[kind])]
    told = read_said("storage.drive", value, vocabulary)
    by_itself = not told or any(one.key == "storage.kind" for one in told)
    return told if by_itself else [*told, Told("storage.kind", kind)]


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
        unnamed = not short and whole_name is not None and whole_name.level
        if whole_name is not None and (found.left or other or unnamed):
            others = [one for one in told if one.key not in _OF_A_NAME]
            return [Told(key, name), *others]
    if found.open or not whole or not told or _untold(key, found):
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
    """Whether a text for a name is another thing: a size, a processor, a shape alone, a count."""
    if re.fullmatch(r"\s*\d{1,3}\s*", text):
        return True  # what processors' listings call a model
    read = short_statement(text, vocabulary)
    return bool(read.told) and not read.left and not fold(text).startswith(_MODELS)


def _processor_in(text: str, vocabulary: Vocabulary) -> list[Told]:
    """The processor that people name behind a model: ``MacBook Pro 14 M3 Pro``."""
    found = [one for one in short_statement(text, vocabulary).told if one.key == "processor.name"]
    named = vocabulary.processors.named(found[0].value) if len(found) == 1 else None
    if named is None or (named.maker == "Apple" and "mac" not in text.lower()):
        return []  # what Apple calls its own, others call their models
    return found


_MODELS = ("mac mini", "imac", "macbook")
"""Models that people take for words of a shape."""


def _names_drive(words: str) -> bool:
    """Whether words beside a drive's size may be its maker's and model's: "Osier MZ512-L7"."""
    several = words.split()
    plain = all(re.fullmatch(r"(?!\d{1,2}$)(?=.*[A-Z0-9])[^\W_][\w+./-]*", one) for one in several)
    coded = any(re.fullmatch(r"(?=.*\d)(?=.*[A-Za-z])[\w-]{5,}", one) for one in several)
    return plain and len(several) <= 8 and (coded or any(one[0].isupper() for one in several))


def _untold(key: str, found: Statement) -> bool:
    """Whether what no rule took may turn what is told: more than a word or two beside it.

    ``it's an old Osier laptop with Merrow 10``; a drive's maker and model are its own.
    """
    if not found.left or (key.startswith("storage") and _names_drive(" ".join(found.left))):
        return False
    versioned = any(one.key == "system.os_version" for one in found.told)
    return found.doubtful or key != "system.os" or not versioned


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
    named = {"Z"} <= codes <= {*"Zn.-"} and name[:1].isalpha()
    if not named or len(name.split()) > _SYSTEM_WORDS:
        return []
    said = vocabulary.systems.said(name)
    if said.known:
        return []
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


def _read(key: str, text: str, vocabulary: Vocabulary) -> list[Told]:
    """By the reader of the reading itself or of its kind, else as a statement that answers it."""
    if key == WHOLE:
        if told := short_statement(text, vocabulary).told:
            return told
        raise InputError(f'found "{text.strip()}"', "what a machine has: 8 GB, i5-6500, 256 GB SSD")
    if key == "system.model":
        return [Told(key, " ".join(text.split())), *_processor_in(text, vocabulary)]
    kind = said_kind(key)
    if kind in _FIGURES and re.fullmatch(_FIGURES[kind], text.strip()):
        value = int(KINDS[kind].read(text))
        if key != "memory.installed" or can_be_fitted(value):
            return [Told(key, value)]  # a figure needs no sentence
    own = PLAIN.get(key) or PLAIN.get(kind)
    stated = key in _STATED or kind in _STATED
    if own is None and not stated:
        return [Told(key, KINDS[kind].read(" ".join(text.split())))]
    if own is None:
        return _stated(key, text, vocabulary)
    try:
        return own(key, text, vocabulary)
    except InputError:
        if not stated:
            raise
        found = read_statement(text, vocabulary, key)
        told = [one for one in found.told if one.key in (key, *_BESIDE.get(key, ()))]
        if not told or found.open or len(found.left) > _LEFT_MOST.get(key, 0):
            raise
        return told


_SIZE_FIGURE = r"\d+(?:\.\d\d?)? ?[KMGTkmgt]i?[Bb]"
_FIGURES = {
    "memory": _SIZE_FIGURE, "storage": _SIZE_FIGURE, "count": r"\d+",
    "clock": r"\d+(?:\.\d\d?)? ?[MG]Hz",
}  # fmt: skip
"""Kinds of figures that can be read one way alone."""
_STATED = frozenset({
    "memory", "clock", "count", "storage", "processor.name", "system.os", "sets", "modules",
    "graphics", "system.shape", "system.virtual", "firmware.mode", "processor.virtualization",
})  # fmt: skip
"""Readings and kinds of which people say something in sentences."""
_BESIDE: dict[str, tuple[str, ...]] = {
    "system.shape": ("system.virtual",), "memory.modules": ("memory.slots",),
}  # fmt: skip
"""What a sentence may tell besides the reading that it answers."""
_LEFT_MOST = {"system.shape": 1, "system.virtual": 1}
"""Parts that may be left of a sentence: a shape is a word among others."""
