"""What is wrong with a needs sheet's table, and which of its names nothing is known by."""

import re
from collections.abc import Iterable, Iterator
from typing import Any

import msgspec
from msgspec.inspect import (
    LiteralType,
    StructType,
    Type,
)

from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.needs.key import Generations, Interfaces, Named, OneOf
from tallcheck.core.needs.processor import stands_for
from tallcheck.core.needs.sheet import Need
from tallcheck.core.values.errors import InputError, nearest
from tallcheck.core.values.structures import Step, inside, types_of

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
    text, steps = _text_and_steps(error)
    return _in_our_words(text, _entries_named(steps, raw, table), table, raw)


def _text_and_steps(error: msgspec.ValidationError) -> tuple[str, list[Step]]:
    text, _, place = str(error).partition(" - at ")
    found = re.findall(r"\[(\d+)\]|(\[\.\.\.\])|([^.\[\]]+)", place.strip("`").removeprefix("$"))
    return text, [int(index) if index else name or ... for index, _, name in found]


def _entries_named(steps: list[Step], raw: Any, table: Any) -> list[Step]:
    """The steps with each entry of a map by its key: the first one that is wrong in this way."""
    if ... not in steps:
        return steps
    at = steps.index(...)
    entries = _at(raw, steps[:at])
    for key, value in entries.items() if isinstance(entries, dict) else ():
        try:
            msgspec.convert(_with(raw, steps[:at], {key: value}), table)
        except msgspec.ValidationError as error:
            if _text_and_steps(error)[1] == steps:
                return [*steps[:at], key, *_entries_named(steps, value, table)[at + 1 :]]
    return steps


def _at(raw: Any, steps: list[Step]) -> Any:
    """What stands at a place of plain values; None where there is nothing."""
    for step in steps:
        if isinstance(step, int):
            raw = raw[step] if isinstance(raw, list) and step < len(raw) else None
        else:
            raw = raw.get(step) if isinstance(raw, dict) else None
    return raw


def _with(raw: Any, steps: list[Step], value: Any) -> Any:
    """Plain values with another one at a place."""
    if not steps:
        return value
    step, *rest = steps
    inner = _with(raw[step], rest, value)
    if isinstance(step, int):
        return [*raw[:step], inner, *raw[step + 1 :]]
    return {**raw, step: inner}


def _in_our_words(text: str, steps: list[Step], table: Any, raw: Any) -> InputError:
    where = _place(steps)
    if unknown := re.fullmatch(r"Object contains unknown field `(.*)`", text, re.DOTALL):
        known = _field_names(table, steps)
        return InputError(
            f"found the unknown key '{unknown[1]}'{nearest(unknown[1], known)}",
            "one of " + ", ".join(known), _place([*steps, unknown[1]]),
        )  # fmt: skip
    if missing := re.fullmatch(r"Object missing required field `(.*)`", text):
        return InputError(f"the key '{missing[1]}' is missing", where=_place([*steps, missing[1]]))
    if wrong := re.fullmatch(r"Invalid enum value (.*)", text, re.DOTALL):
        word = wrong[1].strip("'\"")
        choices = [str(one) for one in _choices(table, steps)]
        return InputError(
            f"found '{word}'{nearest(word, choices)}", "one of " + ", ".join(choices), where
        )
    if fits := re.fullmatch(_FITS, text):
        return InputError(_found(fits["got"], _at(raw, steps)), _expected(fits), where)
    return InputError(text[:1].lower() + text[1:], where=where)


def _place(steps: list[Step]) -> str:
    """How an error names a place: ``modules[0].size``."""
    text = "".join(f"[{step}]" if isinstance(step, int) else f".{step}" for step in steps)
    return text.replace(".Ellipsis", "[...]").lstrip(".")


def _found(got: str | None, value: Any) -> str:
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


def _types_at(table: Any, steps: list[Step]) -> list[Type]:
    """What may stand at a place of a table."""
    kinds = types_of(table)
    for step in steps:
        kinds = inside(kinds, step)
    return kinds


def _field_names(table: Any, steps: list[Step]) -> list[str]:
    """The keys of a structure as files call them."""
    kinds = [kind for kind in _types_at(table, steps) if isinstance(kind, StructType)]
    return [field.encode_name for kind in kinds for field in kind.fields]


def _choices(table: Any, steps: list[Step]) -> list[Any]:
    kinds = [kind for kind in _types_at(table, steps) if isinstance(kind, LiteralType)]
    return [value for kind in kinds for value in kind.values]


_NAMED_MOST = 3
_INTERFACES = ("vulkan", "d3d", "wddm", "opengl", "opencl", "metal", "cuda")


def every_need(needs: Iterable[Need]) -> Iterator[Need]:
    """Needs, and those of their tables."""
    for need in needs:
        yield need
        for table in need.alternatives:
            yield from every_need(table)


def unknown_names(need: Need, vocabulary: Vocabulary) -> list[str]:
    """What in a need is no name that is known, each with the nearest."""
    test = need.test
    if isinstance(test, Generations):
        return _lines(test)
    if isinstance(test, Named) and need.key == "os":
        return _systems(test)
    if isinstance(test, OneOf) and need.key == "processors":
        return _processors(test, vocabulary)
    if isinstance(test, Interfaces):
        return [_nearest("interface", name, list(_INTERFACES)) for name in test.versions
                if name.lower() not in _INTERFACES]  # fmt: skip
    return []


def _nearest(what: str, word: str, known: list[str]) -> str:
    return f"no {what} is known as '{word}'{nearest(word, known)}"


def _lines(test: Generations) -> list[str]:
    known = test.namer
    names = [line.name for line in known.lines.values()]
    return [
        _nearest("processor line", name, names) + "; `tallcheck needs lines` lists them"
        for name in test.lines if name != "*" and known.line(name) is None
    ]  # fmt: skip


def _systems(test: Named) -> list[str]:
    systems = test.systems
    names = sorted(systems.every_name())
    return [
        _nearest("system", name, names)
        for name, _ in test.names
        if systems.called(name) is None and not systems.is_family(name)
    ]  # fmt: skip


def _processors(test: OneOf, vocabulary: Vocabulary) -> list[str]:
    odd = [word for word in test.words if not stands_for(word, vocabulary.processors)]
    if not odd:
        return []
    some = ", ".join(f"'{word}'" for word in odd[:_NAMED_MOST])
    more = f" and {len(odd) - _NAMED_MOST} more" if len(odd) > _NAMED_MOST else ""
    return [f"nothing known is called {some}{more}: such an entry may match no machine"]
