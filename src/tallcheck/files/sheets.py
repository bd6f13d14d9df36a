"""Machine sheets, needs sheets and plans: JSON and TOML, in and out, strictly."""

import os
import re
from typing import Any

import msgspec
from msgspec.inspect import Type

from tallcheck.core.jobs.confirm_modules import Planned, PlannedModule
from tallcheck.core.machine.instructions import canonical, told_sets
from tallcheck.core.machine.readings import SHORT_NAMES, keys
from tallcheck.core.machine.sheet import OR_TEXT, SHEET_FORMAT, Machine
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.needs.review import Remark, suspicions
from tallcheck.core.needs.sheet import NeedsSheet
from tallcheck.core.needs.validation import validation_error
from tallcheck.core.text.needs_sheet import SheetTable, from_table, line_of, lines_of, problems
from tallcheck.core.values import quantities as q
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.kinds import KINDS
from tallcheck.core.values.plain import json_of, text_of, toml_of
from tallcheck.core.values.structures import inside, kind_named, types_of
from tallcheck.files.inputs import read, shown

_NAME_MOST = 200
"""Characters of a processor's name, or a pattern of names, at most."""


def machine_from(data: bytes, name: str) -> Machine:
    """A machine sheet from its bytes; ``name`` stands in errors. Raises InputError."""
    raw = json_of(data, "a machine sheet", name)
    try:
        return machine_from_table(raw)
    except InputError as error:
        raise error.at(name) from None


def machine_from_table(raw: Any) -> Machine:
    """A machine sheet from decoded JSON. Raises InputError that names the key."""
    if not isinstance(raw, dict):
        raise InputError(f"found {type(raw).__name__}", "an object with the sheet's keys")
    if raw.get("tallcheck") != SHEET_FORMAT:
        raise InputError(
            f'found "tallcheck": {raw.get("tallcheck")!r}', f'"{SHEET_FORMAT}" in a machine sheet'
        )
    try:
        try:
            machine = msgspec.convert(raw, Machine)
        except msgspec.ValidationError:
            machine = msgspec.convert(_with_numbers(raw, types_of(Machine)), Machine)
    except msgspec.ValidationError as error:
        raise validation_error(error, Machine, raw) from None
    return _checked(machine)


def _with_numbers(value: Any, kinds: list[Type], place: str = "") -> Any:
    """The same, with sizes, clocks and speeds that a person wrote as text read into numbers."""
    if isinstance(value, list):
        return [
            _with_numbers(one, inside(kinds, at), f"{place}[{at}]") for at, one in enumerate(value)
        ]
    if isinstance(value, dict):
        return {
            name: _with_numbers(one, inside(kinds, name), f"{place}.{name}".lstrip("."))
            for name, one in value.items()
        }
    kind = kind_named(kinds) if isinstance(value, str) else None
    try:
        return value if kind is None else KINDS[kind].read(value)
    except InputError as error:
        raise error.at(place) from None


def _checked(machine: Machine) -> Machine:
    """The machine with its set names canonical; what types alone cannot tell is checked."""
    processor = machine.processor
    changes: dict[str, Any] = {}
    for key in ("instructions", "hidden"):
        names = getattr(processor, key)
        if names is None:
            continue
        origin = machine.origins.get("processor.instructions")
        if origin and origin.how == "read":
            # a gathered list may name sets newer than the table
            changes[key] = [canonical(name) or name for name in names]
        else:
            try:
                changes[key] = told_sets(names)
            except InputError as error:
                raise error.at(f"processor.{key}") from None
    for place, value, parse in (
        ("display", machine.display, q.parse_display),
        ("firmware.security_module", machine.firmware.security_module, q.parse_module_version),
    ):
        if value is not None:
            try:
                parse(value)
            except InputError as error:
                raise error.at(place) from None
    if not machine.name.strip():
        raise InputError("found an empty name", "the machine's name", "name")
    processor = msgspec.structs.replace(processor, **changes)
    return msgspec.structs.replace(machine, processor=processor)


def machine_json(machine: Machine) -> bytes:
    """The sheet as JSON text that people can read, unknown readings left out."""
    raw = msgspec.to_builtins(machine)
    from tallcheck.core.values.text import json_text

    return json_text(raw).encode()


def read_needs(path: str, vocabulary: Vocabulary) -> NeedsSheet:
    """A needs sheet from a TOML file, or from standard input for ``-``. Raises InputError."""
    return needs_from(read(path), shown(path), vocabulary)


def needs_from(data: bytes, name: str, vocabulary: Vocabulary) -> NeedsSheet:
    """A needs sheet from its bytes; ``name`` stands in errors. Raises InputError."""
    raw = toml_of(data, "a needs sheet", name)
    try:
        return from_table(with_name_files(raw, os.path.dirname(name)), vocabulary)
    except InputError as error:
        raise error.at(name) from None


