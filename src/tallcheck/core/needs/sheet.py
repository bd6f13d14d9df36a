"""The needs sheet: what one operating system or program asks for, release by release."""

import datetime
import re
from collections.abc import Callable
from typing import Annotated, Any, Literal

import msgspec
from msgspec import Meta, Struct, field

from tallcheck.core.machine.instructions import set_or_level
from tallcheck.core.machine.readings import resolve_key
from tallcheck.core.values import comparison as c
from tallcheck.core.values import quantities as q
from tallcheck.core.values.comparison import Bound, parse_bound
from tallcheck.core.values.errors import InputError

SHEET_FORMAT = "needs/1"

# --- what a key may hold -------------------------------------------------------------------

ABILITY = ("none", "able", "on")
"""Words in rising order for virtualization and secure boot."""


class OneOf(Struct, frozen=True):
    """One of these words; with ``refused``, none of them."""

    words: tuple[str, ...]
    refused: bool = False


class AllSets(Struct, frozen=True):
    """All of these instruction sets or levels, by canonical name."""

    names: tuple[str, ...]


class Generations(Struct, frozen=True):
    """At least this generation of its own line; ``"*"`` speaks of every other line."""

    lines: dict[str, int | None]


class Named(Struct, frozen=True):
    """Names with version ranges: one of them, or ``every`` one of them."""

    names: tuple[tuple[str, str], ...]
    every: bool = False


class Interfaces(Struct, frozen=True):
    """Graphics interfaces, each with the least version."""

    versions: dict[str, str]


class ExtraKeys(Struct, frozen=True):
    """Told keys and the value each must have."""

    values: dict[str, Any]


Test = Bound | OneOf | AllSets | Generations | Named | Interfaces | ExtraKeys


class Spec(Struct, frozen=True):
    """How one key of a needs sheet is written, read and cured."""

    kind: str
    bare: str
    cure: str
    reading: str


P, G = "P", "G"

SPECS: dict[str, Spec] = {
    "memory": Spec("memory", c.AT_LEAST, "memory", "memory.installed"),
    "memory_own": Spec("memory", c.AT_LEAST, "memory", "memory.available"),
    "cores": Spec("count", c.AT_LEAST, P, "processor.cores"),
    "threads": Spec("count", c.AT_LEAST, P, "processor.threads"),
    "clock": Spec("clock", c.AT_LEAST, P, "processor.clock"),
    "generation": Spec("generation", c.AT_LEAST, P, "processor.generation"),
    "processors": Spec("patterns", "one of", P, "processor.name"),
    "instructions": Spec("sets", "all of", P, "processor.instructions"),
    "processor_bits": Spec("bits", c.AT_LEAST, "machine", "processor.bits"),
    "architecture": Spec("words", "one of", "machine", "processor.architecture"),
    "virtualization": Spec("ability", c.AT_LEAST, P, "processor.virtualization"),
    "os": Spec("named", "one of", "system", "system.os"),
    "os_bits": Spec("bits", c.EXACTLY, "system", "system.os_bits"),
    "storage": Spec("storage", c.AT_LEAST, "storage", "storage.drive"),
    "storage_free": Spec("storage", c.AT_LEAST, "storage", "storage.free"),
    "storage_data": Spec("storage", c.AT_LEAST, "storage", "storage.data"),
    "storage_kind": Spec("words", c.EXACTLY, "storage", "storage.kind"),
    "security_module": Spec("version", c.AT_LEAST, "setting", "firmware.security_module"),
    "firmware": Spec("words", c.EXACTLY, "setting", "firmware.mode"),
    "secure_boot": Spec("ability", c.AT_LEAST, "setting", "firmware.secure_boot"),
    "graphics": Spec("interfaces", c.AT_LEAST, G, "graphics"),
    "graphics_memory": Spec("memory", c.AT_LEAST, G, "graphics.memory"),
    "display": Spec("display", c.AT_LEAST, "part", "display"),
    "software": Spec("named", "all of", "part", "software"),
    "memory_use": Spec("share", c.AT_MOST, "memory", "usage.memory_use"),
    "cores_use": Spec("number", c.AT_MOST, P, "usage.cores_use"),
    "extra": Spec("extra", c.EXACTLY, "part", "extra"),
}


def _parse_ability(text: str) -> int:
    if text.strip().lower() not in ABILITY:
        raise InputError(f'found "{text.strip()}"', '"on" or "able"')
    return ABILITY.index(text.strip().lower())


def _parse_bits(text: str) -> int:
    if text.strip() not in ("16", "32", "64"):
        raise InputError(f'found "{text.strip()}"', "32 or 64")
    return int(text)


def _parse_number(text: str) -> float:
    if not re.fullmatch(r"\s*\d{1,9}([.,]\d{1,9})?\s*", text):
        raise InputError(f'found "{text.strip()}"', "a number, such as 2.5")
    return float(text.replace(",", "."))


