"""Installed packages from an rpm database in SQLite: the headers, without running rpm.

A header is a count of index entries, a count of data bytes, the entries (tag, type, offset, count;
four bytes each, big-endian) and the data (rpm's package format, "Header").
"""

import sqlite3
import struct

PATHS = ("usr/lib/sysimage/rpm/rpmdb.sqlite", "var/lib/rpm/rpmdb.sqlite")
OTHER_FORMATS = ("var/lib/rpm/Packages", "var/lib/rpm/Packages.db",
                 "usr/lib/sysimage/rpm/Packages.db")  # fmt: skip
"""Databases of older formats, which are not read."""
_NAME, _VERSION, _STRING = 1000, 1001, 6
_PACKAGES_MOST = 100_000


def packages(database: bytes) -> list[tuple[str, str]] | None:
    """Name and version of every package; None where the bytes are no such database."""
    connection = sqlite3.connect(":memory:")
    try:
        connection.deserialize(database)
        found = []
        for (blob,) in connection.execute(f"SELECT blob FROM Packages LIMIT {_PACKAGES_MOST}"):
            pair = _named(blob) if isinstance(blob, bytes) else None
            if pair is not None:
                found.append(pair)
        return found
    except (sqlite3.Error, MemoryError):
        return None
    finally:
        connection.close()


def _named(header: bytes) -> tuple[str, str] | None:
    if len(header) < 8:
        return None
    count, size = struct.unpack_from(">II", header)
    start = 8 + 16 * count
    if start + size > len(header):
        return None
    texts = {}
    for at in range(count):
        tag, kind, offset, _ = struct.unpack_from(">IIII", header, 8 + 16 * at)
        if tag in (_NAME, _VERSION) and kind == _STRING and offset < size:
            text = header[start + offset : start + size].partition(b"\0")[0]
            texts[tag] = text.decode("utf-8", "replace")
    if _NAME not in texts or _VERSION not in texts:
        return None
    return texts[_NAME], texts[_VERSION]
