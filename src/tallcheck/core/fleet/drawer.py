"""The drawer: modules that come out of one machine serve another, spare ones lie ready.

All machines of a fleet are planned as one: least cost for all of them, or with a budget the most
machines made ready, and then the least cost. Machines with the same choices are one integer
variable for each choice; modules flow from what is bought, from stock, and from what comes out.
"""

from collections import Counter
from collections.abc import Iterator
from itertools import groupby
from typing import Any

import numpy as np

from tallcheck.core.fleet.choices import (
    USED,
    Choice,
    Kind,
    Sizes,
    choices_of,
    kind_of_module,
    kind_text,
)
from tallcheck.core.fleet.model import NO_BOUND, Group, Model, board_key
from tallcheck.core.fleet.plans import Plans
from tallcheck.core.fleet.solved import Order, Solved, Work
from tallcheck.core.upgrade.board import Board, why_not_usable
from tallcheck.core.upgrade.parts import Offer, PartsList
from tallcheck.core.upgrade.plan import PLAN, Upgrade

# --- choices -------------------------------------------------------------------------------


# --- the model -----------------------------------------------------------------------------


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
    model = Model(groups, parts, sorted(by_cost.items()))
    found = model.solve(budget) or model.solve(NO_BOUND)
    if found is None:
        return None
    return _told(model, found[0], found[1], restricted, _apart(groups, parts))


def _groups(plans: Plans, parts: PartsList, extra: Any, weighed: bool) -> tuple[list[Group], int]:
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
    groups: dict[tuple[Any, ...], Group] = {}
    known: dict[tuple[Any, ...], tuple[list[Choice], bool]] = {}
    usable: dict[tuple[Any, ...], list[int]] = {}
    restricted = 0
    for makeup, upgrade in enumerate(plans.found):
        machines = places[starts[makeup] : starts[makeup + 1]]
        if upgrade.answer != PLAN or upgrade.board is None or upgrade.target is None:
            continue
        if not upgrade.listed:
            continue  # what type of memory it takes is not known, so nothing can be ordered
        board = upgrade.board
        kind = (board_key(board), board.position_most, board.limit)
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
            key = (board_key(board), frozenset(choices), cost)
            group = groups.setdefault(key, Group([], [], choices, cost))
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


def _with_best(choices: list[Choice], upgrade: Upgrade) -> list[Choice]:
    plan = upgrade.plan
    assert plan is not None
    add = tuple(sorted(one.offer.size for one in plan.add))
    out = tuple(sorted((kind_of_module(one.module) for one in plan.remove), key=repr))
    return list(dict.fromkeys([Choice(add, out), *choices]))


def _apart(groups: list[Group], parts: PartsList) -> tuple[int, int]:
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


def _told(model: Model, x: Any, gap: float, restricted: int, apart: tuple[int, int]) -> Solved:
    """The solution in terms of machines and modules."""
    pools, bought, reused = _sources(model, x)
    work: list[Work] = []
    freed: Counter[Kind] = Counter()
    runs: list[tuple[Board, Choice, int]] = []
    started = [0] * len(model.groups)
    price = {one.part: one.price or 0 for one in model.offers}
    for at, (g, c) in enumerate(model.columns):
        group, count = model.groups[g], int(x[at])
        choice, start = group.choices[c], started[g]
        started[g] += count
        for times, add in _adds(choice.add, count, model.boards[g][0], pools):
            own = sum(price[name] for name, _ in add if name != USED)
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
        cost, orders, sum(reused.values()), tuple((kind_text(k), n) for k, n in left.items()),
        tuple(sorted(work, key=lambda one: one.machine)), *apart, gap, restricted,
        total - len(work), tuple(sorted(done)), spent,
    )  # fmt: skip


_Pools = dict[tuple[int, int], list[tuple[str, int]]]  # by board and size: sources, how many


def _sources(model: Model, x: Any) -> tuple[_Pools, Counter[int], Counter[Kind]]:
    """Where modules come from by the kind of board and size; what is bought; what is reused."""
    pools: _Pools = {}
    bought: Counter[int] = Counter()
    reused: Counter[Kind] = Counter()
    for at, (source, number, size) in enumerate(
        model.flows, len(model.columns) + len(model.others)
    ):
        count = int(x[at])
        if not count:
            continue
        name = USED
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


def _put_back(runs: list[tuple[Board, Choice, int]], left: Counter[Kind]) -> Counter[Kind]:
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


def _back(board: Board, choice: Choice, left: Counter[Kind]) -> Counter[Kind]:
    """What goes back into one machine."""
    slots = [one for one in board.positions if not one.fixed]
    there = [one for one in slots if one.size]
    room = len(slots) - len(choice.add) - (len(there) - len(choice.out))
    total = board.fitted + sum(choice.add) - sum(kind.size for kind in choice.out)
    back: Counter[Kind] = Counter()
    for kind in choice.out:
        fits = board.limit is None or total + kind.size <= board.limit
        if room and fits and left[kind] > back[kind]:
            back[kind] += 1
            room -= 1
            total += kind.size
    return back
