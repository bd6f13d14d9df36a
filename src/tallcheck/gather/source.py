"""Where a decoder reads from: "the bytes at this path, or none", live or from a capture.

A capture is a folder or a tar. A tar is read in memory and never unpacked to disk.
"""

import os
import re
import sys
from typing import Protocol

from tallcheck.core.values.errors import InputError
from tallcheck.core.values.plain import whole_number

MANIFEST = "manifest"
_PIECE = 1 << 16

THERE, ABSENT, DENIED, NOT_LOOKED_FOR = "there", "absent", "denied", "not looked for"


class Source(Protocol):
    """What a gatherer reads; paths are from the root, without a leading slash."""

    live: bool

    def read(self, path: str) -> bytes | None:
        """The bytes at a path, or None."""

    def names(self, path: str) -> list[str]:
        """The names in a folder, sorted; none where there is no such folder."""

    def state(self, path: str) -> str:
        """``there``, ``absent``, ``denied``, or ``not looked for`` where nothing tells."""

    def volume(self, mount: str) -> tuple[int, int] | None:
        """Size and free bytes of the volume at a mount point, or None."""


def read_text(source: Source, path: str) -> str | None:
    """The text at a path without surrounding blanks, or None; odd bytes are replaced."""
    data = source.read(path)
    return None if data is None else data.decode("utf-8", "replace").strip()


def read_int(source: Source, path: str) -> int | None:
    """The whole number at a path, or None where there is none or no number."""
    return whole_number(read_text(source, path) or "")


class Live:
    """The machine this runs on."""

    live = True

    def read(self, path: str) -> bytes | None:
        if path in ("uname-m", "uname-r"):
            uname = os.uname()
            return (uname.machine if path == "uname-m" else uname.release).encode()
        try:
            with open("/" + path, "rb", buffering=0) as file:
                # in small pieces: the kernel refuses to answer very large reads
                pieces = list(iter(lambda: file.read(_PIECE), b""))
                return b"".join(pieces)
        except OSError:
            return None

    def names(self, path: str) -> list[str]:
        try:
            return sorted(os.listdir("/" + path))
        except OSError:
            return []

    def state(self, path: str) -> str:
        full = "/" + path
        if not os.path.exists(full):
            return ABSENT
        return THERE if os.access(full, os.R_OK) else DENIED

    def volume(self, mount: str) -> tuple[int, int] | None:
        try:
            stat = os.statvfs(mount)
        except OSError:
            return None
        return stat.f_frsize * stat.f_blocks, stat.f_frsize * stat.f_bavail


class Captured:
    """Files of another machine, by path; a manifest among them tells what was looked for."""

    live = False

    def __init__(self, files: dict[str, bytes]) -> None:
        self._files = files
        self._folders: dict[str, set[str]] = {}
        for path in files:
            while "/" in path:
                path, _, name = path.rpartition("/")
                self._folders.setdefault(path, set()).add(name)
            self._folders.setdefault("", set()).add(path)
        self._manifest = _parse_manifest(files.get(MANIFEST, b""))
        self._volumes = parse_df(files.get("df") or files.get("df.txt") or b"")

    def read(self, path: str) -> bytes | None:
        return self._files.get(path)

    def names(self, path: str) -> list[str]:
        return sorted(self._folders.get(path, ()))

    def state(self, path: str) -> str:
        if path in self._files or path in self._folders:
            return THERE
        if path in self._manifest:
            return self._manifest[path]
        while path := path.rpartition("/")[0]:
            above = self._manifest.get(path)
            if above in (ABSENT, DENIED):
                return above
        return NOT_LOOKED_FOR

    def volume(self, mount: str) -> tuple[int, int] | None:
        return self._volumes.get(mount)


