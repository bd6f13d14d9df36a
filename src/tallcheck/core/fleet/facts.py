"""What follows from a list's columns, for machines alike in them: once for each, not once a row.

A processor's name counts by what it tells, not by its letters; architecture and bits of processor
and system by what comes of all that they can be worked out from.
"""

from collections.abc import Iterable
from copy import copy
from typing import Any

import numpy as np

from tallcheck.core.fleet.codes import Code, column_code, combined, first_of, numbered, sides
from tallcheck.core.fleet.columns import Fleet
from tallcheck.core.fleet.known import Numbers, doubted
from tallcheck.core.machine.derive import complete
from tallcheck.core.machine.doubts import RULES
from tallcheck.core.machine.normalized import Normalized, normalized
from tallcheck.core.machine.readings import WORKED_OUT_FROM, get, put
from tallcheck.core.machine.sheet import SHEET_FORMAT, Machine
from tallcheck.core.needs.numbers import shape_for_fixes

FOLLOWING = (
    "processor.architecture", "processor.bits", "system.architecture", "system.os_bits",
)  # fmt: skip
"""Readings that follow from one another, and from many more."""
_NAME = "processor.name"


def sources(keys: Iterable[str], whole: bool = False) -> list[str]:
    """The readings, and all that they can be worked out from; FOLLOWING only where ``whole``."""
    found: dict[str, None] = {}
    todo = list(keys)
    while todo:
        key = todo.pop()
        if key not in found:
            found[key] = None
            if whole or key not in FOLLOWING:
                todo += WORKED_OUT_FROM.get(key, ())
    return sorted(found)


class Facts:
    """What a fleet's names and architectures come to; kept while its processors stay the same."""

    def __init__(self, fleet: Fleet) -> None:
        self.fleet = fleet
        self._known: dict[int, Normalized] = {}
        self._named: list[Machine] | None = None
        self._following: dict[str, Code] | None = None

    def normalized(self, at: int) -> Normalized:
        """What is known of one machine."""
        if at not in self._known:
            fleet = self.fleet
            sound = fleet.sheets is None and not fleet.doubts[at]
            self._known[at] = normalized(fleet.machine(at), fleet.vocabulary, sound)
        return self._known[at]

    def with_memory(self, fleet: Fleet) -> "Facts":
        """The same of the same machines with other memory."""
        self._followed()  # rests on nothing of the memory
        found = copy(self)
        found.fleet, found._known = fleet, {}
        return found

    def named(self, keys: Iterable[str], edges: dict[str, list[float]]) -> Code | None:
        """The class of each machine by what its processor's name tells of some readings."""
        words = self.fleet.words.get(_NAME)
        if words is None:
            return None
        if self._named is None:
            self._named = [self._of_name(name) for name in words.values]
        told: list[Code] = []
        for key in keys:
            if _NAME not in WORKED_OUT_FROM.get(key, ()):
                continue
            values = [get(machine, key) for machine in self._named]
            if key in edges:
                floats = [np.nan if one is None else float(one) for one in values]
                told.append(sides(np.array(floats), edges[key]))
            else:
                told.append(numbered(values))
        code, count = combined(told, len(words.values))
        gone = (words.codes < 0) | doubted(self.fleet, _NAME)
        table = np.append(code, count)
        return table[np.where(gone, len(code), words.codes)], count + 1

    def _of_name(self, name: str) -> Machine:
        return complete(put(Machine(SHEET_FORMAT, ""), _NAME, name), self.fleet.vocabulary)

    def following(self, key: str) -> Code:
        """The class of each machine by what is known of one of FOLLOWING."""
        return self._followed()[key]

    def _followed(self) -> dict[str, Code]:
        if self._following is not None:
            return self._following
        fleet = self.fleet
        keys = sources(FOLLOWING, whole=True)
        parts = [column_code(fleet, one, None) for one in keys if one != _NAME]
        parts.append(self.named(keys, {}) if _NAME in keys else None)
        found = [one for one in parts if one is not None]
        code, count = combined([*found, *doubt_codes(fleet, keys)], len(fleet))
        machines = [self.normalized(at).machine for at in first_of(code, count).tolist()]
        tables = {}
        for key in FOLLOWING:
            table, many = numbered([(get(one, key), one.origins.get(key)) for one in machines])
            tables[key] = (table[code], many)
        self._following = tables
        return tables


def doubt_codes(fleet: Fleet, keys: Iterable[str]) -> list[Code]:
    """Which of some readings are in doubt: such a one is not worked out from others either."""
    flags = [doubted(fleet, key) for key in keys]
    return [(flag.astype(np.int64), 2) for flag in flags if flag.any()]


def value_codes(fleet: Fleet, keys: frozenset[str]) -> list[Code]:
    """What doubted readings may be, where sources gave them values: these are tried."""
    found: list[Code] = []
    for bit, rule in enumerate(RULES):
        there = (fleet.doubts >> np.uint32(bit)) & 1 != 0
        if rule.values and keys & {*rule.about} and there.any():
            numbers = Numbers(fleet)  # few lists have such doubts
            for key in rule.reads:
                column = np.where(there, np.nan_to_num(numbers(key), nan=-1), -1)
                distinct, code = np.unique(column, return_inverse=True)
                found.append((code.reshape(-1), len(distinct)))
    return found


def reading_codes(
    fleet: Fleet,
    direct: Iterable[str],
    facts: Facts,
    edges: dict[str, list[float]] | None = None,
) -> list[Code]:
    """Codes that together tell apart the machines that differ in some readings as known."""
    edges = edges or {}
    keys = sources(direct)
    found: list[Any] = [facts.following(key) for key in keys if key in FOLLOWING]
    plain = [key for key in keys if key not in FOLLOWING]
    if _NAME in plain and _NAME not in direct:
        plain.remove(_NAME)
        found.append(facts.named(keys, edges))
    found += [column_code(fleet, key, _edges_for(key, edges)) for key in plain]
    return [one for one in found if one is not None] + doubt_codes(fleet, plain)


def shape_codes(fleet: Fleet) -> list[Code]:
    """Shapes told apart as far as fixes do."""
    words = fleet.words.get("system.shape")
    if words is None:
        return []
    table, count = numbered([*map(shape_for_fixes, words.values), None])
    return [(table[words.codes], count), *doubt_codes(fleet, ["system.shape"])]


def _edges_for(key: str, edges: dict[str, list[float]]) -> list[float] | None:
    """The edges of a column: its own, and those of what is worked out from it."""
    found = [
        values for name, values in edges.items()
        if name == key or key in WORKED_OUT_FROM.get(name, ())
    ]  # fmt: skip
    return sorted({value for values in found for value in values}) if found else None
