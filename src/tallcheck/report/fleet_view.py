"""A fleet for reading in a terminal, and as Markdown: the counts first, then what to do."""

from tallcheck.core.fleet.columns import FleetFile
from tallcheck.core.jobs.fleet_check import FleetCheck
from tallcheck.core.messages.fleet import fleet_sentence, wanted_of
from tallcheck.core.values.text import printable
from tallcheck.report import fleet_texts as t
from tallcheck.report.check_view import cut, section
from tallcheck.report.fleet_work import (
    budget_names,
    budget_text,
    by_text,
    order_table,
    work_table,
    work_texts,
)
from tallcheck.report.formats import Table, bullets, escaped, heading
from tallcheck.report.formats import table as markdown_table
from tallcheck.report.plain import Line, Page, wrap

_EACH_MOST = 6
_FAULTS_MOST = 12
_NAMES_MOST = 24
_BAR = 20


def fleet_lines(found: FleetCheck, file: FleetFile, page: Page) -> list[Line]:
    """The whole view."""
    lines: list[Line] = wrap(fleet_sentence(found), page.width, style="strong")
    if file.unreadable:
        count = len(file.unreadable)
        are, they = ("row is", "it") if count == 1 else ("rows are", "they")
        text = f"{count} {are} not among them, for {they} could not be read: see below."
        lines += wrap(text, page.width, style="bad")
    lines += [[], *_answers(found, page)]
    lines += wrap(t.prices_note(found), page.width, "  ", "dim") if found.costs else []
    for text in (by_text(found), budget_text(found)):
        lines += [[], *wrap(text, page.width, style="strong")] if text else []
    if budget_text(found):
        lines += wrap(_names(budget_names(found), page.verbose), page.width, "  ")
    for table in (t.deadlines_table(found), order_table(found)):
        lines += _table(table, page) if table is not None else []
    lines += _work(found, page)
    for table in (t.curve_table(found), t.what_if_table(found)):
        lines += _table(table, page) if table is not None else []
    lines += section("What would settle the undecided", t.settling_texts(found), page, "open")
    lines += _machines(found, page)
    doubts = t.doubt_texts(found, file, page.verbose)
    lines += section("In doubt, and taken as unknown", _some(doubts, page.verbose), page, "bad")
    faults = t.fault_texts(file, page.verbose)
    lines += section("Faults in the list", _some(faults, page.verbose), page, "bad")
    left = t.unreadable_texts(file)
    lines += section("Rows left out", _some(left, page.verbose), page, "bad")
    return lines + section("Remarks", file.remarks, page, "dim")


def _names(names: list[str], everything: bool) -> str:
    """The names, and how many more there are."""
    shown = names if everything else names[:_NAMES_MOST]
    more = len(names) - len(shown)
    return ", ".join(shown) + (f" and {more} more: --verbose names them" if more else "")


def _work(found: FleetCheck, page: Page) -> list[Line]:
    """The beginning of the work list, or all of it."""
    if found.costs is None or not len(found.todo):
        return []
    lines: list[Line] = [[], [("Work, in this order", "strong")]]
    for text in work_texts(found, None if page.verbose else _EACH_MOST):
        lines += wrap(text, page.width, "  ")
    more = len(found.todo) - _EACH_MOST
    if not page.verbose and more > 0:
        lines.append([(f"  and {more} more: --verbose or --save shows all", "dim")])
    return lines


def _some(texts: list[str], everything: bool) -> list[str]:
    if everything or len(texts) <= _FAULTS_MOST:
        return texts
    return [*texts[:_FAULTS_MOST], f"and {len(texts) - _FAULTS_MOST} more: --verbose shows all"]


def _answers(found: FleetCheck, page: Page) -> list[Line]:
    table = t.answers_table(found)
    most = max(int(row[1]) for row in table.rows) or 1
    wide = max(min(_BAR, page.width - 56), 4) if found.costs is not None else _BAR
    lines: list[Line] = []
    for row in table.rows:
        bar = "█" * round(wide * int(row[1]) / most)
        cost = f"{row[3]:>24}" if found.costs is not None else ""
        line = f"  {row[0]:<13}{row[1]:>7} {row[2]:>5}  "
        lines.append([
            (line, ""), (f"{bar:<{wide}}", row[0]), (cost, ""),
            (f"  {row[-1]}" if not cost or page.width >= 118 else "", "dim"),
        ])  # fmt: skip
    return lines


