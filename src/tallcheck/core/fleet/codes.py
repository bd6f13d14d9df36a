"""Machines by numbers: columns as codes, codes combined, the first machine of each code."""

from collections.abc import Iterable
from typing import Any

import numpy as np

from tallcheck.core.fleet.columns import Fleet, Floats, Ints
from tallcheck.core.fleet.known import doubted

_TABLE_MOST = 1 << 22
Coded = tuple[list[Any], Ints]
"""Columns, each once, and which one stands at each place."""
Code = tuple[Ints, int]
"""A number for each machine, and above which no number lies."""


def dense(code: Ints, count: int) -> Code:
    """The codes that occur, numbered anew without gaps, and how many there are."""
    if count > _TABLE_MOST:
        found, inverse = np.unique(code, return_inverse=True)
        return inverse.reshape(-1), len(found)
    present = np.flatnonzero(np.bincount(code, minlength=count))
    table = np.zeros(count, dtype=np.int64)
    table[present] = np.arange(len(present))
    return table[code], len(present)


def first_of(code: Ints, count: int) -> Ints:
    """The first place at which each of ``count`` codes stands."""
    first = np.full(count, len(code), dtype=np.int64)
    np.minimum.at(first, code, np.arange(len(code)))
    return first


def combined(parts: Iterable[Code], size: int) -> Code:
    """Several codes as one, numbered without gaps."""
    code, count = np.zeros(size, dtype=np.int64), 1
    for one, many in parts:
        code, count = code * many + one, count * many
        if count > 1 << 16:
            code, count = dense(code, count)
    return dense(code, count)


def sides(values: Floats, edges: list[float]) -> Code:
    """For each value between or on which edges it lies; unknown ones last."""
    count = 2 * len(edges) + 2
    code = np.zeros(len(values), dtype=np.int64)
    if len(edges) <= 16:
        for edge in edges:
            code += values >= edge
            code += values > edge
    else:
        code = np.searchsorted(edges, values) + np.searchsorted(edges, values, side="right")
    code[np.isnan(values)] = count - 1
    return code, count


def exactly(values: Floats) -> Code:
    """Each value as it is."""
    plain = np.nan_to_num(values, nan=-1)
    if len(plain) and plain.min() >= -1 and plain.max() < 4096 and bool((plain % 1 == 0).all()):
        return dense((plain + 1).astype(np.int64), 4098)
    found, code = np.unique(plain, return_inverse=True)
    return code.reshape(-1), max(len(found), 1)


def numbered(values: Iterable[Any]) -> Code:
    """Any values by number, the same for the same."""
    numbers: dict[str, int] = {}
    code = [numbers.setdefault(repr(one), len(numbers)) for one in values]
    return np.array(code, dtype=np.int64), max(len(numbers), 1)


def column_code(fleet: Fleet, key: str, edges: list[float] | None) -> Code | None:
    """The code of one column as it is known; None where no machine has the reading."""
    if key in fleet.words:
        words = fleet.words[key]
        code: Ints = words.codes.astype(np.int64) + 1
        code = np.where(doubted(fleet, key), 0, code)
        return code, len(words.values) + 1
    if key not in fleet.numbers:
        return None
    values = np.where(doubted(fleet, key), np.nan, fleet.numbers[key])
    return exactly(values) if edges is None else sides(values, edges)


def coded(columns: Any, kind: Any = None) -> Coded:
    """The columns of some rows, each once, and which one stands at each place."""
    inverse, count = combined((_numbered(one) for one in columns), columns.shape[1])
    found = columns[:, first_of(inverse, count)]
    return [(kind, *row) for row in found.T.tolist()], inverse


def _numbered(values: Any) -> Code:
    low = values.min(initial=0)
    if values.dtype.kind in "iu" and values.max(initial=0) - low < _TABLE_MOST >> 6:
        return dense((values - low).astype(np.int64), int(values.max(initial=0) - low) + 1)
    found, inverse = np.unique(values, return_inverse=True)
    return inverse.reshape(-1), len(found)


def numbered_as(found: Coded, numbers: dict[Any, int]) -> Ints:
    """A number for each place, the same for the same column of one kind."""
    keys, inverse = found
    table = np.array([numbers.setdefault(key, len(numbers)) for key in keys], dtype=np.int64)
    return np.asarray(table[inverse])
