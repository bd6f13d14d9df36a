"""Fleets in: CSV, JSON Lines, Parquet, or a folder of machine sheets.

A cell that does not read leaves its reading unknown and is listed; a row that does not read is
listed and left out. Neither stops the others.
"""

import csv
import io
import os
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import msgspec
import numpy as np
import pyarrow as pa
from msgspec import Struct
from pyarrow import compute as pc
from pyarrow import csv as pacsv

from tallcheck.core.fleet.columns import Fault, Fleet, FleetFile, Ints
from tallcheck.core.machine.readings import SHORT_NAMES, keys, label_of
from tallcheck.core.machine.sheet import Machine
from tallcheck.core.values.errors import InputError, nearest
from tallcheck.files.csv_cells import hold_cells
from tallcheck.files.fleet_columns import Column, as_numpy, flags
from tallcheck.files.fleet_headings import Theirs, is_text, key_of, recognised
from tallcheck.files.fleet_told import Told
from tallcheck.files.inputs import COLUMNS_MOST, delimiter_of, look_at, read, shown, utf8
from tallcheck.files.sheets import machine_from, machine_from_table

SHEET_ENDING = ".machine.json"
_FLEET_MOST = 16 << 30
_UNKNOWN = ["", "?", "unknown", "Unknown", "n/a", "N/A", "NA", "null", "NULL"]


def read_fleet(path: str, headings: dict[str, Theirs], keep: bool) -> FleetFile:
    """The fleet in a file or folder; with ``keep`` its table too. Raises InputError."""
    if os.path.isdir(path):
        return _folder(path)
    ending = os.path.splitext(path)[1].lower()
    if ending == ".parquet":
        return _from_table(_parquet(path), _Rows(), headings, path, keep)
    data = _bytes(path)
    start = data.lstrip()[:1]
    if ending in (".jsonl", ".ndjson") or (ending != ".csv" and start == b"{"):
        return _json_lines(data, headings, path, keep)
    table, rows = _csv(data, headings, path)
    del data  # as large as the table
    return _from_table(table, rows, headings, path, keep)


def _bytes(path: str) -> bytes:

    return read(path, _FLEET_MOST)


class _Rows(Struct):
    """Which line each row of a table stood on, and the rows that were left out."""

    lines: Any = None
    unreadable: list[tuple[int, str]] = []
    bad_text: bool = False
    blank: Any = ()
    """Lines with nothing on them, which are no rows."""


# --- CSV -----------------------------------------------------------------------------------


def _csv(data: bytes, headings: dict[str, Theirs], path: str) -> tuple[pa.Table, _Rows]:
    data = utf8(data, path)
    kept, comments = _without_comments(data)
    start = kept[: max(kept.find(b"\n"), 0) or len(kept)].decode("utf-8", "replace")
    mark = delimiter_of(start)
    header = [cell.strip() for cell in next(csv.reader([start], delimiter=mark), [])]
    if not any(header):
        raise InputError("found no header", "a line with name and the sheet's keys", shown(path))
    if len(header) > COLUMNS_MOST:
        raise InputError(f"found {len(header)} columns", f"{COLUMNS_MOST} at most", shown(path))
    hold_cells(kept, mark, path)
    for at, name in enumerate(header):
        if name in header[:at]:
            raise InputError(f"found the column '{name}' twice", "each column once", shown(path))
    table, torn, bad_text = _arrow_table(kept, header, headings, path, mark)
    lines = _lines(kept, len(table), [number for number, _ in torn], mark)
    blank = np.array(_blank_lines(kept), dtype=np.int64)
    for left in comments:
        lines = lines + (lines >= left)
        blank = blank + (blank >= left)
        torn = [(number + (left <= number), text) for number, text in torn]
    return table, _Rows(lines, torn, bad_text, blank)


