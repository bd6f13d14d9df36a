"""Tables of properties and of modules, as management tools print them: names over values.

CIM lists what is fitted, so that the positions stay unknown; SMBIOS lists every position.
"""

import re
from itertools import pairwise
from typing import Any

from msgspec import Struct, structs

from tallcheck.core.machine.modules import CIM_FORMS, TYPES
from tallcheck.core.machine.readings import Told
from tallcheck.core.machine.sheet import POSITIONS_MOST, Kit, Module
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.text.labels import Label, label_said, with_its_unit
from tallcheck.core.text.module_lists import by_place, modules_said
from tallcheck.core.text.said import tried_said
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.plain import whole_number

CAPACITY = "capacity"
_WORDS = {"devicelocator": "slot", "manufacturer": "maker", "partnumber": "part"}
"""What stands beside a module's capacity and speed, and what it is on the sheet."""
_CODED = {"smbiosmemorytype": ("type", TYPES), "formfactor": ("form", CIM_FORMS)}
"""The same where a number stands for it."""
OF_MODULES = (CAPACITY, "speed", *_WORDS)
_TYPE = r"(?i)(?:lp)?ddr\d?l?x?"
_TITLE = r"(?i)\s*((?:bank|dimm|slot|channel)[^:]*):\s*"


def plain(name: str) -> str:
    """A property's name, by its letters and digits alone."""
    return re.sub(r"[\W_]+", "", name.lower())


def fitted(cells: dict[str, str]) -> Module | None:
    """A module by its capacity in bytes and what stands beside it; None where it has no such."""
    size = cells.get(CAPACITY, "")
    if not re.fullmatch(r"\d{7,14}", size):
        return None
    words: dict[str, Any] = {
        ours: cells[theirs] for theirs, ours in _WORDS.items() if theirs in cells
    }
    for name, (ours, codes) in _CODED.items():
        if meant := codes.get(whole_number(cells.get(name, "")) or 0):
            words[ours] = meant
    for name, ours in (("speed", "speed"), ("configuredclockspeed", "running")):
        if re.fullmatch(r"[1-9]\d{2,4}", cells.get(name, "")):
            words[ours] = int(cells[name])
    return structs.replace(Module(size=int(size)), **words)


def listed(lines: list[str]) -> list[Module]:
    """What is fitted, as lists of ``name : value``; lines that were read are emptied."""
    found = Kit()
    cells: dict[str, str] = {}
    waiting: list[int] = []
    for at, line in enumerate([*lines, ""]):
        name, value = _parts(line)
        if not line.strip() or name in cells:
            if module := fitted(cells):
                found.append(module)
                for one in waiting:
                    lines[one] = ""
            cells, waiting = {}, []
        if value:
            cells[name] = value
            waiting.append(at)
    return found


def _parts(line: str) -> tuple[str, str]:
    name, _, value = (line if ":" in line else line.replace("=", ":", 1)).partition(":")
    return plain(name), value.strip()


def positions(lines: list[str], vocabulary: Vocabulary) -> list[Module]:
    """Every position, from blocks of ``Size: 8 GB`` with what is there; read lines are emptied."""
    found: list[Module] = []
    block: list[int] = []
    title: int | None = None
    for at, line in enumerate([*lines, ""]):
        if line.strip():
            block.append(at)
            continue
        module = _position(dict(_parts(lines[one]) for one in block), vocabulary)
        named = re.fullmatch(_TITLE, lines[title]) if title is not None else None
        if module is not None:
            if named and title is not None:
                module = structs.replace(module, slot=module.slot or named[1])
                lines[title] = ""
            found.append(module)
            for one in block:
                lines[one] = ""
        if block:
            title = block[-1]
        block = []
    return found


