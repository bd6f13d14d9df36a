"""The exact search over positions: against brute force, and what no filling may do."""

import random
from itertools import accumulate, product

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tallcheck.core.board.arranging import Filling, Spot
from tallcheck.core.upgrade.filling import Search

Costs = dict[int, list[int]]
Key = tuple[int, int, int, int]


def _uneven(spots: list[Spot], sizes: list[int]) -> int:
    channels: dict[str | None, int] = {}
    for spot, size in zip(spots, sizes, strict=True):
        channels[spot.channel] = channels.get(spot.channel, 0) + size
    if None not in channels:
        return max(channels.values()) - min(channels.values())
    left, apart = sorted(sizes), 0
    while left and len(spots) > 1:
        apart += left.pop() - (left.pop() if left else 0)
    return apart


def _needless(spots: list[Spot], ways: tuple[int, ...], total: int, limit: int | None) -> bool:
    """Whether a module came out that could have stayed: a position is empty, and room for it."""
    empty = any(way == 0 and not spot.fixed for spot, way in zip(spots, ways, strict=True))
    out = [s.size for s, way in zip(spots, ways, strict=True) if s.size and way >= 0]
    return empty and any(limit is None or total + size <= limit for size in out)


def brute(spots: list[Spot], costs: Costs, limit: int | None, target: int) -> Key | None:
    """Cost, count, unevenness and minus the total of the best, by trying every filling."""
    best: Key | None = None
    # -1: what is there stays; 0: empty; else the size that goes in
    choices = [[-1] if s.fixed else [*([-1] if s.size else []), 0, *costs] for s in spots]
    for ways in product(*choices):
        sizes = [s.size if way < 0 else way for s, way in zip(spots, ways, strict=True)]
        total = sum(sizes)
        new = [way for way in ways if way > 0]
        if total < target or (limit is not None and total > limit):
            continue
        if any(new.count(size) > len(costs[size]) for size in set(new)):
            continue
        if _needless(spots, ways, total, limit):
            continue
        cost = sum(costs[size][new.count(size) - 1] for size in set(new))
        key = (cost, len(new), _uneven(spots, sizes), -total)
        best = key if best is None else min(best, key)
    return best


def _case(rng: random.Random) -> tuple[list[Spot], Costs, int | None, int]:
    count = rng.randint(1, 4)
    channels: list[str | None] = rng.choice(
        [[None] * count, ["A", "B"] * count, ["A", "A", "B", "B"]]
    )
    spots = [
        Spot(rng.choice([0, 0, 1, 2, 3, 4]), channels[at], rng.random() < 0.15)
        for at in range(count)
    ]
    costs = {
        size: list(accumulate(rng.choice([0, 1, 2, 3, 5, 8]) for _ in range(rng.randint(1, 4))))
        for size in rng.sample([1, 2, 3, 4, 8], rng.randint(1, 3))
    }
    limit = rng.choice([None, None, rng.randint(1, 20)])
    fixed = sum(spot.size for spot in spots if spot.fixed)
    if limit is not None and limit < fixed:
        limit = None
    return spots, costs, limit, rng.randint(1, 20)


def _held(spots: list[Spot], found: Filling) -> list[int]:
    return [
        new or (spot.size if kept else 0)
        for spot, kept, new in zip(spots, found.kept, found.new, strict=True)
    ]


def test_equals_brute_force_on_ten_thousand_small_boards() -> None:
    rng = random.Random(20261125)
    reached = 0
    for _ in range(10_000):
        spots, costs, limit, target = _case(rng)
        found = Search(spots, costs, limit).best(target)
        key = found and (found.cost, found.count, found.uneven, -found.total)
        assert key == brute(spots, costs, limit, target), (spots, costs, limit, target)
        if found is not None:
            reached += 1
            held = _held(spots, found)
            assert (sum(held), _uneven(spots, held)) == (found.total, found.uneven)
    assert 3_000 < reached < 9_500  # both outcomes are well tried


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 10**9))
def test_most_is_the_largest_total_that_any_filling_has(seed: int) -> None:
    spots, costs, limit, _ = _case(random.Random(seed))
    search = Search(spots, costs, limit)
    most = search.most()
    assert search.best(most + 1) is None
    assert most == 0 or search.best(most) is not None


@pytest.mark.parametrize("positions", [16, 32])
def test_large_boards_are_filled_within_their_rules(positions: int) -> None:
    rng = random.Random(positions)
    channels = [f"{at // 2}" for at in range(positions)]
    spots = [Spot(16 if at % 2 == 0 else 0, channels[at]) for at in range(positions)]
    costs = {8 * n: list(accumulate(sorted(rng.randint(100, 9000) for _ in range(40))))
             for n in (1, 2, 4, 8, 16)}  # fmt: skip
    search = Search(spots, costs, 2048)
    for target in (positions * 16 + 8, positions * 24, positions * 60):
        found = search.best(target)
        assert found is not None
        held = _held(spots, found)
        assert target <= sum(held) == found.total <= 2048
        for size in set(found.new) - {0}:
            assert found.new.count(size) <= len(costs[size])


def test_other_choices_are_worth_their_names() -> None:
    spots = [Spot(4, "A"), Spot(0, "B"), Spot(0, "A"), Spot(0, "B")]
    search = Search(spots, {2: [1, 2, 3, 4], 4: [5, 10, 15], 16: [12, 24]}, None)
    best = search.best(10)
    even = search.matched(10)
    room = search.most_for_money(4, 10)
    assert best is not None
    assert best.cost == 3
    assert best.total == 10
    assert even is not None
    assert even.uneven <= best.uneven
    assert len(set(even.new) - {0}) == 1
    assert room is not None
    assert (room.total - 4) / room.cost >= (best.total - 4) / best.cost
