"""Usage logs: CSV into arrays, with all that was wrong named and counted."""

import datetime
import re
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import numpy as np
import pyarrow as pa
from msgspec import Struct
from pyarrow import compute as pc
from pyarrow import csv as pacsv

from tallcheck.core.usage.log import Floats, Log
from tallcheck.core.values.errors import InputError, nearest
from tallcheck.core.values.plain import text_of, utf8
from tallcheck.core.values.quantities import parse_memory
from tallcheck.files.fleet_columns import as_numpy
from tallcheck.files.inputs import delimiter_of, read
from tallcheck.files.usage_programs import growing_program, tight_holders
from tallcheck.files.usage_writer import COLUMNS, EXTRA

_SIZES = frozenset(COLUMNS[1:7])
_NUMBERS = (*COLUMNS[1:], "drive_stall")
_COUNTERS = ("swapped_in", "swapped_out")
_UNITS = {"B": 1, "KB": 1 << 10, "MB": 1 << 20, "GB": 1 << 30, "%": 0.01}
_ZONE = re.compile(r"(?:Z|[+-]\d\d:?\d\d)$")
_COMMENT = re.compile(rb"(?m)^#[^\n]*\n?")
_MOMENT = pa.timestamp("ms", "UTC")
_LAST = 7_258_118_400.0  # the beginning of 2200
_LOG_MOST = 8 << 30  # bytes: 50 years of a sample every five seconds are fewer
_PART = 1 << 20  # bytes of a log looked at at a time


class _Problems:
    """What was wrong, by kind, with counts."""

    def __init__(self) -> None:
        self.texts: list[str] = []

    def add(self, count: int, text: str) -> None:
        if count:
            self.texts.append(f"{count} {'row' if count == 1 else 'rows'} {text}")


def parse_columns(texts: list[str]) -> dict[str, tuple[str, float]]:
    """``name=theirs`` or ``name=theirs:MB`` by our name: their heading and factor. InputError."""
    found: dict[str, tuple[str, float]] = {}
    for part in (one for told in texts for one in told.split(",")):
        ours, equals, theirs = part.strip().partition("=")
        known = [*COLUMNS, *EXTRA]
        if not equals or ours not in known:
            raise InputError(
                f"found '{part.strip()}'{nearest(ours, known)}", "NAME=THEIRS or NAME=THEIRS:UNIT",
                "--columns",
            )  # fmt: skip
        heading, colon, unit = theirs.rpartition(":")
        if colon and unit.upper() not in _UNITS:
            raise InputError(f"found the unit '{unit}'", ", ".join(_UNITS), f"--columns {ours}")
        found[ours] = (heading, _UNITS[unit.upper()]) if colon else (theirs, 1.0)
    return found


def read_log(path: str, columns: dict[str, tuple[str, float]]) -> Log:
    """A usage log in order of time; rows that are not sound are counted. Raises InputError."""
    problems = _Problems()
    theirs = {heading: (ours, factor) for ours, (heading, factor) in columns.items()}
    table, machine, east = _table(path, theirs, problems)
    time, offset = _times(table.column("time"), east, path, problems)
    odd = (time < 0) | (time > _LAST)
    if odd.any():
        time = np.where(odd, np.nan, time)
        problems.add(int(odd.sum()), "with a time before 1970 or after 2200")
    names = [name for name in _NUMBERS if name in table.column_names]
    with ThreadPoolExecutor() as pool:
        read_ones = list(pool.map(lambda name: _numbers(name, table, columns), names))
    arrays = {name: values for name, (values, _) in zip(names, read_ones, strict=True)}
    for _, own in read_ones:
        problems.texts += own.texts
    sound = _sound(time, arrays, problems)
    if not sound.any():
        raise InputError(
            "found no sound row" + (f": {'; '.join(problems.texts)}" if problems.texts else ""),
            "rows with a time, memory_total and memory_available", path,
        )  # fmt: skip
    order = _order(time, sound, problems)
    programs = table.column("programs") if "programs" in table.column_names else None
    if order is not None:
        time = time[order]
        arrays = {name: values[order] for name, values in arrays.items()}
        offset = offset if isinstance(offset, float) else offset[order]
        programs = programs.take(pa.array(order)) if programs is not None else None
    log = Log(time, offset, arrays, tuple(problems.texts), machine=machine)
    if programs is not None:
        log.growing, log.holders = (
            growing_program(programs, arrays),
            tight_holders(programs, arrays),
        )
    return log