def _position(cells: dict[str, str], vocabulary: Vocabulary) -> Module | None:
    """One position of the board; None where the block is none."""
    size, kind = cells.get("size", ""), cells.get("type", "")
    known = re.fullmatch(_TYPE, kind) or kind.lower() in ("empty", "unknown")
    if not size or not (known or "locator" in cells):
        return None
    words = [size, *(one for one in (kind, cells.get("speed", ""), cells.get("formfactor", ""))
                     if re.match(r"(?i)(?:lp)?ddr|\d|(?:so-?)?dimm", one))]  # fmt: skip
    try:
        module = modules_said(" ".join(words), vocabulary)[0]
    except InputError:
        return None
    return structs.replace(module, slot=cells.get("locator"))


_RULE = re.compile(r"\s*-{2,}(?:\s+-{2,})*\s*")
_NAMES_MOST = 20_000
"""Names over columns that are looked up in one text."""

_Row = dict[str, str]


class _Columns(Struct, frozen=True):
    """Names over columns, and from where to where each stands; or the mark between cells."""

    names: list[str]
    spans: list[tuple[int, int]]
    mark: str = ""

    def row(self, line: str) -> _Row:
        """The cells that are filled, by name; none where the line is no row."""
        cells = [one.strip(' "') for one in line.split(self.mark)] if self.mark else self._cut(line)
        if len(cells) != len(self.names):
            return {}
        return {name: cell for name, cell in zip(self.names, cells, strict=True) if cell}

    def _cut(self, line: str) -> list[str]:
        """The cells between names, whichever way they are aligned; fewer where no blank is."""
        cuts = [0]
        for (_, end), (start, _) in pairwise(self.spans):
            at = line.rfind(" ", end, start) if start <= len(line) else min(end, len(line))
            if line[start : start + (1 if at < 0 else 2)].isspace():
                at = start  # a cell as wide as its column, before one that is set to the right
            if at < 0:
                return []
            cuts.append(at)
        return [line[a:b].strip() for a, b in pairwise([*cuts, len(line)])]


def read_tables(lines: list[str], vocabulary: Vocabulary) -> tuple[list[Told], list[str]]:
    """What tables and lists of modules tell, and the lines, empty where they were read."""
    rest, told, modules = list(lines), list[Told](), list[Kit]()
    names_left = _NAMES_MOST
    for at, line in enumerate(lines):
        if names_left <= 0:
            break
        columns = _head(line, lines[at + 1] if at + 1 < len(lines) else "")
        names_left -= len(columns.names)
        if not rest[at] or not _is_head(columns.names, vocabulary):
            continue
        rows = _rows(rest, at + 1, columns, vocabulary)
        for below, *_ in rows:
            rest[at] = rest[below] = ""
        fitted_here = Kit(module for _, some, _ in rows for module in some)
        modules += [fitted_here] if fitted_here not in modules else []  # a table pasted twice
        told += _of_all([more for _, _, more in rows])
    whole = Kit(module for some in modules for module in some)
    for some in (whole, listed(rest), positions(rest, vocabulary), by_place(rest, vocabulary)):
        if 0 < len(some) <= POSITIONS_MOST:
            told.append(Told("memory.modules", some))
    return told, rest


def unread(lines: list[str]) -> set[int]:
    """The places of lines of tables, and of labels over figures, that no rule took."""
    found: set[int] = set()
    for at in range(1, len(lines)):
        columns = _RULE.fullmatch(lines[at]) and len(lines[at].split())
        if columns and columns > 1 and lines[at - 1].strip():
            end = next((i for i in range(at, len(lines)) if not lines[i].strip()), len(lines))
            found |= {at - 1, *range(at, end)}
        names, figures = (lines[i].strip().split("\t") for i in (at - 1, at))
        alike = len(names) == len(figures) > 1 and not re.search(r"\d", lines[at - 1])
        if alike and all(re.match(r"\s*\d", one) for one in figures):
            found |= {at - 1, at}
    return found


def _of_all(rows: list[list[Told]]) -> list[Told]:
    """What rows tell together: of several processors, each in its socket, the sums."""
    names = [one.value for row in rows for one in row if one.key == "processor.name"]
    if len(names) < 2 or len(set(names)) > 1 or len(names) != len(rows):
        return [one for row in rows for one in row]
    found = {one.key: one for one in rows[0]}
    for key in ("processor.cores", "processor.threads"):
        counts = [one.value for row in rows for one in row if one.key == key]
        if len(counts) == len(rows):
            found[key] = Told(key, sum(counts))
    return [*found.values(), Told("processor.sockets", len(rows))]


