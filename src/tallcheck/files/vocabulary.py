"""The vocabulary's files: the user's, the built-in ones, and the demo's, in that order."""

import os
import re
from collections.abc import Sequence
from functools import cache
from typing import Any, TypeVar

import msgspec

from tallcheck.core.machine.names import Count, Line, ModelWord, Rule
from tallcheck.core.machine.readings import resolve_key
from tallcheck.core.machine.systems import SystemWord
from tallcheck.core.machine.vocabulary import Phrases, Vocabulary
from tallcheck.core.text.labels import UNITS
from tallcheck.core.text.lexicon import PSEUDO
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.plain import toml_of
from tallcheck.core.values.text import fold
from tallcheck.files.config import config_folder
from tallcheck.files.inputs import read

_DATA = os.path.join(os.path.dirname(os.path.dirname(__file__)), "data")
PROCESSORS, MODELS = "processors.toml", "models.toml"
SYSTEMS, LABELS = "systems.toml", "labels.toml"


class _Names(msgspec.Struct, forbid_unknown_fields=True):
    line: list[Line] = []
    rule: list[Rule] = []
    count: list[Count] = []


class _Systems(msgspec.Struct, forbid_unknown_fields=True):
    system: list[SystemWord] = []


class _Models(msgspec.Struct, forbid_unknown_fields=True):
    model: list[ModelWord] = []


_File = TypeVar("_File", _Names, _Systems, _Models, Phrases)


def _read(path: str, kind: type[_File], expected: str) -> _File:
    try:
        return msgspec.convert(toml_of(read(path), expected, path), kind)
    except msgspec.ValidationError as error:
        raise InputError(f"found none of them: {error}", expected, path) from None


def read_names(path: str) -> tuple[list[Rule], list[Line], list[Count]]:
    """The rules, lines and counts of one file. Raises InputError."""
    found = _read(path, _Names, "naming rules: [[line]], [[rule]] and [[count]] tables")
    return found.rule, found.line, found.count


def _own(name: str) -> str | None:
    path = os.path.join(config_folder(), name)
    return path if os.path.isfile(path) else None


def _files(name: str) -> list[str]:
    """The user's file of a name, the built-in one, and the demo's: those that there are."""
    shipped = (os.path.join(_DATA, name), os.path.join(_DATA, "demo", name))
    return [one for one in (_own(name), *shipped) if one is not None and os.path.isfile(one)]


def processor_names() -> tuple[list[Rule], list[Line], list[Count]]:
    """Every naming rule, line and count, the user's first. Raises InputError for a wrong file."""
    rules: list[Rule] = []
    lines: list[Line] = []
    counts: list[Count] = []
    # the tool's own patterns are compiled one by one as they are tried: all of them is slow
    own = _own(PROCESSORS)
    for path in _files(PROCESSORS):
        more, named, counted = read_names(path)
        if path == own:
            checked(more, path)
            checked(counted, path)
        rules += more
        lines += named
        counts += counted
    return rules, lines, counts


def checked(rules: Sequence[Rule | Count], path: str) -> None:
    """Raise InputError unless every pattern and level is valid."""
    for at, rule in enumerate(rules):
        place = f"{path}: {type(rule).__name__.lower()}[{at}]"
        try:
            re.compile(rule.pattern)
        except re.error as error:
            raise InputError(
                f"found the pattern {rule.pattern!r}: {error}", "a regular expression",
                place,
            ) from None  # fmt: skip
        for least, level in rule.levels.items() if isinstance(rule, Rule) else ():
            if not least.isdecimal() or not re.fullmatch(r"x86-64-v[1-4]", level):
                raise InputError(
                    f'found {least} = "{level}"', 'a table such as {4 = "x86-64-v3"}',
                    f"{place}.levels",
                )  # fmt: skip


def systems() -> list[SystemWord]:
    """Every system, the user's first. Raises InputError."""
    read_all = (_read(one, _Systems, "systems: [[system]] tables") for one in _files(SYSTEMS))
    return [word for one in read_all for word in one.system]


def models() -> list[ModelWord]:
    """Models of machines of which something is known by name. Raises InputError."""
    read_all = (_read(one, _Models, "models: [[model]] tables") for one in _files(MODELS))
    return [word for one in read_all for word in one.model]


_SAID = (
    "labels",
    "units",
    "words",
    "unknown",
    "aside",
    "machines",
    "totals",
    "within",
    "sections",
    "markers",
    "replies",
)
"""Tables of what people say: upper and lower case and marks make no difference."""


def phrases() -> Phrases:
    """Labels and phrases; the user's add to the built-in ones. Raises InputError."""
    whole: dict[str, Any] = {}
    for path in (os.path.join(_DATA, LABELS), _own(LABELS)):
        if path is None:
            continue
        found = _read(path, Phrases, "a [labels] table, and lists of phrases")
        try:
            keys = {label: key if key in PSEUDO else resolve_key(key)
                    for label, key in found.labels.items()}  # fmt: skip
        except InputError as error:
            raise error.at(path) from None
        for label, unit in found.units.items():
            if unit not in UNITS:
                raise InputError(f'found the unit "{unit}"', ", ".join(UNITS), f"{path}, {label}")
        parts = msgspec.structs.asdict(found) | {"labels": keys}
        for name, part in parts.items():
            whole[name] = _both(whole.get(name), _folded(part) if name in _SAID else part)
    return Phrases(**whole)


def _folded(part: Any) -> Any:
    """A list or a table with all that is said in it folded."""
    if isinstance(part, tuple):
        return tuple(map(fold, part))
    return {
        key if isinstance(value, dict) else fold(key): _folded(value)
        if isinstance(value, dict) else value for key, value in part.items()
    }  # fmt: skip


def _both(one: Any, other: Any) -> Any:
    """Two lists behind one another, or two tables in one, where the other's entries hold."""
    if one is None:
        return other
    if isinstance(other, tuple):
        return (*one, *other)
    tables = {key: _both(one.get(key), value) if isinstance(value, dict | tuple) else value
              for key, value in other.items()}  # fmt: skip
    return one | tables


@cache
def vocabulary() -> Vocabulary:
    """The vocabulary of this run: the parts are read when they are first asked for."""
    return Vocabulary(processor_names, systems, phrases, models)
