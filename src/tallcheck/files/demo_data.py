"""The demo's made-up inventory and usage logs: from a seed, with faults as real ones have.

Blank cells, sizes in MB with GB behind, a size without a unit, cores and threads swapped, a name
twice, a torn row, a row without a name, a word that is no shape.
"""

import csv
import datetime
import io
import random
from collections.abc import Callable
from typing import Any

import numpy as np

from tallcheck.core.values.quantities import GIB, MIB
from tallcheck.files.usage_writer import COLUMNS

_SEED = 20261125
_PLACES = ("potting", "glasshouse", "herbarium", "map-room", "ticket-desk", "seedbank",
           "orchid-house", "nursery", "archive", "library", "kiosk", "workshop")  # fmt: skip
_HEAD = ("name", "maker", "model", "shape", "virtual", "processor", "cores", "threads", "clock",
         "processor_bits", "instructions", "memory", "modules", "storage", "storage_free",
         "security_module", "os", "os_version", "os_bits", "software", "room")  # fmt: skip


class _Kind:
    """What machines of one model are like in the garden."""

    def __init__(self, count: int, model: str, **values: Any) -> None:
        self.count, self.model, self.values = count, model, values


_SATCHEL = {"maker": "Tolland & Pike", "shape": "notebook", "security": "2.0"}
_BENCH = {"maker": "Larkmoor", "shape": "desktop", "security": "2.0"}
_KINDS = (
    _Kind(62, "Satchel 14", processor="Osier Wand S5 214", cores=4, clock="2.1 GHz",
          modules=("4GB,-", "4GB,-", "4GB,4GB", "8GB,-", "8GB,8GB"), drive=256, **_SATCHEL),
    _Kind(38, "Satchel 12", processor="Osier Wand S5 118", cores=4, clock="1.8 GHz",
          modules=("4GB,-", "2GB,2GB", "4GB,4GB"), drive=128, **_SATCHEL),
    _Kind(22, "Satchel 11", processor="Osier Wand S4 109", cores=4, clock="2.3 GHz",
          modules=("4GB,-", "4GB,4GB"), drive=128, **_SATCHEL),
    _Kind(40, "Bench 28", processor="Osier Wand S4 305", cores=4, clock="2.8 GHz",
          modules=("4GB,-", "8GB,-", "2GB,2GB"), drive=256, **_BENCH),
    _Kind(28, "Bench 30", processor="Osier Wand S6 410", cores=6, clock="2.9 GHz",
          modules=("8GB,8GB", "8GB,-"), drive=512, **_BENCH),
    _Kind(18, "Bench 14", processor="Hazelwick Tern 4-40", cores=2, clock="2.6 GHz",
          modules=("4GB,-", "2GB,2GB"), drive=128, bits=32, maker="Larkmoor", shape="desktop",
          security="none"),
    _Kind(12, "Bench 9", processor="Hazelwick Tern 3-22", cores=2, clock="2.4 GHz",
          modules=("2GB,-,2GB,-",), drive=64, bits=32, maker="Larkmoor", shape="tower",
          security="none"),
    _Kind(12, "Leaf 10", processor="Hazelwick Tern 1-12", cores=2, clock="1.3 GHz",
          modules=("2GB*",), drive=64, maker="Larkmoor", shape="notebook", security="1.2"),
    _Kind(6, "Trellis guest", processor="Osier Wand S6 732", cores=4, clock="2.4 GHz",
          modules=("",), drive=64, maker="Larkmoor", shape="", security="2.0", virtual="yes"),
)  # fmt: skip


_OFFICE = {
    "name": "Computer name", "maker": "Manufacturer", "model": "Model", "shape": "Type",
    "processor": "CPU", "cores": "Cores", "threads": "Logical processors", "clock": "Base speed",
    "memory": "RAM", "storage": "Disk", "storage_free": "Free", "security_module": "TPM",
    "os": "OS", "os_version": "Version", "room": "Room",
}  # fmt: skip
"""Headings that an office has over the same columns; the others stay as they are."""


def office_fleet() -> bytes:
    """The same inventory as an office keeps it: its own headings, semicolons."""
    rows = list(csv.reader(demo_fleet().decode().splitlines()[1:]))
    rows[0] = [_OFFICE.get(name, name.replace("_", " ")) for name in rows[0]]
    out = io.StringIO()
    csv.writer(out, delimiter=";", lineterminator="\n").writerows(rows)
    return out.getvalue().encode()


def demo_fleet() -> bytes:
    """The inventory as CSV."""
    rng = random.Random(_SEED)
    rows = [_machine(rng, kind) for kind in _KINDS for _ in range(kind.count)]
    rng.shuffle(rows)
    counts: dict[str, int] = {}
    for row in rows:
        place = rng.choice(_PLACES)
        counts[place] = counts.get(place, 0) + 1
        row["name"] = f"{place}-{counts[place]:02d}"
        row["room"] = f"{rng.choice('ABCD')}{rng.randint(1, 30)}"
    _leave_out(rng, rows)
    _spoil(rng, rows)
    out = io.StringIO()
    out.write("# Machines of Fernhollow Botanical Garden, made up, with faults as they happen.\n")
    writer = csv.DictWriter(out, _HEAD, lineterminator="\n")
    writer.writeheader()
    writer.writerows(rows)
    lines = out.getvalue().splitlines()
    lines.insert(141, "archive-99,Larkmoor,Bench 28,desk")
    lines.insert(183, "," + lines[60].partition(",")[2])
    return ("\n".join(lines) + "\n").encode()


