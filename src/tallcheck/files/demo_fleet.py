"""The garden's made-up inventory: about 240 machines, from a seed, with faults as real ones have.

Blank cells, sizes in MB with GB behind, a size without a unit, cores and threads swapped, a name
twice, a torn row, a row without a name, a word that is no shape.
"""

import csv
import io
import random
from typing import Any

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
