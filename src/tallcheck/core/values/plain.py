"""The way in: bytes and texts from anyone into plain values, before any reader sees them.

What comes out is text without lone surrogates, whole numbers of 64 bits, finite numbers, dates,
and lists and tables of these, of bounded depth, count and length. All else is an InputError.
"""

import datetime
import math
from collections import Counter
from typing import Any

import msgspec

from tallcheck.core.values.errors import InputError

DEPTH_MOST = 32
ENTRIES_MOST = 1 << 20
"""Lists, tables and values within one input."""
KEY_MOST, TEXT_MOST = 1 << 10, 1 << 16
"""Characters of a key, and of any text."""
_LEAST, _MOST = -(1 << 63), 1 << 64
_DIGITS_MOST = 18
"""Digits of a whole number in a text: they fit into 64 bits whatever they are."""
WIDE_MARKS = (b"\xff\xfe", b"\xfe\xff")
"""What UTF-16 begins with."""


def utf8(data: bytes, where: str = "") -> bytes:
    """The bytes as UTF-8 without a mark, from that or from UTF-16 with one. Raises InputError."""
    if not data.startswith(WIDE_MARKS):
        return data.removeprefix(b"\xef\xbb\xbf")
    try:
        return data.decode("utf-16").encode()
    except UnicodeDecodeError:
        raise InputError("found UTF-16 that breaks off", "whole text", where) from None


def mended(data: bytes, where: str = "") -> tuple[bytes, str]:
    """A list's bytes as ``utf8`` has them, and what was mended in them; "" where nothing was.

    What has nothing of UTF-8 is text of the Windows code page for Western Europe.
    """
    data = utf8(data, where)
    if data.isascii():
        return data, ""
    try:
        data.decode()
    except UnicodeDecodeError:
        text = data.decode("utf-8", "replace")
        if text.replace("\ufffd", "").isascii():
            return data.decode("cp1252", "replace").encode(), "read as the Windows code page 1252"
        return text.encode(), "shown as \ufffd"
    return data, ""


def text_of(data: bytes, where: str = "") -> str:
    """The bytes as text, from UTF-8, or UTF-16 with its mark. Raises InputError."""
    if len(data) > 3 and not data.startswith(WIDE_MARKS) and 0 in (data[0], data[1]):
        raise InputError(
            "found what looks like UTF-16 without its mark", "UTF-8, or UTF-16 with a mark", where
        )
    try:
        return utf8(data, where).decode()
    except UnicodeDecodeError as error:
        line = data[: error.start].count(b"\n") + 1
        raise InputError(
            f"found a byte that is not UTF-8 on line {line}; it looks like {_looks_like(data)}",
            "UTF-8 text", where,
        ) from None  # fmt: skip


def _looks_like(data: bytes) -> str:
    """What bytes that are not UTF-8 may be."""
    odd = [byte for byte in data[:4096] if byte < 9 or 13 < byte < 32]
    return "no text at all" if len(odd) > len(data[:4096]) // 50 else "a Windows code page"


def json_of(data: bytes | str, expected: str, where: str = "") -> Any:
    """Checked JSON, in which no object has a key twice. Raises InputError."""
    content = data if isinstance(data, str) else text_of(data, where)
    try:
        return checked(_json(content, expected))
    except InputError as error:
        raise (error.at(where) if where else error) from None


def _json(content: str, expected: str) -> Any:
    try:
        found = msgspec.json.decode(content)
        if msgspec.json.format(content, indent=-1).encode() == msgspec.json.encode(found):
            return found  # nothing was lost, so no key is there twice
    except (msgspec.DecodeError, RecursionError, UnicodeEncodeError):
        pass  # the reader below says what is wrong, and on which line
    return _strict_json(content, expected)


def _strict_json(content: str, expected: str) -> Any:
    import json  # slower to import, and to read

    try:
        return json.loads(content, object_pairs_hook=_once, parse_constant=_no_constant)
    except json.JSONDecodeError as error:
        reason = f"{error.msg[:1].lower()}{error.msg[1:]} on line {error.lineno}"
        raise InputError(f"found no JSON: {reason}", expected) from None
    except RecursionError:
        raise InputError("found JSON nested too deeply", expected) from None
    except InputError:
        raise
    except ValueError:
        raise InputError("found a number with far too many digits", expected) from None


