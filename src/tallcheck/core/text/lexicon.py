"""Words: a text's tokens, what phrases of them do in a sentence, and a sheet's own words."""

import re
from collections.abc import Iterator, Mapping
from functools import lru_cache
from typing import Any, Literal

from msgspec import Struct

from tallcheck.core.machine.derive import USUAL
from tallcheck.core.machine.readings import kind_of
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.values.quantities import STORAGE_UNITS
from tallcheck.core.values.text import UNIT, compiled

SYSTEM_TYPE = "system type"
"""The pseudo key of a text that tells two things: the system's bits and the processor's."""
WHOLE = "whole machine"
"""The pseudo key of a text that tells of the machine whatever there is to tell."""
PSEUDO = (SYSTEM_TYPE, WHOLE)
_ARCHITECTURES = {
    "x86-64": ("x64", "amd64", "x86 64", "x86_64", "intel 64", "em64t", "x64 based pc",
               "x64 based processor", "x64 based"),
    "x86": ("x86", "i386", "i486", "i586", "i686", "ia32", "ia 32", "x86 based pc",
            "x86 based processor", "x86 based"),
    "arm64": ("arm64", "aarch64", "arm 64", "armv8", "arm64 based pc", "arm based pc",
              "arm64 based processor", "arm based processor", "apple silicon"),
    "arm": ("arm", "armv7", "armv7l", "armhf", "arm32", "armv6l"),
}  # fmt: skip
ARCHITECTURE_WORDS = {one: name for name, many in _ARCHITECTURES.items() for one in many}
DISPLAYS = {
    "full hd": "1920x1080", "fhd": "1920x1080", "1080p": "1920x1080", "720p": "1280x720",
    "wuxga": "1920x1200", "wqhd": "2560x1440", "qhd": "2560x1440", "hd+": "1600x900",
    "wqxga": "2560x1600", "uwqhd": "3440x1440", "5k": "5120x2880", "8k": "7680x4320",
    "4k": "3840x2160", "uhd": "3840x2160",
}  # fmt: skip
"""What the trade calls sizes of displays."""
INTERFACES = {"directx": "d3d", "direct3d": "d3d", "dx": "d3d"}
"""What people call graphics interfaces by other than the short name."""
VIRTUAL = ("vm", "virtual machine", "virtual")
"""What stands where a machine's shape is asked, and is none."""

_ON = {"on": "on", "enabled": "on", "active": "on", "yes": "on", "true": "on", "off": "able",
       "able": "able", "disabled": "able", "not enabled": "able", "false": "able",
       "capable": "able", "supported": "able", "none": "none", "unsupported": "none",
       "not supported": "none", "no": "none"}  # fmt: skip
SAID_FOR: dict[str, dict[str, str]] = {
    "system.shape": {
        "laptop": "notebook", "laptop pc": "notebook", "notebook": "notebook",
        "portable": "notebook",
        "convertible": "notebook", "ultrabook": "notebook", "netbook": "notebook",
        "2 in 1": "notebook", "chromebook": "notebook", "macbook": "notebook",
        "detachable": "tablet", "tablet": "tablet", "tablet pc": "tablet",
        "desktop": "desktop", "desktop pc": "desktop", "desktop computer": "desktop",
        "pc": "desktop", "workstation": "desktop", "sff": "desktop",
        "small form factor": "desktop", "low profile desktop": "desktop", "pizza box": "desktop",
        "imac": "all-in-one", "mac mini": "mini", "thin client": "mini",
        "tower": "tower", "mini tower": "tower", "minitower": "tower", "tower pc": "tower",
        "midi tower": "tower", "mini": "mini", "mini pc": "mini", "nuc": "mini",
        "stick pc": "mini", "micro": "mini", "space saving": "mini",
        "all in one": "all-in-one", "all in one pc": "all-in-one", "aio": "all-in-one",
        "server": "server", "rack": "server", "rack server": "server", "blade": "server",
        "rack mount chassis": "server", "main server chassis": "server", "board": "board",
        "single board computer": "board", "sbc": "board",
    },
    "firmware.mode": {
        "uefi": "uefi", "efi": "uefi", "legacy": "bios", "bios": "bios", "csm": "bios",
        "legacy bios": "bios",
    },
    "firmware.secure_boot": _ON,
    "processor.virtualization": _ON,
    "storage.kind": {
        "ssd": "solid", "nvme": "solid", "nvme ssd": "solid", "sata ssd": "solid", "m 2": "solid",
        "solid": "solid", "solid state": "solid", "solid state drive": "solid", "emmc": "solid",
        "hdd": "spinning", "hard disk": "spinning", "hard disk drive": "spinning",
        "spinning": "spinning", "magnetic": "spinning", "rotating": "spinning",
    },
    "processor.level": {f"x86 64 v{n}": f"x86-64-v{n}" for n in (1, 2, 3, 4)},
}  # fmt: skip
OWN_WORDS = {key: frozenset(words.values()) for key, words in SAID_FOR.items()} | dict.fromkeys(
    ("processor.architecture", "system.architecture"), frozenset(USUAL)
)
"""The words that a sheet itself has, by key."""


def words_for(key: str, vocabulary: Vocabulary) -> dict[str, str]:
    """What people say for a reading, in every language, with the sheet's word for each."""
    return SAID_FOR[key] | vocabulary.phrases.words.get(key, {})