_PARSERS: dict[str, Callable[[str], Any]] = {
    "memory": q.parse_memory,
    "storage": q.parse_storage,
    "clock": q.parse_clock,
    "count": q.parse_count,
    "bits": _parse_bits,
    "share": q.parse_share,
    "number": _parse_number,
    "version": q.parse_version,
    "ability": _parse_ability,
    "display": q.parse_display,
}

_KNOWN_WORDS = {
    "storage_kind": ("solid", "spinning"),
    "firmware": ("uefi", "bios"),
}


def _strings(value: Any, expected: str) -> list[str]:
    values = value if isinstance(value, list) else [value]
    if not values or not all(isinstance(v, str) and v.strip() for v in values):
        raise InputError(f"found {value!r}", expected)
    return [v.strip() for v in values]


def _parse_words(key: str, value: Any) -> OneOf:
    words = _strings(value, 'a word or a list of words, such as "x86-64"')
    refused = False
    if len(words) == 1:
        match = re.fullmatch(r"(!=|=|not\s)\s*(.+)", words[0])
        if match:
            refused, words = match[1] != "=", [match[2]]
    known = _KNOWN_WORDS.get(key)
    folded = tuple(word.lower() for word in words)
    for word in folded:
        if known and word not in known:
            raise InputError(f'found "{word}"', "one of " + ", ".join(known))
    return OneOf(folded, refused)


_NAME_RANGE = re.compile(r"(.+?)\s*((?:>=|<=|==|!=|=|~=|<|>)\s*\d\S*(?:\s*,\s*[<>=!~]+\s*\S+)*)?")


def _parse_named(value: Any, every: bool) -> Named:
    names = []
    for text in _strings(value, 'a name with a version range, such as "Merrow >= 9"'):
        match = _NAME_RANGE.fullmatch(text)
        assert match  # (.+?) takes any text that is not empty
        span = re.sub(r"(?<![<>=!~])=(?!=)", "==", match[2] or "")
        if not span and (old := re.fullmatch(r"(.+?)\s+(\d\S*)", text)):
            names.append((old[1], f">={old[2]}"))
        else:
            names.append((match[1], span.replace(" ", "")))
    return Named(tuple(names), every)


def _parse_generations(value: Any) -> Generations:
    expected = 'a table of line to generation, such as {"Osier Wand" = 5, "*" = "none"}'
    if not isinstance(value, dict) or not value:
        raise InputError(f"found {value!r}", expected)
    lines: dict[str, int | None] = {}
    for line, number in value.items():
        if number == "none":
            lines[line] = None
        elif isinstance(number, int) and not isinstance(number, bool) and number >= 0:
            lines[line] = number
        else:
            raise InputError(f"found {number!r} for '{line}'", expected)
    return Generations(lines)


def _table(value: Any, expected: str) -> dict[str, Any]:
    if not isinstance(value, dict) or not value:
        raise InputError(f"found {value!r}", expected)
    return value


def _parse_interfaces(value: Any) -> Interfaces:
    table = _table(value, 'a table of interface to version, such as {vulkan = "1.2"}')
    for version in table.values():
        q.parse_version(str(version))
    return Interfaces({name: str(version) for name, version in table.items()})


def parse_test(key: str, value: Any) -> Test:
    """What ``key`` asks for, from its value in a needs sheet or after ``--need``. InputError."""
    spec = SPECS[key]
    if spec.kind == "sets":
        names = [
            word
            for text in _strings(value, 'instruction sets, such as ["AVX2"]')
            for word in re.split(r"[;,\s]+", text)
        ]
        return AllSets(tuple(set_or_level(name) for name in names if name))
    if spec.kind == "words":
        return _parse_words(key, value)
    if spec.kind == "patterns":
        names = _strings(value, "name patterns, with * and ? for any characters")
        return OneOf(tuple(name.lower() for name in names))
    if spec.kind == "named":
        return _parse_named(value, every=spec.bare == "all of")
    if spec.kind == "generation":
        return _parse_generations(value)
    if spec.kind == "interfaces":
        return _parse_interfaces(value)
    if spec.kind == "extra":
        return ExtraKeys(_table(value, "a table of told keys"))
    parse = _PARSERS[spec.kind]
    if isinstance(value, bool) or not isinstance(value, int | float | str):
        parse("")  # raises, with what was expected
    if isinstance(value, float) and spec.kind == "version":
        raise InputError(f"found the number {value}", 'a version in quotes, such as "2.0"')
    return parse_bound(str(value), parse, spec.bare)


# --- the sheet as it is written ------------------------------------------------------------

