"""What the tests share: the built command, small machines, and small captured trees."""

import io
import json
import os
import subprocess
import sys
import tarfile
from contextlib import chdir, redirect_stderr, redirect_stdout
from typing import Any

import msgspec

from tallcheck.cli import FAULT, main
from tallcheck.core.decide.asked import Asked
from tallcheck.core.decide.decision import Verdict, decide
from tallcheck.core.machine.normalized import normalized
from tallcheck.core.machine.sheet import Machine
from tallcheck.core.needs.sheet import Need
from tallcheck.core.text.needs_written import parse_test
from tallcheck.files.sheets import machine_from_table
from tallcheck.files.vocabulary import vocabulary

GIB = 1 << 30
COMMAND = os.path.join(os.path.dirname(sys.executable), "tallcheck")
DEMO = os.path.join(os.path.dirname(__file__), "..", "src", "tallcheck", "data", "demo")
VOCABULARY = vocabulary()
DEMO_MACHINES = os.path.join(DEMO, "machines")


def run(
    *words: str, cwd: Any = None, stdin: bytes = b"", env: dict[str, str] | None = None,
    fault: bool = False,
) -> Any:  # fmt: skip
    """Run the built command; output as text. A fault of its own fails the test, unless expected."""
    found = subprocess.run(
        [COMMAND, *words], cwd=cwd, input=stdin, capture_output=True, timeout=120,
        env={**os.environ, **(env or {})}, check=False,
    )  # fmt: skip
    if found.returncode == FAULT and not fault:
        raise AssertionError(found.stderr.decode())
    return Ran(found.returncode, found.stdout.decode(), found.stderr.decode())


def call(*words: str, cwd: Any = None, stdin: bytes = b"") -> Any:
    """The same within this process, which is quicker: for what is run many times over."""
    out, err = (io.TextIOWrapper(io.BytesIO(), "utf-8", newline="") for _ in range(2))
    before = sys.stdin
    sys.stdin = io.TextIOWrapper(io.BytesIO(stdin), "utf-8")
    try:
        with redirect_stdout(out), redirect_stderr(err), chdir(cwd or "."):
            code = main(list(words))
    except SystemExit as end:  # argparse ends so
        code = int(end.code or 0)
    finally:
        sys.stdin = before
    texts = []
    for stream in (out, err):
        stream.seek(0)
        texts.append(stream.read())
    assert code != FAULT, texts[1]
    return Ran(code, *texts)


class Ran(msgspec.Struct):
    """Exit code and output of one run."""

    code: int
    out: str
    err: str

    def json(self) -> Any:
        """The output as JSON."""
        return json.loads(self.out)


def demo_machine(name: str) -> str:
    """The path of a demo machine sheet."""
    return os.path.join(DEMO_MACHINES, f"{name}.machine.json")


def machine(**sections: Any) -> Machine:
    """A machine sheet from its sections."""
    return machine_from_table({"tallcheck": "machine/1", "name": "bench", **sections})


def asked(**needs: Any) -> list[Asked]:
    """Needs as one sheet asks for them."""
    return [
        Asked(Need(key, parse_test(key, value, VOCABULARY)), "Merrow 10", "minimum")
        for key, value in needs.items()
    ]


def judge(sheet: Machine, **needs: Any) -> Verdict:
    """The verdict on a machine for some needs."""
    return decide(normalized(sheet, VOCABULARY), asked(**needs))


def tar_of(files: dict[str, bytes | str], prefix: str = "./", mode: str = "w") -> bytes:
    """A tar of files by path."""
    buffer = io.BytesIO()
    with tarfile.open(fileobj=buffer, mode=mode) as tar:  # type: ignore[call-overload]
        for path, content in files.items():
            data = content.encode() if isinstance(content, str) else content
            info = tarfile.TarInfo(prefix + path)
            info.size = len(data)
            tar.addfile(info, io.BytesIO(data))
    return buffer.getvalue()


X86_FLAGS = "fpu cx8 cmov mmx fxsr sse sse2 syscall lm cx16 lahf_lm pni ssse3 sse4_1 sse4_2 popcnt"


