"""The drawer: modules that come out of one machine serve another, spare ones lie ready.

All machines of a fleet are planned as one: least cost for all of them, or with a budget the most
machines made ready, and then the least cost. Machines with the same choices are one integer
variable for each choice; modules flow from what is bought, from stock, and from what comes out.
"""

from collections import Counter, deque
from typing import Any

import numpy as np
from msgspec import structs

from tallcheck.core.board.account import Account, why_not_usable
from tallcheck.core.board.models import Offer, PartsList
from tallcheck.core.fleet.columns import Ints
from tallcheck.core.fleet.model import NO_BOUND, Group, Model, board_key
from tallcheck.core.fleet.placing import (
    Choice,
    Job,
    Kind,
    Kinds,
    Parts,
    Sizes,
    choices_of,
    kind_of_module,
    kind_text,
    kinds_of,
    without,
)
from tallcheck.core.fleet.plans import Plans
from tallcheck.core.fleet.transfers import Order, Solved, Transfers, put_back, transferred
from tallcheck.core.upgrade.filling import stack_of
from tallcheck.core.upgrade.plan import IMPOSSIBLE, PLAN, Upgrade
from tallcheck.core.values.quantities import format_memory

_TURNS_MOST = 12
"""How often an order is looked for in which no machines wait for one another in a circle."""


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
    for turn in range(_TURNS_MOST):
        if turn == _TURNS_MOST - 1:
            model = Model(groups, parts, sorted(by_cost.items()), transfers=False)
        found = model.solve(budget) or model.solve(NO_BOUND)
        if found is None:
            return None
        jobs, left = _jobs(model, found[0])
        transfers, stuck = transferred(jobs)
        if not stuck:
            break
        model.forbid(found[0], {job.column for job in stuck})
    assert found is not None
    if model.forbidden or not model.transfers:
        restricted = sum(group.count for group in groups)
    return _told(model, found, transfers, left, restricted, _apart(groups, parts))


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
        # where the list alone does not serve a machine, what comes out of another one may
        able = upgrade.answer in (PLAN, IMPOSSIBLE)
        if not able or upgrade.board is None or upgrade.target is None:
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
        if not choices:
            continue
        costs = extra[machines].astype(np.int64) if weighed else np.zeros(len(machines), np.int64)
        for cost in np.unique(costs).tolist():
            key = (board_key(board), frozenset(choices), cost)
            group = groups.setdefault(key, Group([], choices, cost))
            group.runs.append((board, machines[costs == cost]))
    return list(groups.values()), restricted


def _asks(board: Account, target: int, sizes: list[int]) -> tuple[Any, ...]:
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
    if plan is None:
        return choices
    add = tuple(sorted(one.offer.size for one in plan.add))
    out = tuple(sorted((kind_of_module(one.module) for one in plan.remove), key=repr))
    return list(dict.fromkeys([Choice(add, out), *choices]))


def _apart(groups: list[Group], parts: PartsList) -> tuple[int, int]:
    """What it costs where each machine is planned for itself, in order, while stock lasts."""
    left = {at: one.stock for at, one in enumerate(parts.offers)}
    total = undone = 0
    for group in groups:
        fitting = [
            (one, at) for at, one in enumerate(parts.offers)
            if not why_not_usable(one, group.board, True)
        ]  # fmt: skip
        count = group.count
        while count:
            ways = [_buy(choice.add, fitting, left) for choice in group.choices]
            priced = [(_money(one, parts), one) for one in ways if one is not None]
            if not priced:
                undone += count
                break
            cost, best = min(priced, key=lambda one: one[0])
            # what is there without limit serves all that are left alike
            same = count if all(left[at] is None for at in best) else 1
            total += cost * same
            count -= same
            for at, taken in best.items():
                have = left[at]
                if have is not None:
                    left[at] = have - taken
    return total, undone


def _money(bought: Counter[int], parts: PartsList) -> int:
    return sum((parts.offers[at].price or 0) * count for at, count in bought.items())


def _buy(
    add: Sizes, fitting: list[tuple[Offer, int]], left: dict[int, int | None]
) -> Counter[int] | None:
    """How many of which offers serve one machine best, None where stock does not."""
    taken: Counter[int] = Counter()
    for size, count in Counter(add).items():
        # an offer's place stands in for its name, so that what is taken can be told
        own = [
            structs.replace(one, part=str(at), stock=left[at])
            for one, at in fitting if one.size == size
        ]  # fmt: skip
        stack = stack_of(own, 0, True, count)
        if len(stack) < count:
            return None
        taken.update(int(one.part) for one in stack.take(count))
    return taken


