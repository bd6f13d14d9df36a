"""A fleet's result, one row a machine, as CSV, a spreadsheet, JSON Lines or Parquet."""

import io
from typing import Any

import numpy as np
import pyarrow as pa
from pyarrow import csv as pacsv
from pyarrow import parquet

from tallcheck.core.fleet.columns import FleetFile
from tallcheck.core.fleet.judged import ANSWERS, STATUSES
from tallcheck.core.jobs.fleet_check import FleetCheck
from tallcheck.core.messages.conditions import conditions
from tallcheck.core.messages.fleet import in_text, out_text
from tallcheck.core.values.text import guarded, json_line
from tallcheck.report.workbook import fleet_workbook

_WORSE = ("absent", "met", "unknown", "short")


def result_bytes(found: FleetCheck, file: FleetFile, ending: str) -> bytes:
    """The fleet's own columns, then the answer and a status for each need."""
    table = with_result(found, file)
    if ending == ".parquet":
        out = io.BytesIO()
        parquet.write_table(table, out)
        return out.getvalue()
    if ending == ".jsonl":
        return "".join(map(json_line, table.to_pylist())).encode()
    if ending == ".xlsx":
        columns = [(name, table[name].to_pylist()) for name in table.column_names]
        return fleet_workbook(found, columns)
    out = io.BytesIO()
    pacsv.write_csv(_guarded(table), out, pacsv.WriteOptions(quoting_style="needed"))
    return out.getvalue()


def with_result(found: FleetCheck, file: FleetFile) -> pa.Table:
    """The fleet's own columns, and the result's beside them."""
    table = file.table
    for name, values in _columns(found):
        while name in table.column_names:
            name += "_found"  # a column of the fleet's own keeps its name
        table = table.append_column(name, values)
    return table


def _columns(found: FleetCheck) -> list[tuple[str, Any]]:
    judged, details = found.judged, found.details
    assert details is not None
    assert found.fixes is not None
    columns: list[tuple[str, Any]] = [
        ("answer", _coded(judged.answers, list(ANSWERS))),
        ("limiting", _coded(details.limiting, [one.need.key for one in judged.asked])),
        ("target_memory", _sizes(found.fixes.targets)),
    ]
    texts = [conditions(verdict) for verdict in details.verdicts]
    columns.append(("conditions", _coded(details.kinds, ["; ".join(one) for one in texts])))
    find_out = [" ".join(one.decision.find_out) for one in details.verdicts]
    columns.append(("find_out", _coded(details.kinds, find_out)))
    for name, text in (("take_out", out_text), ("put_in", in_text)):
        values: list[str | None] = [None] * len(found.fleet)
        for at, work in found.works.items():
            values[at] = text(found, work) or None
        columns.append((name, pa.array(values, pa.string())))
    costs = found.paid / 100
    columns.append(("cost", pa.array(costs, pa.float64(), mask=np.isnan(costs))))
    columns.append(("currency", pa.array([found.currency or None] * len(found.fleet), pa.string())))
    return columns + _statuses(found)


def _coded(codes: Any, values: list[str]) -> Any:
    indices = pa.array(codes.astype(np.int32), mask=codes < 0)
    return pa.DictionaryArray.from_arrays(indices, pa.array(values, pa.string())).cast(pa.string())


def _sizes(values: Any) -> Any:
    return pa.array(np.nan_to_num(values).astype(np.int64), mask=np.isnan(values))


def _statuses(found: FleetCheck) -> list[tuple[str, Any]]:
    """One column for each key: of several needs on it the worst status."""
    worst: dict[str, Any] = {}
    order = np.array([_WORSE.index(status) for status in STATUSES])
    for one, codes in zip(found.judged.asked, found.judged.statuses, strict=True):
        ranks = order[codes]
        key = one.need.key
        worst[key] = np.maximum(worst[key], ranks) if key in worst else ranks
    return [(f"{key}_status", _coded(ranks, ["", *_WORSE[1:]])) for key, ranks in worst.items()]


def _guarded(table: pa.Table) -> pa.Table:
    """Text that no spreadsheet takes for a formula."""
    for at, field in enumerate(table.schema):
        kind = field.type
        text = pa.types.is_string(kind) or pa.types.is_dictionary(kind)
        if text or pa.types.is_large_string(kind):
            coded = table.column(at).cast(pa.string()).combine_chunks().dictionary_encode()
            safe = pa.array([guarded(one) for one in coded.dictionary.to_pylist()], pa.string())
            column = pa.DictionaryArray.from_arrays(coded.indices, safe).cast(pa.string())
            table = table.set_column(at, field.name, column)
    return table.rename_columns([guarded(name) for name in table.column_names])
