"""The rows of a list that are no machines, and which reading stands under which heading."""

import csv
import re
from collections.abc import Iterable
from typing import Any

import numpy as np
import pyarrow as pa
from msgspec import Struct
from pyarrow import compute as pc

from tallcheck.core.machine.readings import SHORT_NAMES, TRADE_WORDS, keys, kind_of, resolve_key
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.text.labels import UNITS, folded, heading_said, slots_part, with_unit
from tallcheck.core.text.lexicon import PSEUDO
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.kinds import KINDS
from tallcheck.core.values.text import fold
from tallcheck.files.fleet_columns import flags, is_number
from tallcheck.files.inputs import HEADER_WITHIN, delimiter_of


class Theirs(Struct, frozen=True):
    """Somebody else's heading for a reading, and the unit of its plain numbers."""

    heading: str
    unit: str = ""


def parse_heading(text: str) -> tuple[str, Theirs]:
    """``name=theirs`` or ``memory=theirs:GB`` by dotted key. Raises InputError."""
    ours, equals, theirs = text.partition("=")
    if not equals or not theirs:
        raise InputError(f"found '{text}'", "KEY=THEIRS or KEY=THEIRS:UNIT")
    key = ours.strip()
    key = key if key == "name" else resolve_key(key)
    heading, colon, unit = theirs.rpartition(":")
    if colon and key != "name" and unit.upper() in KINDS[kind_of(key)].units:
        return key, Theirs(heading.strip(), unit.upper())
    return key, Theirs(theirs.strip())


def is_text(key: str) -> bool:
    """Whether a reading is of words, so that ``9`` stays a word and is no number."""
    return key in ("name", *PSEUDO) or not is_number(key)


def key_of(name: str, headings: dict[str, Theirs]) -> str | None:
    """The reading under a heading, as the sheets name it; None where it is none."""
    for key, theirs in headings.items():
        if theirs.heading.lower() == name.lower():
            return key
    word = re.sub(r"[\s-]+", "_", name.strip().lower())
    key = "name" if word == "name" else (SHORT_NAMES | TRADE_WORDS).get(word, word)
    if key in headings:
        return None
    known = key == "name" or key in keys() or (key.startswith("extra.") and len(key) > 6)
    return key if known else None


def headings_known(cells: list[str], headings: dict[str, Theirs], vocabulary: Vocabulary) -> int:
    """How many headings stand for readings; 0 where few do, and none for the machines' names."""
    also = recognised(cells, headings, vocabulary)
    known = ((cell, key_of(cell, headings) or also.get(cell)) for cell in cells if cell)
    found = [key for cell, key in known if key or slots_part(cell, vocabulary)]
    return len(found) if "name" in found or len(found) >= _ENOUGH else 0


_ENOUGH = 3
"""Readings in a header that has no heading over the machines' names."""


def _names_machines(heading: str, known: tuple[str, ...]) -> bool:
    """Whether a heading is over the machines' names: one that is known, or made of their words."""
    words = heading.split()
    return heading in known or (
        len(words) > 1 and {*words} <= {word for one in known for word in one.split()}
    )


def recognised(
    names: list[str], headings: dict[str, Theirs], vocabulary: Vocabulary
) -> dict[str, str]:
    """For headings that the sheets do not have, the reading that the trade means by them.

    Only where no other column has that reading: the first of several is taken.
    """
    taken = {key for name in names if (key := key_of(name, headings)) is not None}
    taken |= headings.keys()
    found: dict[str, str] = {}
    for name in names:
        if key_of(name, headings) is not None:
            continue
        part = slots_part(name, vocabulary) in ("used", "free")  # they tell not how many there are
        label = None if part else heading_said(name, vocabulary)
        key = label.key if label is not None else None
        if _names_machines(folded(name), vocabulary.phrases.machines):
            key = "name"
        if (
            key is not None
            and key not in taken
            and (key in ("name", *PSEUDO) or key in keys() or key.startswith("extra."))
        ):
            taken.add(key)
            found[name] = key
    return found


