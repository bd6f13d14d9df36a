"""Text: what is looked for in it, and what makes it safe for where it is shown."""

import re
from functools import cache, lru_cache
from typing import Any

import msgspec

from tallcheck.core.values.errors import InputError
from tallcheck.core.values.plain import is_text

compiled = cache(re.compile)
"""Patterns that are compiled when they are first tried, and kept: more than ``re`` keeps."""


def printable(text: str) -> str:
    """``text`` fit for a terminal: control characters taken out."""
    return "".join(ch if ch.isprintable() else " " for ch in text)


FORMULA = "=+-@\uff1d\uff0b\uff0d\uff20"
"""What a spreadsheet takes for the start of a formula; the last four are wide."""


def guarded(cell: str) -> str:
    """A cell that no spreadsheet takes for a formula, whatever blanks stand before it."""
    text = printable(cell)
    return f"'{text}" if text.lstrip().startswith(tuple(FORMULA)) else text


def unguarded(cell: str) -> str:
    """The cell without the mark that ``guarded`` put before it."""
    return cell[1:] if cell[:1] == "'" and guarded(cell[1:]) == cell else cell


def json_text(value: Any) -> str:
    """The value as text that ends its last line.

    Control, format and separator characters (C1, bidirectional marks, zero width) are escaped, so
    that it reads back the same and shows what it holds.
    """
    text = msgspec.json.format(msgspec.json.encode(value), indent=2).decode()
    return re.sub(_BEYOND, _escaped, text) + "\n"


def json_line(value: Any) -> str:
    """The value on a line of its own."""
    return re.sub(_BEYOND, _escaped, msgspec.json.encode(value).decode()) + "\n"


_BEYOND = r"[^\0-~]"
"""What JSON leaves as it is, and a terminal may not."""


def _escaped(match: re.Match[str]) -> str:
    """One character, escaped unless it shows; beyond the first plane as a pair."""
    if match[0].isprintable():
        return match[0]
    code = ord(match[0])
    if code < 0x10000:
        return f"\\u{code:04x}"
    code -= 0x10000
    return f"\\u{0xD800 + (code >> 10):04x}\\u{0xDC00 + (code & 0x3FF):04x}"


def fold(text: str) -> str:
    """A label or phrase with case, marks and blanks made alike."""
    return " ".join(re.sub(r"[^\w()]+", " ", text.lower()).split())


def between_blanks(text: str) -> str:
    """The folded words of a text without its brackets, so that each stands between two blanks."""
    return f" {fold(text).replace('(', '').replace(')', '')} "


SAID_MOST, LISTED_MOST = 400, 16_384
"""What one says of a reading, and of several things at once, in characters."""
_DIGITS_MOST = 40


_WITH = re.compile(r"(?i)(?<![\w/])w/\s?(?=\w)(?!o\b)")
"""Short for ``with``, in ``E8400 w/ 4 GB``."""


def bounded(text: str, most: int = SAID_MOST) -> str:
    """A text as it may be looked at: no longer than one says it, blanks of all kinds made one.

    Raises InputError, for a number with too many digits too.
    """
    plain = _WITH.sub("with ", re.sub(r"\s+", " ", text))
    if len(plain) > most:
        raise InputError(f"found {len(plain):,} characters", f"at most {most:,}")
    if re.search(rf"\d{{{_DIGITS_MOST + 1}}}", plain):
        raise InputError(f"found a number of more than {_DIGITS_MOST} digits", "far fewer")
    if not is_text(plain):
        raise InputError("found half a character", "whole text")
    return plain


_AROUND = {'"': '"', "'": "'", "\u201c": "\u201d", "\u201e": "\u201c", "\u00ab": "\u00bb", "(": ")"}


def unwrapped(text: str) -> str:
    """A value without the quotes or brackets around all of it, and the mark that ends it."""
    text = re.sub(r"(?<=[\w)\"'])[.,;]$", "", text.strip())
    inner = text[1:-1]
    if len(text) > 2 and _AROUND.get(text[0]) == text[-1] and not {text[0], text[-1]} & {*inner}:
        return inner.strip()
    return text


_COMMA = re.compile(
    r"(?<=\D),(?=\w)|(?<=\w),(?=[^\W\d])|(?<![\w.,])([^\W\d][\w-]*\d),(?=\d)"
    r"|(?<![\w.,])(\d{4,}),(?=\d+ ?(?i:[gt]))"
)
"""A comma with nothing behind it that parts words, and no digits of one number."""


def narrowed(line: str) -> str:
    """A line in which what parts the cells of a table is one tab, or two blanks."""
    line = _COMMA.sub(r"\1\2, ", _WITH.sub("with ", line))
    return re.sub(r"\s{2,}", lambda match: "\t" if "\t" in match[0] else "  ", line)


@lru_cache(maxsize=64)
def any_of(phrases: tuple[str, ...]) -> str:
    """A pattern for any of some phrases, as words of their own; the longest first."""
    said = "|".join(map(re.escape, sorted(phrases, key=len, reverse=True)))
    return rf"(?i:(?<!\w)(?:{said})(?!\w))"


def unhedged(text: str, hedges: tuple[str, ...]) -> str:
    """A text without what people put beside what they are not quite sure of: ``hedges``."""
    beside = rf"[,(]?\s*{any_of(hedges)}\s*\)?"
    plain = re.sub(beside, " ", text) if hedges and " " in text else text
    return plain.strip(" ,") if plain != text else text


def whole_numbers(text: str) -> list[int]:
    """The whole numbers in a text, in order: a version's parts, to be compared."""
    return [int(one) for one in re.findall(r"\d{1,18}", text)]


NUMBER = (
    r"(?<!\d)(?<!\d[.,'\u2019\u00a0\u202f])"
    r"(?:\d{1,3}(?: \d{3})+(?!\d)|\d+)(?:[.,'\u2019\u00a0\u202f]\d+)*"
)
"""A number, which never begins within another one."""
UNIT = (
    r"(?:[kmgt]i?b(?:ytes?)?|[kmgt]i|[kmgt]o|gigs?|megs?|(?:kilo|mega|giga|tera)(?:bytes?|octets?)?"
    r"|bytes?|[mgt])"
)
_A_SECOND = r"\s*/\s*s(?:ec)?\b"
SIZE = rf"({NUMBER}\s*{UNIT})\b(?!{_A_SECOND})"
TRANSFER = rf"{NUMBER}\s*{UNIT}{_A_SECOND}"
"""How much passes in a second, which is no size."""
