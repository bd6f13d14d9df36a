"""Written comparisons: ``>= 8 GB``, ``<= 4``, ``= 32``, ``!= arm64``, ``2..8``, ``not 32``."""

import re
from collections.abc import Callable
from typing import Any

from msgspec import Struct

from tallcheck.core.values.either import UNKNOWN, pick
from tallcheck.core.values.errors import InputError

AT_LEAST, AT_MOST, EXACTLY, NOT, BETWEEN = "at least", "at most", "exactly", "not", "between"

_SIGNS = {">=": AT_LEAST, "<=": AT_MOST, "=": EXACTLY, "==": EXACTLY, "!=": NOT, "not ": NOT}
_WRITTEN = re.compile(r"(>=|<=|==|!=|=|not )\s*(.+)", re.IGNORECASE | re.DOTALL)
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
    text = text.strip()
    low, dots, high = text.partition("..")
    if dots and not text.startswith((">", "<", "=", "!")):
        low, high = low.strip(), high.strip()
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
    match = _WRITTEN.fullmatch(text)
    if match:
        return Bound(_SIGNS[match[1].lower()], parse(match[2]))
    if re.match(r"[<>!]", text):
        raise InputError(f'found "{text}"', EXPECTED)
    return Bound(bare, parse(text))
