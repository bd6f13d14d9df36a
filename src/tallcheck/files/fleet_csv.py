"""A fleet's CSV into a table of text and numbers, with the line of each row."""

import csv
import io
from contextlib import suppress
from typing import Any

import numpy as np
import pyarrow as pa
from pyarrow import csv as pacsv

from tallcheck.core.fleet.columns import Ints
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.plain import mended
from tallcheck.files.csv_cells import count_of, ensure_cells
from tallcheck.files.fleet_rows import Theirs, is_text, key_of, lines_above, recognised, with_names
from tallcheck.files.fleet_table import Rows
from tallcheck.files.inputs import COLUMNS_MOST, delimiter_of, shown

_START = 1 << 16
"""Bytes in which the header stands."""
_PADDED = 4
"""Blanks that a cell with nothing in it may have."""
_UNKNOWN = [*(" " * count for count in range(_PADDED + 1)), "?", "unknown", "Unknown", "n/a", "N/A",
            "NA", "null", "NULL"]  # fmt: skip


def csv_table(
    data: bytes, headings: dict[str, Theirs], path: str, vocabulary: Vocabulary
) -> tuple[pa.Table, Rows]:
    """The table, and which line each row stood on. Raises InputError."""
    data, bad_text = mended(data, shown(path))
    if b"\n" not in data:  # lines may end as old systems had them
        data = data.replace(b"\r", b"\n")
    above, at, named = lines_above(data[:_START].split(b"\n"), headings, vocabulary)
    kept, comments = _without_comments(data, above, at)
    start = kept[: max(kept.find(b"\n"), 0) or len(kept)].decode()
    mark = named or delimiter_of(start)
    try:
        header = [cell.strip() for cell in next(csv.reader([start], delimiter=mark), [])]
    except csv.Error as error:
        raise InputError(f"found no CSV: {error}", "a header and rows", shown(path)) from None
    if not any(header):
        raise InputError("found no header", "a line with name and the sheet's keys", shown(path))
    if len(header) > COLUMNS_MOST:
        raise InputError(f"found {len(header)} columns", f"{COLUMNS_MOST} at most", shown(path))
    ensure_cells(kept, mark, path)
    header = with_names(header)
    for at, name in enumerate(header):
        if name in header[:at]:
            raise InputError(f"found the column '{name}' twice", "each column once", shown(path))
    table, torn = _arrow_table(kept, header, headings, path, mark, vocabulary)
    lines = _lines(kept, len(table), [number for number, _ in torn], mark)
    # a blank line leaves every column without a value
    may_be = all(column.null_count for column in table.columns)
    blank = np.array(_blank_lines(kept) if may_be else [], dtype=np.int64)
    for left in comments:
        lines = lines + (lines >= left)
        blank = blank + (blank >= left)
        torn = [(number + (left <= number), text) for number, text in torn]
    torn = [(number, text) for number, text in torn if text]
    return table, Rows(lines, torn, bad_text, blank)


def _blank_lines(data: bytes) -> list[int]:
    """The lines with nothing on them."""
    return [number for number, line in enumerate(data.split(b"\n"), 1) if not line.strip()]


def _arrow_table(
    data: bytes,
    header: list[str],
    headings: dict[str, Theirs],
    path: str,
    mark: str,
    vocabulary: Vocabulary,
) -> tuple[pa.Table, list[tuple[int, str]]]:
    """The table, and the rows that have other cells than the header.

    Nothing is said of a row of blanks.
    """
    torn: list[tuple[int, str]] = []

    def left_out(row: Any) -> str:
        more = "more" if row.actual_columns > row.expected_columns else "fewer"
        text = f"found {row.actual_columns} cells, {more} than the header's {row.expected_columns}"
        torn.append((row.number, text if row.text.strip() else ""))
        return "skip"

    words = pa.dictionary(pa.int32(), pa.string())
    also = recognised(header, headings, vocabulary)
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
            return read(True, False), torn
        except pa.ArrowInvalid:
            # a torn row may be one with a line end in a cell; and only one thread counts rows, or
            # may call back: another one might do so while the interpreter ends, which aborts it
            return read(False, b'"' in data), torn
    except pa.ArrowInvalid as error:
        reason = str(error).partition("\n")[0]
        raise InputError(f"found no CSV: {reason}", "a header and rows", shown(path)) from None


def _without_comments(data: bytes, above: list[int], header: int) -> tuple[bytes, list[int]]:
    """The data without what stands above the header, and without lines that begin with #.

    And which lines these were.
    """
    comments = b"#" in data and (data.startswith(b"#") or b"\n#" in data)
    if not comments and not above:
        return data, []
    lines = data.split(b"\n")
    left = [number for number, line in enumerate(lines, 1)
            if number in above or (line.startswith(b"#") and number != header)]  # fmt: skip
    gone = frozenset(left)
    return b"\n".join(line for at, line in enumerate(lines, 1) if at not in gone), left


def _lines(data: bytes, count: int, torn: list[int], mark: str) -> Ints:
    """The line of each row that was kept."""
    rows = count + len(torn)
    physical = rows + 1
    if b'"' in data:
        physical = count_of(data, b"\n") + (0 if data.endswith(b"\n") else 1)
    if physical == rows + 1:
        return np.delete(np.arange(2, physical + 1), [number - 2 for number in torn])
    # cells that hold line ends: rows are counted in records, and take up lines of their own
    reader = csv.reader(io.StringIO(data.decode(), newline=""), delimiter=mark)
    starts, line = [], 1
    with suppress(csv.Error):
        for _ in reader:
            starts.append(line)
            line = reader.line_num + 1
    if len(starts) != rows + 1:
        return np.arange(2, count + 2)  # lone marks that two readers take in two ways
    return np.delete(np.array(starts[1:]), [number - 2 for number in torn])