def _table(table: Table, page: Page) -> list[Line]:
    lines: list[Line] = [[], [(table.title, "strong")]]
    if table.rows:
        widths = _widths([table.head, *table.rows], page.width - 2)
        lines.append([("  " + _cells(table.head, widths, table.numbers), "dim")])
        lines += [[("  " + _cells(row, widths, table.numbers), "")] for row in table.rows]
    return lines + (wrap(table.note, page.width, "  ", "dim") if table.note else [])


def _widths(rows: list[tuple[str, ...]], room: int) -> list[int]:
    """Columns as wide as their text, the widest ones cut until all fit."""
    widths = [max(len(printable(row[at])) for row in rows) for at in range(len(rows[0]))]
    while sum(widths) + 2 * len(widths) > room and max(widths) > 8:
        widths[widths.index(max(widths))] -= 1
    return widths


def _cells(row: tuple[str, ...], widths: list[int], numbers: tuple[int, ...]) -> str:
    cells = []
    for at, (cell, width) in enumerate(zip(row, widths, strict=True)):
        text = cut(cell, width)
        cells.append(f"{text:>{width}}" if at in numbers else f"{text:<{width}}")
    return "  ".join(cells).rstrip()


def _machines(found: FleetCheck, page: Page) -> list[Line]:
    lines: list[Line] = []
    for answer, where in t.machines_by_answer(found):
        if answer == "ready" or not len(where):
            continue
        shown = where if page.verbose else where[:_EACH_MOST]
        rows = [t.machine_row(found, at) for at in shown.tolist()]
        heads, kept = used_columns(rows)
        lines += [[], [(f"{answer}: {len(where)}", answer)]]
        widths = _widths([heads, *kept], page.width - 2)
        lines.append([("  " + _cells(heads, widths, ()), "dim")])
        lines += [[("  " + _cells(row, widths, ()), "")] for row in kept]
        if len(where) > len(shown):
            text = f"  and {len(where) - len(shown)} more: --verbose or --save shows all"
            lines.append([(text, "dim")])
    return lines


def used_columns(rows: list[tuple[str, ...]]) -> tuple[tuple[str, ...], list[tuple[str, ...]]]:
    """The columns in which any machine has something."""
    keep = [at for at in range(len(t.MACHINE_HEAD)) if any(row[at] for row in rows)]
    return tuple(t.MACHINE_HEAD[at] for at in keep), [tuple(row[at] for at in keep) for row in rows]


# --- Markdown ------------------------------------------------------------------------------


def fleet_markdown(found: FleetCheck, file: FleetFile) -> str:
    """The whole fleet as Markdown, every machine listed."""
    lines = [*heading(1, wanted_of(found)), escaped(fleet_sentence(found)), ""]
    lines += _in_markdown(t.answers_table(found))
    if t.prices_note(found):
        lines += ["", escaped(t.prices_note(found))]
    for text in (by_text(found), budget_text(found), ", ".join(budget_names(found))):
        lines += ["", escaped(text)] if text else []
    for table in (t.deadlines_table(found), order_table(found), work_table(found),
                  t.curve_table(found), t.what_if_table(found)):  # fmt: skip
        if table is not None:
            lines += ["", *heading(2, table.title), *_in_markdown(table)]
            lines += ["", escaped(table.note)] if table.note else []
    for answer, where in t.machines_by_answer(found):
        if len(where):
            rows = [t.machine_row(found, at) for at in where.tolist()]
            lines += ["", *heading(2, f"{answer}: {len(where)}")]
            lines += markdown_table(*used_columns(rows))
    for title, texts in (
        ("What would settle the undecided", t.settling_texts(found)),
        ("In doubt, and taken as unknown", t.doubt_texts(found, file, True)),
        ("Faults in the list", t.fault_texts(file, True)),
        ("Rows left out", t.unreadable_texts(file)), ("Remarks", file.remarks),
    ):  # fmt: skip
        if texts:
            lines += ["", *heading(2, title), *bullets(texts)]
    return "\n".join(lines) + "\n"


def _in_markdown(table: Table) -> list[str]:
    return markdown_table(table.head, table.rows, table.numbers)
