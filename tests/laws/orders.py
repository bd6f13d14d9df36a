"""Small fleets with a drawer and an order: the fewest left undone, then the least cost."""

from collections import Counter
from itertools import product
from typing import Any

import numpy as np
from hypothesis import strategies as st

from tallcheck.core.board.models import Offer, PartsList
from tallcheck.core.fleet.plans import Plans
from tallcheck.core.fleet.stock_plan import solve_fleet
from tallcheck.core.machine.sheet import Machine, Memory, Module, Processor, System
from tallcheck.core.upgrade.plan import plan_upgrade
from tests.helpers import GIB, VOCABULARY
from tests.laws.law import Law

SIZES = (2, 4, 8, 16)
Net = tuple[int, ...]
"""Of each size, how many modules go in less how many come out."""


def _machine(fitted: list[int], most: int) -> Machine:
    modules = [Module(f"A{at}", one * GIB, "DDR4" if one else None, "SODIMM", 2666)
               for at, one in enumerate(fitted)]  # fmt: skip
    memory = Memory(
        installed=sum(fitted) * GIB, slots=len(fitted), modules=modules,
        ceiling=most * len(fitted) * GIB, position_most=most * GIB,
    )  # fmt: skip
    return Machine("machine/1", "m", memory=memory, processor=Processor(bits=64),
                   system=System(shape="notebook", os_bits=64, virtual=False))  # fmt: skip


def _ways(fitted: list[int], most: int, target: int, swaps: bool) -> set[Net]:
    """What each way to reach a target takes and gives, by size; no way is worse in all.

    Without ``swaps`` no module comes out for one that is as small, or smaller, so that machines
    cannot wait for one another in a circle.
    """
    found = set()
    for choice in product([-1, 0, *(one for one in SIZES if one <= most)], repeat=len(fitted)):
        after = [s if c < 0 else c for s, c in zip(fitted, choice, strict=True)]
        out = [s for s, c in zip(fitted, choice, strict=True) if s and c >= 0]
        small = min((c for c in choice if c > 0), default=0)
        if sum(after) < target or (not swaps and out and max(out) >= small):
            continue
        net = Counter(c for c in choice if c > 0)
        net.subtract(out)
        found.add(tuple(net[one] for one in SIZES))
    return {one for one in found if not any(_better(other, one) for other in found)}


def _better(one: Net, other: Net) -> bool:
    return one != other and all(a <= b for a, b in zip(one, other, strict=True))


def _cheapest(machines: list[tuple[list[int], int, int]], stock: dict[int, int],
              price: dict[int, int], swaps: bool) -> tuple[int, int]:  # fmt: skip
    """How many are left undone at least, and the least cost of the others."""
    reached: dict[tuple[int, Net], None] = {(0, (0,) * len(SIZES)): None}
    for fitted, most, target in machines:
        ways = _ways(fitted, most, target, swaps)
        following: dict[tuple[int, Net], None] = {}
        for undone, net in reached:
            following[undone + 1, net] = None
            for way in ways:
                following[undone, tuple(a + b for a, b in zip(net, way, strict=True))] = None
        reached = following
    best = (len(machines) + 1, 0)
    for undone, net in reached:
        cost = 0
        for size, count in zip(SIZES, net, strict=True):
            bought = max(count - stock.get(size, 0), 0)
            if bought and size not in price:
                break
            cost += bought * price.get(size, 0)
        else:
            best = min(best, (undone, cost))
    return best


def _holds(drawn: dict[str, Any]) -> None:
    price = {size: cost * 100 for size, cost in zip(SIZES, drawn["prices"], strict=True) if cost}
    stock = {size: count for size, count in zip(SIZES, drawn["stock"], strict=True) if count}
    parts = PartsList((
        *(Offer(f"new-{one}", one * GIB, "DDR4", "SODIMM", 2666, price=price[one])
          for one in price),
        *(Offer(f"spare-{one}", one * GIB, "DDR4", "SODIMM", 2666, price=0, stock=stock[one])
          for one in stock),
    ), "EUR")  # fmt: skip
    machines = [
        (fitted, most, target) for fitted, most, target in drawn["machines"]
        if sum(fitted) < target <= most * len(fitted) and max(fitted) <= most and any(fitted)
    ]  # fmt: skip
    plans = [
        plan_upgrade(_machine(fitted, most), target * GIB, VOCABULARY, parts)
        for fitted, most, target in machines
    ]
    if not machines or not (price or stock):
        return
    every = Plans(np.arange(len(plans)), plans, list(range(len(plans))))
    found = solve_fleet(every, parts, np.zeros(len(plans)))
    least, most = (_cheapest(machines, stock, price, swaps) for swaps in (True, False))
    said = (len(machines) - len(found.work), found.cost) if found else (len(machines), 0)
    assert least <= said <= most, (machines, stock, price)


ORDERS = Law(
    "orders",
    "A small fleet takes the least there is from shops, but for swaps in a circle.",
    st.fixed_dictionaries(
        {
            "machines": st.lists(
                st.tuples(
                    st.lists(st.sampled_from([0, 2, 4, 8]), min_size=1, max_size=3),
                    st.sampled_from([8, 16]),
                    st.sampled_from([6, 8, 12, 16, 20, 24]),
                ),
                min_size=1,
                max_size=6,
            ),
            "stock": st.tuples(*(st.sampled_from([0, 0, 1, 3]) for _ in SIZES)),
            "prices": st.tuples(*(st.sampled_from([0, 7, 13, 20, 40]) for _ in SIZES)),
        }
    ),
    _holds,
)
