"""Whole-process time of `gather` and `check here` against `--version`, on Windows or under Wine.

Prints ratios taken in one run, the least of interleaved runs. `make test-windows` sets up the
Windows Python that this runs under Wine; the portable program is timed too where it is built.
"""

import os
import subprocess
import sys
import time
from pathlib import Path
from subprocess import PIPE

RUNS = 8
ROOT = Path(__file__).resolve().parents[1]
HOME = ROOT / ".venv-windows"
WORDS = [["--version"], ["gather"], ["check", "here", "merrow@10"]]


def main() -> None:
    """Run and print."""
    if sys.platform == "win32":
        starts = {"python -m tallcheck": [sys.executable, "-m", "tallcheck"]}
    else:
        python = str(HOME / "python" / "cp311" / "python.exe")
        starts = {"python -m tallcheck": ["wine", python, "-m", "tallcheck"]}
        if (ROOT / "dist" / "tallcheck.exe").exists():
            starts["tallcheck.exe"] = ["wine", str(ROOT / "dist" / "tallcheck.exe")]
            starts["the folder's"] = ["wine", str(ROOT / "dist" / "tallcheck" / "tallcheck.exe")]
    env = {**os.environ, "WINEPREFIX": str(HOME / "prefix"), "WINEDEBUG": "-all"}
    for start, command in starts.items():
        times = dict.fromkeys(range(len(WORDS)), float("inf"))
        for _ in range(RUNS):
            for at, words in enumerate(WORDS):
                began = time.perf_counter()
                # until it ends, not until its pipes do: Wine's own services hold those a while
                ran = subprocess.Popen([*command, *words], stdin=PIPE, stdout=PIPE, stderr=PIPE,
                                       env=env)  # fmt: skip
                ran.wait()
                times[at] = min(times[at], time.perf_counter() - began)
        for at, words in enumerate(WORDS):
            ratio = times[at] / times[0]
            print(f"{start:<20}{' '.join(words):<24}{times[at] * 1000:7.0f} ms  {ratio:5.2f} times")


main()
