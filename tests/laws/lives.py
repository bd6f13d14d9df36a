"""Usage logs of lives: who presses memory is told by work, whatever the clock on the wall says."""

from typing import Any

import numpy as np
from hypothesis import strategies as st

from tallcheck.core.usage.finding import judge
from tallcheck.core.usage.log import Log
from tests.helpers import GIB
from tests.laws.law import Law

_START = 1_762_128_000.0  # a Monday's midnight
_TOTAL = 8 * GIB

# from and to by the clock of the house; whether people or a job; how much memory is in use then
LIVES_TOLD: dict[str, list[tuple[float, float, str, float]]] = {
    "office": [(9, 17, "people", 0.5)],
    "office, short": [(9, 17, "people", 0.95)],
    "office, and a job at night": [(9, 17, "people", 0.5), (1, 5, "job", 0.96)],
    "office, and a job in the evening": [(8, 15, "people", 0.5), (19, 23, "job", 0.96)],
    "office, and play in the evening": [(8, 15, "people", 0.5), (18, 23, "people", 0.95)],
    "evenings": [(18, 23, "people", 0.95)],
    "evenings, with a job in the morning": [(18, 23, "people", 0.5), (4, 8, "job", 0.96)],
    "two shifts, the second short": [(6, 14, "people", 0.5), (14, 22, "people", 0.95)],
    "a night shift": [(22, 6, "people", 0.95)],
    "short by day, with a job": [(9, 17, "people", 0.95), (1, 5, "job", 0.5)],
}


def life_log(drawn: dict[str, Any]) -> Log:
    """The log of a life over some days."""
    rng = np.random.default_rng(drawn["seed"])
    step, days = drawn["step"], drawn["days"]
    time = np.arange(0, days * 86400, step, dtype=float)
    share, busy = np.full(len(time), 0.3), rng.gamma(2.0, 0.02, len(time))
    for day in range(-1, days):
        for first, last, who, used in LIVES_TOLD[drawn["life"]]:
            late = rng.normal(0, 20 * 60, 2) if who == "people" else np.zeros(2)
            start = day * 86400 + first * 3600 + late[0]
            end = day * 86400 + (last if last > first else last + 24) * 3600 + late[1]
            here = (time >= start) & (time < end)
            count = int(here.sum())
            share[here] = used + rng.normal(0, 0.01, count)
            work = rng.gamma(3.0, 0.5, count) if who == "people" else np.full(count, 3.4)
            busy[here] = np.minimum(work, 4.0)
    total = np.full(len(time), float(_TOTAL))
    columns = {
        "memory_total": total, "memory_available": total * (1 - np.clip(share, 0, 0.99)),
        "cores_busy": busy, "core_count": np.full(len(time), 4.0),
    }  # fmt: skip
    return Log(_START + time, drawn["zone"] * 3600.0, columns)


def _holds(drawn: dict[str, Any]) -> None:
    found = judge(life_log(drawn))
    if "cannot be told" in found.sentence:
        return  # both are said, and what settles it
    parts = LIVES_TOLD[drawn["life"]]
    short = any(who == "people" and used > 0.9 for *_, who, used in parts)
    job = any(who == "job" and used > 0.9 for *_, who, used in parts)
    assert found.finding == ("short" if short else "ample"), found.sentence
    assert ("a job fills memory" in found.sentence) == job, found.sentence


LIVES = Law(
    "lives",
    "Whether people or a job press memory is told by when they begin, in any zone, or left open.",
    st.fixed_dictionaries({
        "life": st.sampled_from(sorted(LIVES_TOLD)), "days": st.integers(5, 21),
        "step": st.sampled_from([60, 60, 120, 300]), "zone": st.integers(-11, 12),
        "seed": st.integers(0, 1 << 16),
    }),
    _holds,
)  # fmt: skip