def _machine(rng: random.Random, kind: _Kind) -> dict[str, Any]:
    values = kind.values
    modules = rng.choice(values["modules"])
    sizes = [int(part.rstrip("*")[:-2]) for part in modules.split(",") if part.strip("-")]
    old = values.get("bits") == 32
    version = "6" if old or (kind.model == "Leaf 10") else rng.choice(["9", "9", "9", "10"])
    software = ""
    if old and rng.random() < 0.25:
        software = "Mistwright 2"
    elif rng.random() < 0.2:
        software = rng.choice(["Gatepenny 3", "Plotmarrow 2", "Fernfolio 5"])
    return {
        "maker": values["maker"], "model": kind.model, "shape": values["shape"],
        "virtual": values.get("virtual", ""), "processor": values["processor"],
        "cores": values["cores"], "threads": values["cores"] * (1 if old else 2),
        "clock": values["clock"], "processor_bits": 64,
        "instructions": "SSE4.2 POPCNT" if rng.random() < 0.3 and kind.model != "Leaf 10" else "",
        "memory": f"{sum(sizes) or rng.choice([4, 8])} GB", "modules": modules,
        "storage": f"{values['drive']} GB",
        "storage_free": f"{rng.choice([12, 24, 31, 47, 58, 60])} GB",
        "security_module": values["security"], "os": "Merrow", "os_version": version,
        "os_bits": 32 if old or kind.model == "Leaf 10" else 64, "software": software,
    }  # fmt: skip


def _leave_out(rng: random.Random, rows: list[dict[str, Any]]) -> None:
    """Most readings of some machines, and a cell here and there."""
    for row in rng.sample(rows, 26):
        for key in rng.sample(
            ["processor", "cores", "threads", "clock", "modules", "storage", "storage_free",
             "instructions", "security_module", "os_bits", "processor_bits", "shape"], 9,
        ):  # fmt: skip
            row[key] = ""
    for row in rng.sample(rows, 40):
        row[rng.choice(["clock", "storage_free", "modules", "cores", "memory"])] = ""


def _spoil(rng: random.Random, rows: list[dict[str, Any]]) -> None:
    """What people get wrong when they type an inventory."""
    whole = [row for row in rows if row["memory"] and row["cores"] and row["threads"]]
    picked = rng.sample(whole, 14)
    for row in picked[:4]:
        row["memory"] = f"{int(row['memory'].split()[0]) * 1024} GB"
    for row in picked[4:8]:
        row["memory"] = row["memory"].split()[0]
    for row in picked[8:12]:
        row["cores"], row["threads"] = int(row["cores"]) * 2, row["cores"]
    picked[12]["name"] = picked[13]["name"]
    rng.choice(whole)["shape"] = "trolley"


_START = datetime.datetime(2026, 11, 2, tzinfo=datetime.timezone(datetime.timedelta(hours=1)))
_MACHINE = "potting-02"
_TOTAL = int(3.74 * GIB)

Arrays = dict[str, Any]


def _day_shape(hours: Any) -> Any:
    """How much the machine is worked at: 0 at night, 1 from nine to five, less at noon."""
    morning = np.clip((hours - 8.5) * 2, 0, 1)
    evening = np.clip((17.25 - hours) * 2, 0, 1)
    noon = 1 - 0.4 * np.exp(-(((hours - 12.5) / 0.4) ** 2))
    return morning * evening * noon


def _wander(random: Any, count: int, size: float) -> Any:
    """A slow wander around zero: neighbours are alike, as real samples are."""
    noise = random.normal(0, 1, count)
    kernel = np.exp(-np.arange(200) / 40)
    return size * np.convolve(noise, kernel / np.sqrt((kernel**2).sum()), mode="full")[:count]


def _base(seed: int, seconds: float, step: float, busy: float = 1.2) -> tuple[Any, Arrays, Any]:
    random = np.random.default_rng(seed)
    time = np.arange(0, seconds, step)
    work = _day_shape(time / 3600 % 24)
    cores = np.clip(0.03 + work * (busy + _wander(random, len(time), 0.35)), 0.01, 3.9)
    arrays: Arrays = {
        "swap_used": np.zeros(len(time)),
        "swapped_in": np.zeros(len(time)),
        "swapped_out": np.zeros(len(time)),
        "memory_stall": np.zeros(len(time)),
        "cores_busy": cores,
        "busiest_core": np.clip(cores * 0.6, 0, 1),
    }
    return time, arrays, random


