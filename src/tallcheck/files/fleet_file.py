"""Fleets in: CSV, JSON Lines, Parquet, or a folder of machine sheets.

A cell that does not read leaves its reading unknown and is listed; a row that does not read is
listed and left out. Neither stops the others.
"""

import csv
import io
import os
import warnings
from typing import Any

import msgspec
import numpy as np
import pandas as pd
from msgspec import Struct

from tallcheck.core.errors import InputError, nearest
from tallcheck.core.fleet import NUMBER_KINDS, Fleet, Floats, Words
from tallcheck.core.machine import Machine
from tallcheck.core.readings import SHORT_NAMES, keys, kind_of, parse_value, resolve_key
from tallcheck.files.inputs import shown
from tallcheck.files.sheets import machine_from, machine_from_table

SHEET_ENDING = ".machine.json"
_FLEET_MOST = 16 << 30
_UNITS = {"B": 0, "KB": 1, "MB": 2, "GB": 3, "TB": 4}
_CLOCK_UNITS = {"HZ": 1.0, "KHZ": 1e3, "MHZ": 1e6, "GHZ": 1e9}
_UNKNOWN = ["", "?", "unknown", "Unknown", "n/a", "N/A", "NA", "null", "NULL"]
_BARE_LEAST = 1 << 20
"""A whole column of plain numbers from here on can only be bytes (or hertz)."""
_OVERFLOW = "\0more"
_TEXT_KINDS = ("text", "flag", "sets", "modules", "software")


class Fault(Struct, frozen=True):
    """Cells of one column that do not read for one reason; ``rows`` counts machines from 0."""

    column: str
    text: str
    rows: Any


class FleetFile(Struct):
    """A fleet as read: the machines, the faults, and the table as it was."""

    fleet: Fleet
    faults: list[Fault]
    unreadable: list[tuple[int, str]]
    """Rows that were left out: line (or place in the folder), and why."""
    remarks: list[str]
    table: pd.DataFrame | None
    by_line: bool = True


class Theirs(Struct, frozen=True):
    """Somebody else's heading for a reading, and the unit of its plain numbers."""

    heading: str
    unit: str = ""


def parse_headings(texts: list[str]) -> dict[str, Theirs]:
    """``name=theirs`` or ``memory=theirs:GB`` by dotted key. Raises InputError."""
    found: dict[str, Theirs] = {}
    for part in texts:
        ours, equals, theirs = part.partition("=")
        if not equals or not theirs:
            raise InputError(f"found '{part}'", "KEY=THEIRS or KEY=THEIRS:UNIT", "--columns")
        key = ours.strip()
        try:
            key = key if key == "name" else resolve_key(key)
        except InputError as error:
            raise error.at("--columns") from None
        heading, colon, unit = theirs.rpartition(":")
        known = _CLOCK_UNITS if key != "name" and kind_of(key) == "clock" else _UNITS
        if colon and unit.upper() in known:
            found[key] = Theirs(heading.strip(), unit.upper())
        else:
            found[key] = Theirs(theirs.strip())
    return found


def read_fleet(path: str, headings: dict[str, Theirs], keep: bool) -> FleetFile:
    """The fleet in a file or folder; with ``keep`` its table too. Raises InputError."""
    if os.path.isdir(path):
        return _folder(path)
    ending = os.path.splitext(path)[1].lower()
    if ending == ".parquet":
        return _from_frame(_parquet(path), _Rows(), headings, path, keep)
    data = _bytes(path)
    start = data.lstrip()[:1]
    if ending in (".jsonl", ".ndjson") or (ending != ".csv" and start == b"{"):
        return _json_lines(data, headings, path, keep)
    frame, rows = _csv(data, headings, path)
    return _from_frame(frame, rows, headings, path, keep)


def _bytes(path: str) -> bytes:
    from tallcheck.files.inputs import read

    return read(path, _FLEET_MOST)


