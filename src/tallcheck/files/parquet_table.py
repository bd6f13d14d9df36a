"""Lists of machines as Parquet: read by a process of its own, which ends where it takes too much.

A page of a few bytes may claim to hold gigabytes, and the library takes its word.
"""

import contextlib
import os
import subprocess
import sys
import threading
import time
from typing import Any

import msgspec
import pyarrow as pa
from pyarrow import compute as pc

from tallcheck.core.values.errors import InputError
from tallcheck.files.inputs import (
    CELL_MOST,
    COLUMNS_MOST,
    ensure_cost,
    foreign,
    look_at,
    most_cost,
    shown,
)

_NAMES_MOST = 1 << 24
"""Bytes of names in a file's own description, which may tell of any number."""
_ROW_COST, _CELL_COST = 160, 8
"""Bytes that a row and a cell take on their way to an answer."""
_REFUSED, _TOO_MUCH = 3, 9
"""How the reading process ends for what it refuses, and where it would take too much memory."""
_LOOK = 0.01
"""Seconds after which that process looks anew at what it takes."""


def parquet_table(path: str) -> pa.Table:
    """The file's columns: text coded, everything else as it is. Raises InputError."""
    where = shown(path)
    try:
        size = look_at(path).st_size
    except OSError as error:
        reason = (error.strerror or "error").lower()
        reason = "no such file" if isinstance(error, FileNotFoundError) else reason
        raise InputError(f"cannot be read: {reason}", where=where) from None
    words = [sys.executable, "-m", __name__, path, str(size)]
    ran = subprocess.run(words, capture_output=True, check=False, stdin=subprocess.DEVNULL)
    if ran.returncode == 0:
        return pa.ipc.open_stream(pa.py_buffer(ran.stdout)).read_all()
    if ran.returncode == _REFUSED:
        raise InputError(*msgspec.json.decode(ran.stderr, type=tuple[str, str, str]))
    if ran.returncode == _TOO_MUCH:
        raise InputError(
            "found pages that claim to hold far too much",
            f"at most {most_cost(size) / (1 << 30):.1f} GB for a file of this size", where,
        )  # fmt: skip
    raise InputError("found no Parquet: its reader broke down", "a Parquet file", where)


# --- the process that reads ----------------------------------------------------------------


def main(path: str, size: int) -> int:
    """The table to the standard output as an Arrow stream, or why not to the error output."""
    threading.Thread(target=_watch, args=(_resident() + most_cost(size),), daemon=True).start()
    try:
        table = _read(path, size).unify_dictionaries()
    except InputError as error:
        sys.stderr.buffer.write(msgspec.json.encode((error.found, error.expected, error.where)))
        return _REFUSED
    with pa.ipc.new_stream(sys.stdout.buffer, table.schema) as stream:
        stream.write_table(table)
    return 0


def _watch(most: int) -> None:
    """End the process as soon as it takes more than so many bytes."""
    while _resident() < most:
        time.sleep(_LOOK)
    os._exit(_TOO_MUCH)


def _resident() -> int:
    """Bytes of memory that this process takes; at most, where the system tells nothing else."""
    if sys.platform == "win32":
        return _working_set()
    with contextlib.suppress(OSError), open("/proc/self/statm", "rb") as file:
        return int(file.read().split()[1]) * os.sysconf("SC_PAGESIZE")
    import resource

    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss


def _working_set() -> int:
    """PROCESS_MEMORY_COUNTERS.WorkingSetSize of this process; zero where it is not told."""
    import ctypes

    size = 16 + 8 * ctypes.sizeof(ctypes.c_size_t)
    counters = (ctypes.c_ubyte * size)()
    kernel: Any = ctypes.WinDLL("kernel32")  # type: ignore[attr-defined]
    kernel.GetCurrentProcess.restype = ctypes.c_void_p
    ask = kernel.K32GetProcessMemoryInfo
    ask.argtypes = [ctypes.c_void_p, ctypes.c_void_p, ctypes.c_uint32]
    if not ask(kernel.GetCurrentProcess(), counters, size):
        return 0
    # two numbers of 32 bits, the most that it took, and what it takes
    place = 8 + ctypes.sizeof(ctypes.c_size_t)
    return int.from_bytes(bytes(counters[place : place + ctypes.sizeof(ctypes.c_size_t)]), "little")


def _read(path: str, size: int) -> pa.Table:
    from pyarrow import parquet

    where = shown(path)
    limits = {"thrift_string_size_limit": _NAMES_MOST, "thrift_container_size_limit": _NAMES_MOST}
    with foreign("Parquet", where), parquet.ParquetFile(path, **limits) as file:
        schema, rows = file.schema_arrow, file.metadata.num_rows
    _ensure_columns(schema, where)
    ensure_cost(f"{rows:,} rows", rows * (_ROW_COST + _CELL_COST * len(schema)), size, where)
    texts = [one.name for one in schema if _is_text(_within(one.type))]
    with foreign("Parquet", where), parquet.ParquetFile(
        path, read_dictionary=texts, **limits
    ) as file:  # fmt: skip
        table = file.read()
    _hold_texts(table, texts, size, where)
    return table


def _is_text(kind: Any) -> bool:
    return bool(pa.types.is_string(kind) or pa.types.is_large_string(kind))


def _within(kind: Any) -> Any:
    """The type of a column's values, coded or not."""
    return kind.value_type if pa.types.is_dictionary(kind) else kind


def _ensure_columns(schema: pa.Schema, where: str) -> None:
    """Raise InputError for a column twice, and for one whose cells are no single values."""
    if len(schema) > COLUMNS_MOST:
        raise InputError(f"found {len(schema)} columns", f"{COLUMNS_MOST} at most", where)
    seen: set[str] = set()
    for field in schema:
        if field.name in seen:
            raise InputError(f"found the column '{field.name}' twice", "each column once", where)
        seen.add(field.name)
        kind = _within(field.type)
        plain = (
            pa.types.is_integer(kind) or pa.types.is_float32(kind) or pa.types.is_float64(kind)
            or pa.types.is_boolean(kind) or _is_text(kind) or pa.types.is_null(kind)
            or pa.types.is_decimal(kind) or pa.types.is_date(kind) or pa.types.is_timestamp(kind)
        )  # fmt: skip
        if not plain:
            raise InputError(
                f"found a column of {str(field.type)[:80]}",
                "text, numbers, yes or no, or dates",
                f"{where}, column {field.name}",
            )


def _hold_texts(table: pa.Table, names: list[str], size: int, where: str) -> None:
    """Raise InputError for text that is none, for a long cell, and for far too much in all."""
    written = 0
    for name in names:
        place = f"{where}, column {name}"
        for chunk in table[name].chunks:
            with foreign("text", place):
                chunk.validate(full=True)
            lengths = pc.binary_length(chunk.dictionary)
            if (pc.max(lengths).as_py() or 0) > CELL_MOST:
                raise InputError(
                    f"found a cell of more than {CELL_MOST} characters", "far fewer", place
                )
            written += pc.sum(lengths.take(chunk.indices)).as_py() or 0
        ensure_cost(f"{written:,} characters", written, size, place)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1], int(sys.argv[2])))
