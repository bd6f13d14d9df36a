"""Memory of many machines by the edges of its rules: what each need comes to at each total.

For each way in which memory can count (as it is, under another system, with what is kept back
freed) and each total at which a rule turns, whether the need is met there. Machines alike in that
are alike in what memory can do for them, whatever their figures.
"""

from collections.abc import Callable, Iterator
from typing import Any

import numpy as np
from msgspec import Struct, structs

from tallcheck.core.decide.asked import Requirement
from tallcheck.core.decide.groups import Group
from tallcheck.core.fleet.columns import Fleet, Floats, Ints, cut_fleet, in_chunks
from tallcheck.core.fleet.facts import Coded, coded, numbered_as, same_rows
from tallcheck.core.fleet.known import doubted, known_memory
from tallcheck.core.fleet.model import Builder, told_soldered
from tallcheck.core.machine.amounts import (
    ADDRESSABLE_32,
    MOSTLY,
    Amounts,
    Use,
    use_of,
    use_under,
)
from tallcheck.core.machine.modules import soldered
from tallcheck.core.values.comparison import AT_LEAST, Bound

_KEYS = ("memory", "memory_own")
WAYS = ("as it is", "64-bit system", "32-bit system")
"""Systems under which memory can count, by their places; each with and without what is freed."""


def plain_memory(group: Group) -> bool:
    """Whether a group asks only for memory, each need for itself and without conditions."""
    return bool(group.asks) and all(
        ask.key is not None
        and ask.key.name in _KEYS
        and not ask.when
        and isinstance(ask.test, Bound)
        for ask in group.asks
    )


class _Way(Struct):
    """One way in which memory counts, and what gives the totals that the rules turn at."""

    use: Use
    totals: Callable[[], list[Floats]]
    anywhere: Callable[[], list[Floats]]
    """The totals that another machine would have, where any can be had."""


def memory_codes(fleet: Fleet, group: Group) -> tuple[Ints, int]:
    """The class of each machine's memory for the needs of a group."""
    numbers = [one for key, one in fleet.numbers.items() if key.startswith(_NUMBERS)]
    words = [one.codes for table in (fleet.words, fleet.listed) for one in table.values()]
    alike = same_rows([*numbers, *words, fleet.doubts])
    if alike is None:
        return _codes(fleet, group)
    first, inverse = alike
    some = np.zeros(len(fleet), dtype=bool)
    some[first] = True
    code, count = _codes(cut_fleet(fleet, some), group)
    place = np.cumsum(some) - 1  # where each of them stands in the cut
    return code[place[first]][inverse], count


_NUMBERS = ("memory.", "processor.bits", "system.os_bits")
"""Columns of numbers that bear on memory; of words any may, by what follows from it."""


def _codes(fleet: Fleet, group: Group) -> tuple[Ints, int]:
    code = np.zeros(len(fleet), dtype=np.int64)
    numbers: dict[Any, int] = {}

    def of(part: Fleet, place: slice) -> tuple[slice, list[tuple[Any, Coded]]]:
        memory = known_memory(part)
        live = _live(memory)
        found = [(slice(None), coded(_bits(part, memory, group.asks, live), live))]
        exact, tried = _exact(memory, group.asks), _tried(memory, group.asks)
        if tried.any():
            found.append((tried, coded(_tried_bits(cut_fleet(part, tried), group.asks, live),
                                       ("tried", live))))  # fmt: skip
        if exact.any():
            found.append((exact, coded(_rows(part, memory)[:, exact])))
        return place, found

    for place, found in in_chunks(fleet, of):
        own = code[place]
        for where, different in found:
            own[where] = numbered_as(different, numbers)
    return code, max(len(numbers), 1)


def _live(memory: Amounts) -> frozenset[int]:
    """The places of the ways in which memory of any machine counts otherwise than as it is."""
    systems = range(len(WAYS)) if bool((~np.isnan(memory.addressable)).any()) else (0,)
    frees = (0, 1) if bool(np.any(use_of(memory).can_free)) else (0,)
    return frozenset(way * 2 + freed for way in systems for freed in frees)


