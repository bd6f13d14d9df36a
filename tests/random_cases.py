"""Random machines and needs of all keys, for the properties of the decision."""

import random
from typing import Any

from tallcheck.core.decide.asked import Asked, Chosen, asked_at
from tallcheck.core.machine.sheet import Machine
from tallcheck.core.text.needs_sheet import from_table
from tests.helpers import GIB, VOCABULARY, machine

NEEDS: dict[str, list[Any]] = {
    "memory": ["4 GB", "6 GB", "8 GB", "16 GB", "<= 4 GB", "2 GB..8 GB", "= 8 GB"],
    "memory_own": ["512 MB", "1 GB", "3 GB"],
    "cores": [2, 4, 8, "<= 4", "= 4", "!= 4"],
    "threads": [4, 8, "<= 4"],
    "clock": ["1.5 GHz", "2.5 GHz", "<= 2 GHz"],
    "generation": [{"Osier Wand": 5}, {"Osier Wand": 6, "*": "none"},
                   {"Osier Wand": 4, "Hazelwick Tern": 5}],
    "processors": [["Osier Wand S5 *"], ["Elm 3", "Elm 4"]],
    "instructions": [["AVX2"], ["x86-64-v2"], ["SSE4.2"], ["AVX512F"]],
    "processor_bits": [64, 32, "= 32"],
    "architecture": ["x86-64", ["x86-64", "arm64"], "not arm64", "x86"],
    "virtualization": ["on", "able"],
    "os": [["Merrow >= 9"], ["Merrow", "Larchwood"], ["Larchwood >= 3"]],
    "os_bits": [64, 32, ">= 32"],
    "storage": ["64 GB", "128 GB", "500 GB"],
    "storage_free": ["4 GB", "20 GB"],
    "storage_data": ["50 GB", "100 GB"],
    "storage_kind": ["solid"],
    "security_module": ["2.0", "1.2"],
    "firmware": ["uefi", "bios"],
    "secure_boot": ["able", "on"],
    "graphics": [{"vulkan": "1.0"}, {"vulkan": "1.2"}],
    "graphics_memory": ["512 MB", "2 GB"],
    "display": ["1600x900"],
    "software": [["Fernfolio >= 3"], ["Gatepenny"]],
    "extra": [{"dongle": "green"}],
}  # fmt: skip


def random_machine(rng: random.Random) -> Machine:
    """A machine of which some readings are known, mostly such as go together."""

    def some(readings: dict[str, Any]) -> dict[str, Any]:
        return {key: value for key, value in readings.items() if rng.random() < 0.75}

    processor = _processor(rng, some)
    system = some({
        "shape": rng.choice(["desktop", "notebook", "server", "mini"]),
        "os": rng.choice(["Merrow", "Larchwood"]), "os_version": rng.choice(["6", "9", "10"]),
        "os_bits": 32 if processor.get("bits") == 32 else rng.choice([32, 64, 64]),
    })  # fmt: skip
    if rng.random() < 0.15:
        system["virtual"] = True
    sections: dict[str, Any] = {
        "memory": _memory(rng, some), "processor": processor, "system": system,
        "firmware": some({"mode": rng.choice(["uefi", "bios"]),
                          "secure_boot": rng.choice(["on", "able", "none"]),
                          "security_module": rng.choice(["2.0", "1.2", "none"])}),
        "storage": [{"system": True, **some({
            "size": rng.choice([60, 120]) * 10**9, "free": rng.choice([5, 30]) * 10**9,
            "drive": rng.choice([64, 256]) * 10**9, "kind": rng.choice(["solid", "spinning"]),
        })}],
        "graphics": [some({"memory": rng.choice([1, 4]) * GIB,
                           "api": {"vulkan": rng.choice(["1.1", "1.3"])}})
                     for _ in range(rng.choice([0, 1, 2]))],
        "display": rng.choice(["1366x768", "1920x1080"]),
        "software": [{"name": "Fernfolio", "version": rng.choice(["2", "3"])}],
        "extra": {"dongle": rng.choice(["green", "red"])},
    }  # fmt: skip
    kept = some(sections)
    if "instructions" in kept.get("processor", {}) and rng.random() < 0.4:
        kept["origins"] = {"processor.instructions": {"how": "read"}}
    return machine(**kept)


