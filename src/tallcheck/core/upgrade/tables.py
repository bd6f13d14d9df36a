"""Tables of what modules of some sizes cost together, by their number and their bytes."""

from collections import Counter
from collections.abc import Callable
from itertools import product
from typing import Any

NEVER = float("inf")
Table = list[Any]  # a row for each number of modules: least cost by units, as list or array
Improve = Callable[[Any, Any, int, int], None]


def choices(
    sizes: Counter[int],
) -> list[tuple[tuple[tuple[int, int], ...], int, int, int]]:
    found = []
    for counts in product(*(range(n + 1) for n in sizes.values())):
        stay = tuple((size, n) for size, n in zip(sizes, counts, strict=True) if n)
        out = [size for size, n in zip(sizes, counts, strict=True) if n < sizes[size]]
        found.append((stay, sum(counts), sum(s * n for s, n in stay), min(out, default=0)))
    return found


def add(table: Table, step: int, cost: int, times: int, improve: Improve) -> None:
    """Allow up to ``times`` more modules of ``step`` units at ``cost`` each, in place."""
    top = len(table) - 1
    if times >= top:
        for count in range(1, top + 1):
            improve(table[count], table[count - 1], step, cost)
        return
    for _ in range(times):
        for count in range(top, 0, -1):
            improve(table[count], table[count - 1], step, cost)


def better(row: list[float], fewer: list[float], step: int, cost: int) -> None:
    if step < len(row):
        row[step:] = map(min, row[step:], [spent + cost for spent in fewer[: len(row) - step]])


def better_array(row: Any, fewer: Any, step: int, cost: int) -> None:
    import numpy as np

    if step < len(row):
        np.minimum(row[step:], fewer[: len(row) - step] + cost, out=row[step:])
