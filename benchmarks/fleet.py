"""A million machines: decisions and counts against reading the same file with pandas alone.

Three files: every value different, in numbers; 3,000 make-ups as people write them; the same with
upgrade plans. Each ratio is taken in one run; times alternate and the least of each counts. The
memory ratio sets the peak over the table of pandas. ``--rows N`` makes smaller files.
"""

import argparse
import csv
import os
import random
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable

import numpy as np

sys.path.insert(0, os.path.dirname(__file__))

from startup import DEMO, with_bytecode

GIB = 1 << 30
NEEDS = """tallcheck = "needs/1"
title = "Bedplan"
kind = "program"
source = "https://example.org/bedplan"
read_on = 2026-09-04
[minimum]
memory = "8 GB"
cores = 4
clock = "1.8 GHz"
storage = "128 GB"
storage_free = "20 GB"
{last}
"""
DOZEN = """memory_own = "2 GB"
threads = 8
processor_bits = 64
graphics_memory = "1 GB"
security_module = "2.0"
firmware = "uefi"
virtualization = "on"
instructions = ["x86-64-v2"]"""
NUMERIC = "processor_bits = 64"
TEXT = 'instructions = ["x86-64-v2"]'


def numeric_file(path: str, rows: int) -> None:
    """Every value different, as plain numbers."""
    rng = np.random.default_rng(1)
    memory = rng.integers(2 * GIB, 64 * GIB, rows)
    columns = {
        "name": np.arange(rows),
        "memory.installed": memory,
        "memory.usable": (memory * 0.96).astype(np.int64),
        "memory.ceiling": memory + rng.integers(0, 64 * GIB, rows),
        "slots": rng.integers(1, 5, rows),
        "cores": rng.integers(1, 33, rows),
        "clock": rng.integers(800_000_000, 4_000_000_000, rows),
        "storage": rng.integers(60 * 10**9, 2 * 10**12, rows),
        "storage_free": rng.integers(10**9, 60 * 10**9, rows),
        "processor_bits": rng.choice([32, 64], rows),
    }
    _save(path, columns)


def text_file(path: str, rows: int) -> None:
    """3,000 make-ups, written as people do."""
    rng = random.Random(2)
    makeups = []
    for _ in range(3000):
        size = rng.choice([2, 4, 8, 16, 32])
        modules = [f"{size}GB", *(["-"] * rng.randint(0, 3))]
        makeups.append(
            (
                f"{size} GB",
                '"' + ",".join(modules) + '"',
                f"{rng.choice([16, 32, 64])} GB",
                rng.choice([2, 4, 6, 8]),
                f"{rng.choice(['1.6', '2.1', '3,4'])} GHz".replace(",", "."),
                f"{rng.choice([64, 128, 256, 512])} GB",
                f"{rng.randint(5, 90)} GB",
                rng.choice(["x86-64-v2", "SSE4.2 POPCNT AVX", "AVX2", "SSE2"]),
                rng.choice(["desktop", "notebook"]),
                rng.choice(["Larkmoor", "Tolland & Pike"]),
                f"Bench {rng.randint(1, 60)}",
            )
        )
    heads = ["memory", "modules", "ceiling", "cores", "clock", "storage", "storage_free",
             "instructions", "shape", "maker", "model"]  # fmt: skip
    lines = [",".join(map(str, one)) for one in makeups]
    with open(path, "w", encoding="utf-8") as file:
        file.write(",".join(["name", *heads]) + "\n")
        file.writelines(f"bed-{at},{lines[rng.randrange(3000)]}\n" for at in range(rows))


def varied_file(path: str, rows: int) -> None:
    """An office's list of very varied rows: 29 columns, blanks, modules by position."""
    rng = random.Random(3)

    def some(value: object, missing: float = 0.15) -> object:
        return "" if rng.random() < missing else value

    with open(path, "w", newline="", encoding="utf-8") as file:
        writer = csv.DictWriter(file, list(_varied(0, rng, some)))
        writer.writeheader()
        writer.writerows(_varied(at, rng, some) for at in range(rows))


