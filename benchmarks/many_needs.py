"""``check`` of one machine against 200 needs sheets, against one: a ratio taken in one run.

The runs are interleaved, and the least time of each counts, since noise only ever adds.
"""

import os
import sys
import tempfile
import time

sys.path.insert(0, os.path.dirname(__file__))

from startup import COMMAND, DEMO, least

COUNT = 200
SHEET = """tallcheck = "needs/1"
title = "Bed plan {n}"
kind = "program"
source = "https://example.org/bed-plan"
read_on = 2026-09-04
[minimum]
memory = "{memory} GB"
cores = {cores}
clock = "1.{n} GHz"
instructions = ["{sets}"]
storage_free = "{n} GB"
security_module = "2.0"
[recommended]
memory = "{more} GB"
"""


def main() -> None:
    """Write the sheets, time both, print the ratio."""
    machine = os.path.join(DEMO, "glasshouse-05.machine.json")
    with tempfile.TemporaryDirectory() as folder:
        paths = []
        for n in range(COUNT):
            paths.append(os.path.join(folder, f"plan-{n}.needs.toml"))
            sets = ("AVX2", "SSE4.2", "x86-64-v2")[n % 3]
            text = SHEET.format(n=n, memory=1 + n % 9, more=16, cores=1 + n % 6, sets=sets)
            with open(paths[-1], "w", encoding="utf-8") as file:
                file.write(text)
        commands = {
            "one sheet": [COMMAND, "check", machine, paths[0]],
            f"{COUNT} sheets": [COMMAND, "check", machine, *paths],
        }
        times = least(9, commands, time.perf_counter)
    one, many = times.values()
    for name, seconds in times.items():
        print(f"{name:<12}{seconds * 1000:8.1f} ms")
    print(f"ratio       {many / one:8.2f}")


if __name__ == "__main__":
    main()
