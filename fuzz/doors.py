"""Coverage-guided fuzzing of every door that takes what comes from outside: ``make fuzz``.

    python fuzz/doors.py DOOR [CORPUS] [-max_total_time=SECONDS]

A door may say InputError to anything, and nothing else. What once failed is kept under
``fuzz/corpus/DOOR`` and run by the tests, which need no fuzzer for that.
"""

import contextlib
import os
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

CORPUS = Path(__file__).parent / "corpus"
_SCRATCH = tempfile.TemporaryDirectory(prefix="tallcheck-fuzz-")
_KEYS = (
    "memory", "modules", "processor", "os", "storage", "clock", "instructions", "cores", "gpu",
    "shape", "bits", "virtual", "software", "display", "security_module", "generation",
)  # fmt: skip


def _file(data: bytes, ending: str) -> str:
    """A file with the data, for doors that take a path."""
    path = os.path.join(_SCRATCH.name, f"input{ending}")
    with open(path, "wb") as file:
        file.write(data)
    return path


def _machine_sheet(data: bytes) -> None:
    from tallcheck.core.decide.decision import decide
    from tallcheck.core.machine.known import known
    from tallcheck.files.sheets import machine_from, machine_json

    machine = machine_from(data, "sheet")
    decide(known(machine), [], (), (), None)
    machine_json(machine)


def _needs_sheet(data: bytes) -> None:
    from tallcheck.files.sheets import needs_from

    needs_from(data, "x.needs.toml")


def _told(data: bytes) -> None:
    from tallcheck.core.machine.said import parse_told
    from tallcheck.core.machine.sheet import Machine
    from tallcheck.core.machine.telling import tell_all

    key = _KEYS[data[0] % len(_KEYS)] if data else "memory"
    told = parse_told(f"{key}={data[1:].decode('utf-8', 'replace')}")
    tell_all(Machine("machine/1", "x"), told, "--have")


def _pasted(data: bytes) -> None:
    from tallcheck.core.machine.pasted import read_lines

    read_lines(data.decode("utf-8", "replace"))


def _page(data: bytes) -> None:
    from tallcheck.core.needs.page import read_page

    read_page(data.decode("utf-8", "replace"), len(data) % 2 == 0)


def _needed(data: bytes) -> None:
    from tallcheck.cli.inputs import needs_of

    needs_of(data.decode("utf-8", "replace"))


def _capture(data: bytes) -> None:
    from tallcheck.gather import gather
    from tallcheck.gather.source import capture_from

    gather(capture_from(data), "x")


def _linux(data: bytes) -> None:
    """Parts of one input as the files of a Linux tree."""
    from tallcheck.gather import gather
    from tallcheck.gather.source import Captured

    names = (
        "proc/meminfo", "proc/cpuinfo", "proc/mounts", "df", "etc/os-release", "proc/swaps",
        "sys/firmware/dmi/tables/DMI", "var/lib/dpkg/status", "proc/pressure/memory",
    )  # fmt: skip
    parts = data.split(b"\0\0\0\0")
    gather(Captured({"proc/meminfo": b"MemTotal: 8 kB\n"} | dict(zip(names, parts, strict=False))),
           "x")  # fmt: skip


def _smbios(data: bytes) -> None:
    from tallcheck.gather import gather
    from tallcheck.gather.source import Captured

    gather(Captured({"Win32_OperatingSystem.json": b"[]", "smbios.bin": data}), "x")


def _parts(data: bytes) -> None:
    from tallcheck.files.table import parts_list

    parts_list(_file(data, ".csv"))


def _models(data: bytes) -> None:
    from tallcheck.files.table import models_list

    models_list(_file(data, ".csv"))


def _fleet(data: bytes) -> None:
    from tallcheck.files.fleet_file import read_fleet

    read_fleet(_file(data, ".csv"), {}, True)


def _lines(data: bytes) -> None:
    from tallcheck.files.fleet_file import read_fleet

    read_fleet(_file(data, ".jsonl"), {}, True)