def _varied(at: int, rng: random.Random, some: Callable[..., object]) -> dict[str, object]:
    sizes = [rng.choice([1, 2, 4, 8, 16]) for _ in range(rng.choice([1, 1, 2, 2, 4]))]
    slots, total = len(sizes) + rng.choice([0, 0, 1, 2]), sum(sizes)
    cores, bits = rng.choice([1, 2, 4, 6, 8, 12]), rng.choice([64, 64, 64, 64, 32])
    drive = rng.choice([64, 128, 240, 256, 500, 512, 1000])
    name = rng.choice([f"Osier Wand S{rng.randint(3, 8)} {rng.randint(100, 480)}",
                       f"Hazelwick Tern {rng.randint(2, 7)}-{rng.randint(10, 99)}"])  # fmt: skip
    shapes = ["desktop", "notebook", "tower", "mini", "all-in-one", "server"]
    return {
        "name": f"m-{at}", "maker": rng.choice(["Larkmoor", "Tolland & Pike"]),
        "model": f"Bench {rng.randint(1, 90)}", "shape": some(rng.choice(shapes)),
        "virtual": rng.choice(["", "", "", "no"]), "processor": some(name), "cores": some(cores),
        "threads": some(cores * rng.choice([1, 2])), "processor.sockets": some(1, 0.5),
        "clock": some(f"{rng.randint(12, 38) / 10} GHz"), "processor_bits": some(bits),
        "architecture": some("x86-64" if bits == 64 else "x86", 0.4),
        "instructions": some(rng.choice(["x86-64-v2", "SSE4.2 POPCNT AVX", "AVX2", "SSE2"]), 0.4),
        "virtualization": some(rng.choice(["on", "able", "none"]), 0.5),
        "memory": some(f"{total} GB"),
        "memory.usable": some(f"{total * 1024 - rng.randint(50, 400)} MB", 0.5),
        "memory.available": some(f"{rng.randint(200, max(300, total * 600))} MB", 0.6),
        "modules": some(",".join([*(f"{s}GB" for s in sizes), *["-"] * (slots - len(sizes))]), 0.3),
        "ceiling": some(f"{rng.choice([16, 32, 64])} GB", 0.4), "slots": some(slots, 0.3),
        "storage": some(f"{drive} GB"), "storage_free": some(f"{rng.randint(5, drive - 20)} GB"),
        "storage_kind": some(rng.choice(["solid", "spinning"]), 0.3),
        "security_module": some(rng.choice(["none", "1.2", "2.0"]), 0.4),
        "firmware": some(rng.choice(["uefi", "bios"]), 0.4), "os": some("Merrow"),
        "os_version": some(rng.choice(["6", "9", "10"])),
        "os_bits": some(64 if bits == 64 and rng.random() < 0.8 else 32),
        "room": f"D{rng.randint(1, 99)}",
    }  # fmt: skip


def open_file(path: str, rows: int) -> None:
    """Machines that differ in every reading, a sixth of the readings unknown."""
    rng = random.Random(5)

    def some(value: object) -> object:
        return "" if rng.random() < 1 / 6 else value

    with open(path, "w", newline="", encoding="utf-8") as file:
        writer = csv.DictWriter(file, list(_open(0, rng, some)))
        writer.writeheader()
        writer.writerows(_open(at, rng, some) for at in range(rows))


def _open(at: int, rng: random.Random, some: Callable[[object], object]) -> dict[str, object]:
    memory, drive = rng.randrange(1 << 30, 64 * GIB), rng.randrange(60 * 10**9, 2 * 10**12)
    found: dict[str, object] = {
        "memory": memory, "usable": int(memory * rng.uniform(0.9, 1)),
        "available": int(memory * rng.uniform(0.1, 0.85)),
        "ceiling": memory + rng.randrange(0, 64 * GIB), "slots": rng.randint(1, 8),
        "cores": rng.randint(1, 32), "threads": rng.randint(32, 64),
        "clock": rng.randrange(8 * 10**8, 4 * 10**9), "storage": drive,
        "storage_free": rng.randrange(10**9, drive), "processor_bits": 64, "os_bits": 64,
        "graphics_memory": rng.randrange(1 << 27, 1 << 33), "generation": rng.randint(1, 14),
        "line": rng.choice(["Osier Wand", "Hazelwick Tern"]),
        "security_module": rng.choice(["none", "1.2", "2.0"]),
        "firmware": rng.choice(["uefi", "bios"]),
        "shape": rng.choice(["desktop", "notebook", "server"]),
        "virtualization": rng.choice(["on", "able", "none"]),
        "instructions": rng.choice(["x86-64-v2", "SSE4.2 POPCNT AVX", "AVX2", "SSE2"]),
    }  # fmt: skip
    return {"name": f"m-{at}"} | {key: some(value) for key, value in found.items()}


def models_file(path: str) -> None:
    """What the text file's models take, so that modules of the parts list fit them."""
    with open(path, "w", encoding="utf-8") as file:
        file.write("maker,model,type,form,position_most\n")
        for maker in ("Larkmoor", "Tolland & Pike"):
            file.writelines(f"{maker},Bench {n},DDR4,SODIMM,16 GB\n" for n in range(1, 61))


def _save(path: str, columns: dict[str, np.ndarray]) -> None:
    import pandas as pd

    pd.DataFrame(columns).to_csv(path, index=False)


