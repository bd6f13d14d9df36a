"""How much more four times as much costs, for everything that takes a list, a log or a text.

A table of processor seconds at ``n`` and at ``4 n``, less what the command takes of next to
nothing, and their ratio: in proportion it is 4, and none should be above 4.6. Each command runs as
a process of its own and the least of two runs counts. ``growth.py WORD`` shows the cases whose
names have that word.
"""

import json
import os
import random
import subprocess
import sys
import tempfile
from collections.abc import Callable
from typing import Any

sys.path.insert(0, os.path.dirname(__file__))

from fleet import models_file, numeric_file, open_file, text_file, varied_file
from startup import COMMAND, DEMO, with_bytecode
from usage import write_log

GIB = 1 << 30
PARTS = os.path.join(os.path.dirname(DEMO), "parts", "garden.parts.csv")
MACHINE = os.path.join(DEMO, "potting-02.machine.json")
NEEDS = """tallcheck = "needs/1"
title = "Bed plan {n}"
kind = "program"
source = "https://example.org/bed-plan"
read_on = 2026-09-04
[minimum]
memory = "{memory} GB"
cores = {cores}
clock = "1.{n} GHz"
"""
LEAST, RATIO_MOST = 4, 4.6
Make = Callable[[str, int], list[str]]


def _write(folder: str, name: str, text: str) -> str:
    path = os.path.join(folder, name)
    with open(path, "w", encoding="utf-8") as file:
        file.write(text)
    return path


def _list(writer: Callable[[str, int], None], *more: str) -> Make:
    def make(folder: str, count: int) -> list[str]:
        path = os.path.join(folder, "list.csv")
        writer(path, count)
        return ["fleet", path, "merrow@10", *more]

    return make


def _sheet(at: int, rng: random.Random) -> dict[str, Any]:
    size = rng.choice([2, 4, 8])
    return {
        "tallcheck": "machine/1", "name": f"m-{at}",
        "memory": {"installed": size * GIB, "slots": 2, "ceiling": rng.choice([16, 32]) * GIB,
                   "modules": [{"slot": "A", "size": size * GIB, "type": "DDR4", "form": "SODIMM"},
                               {"slot": "B", "size": 0}]},
        "processor": {"bits": 64, "cores": rng.choice([2, 4]),
                      "clock": rng.randrange(10**9, 4 * 10**9)},
        "system": {"shape": "notebook", "os_bits": 64},
        "storage": [{"mount": "/", "size": 256 * 10**9, "free": rng.randrange(10**9, 10**11)}],
        "origins": {},
    }  # fmt: skip


def _sheets(folder: str, count: int) -> list[str]:
    rng = random.Random(4)
    for at in range(count):
        _write(folder, f"m-{at}.machine.json", json.dumps(_sheet(at, rng)))
    return ["fleet", folder, "merrow@10", "--parts", PARTS]


def _parts(folder: str, count: int) -> list[str]:
    lines = [f"P{at},{2 << at % 4} GB,DDR4,SODIMM,2666,{1000 + at}" for at in range(count)]
    path = _write(folder, "p.csv", "\n".join(["name,size,type,form,speed,price", *lines]) + "\n")
    return ["upgrade", MACHINE, "--to", "8GB", "--parts", path]


def _models(folder: str, count: int) -> list[str]:
    models = os.path.join(folder, "models.csv")
    models_file(models)
    rows = [f"Larkmoor,Shelf {at},DDR4,SODIMM,16 GB\n" for at in range(count)]
    with open(models, "a", encoding="utf-8") as file:
        file.writelines(rows)
    path = os.path.join(folder, "list.csv")
    text_file(path, 500)
    return ["fleet", path, "merrow@10", "--models", models]


def _log(folder: str, count: int) -> list[str]:
    path = os.path.join(folder, "log.csv")
    write_log(path, count)
    return ["usage", path]


def _pasted(folder: str, count: int) -> list[str]:
    lines = ["Memory: 8 GB", "CPU: Osier Wand S5 214 CPU @ 2.10GHz", "Notes: asked on Tuesday {n}",
             "Battery {n}: 43 %"]  # fmt: skip
    text = "".join(lines[at % 4].format(n=at) + "\n" for at in range(count))
    return ["describe", "x", "--text", _write(folder, "mail.txt", text)]


