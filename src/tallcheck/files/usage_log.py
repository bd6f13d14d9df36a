"""Usage logs: CSV into arrays, with all that was wrong named and counted."""

import datetime
import re
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from io import SEEK_END, BytesIO
from typing import Any, BinaryIO

import numpy as np
import pyarrow as pa
from pyarrow import compute as pc
from pyarrow import csv as pacsv

from tallcheck.core.usage.log import Floats, Log
from tallcheck.core.values.errors import InputError, nearest
from tallcheck.core.values.plain import WIDE_MARKS, text_of, utf8
from tallcheck.core.values.quantities import parse_memory
from tallcheck.files.fleet_columns import as_numpy
from tallcheck.files.inputs import delimiter_of, opened
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
_PART = 16 << 20  # bytes of a log looked at at a time
_LONG = 64 << 20
_LINE_MOST = 1 << 16  # bytes of a line above the rows
_MACHINE = re.compile(rb"#[ \t]*machine:[ \t]*([^;\r\n]+)")


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
    with opened(path, _LOG_MOST) as (file, _):
        rows = _Rows(file, path)
        names = _names(rows.header, theirs, path)
        found = _by_one_clock(rows, names, problems) or _by_text(rows, names, path, problems)
        if rows.torn:
            problems.add(1, "at the end torn or still being written, left out")
    time, offset, arrays, programs = found
    odd = (time < 0) | (time > _LAST)
    if odd.any():
        time = np.where(odd, np.nan, time)
        problems.add(int(odd.sum()), "with a time before 1970 or after 2200")
    for name, values in arrays.items():
        arrays[name] = _checked(name, values, columns, problems)
    sound = _sound(time, arrays, problems)
    if not sound.any():
        raise InputError(
            "found no sound row" + (f": {'; '.join(problems.texts)}" if problems.texts else ""),
            "rows with a time, memory_total and memory_available", path,
        )  # fmt: skip
    order = _order(time, sound, problems)
    if order is not None:
        time = time[order]
        arrays = {name: values[order] for name, values in arrays.items()}
        offset = offset if isinstance(offset, float) else offset[order]
        programs = programs.take(pa.array(order)) if programs is not None else None
    log = Log(time, offset, arrays, tuple(problems.texts), machine=rows.machine)
    if programs is not None:
        log.growing, log.holders = (
            growing_program(programs, arrays),
            tight_holders(programs, arrays),
        )
    return log


_Found = tuple[Floats, Floats | float, dict[str, Floats], pa.ChunkedArray | None]
"""Seconds since 1970 (NaN where none), seconds east of Greenwich, numbers by name, programs."""


_ASIDE = (b"#", b"\n", b"\r\n")
"""How comments and blank lines begin."""


