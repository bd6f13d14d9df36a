"""Many machines as a workbook (ISO/IEC 29500): the answer, the order, the work, each machine."""

import datetime
import io
from collections.abc import Sequence
from typing import Any

import numpy as np
from msgspec import Struct

from tallcheck.core.fleet.judged import ANSWERS
from tallcheck.core.jobs.fleet_check import FleetCheck
from tallcheck.core.messages.fleet import fleet_sentence
from tallcheck.core.messages.plans import offer_text
from tallcheck.core.values.quantities import GIB
from tallcheck.core.values.text import printable
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
        bold = book.add_format({"bold": True})
        day = book.add_format({"num_format": "yyyy-mm-dd"})
        fine = book.add_format({"num_format": "#,##0.00"})
        folded = book.add_format({"text_wrap": True, "valign": "top"})
        for one in sheets:
            sheet = book.add_worksheet(one.name)
            for at, (name, values) in enumerate(one.columns):
                sheet.write_string(0, at, printable(name), bold)
                for line, value in enumerate(values, 1):
                    if isinstance(value, datetime.date):
                        sheet.write_datetime(line, at, value, day)
                    elif _is_number(value):
                        sheet.write_number(line, at, value, *[fine] * isinstance(value, float))
                    elif value is not None:
                        sheet.write_string(line, at, _text(value)[:_XLSX_CELL])
                sheet.set_column(at, at, _width(name, values))
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
                    sheet.merge_range(line, 0, line, last, "", folded)
                sheet.write_string(line, 0, printable(text), folded)
                sheet.set_row(line, _LINE * (1 + len(text) // across))
    return out.getvalue()


_XLSX_CELL = 32_767
"""Characters that a cell of .xlsx holds."""
_WIDEST, _LOOKED_AT = 60, 200
_LINE = 16
"""Points of a line of text."""
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
