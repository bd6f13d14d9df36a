"""Memory of many machines by the edges of its rules: what each need comes to at each total.

For each way in which memory can count (as it is, under another system, with what is kept back
freed) and each total at which a rule turns, whether the need is met there. Machines alike in that
are alike in what memory can do for them, whatever their figures.
"""

from collections.abc import Callable, Iterator
from typing import Any

import numpy as np
from msgspec import Struct

from tallcheck.core.decide.asked import Ask
from tallcheck.core.decide.groups import Group
from tallcheck.core.fleet.columns import (
    Fleet,
    Floats,
    Ints,
    doubted,
    in_chunks,
    known_memory,
)
from tallcheck.core.machine.amounts import (
    ADDRESSABLE_32,
    HOST_STEP,
    MOSTLY,
    ROUND_TOTALS,
    Amounts,
    Use,
    use_of,
    use_under,
)
from tallcheck.core.machine.modules import ALL_SIZES, soldered
from tallcheck.core.machine.totals import UNIT, MakeUp, built_table, fillable, makeup_of
from tallcheck.core.values.comparison import AT_LEAST, Bound
from tallcheck.core.values.either import at_or_above, up_to_step

_KEYS = ("memory", "memory_own")
_ROUND = [float(one) for one in ROUND_TOTALS]
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
    code = np.zeros(len(fleet), dtype=np.int64)
    numbers: dict[Any, int] = {}

    def of(part: Fleet, place: slice) -> tuple[slice, "_Coded", Ints, "_Coded"]:
        memory = known_memory(part)
        live = _live(memory)
        exact = np.flatnonzero(_exact(memory, group.asks))
        by_edges = _coded(_bits(part, memory, group.asks, live), live)
        by_figures = _coded(_rows(part, memory)[:, exact]) if len(exact) else ([], exact)
        return place, by_edges, exact, by_figures

    for place, by_edges, exact, by_figures in in_chunks(fleet, of):
        found = _numbered(by_edges, numbers)
        found[exact] = _numbered(by_figures, numbers)
        code[place] = found
    return code, max(len(numbers), 1)


_Coded = tuple[list[Any], Ints]


def _coded(columns: Any, kind: Any = None) -> _Coded:
    """The columns of some rows, each once, and which one stands at each place."""
    inverse = np.zeros(columns.shape[1], dtype=np.int64)
    for column in columns:
        values, codes = np.unique(column, return_inverse=True)
        _, inverse = np.unique(inverse * len(values) + codes.reshape(-1), return_inverse=True)
        inverse = inverse.reshape(-1)
    count = int(inverse.max(initial=-1)) + 1
    first = np.zeros(count, dtype=np.int64)
    first[inverse[::-1]] = np.arange(columns.shape[1])[::-1]
    return [(kind, *row) for row in columns[:, first].T.tolist()], inverse


def _numbered(coded: _Coded, numbers: dict[Any, int]) -> Ints:
    """A number for each place, the same for the same column of one kind."""
    keys, inverse = coded
    table = np.array([numbers.setdefault(key, len(numbers)) for key in keys], dtype=np.int64)
    return np.asarray(table[inverse])


def _live(memory: Amounts) -> frozenset[int]:
    """The places of the ways in which memory of any machine counts otherwise than as it is."""
    systems = range(len(WAYS)) if bool((~np.isnan(memory.addressable)).any()) else (0,)
    frees = (0, 1) if bool(np.any(use_of(memory).frees)) else (0,)
    return frozenset(way * 2 + freed for way in systems for freed in frees)


def _bits(part: Fleet, memory: Amounts, asks: list[Ask], live: frozenset[int]) -> Any:
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
        base.frees, np.isnan(memory.addressable), np.isnan(memory.installed),
        np.isnan(memory.usable), memory.bits == 32, memory.bits == 64,
        memory.os_bits == 32, memory.os_bits == 64, memory.virtual == 1,
        np.isnan(memory.slots), _all_soldered(part),
    ]  # fmt: skip
    words = []
    for at in range(0, len(flags), 60):
        word = np.zeros(len(part), dtype=np.int64)
        for bit, flag in enumerate(flags[at : at + 60]):
            word |= np.asarray(flag).astype(np.int64) << bit
        words.append(word)
    return np.stack(words)


