"""Captures of other machines through the system's own ssh: its configuration, keys, known hosts.

The kit goes to the host's standard input and a capture comes back; nothing is left there, and no
password is handled.
"""

import base64
import binascii
import os
import signal
import subprocess
import tempfile
import threading
import time
from contextlib import suppress
from typing import IO

from tallcheck.core.values.errors import InputError
from tallcheck.core.values.text import printable
from tallcheck.gather.archives import ARCHIVE_MOST

_SSH = ("ssh", "-T", "-o", "BatchMode=yes", "-o", "ConnectTimeout=10")
_BOOTSTRAP = "& ([ScriptBlock]::Create([Console]::In.ReadToEnd())) '-'"
"""What PowerShell is told to do: all that comes in is one script, which writes to its output."""
INTERRUPTED = "interrupted before it answered"
_MESSAGE_MOST = 8192
_TAR_END = bytes(1024)


def capture_of(
    host: str, script: bytes, system: str, seconds: float, ended: threading.Event
) -> bytes:
    """The archive that a host's kit makes of it. Raises InputError with the reason.

    ``system`` is ``windows`` where the host's shell is PowerShell or starts it. It is given up
    after some seconds, and as soon as ``ended`` is set.
    """
    with tempfile.TemporaryFile() as told, tempfile.TemporaryFile() as said:
        told.write(script)
        told.seek(0)
        try:
            process = subprocess.Popen(
                [*_SSH, "--", host, _command(system)], stdin=told, stdout=subprocess.PIPE,
                stderr=said, start_new_session=True,
            )  # fmt: skip
        except FileNotFoundError:
            raise InputError("found no program 'ssh'", "the system's OpenSSH client") from None
        answer = _Answer(process)
        try:
            data = answer.wait(seconds, ended)
        finally:
            _end(process)
        code = process.wait()
        if data is None:
            raise InputError(
                INTERRUPTED if ended.is_set() else f"gave no capture within {seconds:g} s"
            )
        if len(data) > ARCHIVE_MOST:
            raise InputError(
                f"sent more than {ARCHIVE_MOST >> 20} MiB", "a capture, which is smaller"
            )
        if code:
            raise InputError(_reason(said) or f"ended with exit code {code}")
        return _unpacked(data, system)


_LOOK = 0.1
"""Seconds after which it is looked anew whether somebody ended it."""


class _Answer:
    """What a process writes, read beside: another one may keep the pipe open after its end."""

    def __init__(self, process: "subprocess.Popen[bytes]") -> None:
        self._data = b""
        self._process = process
        self._done = threading.Event()
        threading.Thread(target=self._read, daemon=True).start()

    def _read(self) -> None:
        assert self._process.stdout is not None
        with suppress(OSError, ValueError):  # it was closed meanwhile
            data = self._process.stdout.read(ARCHIVE_MOST + 1)
            if len(data) <= ARCHIVE_MOST:
                self._process.wait()
            self._data = data
        self._done.set()

    def wait(self, seconds: float, ended: threading.Event) -> bytes | None:
        """All that it wrote; None where the time is over before, or somebody ends it.

        What is read once the process was killed is no answer.
        """
        last = time.monotonic() + seconds
        while not self._done.wait(_LOOK):
            if ended.is_set() or time.monotonic() > last:
                return None
        return self._data


def _end(process: "subprocess.Popen[bytes]") -> None:
    """End a process and, where the system has groups of them, all that it began."""
    with suppress(ProcessLookupError, PermissionError):
        if hasattr(os, "killpg"):
            os.killpg(process.pid, signal.SIGKILL)
        else:
            process.kill()


def _command(system: str) -> str:
    if system != "windows":
        return "sh"
    told = base64.b64encode(_BOOTSTRAP.encode("utf-16-le")).decode()
    return f"powershell -NoProfile -NonInteractive -EncodedCommand {told}"


def _reason(said: IO[bytes]) -> str:
    """The last line of what went to the error output."""
    size = said.seek(0, 2)
    said.seek(max(size - _MESSAGE_MOST, 0))
    lines = said.read().decode("utf-8", "replace").splitlines()
    lines = [printable(line).strip() for line in lines if line.strip()]
    return lines[-1].removeprefix("ssh: ") if lines else ""


def _unpacked(data: bytes, system: str) -> bytes:
    """The archive, whole. Raises InputError."""
    if system == "windows":
        try:
            data = base64.b64decode(b"".join(data.split()), validate=True)
        except binascii.Error:
            raise InputError("sent no capture", "the kit's output") from None
    if not data:
        raise InputError("sent nothing", "a capture")
    if data[:4] != b"PK\3\4" and not data.endswith(_TAR_END):
        raise InputError("sent a capture that breaks off", "a whole one")
    return data
