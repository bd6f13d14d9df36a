"""``check`` of one machine against 200 needs sheets, and of one of which nothing is known.

Each ratio is taken in one run, against one plain sheet. The runs are interleaved, and the least
time of each counts, since noise only ever adds.
"""

import os
import random
import sys
import tempfile
import time
from typing import Any

sys.path.insert(0, os.path.dirname(__file__))

from startup import COMMAND, DEMO, least

from tallcheck.core.decide.asked import Chosen, asked_at
from tallcheck.core.decide.decision import decide
from tallcheck.core.machine.normalized import normalized
from tallcheck.core.machine.sheet import Machine
from tallcheck.core.text.needs_sheet import from_table
from tallcheck.files.vocabulary import vocabulary

VOCABULARY = vocabulary()

COUNT = 200
BARE = 20
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


NEEDS = [
    ("cores", (2, 4, 6, 8)), ("threads", (4, 8)), ("clock", ("2 GHz", "2.5 GHz", "3 GHz")),
    ("memory", ("4 GB", "8 GB", "16 GB")), ("storage", ("64 GB", "256 GB")),
    ("storage_free", ("20 GB", "50 GB")), ("instructions", (["AVX2"], ["SSE4.2"])),
    ("graphics", ({"vulkan": "1.1"}, {"vulkan": "1.2"})), ("graphics_memory", ("2 GB", "4 GB")),
    ("virtualization", ("on",)), ("secure_boot", ("on",)), ("firmware", ("uefi",)),
    ("security_module", ("2.0",)), ("storage_kind", ("solid",)), ("display", ("1920x1080",)),
    ("os_bits", (64,)), ("processor_bits", (64,)), ("architecture", (["x86-64"],)),
]  # fmt: skip


def some(rng: random.Random, count: int) -> dict[str, Any]:
    """Needs on so many keys."""
    return {key: rng.choice(values) for key, values in rng.sample(NEEDS, count)}


def sheet(rng: random.Random, title: str, tables: int, each: int) -> Chosen:
    """A program that asks for one of so many tables, each of so many needs."""
    minimum: dict[str, Any] = {"memory": "4 GB", "cores": 2}
    if tables:
        minimum["any"] = [some(rng, each) for _ in range(tables)]
    found = {"tallcheck": "needs/1", "title": title, "kind": "program", "minimum": minimum}
    read = from_table(found, VOCABULARY)
    return Chosen(read, read.releases[0])


def unknown() -> None:
    """Print what a machine takes of which nothing is known, against one plain sheet."""
    rng = random.Random(1)
    plain = (sheet(rng, "plain", 0, 0),)
    cases = {
        "one plain sheet": plain,
        "one sheet, six tables of four": (sheet(rng, "six", 6, 4),),
        "six sheets, four tables each": tuple(sheet(rng, f"s{n}", 4, 1) for n in range(6)),
        f"{BARE} sheets, four tables each": tuple(sheet(rng, f"t{n}", 4, 1) for n in range(BARE)),
    }
    times = dict.fromkeys(cases, float("inf"))
    for _ in range(5):
        for name, against in cases.items():
            start = time.perf_counter()
            decide(
                normalized(Machine("machine/1", "bare"), VOCABULARY),
                asked_at(against, "minimum") or [], against,
            )  # fmt: skip
            times[name] = min(times[name], time.perf_counter() - start)
    first = times["one plain sheet"]
    print("nothing known of the machine, in process:")
    for name, seconds in times.items():
        print(f"  {name:<32}{seconds * 1000:8.1f} ms   ratio {seconds / first:7.1f}")


def main() -> None:
    """Write the sheets, time both, print the ratio; then what is unknown."""
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
    unknown()


if __name__ == "__main__":
    main()
