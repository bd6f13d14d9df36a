"""Archives of captures, unpacked in memory within a budget of what really comes out of them.

Archives come by mail from anyone: what counts is every byte that is unpacked, headers and long
names too, not what the archive says of itself. Memory stays under 300 MB whatever is sent.
"""

import bz2
import io
import lzma
import tarfile
import zipfile
import zlib
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any, Protocol

from tallcheck.core.values.errors import InputError

ARCHIVE_MOST = 48 << 20
"""Bytes of an archive as it is sent."""
MEMBER_MOST = 32 << 20
TOTAL_MOST = 64 << 20
COUNT_MOST = 50_000
_NAME_MOST = 4096
_PIECE = 1 << 16
_BLOCK = 512
_DICTIONARY_MOST = 80 << 20
"""Memory that unpacking xz may take; the largest preset takes 65 MiB."""


class _Readable(Protocol):
    def read(self, size: int, /) -> bytes: ...


class Budget:
    """Counts what is unpacked, and refuses an absurd member, number or total."""

    def __init__(self) -> None:
        self.total = 0
        self.count = 0

    def begin(self, name: str) -> None:
        """One more member. Raises InputError."""
        self.count += 1
        if self.count > COUNT_MOST:
            raise InputError(
                f"found more than {COUNT_MOST} files", "a capture, which has far fewer"
            )
        if len(name) > _NAME_MOST:
            raise InputError(f"found a name of {len(name)} characters", f"{_NAME_MOST} at most")

    def add(self, size: int) -> None:
        """More bytes that came out. Raises InputError."""
        self.total += size
        if self.total > TOTAL_MOST:
            raise InputError(
                f"found more than {TOTAL_MOST >> 20} MiB unpacked",
                "a capture of system files, which is far smaller",
            )

    def read(self, file: _Readable, name: str, counted: bool = False) -> bytes:
        """A member's bytes, ``counted`` where its reader counts itself. Raises InputError."""
        data = file.read(MEMBER_MOST + 1)
        if len(data) > MEMBER_MOST:
            raise InputError(
                "found a larger file", f"{MEMBER_MOST >> 20} MiB at most for each",
                name if len(name) < 200 else name[:200] + "…",
            )  # fmt: skip
        if not counted:
            self.add(len(data))
        return data


def _too_large(name: str) -> InputError:
    return InputError("found a larger file", f"{MEMBER_MOST >> 20} MiB at most", name[:200])


class _Counted(io.RawIOBase):
    """A stream as it comes out, each byte counted."""

    def __init__(self, take: Callable[[int], bytes], budget: Budget) -> None:
        self._take, self._budget = take, budget
        self.end = b""
        """The last block that came out."""

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: Any) -> int:
        piece = self._take(len(buffer))
        self._budget.add(len(piece))
        self.end = (self.end + piece)[-_BLOCK:]
        buffer[: len(piece)] = piece
        return len(piece)


class _Unpacking:
    """What comes out of a packed stream, piece by piece."""

    def __init__(self, data: bytes, make: Callable[[], Any]) -> None:
        self._data, self._at = data, 0
        self._make = make
        self._inner = make()

    def take(self, most: int) -> bytes:
        """Up to so many bytes, none at the end. Raises what the packages raise."""
        while True:
            if self._inner.eof:  # archives may be of several streams, one after the other
                rest = bytes(self._inner.unused_data).lstrip(b"\0")
                self._at -= len(rest)
                if self._at >= len(self._data):
                    return b""
                self._inner = self._make()
            given = b""
            if self._inner.needs_input:
                given = self._data[self._at : self._at + _PIECE]
                self._at += len(given)
                if not given:
                    raise EOFError("it breaks off")
            piece: bytes = self._inner.decompress(given, most)
            if piece:
                return piece