class _Rows:
    """The rows of a log, part by part, with what stands above them."""

    def __init__(self, file: BinaryIO, path: str) -> None:
        self._file, self.machine = file, None
        self.torn = False
        """Whether the last row, once all is read, has no end."""
        wide = file.read(2).startswith(WIDE_MARKS)
        file.seek(0)
        if wide:
            self._file = file = BytesIO(utf8(file.read(), path))
        line = utf8(file.readline(_LINE_MOST), path)
        while line.startswith(_ASIDE):
            if named := _MACHINE.match(line):
                self.machine = self.machine or named[1].decode("utf-8", "replace").strip()
            line = file.readline(_LINE_MOST)
        self._start = file.tell()
        self.size = file.seek(0, SEEK_END) - self._start
        head = text_of(line, path).rstrip("\r\n")
        self.mark = delimiter_of(head)
        self.header = [cell.strip().strip('"').strip() for cell in head.split(self.mark)]

    @property
    def numbers(self) -> Any:
        """The type of the numbers: of a log so long, half the digits are enough for any figure."""
        return pa.float32() if self.size > _LONG else pa.float64()

    def zone(self, heading: str) -> str | None:
        """The clock's offset as the first row has it."""
        self._file.seek(self._start)
        row = b"#"
        while row.startswith(_ASIDE):
            row = self._file.readline(_LINE_MOST)
        cells = row.rstrip(b"\n").decode("utf-8", "replace").split(self.mark)
        at = self.header.index(heading)
        found = _ZONE.search(cells[at].strip().strip('"')) if at < len(cells) else None
        return found[0] if found else None

    def parts(self) -> Iterator[bytes]:
        """Whole rows, some at a time, without the comments between them."""
        self._file.seek(self._start)
        while rows := self._file.read(_PART):
            rows += self._file.readline()
            if not rows.endswith(b"\n"):
                end = rows.rfind(b"\n") + 1
                rows, self.torn = rows[:end], not rows.startswith(b"#", end)
            if b"#" in rows:  # one byte is found faster
                rows = _COMMENT.sub(b"", rows)
            if rows:
                yield rows

    def read(self, data: bytes, types: dict[str, Any],
             left_out: Callable[[Any], str] | None = None) -> pa.Table:  # fmt: skip
        """The columns of some types; on one thread where rows may be left out."""
        unique = [
            f"{at} {name}" if name in self.header[:at] else name
            for at, name in enumerate(self.header)
        ]
        return pacsv.read_csv(
            pa.py_buffer(data),
            pacsv.ReadOptions(use_threads=left_out is None, column_names=unique,
                              block_size=8 << 20),
            pacsv.ParseOptions(delimiter=self.mark, invalid_row_handler=left_out),
            pacsv.ConvertOptions(include_columns=list(types), column_types=types,
                                 strings_can_be_null=True, null_values=["", "nan", "NaN"]),
        )  # fmt: skip

    def told(self, data: bytes, zone: str) -> int:
        """How many cells end with a zone, by the first end of a cell that it has at all."""
        for end in (self.mark, f'"{self.mark}', "\n", '"\n', "\r\n"):
            same = data.count(f"{zone}{end}".encode())
            if same:
                return same
        return 0


def _names(header: list[str], theirs: dict[str, tuple[str, float]], path: str) -> dict[str, str]:
    """Our name of each heading that counts. Raises InputError where a needed one is missing."""
    if not any(header):
        raise InputError("found no CSV: no header", "a usage log", path)
    found: dict[str, str] = {}
    for heading in header:
        ours = theirs.get(heading, (heading.lower(),))[0]
        if ours in (*COLUMNS, *EXTRA) and ours not in found.values():
            found[heading] = ours
    for needed in ("time", "memory_total", "memory_available"):
        if needed not in found.values():
            raise InputError(
                f"found no column '{needed}' among {', '.join(header[:8])}",
                "it, or --columns to tell which one it is", path,
            )  # fmt: skip
    return found


def _by_one_clock(rows: _Rows, names: dict[str, str], problems: _Problems) -> _Found | None:
    """The columns part by part; None where one does not read as what it is, or clocks differ."""
    kinds: dict[str, Any] = {"time": _MOMENT, "programs": pa.string()}
    types = {heading: kinds.get(ours, rows.numbers) for heading, ours in names.items()}
    zone = rows.zone(next(heading for heading, ours in names.items() if ours == "time"))
    if zone is None:
        return None
    arrays: dict[str, Floats] = {}
    texts: list[Any] = []
    count = 0
    with ThreadPoolExecutor(1) as pool:
        for data in rows.parts():
            told = pool.submit(rows.told, data, zone)
            try:
                table = rows.read(data, types).rename_columns(list(names.values()))
            except pa.ArrowInvalid:
                return None
            if told.result() != len(table):
                return None
            if "programs" in table.column_names:
                texts += table.column("programs").chunks
                table = table.drop_columns("programs")
            _put_behind(arrays, count, table, rows.size / len(data))
            count += len(table)
    if not count:
        return None
    arrays = {name: values[:count] for name, values in arrays.items()}
    time = arrays.pop("time")
    problems.add(int(np.isnan(time).sum()), "without a time that reads as one")
    programs = pa.chunked_array(texts, pa.string()) if "programs" in names.values() else None
    return time, _east(zone), arrays, programs


