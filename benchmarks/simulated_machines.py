"""``python benchmarks/simulated_machines.py [N]``: drawn machines read back through every door.

For each door and reading: how often it was wrong, and how often it was not known.
"""

import sys
from collections import Counter
from typing import Any

from hypothesis import HealthCheck, Phase, given, settings

from tests.laws.simulated import machines, readings


def main(count: int) -> int:
    """Print the table; 1 where a reading was wrong."""
    asked: Counter[tuple[str, str]] = Counter()
    unknown: Counter[tuple[str, str]] = Counter()
    wrong: Counter[tuple[str, str]] = Counter()

    @settings(
        max_examples=count, deadline=None, database=None, phases=[Phase.generate],
        suppress_health_check=list(HealthCheck),
    )  # fmt: skip
    @given(machines())
    def one(drawn: dict[str, Any]) -> None:
        for key, value, known in readings(drawn):
            place = drawn["door"], key
            asked[place] += 1
            unknown[place] += value is not None and known is None
            wrong[place] += value is not None and known not in (None, value)

    one()
    for place in sorted(asked):
        if unknown[place] or wrong[place]:
            share = unknown[place] / asked[place]
            print(f"{place[0]:28}{place[1]:24}{share:8.1%} unknown{wrong[place]:6} wrong")
    print(f"{count:,} machines, {asked.total():,} readings, {unknown.total():,} unknown, "
          f"{wrong.total():,} wrong")  # fmt: skip
    return 1 if wrong.total() else 0


if __name__ == "__main__":
    sys.exit(main(int(sys.argv[1]) if len(sys.argv) > 1 else 5000))
