"""The words that people use, by what they do in a sentence; phrases are found token by token."""

from collections.abc import Iterator, Mapping
from functools import lru_cache
from typing import Any

from msgspec import Struct

from tallcheck.core.machine.readings import kind_of
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.text.sheet_words import (
    ARCHITECTURE_WORDS,
    DISPLAYS,
    SAID_FOR,
    SYSTEM_TYPE,
    VIRTUAL,
    words_for,
)
from tallcheck.core.text.tokens import Token, tokens_of
from tallcheck.core.values.quantities import STORAGE_UNITS

CODES = {
    "unit": "w", "number": "n", "adapter": "G", "generation": "g", "bit": "b", "core": "c",
    "thread": "t", "slot": "k", "module": "m", "socket": "o", "kind": "K", "usable": "u",
    "free": "f", "used": "U", "full": "U", "shared": "V", "most": "M", "least": "Q", "wish": "Q",
    "below": "<",
    "better": "R", "elsewhere": "$", "own": "y", "interface": "a", "not": "N", "was": "W",
    "instead": "i", "off": "z", "each": "E", "of": "F", "rather": "X", "soldered": "B",
    "times": "x",
    "cache": "C", "idle": "r", "cpus": "q", "owner": "O", "architecture": "A",
    "display": "d", "and": "&", "contrast": ",", "or": "|", "shape": "Y", "mode": "e", "label": "L",
    "aside": "L", "filler": " ",
}  # fmt: skip
"""One letter for each sense of a word, so that a sentence is a row of letters.

Of a word with several senses the first one here holds; what stands beside it is asked for then.
"""
_BETWEEN = frozenset("-._/'\u2019")
"""Marks that a phrase may be written with or without."""
_SIZES = ("memory", "storage")
_COUNTED = {"memory.slots": "slot", "processor.cores": "core", "processor.threads": "thread",
            "processor.sockets": "socket"}  # fmt: skip


class Word(Struct, frozen=True):
    """A phrase that is known: its senses, each with what it stands for."""

    senses: dict[str, Any]

    @property
    def sense(self) -> str:
        """The one that holds where nothing beside it says otherwise."""
        return next(one for one in CODES if one in self.senses)


class _Node(Struct):
    below: dict[str, "_Node"] = {}
    word: Word | None = None


class Lexicon:
    """Phrases of one vocabulary, and where they stand in a text."""

    def __init__(self, vocabulary: Vocabulary) -> None:
        self._root = _Node()
        for said, sense, value in _phrases(vocabulary):
            self._add(said, sense, value)

    def _add(self, phrase: str, sense: str, value: Any) -> None:
        node = self._root
        for token in tokens_of(phrase):
            if token.plain not in _BETWEEN:
                node = node.below.setdefault(token.plain, _Node())
        if node is not self._root:
            known = node.word.senses if node.word is not None else {}
            node.word = Word({**known, sense: value} if sense not in known else known)

    def longest(self, tokens: list[Token], at: int) -> tuple[Word, int] | None:
        """The longest phrase that begins at a token, and where it ends; None where none does."""
        node, found = self._root, None
        while at < len(tokens):
            token = tokens[at]
            if token.plain in _BETWEEN and node is not self._root and _glued(tokens, at):
                at += 1
                continue
            below = node.below.get(token.plain)
            if below is None:
                break
            node, at = below, at + 1
            if node.word is not None:
                found = node.word, at
        return found


def _glued(tokens: list[Token], at: int) -> bool:
    """Whether a mark joins: with blanks on both sides it parts what stands there."""
    before = tokens[at - 1].end == tokens[at].start
    return before or (at + 1 < len(tokens) and tokens[at].end == tokens[at + 1].start)


def _phrases(vocabulary: Vocabulary) -> Iterator[tuple[str, str, Any]]:
    """Each phrase with a sense that it has and what it stands for there."""
    phrases = vocabulary.phrases
    for label, key in phrases.labels.items():
        owns = key != SYSTEM_TYPE and kind_of(key) in _SIZES
        yield label, _COUNTED.get(key, "owner" if owns else "label"), key
        if key == "graphics":
            yield label, "owner", "graphics.memory"
    yield from ((label, "aside", None) for label in phrases.aside)
    tables: dict[str, Mapping[str, Any]] = {
        "shape": words_for("system.shape", vocabulary) | dict.fromkeys(VIRTUAL, "virtual"),
        "kind": words_for("storage.kind", vocabulary),
        "mode": SAID_FOR["firmware.mode"],
        "display": DISPLAYS,
        "architecture": ARCHITECTURE_WORDS,
        "unit": {said: said for said in STORAGE_UNITS if len(said) > 1},
        "number": phrases.numbers,
    }
    for sense, table in tables.items():
        yield from ((said, sense, value) for said, value in table.items())
    senses = {**phrases.senses, "usable": phrases.usable, "free": phrases.free}
    for sense, many in senses.items():
        yield from ((said, sense, None) for said in many)


@lru_cache(maxsize=8)
def lexicon_of(vocabulary: Vocabulary) -> Lexicon:
    """The phrases of a vocabulary, which are put in order once."""
    return Lexicon(vocabulary)
