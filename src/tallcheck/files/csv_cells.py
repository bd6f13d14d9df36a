"""What is looked at in a list's cells before it is read: quotes that stay open, absurd lengths."""

import csv
import io

import numpy as np

from tallcheck.core.values.errors import InputError
from tallcheck.files.inputs import CELL_MOST, shown

_PART = 1 << 18


def ensure_cells(data: bytes, mark: str, path: str) -> None:
    """Raise InputError for a cell that is far too long, and for a quote that is not closed.

    An open quote would take in all rows after it, as if they were one cell.
    """
    if _has_long_line(data):
        for number, line in enumerate(data.split(b"\n"), 1):
            if max(map(len, line.split(mark.encode()))) > CELL_MOST:
                raise InputError(
                    f"found a cell of more than {CELL_MOST} characters", "far fewer",
                    f"{shown(path)}, line {number}",
                )  # fmt: skip
    if count_of(data, b'"') % 2:
        _ensure_quotes(data, mark, path)


def count_of(data: bytes, mark: bytes) -> int:
    """How often one byte stands in some data: where it is frequent, faster than ``bytes.count``."""
    values = np.frombuffer(data, dtype=np.uint8)
    parts = (values[at : at + _PART] for at in range(0, len(values), _PART))
    return sum(int(np.count_nonzero(part == mark[0])) for part in parts)


def _ensure_quotes(data: bytes, mark: str, path: str) -> None:
    content = data.decode("utf-8", "replace")
    reader = csv.reader(io.StringIO(content, newline=""), delimiter=mark, strict=True)
    before = 0
    try:
        for _ in reader:
            before = reader.line_num
    except csv.Error as error:
        if "unexpected end of data" in str(error):
            taken = content.count("\n") + (not content.endswith("\n")) - before - 1
            raise InputError(
                f"found a quote that is not closed and takes in the {taken} lines after it",
                "quotes at both ends of a cell", f"{shown(path)}, line {before + 1}",
            ) from None  # fmt: skip


def _has_long_line(data: bytes) -> bool:
    """Whether any line is longer than a cell may be."""
    at = 0
    while at + CELL_MOST < len(data):
        end = data.rfind(b"\n", at, at + CELL_MOST)
        if end < 0:
            return True
        at = end + 1
    return False