def _table(
    path: str, theirs: dict[str, tuple[str, float]], problems: _Problems
) -> tuple[pa.Table, str | None, float]:
    """The file's columns under our names, the machine's, and the clock's offset, if one.

    A row that is still being written is left out.
    """
    data = utf8(read(path, _LOG_MOST), path)
    named = re.match(rb"#[ \t]*machine:[ \t]*([^;\r\n]+)", data)
    machine = named[1].decode("utf-8", "replace").strip() if named else None
    first = _header(data)
    if data.find(b"#", first) >= 0 and data.find(b"\n#", first) >= 0:  # one byte is found faster
        data, first = _COMMENT.sub(b"", data), 0
    head, start, end = _span(data, first)
    if end < len(data):
        problems.add(1, "at the end torn or still being written, left out")
    mark = delimiter_of(text_of(head, path))
    header = [cell.strip().strip('"').strip() for cell in text_of(head, path).split(mark)]
    names = _names(header, theirs, path)
    if start == end:
        raise InputError("found no row", "a header and rows", path)
    at = header.index(next(heading for heading, ours in names.items() if ours == "time"))
    zone = _zone(data[start : data.find(b"\n", start)], at, mark)
    rows = _Rows(data, start, end, mark, header)
    table = _by_one_clock(rows, names, zone) if zone is not None else None
    if table is None:
        zone, table = None, _as_text(rows, names, path, problems)
    return table.rename_columns(list(names.values())), machine, _east(zone or "Z")


def _header(data: bytes) -> int:
    """Where the header begins: after the comments above it."""
    first = 0
    while data.startswith(b"#", first):
        first = (data.find(b"\n", first) + 1) or len(data)
    return first


def _span(data: bytes, first: int) -> tuple[bytes, int, int]:
    """The header, and between which places whole rows stand."""
    start = (data.find(b"\n", first) + 1) or len(data)
    return data[first:start].rstrip(b"\n"), start, max(data.rfind(b"\n") + 1, start)


class _Rows(Struct):
    """The rows of a log within its file, their delimiter and headings."""

    data: bytes
    start: int
    end: int
    mark: str
    header: list[str]

    def read(self, types: dict[str, Any], left_out: Callable[[Any], str] | None) -> pa.Table:
        """The columns of some types; on one thread where rows may be left out."""
        unique = [
            f"{at} {name}" if name in self.header[:at] else name
            for at, name in enumerate(self.header)
        ]
        return pacsv.read_csv(
            pa.BufferReader(pa.py_buffer(self.data).slice(self.start, self.end - self.start)),
            pacsv.ReadOptions(use_threads=left_out is None, column_names=unique,
                              block_size=8 << 20),
            pacsv.ParseOptions(delimiter=self.mark, invalid_row_handler=left_out),
            pacsv.ConvertOptions(include_columns=list(types), column_types=types,
                                 strings_can_be_null=True, null_values=["", "nan", "NaN"]),
        )  # fmt: skip

    def told(self, zone: str) -> int:
        """How many cells end with a zone, by the first end of a cell that it has at all."""
        for end in (self.mark, f'"{self.mark}', "\n", '"\n', "\r\n"):
            same = self._count(f"{zone}{end}".encode())
            if same:
                return same
        return 0

    def _count(self, word: bytes) -> int:
        """How often a word stands in the rows; counted in parts, that others have their turn."""
        return sum(
            self.data.count(word, at, min(at + _PART + len(word) - 1, self.end))
            for at in range(self.start, self.end, _PART)
        )


def _names(header: list[str], theirs: dict[str, tuple[str, float]], path: str) -> dict[str, str]:
    """Our name of each heading that counts. Raises InputError where a needed one is missing."""
    if not any(header):
        raise InputError("found no CSV: no header", "a usage log", path)
    found: dict[str, str] = {}
    for heading in header:
        ours = theirs.get(heading, (heading,))[0]
        if ours in (*COLUMNS, *EXTRA) and ours not in found.values():
            found[heading] = ours
    for needed in ("time", "memory_total", "memory_available"):
        if needed not in found.values():
            raise InputError(
                f"found no column '{needed}' among {', '.join(header[:8])}",
                "it, or --columns to tell which one it is", path,
            )  # fmt: skip
    return found


def _by_one_clock(rows: _Rows, names: dict[str, str], zone: str) -> pa.Table | None:
    """The columns as numbers and moments; None where one does not read, or clocks differ."""
    types: dict[str, Any] = dict.fromkeys(names, pa.float64())
    for heading, ours in names.items():
        if ours == "time":
            types[heading] = _MOMENT
        elif ours == "programs":
            types[heading] = pa.string()
    with ThreadPoolExecutor(1) as pool:
        told = pool.submit(rows.told, zone)
        try:
            table = rows.read(types, None)
        except pa.ArrowInvalid:
            return None
        return table if told.result() == len(table) else None


def _as_text(rows: _Rows, names: dict[str, str], path: str, problems: _Problems) -> pa.Table:
    """The columns as text; rows that have other cells than the header are left out."""
    torn: list[str] = []

    def left_out(row: Any) -> str:
        torn.append(row.text)
        return "skip"

    # bytes that are no UTF-8 are shown as such, and make no fault of the reader's own
    data = rows.data[rows.start : rows.end].decode("utf-8", "replace").encode()
    rows = _Rows(data, 0, len(data), rows.mark, rows.header)
    try:
        table = rows.read(dict.fromkeys(names, pa.string()), left_out)
    except pa.ArrowInvalid as error:
        raise InputError(
            f"found no CSV: {str(error).splitlines()[0][:120]}", "a usage log", path
        ) from None
    problems.add(len(torn), "with other cells than the header has, left out")
    if not table.num_rows:
        raise InputError("found no row", "a header and rows", path)
    return table