class _Gzip:
    """zlib with the interface that the other two have."""

    def __init__(self) -> None:
        self._inner = zlib.decompressobj(zlib.MAX_WBITS | 16)

    @property
    def eof(self) -> bool:
        return self._inner.eof

    @property
    def unused_data(self) -> bytes:
        return self._inner.unused_data

    @property
    def needs_input(self) -> bool:
        return not self._inner.unconsumed_tail

    def decompress(self, data: bytes, most: int) -> bytes:
        return self._inner.decompress(self._inner.unconsumed_tail + data, most)


def _stream(data: bytes) -> Callable[[int], bytes]:
    if data[:2] == b"\x1f\x8b":
        return _Unpacking(data, _Gzip).take
    if data[:3] == b"BZh":
        return _Unpacking(data, bz2.BZ2Decompressor).take
    if data[:6] == b"\xfd7zXZ\0":
        return _Unpacking(data, _xz).take
    return io.BytesIO(data).read


def _xz() -> lzma.LZMADecompressor:
    return lzma.LZMADecompressor(lzma.FORMAT_XZ, _DICTIONARY_MOST)


@contextmanager
def _whole(kind: str, expected: str) -> Iterator[None]:
    """What the packages raise for an archive that is none, as one clear error."""
    try:
        yield
    except InputError:
        raise
    except (
        tarfile.TarError, zipfile.BadZipFile, zlib.error, lzma.LZMAError, EOFError, OSError,
        ValueError, RuntimeError, MemoryError,
    ) as error:  # fmt: skip
        raise InputError(f"found no whole {kind}: {error}", expected) from None


def from_tar(data: bytes) -> dict[str, bytes]:
    """The files of a tar, plain or packed, by path. Raises InputError."""
    budget = Budget()
    files: dict[str, bytes] = {}
    with _whole("tar", "a folder, a .tar or a .tar.gz with system files"):
        counted = _Counted(_stream(data), budget)
        stream = io.BufferedReader(counted, _PIECE)
        with tarfile.open(fileobj=stream, mode="r|") as tar:
            for member in tar:
                tar.members = []  # type: ignore[attr-defined]  # it would hold every header
                _one(tar, member, budget, files)
        while stream.read(_PIECE):  # what stands behind the end counts, too
            pass
        if counted.end.strip(b"\0"):
            raise InputError("found its end too early", "a whole tar")
    return files


def _one(tar: Any, member: Any, budget: Budget, files: dict[str, bytes]) -> None:
    """Add one member. Raises InputError."""
    budget.begin(member.name)
    if not member.isreg() or member.issparse():
        return
    if member.size > MEMBER_MOST:
        raise _too_large(member.name)
    content = budget.read(tar.extractfile(member), member.name, True)
    if len(content) < member.size:
        raise InputError("found its end too early", "a whole tar", member.name[:200])
    _put(files, member.name, content)


def from_zip(data: bytes) -> dict[str, bytes]:
    """The files of a zip by path. Raises InputError."""
    budget = Budget()
    files: dict[str, bytes] = {}
    with _whole("zip", "a zip of a capture"), zipfile.ZipFile(io.BytesIO(data)) as archive:
        for info in archive.infolist():
            budget.begin(info.filename)
            if info.is_dir():
                continue
            if info.compress_type not in (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED):
                raise InputError("found an unusual kind of packing", "a plain zip",
                                 info.filename[:200])  # fmt: skip
            with archive.open(info) as file:
                _put(files, info.filename, budget.read(file, info.filename))
    return files


def _put(files: dict[str, bytes], name: str, content: bytes) -> None:
    """Add a file under its path. Raises InputError for one that leads out, or stands twice."""
    parts = [part for part in name.replace("\\", "/").split("/") if part not in ("", ".")]
    if ".." in parts:
        raise InputError(
            "found a path that leads out of the capture", "paths from its root", name[:200]
        )
    path = "/".join(parts)
    if path in files:
        raise InputError("found a path twice", "each file once", path[:200])
    if path:
        files[path] = content
