"""Archives from anyone: one clear error, and memory that stays small, whatever is sent."""

import bz2
import gzip
import io
import lzma
import subprocess
import sys
import tarfile
import zipfile
from collections.abc import Callable
from pathlib import Path

import pytest

from tallcheck.core.values.errors import InputError
from tallcheck.gather.archives import from_tar, from_zip
from tests.helpers import COMMAND, linux_tree, tar_of

MIB = 1 << 20
MEMORY_MOST = 300 * MIB


def _header(name: str, size: int, kind: bytes = tarfile.REGTYPE) -> bytes:
    info = tarfile.TarInfo(name)
    info.size, info.type = size, kind
    return info.tobuf(tarfile.GNU_FORMAT)


def _zeros(pack: Callable[[bytes], bytes], head: bytes, mib: int) -> bytes:
    """A packed archive of a header and so many MiB of zeros, without holding them all at once."""
    return pack(head) + b"".join([pack(bytes(64 * MIB))] * (mib // 64))


def _zip(entries: list[tuple[str, bytes]], kind: int = zipfile.ZIP_DEFLATED) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", kind) as packed:
        for name, content in entries:
            packed.writestr(name, content)
    return out.getvalue()


def _lying_zip() -> bytes:
    """A member of 200 MiB that says it has 10 bytes."""
    data = bytearray(_zip([("a", bytes(200 * MIB))]))
    for size in range(len(data) - 4):
        if data[size : size + 4] == (200 * MIB).to_bytes(4, "little"):
            data[size : size + 4] = (10).to_bytes(4, "little")
    return bytes(data)


def _many(count: int) -> bytes:
    return b"".join(_header(f"f{at}", 0) for at in range(count)) + bytes(1024)


def _twice() -> bytes:
    return tar_of({"proc/meminfo": "MemTotal: 1 kB\n"})[:1024] + tar_of(linux_tree())


ARCHIVES: dict[str, Callable[[], bytes]] = {
    "gzip bomb": lambda: _zeros(gzip.compress, _header("a", 2 << 30), 2048),
    "bzip2 bomb": lambda: _zeros(bz2.compress, _header("a", 2 << 30), 2048),
    "xz bomb": lambda: _zeros(lzma.compress, _header("a", 2 << 30), 2048),
    "long name": lambda: _zeros(
        gzip.compress, _header("x", 1 << 30, tarfile.GNUTYPE_LONGNAME), 1024
    ),
    "extended header": lambda: _zeros(gzip.compress, _header("x", 1 << 30, tarfile.XHDTYPE), 1024),
    "skipped member": lambda: _zeros(gzip.compress, _header("x", 1 << 30, tarfile.DIRTYPE), 1024),
    "many members": lambda: gzip.compress(_many(80_000)),
    "zip bomb": lambda: _zip([(f"a{at}", bytes(30 * MIB)) for at in range(40)]),
    "lying zip": _lying_zip,
    "zip of lzma": lambda: _zip([("a", b"b")], zipfile.ZIP_LZMA),
    "zip with much in it": lambda: _zip([(f"d/f{at}", b"") for at in range(60_000)]),
    "dictionary": lambda: lzma.compress(
        b"a", filters=[{"id": lzma.FILTER_LZMA2, "dict_size": 1 << 30}]
    ),
    "a path twice": _twice,
    "a path twice in a zip": lambda: _zip([("a", b"1"), ("./a", b"2")]),
    "plain of 60 MiB": lambda: bytes(60 * MIB),
}  # fmt: skip


_WATCHED = (
    "import resource, subprocess, sys\n"
    "code = subprocess.run(sys.argv[1:], stdout=subprocess.PIPE).returncode\n"
    "print(code, resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss)"
)
"""Runs a command from a small process: a large one's memory would count as its child's."""


@pytest.mark.parametrize("name", ARCHIVES)
def test_memory_stays_small_and_the_error_is_one_line(tmp_path: Path, name: str) -> None:
    data = ARCHIVES[name]()
    (tmp_path / "a.tar").write_bytes(data)
    del data
    ran = subprocess.run(
        [sys.executable, "-c", _WATCHED, COMMAND, "gather", "--from", "a.tar"], cwd=tmp_path,
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    code, kilobytes = map(int, ran.stdout.split())
    assert code == 3, ran.stderr
    assert len(ran.stderr.splitlines()) == 1
    assert kilobytes * 1024 < MEMORY_MOST


@pytest.mark.parametrize("pack", [bytes, gzip.compress, bz2.compress, lzma.compress])
def test_every_packing_reads_the_same(pack: Callable[[bytes], bytes]) -> None:
    data = tar_of(linux_tree())
    found = from_tar(pack(data))
    assert found == from_tar(data)
    assert "proc/meminfo" in found
    assert from_zip(_zip(list(found.items()))) == found
    with pytest.raises(InputError):
        from_tar(pack(data)[: len(pack(data)) // 2])


def test_streams_one_after_the_other_are_one() -> None:
    data = tar_of(linux_tree())
    assert from_tar(gzip.compress(data[:5000]) + gzip.compress(data[5000:])) == from_tar(data)
