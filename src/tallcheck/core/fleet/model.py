"""All machines of a fleet as one integer program: choices, modules that flow, money."""

from collections import Counter
from typing import Any

import numpy as np
from msgspec import Struct, structs

from tallcheck.core.board.account import Account, account_of, why_not_usable
from tallcheck.core.board.models import Offer, PartsList
from tallcheck.core.board.totals import (
    UNIT,
    all_that_decides,
    built_table,
    counted,
    most_total,
    round_totals,
)
from tallcheck.core.fleet.columns import Flags, Fleet, Floats, Ints
from tallcheck.core.fleet.facts import coded, numbered_as
from tallcheck.core.fleet.known import doubted
from tallcheck.core.fleet.placing import (
    Choice,
    Kind,
)
from tallcheck.core.machine.amounts import HOST_STEP, Amounts
from tallcheck.core.machine.modules import ALL_SIZES, only_soldered
from tallcheck.core.values.either import at_or_above, up_to_step

SECONDS = 10.0
"""The time that one solution may take."""
_NO_GAP = 1e-9  # what is left of rounding
NO_BOUND = 1 << 50  # hundredths; more than any fleet costs


class Group(Struct):
    """Machines with the same board as others see it, the same choices, the same extra cost."""

    runs: list[tuple[Account, Ints]]
    """Machines by their very board; for the modules they take the boards are all the same."""
    choices: list[Choice]
    extra: int
    """Hundredths for work and other fixes of each machine."""

    @property
    def board(self) -> Account:
        """The board of the first machines."""
        return self.runs[0][0]

    @property
    def count(self) -> int:
        """How many machines."""
        return sum(len(machines) for _, machines in self.runs)


