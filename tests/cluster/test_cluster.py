"""A list in parts on two workers of a distributed engine: the same counts as in one run."""

import time
from collections import Counter

import pyarrow as pa
import pytest

import tallcheck

distributed = pytest.importorskip("distributed")
ROWS, PARTS = 1_000_000, 8


def _machines(first: int, count: int) -> pa.Table:
    at = range(first, first + count)
    return pa.table({
        "name": [f"bench-{number}" for number in at],
        "memory": [("2 GB", "4 GB", "8 GB", None)[number % 4] for number in at],
        "cores": pa.array([(2, 4, 1, None)[number // 3 % 4] for number in at], pa.int64()),
        "level": [("x86-64-v3", "x86-64-v1", None)[number % 3] for number in at],
        "clock": ["2.1 GHz"] * count, "processor_bits": [64] * count, "slots": [2] * count,
        "storage": ["256 GB"] * count, "storage_free": ["60 GB"] * count,
        "office": [f"house {number % 7}" for number in at],
    })  # fmt: skip


def _judged(part: tuple[int, int]) -> dict[str, int]:
    needs = tallcheck.read_needs("merrow@10")
    return dict(Counter(tallcheck.judge_table(_machines(*part), needs)["answer"].to_pylist()))


def test_parts_on_two_workers_count_as_one_run() -> None:
    size = ROWS // PARTS
    start = time.perf_counter()
    whole = Counter(_judged((0, ROWS)))
    alone = time.perf_counter() - start
    with distributed.Client(n_workers=2, threads_per_worker=1, dashboard_address=None) as client:
        start = time.perf_counter()
        parts = client.gather(client.map(_judged, [(at * size, size) for at in range(PARTS)]))
        shared = time.perf_counter() - start
    counted: Counter[str] = sum((Counter(part) for part in parts), Counter())
    print(f"\n{ROWS:,} machines in one run {alone:.1f} s, in {PARTS} parts {shared:.1f} s")
    print(dict(counted))
    assert counted == whole
    assert counted.total() == ROWS
