"""Whole-process time of ``--version`` and of ``check``, against a bare ``python -c pass``.

Prints ratios taken in one run: the runs are interleaved, and each command's least time counts,
since noise only ever adds. Run with the environment's own Python: ``python benchmarks/startup.py``.
"""

import os
import subprocess
import sys
import time
from collections.abc import Callable

RUNS = 25
DEMO = os.path.join(os.path.dirname(__file__), "..", "src", "tallcheck", "data", "demo", "machines")
COMMAND = os.path.join(os.path.dirname(sys.executable), "tallcheck")
COMMANDS = {
    "python -c pass": [sys.executable, "-c", "pass"],
    "tallcheck --version": [COMMAND, "--version"],
    "tallcheck check": [COMMAND, "check", os.path.join(DEMO, "potting-02.machine.json"),
                        "merrow@10"],
    "tallcheck gather": [COMMAND, "gather"],
}  # fmt: skip


def with_bytecode() -> None:
    """Let what is started keep its compiled modules, as an installed tool has them."""
    os.environ.pop("PYTHONDONTWRITEBYTECODE", None)


def least(
    runs: int, commands: dict[str, list[str]], clock: Callable[[], float]
) -> dict[str, float]:
    """The least time in seconds of each command over interleaved runs, all output into a pipe."""
    times = dict.fromkeys(commands, float("inf"))
    for _ in range(runs):
        for name, words in commands.items():
            start = clock()
            subprocess.run(words, capture_output=True, check=False)
            times[name] = min(times[name], clock() - start)
    return times


def imports(words: list[str]) -> list[tuple[int, str]]:
    """The costliest imports of a command: cumulative microseconds and module."""
    found = subprocess.run(
        [sys.executable, "-X", "importtime", "-m", "tallcheck", *words[1:]],
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    costs = []
    for line in found.stderr.splitlines():
        parts = line.removeprefix("import time:").split("|")
        if len(parts) == 3 and parts[1].strip().isdecimal():
            costs.append((int(parts[1]), parts[2].strip()))
    return sorted(costs, reverse=True)


def main() -> None:
    """Run and print."""
    with_bytecode()
    times = least(RUNS, COMMANDS, time.perf_counter)
    base = times["python -c pass"]
    for name, seconds in times.items():
        print(f"{name:<22}{seconds * 1000:8.1f} ms  {seconds / base:5.2f} times a bare start")
    print("\nwhat check spends it on (cumulative, ms):")
    for cost, module in imports(COMMANDS["tallcheck check"])[:12]:
        print(f"  {cost / 1000:7.1f}  {module}")


if __name__ == "__main__":
    main()
