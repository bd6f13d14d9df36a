"""Writing a usage log: one row at a time, each on disk before the next begins."""

import datetime
import os

from tallcheck.core.values.errors import InputError
from tallcheck.files.output import OutputError

COLUMNS = (
    "time", "memory_total", "memory_available", "swap_total", "swap_used", "swapped_in",
    "swapped_out", "memory_stall", "cores_busy", "busiest_core", "core_count",
)  # fmt: skip
EXTRA = ("drive_stall", "programs")
_MACHINE = "# machine: "


class UsageWriter:
    """Appends rows to a log of one machine. Raises InputError, OutputError."""

    def __init__(self, path: str, machine: str, programs: bool) -> None:
        self._columns = (*COLUMNS, *EXTRA) if programs else COLUMNS
        self.mended = False
        self.rows = 0
        try:
            if os.path.exists(path) and os.path.getsize(path):
                self._resume(path, machine)
                self._file = open(path, "ab", buffering=0)  # noqa: SIM115
            else:
                self._file = open(path, "ab", buffering=0)  # noqa: SIM115
                head = f"{_MACHINE}{machine}\n{','.join(self._columns)}\n"
                self._file.write(head.encode())
        except OSError as error:
            raise OutputError(f"cannot be written: {error.strerror}", where=path) from None

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
                self.mended = True

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
        self._file.write((",".join(cells) + "\n").encode())
        os.fsync(self._file.fileno())
        self.rows += 1

    def close(self) -> None:
        """Close the file."""
        self._file.close()
