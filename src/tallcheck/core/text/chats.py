"""A chat of two: what was said, each answer behind the label of what was asked."""

import re
from collections import Counter

from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.text.items import items_of
from tallcheck.core.text.labels import label_said
from tallcheck.core.values.text import SAID_MOST, fold

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
    question: tuple[str, str, str] | None = None
    before: tuple[str, int] | None = None
    for at, one in enumerate(found):
        if one is None:
            continue
        if before is not None and before[0] == one["who"] and _corrects(one["said"], vocabulary):
            said[before[1]] += f", {one['said']}"
            said[at] = ""
            continue
        before = one["who"], at
        said[at] = one["said"]
        label, unit = _asked_for(one["said"], vocabulary)
        if label:
            question = one["who"], label, unit
            said[at] = ""
        elif question is not None and question[0] != one["who"]:
            bare = re.fullmatch(r"[\d.,]+", one["said"].strip())
            said[at] = f"{question[1]}: {one['said']}{question[2] if bare else ''}"
            question = None
    return said


def _corrects(text: str, vocabulary: Vocabulary) -> bool:
    """Whether a text takes back what was said before it."""
    return next((one.code for one in items_of(text, vocabulary) if one.code != " "), "") == "X"


def _asked_for(text: str, vocabulary: Vocabulary) -> tuple[str, str]:
    """The one label in a question, empty where it is none, and the unit that is asked for."""
    items = items_of(text, vocabulary)
    unit = next((f" {one.value}" for one in items if one.code == "w"), "")
    if "n" in "".join(one.code for one in items):
        return "", ""
    named = [one for one in items if one.code in _ASKED]
    alone = len(named) == 1 and (text.rstrip().endswith("?") or len(items) < 6)
    return (text[named[0].start : named[0].end], unit) if alone else ("", "")
