"""The values at which rules turn: between two of them all values of a reading come to the same."""

from typing import Any

from tallcheck.core.decide.groups import Group
from tallcheck.core.machine.readings import keys, kind_of
from tallcheck.core.needs.key import View
from tallcheck.core.values.kinds import KINDS

_STEPPED = {key for key in keys() if KINDS[kind_of(key)].stepped} | {"storage.data"}
"""Readings of numbers of which only the edges count; others are few and count as they are."""
_ADAPTERS = "graphics"  # of each adapter the memory is a number


def _turning(key: str, value: Any) -> list[float]:
    """The numbers in a value of a reading at which a rule may turn."""
    if key == _ADAPTERS:
        return [float(one.memory) for one in value if one.memory is not None]
    return [float(value)] if key in _STEPPED and isinstance(value, int | float) else []


def edges_of(group: Group) -> dict[str, list[float]]:
    """The values of each reading at which its rules turn, as their entries give them."""
    found: dict[str, set[float]] = {}
    for single in group.singles:
        assert single.key is not None
        stepped = [key for key in single.named if key in _STEPPED or key == _ADAPTERS]
        if not stepped:
            continue
        named = single.named | single.key.mends
        edges = {
            edge
            for choice in single.key.choices([single.test], View({}, named, 0, single.beside))
            for key, value in choice.changes.items() for edge in _turning(key, value)
        }  # fmt: skip
        for key in stepped:
            found.setdefault(key, set()).update(edges)
    for ask in group.asks:
        for condition in ask.when:
            if condition.key is None and condition.name in _STEPPED:
                values = [one for one in condition.values() if isinstance(one, int | float)]
                found.setdefault(condition.name, set()).update(values)
    return {key: sorted(values) for key, values in found.items() if not key.startswith("memory.")}
