"""Writing a usage log: one row at a time, each on disk before the next begins."""

import datetime
import os
from contextlib import suppress

from tallcheck.core.values.errors import InputError
from tallcheck.files.output import OutputError

COLUMNS = (
    "time", "memory_total", "memory_available", "swap_total", "swap_used", "swapped_in",
    "swapped_out", "memory_stall", "cores_busy", "busiest_core", "core_count",
)  # fmt: skip
EXTRA = ("drive_stall", "programs")
_MACHINE = "# machine: "


class SecondWriterError(OutputError):
    """Another recorder writes to the same log."""


class UsageWriter:
    """Appends rows to a log of one machine. Raises InputError, OutputError.

    What happens to the file meanwhile is noticed: deleted or cut short it is gone on with, and a
    remark says so; where another recorder writes to it, this one stops. A row that does not fit is
    taken back whole.
    """

    def __init__(self, path: str, machine: str, programs: bool) -> None:
        self._path = path
        self._columns = (*COLUMNS, *EXTRA) if programs else COLUMNS
        self._head = f"{_MACHINE}{machine}\n{','.join(self._columns)}\n".encode()
        self.remarks: list[str] = []
        """What was noticed and not yet told."""
        self.rows = 0
        try:
            self._open(machine)
        except OSError as error:
            raise OutputError(f"cannot be written: {error.strerror}", where=path) from None

    def _open(self, machine: str | None = None) -> None:
        """Open the file at its end; a new one begins with its header, one of old is held to it."""
        self._file = open(self._path, "ab", buffering=0)  # noqa: SIM115
        self._claim()
        if machine is not None and os.fstat(self._file.fileno()).st_size:
            self._resume(self._path, machine)
        self._size = os.fstat(self._file.fileno()).st_size
        if not self._size:
            self._append(self._head)

    def _claim(self) -> None:
        """Keep other recorders out, where the system can; elsewhere they are seen by their rows."""
        try:
            import fcntl
        except ImportError:
            return
        try:
            fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            self._file.close()
            raise SecondWriterError("another recorder writes to it", "one", self._path) from None
        except OSError:
            pass  # a file system without locks

    def _resume(self, path: str, machine: str) -> None:
        """Hold the log against this machine and these columns, and mend a torn last row."""
        with open(path, "r+b") as file:
            head = file.read(65536).decode("utf-8", "replace").splitlines()
            named = next(
                (line[len(_MACHINE) :] for line in head if line.startswith(_MACHINE)), None
            )
            header = next((line for line in head if not line.startswith("#")), "")
            if header.split(",") != list(self._columns):
                raise InputError(
                    f"found the columns {header[:80]!r}", f"a log with {','.join(self._columns)}",
                    path,
                )  # fmt: skip
            if named is not None and named != machine:
                raise InputError(f"found a log of '{named}'", f"one of '{machine}'", path)
            size = file.seek(0, os.SEEK_END)
            file.seek(max(size - 65536, 0))
            tail = file.read()
            if not tail.endswith(b"\n"):
                file.truncate(size - (len(tail) - (tail.rfind(b"\n") + 1)))
                self.remarks.append("the last row was torn and has been taken out")

    def write(self, wall: float, values: dict[str, object]) -> None:
        """One row at a moment in seconds since 1970, on disk when this returns."""
        stamp = datetime.datetime.fromtimestamp(wall).astimezone()
        cells = [stamp.isoformat(timespec="milliseconds")]
        for name in self._columns[1:]:
            value = values[name]
            if value is None:
                cells.append("")
            else:
                cells.append(f"{value:.4f}" if isinstance(value, float) else str(value))
        self._look()
        self._append((",".join(cells) + "\n").encode())
        self.rows += 1

    def _append(self, data: bytes) -> None:
        """All of it, on disk when this returns, or none of it. Raises OutputError."""
        try:
            left = memoryview(data)
            while left:
                left = left[self._file.write(left) :]
            os.fsync(self._file.fileno())
        except OSError as error:
            with suppress(OSError):
                self._file.truncate(self._size)
            raise OutputError(f"cannot be written: {error.strerror}", where=self._path) from None
        self._size += len(data)

    def _look(self) -> None:
        """Hold the file against how it was left. Raises OutputError, SecondWriterError."""
        mine = os.fstat(self._file.fileno())
        try:
            there = os.stat(self._path)
        except OSError:
            there = None
        if there is None or (there.st_dev, there.st_ino) != (mine.st_dev, mine.st_ino):
            self._file.close()
            try:
                self._open()
            except OSError as error:
                raise OutputError(
                    f"cannot be written: {error.strerror}", where=self._path
                ) from None
            self.remarks.append("the log was deleted or moved away; it is begun anew")
            return
        if mine.st_size > self._size:
            raise SecondWriterError("another recorder writes to it", "one", self._path)
        if mine.st_size < self._size:
            self.remarks.append("the log was cut short by another program; rows are lost")
            self._size = mine.st_size
            if not self._size:
                self._append(self._head)

    def close(self) -> None:
        """Close the file."""
        self._file.close()