class _Rows(Struct):
    """Which line each row of a table stood on, and the rows that were left out."""

    lines: Any = None
    unreadable: list[tuple[int, str]] = []
    bad_text: bool = False


# --- CSV -----------------------------------------------------------------------------------


def _csv(data: bytes, headings: dict[str, Theirs], path: str) -> tuple[pd.DataFrame, _Rows]:
    data = data.removeprefix(b"\xef\xbb\xbf")
    kept, first, comments = _without_comments(data)
    header = next(csv.reader(io.StringIO(kept.partition(b"\n")[0].decode("utf-8", "replace"))), [])
    header = [cell.strip() for cell in header]
    if not header or header == [""]:
        raise InputError("found no header", "a line with name and the sheet's keys", shown(path))
    if len(header) == 1 and ";" in header[0]:
        raise InputError("found ';' between the columns", "commas", f"{shown(path)}, line {first}")
    _once(header, path)
    text_columns = {name: str for name in header if _is_text(name, headings)}
    unreadable: list[tuple[int, str]] = []
    with warnings.catch_warnings(record=True) as caught:
        warnings.simplefilter("always")
        try:
            frame = pd.read_csv(
                io.BytesIO(kept), header=0, names=[*header, _OVERFLOW], dtype=text_columns,
                keep_default_na=False, na_values=_UNKNOWN, skipinitialspace=True,
                skip_blank_lines=False, low_memory=False, on_bad_lines="warn",
                encoding_errors="replace", quotechar='"',
            )  # fmt: skip
        except (pd.errors.ParserError, pd.errors.EmptyDataError, ValueError) as error:
            reason = str(error).partition("\n")[0]
            raise InputError(f"found no CSV: {reason}", "a header and rows", shown(path)) from None
    skipped = _skipped(caught)
    lines = _lines(kept, len(frame), skipped, first, comments)
    whole_line = _line_at(comments, first)
    unreadable += [(whole_line(at), reason) for at, reason in skipped]
    frame, lines = _complete_rows(frame, lines, kept, len(header), unreadable, comments, first)
    return frame, _Rows(lines, sorted(unreadable), b"\xef\xbf\xbd" in kept or not _is_utf8(kept))


def _is_utf8(data: bytes) -> bool:
    try:
        data.decode()
    except UnicodeDecodeError:
        return False
    return True


def _without_comments(data: bytes) -> tuple[bytes, int, list[int]]:
    """The data without lines that begin with #; the header's line; which lines were left out."""
    if not data.startswith(b"#") and b"\n#" not in data:
        return data, 1, []
    kept, left = [], []
    for number, line in enumerate(data.split(b"\n"), 1):
        if line.startswith(b"#"):
            left.append(number)
        else:
            kept.append(line)
    first = 1
    while first in left:
        first += 1
    return b"\n".join(kept), first, left


def _line_at(comments: list[int], first: int) -> Any:
    """From a line of the data without comments, from 1, to the file's own."""

    def at(line: int) -> int:
        for left in comments:
            line += left <= line
        return line

    return at


def _once(header: list[str], path: str) -> None:
    for at, name in enumerate(header):
        if name and name in header[:at]:
            raise InputError(f"found the column '{name}' twice", "each column once", shown(path))


def _is_text(name: str, headings: dict[str, Theirs]) -> bool:
    """Whether a column holds words, so that ``9`` stays a word and is no number."""
    key = _key_of(name, headings)
    return key is None or key == "name" or kind_of(key) in _TEXT_KINDS


def _key_of(name: str, headings: dict[str, Theirs]) -> str | None:
    """The reading under a heading; None where it is none."""
    for key, theirs in headings.items():
        if theirs.heading == name:
            return key
    if name.strip().lower() == "name":
        return None if "name" in headings else "name"
    key = SHORT_NAMES.get(name.strip().lower(), name.strip().lower())
    if key in headings:
        return None
    return key if key in keys() or (key.startswith("extra.") and len(key) > 6) else None


