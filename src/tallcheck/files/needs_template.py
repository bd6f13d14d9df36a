"""A new needs sheet: a commented template, or one filled from ``KEY=VALUE``."""

import datetime

import tomlkit

from tallcheck.core.needs.keys import KEYS
from tallcheck.core.needs.sheet import from_table
from tallcheck.core.needs.written import parse_test
from tallcheck.core.values.errors import InputError, nearest

_TOP = ("publisher", "source", "read_on", "support_ends")
_LEVELS = ("floor", "minimum", "recommended")


def template(title: str, kind: str, words: list[str], day: datetime.date) -> str:
    """The text of a new sheet. ``words`` are ``KEY=VALUE``, with ``recommended.KEY`` and
    ``floor.KEY`` for the other strengths, ``release=NAME`` and the sheet's own keys.

    Raises InputError.
    """
    top, release, levels = _sorted(words)
    lines = [
        'tallcheck = "needs/1"',
        f"title = {_toml(title)}",
        f'kind = "{kind}"',
        f"publisher = {_toml(top.get('publisher', ''))}",
        f"source = {_toml(top.get('source', ''))}   # where these figures come from",
        f"read_on = {top.get('read_on', day.isoformat())}   # when a person read them there",
    ]
    if "support_ends" in top and not release:
        lines.append(f"support_ends = {top['support_ends']}")
    prefix = ""
    if release:
        prefix = "release."
        lines += ["", "[[release]]", f"name = {_toml(release)}"]
        if "support_ends" in top:
            lines.append(f"support_ends = {top['support_ends']}")
    for level in _LEVELS:
        given = levels[level]
        if given or (level == "minimum" and not any(levels.values())):
            lines += ["", f"[{prefix}{level}]"]
            lines += [f"{key} = {value}" for key, value in given.items()]
    if not any(levels.values()):
        lines.append('memory = "4 GB"   # replace this by what the publisher asks for')
    lines += ["", "# What else a table may ask for (take away the # and set the value):"]
    for key in KEYS.values():
        if key.name not in levels["minimum"]:
            remark = f"   # {key.remark}" if key.remark else ""
            lines.append(f"# {key.name} = {key.example}{remark}")
    lines += [
        "# A second table may hold what is recommended, on top of the minimum:",
        f"# [{prefix}recommended]",
        '# memory = "8 GB"',
    ]
    text = "\n".join(lines) + "\n"
    from_table(tomlkit.parse(text).unwrap())
    return text


def _sorted(words: list[str]) -> tuple[dict[str, str], str, dict[str, dict[str, str]]]:
    top: dict[str, str] = {}
    release = ""
    levels: dict[str, dict[str, str]] = {level: {} for level in _LEVELS}
    for word in words:
        key, equals, value = word.partition("=")
        key, value = key.strip(), value.strip()
        if not equals or not value:
            raise InputError(f'found "{word}"', "KEY=VALUE, such as memory=8GB")
        if key == "release":
            release = value
        elif key in _TOP:
            top[key] = _date(key, value) if key in ("read_on", "support_ends") else value
        else:
            level, dot, name = key.partition(".")
            if not dot:
                level, name = "minimum", key
            if level not in _LEVELS or name not in KEYS:
                known = [*KEYS, *_TOP, "release"]
                raise InputError(f"found the unknown key '{key}'{nearest(name, known)}", "a need")
            levels[level][name] = _value(name, value)
    return top, release, levels


def _date(key: str, value: str) -> str:
    try:
        return datetime.date.fromisoformat(value).isoformat()
    except ValueError:
        raise InputError(f'found "{value}"', "a date such as 2026-11-24", key) from None


def _value(key: str, value: str) -> str:
    """A typed value as TOML: numbers bare, lists and tables as written, the rest in quotes."""
    if value[0] in "[{" or value.isdecimal():
        written = value
    elif KEYS[key].kind in ("sets", "named", "patterns", "words") and "," in value:
        written = _toml([part.strip() for part in value.split(",")])
    else:
        written = _toml(value)
    try:
        parsed = tomlkit.parse(f"x = {written}").unwrap()["x"]
        parse_test(key, parsed)
    except InputError as error:
        raise error.at(key) from None
    except ValueError as error:  # of the TOML library
        raise InputError(f'found "{value}": {error}', "a value as TOML has it", key) from None
    return written


def _toml(value: str | list[str]) -> str:
    return tomlkit.item(value).as_string()