_IN_THOUSANDS = (
    r"\d{1,3}(?:[ \u00a0\u202f]\d{3}){1,4}(?=(?:[.,]\d+)?\s*(?:[km]i?[bo]|mhz|bytes|octets)\b)"
)
"""Blanks part thousands of the small units: "10 256 GB" is two numbers."""
_NUMBER = (
    r"(?<!\d)(?<!\d[.,'\u2019])"
    rf"(?:{_IN_THOUSANDS}|1[ \u00a0\u202f]000(?!\d)|\d+)(?:[.,'\u2019]\d+)*"
)
_TOKEN = (
    rf"(?P<times>(?<=[\dbBoO])(?!(?<=\b64)\s+x2\b)\s*[x\u00d7*](?!(?:64|86|3d)\b|(?<=\d\d\dx)\s+\d\d?(?!\d))\s*(?=\d)"
    r"|(?<=\d)(?<!\d\d\d)\s*[x\u00d7]\s+(?=[^\W\d])|\u00d7\s*(?=\d)"
    r"|(?<=[a-z] )(?<!os )x (?=\d)|(?<=\()x(?=\d{1,2}\)))"
    rf"|(?P<number>{_NUMBER})"
    rf"|(?P<unit>(?<=\d)(?i:{UNIT}|[gm]hz)(?=$|[^\w]|\s*[x\u00d7]\d))"
    r"|(?P<word>(?:single|dual|triple|quad|hexa|octa|deca)(?=cores?\b)|(?<=\d)c(?=\d{1,3}t(?!\w))|[^\W\d_](?:[^\W_]|['\u2019](?=[^\W\d_]))*(?:(?<=\d)\.\d+)*)"
    r"|(?P<mark>\S)"
)
BRACKETS = str.maketrans("[]{}", "()()")
"""All brackets are the same."""
_NO_TOKENS = (
    r"(?<=\d)\.?[\u00aa\u00ba\u00b0]|\s?\((?:[rc]|tm)\)|[\u00ae\u2122\u00a9]"
    r"|(?<=\d)-(?=(?:[kmgt]i?[bo]|[gm]hz)(?![^\W_]))"
)
"""Marks of trade, and what joins a figure to its unit: ``2-GHz``."""


class Token(Struct, frozen=True):
    """A part of a text, from ``start`` to ``end``, and in lower case as ``plain``."""

    kind: Literal["number", "word", "mark", "times"]
    plain: str
    start: int
    end: int


def tokens_of(text: str) -> list[Token]:
    """The tokens of a text, in order; marks of trade are none, and a number is never cut."""
    bare = compiled(_NO_TOKENS, re.IGNORECASE).sub(
        lambda mark: " " * len(mark[0]), text.translate(BRACKETS)
    )
    found = []
    for match in compiled(_TOKEN, re.IGNORECASE).finditer(bare):
        kind = match.lastgroup or "mark"
        plain = "x" if kind == "times" else match[0].lower()
        found.append(
            Token("word" if kind == "unit" else kind, plain, match.start(), match.end())  # type: ignore[arg-type]
        )
    return found


CODES = {
    "unit": "w", "number": "n", "adapter": "G", "generation": "g", "bit": "b", "core": "c",
    "thread": "t", "slot": "k", "module": "m", "socket": "o", "kind": "K", "usable": "u",
    "free": "f", "used": "U", "full": "U", "shared": "V", "most": "M", "least": "Q", "wish": "Q",
    "below": "<",
    "better": "R", "elsewhere": "$", "own": "y", "interface": "a", "not": "N", "was": "W",
    "instead": "i", "off": "z", "each": "E", "of": "F", "rather": "X", "soldered": "B",
    "times": "x", "place": "1",
    "cache": "C", "idle": "r", "rate": "r", "cpus": "q", "owner": "O", "architecture": "A",
    "display": "d", "and": "&", "with": "&", "contrast": ",", "or": "|", "shape": "Y", "mode": "e",
    "label": "L", "aside": "L", "filler": " ",
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
    """Whether a mark joins: not between blanks, nor a dot that ends a sentence."""
    behind = at + 1 < len(tokens) and tokens[at].end == tokens[at + 1].start
    return behind or (tokens[at].plain != "." and tokens[at - 1].end == tokens[at].start)


def _phrases(vocabulary: Vocabulary) -> Iterator[tuple[str, str, Any]]:
    """Each phrase with a sense that it has and what it stands for there."""
    phrases = vocabulary.phrases
    used = {*phrases.senses.get("used", ())}
    for label, key in phrases.labels.items():
        if key == "memory.slots" and used & {*label.split()}:
            continue  # in a sentence its words say it: how many there are, and in use
        owns = key not in PSEUDO and kind_of(key) in _SIZES
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
    better = (*phrases.senses.get("better", ()), *phrases.levels.get("recommended", ()))
    senses = {
        **phrases.senses, "usable": phrases.usable, "free": phrases.free, "better": better
    }  # fmt: skip
    for sense, many in senses.items():
        yield from ((said, sense, None) for said in many)


@lru_cache(maxsize=8)
def lexicon_of(vocabulary: Vocabulary) -> Lexicon:
    """The phrases of a vocabulary, which are put in order once."""
    return Lexicon(vocabulary)