def _once(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found = dict(pairs)
    if len(found) < len(pairs):
        twice = next(name for name, count in Counter(n for n, _ in pairs).items() if count > 1)
        raise InputError(f"found the key '{twice[:80]}' twice in one object", "each key once")
    return found


def _no_constant(word: str) -> Any:
    raise InputError(f"found {word}", "a number")


def toml_of(data: bytes | str, expected: str, where: str = "") -> dict[str, Any]:
    """Checked TOML. Raises InputError."""
    import tomli  # the standard library's own parser, compiled

    content = data if isinstance(data, str) else text_of(data, where)
    try:
        found = tomli.loads(content)
        checked(found)
    except tomli.TOMLDecodeError as error:
        raise InputError(f"found no TOML: {error}", expected, where) from None
    except RecursionError:
        raise InputError("found TOML nested too deeply", expected, where) from None
    except InputError as error:
        raise (error.at(where) if where else error) from None
    except ValueError:
        raise InputError("found a number with far too many digits", expected, where) from None
    return found


def checked(value: Any) -> Any:
    """The value itself, where it is plain and bounded. Raises InputError that names the place."""
    left = ENTRIES_MOST
    levels: list[tuple[Any, str]] = [(value, "")]
    for depth in range(DEPTH_MOST + 1):
        below: list[tuple[Any, str]] = []
        for one, place in levels:
            entries = _entries(one, place, below)
            left -= entries
            if left < 0:
                raise InputError(f"found more than {ENTRIES_MOST:,} values", "far fewer")
        if not below:
            return value
        levels = below
        if depth == DEPTH_MOST:
            raise InputError(
                "found tables nested too deeply", f"at most {DEPTH_MOST} levels", levels[0][1][:80]
            )
    return value


def _entries(one: Any, place: str, below: list[tuple[Any, str]]) -> int:
    """How many values stand in a list or table; what is nested is put on the next level."""
    named = type(one) is dict
    if not named and type(one) is not list:
        fault = _fault(one)
        if fault is not None:
            raise fault.at(place) if place else fault
        return 1
    for key, value in one.items() if named else enumerate(one):
        if named and (type(key) is not str or len(key) > KEY_MOST or not is_text(key)):
            expected = f"text of at most {KEY_MOST} characters"
            raise InputError("found a key that is no text", expected, place)
        if type(value) is dict or type(value) is list:
            below.append((value, _inside(place, key)))
        elif type(value) is not str or len(value) > TEXT_MOST or not value.isascii():
            fault = _fault(value)
            if fault is not None:
                raise fault.at(_inside(place, key))
    return len(one) + 1


def _inside(place: str, key: str | int) -> str:
    """The place of an entry of a table or list."""
    if type(key) is int:
        return f"{place}[{key}]"
    return f"{place}.{key}" if place else str(key)


def _fault(value: Any) -> InputError | None:
    """What is wrong with a value that is neither a list nor a table; None where nothing is."""
    kind = type(value)
    if kind is str:
        if len(value) > TEXT_MOST:
            return InputError(f"found {len(value):,} characters", f"at most {TEXT_MOST:,}")
        return None if is_text(value) else InputError("found half a character", "whole text")
    if kind is bool or value is None:
        return None
    if kind is int:
        if _LEAST <= value < _MOST:
            return None
        digits = int(value.bit_length() * 0.30103) + 1
        return InputError(f"found a number of {digits} digits", "one of at most 64 bits")
    if kind is float:
        return None if math.isfinite(value) else InputError(f"found {value}", "a number")
    if isinstance(value, datetime.date | datetime.time):
        return None
    return InputError(f"found {kind.__name__}", "text, a number, a list or a table")


def is_text(text: str) -> bool:
    """Whether a text has no lone surrogate, so that it can be written."""
    if text.isascii():
        return True
    try:
        text.encode()
    except UnicodeEncodeError:
        return False
    return True


def whole_number(text: str) -> int | None:
    """The whole number that a text is, of at most 18 digits and perhaps a sign; None else."""
    digits = text[1:] if text[:1] in ("-", "+") else text
    if not digits.isdecimal() or len(digits) > _DIGITS_MOST:
        return None
    return int(text)
