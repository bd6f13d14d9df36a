"""What many machines' boards can be filled to: the totals of ``board.totals``, for arrays."""

from typing import Any

import numpy as np

from tallcheck.core.board.account import Account, account_of
from tallcheck.core.board.totals import (
    UNIT,
    all_that_decides,
    built_table,
    counted,
    most_total,
    round_totals,
)
from tallcheck.core.fleet.codes import coded, numbered_as
from tallcheck.core.fleet.columns import Fleet, Floats, Ints
from tallcheck.core.fleet.known import doubted
from tallcheck.core.machine.amounts import HOST_STEP, Amounts
from tallcheck.core.machine.modules import ALL_SIZES
from tallcheck.core.values.either import at_or_above, up_to_step

_WORDS = ("memory.modules", "extra.memory_type", "extra.memory_form", "system.shape")
"""Words that an account rests on."""


class Builder:
    """The total that each machine can be given: ``totals.cheapest_total`` for many."""

    def __init__(self, part: Fleet, memory: Amounts) -> None:
        self.memory = memory
        words = {key: part.word(key) for key in _WORDS}
        codes = {key: one.codes.astype(np.int64) for key, one in words.items()}
        codes["memory.modules"] = np.where(
            doubted(part, "memory.modules"), -1, codes["memory.modules"]
        )
        self._values = {key: one.values for key, one in words.items()}
        # of boards whose modules are not known the ceiling counts once the total is found
        bare = codes["memory.modules"] < 0
        columns = [
            _whole(memory.slots, 4096), _largest(memory.position_most),
            _whole(np.where(bare, np.nan, np.floor(memory.ceiling / UNIT) * UNIT)),
            _whole(np.where(bare, np.nan, memory.installed)),
            (memory.fixed == 1).astype(np.int64), *codes.values(),
        ]  # fmt: skip
        numbers: dict[Any, int] = {}
        different = numbered_as(coded(np.stack(columns)), numbers)
        accounts = [self._account(key[1:]) for key in numbers]
        keys = [all_that_decides(one) for one in accounts]
        boards = dict(zip(keys, accounts, strict=True))
        places = {key: at for at, key in enumerate(boards)}
        self._number = np.array([places[key] for key in keys], dtype=np.int64)[different]
        self._accounts = list(boards.values())
        self._open = np.array([not counted(one) for one in self._accounts], dtype=bool)
        self._most = np.array([most_total(one, None) for one in accounts])[different]
        self._reach = np.zeros(len(self._accounts))
        self._each: list[Floats] = [np.array([np.nan])] * len(self._accounts)

    def _account(self, key: tuple[int, ...]) -> Account:
        slots, most, ceiling, installed, fixed, *codes = (None if n < 0 else n for n in key)
        readings: dict[str, Any] = {
            "memory.slots": slots, "memory.position_most": most, "memory.ceiling": ceiling,
            "memory.installed": installed, "memory.fixed": fixed,
        }  # fmt: skip
        for name, code in zip(_WORDS, codes, strict=True):
            readings[name] = None if code is None else self._values[name][code]
        return account_of(readings.get)

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
            for at in np.unique(self._number[loose]).tolist():
                here = loose & (self._number == at)
                rounded = at_or_above(round_totals(self._accounts[at]), least[here])
                total[here] = np.fmin(rounded, memory.ceiling[here])
        over = ~virtual & (least > memory.ceiling)
        todo = np.flatnonzero(known & ~(virtual | loose | over))
        if len(todo):
            total[todo] = self._filled(self._number[todo], least[todo])
        over |= ~virtual & (total > memory.ceiling)
        total[over] = np.nan
        return total

    def _filled(self, number: Ints, wanted: Floats) -> Floats:
        """What the totals come to on each board; NaN where none is large enough."""
        most = np.zeros(len(self._accounts))
        np.maximum.at(most, number, wanted)
        more = most > self._reach
        if more.any():
            self._reach[more] = np.exp2(np.ceil(np.log2(most[more])))
            for at in np.flatnonzero(more).tolist():
                account = self._accounts[at]
                self._each[at] = built_table(account, float(self._reach[at]), account.ceiling)
            self._tables = np.concatenate(self._each)
            self._lengths = np.array([len(one) for one in self._each])
            self._starts = np.cumsum(self._lengths) - self._lengths
        units = np.minimum(np.ceil(wanted / UNIT), self._lengths[number] - 1)
        return np.asarray(self._tables[self._starts[number] + units.astype(np.int64)])


def _largest(position_most: Floats) -> Ints:
    """The largest size of module that a position takes; -1 where that is not known."""
    sizes = np.array([0, *ALL_SIZES])
    found = sizes[np.searchsorted(sizes, position_most, side="right") - 1]
    return np.where(np.isnan(position_most), -1, found)


def _whole(column: Floats, most: float = 1 << 60) -> Ints:
    """Whole numbers that are not negative; -1 where none is known."""
    return np.where(np.isnan(column), -1, np.minimum(column, most)).astype(np.int64)
