"""The drawer: modules that come out of one machine serve another, spare ones lie ready.

All machines of a fleet are planned as one: least cost for all of them, or with a budget the most
machines made ready, and then the least cost. Machines with the same choices are one integer
variable for each choice; modules flow from what is bought, from stock, and from what comes out.
"""

from collections import Counter
from collections.abc import Iterator
from itertools import combinations_with_replacement, groupby, product
from typing import Any

import numpy as np
from msgspec import Struct, structs

from tallcheck.core.fleet.plans import Plans
from tallcheck.core.machine.modules import family, form_of, registered_by_form
from tallcheck.core.machine.sheet import Module
from tallcheck.core.upgrade.board import Board, why_not_usable
from tallcheck.core.upgrade.parts import Offer, PartsList
from tallcheck.core.upgrade.plan import PLAN, Upgrade

_OPEN_MOST = 8  # positions up to which every way to reach the target is a choice
_CHOICES_MOST = 400
_USED = "used"
SECONDS = 10.0
"""The time that one solution may take."""
_NO_GAP = 1e-9  # what is left of rounding
_NO_BOUND = 1 << 50  # hundredths; more than any fleet costs

Sizes = tuple[int, ...]


class _Kind(Struct, frozen=True):
    """A module as another board sees it."""

    size: int
    type: str | None
    form: str | None
    ecc: bool | None
    registered: bool | None

    def offer(self) -> Offer:
        """The same as an offer that costs nothing."""
        return Offer(_USED, self.size, self.type, self.form, None, self.ecc, self.registered, 0)


class _Choice(Struct, frozen=True):
    """One way to bring a make-up to its target: the sizes that go in, the modules that come out."""

    add: Sizes
    out: tuple[_Kind, ...]


class Work(Struct, frozen=True):
    """What one machine gets: of each source (an offer's name, or a used module) how many."""

    machine: int
    """The machine's place in the fleet."""
    add: tuple[tuple[str, int], ...]
    """Source and size in bytes of each module that goes in."""
    cost: int
    """Of the modules that are bought for it, in hundredths."""


class Order(Struct, frozen=True):
    """A line of the order: a part, how many, and the price of one in hundredths."""

    part: str
    count: int
    price: int
    source: str


class Solved(Struct, frozen=True):
    """The plan for all machines together. Money in hundredths."""

    cost: int
    """Of modules; what else the machines need is not in it."""
    orders: tuple[Order, ...]
    reused: int
    """Modules that come out of one machine and go into another."""
    left: tuple[tuple[str, int], ...]
    """Modules that come out and stay in the drawer, by kind."""
    work: tuple[Work, ...]
    apart: int
    """The cost where each machine is planned for itself, in the fleet's order, by this stock."""
    apart_undone: int
    """Machines that stock then would not serve."""
    gap: float
    """The proven distance to the best, as a share of the cost; 0 is proven best."""
    restricted: int
    """Machines with so many positions that only some choices were looked at."""
    undone: int = 0
    """Machines that cannot be done, for stock or budget."""
    others: tuple[int, ...] = ()
    """With a budget: the machines made ready without memory, as places in the fleet."""
    spent: int = 0
    """With a budget: all money spent, work and other fixes counted."""


def kind_of_module(module: Module) -> _Kind:
    """What counts of a module for another board."""
    registered = module.registered
    if registered is None:
        registered = registered_by_form(module.form)
    return _Kind(
        module.size or 0, family(module.type), form_of(module.form), module.ecc, registered
    )


# --- choices -------------------------------------------------------------------------------