def _memory(rng: random.Random, some: Any) -> dict[str, Any]:
    memory = some({
        "installed": rng.choice([2, 4, 8, 16]) * GIB, "available": rng.choice([1, 2, 3]) * GIB // 2,
        "slots": rng.choice([1, 2, 4]), "ceiling": rng.choice([4, 8, 16, 32]) * GIB,
    })  # fmt: skip
    if "installed" in memory and rng.random() < 0.6:
        memory["usable"] = int(memory["installed"] * rng.choice([0.97, 0.9, 0.65, 0.5, 0.8]))
    elif rng.random() < 0.4:
        count = rng.choice([1, 2])
        memory.pop("installed", None)
        memory["modules"] = [
            {"size": rng.choice([2, 4, 8]) * GIB, "type": "DDR4", "fixed": rng.random() < 0.4}
            for _ in range(count)
        ]
        memory["slots"] = count + rng.choice([0, 1])
    return dict(memory)


def _processor(rng: random.Random, some: Any) -> dict[str, Any]:
    architecture = rng.choice(["x86-64", "x86-64", "x86-64", "arm64", "x86"])
    processor = some({
        "cores": rng.choice([2, 4, 8]), "clock": rng.choice([1, 2, 3]) * 10**9,
        "line": rng.choice(["Osier Wand", "Hazelwick Tern", "Elm"]),
        "generation": rng.choice([3, 5, 7]), "architecture": architecture,
        "bits": 32 if architecture == "x86" else 64, "clock_most": 3_500_000_000,
        "virtualization": rng.choice(["on", "able", "none"]),
        "name": rng.choice(["Osier Wand S5 214", "Elm 3"]),
        "instructions": rng.choice([["SSE4.2"], ["AVX2"], ["-AVX2"], ["SSE2"]]),
    })  # fmt: skip
    if "cores" in processor and rng.random() < 0.7:
        processor["threads"] = processor["cores"] * rng.choice([1, 2])
    return dict(processor)


def random_sheet(
    rng: random.Random,
    keys: list[str] | None = None,
    count: int = 1,
    title: str = "P",
    kind: str = "program",
) -> Chosen:
    """One release that asks for some keys, now and then by tables and under conditions."""

    def needs(names: list[str]) -> dict[str, Any]:
        return {key: rng.choice(NEEDS[key]) for key in names}

    minimum = needs(keys or rng.sample(list(NEEDS), count))
    if keys is None and rng.random() < 0.25:
        minimum["any"] = [needs(rng.sample(list(NEEDS), rng.choice([1, 2]))) for _ in range(2)]
    if keys is None and rng.random() < 0.2:
        when = rng.choice([{"system.shape": "notebook"}, {"cores": 4}, {"memory": ">= 8 GB"}])
        minimum["also"] = [{"when": when, **needs(rng.sample(list(NEEDS), 1))}]
    sheet = from_table(
        {"tallcheck": "needs/1", "title": title, "kind": kind, "minimum": minimum}, VOCABULARY
    )
    return Chosen(sheet, sheet.releases[0])


def random_matter(seed: int) -> tuple[Machine, list[Asked], tuple[Chosen, ...]]:
    """A machine and one or two sheets."""
    rng = random.Random(seed)
    there = random_machine(rng)
    sheets = [random_sheet(rng, count=rng.choice([1, 2, 3]))]
    if rng.random() < 0.3:
        kind = rng.choice(["program", "operating system"])
        sheets.append(random_sheet(rng, count=2, title="Q", kind=kind))
    return there, asked_at(tuple(sheets), "minimum") or [], tuple(sheets)