def _ordinary(seed: int) -> tuple[Any, Arrays, float]:
    time, arrays, random = _base(seed, 86400, 30)
    work = _day_shape(time / 3600 % 24)
    arrays["share"] = 0.28 + 0.28 * work + _wander(random, len(time), 0.03)
    return time, arrays, 30


def _short(seed: int) -> tuple[Any, Arrays, float]:
    time, arrays, random = _base(seed, 86400, 30)
    work = _day_shape(time / 3600 % 24)
    arrays["share"] = 0.3 + 0.63 * np.sqrt(work) + _wander(random, len(time), 0.02)
    arrays["memory_stall"] = 0.03 * work * random.random(len(time))
    return time, arrays, 30


def _spike(seed: int) -> tuple[Any, Arrays, float]:
    time, arrays, step = _ordinary(seed)
    noon = (time > 12 * 3600) & (time < 12 * 3600 + 300)
    arrays["share"] = np.where(noon, 0.95, arrays["share"])
    return time, arrays, step


def _swapping(seed: int) -> tuple[Any, Arrays, float]:
    time, arrays, step = _short(seed)
    random = np.random.default_rng(seed + 1)
    tight = arrays["share"] > 0.84
    arrays["swap_used"] = np.where(tight, 900 * MIB, 60 * MIB) + 40 * MIB * random.random(len(time))
    arrays["swapped_in"] = np.where(tight, 60 * MIB * random.random(len(time)), 0)
    arrays["swapped_out"] = np.where(tight, 50 * MIB * random.random(len(time)), 0)
    arrays["memory_stall"] = np.where(tight, 0.02 + 0.15 * random.random(len(time)), 0)
    return time, arrays, step


def _upgraded(seed: int) -> tuple[Any, Arrays, float]:
    # the days of the swapping log again, with twice the memory
    time, arrays, step = _short(seed)
    wanted = 1.15 * arrays["share"]  # what had been in swap space, too
    arrays |= {"share": wanted / 2, "total": np.full(len(time), 2 * _TOTAL)}
    arrays["memory_stall"] = np.zeros(len(time))
    return time, arrays, step


def _cached(seed: int) -> tuple[Any, Arrays, float]:
    # almost nothing is free, but the cache is given back on demand: available tells
    time, arrays, random = _base(seed, 86400, 30)
    arrays["share"] = 0.33 + 0.1 * _day_shape(time / 3600 % 24) + _wander(random, len(time), 0.01)
    return time, arrays, 30


def _growing(seed: int) -> tuple[Any, Arrays, float]:
    time, arrays, random = _base(seed, 8 * 7 * 86400, 300)
    days = time / 86400
    work = _day_shape(time / 3600 % 24) * (days % 7 < 5)
    arrays["cores_busy"] = np.clip(0.03 + 1.1 * work + _wander(random, len(time), 0.1), 0.01, 3.9)
    arrays["share"] = 0.25 + 0.008 * days + 0.2 * work + _wander(random, len(time), 0.015)
    return time, arrays, 300


def _brief(seed: int) -> tuple[Any, Arrays, float]:
    time, arrays, random = _base(seed, 600, 5)
    arrays["share"] = 0.55 + _wander(random, len(time), 0.02)
    arrays["cores_busy"] = 0.8 + _wander(random, len(time), 0.1)
    return time + 9.5 * 3600, arrays, 5


LOGS: dict[str, tuple[Callable[[int], tuple[Any, Arrays, float]], str]] = {
    "ordinary-day": (_ordinary, "ample"),
    "short-nine-to-five": (_short, "short"),
    "spike-at-noon": (_spike, "ample"),
    "swapping": (_swapping, "short"),
    "after-the-upgrade": (_upgraded, "ample"),
    "full-cache": (_cached, "ample"),
    "eight-weeks-growth": (_growing, "near"),
    "ten-minutes": (_brief, "too brief"),
}
"""Name, how it is drawn, and the finding that it must give."""


def demo_log(name: str) -> bytes:
    """One demo log as CSV."""
    make, _ = LOGS[name]
    time, arrays, _ = make(20261102 + len(name))
    share = np.clip(arrays["share"], 0.05, 0.98)
    total = arrays.get("total", np.full(len(share), _TOTAL))
    available = (total * (1 - share)).astype(np.int64)
    out = io.StringIO()
    out.write(f"# machine: {_MACHINE}; made up\n{','.join(COLUMNS)}\n")
    start = _START.timestamp()
    for at, left in enumerate(available):
        moment = datetime.datetime.fromtimestamp(start + float(time[at]), _START.tzinfo)
        cells = [moment.isoformat(timespec="seconds"), str(int(total[at])), str(left), str(4 * GIB)]
        cells += [str(int(arrays[key][at])) for key in ("swap_used", "swapped_in", "swapped_out")]
        cells += [
            f"{arrays[key][at]:.4f}" for key in ("memory_stall", "cores_busy", "busiest_core")
        ]
        out.write(",".join([*cells, "4"]) + "\n")
    return out.getvalue().encode()
