"""Two machines, or two sheets of one, beside each other: what differs first."""

import textwrap

from tallcheck.core.machine.sheet import Machine
from tallcheck.core.values.text import printable
from tallcheck.report.check_view import cut
from tallcheck.report.machine_facts import MEMORY, facts_of, positions_of, programs_table
from tallcheck.report.plain import Line, Page
from tallcheck.report.tables import Table

_LABEL, _GAP = 28, 2
_UNKNOWN = "not known"


def compared(first: Machine, second: Machine, programs: bool) -> list[Table]:
    """What differs, what only one sheet tells, and what is the same; empty tables are left out."""
    head = ("what", *_names(first, second))
    one, other = _facts(first, programs), _facts(second, programs)
    differs, single, same = (
        list[tuple[str, ...]](),
        list[tuple[str, ...]](),
        list[tuple[str, ...]](),
    )
    for key in dict.fromkeys([*one, *other]):
        row = (key, one.get(key, _UNKNOWN), other.get(key, _UNKNOWN))
        kind = single if _UNKNOWN in row[1:] else same if row[1] == row[2] else differs
        kind.append(row)
    titled = (("Different", differs), ("Known of one only", single), ("The same", same))
    return [Table(title, head, tuple(rows)) for title, rows in titled if rows]


def _names(first: Machine, second: Machine) -> tuple[str, str]:
    """The names of two machines; of two sheets of one, with when they were gathered."""
    if first.name != second.name:
        return first.name, second.name
    when = [one.gathered or place for one, place in ((first, "first"), (second, "second"))]
    return f"{first.name}, {when[0]}", f"{second.name}, {when[1]}"


def _facts(machine: Machine, programs: bool) -> dict[str, str]:
    """All facts by part and label, positions and programs among them."""
    found: dict[str, str] = {}
    for part in facts_of(machine):
        beside = positions_of(machine) if part.title == MEMORY else []
        for label, text in (*part.facts, *beside):
            if part.title != "Programs":
                _add(found, f"{part.title}: {label}", text)
    listed = programs_table(machine)
    if listed is not None:
        found["Programs: how many"] = str(len(listed.rows))
        for name, version in listed.rows if programs else ():
            _add(found, f"Program: {name}", version or "installed")
    return found


def _add(found: dict[str, str], key: str, text: str) -> None:
    """A fact; several under one label, such as two adapters, are one text."""
    found[key] = f"{found[key]}; {text}" if key in found else text


def compared_lines(tables: list[Table], page: Page) -> list[Line]:
    """The tables with their columns side by side, each cell as many lines as it takes."""
    width = max((page.width - _LABEL - 2 * _GAP) // 2, 16)
    lines: list[Line] = []
    for table in tables:
        style = "strong" if table.title == "Different" else ""
        lines += [[], [(table.title, "strong")], *_row(table.head, width, "dim")]
        for row in table.rows:
            lines += _row(row, width, style)
    return lines[1:]


def _row(cells: tuple[str, ...], width: int, style: str) -> list[Line]:
    label, *texts = cells
    columns = [textwrap.wrap(printable(one), width) or [""] for one in texts]
    lines: list[Line] = []
    for at in range(max(map(len, columns))):
        parts = [column[at] if at < len(column) else "" for column in columns]
        text = "".join(f"{one:<{width + _GAP}}" for one in parts).rstrip()
        first = cut(label, _LABEL - 1) if at == 0 else ""
        lines.append([(f"  {first:<{_LABEL}}", "" if style == "strong" else style), (text, style)])
    return lines
