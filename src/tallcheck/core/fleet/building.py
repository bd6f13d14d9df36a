"""What many machines' boards can be filled to: the totals of ``machine.totals``, for arrays."""

from typing import Any

import numpy as np

from tallcheck.core.board.totals import UNIT, MakeUp, built_table, fillable, makeup_of, most_total
from tallcheck.core.fleet.codes import coded, numbered_as
from tallcheck.core.fleet.columns import Fleet, Floats, Ints, doubted
from tallcheck.core.machine.amounts import HOST_STEP, ROUND_TOTALS, Amounts
from tallcheck.core.machine.modules import ALL_SIZES
from tallcheck.core.values.either import at_or_above, up_to_step

_ROUND = [float(one) for one in ROUND_TOTALS]


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
        self._open = np.array([board is None for board in self._boards], dtype=bool)
        self._reach = -1.0

    def _makeups(self) -> list[tuple[tuple[int, ...], ...] | None]:
        """What can be filled, each once; ``_number`` tells which one each machine has."""
        most = self.memory.position_most
        largest = np.full(len(most), len(self._sold), dtype=np.int64)
        told = ~np.isnan(most)
        largest[told] = np.searchsorted(self._sold, most[told], side="right")
        slots = np.where(np.isnan(self.memory.slots), -1, np.minimum(self.memory.slots, 4096))
        columns = [self._codes, slots.astype(np.int64), largest, self._kind]
        numbers: dict[Any, int] = {}
        makeups = numbered_as(coded(np.stack(columns)), numbers)
        boards: dict[tuple[tuple[int, ...], ...] | None, int] = {}
        different = [self._board(key[1:]) for key in numbers]
        table = [boards.setdefault(fillable(one), len(boards)) for one in different]
        self._number = np.array(table, dtype=np.int64)[makeups]
        self._most = np.array([most_total(one, None) for one in different])[makeups]
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

    def most(self) -> Floats:
        """The largest total that each machine can be given: ``totals.most_total`` for many."""
        limited = np.fmin(self._most, self.memory.ceiling)
        return np.where(self.memory.virtual == 1, np.inf, limited)

    def smallest(self, wanted: Any, above: Any = None) -> Floats:
        """The smallest total of at least ``wanted`` and more than ``above``; NaN where none.

        ``above`` is what is fitted, where it is not given.
        """
        memory = self.memory
        least = np.maximum(wanted, (memory.installed if above is None else above) + 1)
        total = np.full(len(memory.installed), np.nan)
        virtual, known = memory.virtual == 1, ~np.isnan(least)
        if virtual.any():
            total[virtual] = up_to_step(least[virtual], HOST_STEP)
        loose = self._open[self._number] & known & ~virtual
        if loose.any():
            rounded = at_or_above(_ROUND, least[loose])
            total[loose] = np.fmin(rounded, memory.ceiling[loose])
        over = ~virtual & (least > memory.ceiling)
        todo = np.flatnonzero(known & ~(virtual | loose | over))
        if len(todo):
            total[todo] = self._filled(self._number[todo], least[todo])
        over |= ~virtual & (total > memory.ceiling)
        total[over] = np.nan
        return total

    def _filled(self, number: Ints, wanted: Floats) -> Floats:
        """The smallest totals to which boards can be filled; NaN where none is large enough."""
        most = float(wanted.max())
        if most > self._reach:
            self._reach = most
            tables = [built_table(board or (), most) for board in self._boards]
            self._tables = np.concatenate(tables)
            self._lengths = np.array([len(one) for one in tables])
            self._starts = np.cumsum(self._lengths) - self._lengths
        units = np.minimum(np.ceil(wanted / UNIT), self._lengths[number] - 1)
        return np.asarray(self._tables[self._starts[number] + units.astype(np.int64)])