def linux_tree(
    cores: int = 2,
    each: int = 2,
    packages: int = 1,
    flags: str = X86_FLAGS,
    kib: int = 8131284,
    machine_word: str = "x86_64",
    off: int = 0,
    **files: str,
) -> dict[str, bytes | str]:
    """A small Linux tree: ``cores`` a package, ``each`` threads a core, ``off`` switched off."""
    count = cores * each * packages
    tree: dict[str, bytes | str] = {
        "proc/meminfo": f"MemTotal: {kib} kB\nMemAvailable: {kib // 2} kB\nSwapTotal: 0 kB\n"
        "SwapFree: 0 kB\n",
        "proc/sys/kernel/arch": machine_word,
        "etc/os-release": 'NAME="Merrow"\nVERSION_ID="9"\n',
        "sys/devices/system/cpu/online": f"0-{count - off - 1}\n",
        "sys/devices/system/cpu/present": f"0-{count - 1}\n",
    }  # fmt: skip
    blocks = []
    for cpu in range(count - off):
        core = cpu // each
        first = core * each
        folder = f"sys/devices/system/cpu/cpu{cpu}/topology"
        tree[f"{folder}/physical_package_id"] = str(core // cores)
        tree[f"{folder}/core_id"] = str(core % cores)
        tree[f"{folder}/thread_siblings_list"] = (
            f"{first}-{first + each - 1}" if each > 1 else str(first)
        )
        blocks.append(
            f"processor\t: {cpu}\nvendor_id\t: x\nmodel name\t: Osier Wand S5 214\n"
            f"cpu MHz\t\t: 800.0\nphysical id\t: {core // cores}\ncore id\t\t: {core % cores}\n"
            f"flags\t\t: {flags}\n"
        )
    tree["proc/cpuinfo"] = "\n".join(blocks)
    return tree | {path.replace("__", "/"): text for path, text in files.items()}


def structure(kind: int, handle: int, body: bytes, *strings: str) -> bytes:
    """One SMBIOS structure: the formatted area behind its header, then its strings."""
    texts = b"".join(text.encode() + b"\0" for text in strings) or b"\0"
    return bytes([kind, len(body) + 4]) + handle.to_bytes(2, "little") + body + texts + b"\0"


def module_structure(
    handle: int,
    size: int,
    locator: str = "DIMM A1",
    bank: str = "BANK 0",
    kind: int = 0x1A,
    form: int = 0x0D,
    speed: int = 3200,
    running: int = 0,
    total: int = 64,
    array: int = 0x10,
    length: int = 0x28,
    extended: int = 0,
    detail: int = 0x4080,
    maker: str = "Larkmoor",
) -> bytes:
    """Structure 17; ``size`` is the raw size field (MB, or KB with the high bit)."""

    def word(value: int, count: int = 2) -> bytes:
        return value.to_bytes(count, "little")

    body = (
        word(array) + word(0xFFFE) + word(total) + word(64) + word(size) + bytes([form, 0, 1, 2])
        + bytes([kind]) + word(detail) + word(speed) + bytes([3, 4, 0, 5, 1])
        + word(extended, 4) + word(running or speed) + bytes(6)
    )  # fmt: skip
    return structure(17, handle, body[: length - 4], locator, bank, maker, "SN-12345", "LM-8G")


def array_structure(slots: int, ceiling_kib: int, handle: int = 0x10, wide: int = 0) -> bytes:
    """Structure 16 of system memory on the board."""
    body = (
        bytes([3, 3, 3]) + ceiling_kib.to_bytes(4, "little") + b"\xfe\xff"
        + slots.to_bytes(2, "little") + wide.to_bytes(8, "little")
    )  # fmt: skip
    return structure(16, handle, body)


END = structure(127, 0x7F, b"")
BOARD = structure(0, 0, bytes([1, 2, 0, 0xE8, 3]) + bytes(11), "Larkmoor", "1.14", "03/11/2025")
CHASSIS = structure(3, 3, bytes([1, 0x0A, 0, 0, 0]), "Larkmoor")


def system_structure(maker: str = "Larkmoor", model: str = "Leaf 13") -> bytes:
    """Structure 1."""
    return structure(1, 1, bytes([1, 2, 0, 3]) + bytes(19), maker, model, "SERIAL-9")
