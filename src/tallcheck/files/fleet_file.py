"""Fleets in: CSV, a spreadsheet, JSON Lines, Parquet, or a folder of sheets and captures.

A cell that does not read leaves its reading unknown and is listed; a row that does not read is
listed and left out. Neither stops the others.
"""

import os
from collections.abc import Callable, Iterator
from typing import Any

import numpy as np
import pyarrow as pa

from tallcheck.core.fleet.columns import Fleet, FleetFile
from tallcheck.core.machine.sheet import CAPTURE_ENDINGS, SHEET_ENDING, Machine
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.plain import json_of
from tallcheck.files.fleet_csv import csv_table
from tallcheck.files.fleet_rows import Theirs, headings_known
from tallcheck.files.fleet_table import Rows, from_table, named_twice
from tallcheck.files.inputs import SPREADSHEETS, read, shown
from tallcheck.files.sheets import machine_from, machine_from_table
from tallcheck.files.spreadsheet import Cells, spreadsheet

_FLEET_MOST = 16 << 30
_WHOLE = 1 << 53
"""Whole numbers below this are what they are in every column of numbers."""


Capture = Callable[[str], Machine]
"""What makes a machine sheet of a capture; raises InputError."""


def read_fleet(
    path: str,
    headings: dict[str, Theirs],
    keep: bool,
    vocabulary: Vocabulary,
    capture: Capture | None = None,
    sheet: str | None = None,
) -> FleetFile:
    """The fleet in a file or folder; with ``keep`` its table too. Raises InputError.

    ``capture`` reads the captures in a folder. ``sheet``: of a spreadsheet the sheet of this name,
    else the one whose header tells most.
    """
    if os.path.isdir(path):
        return _folder(path, capture, vocabulary)
    ending = os.path.splitext(path)[1].lower()
    if ending in SPREADSHEETS:
        cells = spreadsheet(path, sheet, lambda row: headings_known(row, headings, vocabulary))
        return _cells(cells, headings, path, keep, vocabulary)
    if sheet is not None:
        raise InputError("found --sheet for a file that has none", "a spreadsheet", shown(path))
    if ending == ".parquet":
        from tallcheck.files.parquet_table import parquet_table

        return from_table(parquet_table(path), Rows(), headings, path, keep, vocabulary)
    data = _bytes(path)
    start = data.lstrip()[:1]
    if ending in (".jsonl", ".ndjson") or (ending != ".csv" and start in (b"{", b"[")):
        return _json_lines(data, headings, path, keep, vocabulary)
    table, rows = csv_table(data, headings, path, vocabulary)
    del data  # as large as the table
    return from_table(table, rows, headings, path, keep, vocabulary)


def _bytes(path: str) -> bytes:
    return read(path, _FLEET_MOST)


def _cells(
    found: Cells, headings: dict[str, Theirs], path: str, keep: bool, vocabulary: Vocabulary
) -> FleetFile:
    columns = {
        name: _array([row[at] for row in found.rows]) for at, name in enumerate(found.header)
    }
    rows = Rows(np.array(found.lines, dtype=np.int64))
    file = from_table(pa.table(columns), rows, headings, path, keep, vocabulary)
    file.remarks.insert(0, f"read from the sheet '{found.sheet}'")
    return file


def _json_lines(
    data: bytes, headings: dict[str, Theirs], path: str, keep: bool, vocabulary: Vocabulary
) -> FleetFile:
    """Machine sheets, or flat objects with the columns of the CSV, one on each line or one list."""
    objects: list[dict[str, Any]] = []
    lines: list[int] = []
    unreadable: list[tuple[int, str]] = []
    for number, raw in _entries(data.removeprefix(b"\xef\xbb\xbf"), path):
        if isinstance(raw, InputError):
            unreadable.append((number, str(raw)))
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
        return _of_sheets(sheets, places, sorted(unreadable), True, vocabulary)
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
    return from_table(table, Rows(np.array(lines), unreadable), headings, path, keep, vocabulary)


def _entries(data: bytes, path: str) -> Iterator[tuple[int, Any]]:
    """What stands on each line, or in a list, by number; an InputError where it is no JSON."""
    if data.lstrip().startswith(b"["):
        try:
            yield from enumerate(json_of(data, "a list of JSON objects"), 1)
        except InputError as error:
            raise error.at(shown(path)) from None
        return
    for number, line in enumerate(data.split(b"\n"), 1):
        if line.strip():
            try:
                yield number, json_of(line, "one JSON object on each line")
            except InputError as error:
                yield number, error


def _array(values: list[Any]) -> pa.Array:
    """Numbers as numbers; where anything else is among them, all as text."""
    kinds = {type(value) for value in values if value is not None}
    if kinds <= {int} and all(value is None or -_WHOLE < value < _WHOLE for value in values):
        return pa.array(values)
    if kinds <= {int, float}:
        return pa.array([None if value is None else float(value) for value in values])
    return pa.array([None if value is None else str(value) for value in values])


def _flat(value: Any) -> Any:
    """A JSON value as the cell that would say the same."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, list):
        return ";".join(map(str, value))
    return value if isinstance(value, int | float | None) else str(value)


def _folder(path: str, capture: Capture | None, vocabulary: Vocabulary) -> FleetFile:
    """Sheets, captures in archives and captures in folders of their own, in one folder."""
    names = sorted(name for name in os.listdir(path) if not name.startswith("."))
    sheets: list[Machine] = []
    places: list[int] = []
    unreadable: list[tuple[int, str]] = []
    for at, name in enumerate(names, 1):
        inside = os.path.join(path, name)
        try:
            if name.endswith(SHEET_ENDING):
                sheets.append(machine_from(_bytes(inside), name))
            elif capture and (os.path.isdir(inside) or name.lower().endswith(CAPTURE_ENDINGS)):
                sheets.append(capture(inside))
            else:
                continue
            places.append(at)
        except InputError as error:
            unreadable.append((at, str(error)))
    if not sheets and not unreadable:
        raise InputError(
            "found no machine sheet and no capture",
            f"files named NAME{SHEET_ENDING}, or captures", shown(path),
        )  # fmt: skip
    return _of_sheets(sheets, places, unreadable, False, vocabulary)


def _of_sheets(
    sheets: list[Machine],
    places: list[int],
    unreadable: list[tuple[int, str]],
    by_line: bool,
    vocabulary: Vocabulary,
) -> FleetFile:
    names = np.array([sheet.name for sheet in sheets], dtype=object)
    fleet = Fleet(names, np.array(places, dtype=np.int64), {}, {},
                  np.zeros(len(sheets), dtype=np.uint32), vocabulary, sheets)  # fmt: skip
    return FleetFile(
        fleet,
        [],
        unreadable,
        [],
        pa.table({"name": names.tolist()}),
        by_line,
        twice=lambda: named_twice(pa.array(names.tolist(), pa.string())),
    )