class Model:
    """The integer programme: counts of choices, and flows of modules."""

    def __init__(
        self, groups: list[Group], parts: PartsList, others: list[tuple[int, list[int]]],
        transfers: bool = True,
    ) -> None:  # fmt: skip
        """``handing``: whether modules that come out may go into other machines."""
        self.groups, self.others, self.transfers = groups, others, transfers
        self.forbidden: list[tuple[list[int], float]] = []
        self.offers = [
            one for one in parts.offers if one.stock != 0 and (one.price is not None)
        ]  # fmt: skip
        self.columns: list[tuple[int, int]] = [
            (g, c) for g, group in enumerate(groups) for c in range(len(group.choices))
        ]
        self.kinds = sorted(
            {kind for group in groups for choice in group.choices for kind in choice.out}
            if transfers else (), key=repr,
        )  # fmt: skip
        self.boards = _board_kinds(groups)
        self.flows = self._flows()
        self.kits = [s for s, one in enumerate(self.offers) if one.pack > 1]

    def forbid(self, x: Any, columns: set[int]) -> None:
        """Rule out that all of these choices are taken as often, with what is handed to them."""
        numbers = {self.boards[self.columns[at][0]][0] for at in columns}
        start = len(self.columns) + len(self.others)
        handed = [
            at for at, (source, number, _) in enumerate(self.flows, start)
            if source >= len(self.offers) and number in numbers and x[at]
        ]  # fmt: skip
        places = [*sorted(columns), *handed]
        self.forbidden.append((places, float(x[places].sum()) - 1))

    def source(self, number: int) -> Offer | Kind:
        """What a flow comes from."""
        count = len(self.offers)
        return self.offers[number] if number < count else self.kinds[number - count]

    def _flows(self) -> list[tuple[int, int, int]]:
        """From a source (offers, then used kinds) to a kind of board and a size."""
        wanted = {
            (self.boards[g][0], size)
            for g, c in self.columns for size in self.groups[g].choices[c].add
        }  # fmt: skip
        sources = [*self.offers, *(kind.offer() for kind in self.kinds)]
        board_of = dict(self.boards.values())
        return [
            (s, number, size)
            for number, size in sorted(wanted)
            for s, offer in enumerate(sources)
            if offer.size == size and not why_not_usable(offer, board_of[number], True)
        ]

    def solve(self, budget: int | None) -> tuple[Any, float] | None:
        """The counts of all columns and flows, and the proven gap; None where nothing does."""
        # of what costs the same, what hands on least: all of it together weighs under a hundredth
        moves = sum(one.count * len(one.board.positions) for one in self.groups)
        trouble = 0.4 / max(moves, 1)
        price = np.concatenate([
            [self.groups[g].extra for g, _ in self.columns], [cost for cost, _ in self.others],
            [self._price(s) or trouble for s, _, _ in self.flows],
            [self.offers[s].price for s in self.kits],
        ]).astype(float)  # fmt: skip
        number = len(self.columns) + len(self.others)
        rows, low, high = self._constraints(budget is None)
        if budget is None:
            return self._milp(price, rows, low, high)
        done = np.concatenate([np.ones(number), np.zeros(len(self.flows) + len(self.kits))])
        spent = [(at, float(value)) for at, value in enumerate(price) if value]
        rows.append(spent)
        low.append(-np.inf)
        high.append(budget + 0.5)  # costs are whole, but for what handing on weighs
        most = self._milp(-done, rows, low, high)
        if most is None:
            return None
        count = float(np.round(most[0][:number].sum()))
        rows.append([(at, 1.0) for at in range(number)])
        low.append(count)
        high.append(np.inf)
        least = self._milp(price, rows, low, high)
        return least and (least[0], max(least[1], most[1]))

    def _price(self, source: int) -> int:
        """Of one module that flows; a kit is paid for whole."""
        if source >= len(self.offers) or self.offers[source].pack > 1:
            return 0
        return self.offers[source].price or 0

    def _constraints(self, every: bool) -> tuple[list[list[tuple[int, float]]], Any, Any]:
        rows: list[list[tuple[int, float]]] = []
        low: list[float] = []
        high: list[float] = []
        at_flow = len(self.columns) + len(self.others)
        kit_at = {source: at for at, source in enumerate(self.kits, at_flow + len(self.flows))}

        def add(row: list[tuple[int, float]], least: float, most: float) -> None:
            rows.append(row)
            low.append(least)
            high.append(most)

        by_group: dict[int, list[int]] = {}
        for at, (g, _) in enumerate(self.columns):
            by_group.setdefault(g, []).append(at)
        for g, members in by_group.items():
            count = float(self.groups[g].count)
            add([(at, 1.0) for at in members], count if every else 0.0, count)
        needs: dict[tuple[int, int], list[tuple[int, float]]] = {}
        frees: dict[Kind, list[tuple[int, float]]] = {}
        for at, (g, c) in enumerate(self.columns):
            choice = self.groups[g].choices[c]
            for size, times in Counter(choice.add).items():
                needs.setdefault((self.boards[g][0], size), []).append((at, float(times)))
            for kind, times in Counter(choice.out).items():
                frees.setdefault(kind, []).append((at, -float(times)))
        into: dict[tuple[int, int], list[tuple[int, float]]] = {}
        out_of: dict[int, list[tuple[int, float]]] = {}
        for at, (source, number, size) in enumerate(self.flows, at_flow):
            into.setdefault((number, size), []).append((at, -1.0))
            out_of.setdefault(source, []).append((at, 1.0))
        for key, entries in needs.items():
            add([*entries, *into.get(key, [])], 0.0, 0.0)
        for source, entries in out_of.items():
            if source in kit_at:
                pack = self.offers[source].pack
                add([*entries, (kit_at[source], -float(pack))], -np.inf, 0.0)
            elif source < len(self.offers):
                stock = self.offers[source].stock
                if stock is not None:
                    add(entries, -np.inf, float(stock))
            else:
                kind = self.kinds[source - len(self.offers)]
                add([*entries, *frees.get(kind, [])], -np.inf, 0.0)
        for places, most in self.forbidden:
            add([(at, 1.0) for at in places], -np.inf, most)
        return rows, low, high

    def _milp(
        self, cost: Any, rows: list[list[tuple[int, float]]], low: list[float], high: list[float]
    ) -> tuple[Any, float] | None:
        from scipy.optimize import Bounds, LinearConstraint, milp
        from scipy.sparse import csr_array

        width = len(cost)
        data = [value for row in rows for _, value in row]
        columns = [at for row in rows for at, _ in row]
        starts = np.concatenate(([0], np.cumsum([len(row) for row in rows])))
        matrix = csr_array((data, columns, starts), shape=(len(rows), width))
        most = [
            *(self.groups[g].count for g, _ in self.columns),
            *(len(machines) for _, machines in self.others), *([np.inf] * len(self.flows)),
            *(np.inf if self.offers[s].stock is None else self.offers[s].stock for s in self.kits),
        ]  # fmt: skip
        # flows would be whole of themselves; said to be so, the totals bought can be branched on
        result = milp(
            cost, integrality=np.ones(width), bounds=Bounds(0, np.array(most, dtype=float)),
            constraints=LinearConstraint(matrix, low, high),
            options={"time_limit": SECONDS, "mip_rel_gap": 0.0},
        )  # fmt: skip
        if result.x is None:
            return None
        gap = float(getattr(result, "mip_gap", 0.0) or 0.0)
        return np.round(result.x), gap if gap > _NO_GAP else 0.0


def _board_kinds(groups: list[Group]) -> dict[int, tuple[int, Account]]:
    """A number for each kind of board, by group: boards of one kind take the same modules.

    How large a module may be is for the choices, which have that behind them.
    """
    numbers: dict[tuple[Any, ...], tuple[int, Account]] = {}
    found = {}
    for g, group in enumerate(groups):
        key = board_key(group.board)
        any_size = structs.replace(group.board, position_most=None, limit=None)
        found[g] = numbers.setdefault(key, (len(numbers), any_size))
    return found


def board_key(board: Account) -> tuple[Any, ...]:
    return (board.type, board.form, board.ecc, board.registered, board.load_reduced)


_WORDS = ("memory.modules", "extra.memory_type", "extra.memory_form", "system.shape")
"""Words that an account rests on."""


def told_soldered(part: Fleet) -> Flags:
    """Which machines' memory is told to be of a type that is only ever soldered."""
    kind, form = part.word("extra.memory_type"), part.word("extra.memory_form")
    camm = form.mapped(lambda text: not only_soldered("LPDDR", str(text))) == 1
    return np.asarray((kind.mapped(lambda text: only_soldered(str(text), None)) == 1) & ~camm)


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
        bare = (codes["memory.modules"] < 0) & ~told_soldered(part)
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