# --- from counts to machines -----------------------------------------------------------------


def _jobs(model: Model, x: Any) -> tuple[list[Job], Counter[Kind]]:
    """What goes into each machine and what comes out, and what nobody takes."""
    pools = _pools(model, x)
    jobs: list[Job] = []
    waiting = [deque(group.runs) for group in model.groups]
    left: Counter[Kind] = Counter()
    for at, (g, c) in enumerate(model.columns):
        choice = model.groups[g].choices[c]
        own = [pools[model.boards[g][0], size] for size in choice.add] if int(x[at]) else []
        todo = int(x[at])
        while todo:
            taken, count = _taken(own, todo)
            add, out = _but_stays(taken, choice.out)
            left.subtract({kind: count * many for kind, many in Counter(kinds_of(add)).items()})
            left.update({kind: count * many for kind, many in Counter(out).items()})
            jobs += [Job(some, at, board, add, out) for board, some in _next(waiting[g], count)]
            todo -= count
    return put_back(jobs, left)


def _next(runs: deque[tuple[Account, Ints]], count: int) -> list[tuple[Account, Ints]]:
    """As many machines from the front of the runs, which they leave."""
    found = []
    while count:
        board, machines = runs.popleft()
        if len(machines) > count:
            runs.appendleft((board, machines[count:]))
        found.append((board, machines[:count]))
        count -= len(found[-1][1])
    return found


def _but_stays(add: Parts, out: Kinds) -> tuple[Parts, Kinds]:
    """Without what goes in and out: a module of the same kind that is there just stays."""
    for kind in kinds_of(add) if out else ():
        if kind in out:
            add, out = without(add, kind), without(out, kind)
    return add, out


_Pool = list[tuple[Offer | Kind, int]]  # where modules come from, and how many


def _pools(model: Model, x: Any) -> dict[tuple[int, int], _Pool]:
    """Where modules come from, by the kind of board and size."""
    pools: dict[tuple[int, int], _Pool] = {}
    for at, (source, number, size) in enumerate(
        model.flows, len(model.columns) + len(model.others)
    ):
        count = int(x[at])
        if count:
            pools.setdefault((number, size), []).append((model.source(source), count))
    return pools


def _taken(pools: list[_Pool], most: int) -> tuple[Parts, int]:
    """What goes into the next machines, a module out of each pool, and how many get the same."""
    tops = [pool[-1] for pool in pools]
    often = Counter(id(pool) for pool in pools)
    same = min([most, *(top[1] // often[id(pool)] for top, pool in zip(tops, pools, strict=True))])
    if not same:  # a pool's last modules of one source, and the next source's first
        return tuple(_pop(pool, 1) for pool in pools), 1
    return tuple(_pop(pool, same) for pool in pools), same


def _pop(pool: _Pool, count: int) -> Offer | Kind:
    """As many modules of one source out of a pool."""
    one, there = pool.pop()
    if there > count:
        pool.append((one, there - count))
    return one


def _told(
    model: Model, found: tuple[Any, float], transfers: Transfers, left: Counter[Kind],
    restricted: int, apart: tuple[int, int],
) -> Solved:  # fmt: skip
    """The solution in terms of machines and modules."""
    x, gap = found
    used = transfers.bought
    orders = [
        Order(one, -(-used[one] // one.pack)) for one in dict.fromkeys(model.offers) if used[one]
    ]
    in_drawer = Counter({kind_text(kind): count for kind, count in left.items()})
    for order in orders:
        rest = order.count * order.offer.pack - used[order.offer]
        if rest:
            in_drawer[f"{format_memory(order.offer.size)} {order.offer.part}"] += rest
    done: list[int] = []
    cost = spent = sum(order.cost for order in orders)
    for at, (other, machines) in enumerate(model.others, len(model.columns)):
        done += machines[: int(x[at])]
        spent += other * int(x[at])
    for at, (g, _) in enumerate(model.columns):
        spent += model.groups[g].extra * int(x[at])
    total = sum(group.count for group in model.groups)
    return Solved(
        cost, tuple(orders), tuple(in_drawer.items()), transfers, *apart, gap, restricted,
        total - len(transfers), tuple(sorted(done)), spent,
    )  # fmt: skip