def _head(line: str, below: str) -> _Columns:
    """The line as names over columns: over dashes, with marks between, or blanks."""
    if "--" in below and _RULE.fullmatch(below):
        spans = [one.span() for one in re.finditer("-+", below)]
        return _Columns([line[a:b].strip() for a, b in spans], spans)
    if mark := next((one for one in "\t," if one in line), ""):
        return _Columns([one.strip(' "') for one in line.split(mark)], [], mark)
    words = list(re.finditer(r"\S+(?: \S+)*", line))
    return _Columns([one[0] for one in words], [one.span() for one in words])


def _is_head(names: list[str], vocabulary: Vocabulary) -> bool:
    if len(names) == 1:
        return plain(names[0]) == CAPACITY
    known = sum(
        plain(one) in (*OF_MODULES, *_OF_VOLUMES, *_LETTERED)
        or label_said(one, vocabulary) is not None
        for one in names
    )
    return known > 1 and len(set(names)) == len(names)


def _rows(
    lines: list[str], start: int, columns: _Columns, vocabulary: Vocabulary
) -> list[tuple[int, list[Module], list[Told]]]:
    """The rows from a line on, and what each tells; they end where nothing is told any more."""
    found: list[tuple[int, list[Module], list[Told]]] = []
    for at in range(start, len(lines)):
        if at > (found[-1][0] if found else start) + 2:
            break
        if not lines[at].strip() or _RULE.fullmatch(lines[at]):
            continue
        row = columns.row(lines[at])
        if _is_head([*row.values()], vocabulary):
            break  # the next table
        module = fitted({plain(name): cell for name, cell in row.items()})
        told = _readings(row, vocabulary) if module is None else []
        whole = module or told or _is_other_drive(row)
        if not whole or len(row) < min(len(columns.names), 2):
            break
        found.append((at, [module] if module else [], told))
    return found


def _readings(row: _Row, vocabulary: Vocabulary) -> list[Told]:
    """What the cells of a row tell that are understood."""
    volume = _volume(row)
    if volume not in (None, "C") or not _UNALLOCATED.isdisjoint(map(plain, row)):
        return []
    labels = {name: label_said(name, vocabulary) for name in row}
    keys = {one.key for one in labels.values() if one is not None}
    for name in row:
        word = plain(name)
        if word == "name" and any(key.startswith("processor.") for key in keys):
            labels[name] = Label("processor.name")
        elif volume is not None and word in (*_OF_VOLUMES, *_LETTERED):
            labels[name] = Label(_OF_VOLUMES[word]) if word in _OF_VOLUMES else None
        elif word == "size" and "storage.kind" in keys:
            labels[name] = Label("storage.drive")
    told: list[Told] = []
    for name, label in labels.items():
        if label is not None:
            said = tried_said(label.key, with_its_unit(label, row[name]), vocabulary)
            if all(one.key != "system.os" or vocabulary.systems.called(one.value) for one in said):
                told += said
    return told


_OF_VOLUMES = {"size": "storage.size", "sizeremaining": "storage.free", "freespace": "storage.free"}
_UNALLOCATED = frozenset({"dyn", "gpt"})
"""Columns of a list of drives whose free space is of no volume."""
_LETTERED = ("driveletter", "deviceid", "caption", "name")
_LETTER = r"([A-Z])(?::\\?)?"


def _volume(row: _Row) -> str | None:
    """The letter of the volume of which a row speaks; None where it speaks of none."""
    cells = (cell for name, cell in row.items() if plain(name) in _LETTERED)
    letters = (re.fullmatch(_LETTER, cell) for cell in cells)
    return next((one[1] for one in letters if one), None)


def _is_other_drive(row: _Row) -> bool:
    return _volume(row) not in (None, "C")
