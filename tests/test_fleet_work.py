"""The work list: carried out by a small program, every machine ends at its target."""

import random
from collections import Counter

import numpy as np
import pytest
from msgspec import structs

from tallcheck.core.board.account import account_of
from tallcheck.core.board.models import Offer, PartsList
from tallcheck.core.fleet.placing import Job, Kind, Parts
from tallcheck.core.fleet.transfers import Solved, put_back, transferred
from tallcheck.core.machine.sheet import Machine, Module
from tests.helpers import GIB
from tests.test_fleet_money import order_for, solved
from tests.test_upgrade import notebook, offer, offers


def carried_out(machines: list[tuple[Machine, int]], parts: PartsList, found: Solved) -> None:
    """Do the work in its order with modules in hand; raise where it cannot be done."""
    fitted = [{one.slot: one.size or 0 for one in m.memory.modules or []} for m, _ in machines]
    in_hand: dict[tuple[int, str], tuple[int, int | None]] = {}
    taken: Counter[Offer] = Counter()
    for work in found.work:
        slots = fitted[work.machine]
        for out in work.take_out:
            assert slots[out.slot] == out.size, "what is not there comes out"
            slots[out.slot] = 0
            in_hand[work.machine, out.slot] = (out.size, out.into)
        for one in work.put_in:
            assert slots[one.slot] == 0, "a position is filled twice"
            slots[one.slot] = one.size
            if one.offer is not None:
                assert one.offer.size == one.size
                taken[one.offer] += 1
                continue
            assert one.giver is not None
            assert in_hand.pop((one.giver, one.giver_slot)) == (one.size, work.machine)
        machine, target = machines[work.machine]
        assert target * GIB <= sum(slots.values()) <= (machine.memory.ceiling or 1 << 60)
        assert work.after <= {one.machine for one in found.work}
    assert all(into is None for _, into in in_hand.values()), "a module is promised and not used"
    ordered = {one.offer: one.count for one in found.orders}
    for bought, count in taken.items():
        assert ordered[bought] == -(-count // bought.pack)
        assert bought.stock is None or ordered[bought] <= bought.stock
    assert set(ordered) == set(taken)
    assert sum(one.cost for one in found.work) == sum(one.cost for one in found.orders)
    assert found.cost == sum(one.cost for one in found.orders)
    rest = sum(one.pack * ordered[one] - taken[one] for one in ordered)
    assert sum(count for _, count in found.left) == len(in_hand) + rest


def _fleet(rng: random.Random) -> tuple[list[tuple[Machine, int]], PartsList]:
    sold = [
        offer(
            f"p{size}x{pack}", size, rng.randint(5, 40), pack=pack,
            stock=rng.choice([None, None, 1, 2]), type=rng.choice(["DDR4", "DDR4", "DDR3"]),
        )
        for size in (2, 4, 8, 16) for pack in (1, 2) if rng.random() < 0.7
    ]  # fmt: skip
    machines = []
    for _ in range(rng.randint(2, 9)):
        sizes = [rng.choice([0, 2, 2, 4, 4, 8]) for _ in range(rng.choice([1, 2, 2, 4]))]
        sizes[0] = sizes[0] or 4
        ceiling = rng.choice([16, 32, 64]) * GIB
        machine = notebook(*sizes, ceiling=ceiling, position_most=rng.choice([8, 16]) * GIB)
        target = rng.choice([4, 6, 8, 12, 16, 24])
        if sum(sizes) < target and sum(sizes) * GIB <= ceiling:
            machines += [(machine, target)] * rng.choice([1, 1, 2, 4])
    return machines, offers(*sold)


@pytest.mark.parametrize("seed", range(60))
def test_the_work_can_be_done_in_its_order(seed: int) -> None:
    rng = random.Random(seed)
    machines, parts = _fleet(rng)
    found = order_for(machines, parts)
    if found is None:
        return
    carried_out(machines, parts, found)
    assert len({one.machine for one in found.work}) + found.undone <= len(machines)
    budget = rng.randint(0, found.cost or 1)
    within = solved(machines, parts, budget)
    carried_out(machines, parts, within)
    assert within.spent == within.cost <= budget


def test_a_machine_that_only_a_used_module_can_serve_is_planned() -> None:
    giver, taker = notebook(2, 2, position_most=8 * GIB), notebook(2, 0)
    only = offers(offer("eight", 8, 20, stock=1))
    found = solved([(taker, 4), (giver, 10)], only)
    assert [one.machine for one in found.work] == [1, 0]
    assert [(one.giver, one.giver_slot) for one in found.work[1].put_in] == [(1, "A1")]
    carried_out([(taker, 4), (giver, 10)], only, found)


def test_the_same_part_from_two_sources_is_two_lines() -> None:
    same = [offer("eight", 8, 20, source="shop"), offer("eight", 8, 5, stock=1, source="drawer")]
    found = solved([(notebook(4, 0), 12)] * 2, offers(*same))
    assert [(one.offer.source, one.count) for one in found.orders] == [("shop", 1), ("drawer", 1)]
    assert found.cost == 2500


def test_a_kit_serves_two_machines_and_is_paid_once() -> None:
    found = solved([(notebook(4, 0), 8)] * 3, offers(offer("pair", 4, 12, pack=2)))
    assert [one.count for one in found.orders] == [2]
    assert [one.cost for one in found.work] == [1200, 0, 1200]
    assert found.work[1].after == {0}
    assert found.left == (("4 GB pair", 1),)


def _kind(size: int) -> Kind:
    return Kind(size * GIB, "DDR4", "SODIMM", None, False)


def _job(machines: list[int], fitted: list[int], add: Parts, out: list[int], limit: int) -> Job:
    """Machines whose positions hold modules of these GB, 0 for none."""
    modules = [
        Module(f"A{at}", one * GIB, type="DDR4", form="SODIMM", registered=False)
        for at, one in enumerate(fitted, 1)
    ]
    board = account_of({"memory.modules": modules, "memory.slots": len(fitted)}.get)
    board = structs.replace(board, limit=limit * GIB)
    return Job(np.array(machines), 0, board, add, tuple(map(_kind, out)))


def test_machines_alike_give_only_once_they_are_served() -> None:
    eight = offer("eight", 8, 20)
    jobs = [
        _job([0, 1, 2], [4], (eight,), [4], 64),
        _job([3, 4, 5, 6, 7], [2], (_kind(4),), [2], 64),
        _job([8, 9], [4], (_kind(2),), [4], 64),  # which wait for some of those before
    ]
    transfers, stuck = transferred(jobs)
    assert (stuck, len(transfers), transfers.given_on) == ([], 10, 7)
    done: dict[int, set[int]] = {}
    for one in transfers.work:
        givers = {entry.giver for entry in one.put_in if entry.giver is not None}
        assert givers == one.after <= done.keys()
        done[one.machine] = givers
    assert set(done) == set(range(10))
    machines, costs = transfers.costs
    assert costs[machines < 3].tolist() == [2000] * 3
    assert costs[machines >= 3].sum() == 0
    assert transfers.after == {machine: givers for machine, givers in done.items() if givers}


def test_machines_that_wait_for_one_another_are_told() -> None:
    transfers, stuck = transferred([
        _job([0, 1], [4], (_kind(2),), [4], 64), _job([2, 3], [2], (_kind(4),), [2], 64),
        _job([4], [0], (offer("eight", 8, 20),), [], 64),
    ])  # fmt: skip
    assert [one.machines.tolist() for one in stuck] == [[0, 1], [2, 3]]
    assert transfers.given_on == 0


@pytest.mark.parametrize(
    ("limit", "left", "back"),
    [(64, 4, [0, 0, 2]), (64, 3, [0, 1, 2]), (64, 0, [2, 2, 2]), (12, 4, [1, 1, 2]),
     (12, 1, [1, 2, 2]), (8, 4, [2, 2, 2])],
)  # fmt: skip
def test_what_nobody_takes_goes_back_where_there_is_room(
    limit: int, left: int, back: list[int]
) -> None:
    alike = _job([0, 1], [4, 4, 0, 0], (offer("eight", 8, 20),), [4, 4], limit)
    full = _job([2], [4, 4], (offer("eight", 8, 20), offer("eight", 8, 20)), [4, 4], limit)
    jobs, rest = put_back([alike, full], Counter({_kind(4): left}))
    outs = {at: len(one.out) for one in jobs for at in one.machines.tolist()}
    assert [outs[at] for at in range(3)] == back
    assert rest[_kind(4)] == left - sum(2 - one for one in back)
