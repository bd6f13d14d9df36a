"""Reads a live system, or a captured tree of one, into a machine sheet."""

import datetime

from tallcheck.core.derive import complete
from tallcheck.core.errors import InputError
from tallcheck.core.machine import Machine
from tallcheck.gather.draft import Draft
from tallcheck.gather.linux import is_linux, read_linux
from tallcheck.gather.source import Live, Source, open_capture, read_text


def _now() -> str:
    return datetime.datetime.now(datetime.UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


def gather(source: Source, name: str) -> Machine:
    """The machine sheet of a source. Raises InputError where it holds no system's files."""
    draft = Draft(name, _now() if source.live else None)
    if not is_linux(source):
        raise InputError("found no system's files", "proc/meminfo or proc/cpuinfo in a capture")
    read_linux(source, draft)
    return complete(draft.machine)


def gather_here(name: str | None = None) -> Machine:
    """The machine sheet of the machine this runs on."""
    source = Live()
    return gather(source, name or _host_name(source) or "here")


def gather_from(path: str, name: str | None = None) -> Machine:
    """The machine sheet of a captured tree: a folder or a tar. Raises InputError."""
    import os

    source = open_capture(path)
    stem = os.path.basename(os.path.normpath(path))
    for ending in (".tar.gz", ".tgz", ".tar.xz", ".tar.bz2", ".tar", ".zip"):
        stem = stem.removesuffix(ending)
    try:
        return gather(source, name or stem or "captured")
    except InputError as error:
        raise error.at(path) from None


def _host_name(source: Source) -> str | None:
    host = read_text(source, "proc/sys/kernel/hostname")
    return host if host and host != "(none)" else None