def _blank_lines(data: bytes) -> list[int]:
    """The lines with nothing on them."""
    if b"\n\n" not in data and b"\n\r\n" not in data:
        return []
    return [number for number, line in enumerate(data.split(b"\n"), 1) if not line.strip()]


def _arrow_table(
    data: bytes, header: list[str], headings: dict[str, Theirs], path: str, mark: str
) -> tuple[pa.Table, list[tuple[int, str]], bool]:
    """The table, the rows that have other cells than the header, and whether text was mended."""
    torn: list[tuple[int, str]] = []

    def left_out(row: Any) -> str:
        more = "more" if row.actual_columns > row.expected_columns else "fewer"
        text = f"found {row.actual_columns} cells, {more} than the header's {row.expected_columns}"
        torn.append((row.number, text))
        return "skip"

    words = pa.dictionary(pa.int32(), pa.string())
    also = recognised(header, headings)
    keyed = {name: key_of(name, headings) or also.get(name) for name in header}
    types = {
        name: pa.string() if key in ("name", None) else words
        for name, key in keyed.items() if key is None or is_text(key)
    }  # fmt: skip

    def read(threads: bool, line_ends: bool) -> pa.Table:
        return pacsv.read_csv(
            pa.BufferReader(data),
            pacsv.ReadOptions(use_threads=threads, column_names=header, skip_rows=1,
                              block_size=4 << 20),
            pacsv.ParseOptions(ignore_empty_lines=False, delimiter=mark,
                               newlines_in_values=line_ends,
                               invalid_row_handler=None if threads else left_out),
            pacsv.ConvertOptions(
                null_values=_UNKNOWN, strings_can_be_null=True, quoted_strings_can_be_null=True,
                auto_dict_encode=True, auto_dict_max_cardinality=1 << 16, column_types=types,
                true_values=[], false_values=[],
            ),
        )  # fmt: skip

    try:
        try:
            table = read(True, False)
        except pa.ArrowInvalid:
            # a torn row may be one with a line end in a cell; and only one thread counts rows, or
            # may call back: another one might do so while the interpreter ends, which aborts it
            table = read(False, b'"' in data)
    except pa.ArrowInvalid as error:
        try:
            data.decode()
        except UnicodeDecodeError:
            mended = data.decode("utf-8", "replace").encode()
            table, torn, _ = _arrow_table(mended, header, headings, path, mark)
            return table, torn, True
        reason = str(error).partition("\n")[0]
        raise InputError(f"found no CSV: {reason}", "a header and rows", shown(path)) from None
    return table, torn, False


def _without_comments(data: bytes) -> tuple[bytes, list[int]]:
    """The data without lines that begin with #, and which lines these were."""
    if b"#" not in data or (not data.startswith(b"#") and b"\n#" not in data):
        return data, []
    lines = data.split(b"\n")
    left = [number for number, line in enumerate(lines, 1) if line.startswith(b"#")]
    return b"\n".join(line for line in lines if not line.startswith(b"#")), left


def _lines(data: bytes, count: int, torn: list[int], mark: str) -> Ints:
    """The line of each row that was kept."""
    rows = count + len(torn)
    physical = rows + 1
    if b'"' in data:
        physical = data.count(b"\n") + (0 if data.endswith(b"\n") else 1)
    if physical == rows + 1:
        return np.delete(np.arange(2, physical + 1), [number - 2 for number in torn])
    # cells that hold line ends: rows are counted in records, and take up lines of their own
    reader = csv.reader(io.StringIO(data.decode(), newline=""), delimiter=mark)
    starts, line = [], 1
    for _ in reader:
        starts.append(line)
        line = reader.line_num + 1
    records = np.delete(np.array(starts[1:]), [number - 2 for number in torn])
    return np.resize(records, count)


# --- other files ---------------------------------------------------------------------------


def _parquet(path: str) -> pa.Table:
    from pyarrow import parquet

    try:
        look_at(path)
        return parquet.read_table(path)
    except FileNotFoundError:
        raise InputError("cannot be read: no such file", where=shown(path)) from None
    except (pa.ArrowException, OSError) as error:
        reason = str(error).partition("\n")[0]
        raise InputError(f"found no Parquet: {reason}", "a Parquet file", shown(path)) from None


