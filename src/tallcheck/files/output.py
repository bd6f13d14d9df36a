"""Writing outputs: to a temporary file beside the target, then renamed, so nothing is half."""

import os
import re
from collections.abc import Iterator
from contextlib import contextmanager, suppress

from tallcheck.core.values.errors import InputError
from tallcheck.files.inputs import SHEET_MOST, was_read


class OutputError(InputError):
    """An output that cannot be written."""


def write(path: str, data: bytes | str) -> None:
    """Write ``data`` to ``path`` whole or not at all, never over an input. Raises OutputError.

    A symbolic link is followed.
    """
    content = data.encode() if isinstance(data, str) else data
    if was_read(path):
        raise OutputError("is an input of this command", "another file to write to", path)
    path = os.path.realpath(path) if os.path.islink(path) else path
    import tempfile  # costly to import, and only writing needs it

    folder = os.path.dirname(path) or "."
    if os.path.exists(path) and not os.path.isfile(path):
        _write_special(path, content)
        return
    temporary = ""
    try:
        with ended_in_order():
            try:
                handle, temporary = tempfile.mkstemp(prefix=".tallcheck-", dir=folder)
                with os.fdopen(handle, "wb") as file:
                    file.write(content)
                    file.flush()
                    os.fsync(file.fileno())
                os.chmod(temporary, _mode(path))
                os.replace(temporary, path)
            except BaseException:
                if temporary:
                    with suppress(OSError):
                        os.unlink(temporary)
                raise
    except OSError as error:
        reason = (error.strerror or "error").lower()
        raise OutputError(f"cannot be written: {reason}", where=path) from None


@contextmanager
def ended_in_order() -> Iterator[None]:
    """Whoever ends the program meanwhile ends it as an error does, so that nothing is left behind.

    Only the main thread may ask for that.
    """
    import signal
    import threading

    if threading.current_thread() is not threading.main_thread():
        yield
        return
    before = {}
    for name in ("SIGTERM", "SIGHUP"):
        number = getattr(signal, name, None)  # there is no SIGHUP on Windows
        if number is not None and signal.getsignal(number) is signal.SIG_DFL:
            before[number] = signal.signal(number, _end)
    try:
        yield
    finally:
        for number, kept in before.items():
            signal.signal(number, kept)


def _end(number: int, frame: object) -> None:
    raise SystemExit(128 + number)


def ensure_writable(paths: list[str]) -> None:
    """Raise OutputError, before any work, where a file cannot be written for want of its folder."""
    for path in paths:
        folder = os.path.dirname(path) or "."
        if not os.path.isdir(folder):
            raise OutputError("cannot be written: no such folder", where=path)
        if os.path.isdir(path):
            raise OutputError("cannot be written: is a folder", where=path)
        if not os.access(path if os.path.exists(path) else folder, os.W_OK):
            raise OutputError("cannot be written: permission denied", where=path)


def _write_special(path: str, content: bytes) -> None:
    """A device or a pipe cannot be renamed over: it is written to as it is."""
    try:
        with open(path, "wb") as file:
            file.write(content)
    except OSError as error:
        raise OutputError(f"cannot be written: {error.strerror}", where=path) from None


def _mode(path: str) -> int:
    """The mode the file has, or would be made with."""
    if os.path.exists(path):
        return os.stat(path).st_mode & 0o777
    mask = os.umask(0)
    os.umask(mask)
    return 0o666 & ~mask


READ = "a sheet that was read from a machine"
TOLD = "a sheet that somebody told"
NEEDS = "a needs sheet"
LOG = "a usage log"
ROWS = "the rows of a check"
FLEET = "the answers for many machines"
PAGE = "a page of answers"
OTHER = "something else"
"""What bears no mark: texts, pictures, spreadsheets, and all that this tool does not write."""

_JSON = re.compile(rb'"tallcheck"\s*:\s*"(\w+)/\d')
_GATHERED = re.compile(rb'"how"\s*:\s*"read"')
_NEEDS = re.compile(rb'(?m)^\s*tallcheck\s*=\s*"needs/')
_BEGINNING = 1 << 16  # bytes
_HEADS = (
    (LOG, (b"time", b"memory_total", b"memory_available")),
    (ROWS, (b"machine", b"strength", b"key", b"need", b"have", b"status")),
    (FLEET, (b"answer", b"limiting", b"target_memory")),
)  # fmt: skip
"""What stands in the first line of lists, whatever parts it."""


def json_kind(name: str) -> str:
    """The kind of a JSON file with ``"tallcheck": "NAME/1"``."""
    return f"the JSON of a {name}"


def ensure_own(path: str, kind: str, force: bool) -> None:
    """Raise OutputError where a file is there that holds another kind of thing, but by force."""
    if force or not os.path.isfile(path) or not os.path.getsize(path):
        return
    try:
        with open(path, "rb") as file:
            found = _kind(file.read(SHEET_MOST))
    except OSError as error:
        raise OutputError(f"cannot be read: {error.strerror}", where=path) from None
    if found != kind:
        raise OutputError(
            f"exists already, and holds {found}", "another file, or --force to overwrite it", path
        )


def _kind(data: bytes) -> str:
    beginning = data[:_BEGINNING]
    name = _JSON.search(beginning)
    if name is not None and name[1] == b"machine":
        return READ if _GATHERED.search(data) else TOLD
    if name is not None:
        return json_kind(name[1].decode())
    if b"Made by Tall Check." in data:
        return PAGE
    if _NEEDS.search(beginning):
        return NEEDS
    head = next((line for line in beginning.splitlines() if line[:1] != b"#"), b"")
    return next((kind for kind, words in _HEADS if all(word in head for word in words)), OTHER)