def _skipped(caught: list[warnings.WarningMessage]) -> list[tuple[int, str]]:
    """Rows with more cells than the header, as the reader warned of them."""
    found = []
    for one in caught:
        for line in str(one.message).splitlines():
            if line.startswith("Skipping line "):
                number, _, rest = line.removeprefix("Skipping line ").partition(":")
                cells = rest.rpartition("saw ")[2].strip()
                found.append((int(number), f"found {cells} cells, more than the header has"))
    return found


def _lines(
    data: bytes, count: int, skipped: list[tuple[int, str]], first: int, comments: list[int]
) -> Any:
    """The file's line of each row."""
    physical = data.count(b"\n") + (0 if data.endswith(b"\n") else 1)
    if physical == 1 + count + len(skipped):
        lines = np.arange(2, physical + 1)
        lines = np.delete(lines, [at - 2 for at, _ in skipped]) if skipped else lines
    else:  # cells that hold line ends
        reader = csv.reader(io.StringIO(data.decode("utf-8", "replace"), newline=""))
        next(reader)
        bad = {at for at, _ in skipped}
        found, line = [], reader.line_num + 1
        for _ in reader:
            if line not in bad:
                found.append(line)
            line = reader.line_num + 1
        lines = np.array(found[:count] + [0] * (count - len(found)))
    for left in comments:
        lines = lines + (lines >= left)
    return lines


def _complete_rows(
    frame: pd.DataFrame, lines: Any, data: bytes, columns: int,
    unreadable: list[tuple[int, str]], comments: list[int], first: int,
) -> tuple[pd.DataFrame, Any]:  # fmt: skip
    """The rows that have as many cells as the header; blank lines are no rows."""
    over = frame[_OVERFLOW].notna().to_numpy()
    frame = frame.drop(columns=_OVERFLOW)
    short = _torn(frame, lines, data, columns, comments) & ~over
    blank = np.zeros(len(frame), dtype=bool)
    if short.any():
        blank[short] = frame[short].isna().all(axis=1).to_numpy()
    short &= ~blank
    for at in np.flatnonzero(over):
        unreadable.append((int(lines[at]), f"found {columns + 1} cells, more than the header has"))
    for at in np.flatnonzero(short):
        unreadable.append((int(lines[at]), "found fewer cells than the header has: a torn row"))
    drop = over | short | blank
    if not drop.any():
        return frame, lines
    return frame[~drop].reset_index(drop=True), lines[~drop]


def _torn(frame: pd.DataFrame, lines: Any, data: bytes, columns: int, comments: list[int]) -> Any:
    """Which rows have fewer cells than the header: only those without a last cell can."""
    found = np.zeros(len(frame), dtype=bool)
    if columns == 1:
        return frame.isna().all(axis=1).to_numpy()
    maybe = np.flatnonzero(frame[frame.columns[-1]].isna().to_numpy())
    if not len(maybe):
        return found
    ends = np.flatnonzero(np.frombuffer(data, dtype=np.uint8) == 10)
    starts = np.concatenate(([0], ends + 1))
    ends = np.append(ends, len(data))
    own = lines - np.searchsorted(np.array(comments), lines) if comments else lines
    for at in maybe:
        line = int(own[at]) - 1
        raw = data[starts[line] : ends[line]]
        if b'"' in raw:
            cells = len(next(csv.reader([raw.decode("utf-8", "replace")]), []))
        else:
            cells = raw.count(b",") + 1
        found[at] = cells < columns
    return found


# --- other files ---------------------------------------------------------------------------


def _parquet(path: str) -> pd.DataFrame:
    try:
        return pd.read_parquet(path)
    except FileNotFoundError:
        raise InputError("cannot be read: no such file", where=shown(path)) from None
    except Exception as error:  # the reader raises errors of many kinds
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
        except (msgspec.DecodeError, UnicodeDecodeError) as error:
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
    frame = pd.DataFrame({key: pd.Series(values, dtype=object) for key, values in columns.items()})
    return _from_frame(frame, _Rows(np.array(lines), unreadable), headings, path, keep)


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
                  np.zeros(len(sheets), dtype=np.uint16), sheets)  # fmt: skip
    return FleetFile(fleet, _twice(names), unreadable, [], pd.DataFrame({"name": names}), by_line)


