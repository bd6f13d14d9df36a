"""Tables of what modules of some sizes cost together, by their number and their bytes."""

from collections import Counter
from collections.abc import Callable
from itertools import pairwise, product
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


def _runs(costs: list[int]) -> list[tuple[int, int]] | None:
    """What each further module costs, and how many of them; None where a later one costs less."""
    each = [after - before for before, after in pairwise([0, *costs])]
    return list(Counter(each).items()) if each == sorted(each) else None


def passes_of(costs: list[int]) -> int:
    """How often the table is gone through for modules of one size."""
    runs = _runs(costs)
    return len(costs) if runs is None else sum(n for _, n in runs)


def with_size(table: Table, step: int, costs: list[int], improve: Improve) -> Table:
    """The table with modules of ``step`` units too; ``costs`` of one, two … of them together."""
    new: Table = [row[:] if isinstance(row, list) else row.copy() for row in table]
    runs = _runs(costs)
    if runs is not None:
        for cost, times in runs:
            _add(new, step, cost, times, improve)
        return new
    for count in range(1, len(new)):
        for taken in range(1, min(count, len(costs)) + 1):
            improve(new[count], table[count - taken], taken * step, costs[taken - 1])
    return new


def _add(table: Table, step: int, cost: int, times: int, improve: Improve) -> None:
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
