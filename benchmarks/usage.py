"""``usage`` on a log of ten million rows, against reading that file with pandas alone.

Prints the ratios of time, and of peak memory to the frame's, each measured in a process of its
own, interleaved in one run. Another number of rows may follow: ``python benchmarks/usage.py 1e6``.
"""

import os
import subprocess
import sys
import tempfile

import numpy as np

ROWS = 10_000_000
_BLOCK = 200_000

_PANDAS = """
import sys, time
start = time.perf_counter()
import pandas as pd
loaded = time.perf_counter()
frame = pd.read_csv(sys.argv[1], parse_dates=["time"])
print(time.perf_counter() - loaded, int(frame.memory_usage(deep=True).sum()))
"""
_USAGE = """
import resource, sys, time
import numpy, pyarrow.csv
loaded = time.perf_counter()
from tallcheck.core.usage.finding import judge
from tallcheck.files.usage_log import read_log
found = judge(read_log(sys.argv[1], {}))
print(time.perf_counter() - loaded, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024)
"""


def write_log(path: str, rows: int) -> None:
    """A log of an eight-core machine with every row different, two seconds apart."""
    random = np.random.default_rng(1)
    total = 8 << 30
    start = np.datetime64("2026-01-05T00:00:00")
    with open(path, "w", encoding="utf-8") as file:
        file.write(
            "time,memory_total,memory_available,swap_total,swap_used,swapped_in,swapped_out,"
            "memory_stall,cores_busy,busiest_core,core_count\n"
        )
        for first in range(0, rows, _BLOCK):
            at = np.arange(first, min(first + _BLOCK, rows))
            times = (start + (at * 2).astype("timedelta64[s]")).astype(str)
            share = 0.5 + 0.2 * np.sin(at / 5000) + random.normal(0, 0.02, len(at))
            left = (total * (1 - np.clip(share, 0.05, 0.98))).astype(np.int64)
            busy = np.clip(random.gamma(2, 0.5, len(at)), 0, 8)
            most = np.clip(busy * 0.6, 0, 1)
            file.writelines(
                f"{t}+01:00,{total},{a},4294967296,0,0,0,0.0000,{b:.4f},{m:.4f},8\n"
                for t, a, b, m in zip(times, left, busy, most, strict=True)
            )


def measured(code: str, path: str) -> tuple[float, int]:
    """Seconds and bytes that a process of its own reports."""
    out = subprocess.run(
        [sys.executable, "-c", code, path], capture_output=True, text=True, check=True
    ).stdout.split()
    return float(out[0]), int(out[1])


def main() -> None:
    """Write the log, measure both, print the ratios."""
    rows = int(float(sys.argv[1])) if len(sys.argv) > 1 else ROWS
    with tempfile.TemporaryDirectory() as folder:
        path = os.path.join(folder, "big.usage.csv")
        write_log(path, rows)
        runs = [(measured(_PANDAS, path), measured(_USAGE, path)) for _ in range(2)]
    read, frame = min(one for one, _ in runs)
    spent, peak = min(other for _, other in runs)
    print(f"rows                 {rows}")
    print(f"pandas alone         {read:8.2f} s, frame {frame / 1e6:8.0f} MB")
    print(f"read and judged      {spent:8.2f} s, peak  {peak / 1e6:8.0f} MB")
    print(f"ratio of time        {spent / read:8.2f}")
    print(f"peak to frame        {peak / frame:8.2f}")


if __name__ == "__main__":
    main()
