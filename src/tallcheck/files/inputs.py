"""One way in: every input is looked at before it is read, and read within limits named here.

What is no plain file is refused at once; whatever a library raises or prints of a format that it
reads is one error in our words.
"""

import os
import stat
import sys
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from io import BytesIO
from typing import BinaryIO, cast

from tallcheck.core.values.errors import InputError

SHEET_MOST = 16 << 20
"""No sheet comes near this many bytes."""
COLUMNS_MOST = 4096
CELL_MOST = 1 << 16
"""Columns of a list, and bytes of one of its cells, at most."""

HEADER_WITHIN = 20
"""Lines within which a list's header stands; titles may stand above it."""
SPREADSHEETS = (".xlsx", ".ods")
"""The endings of spreadsheets that are read wherever a list is."""

_KINDS = (
    (stat.S_ISFIFO, "a pipe"), (stat.S_ISCHR, "a device"), (stat.S_ISBLK, "a device"),
    (stat.S_ISSOCK, "a socket"), (stat.S_ISDIR, "a folder"),
)  # fmt: skip


_READ: set[tuple[int, int]] = set()
"""The files that this process has read, by device and number."""


def was_read(path: str) -> bool:
    """Whether a file is one that this process has read: nothing is written over an input."""
    try:
        state = os.stat(path)
    except (OSError, ValueError):
        return False
    return (state.st_dev, state.st_ino) in _READ


def look_at(path: str) -> os.stat_result:
    """What a file is, before it is opened. Raises InputError for what is no file, and OSError."""
    try:
        state = os.stat(path)
    except ValueError:  # a path with a zero byte in it
        raise InputError("cannot be read: no such file", where=shown(path)) from None
    kind = next((name for test, name in _KINDS if test(state.st_mode)), None)
    if kind is not None:
        raise InputError(f"found {kind}", "a file", shown(path))
    _READ.add((state.st_dev, state.st_ino))
    return state


def read(path: str, most: int = SHEET_MOST) -> bytes:
    """The bytes of a file, or of standard input for ``-``. Raises InputError."""
    with opened(path, most) as (file, size):
        data = file.read(size + 1)  # as much as there is: what is asked for is set aside at once
    if len(data) > most:
        raise _too_large(most, path)
    return data


@contextmanager
def opened(path: str, most: int) -> Iterator[tuple[BinaryIO, int]]:
    """A file of so many bytes at most, or standard input for ``-``, and its size. InputError."""
    with ExitStack() as stack:
        try:
            if path == "-":
                if sys.stdin is None:
                    raise InputError("found no standard input", "one", shown(path))
                data = sys.stdin.buffer.read(most + 1)
                file, size = cast(BinaryIO, BytesIO(data)), len(data)
            else:
                size = look_at(path).st_size
                file = stack.enter_context(open(path, "rb"))
            if size > most:
                raise _too_large(most, path)
            yield file, size
        except OSError as error:
            reason = error.strerror or "error"
            raise InputError(
                f"cannot be read: {reason[:1].lower()}{reason[1:]}", where=shown(path)
            ) from None


def _too_large(most: int, path: str) -> InputError:
    return InputError(
        f"found more than {most >> 20} MiB", "a sheet, which is far smaller", shown(path)
    )


def delimiter_of(header: str) -> str:
    """What stands between the cells of a list, by its header."""
    return max(",;\t|", key=header.count)


_ARCHIVES = (b"\x1f\x8b", b"BZh", b"\xfd7zXZ\0", b"PK\3\4")


def is_archive(data: bytes) -> bool:
    """Whether bytes are an archive, as a capture comes in: a tar, packed or not, or a zip."""
    return data.startswith(_ARCHIVES) or data[257:262] == b"ustar"


def shown(path: str) -> str:
    """The name under which an input appears in messages."""
    return "standard input" if path == "-" else path


_REASON_MOST = 120


@contextmanager
def foreign(kind: str, where: str) -> Iterator[None]:
    """What a library raises meanwhile, panics of compiled code included, as an InputError."""
    try:
        with silenced(2):  # compiled code tells of its panics there
            yield
    except (KeyboardInterrupt, SystemExit, InputError):
        raise
    except BaseException as error:
        reason = str(error).partition("\n")[0][:_REASON_MOST] or type(error).__name__
        raise InputError(f"found no {kind}: {reason}", "one", where) from None


@contextmanager
def silenced(number: int) -> Iterator[None]:
    """Nothing that is written to an output, 1 or 2, gets there meanwhile."""
    try:
        kept = os.dup(number)
    except OSError:  # it is closed
        yield
        return
    try:
        with open(os.devnull, "wb") as nowhere:
            os.dup2(nowhere.fileno(), number)
            yield
    finally:
        os.dup2(kept, number)
        os.close(kept)


def ensure_cost(what: str, bytes_needed: int, size: int, where: str) -> None:
    """Raise InputError for a table that would cost more than 1 GB and a few times its file."""
    most = most_cost(size)
    if bytes_needed > most:
        raise InputError(
            f"found {what}, which would take {bytes_needed / (1 << 30):.1f} GB of memory",
            f"at most {most / (1 << 30):.1f} GB for a file of this size", where,
        )  # fmt: skip


_COST_MOST = 1 << 30
_TIMES = 4


def most_cost(size: int) -> int:
    """Bytes that a table may cost whose file has so many: 1 GB, or a few times the file."""
    return max(_COST_MOST, _TIMES * size)
