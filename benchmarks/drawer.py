"""One order for 2,000 machines that all differ, against planning each for itself.

The target is a proven gap of 0 within 10 seconds. Both are timed in one run.
"""

import random
import time

import numpy as np

from tallcheck.core.board.models import Offer, PartsList
from tallcheck.core.fleet.plans import Plans
from tallcheck.core.fleet.stock_plan import solve_fleet
from tallcheck.core.machine.sheet import Machine, Memory, Module, Processor, System
from tallcheck.core.upgrade.plan import plan_upgrade
from tests.helpers import VOCABULARY

GIB = 1 << 30
COUNT = 2000


def machines() -> list[tuple[Machine, int]]:
    """Machines of 2 or 4 positions, each with a filling, ceiling and target of its own."""
    rng = random.Random(1)
    found = []
    for at in range(COUNT):
        slots = rng.choice([2, 2, 2, 4, 4])
        sizes = [rng.choice([0, 0, 2, 4, 4, 8]) for _ in range(slots)]
        sizes[0] = sizes[0] or 4
        modules = [
            Module(f"S{n}", size * GIB, "DDR4", "SODIMM", 2400 + n) for n, size in enumerate(sizes)
        ]
        memory = Memory(installed=sum(sizes) * GIB, slots=slots, modules=modules,
                        ceiling=(32 + at) * GIB, position_most=16 * GIB)  # fmt: skip
        machine = Machine("machine/1", f"m{at}", memory=memory, processor=Processor(bits=64),
                          system=System(shape="notebook", os_bits=64))  # fmt: skip
        target = (sum(sizes) + rng.choice([1, 2, 4, 6, 8, 12])) * GIB
        found.append((machine, target))
    return found


def parts() -> PartsList:
    """Dear ones without limit, cheap ones in stock."""
    rows = [(2, 700, 50), (4, 1350, None), (4, 1100, 100), (8, 2200, None), (8, 1900, 150),
            (16, 4100, None), (16, 3600, 80)]  # fmt: skip
    return PartsList(
        tuple(Offer(f"P{at}", size * GIB, "DDR4", "SODIMM", 2666, price=price, stock=stock)
              for at, (size, price, stock) in enumerate(rows)),
        "EUR",
    )  # fmt: skip


def main() -> None:
    """Plan each, then all as one; print times, gap and what it saves."""
    listed = parts()
    began = time.perf_counter()
    fleet = machines()
    plans = [plan_upgrade(machine, target, VOCABULARY, listed) for machine, target in fleet]
    apart = time.perf_counter() - began
    began = time.perf_counter()
    every = Plans(np.arange(COUNT), plans, list(range(COUNT)))
    found = solve_fleet(every, listed, np.zeros(COUNT))
    together = time.perf_counter() - began
    assert found is not None
    saved = 100 * (1 - found.cost / found.apart)
    print(f"each for itself {apart:6.2f} s   all as one {together:6.2f} s   "
          f"ratio {together / apart:5.2f}")  # fmt: skip
    print(f"{len(found.work)} machines, gap {found.gap:.2g}, {saved:.0f} % cheaper, "
          f"{found.reused} modules move")  # fmt: skip


if __name__ == "__main__":
    main()