def _bits(part: Fleet, memory: Amounts, asks: list[Requirement], live: frozenset[int]) -> Any:
    """A column of whole numbers for each machine: what is met in each way at each total."""
    flags = []
    for at, way in _ways(part, memory, asks):
        if at not in live:
            continue
        for total in [memory.installed, *way.totals()]:
            flags += [_met(ask, memory, way.use, total, asks) for ask in asks]
            flags.append(np.isnan(total))
        flags.append(_met_anywhere(way, memory, asks))
    base = use_of(memory)
    flags += [
        base.frees, np.isnan(memory.limit), np.isnan(memory.addressable),
        np.isnan(memory.installed), np.isnan(memory.usable), memory.bits == 32, memory.bits == 64,
        memory.os_bits == 32, memory.os_bits == 64, memory.virtual == 1,
        np.isnan(memory.slots), _all_soldered(part),
    ]  # fmt: skip
    words = []
    for at in range(0, len(flags), 16):
        word = np.zeros(len(part), dtype=np.uint16)
        for bit, flag in enumerate(flags[at : at + 16]):
            word |= np.asarray(flag).astype(np.uint16) << np.uint16(bit)
        words.append(word)
    return np.stack(words)


def _met_anywhere(way: _Way, memory: Amounts, asks: list[Requirement]) -> Any:
    """Whether all needs are met at some total, on a machine where any can be had."""
    found = np.zeros(len(memory.installed), dtype=bool)
    for total in way.anywhere():
        found |= _all_met(asks, memory, way.use, total)
    return found


def _tried(memory: Amounts, asks: list[Requirement]) -> Any:
    """Which machines count by the values that their available memory, unknown, can have."""
    return _open(memory, asks) & ~np.isnan(memory.installed) & ~np.isnan(memory.os_bits)


def _exact(memory: Amounts, asks: list[Requirement]) -> Any:
    """Which machines count by their exact figures: where other values have to be tried."""
    return np.isnan(memory.installed) | (_open(memory, asks) & np.isnan(memory.os_bits))


def _open(memory: Amounts, asks: list[Requirement]) -> Any:
    asked = any(ask.key is not None and ask.key.name == "memory_own" for ask in asks)
    return np.isnan(memory.available) & asked


def _tried_bits(part: Fleet, asks: list[Requirement], live: frozenset[int]) -> Any:
    """What is met in each way at each total, for each value that available memory can have."""
    memory = known_memory(part)
    words = []
    for value in _availables(part, memory, asks):
        there = structs.replace(memory, available=value)
        words += [*_bits(part, there, asks, live), np.isnan(value)]
    return np.stack(words)


def _availables(part: Fleet, memory: Amounts, asks: list[Requirement]) -> Iterator[Floats]:
    """A value for each side of where the need turns, as its entry gives them; NaN: none there."""
    use, most = use_of(memory), Builder(part, memory).most()
    total = np.where(np.isnan(memory.usable), memory.installed, memory.usable)
    wanted = float(own_of(asks))
    edges = [np.zeros(len(part)), np.full(len(part), wanted)]
    for reached in (most - use.kept, use.usable(most)):
        gained = np.where(np.isinf(reached), np.nan, reached - total)
        edges.append(np.maximum(wanted - gained, 0))
    yield total
    for edge in edges:
        for value in (edge - 1, edge, edge + 1):
            yield np.where((value >= 0) & (value <= total), np.floor(value), np.nan)


def _rows(part: Fleet, memory: Amounts) -> Any:
    codes = np.where(doubted(part, "memory.modules"), -1, part.word("memory.modules").codes)
    columns = [
        memory.installed, memory.usable, memory.available, memory.ceiling, memory.addressable,
        memory.limit,
        memory.position_most, memory.slots, memory.bits, memory.os_bits, memory.virtual,
        codes.astype(np.float64), part.word("extra.memory_type").codes.astype(np.float64),
    ]  # fmt: skip
    return np.nan_to_num(np.stack(columns), nan=-1.0)


def _all_soldered(part: Fleet) -> Any:
    def whole(modules: Any) -> float:
        return float(bool(modules) and all(soldered(one) for one in modules))

    modules = part.word("memory.modules")
    return (modules.mapped(whole) == 1) | ((modules.codes < 0) & told_soldered(part))


def own_of(asks: list[Requirement]) -> int:
    """What all programs want for themselves, in bytes."""
    return sum(
        ask.test.limits()[-1]
        for ask in asks
        if ask.key is not None and ask.key.name == "memory_own"
    )


def _in_use(memory: Amounts) -> Any:
    held = np.where(np.isnan(memory.usable), memory.installed, memory.usable)
    return np.maximum(held - memory.available, 0)


