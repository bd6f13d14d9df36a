"""``python -m tests.laws.table``: every wrong value for every key through every door, once."""

import sys
import time
import traceback
from collections import Counter

from tallcheck.core.machine.readings import keys
from tallcheck.core.needs.keys import KEYS as NEED_KEYS
from tests.laws.way_in import OF_MACHINES, OF_NEEDS, WRONG, through


def main() -> int:
    """How many runs there were through each door, and where those that fell short ended."""
    failed: Counter[str] = Counter()
    for door in (*OF_MACHINES, *OF_NEEDS):
        start, runs, short = time.perf_counter(), 0, 0
        for key in keys() if door in OF_MACHINES else NEED_KEYS:
            for value in WRONG:
                runs += 1
                try:
                    through(door, key, value)
                except Exception as error:
                    short += 1
                    failed[_where(error, f"{door} {key} '{value}'")] += 1
        seconds = time.perf_counter() - start
        print(f"{door:<8} {runs:6} runs, {short:4} outside the documented ends, {seconds:5.1f} s",
              flush=True)  # fmt: skip
    for where, count in failed.most_common():
        print(f"{count:5} × {where}")
    return 1 if failed else 0


_FIRST: dict[str, str] = {}


def _where(error: Exception, what: str) -> str:
    last = traceback.extract_tb(error.__traceback__)[-1]
    ours = next(
        (one for one in reversed(traceback.extract_tb(error.__traceback__))
         if "src/tallcheck" in one.filename), last,
    )  # fmt: skip
    place = f"{type(error).__name__}: {str(error)[:80]} ({ours.filename[-40:]}:{ours.lineno})"
    return f"{place}, first {_FIRST.setdefault(place, what)}"


if __name__ == "__main__":
    sys.exit(main())