def choices_of(board: Board, target: int, sizes: list[int]) -> tuple[list[_Choice], bool]:
    """Every way to the target that is not worse than another; and whether all were looked at.

    What is not needed for the target comes out, for it may be worth more in another machine;
    what no other machine takes goes back in the end.
    """
    fixed = sum(one.size for one in board.positions if one.fixed)
    slots = [one for one in board.positions if not one.fixed]
    there = [one.module for one in slots if one.module is not None and one.size]
    sold = [size for size in sizes if board.position_most is None or size <= board.position_most]
    complete = len(slots) <= _OPEN_MOST
    found: dict[_Choice, None] = {}
    for count in range(1, min(len(slots), _OPEN_MOST) + 1):
        for add in combinations_with_replacement(sold, count):
            most = fixed + sum(add) + sum(one.size or 0 for one in there)
            if most < target or fixed + sum(add) - min(add) >= target:
                continue
            spare = float("inf") if board.limit is None else board.limit - fixed - sum(add)
            for kept in _kept(there, len(slots) - count, spare):
                staying = [one.size or 0 for one in kept]
                total = fixed + sum(add) + sum(staying)
                if total < target or total - min((*add, *staying)) >= target:
                    continue  # too little, or one fewer would do, bought or kept
                found[_Choice(add, _missing(there, kept))] = None
            if len(found) > _CHOICES_MOST:
                return list(found), False
    return list(found), complete


def _kept(there: list[Module], room: int, spare: float) -> Iterator[list[Module]]:
    """What can stay in ``room`` positions and ``spare`` bytes, each make-up of sizes once."""
    groups: dict[int, list[Module]] = {}
    for one in there:
        groups.setdefault(one.size or 0, []).append(one)
    for counts in product(*(range(len(ones) + 1) for ones in groups.values())):
        free = room - sum(counts)
        left = spare - sum(size * count for size, count in zip(groups, counts, strict=True))
        if free >= 0 and left >= 0:
            yield [
                one for count, ones in zip(counts, groups.values(), strict=True)
                for one in ones[:count]
            ]  # fmt: skip


def _missing(there: list[Module], kept: list[Module]) -> tuple[_Kind, ...]:
    left = Counter(map(kind_of_module, there)) - Counter(map(kind_of_module, kept))
    return tuple(sorted(left.elements(), key=repr))


# --- the model -----------------------------------------------------------------------------


class _Group(Struct):
    """Machines with the same board as others see it, the same choices, the same extra cost."""

    machines: list[int]
    boards: list[Board]
    """The board of each machine; for the modules it takes they are all the same."""
    choices: list[_Choice]
    extra: int
    """Hundredths for work and other fixes of each machine."""


class _Model:
    """The integer programme: counts of choices, and flows of modules."""

    def __init__(
        self, groups: list[_Group], parts: PartsList, others: list[tuple[int, list[int]]]
    ) -> None:
        self.groups, self.others = groups, others
        self.offers = [
            one for one in parts.offers if one.stock != 0 and (one.price is not None)
        ]  # fmt: skip
        self.columns: list[tuple[int, int]] = [
            (g, c) for g, group in enumerate(groups) for c in range(len(group.choices))
        ]
        self.kinds = sorted(
            {kind for group in groups for choice in group.choices for kind in choice.out}, key=repr
        )
        self.boards = _board_kinds(groups)
        self.flows = self._flows()

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
        price = np.concatenate([
            [self.groups[g].extra for g, _ in self.columns], [cost for cost, _ in self.others],
            [self._price(s) for s, _, _ in self.flows],
        ]).astype(float)  # fmt: skip
        number = len(self.columns) + len(self.others)
        rows, low, high = self._constraints(budget is None)
        if budget is None:
            return self._milp(price, rows, low, high)
        done = np.concatenate([np.ones(number), np.zeros(len(self.flows))])
        spent = [(at, float(value)) for at, value in enumerate(price) if value]
        rows.append(spent)
        low.append(-np.inf)
        high.append(float(budget))
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
        return (self.offers[source].price or 0) if source < len(self.offers) else 0

    def _constraints(self, every: bool) -> tuple[list[list[tuple[int, float]]], Any, Any]:
        rows: list[list[tuple[int, float]]] = []
        low: list[float] = []
        high: list[float] = []
        at_flow = len(self.columns) + len(self.others)

        def add(row: list[tuple[int, float]], least: float, most: float) -> None:
            rows.append(row)
            low.append(least)
            high.append(most)

        by_group: dict[int, list[int]] = {}
        for at, (g, _) in enumerate(self.columns):
            by_group.setdefault(g, []).append(at)
        for g, members in by_group.items():
            count = float(len(self.groups[g].machines))
            add([(at, 1.0) for at in members], count if every else 0.0, count)
        needs: dict[tuple[int, int], list[tuple[int, float]]] = {}
        frees: dict[_Kind, list[tuple[int, float]]] = {}
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
            if source < len(self.offers):
                stock = self.offers[source].stock
                if stock is not None:
                    add(entries, -np.inf, float(stock))
            else:
                kind = self.kinds[source - len(self.offers)]
                add([*entries, *frees.get(kind, [])], -np.inf, 0.0)
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
            *(len(self.groups[g].machines) for g, _ in self.columns),
            *(len(machines) for _, machines in self.others), *([np.inf] * len(self.flows)),
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


