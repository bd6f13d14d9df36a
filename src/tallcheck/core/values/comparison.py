"""Written comparisons, ``>= 8 GB``, ``!= arm64``, ``2..8``, and versions with their ranges."""

import re
from collections.abc import Callable
from functools import lru_cache
from typing import Any

from msgspec import Struct

from tallcheck.core.values.either import UNKNOWN, pick
from tallcheck.core.values.errors import InputError

AT_LEAST, AT_MOST, EXACTLY, NOT, BETWEEN = "at least", "at most", "exactly", "not", "between"

_SIGNS = {">=": AT_LEAST, "<=": AT_MOST, "=": EXACTLY, "==": EXACTLY, "!=": NOT, "not ": NOT}
_WRITTEN = r"(?is)(>=|<=|==|!=|=|not )\s*(.+)"
MORE = r"(?:more|higher|above|greater|larger|better|newer|later|faster|up|over)\b"
"""Words behind "or" that leave it open upwards, and name no other thing."""
OR_MORE = (
    rf"(?:\+|\b(?:or|and)\s+{MORE}"
    r"|\boder (?:mehr|h\u00f6her|gr\u00f6\u00dfer|neuer|schneller|besser)\b|\bou (?:plus|mieux)\b)"
)
"""What people write behind the least that will do: "or later", "and up", a plus sign."""
_AT_LEAST = r"(?:at least|(?:no|not) less than|min(?:imum|\.)?(?: of)?|mindestens|au moins)"
_LESS = r"(?:(?:or|and) (?:less|fewer|lower|below|smaller|older|under)|max(?:imum|\.)?|at most)"
_AT_MOST = r"(?:at most|(?:no|not) more than|max(?:imum|\.)?(?: of)?|up to|h\u00f6chstens|au plus)"
_WORDED = (
    (rf"(.+?)\s*(?:{OR_MORE}|min(?:imum|\.)?|at least)", AT_LEAST),
    (rf"{_AT_LEAST}\s*(.+)", AT_LEAST),
    (rf"(.+?)\s*{_LESS}", AT_MOST), (rf"{_AT_MOST}\s*(.+)", AT_MOST),
    (r"(?:exactly|genau|exactement)\s+(.+)", EXACTLY),
)  # fmt: skip
"""What people say for a sign."""
_FROM_TO = (
    r"(?:between|from|zwischen|von|entre|de)\s+(\d\S*?(?:\s*[a-z]+)?)"
    r"\s+(?:to|and|und|bis|et|\u00e0)\s+(\d.*)"
)
_PLAIN = r"\d[\d,]*(?:\.\d[\d,]*)*\s*[A-Za-z%/]*"
EXPECTED = 'a value or a comparison, such as ">= 8 GB", "<= 4", "= 32", "!= 32", "2..8", "4.."'


class Bound(Struct, frozen=True):
    """What an ordered value may be: ``op`` and one or two limits, in the value's own unit."""

    op: str
    limit: Any
    most: Any = None

    def within(self, value: Any) -> Any:
        """Whether a value, or each of an array, keeps within the bound."""
        if self.op == AT_LEAST:
            return value >= self.limit
        if self.op == AT_MOST:
            return value <= self.limit
        if self.op == BETWEEN:
            return (value >= self.limit) & (value <= self.most)
        return (value == self.limit) ^ (self.op == NOT)

    def holds(self, value: Any) -> bool:
        """Whether ``value`` keeps within the bound."""
        return bool(self.within(value))

    def ratios(self, value: Any) -> Any:
        """Have against need, at 1 where they are equal, inverted for at-most; on arrays too.

        NaN where there is none.
        """
        if self.op in (EXACTLY, NOT):
            return value * UNKNOWN
        if self.op == AT_LEAST:
            return value / self.limit if self.limit else value * UNKNOWN
        most = self.limit if self.op == AT_MOST else self.most
        over = pick(value > 0, most / (value + (value == 0)), UNKNOWN)
        if self.op == AT_MOST:
            return over
        below = value / self.limit if self.limit else value * UNKNOWN
        return pick(value > most, over, below)

    def ratio(self, value: float) -> float | None:
        """Have against need of one value, None where there is none."""
        found = float(self.ratios(value))
        return found if found == found else None

    def limits(self) -> list[Any]:
        """The values at which the bound changes between met and short."""
        return [self.limit] if self.most is None else [self.limit, self.most]

    def text(self, show: Callable[[Any], str]) -> str:
        """The bound as people read it: ``8 GB``, ``at most 4``, ``2 to 8``."""
        if self.op == AT_LEAST:
            return show(self.limit)
        if self.op == BETWEEN:
            return f"{show(self.limit)} to {show(self.most)}"
        return f"{self.op} {show(self.limit)}"


