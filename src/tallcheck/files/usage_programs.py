"""Which programs hold memory in a usage log: while it is tight, and more and more."""

import itertools
from typing import Any

import numpy as np
import pyarrow as pa

from tallcheck.core.usage.figures import lasting_growth
from tallcheck.core.usage.log import Floats
from tallcheck.core.usage.summary import TIGHT
from tallcheck.core.values.plain import whole_number

_HOLDERS_MOST = 3  # programs that are named
_PARTS, _ROWS_MOST = 6, 2000  # parts of a log that a program's growth is followed through


def growing_program(programs: Any, arrays: dict[str, Floats]) -> str | None:
    """A program that explains most of the lasting growth of memory in use, or None."""
    count = len(arrays["memory_total"])
    if count < 20:
        return None
    in_use = arrays["memory_total"] - arrays["memory_available"]
    edges = [count * part // _PARTS for part in range(_PARTS + 1)]
    spans = list(itertools.pairwise(edges))
    grown = float(np.median(in_use[spans[-1][0] :]) - np.median(in_use[: spans[0][1]]))
    if grown < 0.1 * float(np.median(arrays["memory_total"])):
        return None
    holders = [_holders(programs.slice(first, last - first)) for first, last in spans]
    growth = {
        name: lasting_growth([part.get(name, 0.0) for part in holders]) for name in holders[-1]
    }
    name = max(growth, key=lambda one: growth[one], default=None)
    return name if name is not None and growth[name] > 0.6 * grown else None


def tight_holders(programs: Any, arrays: dict[str, Floats]) -> tuple[tuple[str, int], ...]:
    """The programs that hold most while memory is tight, with their mean bytes."""
    total = arrays["memory_total"]
    tight = np.flatnonzero(total - arrays["memory_available"] > TIGHT * total)
    sizes, rows = _sizes(programs.take(pa.array(tight)))
    means = {name: int(sum(values) / rows) for name, values in sizes.items()}
    return tuple(sorted(means.items(), key=lambda one: -one[1])[:_HOLDERS_MOST])


def _holders(programs: Any) -> dict[str, float]:
    """The median size of each program."""
    return {name: float(np.median(values)) for name, values in _sizes(programs)[0].items()}


def _sizes(programs: Any) -> tuple[dict[str, list[float]], int]:
    """The sizes of each program, from ``name=bytes;name=bytes``, in some of the rows: how many."""
    sizes: dict[str, list[float]] = {}
    thin = max(len(programs) // _ROWS_MOST, 1)
    cells = programs.take(pa.array(range(0, len(programs), thin), pa.int64())).to_pylist()
    for cell in cells:
        for part in (cell or "").split(";"):
            name, equals, size = part.rpartition("=")
            number = whole_number(size)
            if equals and number is not None:
                sizes.setdefault(name, []).append(float(number))
    return sizes, len(cells)
