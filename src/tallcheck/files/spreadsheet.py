"""Spreadsheets (ISO/IEC 29500 and 26300): the values of cells as they are shown.

What one would come to is counted in its parts before a library reads it: cells may be far apart,
repeat, or all refer to one long text, so that a kilobyte asks for gigabytes.
"""

import datetime
import re
import zipfile
import zlib
from collections.abc import Callable, Iterator
from typing import Any
from xml.parsers import expat

from msgspec import Struct

from tallcheck.core.values.errors import InputError, nearest
from tallcheck.core.values.plain import whole_number
from tallcheck.files.inputs import CELL_MOST, COLUMNS_MOST, HEADER_WITHIN, foreign, look_at, shown

UNPACKED_MOST = 1 << 29
"""Bytes of a spreadsheet's parts, unpacked."""
CELLS_MOST = 12_000_000
"""Cells from the first to the last one, empty ones between them included."""
CHARACTERS_MOST = 1 << 28
"""Characters of all cells, each as often as it is shown."""
_PIECE = 1 << 18
_REPEATED = 1 << 22
_PICTURES = re.compile(r"(?i)\.(?:png|jpe?g|gif|bmp|tiff?|emf|wmf|svg|bin|vml)$")


def ensure_extent(packed: zipfile.ZipFile) -> None:
    """Raise InputError, which names the part, for a spreadsheet that would come to far too much."""
    names = [one for one in packed.namelist() if not _PICTURES.search(one)]
    budget = _Budget()
    texts: list[int] = []
    for name in names:
        if name.endswith("sharedStrings.xml"):
            texts = _Texts().read(_pieces(packed, name, budget), name)
    for name in names:
        if not name.endswith("sharedStrings.xml"):
            _Sheet(texts).read(_pieces(packed, name, budget), name)


class _Budget:
    """Bytes that may still be unpacked."""

    def __init__(self) -> None:
        self.left = UNPACKED_MOST


def _pieces(packed: zipfile.ZipFile, name: str, budget: _Budget) -> Iterator[bytes]:
    with packed.open(name) as part:
        while piece := part.read(_PIECE):
            budget.left -= len(piece)
            if budget.left < 0:
                raise InputError(f"found more than {UNPACKED_MOST >> 20} MiB unpacked", "far less")
            yield piece


class _Part:
    """One part of a spreadsheet, read as XML; what is no XML is left to the library."""

    sheet = False
    """Whether it is one that holds cells."""

    def read(self, pieces: Iterator[bytes], name: str) -> Any:
        parser = expat.ParserCreate(namespace_separator=" ")
        parser.buffer_text = True
        parser.StartElementHandler = self._begin
        parser.EndElementHandler = self._end
        parser.CharacterDataHandler = self._text
        try:
            for piece in pieces:
                parser.Parse(piece)
            parser.Parse(b"", True)
        except expat.ExpatError as error:
            if self.sheet:
                raise InputError(
                    f"found a sheet that is no XML on line {error.lineno}", "a spreadsheet", name
                ) from None
        except InputError as error:
            raise error.at(name) from None
        return self.found()

    def found(self) -> Any:
        """What was counted."""

    def _begin(self, tag: str, given: dict[str, str]) -> None: ...

    def _end(self, tag: str) -> None: ...

    def _text(self, text: str) -> None: ...


class _Texts(_Part):
    """The shared texts: how many characters each has."""

    def __init__(self) -> None:
        self._lengths: list[int] = []

    def found(self) -> list[int]:
        return self._lengths

    def _begin(self, tag: str, given: dict[str, str]) -> None:
        if tag.rpartition(" ")[2] == "si":
            self._lengths.append(0)

    def _text(self, text: str) -> None:
        if self._lengths:
            self._lengths[-1] += len(text)


class _Sheet(_Part):
    """The cells of a sheet: how far they reach, how often they repeat, what texts they show."""

    def __init__(self, texts: list[int]) -> None:
        self._texts = texts
        self._row = self._column = 0
        self._last_row = self._last_column = 0
        self._shared = self._value = False
        self._characters = 0
        # of a row whose cells repeat: its cells so far, and those up to the last that is not empty
        self._times, self._at, self._filled, self._here = 1, 0, 0, 0
        self._repeats, self._cell = 1, 0
        self._cells = 0

    def _begin(self, tag: str, given: dict[str, str]) -> None:
        name = tag.rpartition(" ")[2]
        if name in ("worksheet", "spreadsheet"):
            self.sheet = True
        if name == "row":
            self._row = whole_number(given.get("r", "")) or self._row + 1
            self._column = 0
        elif name == "c":
            self._place(given.get("r", ""))
            self._shared = given.get("t") == "s"
        elif name in ("v", "t"):
            self._value = True
        elif name == "table-row":
            self._times = _repeats(given, "number-rows-repeated")
            self._at = self._filled = self._here = 0
        elif name in ("table-cell", "covered-table-cell"):
            self._repeats = _repeats(given, "number-columns-repeated")
            # a number stands in an attribute, and perhaps in no text
            self._cell = int(any(key.rpartition(" ")[2] == "value-type" for key in given))

    def _place(self, place: str) -> None:
        """Where a cell stands: ``AB12``, or behind the one before it."""
        match = re.fullmatch(r"\$?([A-Za-z]{1,4})\$?([0-9]{1,9})", place)
        column = self._column + 1
        if match:
            column = 0
            for letter in match[1].upper():
                column = column * 26 + ord(letter) - 64
            self._row = int(match[2])
        self._column = column
        self._last_row = max(self._last_row, self._row)
        self._last_column = max(self._last_column, column)
        if self._last_row * self._last_column > CELLS_MOST:
            raise InputError(
                f"found cells as far as row {self._last_row:,} and column {self._last_column:,}",
                f"at most {CELLS_MOST:,} cells", place,
            )  # fmt: skip

    def _text(self, text: str) -> None:
        self._cell += len(text)
        if not self._value:
            return
        length = len(text)
        if self._shared:
            at = whole_number(text.strip())
            length = self._texts[at] if at is not None and 0 <= at < len(self._texts) else 0
        self._count(length)

    def _count(self, characters: int) -> None:
        self._characters += characters
        if self._characters > CHARACTERS_MOST:
            raise InputError(f"found more than {CHARACTERS_MOST:,} characters", "far fewer")

    def _end(self, tag: str) -> None:
        name = tag.rpartition(" ")[2]
        if name in ("v", "t"):
            self._value = False
        elif name in ("table-cell", "covered-table-cell"):
            self._at += self._repeats
            if self._cell:
                self._filled = self._at
                self._here += self._cell * self._repeats
        elif name == "table-row" and self._filled:
            self._cells += self._filled * self._times
            if self._cells > CELLS_MOST:
                raise InputError(
                    f"found cells that repeat to {self._cells:,}", f"at most {CELLS_MOST:,}"
                )
            self._count(self._here * self._times)


def _repeats(given: dict[str, str], name: str) -> int:
    """How often a row or cell repeats; what no sheet has is as bad as the most."""
    text = next((value for key, value in given.items() if key.rpartition(" ")[2] == name), "1")
    number = whole_number(text)
    return _REPEATED if number is None else max(min(number, _REPEATED), 1)


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
        for at, row in enumerate(rows[:HEADER_WITHIN])
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
