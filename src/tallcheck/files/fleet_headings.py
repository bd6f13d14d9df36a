"""Which reading stands under which heading of somebody's list."""

import re

from msgspec import Struct

from tallcheck.core.machine.readings import SHORT_NAMES, TRADE_WORDS, keys, kind_of, resolve_key
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.text.labels import folded, heading_said
from tallcheck.core.text.sheet_words import SYSTEM_TYPE
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.kinds import KINDS
from tallcheck.files.fleet_columns import is_number


class Theirs(Struct, frozen=True):
    """Somebody else's heading for a reading, and the unit of its plain numbers."""

    heading: str
    unit: str = ""


def parse_heading(text: str) -> tuple[str, Theirs]:
    """``name=theirs`` or ``memory=theirs:GB`` by dotted key. Raises InputError."""
    ours, equals, theirs = text.partition("=")
    if not equals or not theirs:
        raise InputError(f"found '{text}'", "KEY=THEIRS or KEY=THEIRS:UNIT")
    key = ours.strip()
    key = key if key == "name" else resolve_key(key)
    heading, colon, unit = theirs.rpartition(":")
    if colon and key != "name" and unit.upper() in KINDS[kind_of(key)].units:
        return key, Theirs(heading.strip(), unit.upper())
    return key, Theirs(theirs.strip())


def is_text(key: str) -> bool:
    """Whether a reading is of words, so that ``9`` stays a word and is no number."""
    return key in ("name", SYSTEM_TYPE) or not is_number(key)


def key_of(name: str, headings: dict[str, Theirs]) -> str | None:
    """The reading under a heading, as the sheets name it; None where it is none."""
    for key, theirs in headings.items():
        if theirs.heading.lower() == name.lower():
            return key
    word = re.sub(r"[\s-]+", "_", name.strip().lower())
    key = "name" if word == "name" else (SHORT_NAMES | TRADE_WORDS).get(word, word)
    if key in headings:
        return None
    known = key == "name" or key in keys() or (key.startswith("extra.") and len(key) > 6)
    return key if known else None


def headings_known(cells: list[str], headings: dict[str, Theirs], vocabulary: Vocabulary) -> int:
    """How many headings stand for readings; 0 where few do, and none for the machines' names."""
    also = recognised(cells, headings, vocabulary)
    found = [key for cell in cells if cell and (key := key_of(cell, headings) or also.get(cell))]
    return len(found) if "name" in found or len(found) >= _ENOUGH else 0


_ENOUGH = 3
"""Readings in a header that has no heading over the machines' names."""


def _names_machines(heading: str, known: tuple[str, ...]) -> bool:
    """Whether a heading is over the machines' names: one that is known, or made of their words."""
    words = heading.split()
    return heading in known or (
        len(words) > 1 and {*words} <= {word for one in known for word in one.split()}
    )


def recognised(
    names: list[str], headings: dict[str, Theirs], vocabulary: Vocabulary
) -> dict[str, str]:
    """For headings that the sheets do not have, the reading that the trade means by them.

    Only where no other column has that reading: the first of several is taken.
    """
    taken = {key for name in names if (key := key_of(name, headings)) is not None}
    taken |= headings.keys()
    found: dict[str, str] = {}
    for name in names:
        if key_of(name, headings) is not None:
            continue
        label = heading_said(name, vocabulary)
        key = label.key if label is not None else None
        if _names_machines(folded(name), vocabulary.phrases.machines):
            key = "name"
        if (
            key is not None
            and key not in taken
            and (key in ("name", SYSTEM_TYPE) or key in keys() or key.startswith("extra."))
        ):
            taken.add(key)
            found[name] = key
    return found