def parse_df(data: bytes) -> dict[str, tuple[int, int]]:
    """Size and free bytes of each mount point, from ``df -P -k``."""
    volumes = {}
    for line in data.decode("utf-8", "replace").splitlines():
        match = re.fullmatch(r"\S.*?\s(\d{1,15})\s+\d{1,15}\s+(\d{1,15})\s+\S+\s+(/.*)", line)
        if match:
            volumes[match[3]] = (int(match[1]) * 1024, int(match[2]) * 1024)
    return volumes


def _parse_manifest(data: bytes) -> dict[str, str]:
    """A manifest's lines, ``there|absent|denied PATH``, by path; other lines are left out."""
    states = {}
    for line in data.decode("utf-8", "replace").splitlines():
        state, _, path = line.strip().partition(" ")
        if state in (THERE, ABSENT, DENIED) and path:
            states[path.strip("/")] = state
    return states


def open_capture(path: str) -> Captured:
    """A captured tree from a folder or a tar (plain or compressed). Raises InputError."""
    from tallcheck.gather.archives import ARCHIVE_MOST  # a live system needs none of it

    try:
        if os.path.isdir(path):
            return Captured(_without_wrapper(_from_folder(path)))
        if path == "-":
            data = sys.stdin.buffer.read(ARCHIVE_MOST + 1)
        elif not os.path.isfile(path) and os.path.exists(path):
            raise InputError("found a pipe or a device", "a folder or an archive")
        else:
            with open(path, "rb") as file:
                data = file.read(ARCHIVE_MOST + 1)
    except OSError as error:
        reason = error.strerror or "error"
        raise InputError(f"cannot be read: {reason[:1].lower()}{reason[1:]}", where=path) from None
    except InputError as error:
        raise error.at(path) from None
    try:
        return capture_from(data)
    except InputError as error:
        raise error.at(path) from None


def capture_from(data: bytes) -> Captured:
    """A captured tree from the bytes of a tar. Raises InputError."""
    from tallcheck.gather.archives import ARCHIVE_MOST, from_tar, from_zip

    if len(data) > ARCHIVE_MOST:
        raise InputError(f"found more than {ARCHIVE_MOST >> 20} MiB", "a capture, far smaller")
    files = from_zip(data) if data[:4] == b"PK\3\4" else from_tar(data)
    if not files:
        raise InputError("found no file", "a capture with files in it")
    return Captured(_without_wrapper(files))


def _without_wrapper(files: dict[str, bytes]) -> dict[str, bytes]:
    """The files without a single folder around all of them that is not part of the system."""
    tops = {path.partition("/")[0] for path in files}
    if len(tops) != 1 or any("/" not in path for path in files):
        return files
    top = tops.pop()
    if top in ("proc", "sys"):
        return files
    return {path.removeprefix(top + "/"): data for path, data in files.items()}


def _from_folder(folder: str) -> dict[str, bytes]:
    from tallcheck.gather.archives import Budget

    root = os.path.realpath(folder)
    budget = Budget()
    files: dict[str, bytes] = {}
    for here, _, names in os.walk(root):
        for name in names:
            full = os.path.join(here, name)
            inside = os.path.realpath(full).startswith(root + os.sep)
            if not inside or not os.path.isfile(full):
                continue  # a link that leads out of the capture is no part of it
            budget.begin(name)
            try:
                with open(full, "rb") as file:
                    data = budget.read(file, name)
            except OSError:
                continue  # a file that was denied here is as good as not captured
            files[os.path.relpath(full, root).replace(os.sep, "/")] = data
    if not files:
        raise InputError("found no file", "a capture with files in it")
    return files


def parse_cpu_list(text: str | None) -> list[int]:
    """The numbers in a list such as ``0-3,8``; what does not read as one is left out."""
    numbers: set[int] = set()
    for part in (text or "").split(","):
        low, dash, high = part.strip().partition("-")
        first = whole_number(low)
        last = whole_number(high) if dash else first
        if first is None or last is None or first < 0:
            continue
        if last - first < 65536 and len(numbers) < 65536:
            numbers.update(range(first, last + 1))
    return sorted(numbers)
