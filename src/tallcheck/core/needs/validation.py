"""What a library says of a table that does not fit, in our words: place, found, expected."""

import re
import typing
from typing import Any

import msgspec

from tallcheck.core.values.errors import InputError, nearest

_WORDS = {
    "int": "a whole number", "float": "a number", "str": "text", "bool": "true or false",
    "array": "a list", "object": "a table", "null": "nothing",
}  # fmt: skip
_BOUNDS = {">=": "of at least {}", "<=": "of at most {}", ">": "above {}", "<": "below {}"}
_FITS = (
    r"Expected `(?P<kinds>[^`]+)`(?P<length> of length)?(?: (?P<bound>[<>]=?) (?P<limit>\S+))?"
    r"(?:, got `(?P<got>[^`]+)`)?"
)


def validation_error(error: msgspec.ValidationError, table: Any, raw: Any) -> InputError:
    """A validation error as an InputError with the place, and the nearest known key or word.

    ``raw`` is what was validated, so that what was found can be named.
    """
    text, where = _text_and_place(error)
    return _in_our_words(text, _entry_named(where, raw, table), table, raw)


def _text_and_place(error: msgspec.ValidationError) -> tuple[str, str]:
    text, _, place = str(error).partition(" - at ")
    return text, place.strip("`").removeprefix("$").lstrip(".")


def _entry_named(where: str, raw: Any, table: Any) -> str:
    """The place with the entry of a map by its name, which the library does not say."""
    before, dots, behind = where.partition("[...]")
    entries = _at(raw, before)
    if not dots or not isinstance(entries, dict):
        return where
    for key, value in entries.items():
        try:
            msgspec.convert(_with(raw, _steps(before), {key: value}), table)
        except msgspec.ValidationError as error:
            if _text_and_place(error)[1] == where:
                return f"{before}.{key}{behind}"
    return where


def _steps(where: str) -> list[str | int]:
    found = re.findall(r"\[(\d+)\]|([^.\[\]]+)", where)
    return [int(index) if index else name for index, name in found]


def _at(raw: Any, where: str) -> Any:
    """What stands at a place of plain values; None where there is nothing."""
    for step in _steps(where):
        if isinstance(step, int):
            raw = raw[step] if isinstance(raw, list) and step < len(raw) else None
        else:
            raw = raw.get(step) if isinstance(raw, dict) else None
    return raw


def _with(raw: Any, steps: list[str | int], value: Any) -> Any:
    """Plain values with another one at a place."""
    if not steps:
        return value
    step, *rest = steps
    inner = _with(raw[step], rest, value)
    if isinstance(step, int):
        return [*raw[:step], inner, *raw[step + 1 :]]
    return {**raw, step: inner}


def _in_our_words(text: str, where: str, table: Any, raw: Any) -> InputError:
    if unknown := re.fullmatch(r"Object contains unknown field `(.*)`", text, re.DOTALL):
        known = _field_names(table, where)
        return InputError(
            f"found the unknown key '{unknown[1]}'{nearest(unknown[1], known)}",
            "one of " + ", ".join(known), f"{where}.{unknown[1]}" if where else unknown[1],
        )  # fmt: skip
    if missing := re.fullmatch(r"Object missing required field `(.*)`", text):
        place = f"{where}.{missing[1]}" if where else missing[1]
        return InputError(f"the key '{missing[1]}' is missing", where=place)
    if wrong := re.fullmatch(r"Invalid enum value (.*)", text, re.DOTALL):
        word = wrong[1].strip("'\"")
        choices = [str(one) for one in _choices(table, where)]
        return InputError(
            f"found '{word}'{nearest(word, choices)}", "one of " + ", ".join(choices), where
        )
    if fits := re.fullmatch(_FITS, text):
        return InputError(_found(fits["got"], raw, where), _expected(fits), where)
    return InputError(text[:1].lower() + text[1:], where=where)


def _found(got: str | None, raw: Any, where: str) -> str:
    value = _at(raw, where)
    if isinstance(value, int | float) and not isinstance(value, bool):
        return f"found {str(value)[:40]}"
    return f"found {_WORDS.get(got, got)}" if got else "found another"


def _expected(fits: re.Match[str]) -> str:
    kinds = [_WORDS.get(one.strip(), one.strip()) for one in fits["kinds"].split("|")]
    text = " or ".join(one for one in kinds if one != "nothing")
    if fits["length"]:
        text += " of a length"
    if fits["bound"]:
        text += " " + _BOUNDS[fits["bound"]].format(fits["limit"])
    return text


def _hint(table: Any, where: str) -> Any:
    """The type of what stands at a dotted place of a table."""
    for step in re.sub(r"\[[^\]]*\]", "", where).split("."):
        if not step:
            continue
        hint = typing.get_type_hints(table).get(_attribute(table, step), Any)
        while typing.get_args(hint) and typing.get_origin(hint) is not typing.Literal:
            inner = [a for a in typing.get_args(hint) if a not in (type(None), str)]
            hint = inner[0] if inner else str
        table = hint
    return table


def _field_names(table: Any, where: str) -> list[str]:
    return list(getattr(_hint(table, where), "__struct_encode_fields__", ()))


def _choices(table: Any, where: str) -> tuple[Any, ...]:
    hint = _hint(table, where)
    return typing.get_args(hint) if typing.get_origin(hint) is typing.Literal else ()


def _attribute(table: Any, name: str) -> str:
    """What the code calls the key that files call so."""
    fields = getattr(table, "__struct_encode_fields__", ())
    names = dict(zip(fields, getattr(table, "__struct_fields__", ()), strict=True))
    return str(names.get(name, name))
