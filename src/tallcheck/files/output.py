"""Writing outputs: to a temporary file beside the target, then renamed, so nothing is half."""

import os
from collections.abc import Iterator
from contextlib import contextmanager, suppress

from tallcheck.core.values.errors import InputError
from tallcheck.files.inputs import was_read


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


def hold_writable(paths: list[str]) -> None:
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
