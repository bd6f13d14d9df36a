"""Instruction sets and levels: which are there, hidden, absent or unknown."""

from collections.abc import Iterable
from functools import lru_cache
from typing import Any, Final

from msgspec import Struct

from tallcheck.core.machine.instructions import LEVELS, belongs_to_other, enabled, implied
from tallcheck.core.needs.key import AllSets, Choice, Evaluation, Key, View
from tallcheck.core.needs.numbers import PROCESSOR_MENDS, processor_fix

_READING: Final = "processor.instructions"
_LEVELS = list(LEVELS)


class Sorted(Struct):
    """Sets and levels that are asked for, by what is known of each."""

    there: list[str] = []
    by: dict[str, str] = {}
    """Those that are there because another one is, with that one."""
    hidden: list[str] = []
    absent: list[str] = []
    unknown: list[str] = []


class _Sets:
    """What is known of a processor's sets."""

    def __init__(
        self, listed: tuple[str, ...] | None, architecture: str | None, complete: bool,
        level: str | None, bits: int | None, hidden: tuple[str, ...],
    ) -> None:  # fmt: skip
        self.architecture = architecture
        self.complete = complete and listed is not None
        names = listed or ()
        given = {name for name in names if not name.startswith("-")}
        self.told_absent = {name[1:] for name in names if name.startswith("-")}
        self.level = -1
        if not self.complete and level in LEVELS:
            self.level = _LEVELS.index(level)
        # every x86-64 processor reaches the first level
        least = max(self.level, 0 if architecture == "x86-64" and not self.complete else -1)
        by_level = set(LEVELS[_LEVELS[least]]) if least >= 0 else set()
        by_level = {name for name in by_level if not self.without(name)}
        self.by = implied(sorted(given | by_level), architecture)
        self.there = enabled(given, bits) | by_level
        self.hidden = set(hidden)
        self._sorted: dict[tuple[str, ...], Sorted] = {}

    def without(self, name: str) -> bool:
        """Whether a set is told to be absent, or cannot be without one that is."""
        if not self.told_absent:
            return False
        return name in self.told_absent or bool(self.told_absent & implied([name]).keys())

    def sorted(self, names: tuple[str, ...]) -> Sorted:
        """Sets and levels by what is known of them."""
        if names not in self._sorted:
            found = self._sorted[names] = Sorted([], {}, [], [], [])
            for name in names:
                self._put(name, found)
        return self._sorted[names]

    def _put(self, name: str, found: Sorted) -> None:
        if self.level >= 0 and name in LEVELS:
            lacks = [one for one in LEVELS[name] if self.without(one)]
            reached = _LEVELS.index(name) <= self.level and not lacks
            (found.there if reached else found.absent).append(name)
            return
        for single in LEVELS.get(name, (name,)):
            self._single(single, found)

    def _single(self, name: str, found: Sorted) -> None:
        if belongs_to_other(name, self.architecture) or self.without(name):
            found.absent.append(name)
        elif name in self.there:
            found.there.append(name)
        elif name in self.hidden:
            found.hidden.append(name)
        elif name in self.by:
            if self.complete:
                found.hidden.append(name)
            else:
                found.there.append(name)
                found.by[name] = self.by[name]
        else:
            (found.absent if self.complete else found.unknown).append(name)


_known = lru_cache(maxsize=1024)(_Sets)
"""Sets by what is read of them: a processor's are asked for in every trial."""


def _sets_of(view: View) -> _Sets:
    listed = view["processor.instructions"]
    return _known(
        None if listed is None else tuple(listed), view["processor.architecture"],
        bool(view["processor.complete"]), view["processor.level"], view["processor.bits"],
        tuple(view["processor.hidden"] or ()),
    )  # fmt: skip


def _evaluate(test: AllSets, view: View) -> Evaluation:
    found = _sets_of(view).sorted(test.names)
    have = list(dict.fromkeys(found.there))
    worked = (_READING,) if found.by else ()
    if found.absent or found.hidden:
        return Evaluation("short", have, 0.0, _READING, (), worked, found)
    if found.unknown:
        return Evaluation("unknown", have, None, _READING, (_READING,), (), found)
    return Evaluation("met", have, 1.0, _READING, (), worked, found)


def _as_read(names: Iterable[str], hidden: Iterable[str]) -> dict[str, Any]:
    return {
        _READING: sorted(names), "processor.complete": True, "processor.level": None,
        "processor.hidden": sorted(hidden),
    }  # fmt: skip


def _choices(tests: list[Any], view: View) -> Iterable[Choice]:
    sets = _sets_of(view)
    singles = {one for test in tests for name in test.names for one in LEVELS.get(name, (name,))}
    found = sets.sorted(tuple(sorted(singles)))
    now = sets.there | set(found.there)
    fix = processor_fix(view)
    if found.hidden:
        yield Choice(_as_read(now | set(found.hidden), ()), "setting")
    if found.unknown:
        yield Choice(_as_read(now | set(found.unknown), sets.hidden), fix)
    yield Choice(_as_read(now | singles, ()), fix)
    yield Choice(_as_read(now - singles | set(found.there), sets.hidden), fix)


INSTRUCTIONS = Key(
    "instructions", "sets", "all of", _READING,
    frozenset({_READING, "processor.complete", "processor.hidden", "processor.level",
               "processor.architecture", "processor.bits"}),
    _evaluate, _choices, "instruction sets",
    "All sets must be there. In a list that was read, what is not there is missing; in a told one "
    "it is unknown, unless a set that is there brings it.",
    '["AVX2"]', 'all of; also levels, "x86-64-v2"', PROCESSOR_MENDS, steady=True,
)  # fmt: skip
