"""A fleet's table on its way in: columns into readings, by the kind of each; faults listed."""

import re
from typing import Any

import numpy as np
import pyarrow as pa
from msgspec import Struct
from pyarrow import compute as pc

from tallcheck.core.fleet.columns import Fault, Fleet, FleetFile, Ints
from tallcheck.core.machine.readings import SHORT_NAMES, keys, label_of
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.text.labels import Label, unit_of
from tallcheck.core.text.lexicon import SYSTEM_TYPE, WHOLE
from tallcheck.core.values.errors import InputError, nearest
from tallcheck.core.values.text import FORMULA
from tallcheck.files.fleet_columns import Column, ToldColumns, as_numpy, flags
from tallcheck.files.fleet_rows import (
    Theirs,
    key_of,
    no_machines,
    recognised,
    units_below,
    with_modules,
    with_slots,
    without_unnamed,
)
from tallcheck.files.inputs import shown


class Rows(Struct):
    """Which line each row of a table stood on, and the rows that were left out."""

    lines: Any = None
    unreadable: list[tuple[int, str]] = []
    bad_text: str = ""
    """What was done with bytes that are not UTF-8."""
    blank: Any = ()
    """Lines with nothing on them, which are no rows."""


def from_table(
    table: pa.Table,
    rows: Rows,
    headings: dict[str, Theirs],
    path: str,
    keep: bool,
    vocabulary: Vocabulary,
) -> FleetFile:
    """Columns parsed by the kind of their reading; each faulty cell listed."""
    table, remarks = _without_result(table)
    table = with_modules(without_unnamed(table, remarks), remarks, vocabulary)
    table, headings = with_slots(table, headings, remarks, vocabulary)
    by_key, own = _columns(table, headings, path, remarks, vocabulary)
    lines = rows.lines if rows.lines is not None else np.arange(1, len(table) + 1)
    table = _with_plain_names(table, by_key["name"])
    table, lines, below = _of_machines(table, by_key["name"], lines, remarks, vocabulary)
    table, lines = _named(table, by_key["name"], lines, rows)
    names = _unguarded(table[by_key["name"]]).combine_chunks()
    faults: list[Fault] = []
    whole = table if keep else None
    told = ToldColumns(faults, vocabulary)
    for key, heading in by_key.items():
        if key == "name":
            continue
        unit = headings[key].unit if key in headings else unit_of(heading, vocabulary)
        system = heading if key == "system.os" and vocabulary.systems.called(heading) else ""
        label = Label(key, unit or below.get(heading, ""), system)
        column = Column(label, heading, faults, remarks, shown(path), vocabulary)
        more, texts = column.read(table[heading])
        told.add(key, heading, more, texts)
        if not keep:
            table = table.drop_columns(heading)
    numbers, words = told.columns()
    fleet = Fleet(names, lines.astype(np.int64), numbers, words,
                  np.zeros(len(names), dtype=np.uint32), vocabulary)  # fmt: skip
    if rows.bad_text:
        remarks.append(f"found bytes that are not UTF-8: {rows.bad_text}")
    return FleetFile(
        fleet, faults, rows.unreadable, remarks, whole, own=own, twice=lambda: named_twice(names)
    )


_LABELS = {"name": "the name", SYSTEM_TYPE: "bits and architecture", WHOLE: "all that is told"}

RESULT_COLUMNS = (
    "answer", "limiting", "target_memory", "conditions", "find_out", "take_out", "put_in", "cost",
    "currency",
)  # fmt: skip
"""What a saved result adds to the fleet's own columns, before the status of each need."""


def _without_result(table: pa.Table) -> tuple[pa.Table, list[str]]:
    """A saved result read back is a fleet again: its answers are found anew."""
    names = table.column_names
    if any(name not in names for name in RESULT_COLUMNS):
        return table, []
    old = [name for name in names if name in RESULT_COLUMNS or name.endswith("_status")]
    return table.drop_columns(old), ["an earlier result's columns are found anew"]


def _with_plain_names(table: pa.Table, heading: str) -> pa.Table:
    """The table with its names as texts, without blanks around them; none where nothing is left."""
    names = pc.utf8_trim_whitespace(table[heading].cast(pa.string()))
    names = pc.if_else(pc.equal(names, ""), None, names)
    return table.set_column(table.column_names.index(heading), heading, names)


def _unguarded(names: Any) -> Any:
    """Without the mark that keeps a spreadsheet from taking a name for a formula."""
    if not pc.any(pc.starts_with(names, "'")).as_py():
        return names
    return pc.replace_substring_regex(names, f"^'(\\s*[{re.escape(FORMULA)}])", "\\1")