def _json_lines(data: bytes, headings: dict[str, Theirs], path: str, keep: bool) -> FleetFile:
    """Machine sheets, or flat objects with the columns of the CSV, one on each line."""
    objects: list[dict[str, Any]] = []
    lines: list[int] = []
    unreadable: list[tuple[int, str]] = []
    for number, line in enumerate(data.removeprefix(b"\xef\xbb\xbf").split(b"\n"), 1):
        if not line.strip():
            continue
        try:
            raw = msgspec.json.decode(line)
        except (msgspec.DecodeError, UnicodeDecodeError, RecursionError) as error:
            unreadable.append((number, f"found no JSON: {error}"))
            continue
        if not isinstance(raw, dict):
            unreadable.append((number, "found no object"))
            continue
        objects.append(raw)
        lines.append(number)
    if objects and "tallcheck" in objects[0]:
        sheets, places = [], []
        for raw, number in zip(objects, lines, strict=True):
            try:
                sheets.append(machine_from_table(raw))
                places.append(number)
            except InputError as error:
                unreadable.append((number, str(error)))
        return _of_sheets(sheets, places, sorted(unreadable), True)
    if not objects:
        raise InputError("found no object", "one JSON object on each line", shown(path))
    columns: dict[str, list[Any]] = {}
    for at, raw in enumerate(objects):
        for key, value in raw.items():
            if key not in columns:
                columns[key] = [None] * at
            columns[key].append(_flat(value))
        for values in columns.values():
            if len(values) <= at:
                values.append(None)
    table = pa.table({key: _array(values) for key, values in columns.items()})
    return _from_table(table, _Rows(np.array(lines), unreadable), headings, path, keep)


def _array(values: list[Any]) -> pa.Array:
    """Numbers as numbers; where anything else is among them, all as text."""
    plain = all(value is None or isinstance(value, int | float) for value in values)
    return pa.array(values if plain else [None if v is None else str(v) for v in values])


