"""Lists of machines as Parquet: plain columns, their cost looked at before they are read."""

from typing import Any

import pyarrow as pa
from pyarrow import compute as pc

from tallcheck.core.values.errors import InputError
from tallcheck.files.foreign import foreign, hold_cost
from tallcheck.files.inputs import CELL_MOST, COLUMNS_MOST, look_at, shown

_NAMES_MOST = 1 << 24
"""Bytes of names in a file's own description, which may tell of any number."""
_ROW_COST, _CELL_COST = 160, 8
"""Bytes that a row and a cell take on their way to an answer."""


def parquet_table(path: str) -> pa.Table:
    """The file's columns: text coded, everything else as it is. Raises InputError."""
    from pyarrow import parquet

    where = shown(path)
    try:
        size = look_at(path).st_size
    except FileNotFoundError:
        raise InputError("cannot be read: no such file", where=where) from None
    except OSError as error:
        raise InputError(f"cannot be read: {(error.strerror or 'error').lower()}",
                         where=where) from None  # fmt: skip
    limits = {"thrift_string_size_limit": _NAMES_MOST, "thrift_container_size_limit": _NAMES_MOST}
    with foreign("Parquet", where), parquet.ParquetFile(path, **limits) as file:
        schema, rows = file.schema_arrow, file.metadata.num_rows
    _hold_columns(schema, where)
    hold_cost(f"{rows:,} rows", rows * (_ROW_COST + _CELL_COST * len(schema)), size, where)
    texts = [one.name for one in schema if _is_text(_within(one.type))]
    with (
        foreign("Parquet", where),
        parquet.ParquetFile(path, read_dictionary=texts, **limits) as file,
    ):
        table = file.read()
    _hold_texts(table, texts, size, where)
    return table


def _is_text(kind: Any) -> bool:
    return bool(pa.types.is_string(kind) or pa.types.is_large_string(kind))


def _within(kind: Any) -> Any:
    """The type of a column's values, coded or not."""
    return kind.value_type if pa.types.is_dictionary(kind) else kind


def _hold_columns(schema: pa.Schema, where: str) -> None:
    """Raise InputError for a column twice, and for one whose cells are no single values."""
    if len(schema) > COLUMNS_MOST:
        raise InputError(f"found {len(schema)} columns", f"{COLUMNS_MOST} at most", where)
    seen: set[str] = set()
    for field in schema:
        if field.name in seen:
            raise InputError(f"found the column '{field.name}' twice", "each column once", where)
        seen.add(field.name)
        kind = _within(field.type)
        plain = (
            pa.types.is_integer(kind) or pa.types.is_float32(kind) or pa.types.is_float64(kind)
            or pa.types.is_boolean(kind) or _is_text(kind) or pa.types.is_null(kind)
            or pa.types.is_decimal(kind) or pa.types.is_date(kind) or pa.types.is_timestamp(kind)
        )  # fmt: skip
        if not plain:
            raise InputError(
                f"found a column of {str(field.type)[:80]}", "text, numbers, yes or no, or dates",
                f"{where}, column {field.name}",
            )  # fmt: skip


def _hold_texts(table: pa.Table, names: list[str], size: int, where: str) -> None:
    """Raise InputError for text that is none, for a long cell, and for far too much in all."""
    written = 0
    for name in names:
        place = f"{where}, column {name}"
        for chunk in table[name].chunks:
            with foreign("text", place):
                chunk.validate(full=True)
            lengths = pc.binary_length(chunk.dictionary)
            if (pc.max(lengths).as_py() or 0) > CELL_MOST:
                raise InputError(f"found a cell of more than {CELL_MOST} characters", "far fewer",
                                 place)  # fmt: skip
            written += pc.sum(lengths.take(chunk.indices)).as_py() or 0
        hold_cost(f"{written:,} characters", written, size, place)
