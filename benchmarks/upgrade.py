"""The planner on boards of 1 to 32 positions with a list of 200 parts, against a whole start.

The target is one second for the largest. The ratio sets it against ``tallcheck --version``, taken
in the same run.
"""

import os
import random
import sys
import time

sys.path.insert(0, os.path.dirname(__file__))

from startup import COMMAND, least

from tallcheck.core.board.models import Offer, PartsList
from tallcheck.core.machine.sheet import Machine, Memory, Module, System
from tallcheck.core.upgrade.plan import plan_upgrade
from tests.helpers import VOCABULARY

GIB = 1 << 30
PARTS = 200


def board(positions: int) -> Machine:
    """A server with every other position filled, eight channels."""
    modules = [
        Module(
            f"P{at}",
            size,
            "DDR4",
            "RDIMM",
            2933,
            2666,
            channel="ABCDEFGH"[at % 8],
            ecc=True,
            registered=True,
        )
        for at in range(positions)
        for size in [16 * GIB if at % 2 == 0 else 0]
    ]
    fitted = sum(module.size or 0 for module in modules)
    memory = Memory(installed=fitted, slots=positions, modules=modules, position_most=256 * GIB,
                    ceiling=positions * 128 * GIB)  # fmt: skip
    return Machine("machine/1", "bench", memory=memory, system=System(shape="server"))


def parts() -> PartsList:
    """200 parts of eight sizes, each with a price and a stock of its own."""
    rng = random.Random(200)
    sizes = [4, 8, 16, 24, 32, 64, 96, 128]
    offers = []
    for n in range(PARTS):
        size = sizes[n % len(sizes)]
        offers.append(
            Offer(
                f"P{n}",
                size * GIB,
                "DDR4",
                "RDIMM",
                3200,
                True,
                True,
                size * 300 + rng.randrange(900),
                rng.choice([None, 1, 2, 5, 9]),
            )
        )
    return PartsList(tuple(offers), "EUR")


def main() -> None:
    """Plan on each board, print the seconds, and the ratio of the largest to a start."""
    listed = parts()
    start = least(5, {"start": [COMMAND, "--version"]}, time.perf_counter)["start"]
    slowest = 0.0
    for positions in (1, 2, 4, 8, 16, 32):
        machine = board(positions)
        times = []
        for _ in range(3):
            began = time.perf_counter()
            found = plan_upgrade(machine, positions * 40 * GIB, VOCABULARY, listed)
            times.append(time.perf_counter() - began)
        slowest = max(slowest, min(times))
        print(
            f"{positions:>2} positions, {PARTS} parts {min(times) * 1000:8.1f} ms  {found.answer}"
        )
    print(f"ratio to a start of the command {slowest / start:8.2f}")


if __name__ == "__main__":
    main()
