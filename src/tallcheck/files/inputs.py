"""Reading input files: within a size that such a file can have, with one clear error."""

import os
import sys

from tallcheck.core.values.errors import InputError

SHEET_MOST = 16 << 20
"""No sheet comes near this many bytes."""


def read(path: str, most: int = SHEET_MOST) -> bytes:
    """The bytes of a file, or of standard input for ``-``. Raises InputError."""
    try:
        if path == "-":
            data = sys.stdin.buffer.read(most + 1)
        else:
            with open(path, "rb") as file:
                data = b"" if os.fstat(file.fileno()).st_size > most else file.read(most + 1)
                if os.fstat(file.fileno()).st_size > most:
                    data = bytes(most + 1)
    except OSError as error:
        reason = error.strerror or "error"
        raise InputError(
            f"cannot be read: {reason[:1].lower()}{reason[1:]}", where=shown(path)
        ) from None
    if len(data) > most:
        raise InputError(
            f"found more than {most >> 20} MiB", "a sheet, which is far smaller", shown(path)
        )
    return data


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
    try:
        return utf8(data, path).decode()
    except UnicodeDecodeError as error:
        line = data[: error.start].count(b"\n") + 1
        raise InputError(
            f"found a byte that is not UTF-8 on line {line}", "UTF-8 text", shown(path)
        ) from None


def delimiter_of(header: str) -> str:
    """What stands between the cells of a list, by its header."""
    return max(",;\t", key=header.count)


def shown(path: str) -> str:
    """The name under which an input appears in messages."""
    return "standard input" if path == "-" else path
