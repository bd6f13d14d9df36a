"""A fleet's result, one row a machine: CSV, JSON Lines, Parquet, or a workbook (ISO/IEC 29500)."""

import datetime
import io
from collections.abc import Sequence
from typing import Any

import numpy as np
import pyarrow as pa
from msgspec import Struct
from pyarrow import csv as pacsv
from pyarrow import parquet

from tallcheck.core.fleet.columns import FleetFile
from tallcheck.core.fleet.judged import ANSWERS, STATUSES
from tallcheck.core.jobs.fleet_check import FleetCheck
from tallcheck.core.messages.conditions import conditions
from tallcheck.core.messages.fleet import fleet_sentence, in_text, out_text
from tallcheck.core.messages.plans import offer_text
from tallcheck.core.values.quantities import GIB
from tallcheck.core.values.text import guarded, json_line, printable
from tallcheck.report import fleet_texts as t
from tallcheck.report.fleet_work import budget_text, by_text, jobs, order_note


class Sheet(Struct):
    """One sheet of a workbook: its name, and its columns by their headings."""

    name: str
    columns: Sequence[tuple[str, Sequence[Any]]]
    notes: Sequence[str] = ()
    """Sentences under the table."""

    @property
    def lines(self) -> int:
        """How many rows it has."""
        return max((len(values) for _, values in self.columns), default=0)


def fleet_workbook(found: FleetCheck, machines: Sequence[tuple[str, list[Any]]]) -> bytes:
    """The workbook of a fleet; ``machines`` are the columns in which each machine has its row."""
    sheets = [_answer(found), _order(found), _work(found)]
    each = [
        (f"{name}, GB", [None if one is None else one / GIB for one in values])
        if name == "target_memory" else (name, values)
        for name, values in machines
    ]  # fmt: skip
    return workbook([*(one for one in sheets if one is not None), Sheet("Machines", each)])


def _answer(found: FleetCheck) -> Sheet:
    counts = found.judged.counts()
    columns: list[tuple[str, list[Any]]] = [
        ("answer", list(ANSWERS)),
        ("count", [counts[one] for one in ANSWERS]),
    ]
    if found.costs is not None:
        each = [
            None if answer in ("ready", "undecided")
            else found.costs.whole[found.judged.answers == at]
            for at, answer in enumerate(ANSWERS)
        ]  # fmt: skip
        columns += [
            (f"cost {found.currency}".strip(),
             [None if one is None else float(np.nansum(one)) / 100 for one in each]),
            ("without a price", [None if one is None else int(np.isnan(one).sum())
                                 for one in each]),
        ]  # fmt: skip
    columns.append(("means", [t.MEANS[one] for one in ANSWERS]))
    texts = (fleet_sentence(found), by_text(found), budget_text(found), t.prices_note(found),
             t.quarter_text(found))  # fmt: skip
    return Sheet("Answer", columns, [text for text in texts if text])


def _order(found: FleetCheck) -> Sheet | None:
    solved = found.order
    if solved is None or not solved.orders:
        return None
    lines, currency = solved.orders, found.currency
    return Sheet("Order", [
        ("count", [one.count for one in lines]), ("part", [offer_text(one.offer) for one in lines]),
        (f"each {currency}".strip(), [(one.offer.price or 0) / 100 for one in lines]),
        (f"together {currency}".strip(), [one.cost / 100 for one in lines]),
        ("from", [one.offer.source for one in lines]),
    ], [order_note(found, solved)])  # fmt: skip


def _work(found: FleetCheck) -> Sheet | None:
    todo = jobs(found)
    if not todo:
        return None
    return Sheet("Work", [
        ("order", list(range(1, len(todo) + 1))), ("done", [None] * len(todo)),
        ("where", [str(found.fleet.names[one.machine]) for one in todo]),
        ("what to do", ["; ".join(one.steps) for one in todo]),
        ("support ends", [one.ends for one in todo]),
        (f"cost {found.currency}".strip(),
         [None if np.isnan(one.cost) else one.cost / 100 for one in todo]),
    ])  # fmt: skip


def workbook(sheets: Sequence[Sheet]) -> bytes:
    """An .xlsx file: numbers and dates as such, all else as text, never as a formula.

    Each sheet has its headings frozen, and filters on them; printed, it is as wide as a page where
    that can be read.
    """
    import xlsxwriter

    out = io.BytesIO()
    with xlsxwriter.Workbook(out, {"in_memory": True}) as book:
        form = {name: book.add_format({"valign": "top", **more}) for name, more in _FORMATS.items()}
        for one in sheets:
            sheet = book.add_worksheet(one.name)
            lines = np.ones(one.lines + 1, dtype=int)
            for at, (name, values) in enumerate(one.columns):
                width = _width(name, values)
                figures = not any(isinstance(value, str | bool) for value in values)
                sheet.write_string(0, at, printable(name), form["figures" if figures else "words"])
                sheet.set_column(at, at, width)
                for line, value in enumerate(values, 1):
                    if isinstance(value, datetime.date):
                        sheet.write_datetime(line, at, value, form["day"])
                    elif _is_number(value):
                        kind = "fine" if isinstance(value, float) else "count"
                        sheet.write_number(line, at, value, form[kind])
                    elif value is not None:
                        text = _text(value)[:_XLSX_CELL]
                        needed = min(-(-len(text) // width), _LINES_MOST)
                        lines[line] = max(lines[line], needed)
                        sheet.write_string(line, at, text, form["folded" if needed > 1 else "text"])
            for high in np.flatnonzero(lines > 1).tolist():
                sheet.set_row(high, _LINE * int(lines[high]))
            sheet.freeze_panes(1, 1)
            last = len(one.columns) - 1
            across = sum(_width(name, values) for name, values in one.columns)
            sheet.set_landscape()
            sheet.repeat_rows(0)
            if across < _READABLE:
                sheet.fit_to_pages(1, 0)
            if one.lines:
                sheet.autofilter(0, 0, one.lines, last)
            for line, text in enumerate(one.notes, one.lines + 2):
                if last:
                    sheet.merge_range(line, 0, line, last, "", form["folded"])
                sheet.write_string(line, 0, printable(text), form["folded"])
                sheet.set_row(line, _LINE * (1 + len(text) // across))
    return out.getvalue()


_FORMATS: dict[str, dict[str, Any]] = {
    "words": {"bold": True, "align": "left", "indent": 1},
    "figures": {"bold": True, "align": "right"},
    "day": {"num_format": "yyyy-mm-dd"}, "fine": {"num_format": "#,##0.00"},
    "count": {}, "text": {"align": "left", "indent": 1},
    "folded": {"text_wrap": True, "align": "left", "indent": 1},
}  # fmt: skip
_XLSX_CELL = 32_767
"""Characters that a cell of .xlsx holds."""
_WIDEST, _LOOKED_AT = 60, 200
_LINE, _LINES_MOST = 16, 12
"""Points of a line of text, and lines of a cell that are shown."""
_READABLE = 220
"""Characters across a page of paper that can still be read."""


def _width(name: str, values: Sequence[Any]) -> int:
    """Characters that a column shows: what its first cells need, and no more than is handy."""
    shown = [name, *(str(value) for value in values[:_LOOKED_AT] if value is not None)]
    return min(max(map(len, shown)) + 2, _WIDEST)


def _text(value: Any) -> str:
    return ("yes" if value else "no") if isinstance(value, bool) else printable(str(value))


def _is_number(value: Any) -> bool:
    number = isinstance(value, int | float) and not isinstance(value, bool)
    return number and abs(value) < 1 << 53


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