def _board_kinds(groups: list[_Group]) -> dict[int, tuple[int, Board]]:
    """A number for each kind of board, by group: boards of one kind take the same modules.

    How large a module may be is for the choices, which have that behind them.
    """
    numbers: dict[tuple[Any, ...], tuple[int, Board]] = {}
    found = {}
    for g, group in enumerate(groups):
        key = _board_key(group.boards[0])
        any_size = structs.replace(group.boards[0], position_most=None, limit=None)
        found[g] = numbers.setdefault(key, (len(numbers), any_size))
    return found


def _board_key(board: Board) -> tuple[Any, ...]:
    return (board.type, board.form, board.ecc, board.registered)


# --- a fleet -------------------------------------------------------------------------------


def solve_fleet(
    plans: Plans,
    parts: PartsList,
    extra: Any,
    others: list[tuple[int, int]] | None = None,
    budget: int | None = None,
) -> Solved | None:
    """All machines with a plan, as one; where stock cannot serve them all, as many as it can.

    None where there is no machine to do.

    ``extra`` is for each machine what it costs beside modules, in hundredths. With a ``budget``
    (hundredths) the most machines; ``others`` are then machines that need no memory: place in
    the fleet, and cost.
    """
    groups, restricted = _groups(plans, parts, extra, budget is not None)
    if not groups and not others:
        return None
    by_cost: dict[int, list[int]] = {}
    for machine, cost in others or ():
        by_cost.setdefault(cost, []).append(machine)
    model = _Model(groups, parts, sorted(by_cost.items()))
    found = model.solve(budget) or model.solve(_NO_BOUND)
    if found is None:
        return None
    return _told(model, found[0], found[1], restricted, _apart(groups, parts))


def _groups(plans: Plans, parts: PartsList, extra: Any, weighed: bool) -> tuple[list[_Group], int]:
    """The machines by their choices, and how many had too many choices to look at all.

    ``weighed``: by what else they cost, too, which matters where not all can be done.
    """
    used = {
        kind_of_module(one.module)
        for upgrade in plans.found if upgrade.board is not None
        for one in upgrade.board.positions if one.module is not None and not one.fixed
    }  # fmt: skip
    had = [*parts.offers, *(kind.offer() for kind in sorted(used, key=repr))]
    places = np.argsort(plans.makeup, kind="stable")
    starts = np.searchsorted(plans.makeup[places], np.arange(len(plans.found) + 1))
    groups: dict[tuple[Any, ...], _Group] = {}
    known: dict[tuple[Any, ...], tuple[list[_Choice], bool]] = {}
    usable: dict[tuple[Any, ...], list[int]] = {}
    restricted = 0
    for makeup, upgrade in enumerate(plans.found):
        machines = places[starts[makeup] : starts[makeup + 1]]
        if upgrade.answer != PLAN or upgrade.board is None or upgrade.target is None:
            continue
        if not upgrade.listed:
            continue  # what type of memory it takes is not known, so nothing can be ordered
        board = upgrade.board
        kind = (_board_key(board), board.position_most, board.limit)
        if kind not in usable:
            fits = {one.size for one in had if not why_not_usable(one, board, True)}
            usable[kind] = sorted(fits)
        asks = _asks(board, upgrade.target, usable[kind])
        if asks not in known:
            known[asks] = choices_of(board, upgrade.target, usable[kind])
        choices, complete = known[asks]
        if not complete:
            choices = _with_best(choices, upgrade)
            restricted += len(machines)
        costs = extra[machines].astype(np.int64) if weighed else np.zeros(len(machines), np.int64)
        for cost in np.unique(costs).tolist():
            key = (_board_key(board), frozenset(choices), cost)
            group = groups.setdefault(key, _Group([], [], choices, cost))
            own = machines[costs == cost].tolist()
            group.machines += own
            group.boards += [board] * len(own)
    return list(groups.values()), restricted


