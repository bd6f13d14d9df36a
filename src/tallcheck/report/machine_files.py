"""A machine alone, or two beside each other, as files to keep, mail or print."""

import io

from tallcheck.core.machine.sheet import Machine
from tallcheck.core.values.text import guarded
from tallcheck.report.machine_facts import POSITIONS, positions_of, tables_of
from tallcheck.report.picture import rendered
from tallcheck.report.plain import Line, Page
from tallcheck.report.show_view import sheet_lines
from tallcheck.report.side_by_side import compared, compared_lines
from tallcheck.report.tables import Table, heading, table

Machines = tuple[Machine, ...]


def shown_lines(machines: Machines, programs: bool, page: Page) -> list[Line]:
    """One machine as a view, two beside each other."""
    if len(machines) == 1:
        return sheet_lines(machines[0], page, programs)
    return compared_lines(_tables(machines, programs), page)


def _tables(machines: Machines, programs: bool) -> list[Table]:
    if len(machines) == 1:
        return tables_of(machines[0], programs)
    return compared(machines[0], machines[1], programs)


def _title(machines: Machines) -> str:
    """The names, and when the readings were taken."""
    names = " and ".join(dict.fromkeys(one.name for one in machines))
    when = [f"{one.gathered[:10]} at {one.gathered[11:16]} UTC" for one in machines if one.gathered]
    return f"{names}, read on {' and '.join(dict.fromkeys(when))}" if when else names


def markdown(machines: Machines, programs: bool) -> str:
    """A heading, and a table for each part."""
    lines = heading(1, _title(machines))
    for one in _tables(machines, programs):
        lines += [*heading(2, one.title), *table(one.head, one.rows), ""]
    return "\n".join(lines)


def csv_text(machines: Machines, programs: bool) -> str:
    """One line for each fact: the part, what it is, and its cells."""
    import csv

    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    tables = _tables(machines, programs)
    if len(machines) == 1:
        positions = Table("Memory", ("what", "is"), tuple(positions_of(machines[0])))
        tables = [positions if one.title == POSITIONS else one for one in tables]
    head = tables[0].head if tables and len(machines) > 1 else ("what", "is")
    writer.writerow(("part", *head))
    for one in tables:
        writer.writerows([guarded(cell) for cell in (one.title, *row)] for row in one.rows)
    return out.getvalue()


def html(machines: Machines, programs: bool) -> str:
    """A page that needs no other file."""
    return rendered(
        "sheet.html", {"title": _title(machines), "tables": _tables(machines, programs)}
    )
