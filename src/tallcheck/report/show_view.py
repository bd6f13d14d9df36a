"""A machine sheet in a terminal, searched, beside another one, and as Markdown, CSV and HTML."""

import io
import textwrap
from typing import Any

from msgspec import to_builtins
from msgspec.inspect import Type

from tallcheck.core.machine.instructions import canonical
from tallcheck.core.machine.readings import keys, label_of
from tallcheck.core.machine.sheet import Machine, Module
from tallcheck.core.values import quantities as q
from tallcheck.core.values.kinds import KINDS
from tallcheck.core.values.structures import inside, kind_named, types_of
from tallcheck.core.values.text import guarded, printable
from tallcheck.report.check_view import cut, section
from tallcheck.report.formats import Table, heading, table
from tallcheck.report.machine_facts import (
    MEMORY,
    POSITIONS,
    facts_of,
    how_held,
    positions_of,
    programs_table,
    tables_of,
)
from tallcheck.report.picture import rendered
from tallcheck.report.plain import Line, Page, wrap

_BOX = 18  # columns of one position in the drawing, its frame included
_DRAWN_MOST = 16


def sheet_lines(machine: Machine, page: Page, programs: bool = False) -> list[Line]:
    """The whole view: doubts, memory with its positions, processor, system, storage, the rest."""
    lines: list[Line] = [[(machine.name, "strong"), (_subtitle(machine), "dim")]]
    doubts = [f"{one.text} ({', '.join(one.about)})" for one in machine.doubts]
    lines += section("In doubt", doubts, page, "bad")
    for part in facts_of(machine):
        lines += _facts(part.title, part.facts, page)
        if part.title == MEMORY:
            lines += slots_drawing(machine, page)
    listed = programs_table(machine) if programs else None
    for name, version in listed.rows if listed is not None else ():
        lines.append([(f"  {cut(name, page.width - 24)}  {cut(version, 20)}", "")])
    lines += section("Notes", list(machine.notes), page, "dim")
    if page.verbose:
        lines += [[], *every_reading_lines(machine, page)]
    return lines


def _subtitle(machine: Machine) -> str:
    system = machine.system
    words = [" ".join(filter(None, (system.maker, system.model)))]
    words.append("virtual machine" if system.virtual else (system.shape or ""))
    if machine.gathered:
        words.append(f"gathered {machine.gathered}")
    text = ", ".join(word for word in words if word)
    return f"  {text}" if text else ""


def _facts(title: str, facts: list[tuple[str, str]], page: Page) -> list[Line]:
    if not facts:
        return [[], [(title, "strong"), ("  nothing known", "dim")]]
    lines: list[Line] = [[], [(title, "strong")]]
    for label, value in facts:
        lines += wrap(value, page.width, " " * 22, first=f"  {cut(label, 18):<20}")
    return lines


def slots_drawing(machine: Machine, page: Page) -> list[Line]:
    """The positions side by side: what sits in each, what is free."""
    memory = machine.memory
    modules = list(memory.modules or [])
    if not modules:
        return []
    free = min(max((memory.slots or 0) - len(modules), 0), 64)
    return positions_drawing([*modules, *[Module(size=0)] * free], page)