def _met_anywhere(way: _Way, memory: Amounts, asks: list[Ask]) -> Any:
    """Whether all needs are met at some total, on a machine where any can be had."""
    found = np.zeros(len(memory.installed), dtype=bool)
    for total in way.anywhere():
        good = np.ones(len(found), dtype=bool)
        for ask in asks:
            good &= np.asarray(_met(ask, memory, way.use, total, asks)).astype(bool)
        found |= good
    return found


def _exact(memory: Amounts, asks: list[Ask]) -> Any:
    """Which machines count by their exact figures: where values have to be tried."""
    exact = np.isnan(memory.installed)
    if any(ask.key is not None and ask.key.name == "memory_own" for ask in asks):
        exact = exact | np.isnan(memory.available)
    return exact


def _rows(part: Fleet, memory: Amounts) -> Any:
    codes = np.where(doubted(part, "memory.modules"), -1, part.word("memory.modules").codes)
    columns = [
        memory.installed, memory.usable, memory.available, memory.ceiling, memory.addressable,
        memory.position_most, memory.slots, memory.bits, memory.os_bits, memory.virtual,
        codes.astype(np.float64), part.word("extra.memory_type").codes.astype(np.float64),
    ]  # fmt: skip
    return np.nan_to_num(np.stack(columns), nan=-1.0)


def _all_soldered(part: Fleet) -> Any:
    def whole(modules: Any) -> float:
        return float(bool(modules) and all(soldered(one) for one in modules))

    return part.word("memory.modules").mapped(whole) == 1


def own_of(asks: list[Ask]) -> int:
    """What all programs want for themselves, in bytes."""
    return sum(
        ask.test.limits()[-1]
        for ask in asks
        if ask.key is not None and ask.key.name == "memory_own"
    )


def _in_use(memory: Amounts) -> Any:
    held = np.where(np.isnan(memory.usable), memory.installed, memory.usable)
    return np.maximum(held - memory.available, 0)


def _met(ask: Ask, memory: Amounts, use: Use, total: Any, asks: list[Ask]) -> Any:
    """Whether a need is met where ``total`` is fitted."""
    assert ask.key is not None
    if ask.key.name == "memory":
        return ask.test.within(use.counted(total))
    shown = use.usable(total)
    shown = np.where(np.isnan(memory.usable) & ~(use.reach < total), total, shown)
    own = ask.test.limits()[-1]
    room = np.maximum(shown - _in_use(memory) - (own_of(asks) - own), 0)
    return ask.test.within(room)


def _ways(part: Fleet, memory: Amounts, asks: list[Ask]) -> Iterator[tuple[int, _Way]]:
    """Each way in which memory can count, by its place."""
    base = use_of(memory)
    build = Builder(part, memory)
    uses = (base, use_under(base, np.nan), use_under(base, float(ADDRESSABLE_32)))
    for system, use in enumerate(uses):
        for freed in (0, 1):
            way = use.freed() if freed else use

            def edges(way: Use = way) -> list[Floats]:
                return [edge for ask in asks for edge in _edges(ask, memory, way, asks)]

            def totals(edges: Callable[[], list[Floats]] = edges) -> list[Floats]:
                return [build.smallest(edge) for edge in edges()]

            def anywhere(edges: Callable[[], list[Floats]] = edges) -> list[Floats]:
                return [np.maximum(edge, memory.installed + 1) for edge in edges()]

            yield system * 2 + freed, _Way(way, totals, anywhere)


def _edges(ask: Ask, memory: Amounts, use: Use, asks: list[Ask]) -> Iterator[Any]:
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
    """The smallest total under which all memory needs are met in one way; NaN where none is."""
    memory = known_memory(part)
    asks = group.asks
    best = np.full(len(part), np.nan)
    for at, one in _ways(part, memory, asks):
        if at != way * 2 + freed:
            continue
        for total in one.totals():
            good = ~np.isnan(total)
            for ask in asks:
                good &= np.asarray(_met(ask, memory, one.use, total, asks)).astype(bool)
            best = np.fmin(best, np.where(good, total, np.nan))
    return best


