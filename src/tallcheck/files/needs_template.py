"""A new needs sheet: a commented template, or one filled from ``KEY=VALUE``."""

import datetime
import re
from typing import Any

import tomlkit

from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.needs.keys import KEYS
from tallcheck.core.text.needs_sheet import from_table
from tallcheck.core.text.needs_written import key_called, need_said, parse_test
from tallcheck.core.text.page import Page
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.text import printable

_TOP = ("publisher", "source", "read_on", "support_ends")
_LEVELS = ("floor", "minimum", "recommended")


Levels = dict[str, dict[str, str]]


def template(
    title: str,
    kind: str,
    words: list[str],
    day: datetime.date,
    vocabulary: Vocabulary,
    page: Page | None = None,
) -> str:
    """The text of a new sheet. ``words`` are ``KEY=VALUE``, with ``recommended.KEY`` and
    ``floor.KEY`` for the other strengths, the sheet's own keys, and ``release=NAME``, behind which
    the words of that release follow. ``page`` is a publisher's page, for what no word says.

    Raises InputError.
    """
    top, releases = _sorted(words, vocabulary)
    if page is not None:
        _fill(releases, page, vocabulary)
    lines = [
        'tallcheck = "needs/1"',
        f"title = {_toml(title)}",
        f'kind = "{kind}"',
        f"publisher = {_toml(top.get('publisher', ''))}",
        f"source = {_toml(top.get('source', ''))}   # where these figures come from",
        f"read_on = {top.get('read_on', day.isoformat())}   # when a person read them there",
    ]
    for name, levels in releases:
        lines += _release(name, levels)
    empty = not any(any(levels.values()) for _, levels in releases)
    prefix = "release." if releases[-1][0] else ""
    if empty and page is None:
        lines.append('memory = "4 GB"   # replace this by what the publisher asks for')
    lines += _left(page)
    lines += ["", "# What else a table may ask for (take away the # and set the value):"]
    for key in KEYS.values():
        if key.name not in releases[-1][1]["minimum"]:
            remark = f"   # {key.remark}" if key.remark else ""
            lines.append(f"# {key.name} = {key.example}{remark}")
    lines += [
        "# A second table may hold what is recommended, on top of the minimum:",
        f"# [{prefix}recommended]",
        '# memory = "8 GB"',
    ]
    text = "\n".join(lines) + "\n"
    if not (empty and page is not None):  # nothing of the page was understood: it is filled by hand
        from_table(tomlkit.parse(text).unwrap(), vocabulary)
    return text


def _release(name: str, levels: Levels) -> list[str]:
    """The lines of one release, or of the only one, which has no name."""
    lines: list[str] = []
    prefix = ""
    ends = levels["top"].get("support_ends")
    if name:
        prefix = "release."
        lines += ["", "[[release]]", f"name = {_toml(name)}"]
    if ends:
        lines.append(f"support_ends = {ends}")
    for level in _LEVELS:
        given = levels[level]
        if given or (level == "minimum" and not any(levels[one] for one in _LEVELS)):
            lines += ["", f"[{prefix}{level}]"]
            lines += [f"{key} = {value}" for key, value in given.items()]
    return lines


def _fill(releases: list[tuple[str, Levels]], page: Page, vocabulary: Vocabulary) -> None:
    """What a page asks for, where no word says otherwise, into the last release."""
    for level, values in page.levels.items():
        for key, value in values.items():
            written = _value(key, _as_toml(value), vocabulary)
            if level != "recommended" or releases[-1][1]["minimum"].get(key) != written:
                releases[-1][1][level].setdefault(key, written)


def _as_toml(value: Any) -> str:
    """A value of a page: text as it is, the rest as TOML has it."""
    if isinstance(value, dict):
        return "{" + ", ".join(f"{_toml(k)} = {_toml(v)}"
                               for k, v in value.items()) + "}"  # fmt: skip
    return value if isinstance(value, str) else _toml(value)


def _left(page: Page | None) -> list[str]:
    """The lines of a page that were not understood, as comments."""
    if page is None or not page.left:
        return []
    found = ["", "# Not understood of the page; what of it matters must be written by hand:"]
    return found + [f"# line {number}: {printable(text)}" for number, text in page.left]


def _sorted(
    words: list[str], vocabulary: Vocabulary
) -> tuple[dict[str, str], list[tuple[str, Levels]]]:
    top: dict[str, str] = {}
    releases: list[tuple[str, Levels]] = [("", _no_levels())]
    for word in words:
        key, equals, value = word.partition("=")
        key, value = key.strip(), value.strip()
        if not equals or not value:
            raise InputError(f'found "{word}"', "KEY=VALUE, such as memory=8GB")
        levels = releases[-1][1]
        if key == "release":
            if releases[-1][0]:
                releases.append((value, _no_levels()))
            else:
                releases[-1] = (value, levels)
        elif key == "support_ends":
            levels["top"][key] = _date(key, value)
        elif key in _TOP:
            top[key] = _date(key, value) if key == "read_on" else value
        else:
            level, _, rest = word.partition(".")
            if level not in _LEVELS:
                level, rest = "minimum", word
            name, written = _said(rest, vocabulary)
            levels[level][name] = _value(name, written, vocabulary)
    return top, releases


def _said(text: str, vocabulary: Vocabulary) -> tuple[str, str]:
    """The need's key, and its value as TOML has it or as text."""
    name, _, value = text.partition("=")
    if value.strip()[:1] in ("[", "{") and key_called(name.strip(), vocabulary) in KEYS:
        return key_called(name.strip(), vocabulary), value.strip()
    name, said = need_said(text, vocabulary, (*_TOP, "release"))
    return name, said if isinstance(said, str) else _as_toml(said)


def _no_levels() -> Levels:
    return {"top": {}, **{level: {} for level in _LEVELS}}


def _date(key: str, value: str) -> str:
    try:
        return datetime.date.fromisoformat(value).isoformat()
    except ValueError:
        raise InputError(f'found "{value}"', "a date such as 2026-11-24", key) from None


def _value(key: str, value: str, vocabulary: Vocabulary) -> str:
    """A typed value as TOML: numbers bare, lists and tables as written, the rest in quotes."""
    if value[0] in "[{" or value.isdecimal():
        written = value
    elif KEYS[key].kind == "sets" and "," in value:
        written = _toml([part.strip() for part in value.split(",")])
    else:
        written = _toml(value)
    try:
        parsed = tomlkit.parse(f"x = {written}").unwrap()["x"]
        parse_test(key, parsed, vocabulary)
    except InputError as error:
        raise error.at(key) from None
    except ValueError as error:  # of the TOML library
        raise InputError(f'found "{value}": {error}', "a value as TOML has it", key) from None
    return written


def _toml(value: Any) -> str:
    """A value as TOML has it, what does not show escaped."""
    return re.sub(r"[^\0-~]", _shown, tomlkit.item(value).as_string())


def _shown(match: re.Match[str]) -> str:
    return match[0] if match[0].isprintable() else f"\\U{ord(match[0]):08x}"