def positions_drawing(modules: list[Module], page: Page) -> list[Line]:
    """Positions side by side, or as a list where they are many; an empty line comes first."""
    if len(modules) > _DRAWN_MOST:
        return _slots_list(modules, page)
    lines: list[Line] = [[]]
    across = max((page.width - 2) // (_BOX + 1), 1)
    for at in range(0, len(modules), across):
        row = modules[at : at + across]
        frame = "─" * (_BOX - 2)
        lines.append([("  " + " ".join(f"┌{frame}┐" for _ in row), "dim")])
        for texts in zip(*(_in_box(one, at + n) for n, one in enumerate(row)), strict=True):
            line: Line = [("  ", "")]
            for module, text in zip(row, texts, strict=True):
                style = "good" if module.size == 0 else ""
                line += [
                    ("│", "dim"),
                    (f" {cut(text, _BOX - 4):<{_BOX - 3}}", style),
                    ("│ ", "dim"),
                ]
            lines.append(line)
        lines.append([("  " + " ".join(f"└{frame}┘" for _ in row), "dim")])
    return lines


def _in_box(module: Module, at: int) -> tuple[str, str, str, str]:
    slot = module.slot or f"position {at + 1}"
    if module.size == 0:
        return slot, "free", "", ""
    size = "size unknown" if module.size is None else q.format_memory(module.size)
    size += how_held(module)
    kind = " ".join(filter(None, (module.type, module.form if module.form != module.type else "")))
    speed = q.format_speed(module.speed) if module.speed else ""
    if module.running and module.speed and module.running < module.speed - 1:
        speed = f"{module.running}/{module.speed} MT/s"
    return slot, size, kind, speed


def _slots_list(modules: list[Module], page: Page) -> list[Line]:
    lines: list[Line] = [[]]
    for at, module in enumerate(modules):
        slot, size, kind, speed = _in_box(module, at)
        style = "good" if module.size == 0 else ""
        lines.append(
            [(f"  {cut(slot, 24):<26}{cut(f'{size} {kind} {speed}', page.width - 30)}", style)]
        )
    return lines


# --- every reading, and the search ---------------------------------------------------------


def flat(machine: Machine) -> list[tuple[str, str, str]]:
    """Every reading: its key, its value as text, and where it is from."""
    found: list[tuple[str, str, str]] = []
    raw = to_builtins(machine)
    for key in ("tallcheck", "origins"):
        raw.pop(key, None)

    def walk(value: Any, key: str, kinds: list[Type]) -> None:
        if isinstance(value, dict):
            for name, inner in value.items():
                walk(inner, f"{key}.{name}" if key else name, inside(kinds, name))
        elif isinstance(value, list) and value and isinstance(value[0], dict):
            for at, inner in enumerate(value):
                walk(inner, f"{key}[{at}]", inside(kinds, at))
        else:
            found.append((key, _value_text(value, kinds), _origin_of(machine, key)))

    walk(raw, "", types_of(Machine))
    return found


def _value_text(value: Any, kinds: list[Type]) -> str:
    if isinstance(value, list):
        return ", ".join(map(str, value)) or "none"
    return KINDS[kind_named(kinds) or "text"].show(value)


def _origin_of(machine: Machine, key: str) -> str:
    """Where a reading is from: its own origin, or that of the list it stands in."""
    while key:
        origin = machine.origins.get(key)
        if origin:
            return f"{origin.how}: {origin.source}" if origin.source else origin.how
        cut_at = max(key.rfind("."), key.rfind("["))
        key = key[:cut_at] if cut_at > 0 else ""
    return ""


def every_reading_lines(machine: Machine, page: Page) -> list[Line]:
    """Every reading with its origin."""
    return _reading_lines(flat(machine), page)


def find_lines(machine: Machine, word: str, page: Page) -> list[Line]:
    """The readings whose key or value has a word in it; case makes no difference."""
    everything = flat(machine)
    wanted = word.lower()
    found = []
    for key, value, origin in everything:
        if wanted in key.lower() or wanted in value.lower():
            if len(value) > page.width and wanted in value.lower():
                value = ", ".join(part for part in value.split(", ") if wanted in part.lower())
            found.append((key, value, origin))
    if found:
        return _reading_lines(found, page)
    text = f"Nothing has '{word}' in it; {len(everything)} readings were searched."
    return [line for one in (text, *_why_nothing(machine, word)) for line in wrap(one, page.width)]


def _why_nothing(machine: Machine, word: str) -> list[str]:
    """Whether what was searched for is not there, or not known."""
    wanted, texts = word.lower(), []
    told = machine.origins.get("processor.instructions")
    if name := canonical(word):
        whole = told is not None and told.how == "read"
        texts.append(
            f"{name}: not there; the list of instruction sets is complete." if whole
            else f"{name}: not known; the list of instruction sets is not complete."
        )  # fmt: skip
    for key in keys():
        label = label_of(key)
        if wanted in key or wanted in label.lower():
            texts.append(f"{label} ({key}): not known.")
    if not texts and machine.software is not None:
        texts.append(f"It is not among the {len(machine.software)} programs that are installed.")
    return texts


def _reading_lines(readings: list[tuple[str, str, str]], page: Page) -> list[Line]:
    lines: list[Line] = []
    for key, value, origin in readings:
        lines += wrap(value, page.width, " " * 30, first=f"{cut(key, 28):<30}")
        if origin:
            lines[-1].append((f"  ({origin})", "dim"))
            if sum(len(text) for text, _ in lines[-1]) > page.width:
                lines[-1].pop()
                lines += wrap(f"({origin})", page.width, " " * 32, "dim")
    return lines


_LABEL, _GAP = 28, 2
_UNKNOWN = "not known"


def compared(first: Machine, second: Machine, programs: bool) -> list[Table]:
    """What differs, what only one sheet tells, and what is the same; empty tables are left out."""
    head = ("what", *_names(first, second))
    one, other = _by_label(first, programs), _by_label(second, programs)
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


def _by_label(machine: Machine, programs: bool) -> dict[str, str]:
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
    for part in tables:
        style = "strong" if part.title == "Different" else ""
        lines += [[], [(part.title, "strong")], *_row(part.head, width, "dim")]
        for row in part.rows:
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
