"""Reads a live system, or a captured tree of one, into a machine sheet."""

import datetime
import os
import re
import sys
from typing import TYPE_CHECKING

from tallcheck.core.machine.normalized import with_findings
from tallcheck.core.machine.sheet import CAPTURE_ENDINGS, Machine
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.values.errors import InputError
from tallcheck.gather.draft import Draft
from tallcheck.gather.listed import note_what_is_kept
from tallcheck.gather.source import Live, Source, capture_from, open_capture, read_text

if TYPE_CHECKING:
    from tallcheck.gather.sampler import Meter


def gather(source: Source, name: str, vocabulary: Vocabulary, serials: bool = False) -> Machine:
    """The machine sheet of a source; serial numbers only if asked for.

    Raises InputError where the source holds no system's files.
    """
    from tallcheck.gather.linux import is_linux, read_linux

    draft = Draft(name, _when(source), vocabulary)
    if is_linux(source):
        read_linux(source, draft, serials)
    else:
        _read_other(source, draft, serials)
    note_what_is_kept(draft)
    return with_findings(draft.machine, vocabulary)


def _read_other(source: Source, draft: Draft, serials: bool) -> None:
    from tallcheck.gather.freebsd import is_freebsd, read_freebsd
    from tallcheck.gather.macos import is_macos, read_macos
    from tallcheck.gather.windows import is_windows, read_windows

    if is_windows(source):
        read_windows(source, draft, serials)
    elif is_macos(source):
        read_macos(source, draft)
    elif is_freebsd(source):
        read_freebsd(source, draft, serials)
    elif isinstance(source, Live):
        raise InputError("found neither /proc/meminfo nor /proc/cpuinfo", "a mounted /proc")
    else:
        raise InputError(
            "found no system's files",
            "proc/meminfo or proc/cpuinfo, Win32_*.json, or sysctl.txt in a capture",
        )


def _when(source: Source) -> str | None:
    """When the readings were taken: now, or what a capture says."""
    if source.live:
        return _now()
    text = read_text(source, "gathered") or ""
    return text if re.fullmatch(r"\d{4}-\d\d-\d\dT\d\d:\d\d:\d\dZ", text) else None


def _now() -> str:
    return datetime.datetime.now(datetime.UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


def running_system() -> Source:
    """The system this runs on."""
    if sys.platform == "win32":
        from tallcheck.gather.win32_source import Win32

        return Win32()
    if sys.platform == "darwin":
        from tallcheck.gather.macos import ask_macos

        return ask_macos(_now())
    if sys.platform.startswith("freebsd"):
        from tallcheck.gather.freebsd import ask_freebsd

        return ask_freebsd(_now())
    return Live()


def host_name(source: Source) -> str | None:
    """The name of the machine this runs on, as its system tells it."""
    if sys.platform.startswith(("win32", "darwin", "freebsd")):
        import platform

        return platform.node()
    host = read_text(source, "proc/sys/kernel/hostname")
    return host if host and host != "(none)" else None


def running_meter(programs: int) -> "tuple[Meter, str]":
    """What reads memory and cores in use again and again, and the machine's name.

    ``programs`` is how many of those that hold most memory to note.
    """
    source = running_system()
    name = host_name(source) or "here"
    if sys.platform == "win32":
        from tallcheck.gather.meters import WindowsMeter

        return WindowsMeter(source.read, programs), name
    if sys.platform == "darwin":
        from tallcheck.gather.meters import MacMeter

        return MacMeter(programs=programs), name
    if sys.platform.startswith("freebsd"):
        from tallcheck.gather.meters import FreeBSDMeter

        return FreeBSDMeter(programs=programs), name
    from tallcheck.gather.sampler import LinuxMeter

    return LinuxMeter(source, programs), name


def gather_here(vocabulary: Vocabulary, name: str | None = None, serials: bool = False) -> Machine:
    """The machine sheet of the machine this runs on. Raises InputError."""
    source = running_system()
    return gather(source, name or host_name(source) or "here", vocabulary, serials)


def gather_from(
    path: str, vocabulary: Vocabulary, name: str | None = None, serials: bool = False
) -> Machine:
    """The machine sheet of a captured tree: a folder, a tar or a zip. Raises InputError.

    ``-`` is an archive from standard input.
    """
    source = open_capture(path)
    try:
        return gather(source, name or _stem(path), vocabulary, serials)
    except InputError as error:
        raise error.at(path) from None


def gather_archive(data: bytes, path: str, vocabulary: Vocabulary) -> Machine:
    """The machine sheet of a captured tree from an archive's bytes. Raises InputError."""
    try:
        return gather(capture_from(data), _stem(path), vocabulary=vocabulary)
    except InputError as error:
        raise error.at(path) from None


def _stem(path: str) -> str:
    """What a captured machine is called where no name is given: as its file or folder."""
    # a file's name may be of bytes that are no text
    stem = os.path.basename(os.path.normpath(path)).encode(errors="replace").decode()
    for ending in CAPTURE_ENDINGS:
        stem = stem.removesuffix(ending)
    return stem.strip("-") or "captured"
