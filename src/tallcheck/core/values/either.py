"""Arithmetic that reads the same on numbers and on arrays of them; NaN is unknown.

A rule written with these stands once, for one machine and for a million.
"""

from bisect import bisect_left
from collections.abc import Sequence
from typing import Any

UNKNOWN = float("nan")


def known(value: Any) -> Any:
    """Whether a value is known: a bool, or an array of them."""
    return value == value  # NaN alone is not equal to itself


def pick(condition: Any, yes: Any, no: Any) -> Any:
    """``yes`` where the condition holds, else ``no``."""
    if isinstance(condition, bool):
        return yes if condition else no
    import numpy as np

    return np.where(condition, yes, no)


def minimum_of(one: Any, other: Any) -> Any:
    """The lesser of two values; the known one where one is unknown."""
    if isinstance(one, int | float) and isinstance(other, int | float):
        return other if other < one or not known(one) else one
    import numpy as np

    return np.fmin(one, other)


def maximum_of(one: Any, other: Any) -> Any:
    """The greater of two values; the known one where one is unknown."""
    if isinstance(one, int | float) and isinstance(other, int | float):
        return other if other > one or not known(one) else one
    import numpy as np

    return np.fmax(one, other)


def or_else(value: Any, other: Any) -> Any:
    """The value, or the other one where it is unknown."""
    return pick(known(value), value, other)


def at_or_above(totals: Sequence[float], wanted: Any) -> Any:
    """The smallest of some rising totals that is at least ``wanted``; unknown where none is."""
    if isinstance(wanted, int | float):
        at = bisect_left(totals, wanted) if wanted == wanted else len(totals)
        return totals[at] if at < len(totals) else UNKNOWN
    import numpy as np

    table = np.append(np.asarray(totals, dtype=np.float64), np.nan)
    return table[np.searchsorted(table[:-1], wanted)]


def up_to_step(wanted: Any, step: int) -> Any:
    """``wanted`` rounded up to a whole number of steps."""
    if isinstance(wanted, int | float):
        return -(-wanted // step) * step
    import numpy as np

    return np.ceil(wanted / step) * step
