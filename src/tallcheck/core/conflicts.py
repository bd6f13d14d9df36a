"""Conflicts: needs that no machine can meet together."""

from typing import Any

from tallcheck.core import comparison as c
from tallcheck.core.comparison import Bound
from tallcheck.core.rows import Asked


def impossible(asked: list[Asked]) -> list[tuple[Asked, Asked]]:
    """Pairs of needs on one key that no value can meet together."""
    pairs = []
    bounds = [a for a in asked if isinstance(a.need.test, Bound) and not a.need.when]
    for at, one in enumerate(bounds):
        for other in bounds[at + 1 :]:
            if one.need.key == other.need.key and _exclude(one.need.test, other.need.test):
                pairs.append((one, other))
    return pairs


def _exclude(one: Any, other: Any) -> bool:
    def span(bound: Bound) -> tuple[Any, Any]:
        low = bound.limit if bound.op in (c.AT_LEAST, c.EXACTLY, c.BETWEEN) else None
        high = {c.AT_MOST: bound.limit, c.EXACTLY: bound.limit, c.BETWEEN: bound.most}.get(bound.op)
        return low, high

    (low, high), (low_2, high_2) = span(one), span(other)
    return (low is not None and high_2 is not None and low > high_2) or (
        low_2 is not None and high is not None and low_2 > high
    )
