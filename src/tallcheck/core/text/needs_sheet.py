"""A needs sheet read, every value by the reader of its key, and all its problems at once."""

import copy
import datetime
import re
from typing import TYPE_CHECKING, Annotated, Any, Literal

import msgspec
from msgspec import Meta, Struct, field

from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.needs.keys import KEYS
from tallcheck.core.needs.review import Remark
from tallcheck.core.needs.sheet import Condition, Need, NeedsSheet, Release
from tallcheck.core.needs.validation import validation_error
from tallcheck.core.text.needs_written import parse_condition, parse_test
from tallcheck.core.values.errors import InputError

SHEET_FORMAT = "needs/1"

# --- the sheet as it is written ------------------------------------------------------------


def _level_table() -> Any:
    """One strength of need as written in TOML: a key for each thing asked for."""
    fields: list[tuple[str, Any, Any]] = []
    for key in KEYS.values():
        described = f"{key.label}: {key.rule} Such as {key.example}."
        fields.append((key.name, Annotated[Any, Meta(description=described)], None))
    when = Annotated[Any, Meta(description="In `also`: what must be so for it to hold.")]
    fields.append(("when", when, None))
    fields += [(name, list[dict[str, Any]] | None, None) for name in ("also", "any")]
    return msgspec.defstruct(
        "LevelTable", fields, frozen=True, forbid_unknown_fields=True, omit_defaults=True
    )


if TYPE_CHECKING:

    class LevelTable(Struct):
        """One strength of need: it has a field for each key, made from the entries."""

        when: Any = None
        also: list[dict[str, Any]] | None = None
        any: list[dict[str, Any]] | None = None

else:
    LevelTable = _level_table()