READ = "import pandas as pd, sys; pd.read_csv(sys.argv[1])"
FRAME = (
    "import pandas as pd, sys; f = pd.read_csv(sys.argv[1]); print(f.memory_usage(deep=True).sum())"
)
START = "import pandas"
OURS = "from tallcheck.cli import program; program()"


def timed(words: list[str]) -> tuple[float, int]:
    """Seconds and peak bytes of one run in a process of its own."""
    began = time.perf_counter()
    process = subprocess.Popen([sys.executable, *words], stdout=subprocess.DEVNULL)
    _, _, usage = os.wait4(process.pid, 0)
    return time.perf_counter() - began, usage.ru_maxrss * 1024


def compare(label: str, path: str, needs: str, more: list[str], target: float) -> None:
    """Print the ratio of ours to pandas alone, in time and in memory."""
    ours = ["-c", OURS, "fleet", path, needs, "--quiet", *more]
    pairs = [(timed(["-c", READ, path]), timed(ours)) for _ in range(3)]
    alone, own = min(one[0] for one, _ in pairs), min(other[0] for _, other in pairs)
    frame = int(subprocess.run([sys.executable, "-c", FRAME, path], capture_output=True,
                               text=True, check=True).stdout)  # fmt: skip
    empty = timed(["-c", START])[1]
    peak = min(other[1] for _, other in pairs) - empty
    print(f"{label:<28} pandas {alone:6.2f} s   fleet {own:6.2f} s   ratio {own / alone:5.2f} "
          f"(at most {target:g})   memory / frame {peak / frame:5.2f}")  # fmt: skip


def varied(folder: str, rows: int, parts: str) -> None:
    """Print what a row of a very varied list costs: plain, with the what-if table, with it all."""
    path = os.path.join(folder, "varied.csv")
    varied_file(path, rows)
    empty = timed(["-c", OURS, "--version"])[0]
    base = ["-c", OURS, "fleet", path, "merrow@10"]
    priced = ["--parts", parts, "--budget", "100000"]
    for price in ("machine=640", "storage=60", "processor=200", "graphics=100", "hour=60"):
        priced += ["--price", price]
    quiet, plain, what_if, all_of_it = (
        min(timed([*base, *more])[0] for _ in range(2)) - empty
        for more in (["--quiet"], [], ["--what-if"], priced)
    )
    print(f"{rows} very varied rows        {quiet / rows * 1e3:5.2f} ms a row (at most 0.4)   "
          f"all that is shown {plain / rows * 1e3:5.2f} ms   with what if, to that "
          f"{what_if / plain:5.2f} (at most 3)   with plans, prices and a budget "
          f"{all_of_it / rows * 1e3:5.2f} ms a row (at most 1)")  # fmt: skip


def unknown(folder: str, rows: int) -> None:
    """Print how long a dozen needs take of machines that differ in all, with much unknown."""
    path = os.path.join(folder, "open.csv")
    open_file(path, rows)
    took = timed(["-c", OURS, "fleet", path, os.path.join(folder, "open.needs.toml"), "--quiet"])[0]
    print(f"{rows} machines, a sixth unknown, a dozen needs   {took:5.1f} s (at most 15)")


def main() -> None:
    """Write the files, time, print."""
    with_bytecode()
    parser = argparse.ArgumentParser()
    parser.add_argument("--rows", type=int, default=1_000_000)
    rows = parser.parse_args().rows
    with tempfile.TemporaryDirectory() as folder:
        for name, last in (("numeric", NUMERIC), ("text", TEXT), ("open", DOZEN)):
            with open(os.path.join(folder, f"{name}.needs.toml"), "w", encoding="utf-8") as file:
                file.write(NEEDS.format(last=last))
        numeric, text = (os.path.join(folder, f"{name}.csv") for name in ("numeric", "text"))
        numeric_file(numeric, rows)
        text_file(text, rows)
        parts = os.path.join(os.path.dirname(DEMO), "parts", "garden.parts.csv")
        models = os.path.join(folder, "models.csv")
        models_file(models)
        compare("numbers, all different", numeric, os.path.join(folder, "numeric.needs.toml"),
                [], 2.5)  # fmt: skip
        compare("text, 3,000 make-ups", text, os.path.join(folder, "text.needs.toml"), [], 2.5)
        compare("text, with upgrade plans", text, os.path.join(folder, "text.needs.toml"),
                ["--parts", parts, "--models", models], 4)  # fmt: skip
        compare("numbers, with upgrade plans", numeric, os.path.join(folder, "numeric.needs.toml"),
                ["--parts", parts], 4)  # fmt: skip
        varied(folder, 8000, parts)
        unknown(folder, 20_000)
    print(f"peak of this process {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss >> 10} MB")


if __name__ == "__main__":
    main()
