"""Coverage-guided fuzzing of every door that takes what comes from outside: ``make fuzz``.

    python fuzz/doors.py DOOR [CORPUS] [-max_total_time=SECONDS]

A door may say InputError to anything, and nothing else. What once failed is kept under
``fuzz/corpus/DOOR`` and run by the tests, which need no fuzzer for that.
"""

import contextlib
import os
import random
import re
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


def _vocabulary() -> Any:
    from tallcheck.files.vocabulary import vocabulary

    return vocabulary()


def _machine_sheet(data: bytes) -> None:
    from tallcheck.core.decide.decision import decide
    from tallcheck.core.machine.normalized import normalized
    from tallcheck.files.sheets import machine_from, machine_json

    machine = machine_from(data, "sheet")
    decide(normalized(machine, _vocabulary()), [], (), (), None)
    machine_json(machine)


def _needs_sheet(data: bytes) -> None:
    from tallcheck.files.sheets import needs_from

    needs_from(data, "x.needs.toml", _vocabulary())


def _told(data: bytes) -> None:
    from tallcheck.core.machine.sheet import Machine
    from tallcheck.core.machine.telling import tell_all
    from tallcheck.core.text.said import parse_told

    key = _KEYS[data[0] % len(_KEYS)] if data else "memory"
    told = parse_told(f"{key}={data[1:].decode('utf-8', 'replace')}", _vocabulary())
    tell_all(Machine("machine/1", "x"), told, _vocabulary(), "--have")


def _pasted(data: bytes) -> None:
    from tallcheck.core.text.pasted import read_lines

    read_lines(data.decode("utf-8", "replace"), _vocabulary())


def _page(data: bytes) -> None:
    from tallcheck.core.text.page import read_page

    read_page(data.decode("utf-8", "replace"), len(data) % 2 == 0, _vocabulary())


def _needed(data: bytes) -> None:
    from tallcheck.cli.inputs import needs_of

    needs_of(data.decode("utf-8", "replace"))


def _capture(data: bytes) -> None:
    from tallcheck.gather import gather
    from tallcheck.gather.source import capture_from

    gather(capture_from(data), "x", vocabulary=_vocabulary())


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
           "x", vocabulary=_vocabulary())  # fmt: skip


def _smbios(data: bytes) -> None:
    from tallcheck.gather import gather
    from tallcheck.gather.source import Captured

    gather(
        Captured({"Win32_OperatingSystem.json": b"[]", "smbios.bin": data}),
        "x",
        vocabulary=_vocabulary(),
    )


def _parts(data: bytes) -> None:
    from tallcheck.files.table import parts_list

    parts_list(_file(data, ".csv"), _vocabulary())


def _models(data: bytes) -> None:
    from tallcheck.files.table import models_list

    models_list(_file(data, ".csv"), _vocabulary())


def _fleet(data: bytes) -> None:
    from tallcheck.files.fleet_file import read_fleet

    read_fleet(_file(data, ".csv"), {}, True, _vocabulary())


def _lines(data: bytes) -> None:
    from tallcheck.files.fleet_file import read_fleet

    read_fleet(_file(data, ".jsonl"), {}, True, _vocabulary())


def _usage(data: bytes) -> None:
    from tallcheck.core.usage.finding import judge
    from tallcheck.files.usage_log import read_log

    judge(read_log(_file(data, ".csv"), {}), 0.8, 0.9)


def _list(data: bytes, ending: str) -> None:
    from tallcheck.files.fleet_file import read_fleet

    read_fleet(_file(data, ending), {}, True, _vocabulary())


def _plan(data: bytes) -> None:
    from tallcheck.files.sheets import read_plan

    read_plan(_file(data, ".json"))


def _hosts(data: bytes) -> None:
    from argparse import Namespace

    from tallcheck.cli.hosts import hosts_of

    hosts_of(Namespace(ssh=None, hosts=_file(data, ".txt")))


def _settings(data: bytes) -> None:
    from tallcheck.files.config import settings

    folder = os.path.dirname(_file(data, ""))
    with open(os.path.join(folder, "config.toml"), "wb") as file:
        file.write(data)
    before = os.environ.get("TALLCHECK_CONFIG")
    os.environ["TALLCHECK_CONFIG"] = folder
    try:
        settings("needs_path", "parts", "currency", "prices", "hours", "tight", "full")
    finally:
        del os.environ["TALLCHECK_CONFIG"]
        if before is not None:
            os.environ["TALLCHECK_CONFIG"] = before


def _parts_sheet(data: bytes) -> None:
    from tallcheck.files.table import parts_list

    parts_list(_file(data, ".ods"), _vocabulary())