# --- columns -------------------------------------------------------------------------------


def _from_frame(
    frame: pd.DataFrame, rows: _Rows, headings: dict[str, Theirs], path: str, keep: bool
) -> FleetFile:
    """Columns parsed by the kind of their reading; each faulty cell listed."""
    by_key, remarks = _columns(list(map(str, frame.columns)), headings, path)
    frame.columns = pd.Index(list(map(str, frame.columns)))
    lines = rows.lines if rows.lines is not None else np.arange(1, len(frame) + 1)
    frame, lines = _named(frame, by_key["name"], lines, rows)
    faults: list[Fault] = []
    numbers: dict[str, Floats] = {}
    words: dict[str, Words] = {}
    names = frame[by_key["name"]].astype(object).to_numpy()
    for key, heading in by_key.items():
        if key == "name":
            continue
        series = frame[heading]
        if not keep:
            del frame[heading]
        unit = headings[key].unit if key in headings else ""
        column = _Column(key, heading, unit, faults, remarks, shown(path))
        if kind_of(key) in (*NUMBER_KINDS, "bits"):
            numbers[key] = column.numbers(series)
        else:
            words[key] = column.words(series)
    fleet = Fleet(names, lines.astype(np.int64), numbers, words,
                  np.zeros(len(names), dtype=np.uint16))  # fmt: skip
    if rows.bad_text:
        remarks.append("found bytes that are not UTF-8: they are shown as \ufffd")
    faults += _twice(names)
    return FleetFile(fleet, faults, rows.unreadable, remarks, frame if keep else None)


def _columns(
    names: list[str], headings: dict[str, Theirs], path: str
) -> tuple[dict[str, str], list[str]]:
    """The heading of each reading, and a remark on headings that are none."""
    by_key: dict[str, str] = {}
    left = []
    for name in names:
        key = _key_of(name, headings)
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
    for name in left:
        hint = nearest(name.strip().lower(), [*SHORT_NAMES, *keys()]) if name.strip() else ""
        remarks.append(f"the column '{name}' is no reading and is only passed on{hint}")
    return by_key, remarks


def _named(frame: pd.DataFrame, heading: str, lines: Any, rows: _Rows) -> tuple[pd.DataFrame, Any]:
    """The rows that have a name; the others are listed."""
    nameless = frame[heading].isna().to_numpy()
    if not nameless.any():
        return frame, lines
    rows.unreadable += [(int(line), "found no name") for line in lines[nameless]]
    rows.unreadable.sort()
    return frame[~nameless].reset_index(drop=True), lines[~nameless]


def _twice(names: Any) -> list[Fault]:
    """Machines whose name another one has too: all are judged, and all are named."""
    again = pd.Series(names).duplicated(keep=False).to_numpy()
    if not again.any():
        return []
    return [Fault("name", "the same name more than once: each row is judged for itself",
                  np.flatnonzero(again))]  # fmt: skip