class Builder:
    """The smallest total that each machine can be given: ``totals.smallest_total`` for many."""

    def __init__(self, part: Fleet, memory: Amounts) -> None:
        self.memory = memory
        words = part.word("memory.modules")
        self._modules = words.values
        self._codes = np.where(doubted(part, "memory.modules"), -1, words.codes).astype(np.int64)
        kinds = part.word("extra.memory_type")
        self._kinds = kinds.values
        self._kind = kinds.codes.astype(np.int64)
        self._sold = np.array(ALL_SIZES, dtype=np.float64)
        self._boards = self._makeups()

    def _makeups(self) -> list[tuple[tuple[int, ...], ...] | None]:
        """What can be filled, each once; ``_number`` tells which one each machine has."""
        most = self.memory.position_most
        largest = np.full(len(most), len(self._sold), dtype=np.int64)
        told = ~np.isnan(most)
        largest[told] = np.searchsorted(self._sold, most[told], side="right")
        slots = np.where(np.isnan(self.memory.slots), -1, np.minimum(self.memory.slots, 4096))
        columns = [self._codes, slots.astype(np.int64), largest, self._kind]
        numbers: dict[Any, int] = {}
        makeups = _numbered(_coded(np.stack(columns)), numbers)
        boards: dict[tuple[tuple[int, ...], ...] | None, int] = {}
        table = [
            boards.setdefault(fillable(self._board(key[1:])), len(boards)) for key in numbers
        ]  # fmt: skip
        self._number = np.array(table, dtype=np.int64)[makeups]
        self._order = np.argsort(self._number, kind="stable")
        self._ends = np.flatnonzero(np.diff(self._number[self._order])) + 1
        return list(boards)

    def _board(self, key: tuple[int, int, int, int]) -> MakeUp:
        code, slots, largest, kind = key
        most = None if largest == len(self._sold) else 0
        if largest and most is not None:
            most = int(self._sold[largest - 1])
        return makeup_of(
            self._modules[code] if code >= 0 else None, slots if slots >= 0 else None, most, False,
            str(self._kinds[kind]) if kind >= 0 else None,
        )  # fmt: skip

    def smallest(self, wanted: Any, above: Any = None) -> Floats:
        """The smallest total of at least ``wanted`` and more than ``above``; NaN where none.

        ``above`` is what is fitted, where it is not given.
        """
        memory = self.memory
        least = np.maximum(wanted, (memory.installed if above is None else above) + 1)
        total = np.full(len(memory.installed), np.nan)
        virtual = memory.virtual == 1
        total[virtual] = up_to_step(least, HOST_STEP)[virtual]
        known = ~np.isnan(least)
        loose = np.isnan(memory.slots) & (self._codes < 0) & ~virtual & known
        if loose.any():
            rounded = at_or_above(_ROUND, least[loose])
            total[loose] = np.fmin(rounded, memory.ceiling[loose])
        todo = ~virtual & ~loose & known & ~(least > memory.ceiling)
        for one in np.split(self._order, self._ends) if len(total) else []:
            here = one[todo[one]]
            if len(here):
                board = self._boards[self._number[here[0]]]
                total[here] = _from_table(board, least[here])
        over = ~virtual & ((least > memory.ceiling) | (total > memory.ceiling))
        return np.where(over, np.nan, total)


def _from_table(choices: tuple[tuple[int, ...], ...] | None, wanted: Floats) -> Any:
    """The smallest totals of one make-up."""
    if choices is None:
        return at_or_above(_ROUND, wanted)
    if not choices:
        return np.full(len(wanted), np.nan)
    table = built_table(choices, float(wanted.max()))
    units = np.ceil(wanted / UNIT)
    return table[np.minimum(units, len(table) - 1).astype(np.int64)]