def _usage(data: bytes) -> None:
    from tallcheck.core.usage.finding import judge
    from tallcheck.files.usage_log import read_log

    judge(read_log(_file(data, ".csv"), {}), 0.8, 0.9)


DOORS: dict[str, Callable[[bytes], None]] = {
    "machine-sheet": _machine_sheet, "needs-sheet": _needs_sheet, "told": _told,
    "pasted": _pasted, "page": _page, "needed": _needed, "capture": _capture, "linux": _linux,
    "smbios": _smbios, "parts": _parts, "models": _models, "fleet": _fleet, "lines": _lines,
    "usage": _usage,
}  # fmt: skip


_DEMO = Path(__file__).parent.parent / "src" / "tallcheck" / "data" / "demo"
_SEED_MOST = 8192


def seeds(door: str) -> list[bytes]:
    """Sound inputs to begin from: the demo's files, and words that people say."""
    said = [b"8 GB (7.83 GB usable)", b"2x4GB DDR4", b"i5, 8th gen", b"256 GB SSD, 60 GB free",
            b"Win 10 Pro 22H2", b"8GB,4GB,-,*", b"x86-64-v2 -AVX2", b"1.6 GHz",
            b"not sure"]  # fmt: skip
    if door == "told":
        return [bytes([at]) + text for at in range(len(_KEYS)) for text in said]
    if door == "needed":
        return [b"memory=8GB", b"cores=2..8", b"os=Linux >= 5.10", b"generation=Osier Wand 5"]
    if door == "linux":
        tree = _DEMO / "captures" / "studio-02"
        names = ("proc/meminfo", "proc/cpuinfo", "proc/mounts", "df", "etc/os-release")
        parts = [(tree / one).read_bytes()[:2000] for one in names if (tree / one).exists()]
        return [b"\0\0\0\0".join(parts)]
    places = {
        "machine-sheet": "machines/*.json", "needs-sheet": "needs/*.toml", "page": "pages/*",
        "pasted": "pages/*", "parts": "parts/*.parts.csv", "models": "parts/*.models.csv",
    }  # fmt: skip
    found = [path.read_bytes()[:_SEED_MOST] for path in sorted(_DEMO.glob(places.get(door, "-")))]
    if door == "lines":
        found = [b'{"name": "a", "memory": "8 GB", "cores": 4}\n{"name": "b"}\n']
    if door == "fleet":
        found = [b'name,memory,modules,os\na,8 GB,"4GB,4GB",Merrow 9\nb,?,,\n']
    if door == "usage":
        head = b"# machine: a\ntime,memory_total,memory_available,cores_busy,core_count\n"
        rows = [
            b"2026-11-24T09:%02d:00Z,8000000000,%d,1.5,4\n" % (at, 10**9 + at) for at in range(40)
        ]
        found = [head + b"".join(rows)]
    return found


def through(door: str, data: bytes) -> None:
    """One input through a door; anything but InputError comes out."""
    from tallcheck.core.values.errors import InputError

    with contextlib.suppress(InputError):
        DOORS[door](data)


def main() -> None:
    """Fuzz one door until its time is over or something is found; without one name them all."""
    if len(sys.argv) < 2:
        print("\n".join(DOORS))
        return
    import atheris

    door = sys.argv.pop(1)
    with atheris.instrument_imports(include=["tallcheck"]), contextlib.suppress(Exception):
        DOORS[door](b"{}")  # which imports what the door needs
    with tempfile.TemporaryDirectory() as folder:
        for at, seed in enumerate(seeds(door)):
            (Path(folder) / f"seed-{at}").write_bytes(seed)
        _fuzz(atheris, door, folder)


def _fuzz(atheris: Any, door: str, folder: str) -> None:
    kept = [str(CORPUS / door)] if (CORPUS / door).is_dir() else []
    atheris.Setup([*sys.argv, folder, *kept], lambda data: through(door, data))
    atheris.Fuzz()


if __name__ == "__main__":
    main()
