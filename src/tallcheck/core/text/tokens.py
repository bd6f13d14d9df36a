"""A text as tokens, once: numbers, words and marks, each where it stands."""

import re
from typing import Literal

from msgspec import Struct

from tallcheck.core.values.scanning import UNIT

_IN_THOUSANDS = (
    r"\d{1,3}(?:[ \u00a0\u202f]\d{3}){1,4}(?=(?:[.,]\d+)?\s*(?:[km]i?[bo]|mhz|bytes|octets)\b)"
)
"""Blanks part thousands of the small units: "10 256 GB" is two numbers."""
_NUMBER = (
    r"(?<!\d)(?<!\d[.,'\u2019])"
    rf"(?:{_IN_THOUSANDS}|1[ \u00a0\u202f]000(?!\d)|\d+)(?:[.,'\u2019]\d+)*"
)
_TOKEN = re.compile(
    rf"(?P<times>(?<=[\dbBoO])\s*[x\u00d7*](?!(?:64|86)\b)\s*(?=\d)|(?<=\d)\s*[x\u00d7]\s+(?=[^\W\d])|\u00d7\s*(?=\d)"
    r"|(?<=[a-z] )(?<!os )x (?=\d))"
    rf"|(?P<number>{_NUMBER})"
    rf"|(?P<unit>(?<=\d)(?i:{UNIT}|[gm]hz)(?=$|[^\w]|\s*[x\u00d7]\d))"
    r"|(?P<word>(?<=\d)c(?=\d{1,3}t(?!\w))|[^\W\d_](?:[^\W_]|['\u2019](?=[^\W\d_]))*(?:(?<=\d)\.\d+)*)"
    r"|(?P<mark>\S)",
    re.IGNORECASE,
)
BRACKETS = str.maketrans("[]{}", "()()")
"""All brackets are the same."""
_MARKS_OF_TRADE = re.compile(
    r"(?<=\d)\.?[\u00aa\u00ba\u00b0]|\s?\((?:[rc]|tm)\)|[\u00ae\u2122\u00a9]", re.IGNORECASE
)


class Token(Struct, frozen=True):
    """A part of a text, from ``start`` to ``end``, and in lower case as ``plain``."""

    kind: Literal["number", "word", "mark", "times"]
    plain: str
    start: int
    end: int


def tokens_of(text: str) -> list[Token]:
    """The tokens of a text, in order; marks of trade are none, and a number is never cut."""
    bare = _MARKS_OF_TRADE.sub(lambda mark: " " * len(mark[0]), text.translate(BRACKETS))
    found = []
    for match in _TOKEN.finditer(bare):
        kind = match.lastgroup or "mark"
        plain = "x" if kind == "times" else match[0].lower()
        found.append(
            Token("word" if kind == "unit" else kind, plain, match.start(), match.end())  # type: ignore[arg-type]
        )
    return found