def _met(ask: Requirement, memory: Amounts, use: Use, total: Any, asks: list[Requirement]) -> Any:
    """Whether a need is met where ``total`` is fitted."""
    assert ask.key is not None
    if ask.key.name == "memory":
        return ask.test.within(use.counted(total))
    shown = use.usable(total)
    shown = np.where(np.isnan(memory.usable) & ~(use.shown < total), total, shown)
    own = ask.test.limits()[-1]
    room = np.maximum(shown - _in_use(memory) - (own_of(asks) - own), 0)
    return ask.test.within(room)


def _ways(part: Fleet, memory: Amounts, asks: list[Requirement]) -> Iterator[tuple[int, _Way]]:
    """Each way in which memory can count, by its place."""
    base = use_of(memory)
    build = Builder(part, memory)
    uses = (base, use_under(base, np.nan), use_under(base, float(ADDRESSABLE_32)))
    made: dict[int, list[Floats]] = {}  # edges rest on what is kept back, which no system changes
    for system, use in enumerate(uses):
        for freed in (0, 1):
            way = use.freed() if freed else use

            def edges(way: Use = way) -> list[Floats]:
                return [edge for ask in asks for edge in _edges(ask, memory, way, asks)]

            def totals(
                freed: int = freed, edges: Callable[[], list[Floats]] = edges
            ) -> list[Floats]:
                if freed not in made:
                    made[freed] = [build.smallest(edge) for edge in edges()]
                return made[freed]

            def anywhere(edges: Callable[[], list[Floats]] = edges) -> list[Floats]:
                return [np.maximum(edge, memory.installed + 1) for edge in edges()]

            yield system * 2 + freed, _Way(way, totals, anywhere)


def _edges(ask: Requirement, memory: Amounts, use: Use, asks: list[Requirement]) -> Iterator[Any]:
    """The totals at which a need turns: those that its entry gives for one machine."""
    assert ask.key is not None
    if ask.key.name == "memory_own":
        yield _in_use(memory) + own_of(asks) + use.kept
        return
    for limit in ask.test.limits():
        for step in (0,) if ask.test.op == AT_LEAST else (0, 1):
            yield np.full(len(memory.installed), float(limit + step))
            yield limit + step + use.kept
    yield np.ceil(use.kept / (1 - MOSTLY))


def best_totals(part: Fleet, group: Group, way: int, freed: bool) -> Floats:
    """The smallest total under which all memory needs are met in one way, and what it must reach.

    Two rows; NaN where there is none.

    Where what is available is not known, the smallest of those that its values call for.
    """
    memory, place = known_memory(part), way * 2 + freed
    best = _best(part, memory, group.asks, place)
    tried = _tried(memory, group.asks)
    if tried.any():
        some = cut_fleet(part, tried)
        there = known_memory(some)
        least = np.full((2, len(some)), np.nan)
        for value in _availables(some, there, group.asks):
            told = structs.replace(there, available=value)
            least = _lower(least, _best(some, told, group.asks, place, more=True))
        best[:, tried] = least
    return best


def _best(
    part: Fleet, memory: Amounts, asks: list[Requirement], place: int, more: bool = False
) -> Floats:
    """As ``best_totals``; ``more``: NaN, too, where it is enough as it is."""
    best = np.full((2, len(part)), np.nan)
    for at, one in _ways(part, memory, asks):
        if at != place:
            continue
        for edge, total in zip(one.anywhere(), one.totals(), strict=True):
            good = ~np.isnan(total) & _all_met(asks, memory, one.use, total)
            enough = _all_met(asks, memory, one.use, edge)
            best = _lower(best, np.where(good, [total, np.where(enough, edge, total)], np.nan))
        if more:
            enough = _all_met(asks, memory, one.use, memory.installed)
            best = np.where(enough, np.nan, best)
    return best


def _lower(one: Floats, other: Floats) -> Floats:
    """Of two totals, each above what would do, the smaller; of the same what is less."""
    found = np.where(np.isnan(one[0]) | (other[0] < one[0]), other, one)
    return np.where(other[0] == one[0], np.fmin(one, other), found)


def _all_met(asks: list[Requirement], memory: Amounts, use: Use, total: Any) -> Any:
    found = np.ones(len(memory.installed), dtype=bool)
    for ask in asks:
        found &= np.asarray(_met(ask, memory, use, total, asks)).astype(bool)
    return found