def _put_behind(arrays: dict[str, Floats], count: int, table: pa.Table, parts: float) -> None:
    """A part's numbers behind those of the parts before; there are about so many such parts."""
    end = count + len(table)
    for name in table.column_names:
        column = table.column(name)
        if name == "time":
            values: Floats = as_numpy(pc.cast(column, pa.int64()), np.nan) / 1000.0
        else:
            values = as_numpy(column, np.nan)
        if name not in arrays or end > len(arrays[name]):
            room = np.empty(end + round(_MORE * parts * len(table)), dtype=values.dtype)
            room[:count] = arrays[name][:count] if count else ()
            arrays[name] = room
        arrays[name][count:end] = values


_MORE = 1.02
"""Room that is set aside for rows to come, by the length of those that are there."""


def _by_text(rows: _Rows, names: dict[str, str], path: str, problems: _Problems) -> _Found:
    """The columns cell by cell."""
    table = _as_text(rows, names, path, problems).rename_columns(list(names.values()))
    time, offset = _times(table.column("time"), path, problems)
    arrays = {
        name: _numbers(name, table.column(name), problems)
        for name in _NUMBERS if name in table.column_names
    }  # fmt: skip
    programs = table.column("programs") if "programs" in table.column_names else None
    return time, offset, arrays, programs


def _as_text(rows: _Rows, names: dict[str, str], path: str, problems: _Problems) -> pa.Table:
    """The columns as text; rows that have other cells than the header are left out."""
    torn: list[str] = []

    def left_out(row: Any) -> str:
        torn.append(row.text)
        return "skip"

    # bytes that are no UTF-8 are shown as such, and make no fault of the reader's own
    data = b"".join(rows.parts()).decode("utf-8", "replace").encode()
    if not data:
        raise InputError("found no row", "a header and rows", path)
    try:
        table = rows.read(data, dict.fromkeys(names, pa.string()), left_out)
    except pa.ArrowInvalid as error:
        raise InputError(
            f"found no CSV: {str(error).splitlines()[0][:120]}", "a usage log", path
        ) from None
    problems.add(len(torn), "with other cells than the header has, left out")
    if not table.num_rows:
        raise InputError("found no row", "a header and rows", path)
    return table


def _east(zone: str) -> float:
    """Seconds east of Greenwich."""
    if zone == "Z":
        return 0.0
    digits = zone[1:].replace(":", "")
    seconds = int(digits[:2]) * 3600 + int(digits[2:]) * 60
    return float(-seconds if zone[0] == "-" else seconds)


def _times(column: Any, path: str, problems: _Problems) -> tuple[Floats, Floats]:
    """Seconds since 1970 (NaN where none), and seconds east of Greenwich."""
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


def _numbers(name: str, column: Any, problems: _Problems) -> Floats:
    """A column of text as numbers; what is none is counted and missing."""
    words = column.combine_chunks().dictionary_encode()
    read = np.array([_one(name, word.strip()) for word in words.dictionary.to_pylist()] + [np.nan])
    at = pc.fill_null(words.indices, len(read) - 1).to_numpy(zero_copy_only=False)
    values: Floats = read[at]
    problems.add(
        int(np.isnan(values).sum()) - column.null_count,
        f"with text where {name} should be a number",
    )
    return values


def _checked(
    name: str, values: Floats, columns: dict[str, tuple[str, float]], problems: _Problems
) -> Floats:
    """Numbers in our unit; those below zero, and without end, are missing."""
    _, factor = columns.get(name, ("", 1.0))
    if factor != 1.0:
        values = values * factor
    if np.fmin.reduce(values, initial=0.0) < 0:
        low = values < 0
        values = np.where(low, np.nan, values)
        what = "whose counter ran backwards (a restart)" if name in _COUNTERS else "below zero"
        problems.add(int(low.sum()), f"with {name} {what}")
    if np.fmax.reduce(values, initial=0.0) == np.inf:
        values = np.where(np.isinf(values), np.nan, values)
    return values


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