class _Column:
    """One column of a reading on its way into the fleet."""

    def __init__(
        self, key: str, heading: str, unit: str, faults: list[Fault], remarks: list[str], path: str
    ) -> None:  # fmt: skip
        self.key, self.heading, self.unit = key, heading, unit
        self.faults, self.remarks, self.path = faults, remarks, path
        self.kind = kind_of(key)

    def numbers(self, series: pd.Series) -> Floats:
        """The column as numbers, in bytes or hertz; NaN unknown."""
        if pd.api.types.is_bool_dtype(series):
            series = series.map({True: "yes", False: "no"})
        if pd.api.types.is_numeric_dtype(series):
            return self._plain(series.to_numpy(dtype=np.float64, na_value=np.nan))
        return self._written(series)

    def _plain(self, values: Floats) -> Floats:
        """Numbers without a unit: those of --columns, else bytes or hertz where they can be."""
        known = ~np.isnan(values)
        if self.kind in ("count", "bits"):
            return self._whole(values, known)
        if self.unit:
            return self._checked(np.round(values * self._factor()))
        large = known & ((values >= _BARE_LEAST) | (values == 0))
        if known.any() and not (large & (values > 0)).any() and (values[known] > 0).any():
            example = next(str(value) for value in values[known] if value > 0).removesuffix(".0")
            unit = "GHz" if self.kind == "clock" else "GB"
            raise InputError(
                f"found numbers without a unit, such as {example}",
                f"a unit in each cell, or --columns {self.key}='{self.heading}:{unit}'",
                f"{self.path}, column {self.heading}",
            )
        self._fault(known & ~large, values, "without a unit")
        if large.any():
            what = "hertz" if self.kind == "clock" else "bytes"
            self.remarks.append(f"{self.heading}: plain numbers are taken as {what}")
        return self._checked(np.where(large, values, np.nan))

    def _factor(self) -> float:
        if self.kind == "clock":
            return _CLOCK_UNITS[self.unit]
        return float((1024 if self.kind == "memory" else 1000) ** _UNITS[self.unit])

    def _checked(self, values: Floats) -> Floats:
        odd = (values < 0) | np.isinf(values) | (values > float(1 << 62))
        self._fault(odd, values, "which no machine has")
        return np.where(odd, np.nan, values)

    def _whole(self, values: Floats, known: Any) -> Floats:
        odd = known & ((values < 0) | (values != np.floor(values)) | (values > 1e9))
        if self.kind == "bits":
            odd |= known & ~np.isin(values, (16, 32, 64))
        self._fault(odd, values, "no such number")
        return np.where(odd, np.nan, values)

    def _fault(self, which: Any, values: Floats, why: str) -> None:
        for value in np.unique(values[which]):
            text = f'found "{value:.15g}" {why}'
            self.faults.append(Fault(self.heading, text, np.flatnonzero(which & (values == value))))

    def _written(self, series: pd.Series) -> Floats:
        """Sizes as people write them: each distinct text is parsed once."""
        codes, distinct = pd.factorize(series)
        values = np.array([*(self._number(text) for text in distinct), np.nan])
        self._unread(codes, distinct, np.isnan(values[:-1]))
        return np.asarray(values[codes])

    def _number(self, cell: Any) -> float:
        text = str(cell)
        if isinstance(cell, float) and cell.is_integer():
            text = str(int(cell))
        if self.unit and not text.strip(" 0123456789.,"):
            text = f"{text} {self.unit}"
        sized = self.kind in ("memory", "storage", "clock")
        if sized and text.strip().isdigit() and int(text) >= _BARE_LEAST:
            # beside cells with units, a plain number that can only be bytes is taken as such
            return float(int(text))
        try:
            return float(parse_value(self.key, text))
        except InputError:
            return float("nan")

    def _unread(self, codes: Any, distinct: Any, bad: Any) -> None:
        for at in np.flatnonzero(bad):
            text = str(distinct[at])
            try:
                parse_value(self.key, text)
                why = f'found "{text}"'
            except InputError as error:
                why = f"{error.found}; expected {error.expected}"
            self.faults.append(Fault(self.heading, why, np.flatnonzero(codes == at)))

    def words(self, series: pd.Series) -> Words:
        """The column as codes of distinct values."""
        if pd.api.types.is_bool_dtype(series):
            series = series.map({True: "yes", False: "no"})
        codes, distinct = pd.factorize(series)
        values: list[Any] = []
        places = np.full(len(distinct) + 1, -1, dtype=np.int32)
        bad = np.zeros(len(distinct), dtype=bool)
        for at, cell in enumerate(distinct):
            text = str(cell)
            try:
                value = parse_value(self.key, text)
            except InputError:
                bad[at] = True
                continue
            places[at] = len(values)
            values.append(value)
        self._unread(codes, distinct, bad)
        return Words(places[codes], values)
