"""One way in: every input is looked at before it is read, and read within limits named here.

What is no plain file is refused at once, and what the packages raise comes out as one clear error.
"""

import os
import stat
import sys
from typing import Any

import msgspec

from tallcheck.core.values.errors import InputError

SHEET_MOST = 16 << 20
"""No sheet comes near this many bytes."""
COLUMNS_MOST = 4096
CELL_MOST = 1 << 16
"""Columns of a list, and bytes of one of its cells, at most."""

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
    state = os.stat(path)
    kind = next((name for test, name in _KINDS if test(state.st_mode)), None)
    if kind is not None:
        raise InputError(f"found {kind}", "a file", shown(path))
    _READ.add((state.st_dev, state.st_ino))
    return state


def read(path: str, most: int = SHEET_MOST) -> bytes:
    """The bytes of a file, or of standard input for ``-``. Raises InputError."""
    try:
        if path == "-":
            if sys.stdin is None:
                raise InputError("found no standard input", "one", shown(path))
            data = sys.stdin.buffer.read(most + 1)
        else:
            state = look_at(path)
            if state.st_size > most:
                raise _too_large(most, path)
            with open(path, "rb") as file:
                # as much as there is: what is asked for is set aside at once
                data = file.read(state.st_size + 1)
    except OSError as error:
        reason = error.strerror or "error"
        raise InputError(
            f"cannot be read: {reason[:1].lower()}{reason[1:]}", where=shown(path)
        ) from None
    except InputError:
        raise
    except ValueError:  # a path with a zero byte in it
        raise InputError("cannot be read: no such file", where=shown(path)) from None
    if len(data) > most:
        raise _too_large(most, path)
    return data


def _too_large(most: int, path: str) -> InputError:
    return InputError(
        f"found more than {most >> 20} MiB", "a sheet, which is far smaller", shown(path)
    )


_WIDE_MARKS = (b"\xff\xfe", b"\xfe\xff")


def utf8(data: bytes, path: str) -> bytes:
    """The bytes as UTF-8 without a mark, from that or from UTF-16 with one. Raises InputError."""
    if not data.startswith(_WIDE_MARKS):
        return data.removeprefix(b"\xef\xbb\xbf")
    try:
        return data.decode("utf-16").encode()
    except UnicodeDecodeError:
        raise InputError("found UTF-16 that breaks off", "whole text", shown(path)) from None


def text(data: bytes, path: str) -> str:
    """The bytes as text, from UTF-8, or UTF-16 with its mark. Raises InputError."""
    if len(data) > 3 and not data.startswith(_WIDE_MARKS) and 0 in (data[0], data[1]):
        raise InputError(
            "found what looks like UTF-16 without its mark", "UTF-8, or UTF-16 with a mark",
            shown(path),
        )  # fmt: skip
    try:
        return utf8(data, path).decode()
    except UnicodeDecodeError as error:
        line = data[: error.start].count(b"\n") + 1
        raise InputError(
            f"found a byte that is not UTF-8 on line {line}; it looks like {_looks_like(data)}",
            "UTF-8 text", shown(path),
        ) from None  # fmt: skip


def _looks_like(data: bytes) -> str:
    """What bytes that are not UTF-8 may be."""
    odd = [byte for byte in data[:4096] if byte < 9 or 13 < byte < 32]
    return "no text at all" if len(odd) > len(data[:4096]) // 50 else "a Windows code page"


def json_of(data: bytes, path: str, expected: str) -> Any:
    """Decoded JSON, in which no object has a key twice. Raises InputError."""
    content = text(data, path)
    try:
        found = msgspec.json.decode(content)
        if msgspec.json.format(content, indent=-1).encode() == msgspec.json.encode(found):
            return found  # nothing was lost, so no key is there twice
    except (msgspec.DecodeError, RecursionError):
        pass  # the reader below says what is wrong, and on which line
    return _strict_json(content, path, expected)


def _strict_json(content: str, path: str, expected: str) -> Any:
    import json  # slower to import, and to read

    try:
        return json.loads(content, object_pairs_hook=_once, parse_constant=_no_constant)
    except json.JSONDecodeError as error:
        reason = f"{error.msg[:1].lower()}{error.msg[1:]} on line {error.lineno}"
        raise InputError(f"found no JSON: {reason}", expected, shown(path)) from None
    except RecursionError:
        raise InputError("found JSON nested too deeply", expected, shown(path)) from None
    except InputError as error:
        raise error if error.where else error.at(shown(path)) from None
    except ValueError:
        raise InputError("found a number with far too many digits", expected, shown(path)) from None


def _once(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found = dict(pairs)
    if len(found) < len(pairs):
        names = [name for name, _ in pairs]
        twice = next(name for at, name in enumerate(names) if name in names[:at])
        raise InputError(f"found the key '{twice}' twice in one object", "each key once")
    return found


def _no_constant(word: str) -> Any:
    raise InputError(f"found {word}", "a number")


def toml_of(data: bytes, path: str, expected: str) -> dict[str, Any]:
    """Decoded TOML. Raises InputError."""
    import tomli  # the standard library's own parser, compiled

    content = text(data, path)
    try:
        return tomli.loads(content)
    except tomli.TOMLDecodeError as error:
        raise InputError(f"found no TOML: {error}", expected, shown(path)) from None
    except RecursionError:
        raise InputError("found TOML nested too deeply", expected, shown(path)) from None
    except ValueError:
        raise InputError("found a number with far too many digits", expected, shown(path)) from None


def delimiter_of(header: str) -> str:
    """What stands between the cells of a list, by its header."""
    return max(",;\t", key=header.count)


_ARCHIVES = (b"\x1f\x8b", b"BZh", b"\xfd7zXZ\0", b"PK\3\4")


def is_archive(data: bytes) -> bool:
    """Whether bytes are an archive, as a capture comes in: a tar, packed or not, or a zip."""
    return data.startswith(_ARCHIVES) or data[257:262] == b"ustar"


def shown(path: str) -> str:
    """The name under which an input appears in messages."""
    return "standard input" if path == "-" else path
