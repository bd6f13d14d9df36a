"""How often a log's intervals hold what they should, and how often chance is taken for a fact.

Prints, for each case over 300 logs drawn by chance: the share of 95 % intervals that hold the true
95th percentile (of those that are shown), of logs without growth of which growth is claimed, and of
pairs drawn from one law of which it is claimed that more memory helped.
"""

import sys
from typing import Any

import numpy as np
from scipy.signal import lfilter

from tallcheck.core.usage.change import compare
from tallcheck.core.usage.figures import growth_of, step_of
from tallcheck.core.usage.intervals import p95_of
from tallcheck.core.usage.log import DAY, Log, spans_of

LOGS = int(sys.argv[1]) if len(sys.argv) > 1 else 300
MINUTE, WORK = 60.0, 480  # a working day's samples
GIB = float(1 << 30)
random = np.random.default_rng(7)


def alike(count: int, minutes: float) -> Any:
    """A series of variance one whose correlation time is so many minutes."""
    phi = np.exp(-1 / minutes)
    noise = random.normal(0, 1, count)
    noise[1:] *= np.sqrt(1 - phi**2)
    return lfilter([1], [1, -phi], noise)


def working_days(count: int, spread: float, within: float, minutes: float) -> tuple[Any, Any]:
    """Shares in use over working days of eight hours, and their local seconds."""
    days = [0.6 + random.normal(0, spread) + within * alike(WORK, minutes) for _ in range(count)]
    at = np.concatenate([9 * 3600 + day * DAY + np.arange(WORK) * MINUTE for day in range(count)])
    return np.concatenate(days), at


def covered(shares: Any, local: Any, true: float) -> tuple[int, int]:
    """Whether an interval is shown, and whether it holds."""
    weights = np.full(len(shares), MINUTE)
    found = p95_of(shares, spans_of(local, DAY), weights)
    if found.low is None or found.high is None:
        return 0, 0
    return 1, int(found.low <= true <= found.high)


def tell(label: str, results: list[tuple[int, int]]) -> None:
    """One line: of so many, how many were shown, and the share that held."""
    shown, held = (sum(column) for column in zip(*results, strict=True))
    share = f"{held / shown:6.1%}" if shown else "     -"
    print(f"{label:<64}{shown:4d} of {len(results)} shown, {share}")


def log_of(shares: Any, at: Any) -> Log:
    """A log of an 8 GB machine."""
    total = np.full(len(shares), 8 * GIB)
    return Log(at, 0.0, {"memory_total": total, "memory_available": total * (1 - shares)})


def main() -> None:
    """Draw, and print."""
    for hours in (8, 24, 80):
        for minutes in (2, 10, 30, 60):
            count = hours * 60
            at = 1e9 + np.arange(count) * MINUTE
            draws = [covered(0.6 + 0.1 * alike(count, minutes), at, 0.6 + 0.16449)
                     for _ in range(LOGS)]  # fmt: skip
            tell(f"interval holds: {hours} h, correlation time {minutes} min", draws)
    for days, minutes in ((10, 10), (10, 30), (20, 10)):
        true = float(np.percentile(working_days(4000, 0.05, 0.05, minutes)[0], 95))
        draws = [covered(*working_days(days, 0.05, 0.05, minutes), true) for _ in range(LOGS)]
        tell(f"interval holds: {days} working days that differ by 5 points", draws)
    for days in (21, 42, 90):
        dates = np.arange(days)
        claims = [(1, int(growth_of(alike(days, -1 / np.log(0.8)), dates) is not None))
                  for _ in range(LOGS)]  # fmt: skip
        tell(f"growth claimed of none: {days} days correlated by 0.8", claims)
        saws = []
        for _ in range(LOGS):
            phase = (np.arange(days) + random.integers(7)) % 7 / 7
            saws.append(
                (1, int(growth_of(4 * phase + random.normal(0, 0.5, days), dates) is not None))
            )
        tell(f"growth claimed of none: {days} days, restarted every week", saws)
        stepped = []
        for _ in range(LOGS):
            step = 3.0 * (dates >= random.integers(days // 4, 3 * days // 4))
            stepped.append(
                (1, int(growth_of(alike(days, -1 / np.log(0.5)) + step, dates) is not None))
            )
        tell(f"growth claimed of none: {days} days with one step", stepped)
        rising = [(1, int(growth_of(alike(days, -1 / np.log(0.5)) + 0.2 * dates, dates)
                          is not None)) for _ in range(LOGS)]  # fmt: skip
        tell(f"growth seen where there is some: {days} days", rising)
        for likeness in (0.5, 0.8):
            claims = [(1, int(step_of(alike(days, -1 / np.log(likeness)), dates, 0.1) is not None))
                      for _ in range(LOGS)]  # fmt: skip
            tell(f"a step claimed of none: {days} days correlated by {likeness}", claims)
        sudden = [(1, int(step_of(alike(days, -1 / np.log(0.5)) + 6.0 * (dates >= days // 2), dates,
                                  0.1) is not None)) for _ in range(LOGS)]  # fmt: skip
        tell(f"a step seen where there is one: {days} days", sudden)
    for before, after in ((1, 1), (3, 3), (5, 5), (10, 10), (2, 8)):
        claims = []
        for _ in range(LOGS):
            pair = (working_days(count, 0.05, 0.05, 10) for count in (before, after))
            logs = [log_of(np.clip(0.27 + shares, 0, 1), at) for shares, at in pair]
            claims.append((1, int(compare(*logs).helped is True)))
        tell(f"help claimed of none: {before} days before, {after} after", claims)


main()
