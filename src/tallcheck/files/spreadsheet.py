"""Spreadsheets (ISO/IEC 29500 and 26300): the values of cells as they are shown."""

import datetime
import zipfile
import zlib
from collections.abc import Callable
from typing import Any

from msgspec import Struct

from tallcheck.core.values.errors import InputError, nearest
from tallcheck.files.foreign import foreign
from tallcheck.files.inputs import CELL_MOST, COLUMNS_MOST, look_at, shown
from tallcheck.files.spreadsheet_extent import ensure_extent

_HEADER_WITHIN = 20
"""Rows within which a table's header stands; titles may stand above it."""


class Cells(Struct):
    """A table of a spreadsheet. Cells are text or numbers; None is an empty one."""

    sheet: str
    header: list[str]
    rows: list[list[str | int | float | None]]
    lines: list[int]
    """The row of the sheet that each row stands on, from 1."""


def spreadsheet(path: str, sheet: str | None, known: Callable[[list[str]], int]) -> Cells:
    """The table of the named sheet, or of the one whose header tells most. Raises InputError.

    ``known`` counts the headings of a header that are known; 0 for what is no header.
    """
    from python_calamine import CalamineWorkbook

    _evaluate(path)
    with foreign("spreadsheet", shown(path)):
        book = CalamineWorkbook.from_path(path)
        names = book.sheet_names
    if sheet is not None and sheet not in names:
        raise InputError(
            f"found no sheet '{sheet}'{nearest(sheet, names)}", "one of: " + ", ".join(names),
            shown(path),
        )  # fmt: skip
    tables = []
    for name in names if sheet is None else [sheet]:
        with foreign("spreadsheet", f"{shown(path)}, sheet '{name}'"):
            rows = book.get_sheet_by_name(name).to_python(skip_empty_area=False)
        found = _table(name, rows, known)
        tables += [found] if found is not None else []
    if tables:
        return _held(max(tables, key=lambda one: known(one.header)), path)
    where = "on it" if sheet is not None else "on any sheet"
    raise InputError(f"found no table {where}", "a header and rows", shown(path))


def _evaluate(path: str) -> None:
    """Raise InputError for what is no packed spreadsheet, or unpacks to far too much."""
    try:
        look_at(path)
        with zipfile.ZipFile(path) as packed:
            ensure_extent(packed)
    except InputError as error:
        raise error.at(shown(path)) from None
    except OSError as error:
        reason = (error.strerror or "error").lower()
        raise InputError(f"cannot be read: {reason}", where=shown(path)) from None
    except (
        zipfile.BadZipFile,
        zlib.error,
        NotImplementedError,
        RuntimeError,
        ValueError,
        EOFError,
    ):
        raise InputError("found no spreadsheet", "one", shown(path)) from None


def _table(name: str, rows: list[list[Any]], known: Callable[[list[str]], int]) -> Cells | None:
    """The table of a sheet, None where it has none."""
    heads = [
        (at, [str(_value(cell) or "").strip() for cell in row])
        for at, row in enumerate(rows[:_HEADER_WITHIN])
    ]
    start = next(((at, row) for at, row in heads if known(row)), None)
    if start is None:
        return None
    at, header = start
    columns = [place for place, text in enumerate(header) if text]
    found = Cells(name, [header[place] for place in columns], [], [])
    for line, row in enumerate(rows[at + 1 :], at + 2):
        cells = [_value(row[place]) if place < len(row) else None for place in columns]
        comment = isinstance(cells[0], str) and cells[0].startswith("#")
        if not comment and any(cell is not None for cell in cells):
            found.rows.append(cells)
            found.lines.append(line)
    return found


def _held(found: Cells, path: str) -> Cells:
    if len(found.header) > COLUMNS_MOST:
        raise InputError(f"found {len(found.header)} columns", f"{COLUMNS_MOST} at most",
                         shown(path))  # fmt: skip
    for at, name in enumerate(found.header):
        if name in found.header[:at]:
            raise InputError(f"found the column '{name}' twice", "each column once", shown(path))
    for line, row in zip(found.lines, found.rows, strict=True):
        if any(isinstance(cell, str) and len(cell) > CELL_MOST for cell in row):
            raise InputError(f"found a cell of more than {CELL_MOST} characters", "far fewer",
                             f"{shown(path)}, row {line}")  # fmt: skip
    return found


def _value(cell: Any) -> str | int | float | None:
    """A cell as it is shown."""
    if isinstance(cell, bool):
        return "yes" if cell else "no"
    if isinstance(cell, float):
        return int(cell) if cell.is_integer() and abs(cell) < 1 << 53 else cell
    if isinstance(cell, datetime.datetime) and cell.time() == datetime.time():
        return cell.date().isoformat()
    if isinstance(cell, datetime.date | datetime.time):
        return cell.isoformat()
    if isinstance(cell, int):
        return cell
    return str(cell).strip() or None
