"""Spreadsheets in and out (ISO/IEC 29500 and 26300): the values of cells as they are shown."""

import datetime
import io
import zipfile
import zlib
from collections.abc import Callable, Sequence
from typing import Any

from msgspec import Struct

from tallcheck.core.values.errors import InputError, nearest
from tallcheck.core.values.text import printable
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


def spreadsheet(path: str, sheet: str | None, is_header: Callable[[list[str]], bool]) -> Cells:
    """The table of the named sheet, or of the first that has one. Raises InputError.

    ``is_header`` tells a header's cells from a title's.
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
    for name in names if sheet is None else [sheet]:
        with foreign("spreadsheet", f"{shown(path)}, sheet '{name}'"):
            rows = book.get_sheet_by_name(name).to_python(skip_empty_area=False)
        found = _table(name, rows, is_header)
        if found is not None:
            return _held(found, path)
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


def _table(
    name: str, rows: list[list[Any]], is_header: Callable[[list[str]], bool]
) -> Cells | None:
    """The table of a sheet, None where it has none."""
    heads = [
        (at, [str(_value(cell) or "").strip() for cell in row])
        for at, row in enumerate(rows[:_HEADER_WITHIN])
    ]
    start = next(((at, row) for at, row in heads if is_header(row)), None)
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


def workbook(columns: Sequence[tuple[str, list[Any]]]) -> bytes:
    """An .xlsx file of one sheet: numbers as numbers, all else as text, never as a formula."""
    import xlsxwriter

    out = io.BytesIO()
    with xlsxwriter.Workbook(out, {"in_memory": True}) as book:
        sheet = book.add_worksheet("fleet")
        bold = book.add_format({"bold": True})
        for at, (name, values) in enumerate(columns):
            sheet.write_string(0, at, printable(name), bold)
            for line, value in enumerate(values, 1):
                if isinstance(value, bool) or (value is not None and not _is_number(value)):
                    sheet.write_string(line, at, printable(str(_value(value) or ""))[:_XLSX_CELL])
                elif value is not None:
                    sheet.write_number(line, at, value)
        sheet.freeze_panes(1, 1)
    return out.getvalue()


_XLSX_CELL = 32_767
"""Characters that a cell of .xlsx holds."""


def _is_number(value: Any) -> bool:
    return isinstance(value, int | float) and abs(value) < 1 << 53