def parse_bound(text: str, parse: Callable[[str], Any], bare: str) -> Bound:
    """A bound from a written comparison; a bare value takes the comparison ``bare``.

    ``parse`` reads one value. Raises InputError.
    """
    text = " ".join(text.split())
    if re.fullmatch(_PLAIN, text):
        return Bound(bare, parse(text))
    low, dots, high = text.partition("..")
    if dots and not text.startswith((">", "<", "=", "!")):
        return _between(text, low.strip(), high.strip(), parse)
    if match := re.fullmatch(_WRITTEN, text):
        return Bound(_SIGNS[match[1].lower()], parse(match[2]))
    if text.startswith(("<", ">", "!")):
        raise InputError(f'found "{text}"', EXPECTED)
    for pattern, op in _WORDED:
        if match := re.fullmatch(pattern, text, re.IGNORECASE):
            return Bound(op, parse(match[1]))
    if match := re.fullmatch(_FROM_TO, text, re.IGNORECASE):
        return _between(text, match[1], match[2], parse)
    return Bound(bare, parse(text))


def _between(text: str, low: str, high: str, parse: Callable[[str], Any]) -> Bound:
    if not low and not high:
        raise InputError(f'found "{text}"', EXPECTED)
    if not high:
        return Bound(AT_LEAST, parse(low))
    if not low:
        return Bound(AT_MOST, parse(high))
    unit = re.search(r"[^\d.,\s].*$", high)
    if unit and low[-1].isdigit():
        low = f"{low} {unit[0]}"
    bound = Bound(BETWEEN, parse(low), parse(high))
    if bound.limit > bound.most:
        raise InputError(f'found "{text}", whose first value is above its second', EXPECTED)
    return bound


VERSION_MOST = 200
"""Characters of a version, or of a range of them."""


def in_range(version: str | None, span: str) -> bool | None:
    """Whether a version lies in a range such as ``>=9,<11``; None where that cannot be told."""
    if not span:
        return True
    return None if version is None else _in_range(version, span)


@lru_cache(maxsize=4096)
def _in_range(version: str, span: str) -> bool | None:
    wanted, plain = _span(span), _version(version)
    if wanted is None or plain is None:
        return None
    return bool(wanted.contains(plain, prereleases=True))


@lru_cache(maxsize=1024)
def _span(text: str) -> Any:
    """A range, parsed; None where it is none."""
    from packaging.specifiers import InvalidSpecifier, SpecifierSet

    try:
        return SpecifierSet(text) if len(text) <= VERSION_MOST else None
    except InvalidSpecifier:
        return None


@lru_cache(maxsize=4096)
def _version(text: str) -> Any:
    """A version, parsed; None where it is none."""
    from packaging.version import InvalidVersion, Version

    if len(text) > VERSION_MOST:
        return None
    try:
        return Version(re.sub(r"\s+R(?=\d)", ".", text))  # "2012 R2" is later than "2012"
    except InvalidVersion:
        return None


@lru_cache(maxsize=1024)
def some_in_range(span: str) -> str | None:
    """A version that lies in a range; None where none of those near its ends does, or any does."""
    if not span:
        return None
    ends = re.findall(r"\d[\w.]*", span)
    near = [one for end in ends for one in (end, f"{end}.1", f"{end.split('.')[0]}.99")]
    higher: list[Any] = [str(int(re.split(r"\D", end)[0]) + 1) for end in ends]
    for version in (*near, *higher, "0", "1"):
        if in_range(version, span):
            return str(version)
    return None