def _flat(value: Any) -> Any:
    """A JSON value as the cell that would say the same."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, list):
        return ";".join(map(str, value))
    return value if isinstance(value, int | float | None) else str(value)


def _folder(path: str) -> FleetFile:
    names = sorted(name for name in os.listdir(path) if name.endswith(SHEET_ENDING))
    if not names:
        raise InputError("found no machine sheet", f"files named NAME{SHEET_ENDING}", shown(path))
    sheets: list[Machine] = []
    places: list[int] = []
    unreadable: list[tuple[int, str]] = []
    for at, name in enumerate(names, 1):
        try:
            sheets.append(machine_from(_bytes(os.path.join(path, name)), name))
            places.append(at)
        except InputError as error:
            unreadable.append((at, str(error)))
    return _of_sheets(sheets, places, unreadable, False)


def _of_sheets(
    sheets: list[Machine], places: list[int], unreadable: list[tuple[int, str]], by_line: bool
) -> FleetFile:
    names = np.array([sheet.name for sheet in sheets], dtype=object)
    fleet = Fleet(names, np.array(places, dtype=np.int64), {}, {},
                  np.zeros(len(sheets), dtype=np.uint32), sheets)  # fmt: skip
    return FleetFile(
        fleet,
        _twice(pa.array(names.tolist(), pa.string())),
        unreadable,
        [],
        pa.table({"name": names.tolist()}),
        by_line,
    )


# --- columns -------------------------------------------------------------------------------


def _from_table(
    table: pa.Table, rows: _Rows, headings: dict[str, Theirs], path: str, keep: bool
) -> FleetFile:
    """Columns parsed by the kind of their reading; each faulty cell listed."""
    by_key, remarks = _columns(table.column_names, headings, path)
    lines = rows.lines if rows.lines is not None else np.arange(1, len(table) + 1)
    table, lines = _named(table, by_key["name"], lines, rows)
    names = table[by_key["name"]].cast(pa.string()).combine_chunks()
    pool = ThreadPoolExecutor(1)  # names take as long as all the rest, and need no lock
    twice = pool.submit(_twice, table[by_key["name"]])
    faults: list[Fault] = []
    whole = table if keep else None
    told = Told(faults)
    for key, heading in by_key.items():
        if key == "name":
            continue
        unit = headings[key].unit if key in headings else ""
        column = Column(key, heading, unit, faults, remarks, shown(path))
        more, texts = column.read(table[heading])
        told.add(key, heading, more, texts)
        if not keep:
            table = table.drop_columns(heading)
    numbers, words = told.columns()
    fleet = Fleet(names, lines.astype(np.int64), numbers, words,
                  np.zeros(len(names), dtype=np.uint32))  # fmt: skip
    faults = [*faults, *twice.result()]
    pool.shutdown()
    if rows.bad_text:
        remarks.append("found bytes that are not UTF-8: they are shown as \ufffd")
    return FleetFile(fleet, faults, rows.unreadable, remarks, whole)


def _columns(
    names: list[str], headings: dict[str, Theirs], path: str
) -> tuple[dict[str, str], list[str]]:
    """The heading of each reading, and a remark on headings that are none."""
    by_key: dict[str, str] = {}
    left = []
    also = recognised(names, headings)
    for name in names:
        key = key_of(name, headings) or also.get(name)
        if key is None:
            left.append(name)
        elif key in by_key:
            raise InputError(
                f"found '{by_key[key]}' and '{name}' for {key}", "one column for each reading",
                shown(path),
            )  # fmt: skip
        else:
            by_key[key] = name
    for key, theirs in headings.items():
        if key not in by_key:
            raise InputError(
                f"found no column '{theirs.heading}'{nearest(theirs.heading, names)}",
                "it in the header", f"--columns {key}",
            )  # fmt: skip
    if "name" not in by_key:
        raise InputError(
            f"found no column 'name'{nearest('name', names)}",
            "it in the header, or --columns name=THEIRS", shown(path),
        )  # fmt: skip
    remarks = []
    known = also | {
        name: key for key, name in by_key.items()
        if name not in SHORT_NAMES and name not in (*keys(), "name") and key not in headings
    }  # fmt: skip
    if known:
        said = ", ".join(
            f"'{name}' as {'the name' if key == 'name' else label_of(key)}"
            for name, key in known.items()
        )
        remarks.append(f"headings recognised: {said}")
    for name in left:
        hint = nearest(name.strip().lower(), [*SHORT_NAMES, *keys()]) if name.strip() else ""
        remarks.append(f"the column '{name}' is no reading and is only passed on{hint}")
    return by_key, remarks


def _named(table: pa.Table, heading: str, lines: Ints, rows: _Rows) -> tuple[pa.Table, Ints]:
    """The rows that have a name; the others are listed, but for lines with nothing on them."""
    if not table[heading].null_count:
        return table, lines
    nameless = flags(table[heading].is_null())
    blank = np.isin(lines, rows.blank)
    rows.unreadable += [(int(line), "found no name") for line in lines[nameless & ~blank]]
    rows.unreadable.sort()
    return table.filter(pa.array(~nameless)), lines[~nameless]


def _twice(names: Any) -> list[Fault]:
    """Machines whose name another one has too: all are judged, and all are named."""
    counts = names.value_counts()
    many = np.flatnonzero(as_numpy(counts.field("counts"), 0) > 1)
    if not len(many):
        return []
    again = counts.field("values").take(pa.array(many))
    which = pc.is_in(names, value_set=again.cast(names.type))
    return [Fault("name", "the same name more than once: each row is judged for itself",
                  np.flatnonzero(flags(which)))]  # fmt: skip