def _page(folder: str, count: int) -> list[str]:
    lines = ["Memory: 4 GB RAM or more", "Processor: {n} cores", "We like gardens, {n} of them."]
    text = "".join(lines[at % 3].format(n=1 + at % 8) + "\n" for at in range(count))
    path = _write(folder, "page.txt", text)
    return ["needs", "new", "Bed plan", "--text", path, "-o", os.path.join(folder, "o.needs.toml"),
            "--force"]  # fmt: skip


def _programs(folder: str, count: int) -> list[str]:
    sheet = _sheet(0, random.Random(1))
    sheet["software"] = [{"name": f"Bed plan {at}", "version": f"{at}.1"} for at in range(count)]
    path = _write(folder, "m.machine.json", json.dumps(sheet))
    return ["check", path, "--need", f"software=Bed plan {count // 2}"]


def _many_needs(folder: str, count: int) -> list[str]:
    return ["check", MACHINE, *(
        _write(folder, f"n{at}.needs.toml",
               NEEDS.format(n=at, memory=1 + at % 9, cores=1 + at % 6)) for at in range(count)
    )]  # fmt: skip


def _hosts(folder: str, count: int) -> list[str]:
    """Hosts none of which answers."""
    ssh = _write(folder, "ssh", "#!/bin/sh\nexit 255\n")
    os.chmod(ssh, 0o755)
    path = _write(folder, "hosts.txt", "".join(f"bed-{at}\n" for at in range(count)))
    return ["gather", "--hosts", path, "-o", os.path.join(folder, "machines")]


CASES: dict[str, tuple[Make, int]] = {
    "list, numbers all different": (_list(numeric_file, "--quiet"), 100_000),
    "list, numbers, with parts": (_list(numeric_file, "--quiet", "--parts", PARTS), 50_000),
    "list, 3,000 make-ups": (_list(text_file, "--quiet"), 200_000),
    "list, very varied": (_list(varied_file, "--quiet"), 1_000),
    "list, very varied, whole view": (_list(varied_file, "--what-if"), 1_000),
    "list, a sixth unknown": (_list(open_file, "--quiet"), 1_500),
    "folder of sheets, with parts": (_sheets, 300),
    "parts": (_parts, 2_000),
    "models": (_models, 20_000),
    "usage log": (_log, 200_000),
    "pasted text, lines": (_pasted, 1_000),
    "page, lines": (_page, 1_000),
    "programs of one machine": (_programs, 20_000),
    "needs sheets of one check": (_many_needs, 200),
    "hosts that do not answer": (_hosts, 100),
}


def seconds(words: list[str], folder: str) -> float:
    """Processor seconds of one run, children counted; ``ssh`` is the folder's own."""
    environment = os.environ | {"PATH": f"{folder}{os.pathsep}{os.environ['PATH']}"}
    process = subprocess.Popen([COMMAND, *words], stdout=subprocess.DEVNULL,
                               stderr=subprocess.PIPE, text=True, env=environment)  # fmt: skip
    assert process.stderr is not None
    said = process.stderr.read()
    _, status, used = os.wait4(process.pid, 0)
    if os.waitstatus_to_exitcode(status) in (1, 2):
        raise SystemExit(f"{' '.join(words[:4])}: {said}")
    return used.ru_utime + used.ru_stime


def costs(make: Make, count: int) -> float:
    """The lesser of two runs on so many, in seconds, each in a folder of its own."""
    found = []
    for _ in range(2):
        with tempfile.TemporaryDirectory() as folder:
            found.append(seconds(make(folder, count), folder))
    return min(found)


def main() -> None:
    """Print the table; those that grow too fast are marked."""
    with_bytecode()
    word = sys.argv[1] if len(sys.argv) > 1 else ""
    print(f"{'':<32}{'n':>9}{'s':>8}{'4 n, s':>9}{'ratio':>8}")
    for name, (make, count) in CASES.items():
        if word not in name:
            continue
        empty = costs(make, LEAST)
        one, four = (costs(make, times * count) - empty for times in (1, 4))
        ratio = four / one
        mark = "  too fast" if ratio > RATIO_MOST else ""
        print(f"{name:<32}{count:>9}{one:>8.2f}{four:>9.2f}{ratio:>8.2f}{mark}", flush=True)


if __name__ == "__main__":
    main()