class ReleaseTable(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """One release as written in TOML."""

    name: str
    support_ends: datetime.date | None = None
    bits: int | None = None
    floor: LevelTable | None = None
    minimum: LevelTable | None = None
    recommended: LevelTable | None = None


class SheetTable(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A needs sheet as written in TOML."""

    tallcheck: Literal["needs/1"] = field()
    title: str = field()
    kind: Literal["operating system", "program"] = field()
    publisher: str | None = None
    source: str | None = None
    read_on: datetime.date | None = None
    provisional: bool = False
    release: list[ReleaseTable] | None = None
    support_ends: datetime.date | None = None
    bits: int | None = None
    floor: LevelTable | None = None
    minimum: LevelTable | None = None
    recommended: LevelTable | None = None


# --- the sheet as it is used ---------------------------------------------------------------


def _parse_when(table: Any, where: str, vocabulary: Vocabulary) -> tuple[Condition, ...]:
    if not isinstance(table, dict) or not table:
        raise InputError(f"found {table!r}", 'a table such as {"system.shape" = "notebook"}', where)
    found = []
    for name, value in table.items():
        try:
            found.append(parse_condition(name, value, vocabulary))
        except InputError as error:
            raise error.at(f"{where}.{name}") from None
    return tuple(found)


def _parse_keys(
    values: dict[str, Any], where: str, vocabulary: Vocabulary, when: tuple[Condition, ...] = ()
) -> list[Need]:
    needs = []
    for key, value in values.items():
        if value is None or key in ("also", "any", "when"):
            continue
        try:
            needs.append(Need(key, parse_test(key, value, vocabulary), when))
        except InputError as error:
            raise error.at(f"{where}.{key}") from None
    return needs


def _sub_table(table: dict[str, Any], where: str, allowed: tuple[str, ...]) -> dict[str, Any]:
    try:
        level = msgspec.convert(table, LevelTable)
    except msgspec.ValidationError as error:
        raise validation_error(error, LevelTable, table).at(where) from None
    values = {key: value for key, value in structs_dict(level).items() if value is not None}
    for key in ("also", "any", "when"):
        if key in values and key not in allowed:
            raise InputError(f"found '{key}'", "needs alone in this table", where)
    return values


def structs_dict(value: Struct) -> dict[str, Any]:
    """The fields of a struct by name, not converted."""
    return {name: getattr(value, name) for name in value.__struct_fields__}


def _parse_level(
    level: LevelTable | None, where: str, vocabulary: Vocabulary
) -> tuple[Need, ...] | None:
    if level is None:
        return None
    if level.when is not None:
        raise InputError("found 'when'", "it in an `also` table", where)
    needs = _parse_keys(structs_dict(level), where, vocabulary)
    for at, table in enumerate(level.also or ()):
        place = f"{where}.also[{at}]"
        values = _sub_table(table, place, ("when",))
        if "when" not in values:
            raise InputError("found no 'when'", "the readings under which it holds", place)
        needs += _parse_keys(
            values,
            place,
            vocabulary,
            _parse_when(values["when"], f"{place}.when", vocabulary),
        )
    if level.any:
        alternatives = []
        for at, table in enumerate(level.any):
            place = f"{where}.any[{at}]"
            alternative = _parse_keys(_sub_table(table, place, ()), place, vocabulary)
            if not alternative:
                raise InputError("found an empty table", "at least one need", place)
            alternatives.append(tuple(alternative))
        keys = dict.fromkeys(need.key for one in alternatives for need in one)
        needs.append(Need(" or ".join(keys), alternatives=tuple(alternatives)))
    return tuple(needs)


def from_table(raw: dict[str, Any], vocabulary: Vocabulary) -> NeedsSheet:
    """The needs sheet from a decoded TOML document. Raises InputError that names the key."""
    if not raw:
        raise InputError("found an empty sheet", 'tallcheck = "needs/1" and the needs')
    try:
        sheet = msgspec.convert(raw, SheetTable)
    except msgspec.ValidationError as error:
        raise validation_error(error, SheetTable, raw) from None
    tables = list(sheet.release or ())
    top = (sheet.floor, sheet.minimum, sheet.recommended)
    if tables and any(level is not None for level in (*top, sheet.support_ends, sheet.bits)):
        raise InputError(
            "found both [[release]] tables and needs at the top level", "one or the other"
        )
    single = not tables
    if single:
        tables = [ReleaseTable("", sheet.support_ends, sheet.bits, *top)]
    releases = []
    for at, table in enumerate(tables):
        place = "" if single else f"release[{at}]."
        floor, minimum, recommended = (
            _parse_level(getattr(table, level), place + level, vocabulary)
            for level in ("floor", "minimum", "recommended")
        )
        if not (floor or minimum or recommended):
            raise InputError("found a release without needs", "a minimum table", place.rstrip("."))
        if table.bits is not None and (sheet.kind == "program" or table.bits not in (16, 32, 64)):
            raise InputError(
                f"found bits = {table.bits}", "32 or 64, of an operating system", f"{place}bits"
            )
        releases.append(
            Release(table.name, table.support_ends, floor, minimum, recommended, table.bits)
        )
    names = [release.name for release in releases]
    twice = {name for name in names if names.count(name) > 1}
    if twice:
        raise InputError(f"found release '{min(twice)}' twice", "each release once", "release")
    return NeedsSheet(
        sheet.title, sheet.kind, sheet.publisher, sheet.source, sheet.read_on, sheet.provisional,
        tuple(releases),
    )  # fmt: skip


_PROBLEMS_MOST = 200
_PLACEHOLDERS = {"tallcheck": "needs/1", "title": "?", "kind": "program", "name": "?"}


def problems(raw: dict[str, Any], vocabulary: Vocabulary) -> list[Remark]:
    """Every problem of a decoded sheet: each is taken out in turn, and the rest read again."""
    rest = copy.deepcopy(raw)
    found: list[Remark] = []
    while len(found) < _PROBLEMS_MOST:
        try:
            from_table(rest, vocabulary)
            return found
        except InputError as error:
            remark = Remark(error.where, str(InputError(error.found, error.expected)))
            if remark in found or not _take_out(rest, error.where):
                return found if remark in found else [*found, remark]
            found.append(remark)
    return found


def _steps(place: str) -> list[str | int]:
    parts: list[str | int] = []
    for name, index in re.findall(r"([^.\[\]]+)|\[(\d+)\]", place):
        parts.append(name or int(index))
    return parts


def _take_out(raw: dict[str, Any], place: str) -> bool:
    """Remove the entry at a place; a missing one that must be there is filled in."""
    steps = _steps(place)
    at: Any = raw
    for step in steps[:-1]:
        try:
            at = at[step]
        except (KeyError, IndexError, TypeError):
            return False
    if not steps or not isinstance(at, dict | list):
        return False
    last = steps[-1]
    if (
        isinstance(at, dict)
        and last in _PLACEHOLDERS
        and at.get(str(last)) != _PLACEHOLDERS[str(last)]
    ):
        at[last] = _PLACEHOLDERS[str(last)]
        return True
    try:
        del at[last]  # type: ignore[arg-type]
    except (KeyError, IndexError, TypeError):
        return False
    return True


# --- places as lines -----------------------------------------------------------------------

_HEADER = re.compile(r"\s*(\[\[?)\s*([^\]]+?)\s*\]\]?")
_KEY = re.compile(r"\s*([\w.\-\" ]+?)\s*=")


def lines_of(text: str) -> dict[str, int]:
    """The line on which each place of a TOML text stands, as far as simple reading tells."""
    lines: dict[str, int] = {}
    counts: dict[str, int] = {}
    table = ""
    for number, line in enumerate(text.splitlines(), 1):
        header = _HEADER.match(line)
        if header:
            table = _indexed(header[2].replace('"', ""), counts, header[1] == "[[")
            lines.setdefault(table, number)
            continue
        key = _KEY.match(line)
        if key:
            name = key[1].replace('"', "").strip()
            lines.setdefault(f"{table}.{name}" if table else name, number)
    return lines


def _indexed(name: str, counts: dict[str, int], array: bool) -> str:
    """A header's name with the index of each array of tables on the way."""
    path, plain = "", ""
    parts = [part.strip() for part in name.split(".")]
    for at, part in enumerate(parts):
        plain = f"{plain}.{part}" if plain else part
        path = f"{path}.{part}" if path else part
        if array and at == len(parts) - 1:
            counts[path] = counts.get(path, -1) + 1
        if path in counts:
            path += f"[{counts[path]}]"
    return path


def line_of(place: str, lines: dict[str, int]) -> int | None:
    """The line of a place, or of the table around it."""
    while place:
        if place in lines:
            return lines[place]
        cut = max(place.rfind("."), place.rfind("["))
        place = place[:cut] if cut > 0 else ""
    return None