_MARK = re.compile(rb"(?i)sep=([,;|:\t])\s*")
"""What a spreadsheet puts on the first line: the mark between the cells."""
_COUNTED = re.compile(r"\d+ [^\W\d]+\.?|[^\W\d][\w ]*: ?\d+")
_UNNAMED = "\0"
"""What columns without a heading are called until they are left out."""


def lines_above(
    lines: list[bytes], headings: dict[str, Theirs], vocabulary: Vocabulary
) -> tuple[list[int], int, str]:
    """The numbers of the lines above a list's header and of that, and the mark that one names.

    A header may begin with a number sign, over the rows' numbers; other such lines are comments.
    """
    mark = ""
    above: list[int] = []
    for number, line in enumerate(lines[:HEADER_WITHIN], 1):
        text = line.decode("utf-8", "replace").strip("\r\n")
        named = _MARK.fullmatch(line.strip())
        if named:
            mark = named[1].decode("latin-1")
        elif text.strip() and (not text.startswith("#") or text[1:2] in (",", ";", "\t")):
            cells = _cells(text, mark or delimiter_of(text))
            if headings_known([cell.strip() for cell in cells], headings, vocabulary):
                return above, number, mark
        above.append(number)
    return [at for at, line in enumerate(lines[:1], 1) if _MARK.fullmatch(line.strip())], 0, mark


def _cells(text: str, mark: str) -> list[str]:
    """The cells of one line; none where it is no such line."""
    try:
        return next(csv.reader([text], delimiter=mark), [])
    except csv.Error:
        return []


def with_names(header: list[str]) -> list[str]:
    """The headings, with a name for each column that has none."""
    return [name or f"{_UNNAMED}{at}" for at, name in enumerate(header)]


def without_unnamed(table: pa.Table, remarks: list[str]) -> pa.Table:
    """The table without the columns that have no heading."""
    unnamed = [name for name in table.column_names if name.startswith(_UNNAMED)]
    if any(table[name].null_count < len(table) for name in unnamed):
        remarks.append("left out: cells under no heading")
    return table.drop_columns(unnamed) if unnamed else table


def with_modules(table: pa.Table, remarks: list[str], vocabulary: Vocabulary) -> pa.Table:
    """The table with one column of modules, where each position has a column of its own."""
    senses = vocabulary.phrases.senses
    words = {fold(one) for sense in ("slot", "module") for one in senses.get(sense, ())} | {"dimm"}
    words |= {one for one, key in vocabulary.phrases.labels.items() if key == "memory.installed"}
    of_positions = [
        name for name in table.column_names
        if (match := re.fullmatch(_NUMBERED, with_unit(name)[0].strip()))
        and fold(match[1]) in words
    ]  # fmt: skip
    if len(of_positions) < 2 or "modules" in table.column_names:
        return table
    remarks.append(_together(of_positions))
    columns = [table[name].cast(pa.string()).to_pylist() for name in of_positions]
    units = [with_unit(name)[1] for name in of_positions]
    rows = [_positions(row, units) for row in zip(*columns, strict=True)]
    return table.append_column("modules", pa.array(rows, pa.string()))


_SLOTS = "memory positions"


def with_slots(
    table: pa.Table, headings: dict[str, Theirs], remarks: list[str], vocabulary: Vocabulary
) -> tuple[pa.Table, dict[str, Theirs]]:
    """The table with one column of positions, where those in use or free have one of their own."""
    parts: dict[str, str] = {}
    for name in table.column_names:
        if part := slots_part(name, vocabulary):
            parts.setdefault(part, name)
    if "memory.slots" in headings or not parts.keys() & {"used", "free"}:
        return table, headings
    columns = {part: table[name].cast(pa.string()).to_pylist() for part, name in parts.items()}
    if len(parts) > 1:
        rows = zip(*columns.values(), strict=True)
        said = [_slots_said(dict(zip(columns, row, strict=True))) for row in rows]
        remarks.append(_together(parts.values()))
        table, heading = table.append_column(_SLOTS, pa.array(said, pa.string())), _SLOTS
    elif any(cell and not cell.isdecimal() for cell in columns.get("used", ())):
        heading = parts["used"]  # "1 of 2"
    else:
        return table, headings
    return table, headings | {"memory.slots": Theirs(heading)}


