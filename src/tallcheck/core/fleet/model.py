"""All machines of a fleet as one integer program: choices, modules that flow, money."""

from collections import Counter
from typing import Any

import numpy as np
from msgspec import Struct, structs

from tallcheck.core.board.account import Account, why_not_usable
from tallcheck.core.board.models import Offer, PartsList
from tallcheck.core.fleet.choices import (
    Choice,
    Kind,
)
from tallcheck.core.fleet.columns import Ints

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
