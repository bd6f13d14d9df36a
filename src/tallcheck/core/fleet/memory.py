"""Memory of many machines by the edges of its rules: what each need comes to at each total.

For each way in which memory can count (as it is, under another system, with what is kept back
freed) and each total at which a rule turns, whether the need is met there. Machines alike in that
are alike in what memory can do for them, whatever their figures.
"""

from collections.abc import Iterator
from typing import Any

import numpy as np
from msgspec import Struct

from tallcheck.core.decide.asked import Ask
from tallcheck.core.decide.groups import Group
from tallcheck.core.fleet.columns import (
    CHUNK,
    Fleet,
    Floats,
    Ints,
    cut_fleet,
    doubted,
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
from tallcheck.core.machine.modules import ALL_SIZES
from tallcheck.core.machine.totals import built_table, makeup_of
from tallcheck.core.values.comparison import AT_LEAST, Bound
from tallcheck.core.values.either import at_or_above, up_to_step

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
    """One way in which memory counts, and the totals that the rules turn at."""

    use: Use
    totals: list[Floats]


def memory_codes(fleet: Fleet, group: Group) -> tuple[Ints, int]:
    """The class of each machine's memory for the needs of a group."""
    code = np.zeros(len(fleet), dtype=np.int64)
    numbers: dict[Any, int] = {}
    for start in range(0, len(fleet), CHUNK):
        part = cut_fleet(fleet, start, start + CHUNK)
        bits, exact = _bits(part, group)
        keys, inverse = np.unique(bits, axis=0, return_inverse=True)
        table = [numbers.setdefault(tuple(key), len(numbers)) for key in keys.tolist()]
        found = np.array(table, dtype=np.int64)[inverse.reshape(-1)]
        where = np.flatnonzero(exact)
        if len(where):
            rows, back = np.unique(_rows(part)[where], axis=0, return_inverse=True)
            table = [numbers.setdefault(("row", *row), len(numbers)) for row in rows.tolist()]
            found[where] = np.array(table, dtype=np.int64)[back.reshape(-1)]
        code[start : start + CHUNK] = found
    return code, max(len(numbers), 1)


def _bits(part: Fleet, group: Group) -> tuple[Any, Any]:
    """A row of whole numbers for each machine, and which machines count by their exact figures."""
    memory = known_memory(part)
    asks = group.asks
    flags = []
    for way in _ways(part, memory, asks):
        for total in [memory.installed, *way.totals]:
            flags += [_met(ask, memory, way.use, total, asks) for ask in asks]
            flags.append(np.isnan(total))
    base = use_of(memory)
    flags += [
        base.frees, np.isnan(memory.installed), np.isnan(memory.usable), memory.bits == 32,
        memory.bits == 64, memory.os_bits == 32, memory.os_bits == 64, memory.virtual == 1,
        np.isnan(memory.slots), _all_soldered(part),
    ]  # fmt: skip
    exact = np.isnan(memory.installed)
    if any(ask.key is not None and ask.key.name == "memory_own" for ask in asks):
        exact = exact | np.isnan(memory.available)
    words = []
    for at in range(0, len(flags), 60):
        word = np.zeros(len(part), dtype=np.int64)
        for bit, flag in enumerate(flags[at : at + 60]):
            word |= np.asarray(flag).astype(np.int64) << bit
        words.append(word)
    return np.stack(words, axis=1), exact


def _rows(part: Fleet) -> Any:
    memory = known_memory(part)
    codes = np.where(doubted(part, "memory.modules"), -1, part.word("memory.modules").codes)
    columns = [
        memory.installed, memory.usable, memory.available, memory.ceiling, memory.addressable,
        memory.position_most, memory.slots, memory.bits, memory.os_bits, memory.virtual,
        codes.astype(np.float64), part.word("extra.memory_type").codes.astype(np.float64),
    ]  # fmt: skip
    return np.nan_to_num(np.stack(columns, axis=1), nan=-1.0)


def _all_soldered(part: Fleet) -> Any:
    def soldered(modules: Any) -> float:
        return float(bool(modules) and all(one.fixed for one in modules))

    return part.word("memory.modules").mapped(soldered) == 1


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


def _ways(part: Fleet, memory: Amounts, asks: list[Ask]) -> Iterator[_Way]:
    """Each way in which memory can count, with the totals above what is fitted that it offers."""
    base = use_of(memory)
    build = Builder(part, memory)
    for use in (base, use_under(base, np.nan), use_under(base, float(ADDRESSABLE_32))):
        for way in (use, use.freed()):
            edges = [edge for ask in asks for edge in _edges(ask, memory, way, asks)]
            yield _Way(way, [build.smallest(edge) for edge in edges])


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
    """The smallest total under which all memory needs are met, in one of the ways; NaN where none."""
    memory = known_memory(part)
    asks = group.asks
    best = np.full(len(part), np.nan)
    for at, one in enumerate(_ways(part, memory, asks)):
        if at != way * 2 + freed:
            continue
        for total in one.totals:
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
        self._keys = self._makeups()
        self._tables: dict[tuple[int, int, int, int], Any] = {}

    def _makeups(self) -> Any:
        most = self.memory.position_most
        largest = np.full(len(most), len(self._sold), dtype=np.int64)
        told = ~np.isnan(most)
        largest[told] = np.searchsorted(self._sold, most[told], side="right")
        slots = np.where(np.isnan(self.memory.slots), -1, np.minimum(self.memory.slots, 4096))
        return np.stack([self._codes, slots.astype(np.int64), largest, self._kind], axis=1)

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
            rounded = at_or_above([float(one) for one in ROUND_TOTALS], least[loose])
            total[loose] = np.fmin(rounded, memory.ceiling[loose])
        todo = np.flatnonzero(~virtual & ~loose & known & ~(least > memory.ceiling))
        if len(todo):
            keys, inverse = np.unique(self._keys[todo], axis=0, return_inverse=True)
            inverse = inverse.reshape(-1)
            for at, key in enumerate(keys.tolist()):
                here = todo[inverse == at]
                total[here] = self._from_table(tuple(key), least[here])
        over = ~virtual & ((least > memory.ceiling) | (total > memory.ceiling))
        return np.where(over, np.nan, total)

    def _from_table(self, key: tuple[int, int, int, int], wanted: Floats) -> Any:
        code, slots, largest, kind = key
        if key not in self._tables:
            modules = self._modules[code] if code >= 0 else None
            most = int(self._sold[largest - 1]) if largest < len(self._sold) else None
            if largest == 0:
                most = 0
            board = makeup_of(
                modules, slots if slots >= 0 else None, most, False,
                str(self._kinds[kind]) if kind >= 0 else None,
            )  # fmt: skip
            self._tables[key] = board
        board = self._tables[key]
        if board.slots is None:
            return at_or_above([float(one) for one in ROUND_TOTALS], wanted)
        if len(board.spots or ()) >= board.slots and board.full_and_soldered:
            return np.full(len(wanted), np.nan)
        if not board.slots:
            return np.full(len(wanted), np.nan)
        table = built_table(board, float(wanted.max()))
        at = np.searchsorted(table, up_to_step(wanted, 64 << 20))
        return np.where(at < len(table), table[np.minimum(at, len(table) - 1)], np.nan)