DOORS: dict[str, Callable[[bytes], None]] = {
    "machine-sheet": _machine_sheet, "needs-sheet": _needs_sheet, "told": _told,
    "pasted": _pasted, "page": _page, "needed": _needed, "capture": _capture, "linux": _linux,
    "smbios": _smbios, "parts": _parts, "models": _models, "fleet": _fleet, "lines": _lines,
    "usage": _usage, "workbook": lambda data: _list(data, ".xlsx"),
    "open-sheet": lambda data: _list(data, ".ods"), "parts-sheet": _parts_sheet,
    "parquet": lambda data: _list(data, ".parquet"), "plan": _plan, "hosts": _hosts,
    "settings": _settings,
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
    if door in ("workbook", "open-sheet", "parts-sheet", "parquet"):
        found = [_made(door)]
    if door == "plan":
        found = [
            b'{"tallcheck": "plan/1", "machine": "a", "total": 8589934592, "speed": 3200, '
            b'"remove": [{"slot": "A1", "size": 4294967296}], '
            b'"add": [{"slot": "A1", "size": 8589934592, "part": "LM-8"}]}'
        ]
    if door == "hosts":
        found = [b"potting-02\n# a remark\nadmin@map-room-03\n"]
    if door == "settings":
        found = [
            b'needs_path = ["needs"]\nparts = "a.csv"\ncurrency = "EUR"\ntight = 0.8\n'
            b"full = 0.9\n[prices]\nmachine = 640\n[hours]\nmemory = 0.5\n"
        ]
    return found


def _made(door: str) -> bytes:
    """A small list of machines in a packed format."""
    import io
    import zipfile

    out = io.BytesIO()
    rows = [["name", "memory", "part", "size"], ["a", "8 GB", "LM-8", "8 GB"]]
    if door == "parquet":
        import pyarrow as pa
        from pyarrow import parquet

        parquet.write_table(pa.table({"name": ["a", "b"], "memory": ["8 GB", None]}), out)
    elif door == "workbook":
        import xlsxwriter

        with xlsxwriter.Workbook(out, {"in_memory": True}) as book:
            sheet = book.add_worksheet()
            for at, row in enumerate(rows):
                sheet.write_row(at, 0, row)
    else:
        cells = "".join(
            "<table:table-row>" + "".join(
                f'<table:table-cell office:value-type="string"><text:p>{cell}</text:p>'
                "</table:table-cell>" for cell in row
            ) + "</table:table-row>" for row in rows
        )  # fmt: skip
        spaces = "".join(
            f' xmlns:{name}="urn:oasis:names:tc:opendocument:xmlns:{name}:1.0"'
            for name in ("office", "table", "text")
        )
        with zipfile.ZipFile(out, "w") as packed:
            packed.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
            packed.writestr("META-INF/manifest.xml", "<manifest/>")
            packed.writestr("content.xml", f"<office:document-content{spaces}><office:body>"
                            f'<office:spreadsheet><table:table table:name="a">{cells}'
                            "</table:table></office:spreadsheet></office:body>"
                            "</office:document-content>")  # fmt: skip
    return out.getvalue()


PIECES = (
    b"", b"\0", b"\xef\xbb\xbf", b"\xff", b'"', b"\n", b"-", b"9" * 25, b"[" * 40, b"{", b",", b":",
    b"\\ud800", b" " * 500, b"=", b"\x1b[0m", b"1e999", b"null", b"true", b"8 GB", b"\t", b"..",
    b"\r",
)  # fmt: skip
"""What structured mutations put in place of a part of an input."""
_PARTS = re.compile(rb'"[^"\n]*"|[\w.]+|[^\w\s]|\s+')


def mutated(data: bytes, most: int, number: int) -> bytes:
    """An input with some of its words, lines and values put elsewhere, doubled or replaced."""
    draw = random.Random(number)
    parts = _PARTS.findall(data) or [b""]
    for _ in range(draw.randint(1, 4)):
        at, other = draw.randrange(len(parts)), draw.randrange(len(parts))
        kind = draw.randrange(4)
        if kind == 0:
            parts[at] = draw.choice(PIECES)
        elif kind == 1:
            parts[at], parts[other] = parts[other], parts[at]
        elif kind == 2:
            parts[at] += parts[other]
        else:
            del parts[at : at + draw.randint(0, 6)]
            parts = parts or [b""]
    return b"".join(parts)[:most]


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
    packed = door in ("workbook", "open-sheet", "parts-sheet", "parquet", "capture", "smbios")

    def mutate(data: bytes, most: int, number: int) -> bytes:
        """Every other time by bytes; what is packed has no words to put elsewhere."""
        if packed or number % 2:
            return bytes(atheris.Mutate(data, most))
        return mutated(data, most, number)

    atheris.Setup([*sys.argv, folder, *kept], lambda data: through(door, data),
                  custom_mutator=mutate)  # fmt: skip
    atheris.Fuzz()


if __name__ == "__main__":
    main()
