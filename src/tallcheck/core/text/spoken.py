"""Chats: lines behind the names of who said them, and what an answer answers."""

import re
from collections import Counter

from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.text.items import items_of
from tallcheck.core.text.labels import label_said
from tallcheck.core.values.scanning import SAID_MOST, fold

_LINE = re.compile(
    r"[\[(]?(?:(?:\d{1,2}[./-]){2}\d{2,4},? )?(?:\d{1,2}:\d{2}(?::\d{2})?(?: [AP]M)?)?[\])]?"
    r"[ ,\u2013-]*(?P<who>[^\W\d_][\w .'\u2019-]{0,30}?) ?: +(?P<said>\S.*)"
)
_MOST_OF_THEM = 0.8
"""The share of a chat's lines that begin with one of its names."""
_ASKED = "OLctk"
"""Items that name what a question asks for: labels, and words for what is counted."""


def without_speakers(lines: list[str], vocabulary: Vocabulary) -> list[str]:
    """A chat's lines as they were said, each answer behind the label of what was asked.

    A text is one where most lines begin with one of at least two names, no labels among them, and
    somebody asks something; any other stays as it is.
    """
    found = [_LINE.fullmatch(line[:SAID_MOST].strip()) for line in lines]
    names = Counter(one["who"] for one in found if one)
    filled = sum(bool(line.strip()) for line in lines)
    asks = any(one and one["said"].rstrip().endswith("?") for one in found)
    if not asks or len(names) < 2 or names.total() < _MOST_OF_THEM * filled:
        return lines
    aside = vocabulary.phrases.aside
    if any(label_said(name, vocabulary) or fold(name) in aside for name in names):
        return lines
    said = list(lines)
    question: tuple[str, str] | None = None
    for at, one in enumerate(found):
        if one is None:
            continue
        said[at] = one["said"]
        asked = _asked_for(one["said"], vocabulary)
        if asked:
            question = one["who"], asked
            said[at] = ""
        elif question is not None and question[0] != one["who"]:
            said[at] = f"{question[1]}: {one['said']}"
            question = None
    return said


def _asked_for(text: str, vocabulary: Vocabulary) -> str:
    """The one label in a question, as it stands there; empty where it is none."""
    items = items_of(text, vocabulary)
    if "n" in "".join(one.code for one in items):
        return ""
    named = [one for one in items if one.code in _ASKED]
    alone = len(named) == 1 and (text.rstrip().endswith("?") or len(items) < 6)
    return text[named[0].start : named[0].end] if alone else ""