def _together(names: Iterable[str]) -> str:
    return "positions taken together: " + ", ".join(f"'{name}'" for name in names)


def _slots_said(cells: dict[str, str | None]) -> str | None:
    """What the cells of one machine tell of its positions."""
    used, free, whole = (cells.get(part) for part in ("used", "free", "all"))
    if whole and used:
        return f"{used} of {whole} used"
    if whole and free:
        return f"{free} of {whole} free"
    return f"{used} used, {free} free" if used and free else whole


def _positions(cells: tuple[str | None, ...], units: list[str]) -> str | None:
    """The cells of one machine's positions in one; none where no module is in any of them."""
    found = [_sized(one, unit) for one, unit in zip(cells, units, strict=True)]
    return ",".join(found) if any(re.search("[1-9]", one) for one in found) else None


def _sized(cell: str | None, unit: str) -> str:
    """A position's cell; a number alone has its heading's unit, else the only likely one."""
    text = (cell or "-").strip()
    if not text.isdecimal() or not int(text):
        return text
    return f"{text} {unit or ('GB' if int(text) < _GB_BELOW else 'MB')}"


_NUMBERED = r"(.*?\D)[\s_#]*\d{1,2}"
"""The heading of one of several positions."""
_UNITS_WITHIN = 3
"""Rows of which the first may give units, and the others be blank."""
_GB_BELOW = 512
"""From here on the size of a module without a unit can only be in MB."""


def units_below(table: pa.Table, name: str) -> tuple[int, dict[str, str]]:
    """The unit that the first row with something in it gives for each heading, and its place."""
    for at, row in enumerate(table[:_UNITS_WITHIN].to_pylist()):
        filled = {one: str(cell).strip().upper() for one, cell in row.items() if cell is not None}
        units = {one: unit for one, unit in filled.items() if unit}
        if units:
            return at, units if name not in units and {*units.values()} <= {*UNITS} else {}
    return 0, {}


_FIGURE_BEHIND = re.compile(r"\s*[:=]\s*[\d.,]+$")
"""What a total counts: ``Sum: 3``."""


_RULE = "^ *[-:=]{2,} *$"
"""What is drawn below the header of a table in plain text."""


def no_machines(table: pa.Table, name: str, vocabulary: Vocabulary) -> Any:
    """Which rows are no machines, as an array of yes and no."""
    names = table[name].cast(pa.string())
    again = flags(pc.fill_null(pc.equal(names, name), False))
    others = [one for one in table.column_names if one != name]
    alone = np.ones(len(table), dtype=bool) if others else np.zeros(len(table), dtype=bool)
    for one in others:
        if not table[one].null_count:
            alone[:] = False
            break
        alone &= flags(table[one].is_null())
    found = again | flags(pc.fill_null(pc.match_substring_regex(names, _RULE), False))
    totals = vocabulary.phrases.totals
    first = "|".join(re.escape(one) for one in sorted({word.split()[0] for word in totals}))
    begun = pc.match_substring_regex(pc.utf8_lower(names), rf"^(?:{first})[:.]*(?: |$)")
    for at in np.flatnonzero(flags(pc.fill_null(begun, False))):
        word = _FIGURE_BEHIND.sub("", str(names[at].as_py()))
        found[at] |= bool(alone[at]) or fold(word) in totals
    places = np.flatnonzero(alone & ~found)
    if not len(places):
        return found
    numbered, several = (
        flags(pc.fill_null(pc.match_substring_regex(names, one), False))
        for one in (r"\d", r"\w \w")
    )
    machines = ~alone
    most_numbered = machines.any() and numbered[machines].mean() > 0.5
    for at in places:
        text = names[at].as_py()
        if text is not None:
            # no name is like those of the machines: without a number, or of several words
            heading = (most_numbered and not numbered[at]) or (
                machines.any() and several[at] and not several[machines].any()
            )
            found[at] = heading or _COUNTED.fullmatch(text.strip()) is not None
    return found