def _asks(board: Board, target: int, sizes: list[int]) -> tuple[Any, ...]:
    """All that the choices rest on; a limit that nothing comes near is none."""
    most = sum(one.size if one.fixed else max([one.size, *sizes]) for one in board.positions)
    limit = None if board.limit is None or board.limit >= most else board.limit
    there = tuple(
        (one.fixed, kind_of_module(one.module) if one.module is not None else None)
        for one in board.positions
    )
    return (there, target, tuple(sizes), limit)


def _with_best(choices: list[_Choice], upgrade: Upgrade) -> list[_Choice]:
    plan = upgrade.plan
    assert plan is not None
    add = tuple(sorted(one.offer.size for one in plan.add))
    out = tuple(sorted((kind_of_module(one.module) for one in plan.remove), key=repr))
    return list(dict.fromkeys([_Choice(add, out), *choices]))


def _apart(groups: list[_Group], parts: PartsList) -> tuple[int, int]:
    """What it costs where each machine is planned for itself, in order, while stock lasts."""
    left = {one.part: one.stock for one in parts.offers}
    total = undone = 0
    for group in groups:
        fitting = [
            one for one in parts.offers if not why_not_usable(one, group.boards[0], True)
        ]  # fmt: skip
        fitting.sort(key=lambda one: one.price or 0)
        count = len(group.machines)
        while count:
            best: tuple[int, Counter[str]] | None = None
            for choice in group.choices:
                bought = _buy(choice.add, fitting, left)
                if bought is not None and (best is None or bought[0] < best[0]):
                    best = bought
            if best is None:
                undone += count
                break
            # what is there without limit serves all that are left alike
            same = count if all(left[part] is None for part in best[1]) else 1
            total += best[0] * same
            count -= same
            for part, taken in best[1].items():
                have = left[part]
                if have is not None:
                    left[part] = have - taken
    return total, undone


def _buy(
    add: Sizes, fitting: list[Offer], left: dict[str, int | None]
) -> tuple[int, Counter[str]] | None:
    taken: Counter[str] = Counter()
    cost = 0
    for size in add:
        for one in fitting:
            have = left[one.part]
            if one.size == size and (have is None or have > taken[one.part]):
                taken[one.part] += 1
                cost += one.price or 0
                break
        else:
            return None
    return cost, taken


def _told(model: _Model, x: Any, gap: float, restricted: int, apart: tuple[int, int]) -> Solved:
    """The solution in terms of machines and modules."""
    pools, bought, reused = _sources(model, x)
    work: list[Work] = []
    freed: Counter[_Kind] = Counter()
    runs: list[tuple[Board, _Choice, int]] = []
    started = [0] * len(model.groups)
    price = {one.part: one.price or 0 for one in model.offers}
    for at, (g, c) in enumerate(model.columns):
        group, count = model.groups[g], int(x[at])
        choice, start = group.choices[c], started[g]
        started[g] += count
        for times, add in _adds(choice.add, count, model.boards[g][0], pools):
            own = sum(price[name] for name, _ in add if name != _USED)
            work += [Work(one, add, own) for one in group.machines[start : start + times]]
            start += times
        for kind in choice.out:
            freed[kind] += count
        boards = group.boards[started[g] - count : started[g]]
        runs += [(board, choice, sum(1 for _ in same)) for board, same in groupby(boards)]
    left = _put_back(runs, freed - reused)
    orders = tuple(
        Order(one.part, bought[s], one.price or 0, one.source)
        for s, one in enumerate(model.offers) if bought[s]
    )  # fmt: skip
    done: list[int] = []
    cost = spent = sum(order.count * order.price for order in orders)
    for at, (other, machines) in enumerate(model.others, len(model.columns)):
        done += machines[: int(x[at])]
        spent += other * int(x[at])
    for at, (g, _) in enumerate(model.columns):
        spent += model.groups[g].extra * int(x[at])
    total = sum(len(group.machines) for group in model.groups)
    return Solved(
        cost, orders, sum(reused.values()), tuple((_kind_text(k), n) for k, n in left.items()),
        tuple(sorted(work, key=lambda one: one.machine)), *apart, gap, restricted,
        total - len(work), tuple(sorted(done)), spent,
    )  # fmt: skip


