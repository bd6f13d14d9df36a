"""Readers of single values that a reading's own words tell: versions, flags, shapes, programs."""

import re
from collections.abc import Callable

from tallcheck.core.machine.instructions import told_sets
from tallcheck.core.machine.readings import Told, kind_of
from tallcheck.core.machine.sheet import Program
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.text.graphics import display_said, graphics_said
from tallcheck.core.text.lexicon import lexicon_of
from tallcheck.core.text.modules import modules_said
from tallcheck.core.text.sheet_words import SAID_FOR, SYSTEM_TYPE, VIRTUAL, words_for
from tallcheck.core.text.systems import (
    architecture_said,
    bits_said,
    is_system_type,
    system_type_said,
    version_said,
)
from tallcheck.core.text.tokens import tokens_of
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.scanning import between_blanks, fold

_FLAGS = {"yes": True, "true": True, "y": True, "1": True, "no": False, "false": False, "n": False,
          "0": False}  # fmt: skip


def said_kind(key: str) -> str:
    """The kind of value that a text for a reading holds; that of a pseudo key is text."""
    return "text" if key == SYSTEM_TYPE else kind_of(key)


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
    word = words_for("firmware.mode", vocabulary).get(fold(mode[1])) if mode else None
    version = re.sub(r"\s*\(type: \w+\)", "", " ".join(text.split()), flags=re.IGNORECASE)
    dated = re.fullmatch(r"(.+?),? (\d{1,4}([./-])\d{1,2}\3\d{1,4})", version)
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
    "modules": _by_text(lambda key, text: [Told(key, modules_said(text))]),
    "sets": _by_text(lambda key, text: [Told(key, told_sets(re.split(r"[\s;,]+", text.strip())))]),
    "system.virtual": flag_said, "software": _by_text(_programs),
    "graphics": _by_text(graphics_said),
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
