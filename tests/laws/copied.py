"""A text tells the same, however it was copied: quoted, as a list, with blank lines, signed."""

import re
from collections.abc import Callable
from typing import Any

from hypothesis import strategies as st

from tallcheck.core.text.page import read_page
from tallcheck.core.text.pasted import read_lines
from tests.helpers import VOCABULARY
from tests.laws.law import Law
from tests.test_needs_words import PAGES
from tests.test_printed import CASES, MAILS


def _told(text: str) -> list[str]:
    told, _ = read_lines(text, VOCABULARY)
    return sorted(repr(one) for one in told)


def _asked(text: str) -> list[str]:
    levels = read_page(text, False, VOCABULARY).levels
    return sorted(repr((level, one)) for level, asked in levels.items() for one in asked.items())


Reader = Callable[[str], list[str]]
TEXTS: list[tuple[Reader, str]] = [
    # but for chats, which are told by whose every line is
    *(
        (_told, text)
        for text in [case[0] for case in CASES] + [case[0] for case in MAILS]
        if "?\n" not in text
    ),
    *((_asked, case[0]) for case in PAGES),
]


def each(change: Callable[[str], str]) -> Callable[[str], str]:
    """A change of every line that is not empty."""
    return lambda text: "\n".join(change(one) if one.strip() else one for one in text.split("\n"))


def numbered(text: str) -> str:
    """Every line behind its number."""
    numbers = iter(range(1, len(text)))
    return each(lambda line: f"{next(numbers)}) {line}")(text)


def labelled(form: str) -> Callable[[str], str]:
    """Another form of every line that is a label of words and a value."""
    line = r"(?m)^([A-Za-z][A-Za-z ]{1,25}): (?=\S)([^|\n]*)$"
    return lambda text: re.sub(line, lambda match: form.format(match[1], match[2]), text)


WAYS: dict[str, Callable[[str], str]] = {
    "quoted": each("> {}".format),
    "quoted twice": each("> > {}".format),
    "bullets": each("- {}".format),
    "dots": each("\u2022 {}".format),
    "numbered": numbered,
    "spaced": lambda text: text.replace("\n", "\n\n"),
    "emphasis": labelled("**{}:** {}"),
    "leaders": labelled("{} .....: {}"),
    "cells": labelled("| {} | {} |"),
    "equal signs": labelled("{} = {}"),
    "line ends": lambda text: text.replace("\n", "\r\n"),
    "hard blanks": lambda text: re.sub(r"(?<=\d) (?=[A-Za-z])", "\u00a0", text),
    "blanks behind": each("{}  ".format),
    "signed": lambda text: text + "\n\nBest regards\nMiriam",
    "greeted": lambda text: "Hello,\n\nhere it is:\n\n" + text,
    "thanked": lambda text: text + "\nThanks!",
}
LISTS = ("", "bullets", "dots", "numbered")
LISTED = re.compile(r"(?m)^(?:- |\[)")
"""What is a list already, or a log."""


def _holds(drawn: dict[str, Any]) -> None:
    read, first = TEXTS[drawn["text"]]
    text = first.rstrip("\n")
    if drawn["list"] and not LISTED.search(text):
        text = WAYS[drawn["list"]](text)
    for way in drawn["ways"]:
        text = WAYS[way](text)
    assert read(text) == read(first), text


COPIED = Law(
    "copied",
    "A text tells the same, however it was copied: quoted, as a list, with blank lines, signed.",
    st.fixed_dictionaries(
        {
            "text": st.integers(0, len(TEXTS) - 1),
            "list": st.sampled_from(LISTS),
            "ways": st.lists(
                st.sampled_from(sorted(WAYS.keys() - {*LISTS})), max_size=2, unique=True
            ),
        }
    ),
    _holds,
)