def _columns(
    table: pa.Table,
    headings: dict[str, Theirs],
    path: str,
    remarks: list[str],
    vocabulary: Vocabulary,
) -> tuple[dict[str, str], list[str]]:
    """The heading of each reading, and the headings that are none, with a remark on them."""
    by_key: dict[str, str] = {}
    left: list[str] = []
    names = table.column_names
    also = recognised(names, headings, vocabulary)
    for name in names:
        key = key_of(name, headings) or also.get(name)
        if key is None:
            left.append(name)
        elif key in by_key:
            raise InputError(
                f"found '{by_key[key]}' and '{name}' for {key}", "one column for each reading",
                shown(path),
            )  # fmt: skip
        else:
            by_key[key] = name
    missing = [theirs.heading for key, theirs in headings.items() if key not in by_key]
    if missing:
        said = ", ".join(_guessed(one, names) for one in missing)
        what = "column" if len(missing) == 1 else "columns"
        raise InputError(f"found no {what} {said}", "each in the header", "--columns")
    if "name" not in by_key:
        apart = next((name for name in left if _tells_apart(table[name])), None)
        if apart is not None:
            by_key["name"] = apart
            left.remove(apart)
    if "name" not in by_key:
        raise InputError(
            f"found no column 'name'{nearest('name', names)}",
            "it in the header, or --columns name=THEIRS", shown(path),
        )  # fmt: skip
    known = also | {
        name: key for key, name in by_key.items()
        if name not in SHORT_NAMES and name not in (*keys(), "name") and key not in headings
    }  # fmt: skip
    if known:
        known = {name: known[name] for name in names if name in known}
        said = ", ".join(
            f"'{name}' as {_LABELS.get(key) or label_of(key)}" for name, key in known.items()
        )
        remarks.append(f"headings recognised: {said}")
    if left:
        known_names = [*SHORT_NAMES, *keys()]
        said = ", ".join(_guessed(name, known_names) for name in left if name.strip())
        remarks.append(f"passed on as they are, being no readings: {said}")
    return by_key, left


def _tells_apart(column: Any) -> bool:
    """Whether texts that are all there, and all different, can be the machines' names."""
    words = not pa.types.is_integer(column.type) and not pa.types.is_floating(column.type)
    return words and not column.null_count and len(column) == len(column.unique()) > 0


def _guessed(name: str, known: list[str]) -> str:
    """A heading that is not known, with the nearest that is."""
    word = name.strip()
    hint = (nearest(word, known) or nearest(word.lower(), known)).removeprefix(", ")
    return f"'{name}' ({hint})" if hint else f"'{name}'"


def _of_machines(
    table: pa.Table, heading: str, lines: Ints, remarks: list[str], vocabulary: Vocabulary
) -> tuple[pa.Table, Ints, dict[str, str]]:
    """The rows that are machines, and the units that the first row gives, by heading."""
    at, units = units_below(table, heading)
    none = no_machines(table, heading, vocabulary)
    if units:
        none[at] = True
    if not none.any():
        return table, lines, units
    left = [str(one) for one in table[heading].filter(pa.array(none)).to_pylist() if one]
    if left:
        more = "" if len(left) <= 3 else f" and {len(left) - 3} more"
        remarks.append(
            "no machines, and left out: " + ", ".join(f"'{one}'" for one in left[:3]) + more
        )
    return table.filter(pa.array(~none)), lines[~none], units


def _named(table: pa.Table, heading: str, lines: Ints, rows: Rows) -> tuple[pa.Table, Ints]:
    """The rows that have a name; the others are listed, but for lines with nothing on them."""
    if not table[heading].null_count:
        return table, lines
    nameless = flags(table[heading].is_null())
    blank = np.isin(lines, rows.blank)
    rows.unreadable += [(int(line), "found no name") for line in lines[nameless & ~blank]]
    rows.unreadable.sort()
    return table.filter(pa.array(~nameless)), lines[~nameless]


def named_twice(names: Any) -> list[Fault]:
    """Machines whose name another one has too: all are judged, and all are named."""
    counts = names.value_counts()
    many = np.flatnonzero(as_numpy(counts.field("counts"), 0) > 1)
    if not len(many):
        return []
    again = counts.field("values").take(pa.array(many))
    which = pc.is_in(names, value_set=again.cast(names.type))
    return [Fault("name", "the same name more than once: each row is judged for itself",
                  np.flatnonzero(flags(which)))]  # fmt: skip