_SIZE = Annotated[Any, Meta(description='A size or comparison, such as "8 GB" or "2 GB..8 GB".')]
_COUNT = Annotated[Any, Meta(description='A whole number or comparison, such as 4 or "<= 4".')]
_WORD = Annotated[Any, Meta(description="A word, a comparison, or a list of words.")]


class LevelTable(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """One strength of need as written in TOML: a key for each thing asked for."""

    memory: _SIZE = None
    memory_own: _SIZE = None
    cores: _COUNT = None
    threads: _COUNT = None
    clock: Annotated[Any, Meta(description='A clock or comparison, such as "1.6 GHz".')] = None
    generation: Annotated[Any, Meta(description="A table of line to generation.")] = None
    processors: Annotated[Any, Meta(description="Name patterns with * and ?.")] = None
    instructions: Annotated[Any, Meta(description="Instruction sets or levels.")] = None
    processor_bits: _COUNT = None
    architecture: _WORD = None
    virtualization: _WORD = None
    os: Annotated[Any, Meta(description='Names with version ranges, "Merrow >= 9".')] = None
    os_bits: _COUNT = None
    storage: _SIZE = None
    storage_free: _SIZE = None
    storage_data: _SIZE = None
    storage_kind: _WORD = None
    security_module: Annotated[Any, Meta(description='A version in quotes, "2.0".')] = None
    firmware: _WORD = None
    secure_boot: _WORD = None
    graphics: Annotated[Any, Meta(description="A table of interface to version.")] = None
    graphics_memory: _SIZE = None
    display: Annotated[Any, Meta(description='Width x height, "1366x768".')] = None
    software: Annotated[Any, Meta(description="Names with version ranges, all needed.")] = None
    memory_use: Annotated[Any, Meta(description='A share, "80 %".')] = None
    cores_use: _COUNT = None
    extra: Annotated[Any, Meta(description="A table of told keys.")] = None
    when: Annotated[Any, Meta(description="In `also`: readings under which it holds.")] = None
    also: list[dict[str, Any]] | None = None
    any: list[dict[str, Any]] | None = None


class ReleaseTable(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """One release as written in TOML."""

    name: str
    support_ends: datetime.date | None = None
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
    floor: LevelTable | None = None
    minimum: LevelTable | None = None
    recommended: LevelTable | None = None


# --- the sheet as it is used ---------------------------------------------------------------


class Need(Struct, frozen=True):
    """One thing asked for: a key and its test; or, with ``any``, one of several tables."""

    key: str
    test: Test | None = None
    when: tuple[tuple[str, Any], ...] = ()
    alternatives: tuple[tuple["Need", ...], ...] = ()
    incomparable: str = ""
    """Why no reading can be held against it: the row is unknown and decides nothing."""


class Release(Struct, frozen=True):
    """One release: its needs at each strength; an absent strength is None."""

    name: str
    support_ends: datetime.date | None
    floor: tuple[Need, ...] | None
    minimum: tuple[Need, ...] | None
    recommended: tuple[Need, ...] | None


class NeedsSheet(Struct, frozen=True):
    """What one operating system or program asks for; releases as in the sheet."""

    title: str
    kind: str
    publisher: str | None
    source: str | None
    read_on: datetime.date | None
    provisional: bool
    releases: tuple[Release, ...]


def _parse_when(table: Any, where: str) -> tuple[tuple[str, Any], ...]:
    if not isinstance(table, dict) or not table:
        raise InputError(f"found {table!r}", 'a table such as {"system.shape" = "notebook"}', where)
    try:
        return tuple((resolve_key(key), value) for key, value in table.items())
    except InputError as error:
        raise error.at(where) from None


def _parse_keys(
    values: dict[str, Any], where: str, when: tuple[tuple[str, Any], ...] = ()
) -> list[Need]:
    needs = []
    for key, value in values.items():
        if value is None or key in ("also", "any", "when"):
            continue
        try:
            needs.append(Need(key, parse_test(key, value), when))
        except InputError as error:
            raise error.at(f"{where}.{key}") from None
    return needs


def _sub_table(table: dict[str, Any], where: str, allowed: tuple[str, ...]) -> dict[str, Any]:
    try:
        level = msgspec.convert(table, LevelTable)
    except msgspec.ValidationError as error:
        raise validation_error(error, LevelTable).at(where) from None
    values = {key: value for key, value in structs_dict(level).items() if value is not None}
    for key in ("also", "any", "when"):
        if key in values and key not in allowed:
            raise InputError(f"found '{key}'", "needs alone in this table", where)
    return values


def structs_dict(value: Struct) -> dict[str, Any]:
    """The fields of a struct by name, not converted."""
    return {name: getattr(value, name) for name in value.__struct_fields__}


def _parse_level(level: LevelTable | None, where: str) -> tuple[Need, ...] | None:
    if level is None:
        return None
    if level.when is not None:
        raise InputError("found 'when'", "it in an `also` table", where)
    needs = _parse_keys(structs_dict(level), where)
    for at, table in enumerate(level.also or ()):
        place = f"{where}.also[{at}]"
        values = _sub_table(table, place, ("when",))
        if "when" not in values:
            raise InputError("found no 'when'", "the readings under which it holds", place)
        needs += _parse_keys(values, place, _parse_when(values["when"], f"{place}.when"))
    if level.any:
        alternatives = []
        for at, table in enumerate(level.any):
            place = f"{where}.any[{at}]"
            alternative = _parse_keys(_sub_table(table, place, ()), place)
            if not alternative:
                raise InputError("found an empty table", "at least one need", place)
            alternatives.append(tuple(alternative))
        keys = dict.fromkeys(need.key for one in alternatives for need in one)
        needs.append(Need(" or ".join(keys), alternatives=tuple(alternatives)))
    return tuple(needs)


def validation_error(error: msgspec.ValidationError, table: Any) -> InputError:
    """A library's validation error as an InputError with the place and the nearest known key."""
    from tallcheck.core.values.errors import nearest

    text, _, place = str(error).partition(" - at ")
    where = place.strip("`").removeprefix("$").lstrip(".")
    unknown = re.fullmatch(r"Object contains unknown field `(.*)`", text, re.DOTALL)
    if unknown:
        known = _field_names(table, where)
        hint = nearest(unknown[1], known)
        place = f"{where}.{unknown[1]}" if where else unknown[1]
        return InputError(
            f"found the unknown key '{unknown[1]}'{hint}", "one of " + ", ".join(known), place
        )
    missing = re.fullmatch(r"Object missing required field `(.*)`", text)
    if missing:
        place = f"{where}.{missing[1]}" if where else missing[1]
        return InputError(f"the key '{missing[1]}' is missing", where=place)
    return InputError(text[:1].lower() + text[1:], where=where)


def _field_names(table: Any, where: str) -> list[str]:
    """The keys that the table at a dotted place knows."""
    import typing

    for step in re.sub(r"\[[^\]]*\]", "", where).split("."):
        if not step:
            continue
        hint = typing.get_type_hints(table).get(_attribute(table, step), Any)
        while typing.get_args(hint):
            inner = [a for a in typing.get_args(hint) if a not in (type(None), str)]
            hint = inner[0]
        table = hint
    return list(getattr(table, "__struct_encode_fields__", ()))


def _attribute(table: Any, name: str) -> str:
    names = dict(zip(table.__struct_encode_fields__, table.__struct_fields__, strict=True))
    return str(names.get(name, name))


def from_table(raw: dict[str, Any]) -> NeedsSheet:
    """The needs sheet from a decoded TOML document. Raises InputError that names the key."""
    if not raw:
        raise InputError("found an empty sheet", 'tallcheck = "needs/1" and the needs')
    try:
        sheet = msgspec.convert(raw, SheetTable)
    except msgspec.ValidationError as error:
        raise validation_error(error, SheetTable) from None
    tables = list(sheet.release or ())
    top = (sheet.floor, sheet.minimum, sheet.recommended)
    if tables and any(level is not None for level in (*top, sheet.support_ends)):
        raise InputError(
            "found both [[release]] tables and needs at the top level", "one or the other"
        )
    single = not tables
    if single:
        tables = [ReleaseTable("", sheet.support_ends, *top)]
    releases = []
    for at, table in enumerate(tables):
        place = "" if single else f"release[{at}]."
        levels = [
            _parse_level(getattr(table, level), place + level)
            for level in ("floor", "minimum", "recommended")
        ]
        if not any(levels):
            raise InputError("found a release without needs", "a minimum table", place.rstrip("."))
        releases.append(Release(table.name, table.support_ends, *levels))
    names = [release.name for release in releases]
    twice = {name for name in names if names.count(name) > 1}
    if twice:
        raise InputError(f"found release '{min(twice)}' twice", "each release once", "release")
    return NeedsSheet(
        sheet.title, sheet.kind, sheet.publisher, sheet.source, sheet.read_on, sheet.provisional,
        tuple(releases),
    )  # fmt: skip


def needs_at(release: Release, strength: str) -> tuple[Need, ...] | None:
    """The needs of a release at a strength, or None where it states none.

    ``recommended`` is the minimum overlaid with its own keys; ``floor`` stands alone.
    """
    if strength == "floor":
        return release.floor
    if strength == "minimum" or release.recommended is None:
        return release.minimum if strength == "minimum" else None
    own = {(need.key, need.when) for need in release.recommended}
    kept = [need for need in release.minimum or () if (need.key, need.when) not in own]
    order = {(need.key, need.when): at for at, need in enumerate(release.minimum or ())}
    merged = [*kept, *release.recommended]
    merged.sort(key=lambda need: order.get((need.key, need.when), len(order)))
    return tuple(merged)
