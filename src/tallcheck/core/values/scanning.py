"""Taking what is understood out of a text, piece by piece, so that what is left can be told."""

import re

from tallcheck.core.values.errors import InputError
from tallcheck.core.values.plain import is_text


def fold(text: str) -> str:
    """A label or phrase with case, marks and blanks made alike."""
    return " ".join(re.sub(r"[^\w()]+", " ", text.lower()).split())


def between_blanks(text: str) -> str:
    """The folded words of a text without its brackets, so that each stands between two blanks."""
    return f" {fold(text).replace('(', '').replace(')', '')} "


SAID_MOST, LISTED_MOST = 400, 16_384
"""What one says of a reading, and of several things at once, in characters."""
_DIGITS_MOST = 40


def bounded(text: str, most: int = SAID_MOST) -> str:
    """A text as it may be looked at: no longer than one says it, runs of blanks made one.

    Raises InputError, for a number with too many digits too.
    """
    plain = re.sub(r"\s{2,}", " ", text)
    if len(plain) > most:
        raise InputError(f"found {len(plain):,} characters", f"at most {most:,}")
    if re.search(rf"\d{{{_DIGITS_MOST + 1}}}", plain):
        raise InputError(f"found a number of more than {_DIGITS_MOST} digits", "far fewer")
    if not is_text(plain):
        raise InputError("found half a character", "whole text")
    return plain


def narrowed(line: str) -> str:
    """A line in which what parts the cells of a table is one tab, or two blanks."""
    return re.sub(r"\s{2,}", lambda match: "\t" if "\t" in match[0] else "  ", line)


def unhedged(text: str) -> str:
    """A text without what people put beside what they are not quite sure of."""
    plain = re.sub(_HEDGES, " ", text) if " " in text else text
    return plain.strip(" ,") if plain != text else text


def whole_numbers(text: str) -> list[int]:
    """The whole numbers in a text, in order: a version's parts, to be compared."""
    return [int(one) for one in re.findall(r"\d{1,18}", text)]


_HEDGES = (
    r"(?i)[,(]?\s*(?<!\w)(?:i (?:think|guess|believe|suppose|reckon)|maybe|probably|perhaps|or so"
    r"|glaube? ich|ich glaube?|denke ich|je (?:crois|pense)|peut-\u00eatre)(?!\w)\s*\)?"
)
NUMBER = (
    r"(?<!\d)(?<!\d[.,'\u2019\u00a0\u202f])"
    r"(?:\d{1,3}(?: \d{3})+(?!\d)|\d+)(?:[.,'\u2019\u00a0\u202f]\d+)*"
)
"""A number, which never begins within another one."""
UNIT = (
    r"(?:[kmgt]i?b(?:ytes?)?|[kmgt]i|[kmgt]o|gigs?|megs?|(?:kilo|mega|giga|tera)(?:bytes?|octets?)?"
    r"|bytes?|[mgt])"
)
SIZE = rf"({NUMBER}\s*{UNIT})\b"
NUMBER_WORDS = {
    "single": 1, "one": 1, "dual": 2, "triple": 3, "three": 3, "quad": 4, "hexa": 6, "octa": 8,
    "two": 2, "four": 4,
    "six": 6, "eight": 8, "ten": 10, "twelve": 12, "sixteen": 16,
}  # fmt: skip