def with_name_files(raw: Any, folder: str) -> Any:
    """The decoded sheet with every ``processors = "FILE.txt"`` replaced by the file's lines.

    Files lie beside the sheet, nowhere else; empty lines and those that begin with ``#`` are left
    out. Raises InputError for a path, and for a line that is no name.
    """
    if isinstance(raw, list):
        return [with_name_files(one, folder) for one in raw]
    if not isinstance(raw, dict):
        return raw
    found = {key: with_name_files(value, folder) for key, value in raw.items()}
    listed = found.get("processors")
    if isinstance(listed, str) and listed.endswith(".txt"):
        found["processors"] = _names_in(os.path.join(folder, listed), listed)
    return found


def _names_in(path: str, listed: str) -> list[str]:
    """The lines of a file of names. Raises InputError."""
    inside = os.path.realpath(path) == os.path.join(os.path.realpath(os.path.dirname(path)), listed)
    if not inside or not re.fullmatch(r"[^/\\\\:\0]+", listed):
        raise InputError(f"found '{listed}'", "a file beside the sheet", "processors")
    names = []
    for number, line in enumerate(text_of(read(path), path).splitlines(), 1):
        name = line.strip()
        if not name or name.startswith("#"):
            continue
        if len(name) > _NAME_MOST or not name.isprintable():
            raise InputError(
                "found a line that is no processor's name", f"at most {_NAME_MOST} characters of "
                "text", f"{path}, line {number}",
            )  # fmt: skip
        names.append(name)
    return names


def _text_allowed(part: Any) -> Any:
    """A schema in which numbers that may be text with a unit say so."""
    if isinstance(part, list):
        return [_text_allowed(one) for one in part]
    if not isinstance(part, dict):
        return part
    found = {key: _text_allowed(value) for key, value in part.items() if key != OR_TEXT}
    return found | {"type": ["integer", "string"]} if OR_TEXT in part else found


def schema_of(kind: Any, title: str) -> dict[str, Any]:
    """The JSON Schema of a type (JSON Schema 2020-12)."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": title,
        **_text_allowed(msgspec.json.schema(kind)),
    }


def schema(which: str) -> dict[str, Any]:
    """The JSON Schema of ``machine`` or ``needs`` sheets (JSON Schema 2020-12)."""
    kind: Any = Machine if which == "machine" else SheetTable
    found = schema_of(kind, f"Tall Check {which} sheet")
    if which == "machine":
        found["x-keys"] = list(keys())
        found["x-short-names"] = SHORT_NAMES
    return found


def review(path: str, vocabulary: Vocabulary) -> tuple[list[str], list[str]]:
    """Problems and warnings of a sheet, each with its line. Raises InputError if unreadable."""
    data = read(path)
    content = text_of(data, shown(path))
    try:
        raw = with_name_files(toml_of(content, "a needs sheet"), os.path.dirname(path))
    except InputError as error:
        return [str(error)], []
    lines = lines_of(content)
    found = problems(raw, vocabulary)
    if found:
        return [_with_line(remark, lines) for remark in found], []
    return [], [
        _with_line(remark, lines) for remark in suspicions(from_table(raw, vocabulary), vocabulary)
    ]


def _with_line(remark: Remark, lines: dict[str, int]) -> str:
    line = line_of(remark.place, lines)
    place = f"{remark.place}: " if remark.place else ""
    return f"line {line}: {place}{remark.text}" if line else f"{place}{remark.text}"


_EXPECTED = "a plan of `tallcheck upgrade --format json`"


class _Raw(msgspec.Struct):
    tallcheck: str
    total: int | None = None
    machine: str | None = None
    remove: list[PlannedModule] = []
    add: list[PlannedModule] = []
    speed: int | None = None


def read_plan(path: str) -> Planned:
    """The plan in a file. Raises InputError that names file, key, and what was expected."""
    decoded = json_of(read(path), _EXPECTED, shown(path))
    try:
        raw = msgspec.convert(decoded, _Raw)
    except msgspec.ValidationError as error:
        raise InputError(f"found {error}", _EXPECTED, shown(path)) from None
    if raw.tallcheck != "plan/1":
        raise InputError(f'found "{raw.tallcheck}"', '"plan/1"', f"{shown(path)}, tallcheck")
    if not raw.add or raw.total is None:
        raise InputError("found a plan that adds nothing", "modules to add", f"{shown(path)}, add")
    return Planned(raw.machine, raw.total, tuple(raw.remove), tuple(raw.add), raw.speed)