def _zone(row: bytes, at: int, mark: str) -> str | None:
    """The clock's offset as a row has it."""
    cells = row.decode("utf-8", "replace").split(mark)
    found = _ZONE.search(cells[at].strip().strip('"')) if at < len(cells) else None
    return found[0] if found else None


def _east(zone: str) -> float:
    """Seconds east of Greenwich."""
    if zone == "Z":
        return 0.0
    digits = zone[1:].replace(":", "")
    seconds = int(digits[:2]) * 3600 + int(digits[2:]) * 60
    return float(-seconds if zone[0] == "-" else seconds)


def _times(column: Any, east: float, path: str, problems: _Problems) -> tuple[Floats, Any]:
    """Seconds since 1970 (NaN where none), and seconds east of Greenwich."""
    if pa.types.is_timestamp(column.type):
        problems.add(column.null_count, "without a time that reads as one")
        return as_numpy(pc.cast(column, pa.int64()), np.nan) / 1000.0, east
    moments, offsets, no_zone = [], [], 0
    for cell in column.to_pylist():
        word = (cell or "").strip()
        zone = _ZONE.search(word)
        try:
            moment = datetime.datetime.fromisoformat(word)
        except ValueError:
            moment = None
        no_zone += moment is not None and zone is None
        sound = moment is not None and moment.tzinfo is not None
        moments.append(moment.timestamp() if moment is not None and sound else np.nan)
        offsets.append(_east(zone[0]) if zone and sound else 0.0)
    time = np.array(moments)
    problems.add(no_zone, "whose time has no zone")
    problems.add(int(np.isnan(time).sum()) - no_zone, "without a time that reads as one")
    if np.isnan(time).all():
        raise InputError(
            "found no time with a zone", "RFC 3339 times, such as 2026-11-24T09:00:00Z", path
        )
    return time, np.array(offsets)


def _numbers(
    name: str, table: pa.Table, columns: dict[str, tuple[str, float]]
) -> tuple[Floats, _Problems]:
    """A column as numbers, and what was wrong; text among them is counted and missing."""
    column, problems = table.column(name), _Problems()
    _, factor = columns.get(name, ("", 1.0))
    if pa.types.is_floating(column.type):
        values = as_numpy(column, np.nan)
    else:
        words = column.combine_chunks().dictionary_encode()
        read = np.array(
            [_one(name, word.strip()) for word in words.dictionary.to_pylist()] + [np.nan]
        )
        at = pc.fill_null(words.indices, len(read) - 1).to_numpy(zero_copy_only=False)
        values = read[at]
        problems.add(
            int(np.isnan(values).sum()) - column.null_count,
            f"with text where {name} should be a number",
        )
    if factor != 1.0:
        values = values * factor
    if np.fmin.reduce(values, initial=0.0) < 0:
        low = values < 0
        values = np.where(low, np.nan, values)
        what = "whose counter ran backwards (a restart)" if name in _COUNTERS else "below zero"
        problems.add(int(low.sum()), f"with {name} {what}")
    if np.fmax.reduce(values, initial=0.0) == np.inf:
        values = np.where(np.isinf(values), np.nan, values)
    return values, problems


def _one(name: str, text: Any) -> float:
    try:
        return float(text)
    except (TypeError, ValueError):
        pass
    try:
        return float(parse_memory(str(text))) if name in _SIZES else float("nan")
    except InputError:
        return float("nan")


def _sound(time: Floats, arrays: dict[str, Floats], problems: _Problems) -> Floats:
    total, available = arrays["memory_total"], arrays["memory_available"]
    missing = np.isnan(total) | np.isnan(available) | (total == 0)
    more = available > total
    problems.add(int((missing & ~np.isnan(time)).sum()), "without memory_total or memory_available")
    problems.add(int(more.sum()), "with more memory available than there is")
    sound: Floats = ~(np.isnan(time) | missing | more)
    return sound


def _order(time: Floats, sound: Floats, problems: _Problems) -> Floats | None:
    """The rows to keep in order of time, the last of those with one time; None for all as is."""
    every = bool(sound.all())
    steps = np.diff(time)
    if every and bool((steps > 0).all()):
        return None
    kept = np.flatnonzero(sound)
    order = kept[np.argsort(time[kept], kind="stable")]
    moved = int((np.diff(time[kept]) < 0).sum())
    problems.add(moved, "out of the order of time, put in order")
    last = np.append(np.diff(time[order]) > 0, True)
    problems.add(int((~last).sum()), "with a time that another has, left out")
    ordered: Floats = order[last]
    return ordered