_Pools = dict[tuple[int, int], list[tuple[str, int]]]  # by board and size: sources, how many


def _sources(model: _Model, x: Any) -> tuple[_Pools, Counter[int], Counter[_Kind]]:
    """Where modules come from by the kind of board and size; what is bought; what is reused."""
    pools: _Pools = {}
    bought: Counter[int] = Counter()
    reused: Counter[_Kind] = Counter()
    for at, (source, number, size) in enumerate(
        model.flows, len(model.columns) + len(model.others)
    ):
        count = int(x[at])
        if not count:
            continue
        name = _USED
        if source < len(model.offers):
            bought[source] += count
            name = model.offers[source].part
        else:
            reused[model.kinds[source - len(model.offers)]] += count
        pools.setdefault((number, size), []).append((name, count))
    return pools, bought, reused


def _adds(
    sizes: Sizes, count: int, number: int, pools: _Pools
) -> Iterator[tuple[int, tuple[tuple[str, int], ...]]]:
    """What goes into each of ``count`` machines, those that get the same together."""
    wants = Counter(sizes)
    while count:
        same = min(pools[number, size][-1][1] // n for size, n in wants.items())
        times = min(max(same, 1), count)
        add = tuple(
            (name, size)
            for size, n in wants.items() for name in _take(pools[number, size], n, times)
        )  # fmt: skip
        count -= times
        yield times, add


def _take(pool: list[tuple[str, int]], n: int, times: int) -> list[str]:
    """The sources of ``n`` modules for each of ``times`` machines, which leave the pool."""
    names: list[str] = []
    while len(names) < n:
        name, have = pool.pop()
        use = min(n - len(names), have // times)
        names += [name] * use
        if have > use * times:
            pool.append((name, have - use * times))
    return names


def _put_back(runs: list[tuple[Board, _Choice, int]], left: Counter[_Kind]) -> Counter[_Kind]:
    """What is left once modules that no machine takes are back where there is room for them."""
    for board, choice, count in runs:
        while count:
            back = _back(board, choice, left)
            if not back:
                break
            times = min(count, *(left[kind] // n for kind, n in back.items()))
            for kind, n in back.items():
                left[kind] -= n * times
            count -= times
    return +left


def _back(board: Board, choice: _Choice, left: Counter[_Kind]) -> Counter[_Kind]:
    """What goes back into one machine."""
    slots = [one for one in board.positions if not one.fixed]
    there = [one for one in slots if one.size]
    room = len(slots) - len(choice.add) - (len(there) - len(choice.out))
    total = board.fitted + sum(choice.add) - sum(kind.size for kind in choice.out)
    back: Counter[_Kind] = Counter()
    for kind in choice.out:
        fits = board.limit is None or total + kind.size <= board.limit
        if room and fits and left[kind] > back[kind]:
            back[kind] += 1
            room -= 1
            total += kind.size
    return back


def _kind_text(kind: _Kind) -> str:
    from tallcheck.core.values.quantities import format_memory

    return " ".join(filter(None, (format_memory(kind.size), kind.type, kind.form)))
