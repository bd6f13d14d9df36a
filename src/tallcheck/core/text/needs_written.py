"""What is written in a needs sheet or after ``--need``, read into tests and conditions."""

import re
from collections.abc import Callable, Collection
from functools import partial
from typing import Any

from tallcheck.core.machine.entries import ReadingKey
from tallcheck.core.machine.instructions import canonical, set_or_level
from tallcheck.core.machine.readings import TRADE_WORDS, kind_of, resolve_key
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.needs.key import (
    AllSets,
    ExtraKeys,
    Generations,
    Interfaces,
    Named,
    OneOf,
    Test,
)
from tallcheck.core.needs.keys import KEYS
from tallcheck.core.needs.processor import WILD
from tallcheck.core.needs.sheet import Condition
from tallcheck.core.text.lexicon import INTERFACES
from tallcheck.core.text.plain_values import bits_said, display_said
from tallcheck.core.text.said import read_statement, size_said, value_said
from tallcheck.core.values import quantities as q
from tallcheck.core.values.comparison import (
    EXACTLY,
    MORE,
    OR_MORE,
    VERSION_MOST,
    Bound,
    parse_bound,
)
from tallcheck.core.values.errors import InputError, nearest
from tallcheck.core.values.kinds import KINDS
from tallcheck.core.values.plain import whole_number
from tallcheck.core.values.text import LISTED_MOST, bounded, fold


def _parse_version(text: str) -> Any:
    return q.parse_version(re.sub(r"^\s*tpm\s*", "", text, flags=re.IGNORECASE))


def _parse_bits(text: str) -> int:
    return int(bits_said("processor.bits", text)[0].value)


def _parse_display(text: str) -> Any:
    try:
        return q.parse_display(text)
    except InputError:
        return q.parse_display(str(display_said("display", text)[0].value))


_READERS: dict[str, Callable[[str], Any]] = {
    "bits": _parse_bits, "version": _parse_version,
    "display": _parse_display,
}  # fmt: skip
"""Kinds whose values people write in more ways than one."""
_WORDS_OF = {
    "storage_kind": "storage.kind", "firmware": "firmware.mode",
    "architecture": "processor.architecture",
}  # fmt: skip
"""Keys whose words are those of a reading, as people say them."""


def _strings(value: Any, expected: str) -> list[str]:
    values = value if isinstance(value, list) else [value]
    if not values or not all(isinstance(v, str) and v.strip() for v in values):
        raise InputError(f"found {value!r}", expected)
    return [bounded(v).strip() for v in values]


def _refusal(words: list[str]) -> tuple[list[str], bool]:
    """A single word behind ``!=``, ``not`` or ``=``; and whether it is refused."""
    signed = len(words) == 1 and words[0].startswith(("!=", "=", "not"))
    match = re.fullmatch(r"(!=|=|not\s)\s*(.+)", words[0]) if signed else None
    return ([match[2]], match[1] != "=") if match else (words, False)


def _parse_words(name: str, value: Any, vocabulary: Vocabulary) -> OneOf:
    words, refused = _refusal(_strings(value, 'a word or a list of words, such as "x86-64"'))
    if name in _WORDS_OF:
        words = [str(value_said(_WORDS_OF[name], word, vocabulary)) for word in words]
    return OneOf(tuple(word.lower() for word in words), refused)


_NAME_RANGE = r"(?s)(.+?)\s*((?:>=|<=|==|!=|=|~=|<|>)\s*\d\S*(?:\s*,\s*[<>=!~]+\s*\S+)*)?"


def _parse_named(value: Any, every: bool, vocabulary: Vocabulary) -> Named:
    names = []
    for text in _strings(value, 'a name with a version range, such as "Merrow >= 9"'):
        if not every and re.match(r"(?i)(?:not\s|!=)", text):
            raise InputError(f'found "{text}"', 'the systems that may run, as in "Merrow >= 9"')
        if not every and (said := _system_range(text, vocabulary)) is not None:
            names.append(said)
            continue
        match = re.fullmatch(_NAME_RANGE, text)
        assert match  # (.+?) takes any text that is not empty
        span = re.sub(r"(?<![<>=!~])=(?!=)", "==", match[2] or "")
        if not span and (old := re.fullmatch(r"(.+?)\s+(\d\S*)", text)):
            names.append((old[1], f">={old[2]}"))
        else:
            names.append((match[1], span.replace(" ", "")))
    if long := next((span for _, span in names if len(span) > VERSION_MOST), None):
        raise InputError(
            f'found "{long[:40]}..."', f"versions of at most {VERSION_MOST} characters"
        )
    return Named(tuple(names), vocabulary.systems, every)


def _system_range(text: str, vocabulary: Vocabulary) -> tuple[str, str] | None:
    """A known system as people write it, with its range: "Win 10 or later", "Windows 11 Pro"."""
    if re.search(r"[<>=!~]", text):
        return None
    later = re.search(rf"{OR_MORE}[^+]*$", text)
    try:
        said = vocabulary.systems.said(text[: later.start()] if later else text)
    except InputError:
        return None
    if not said.known:
        return None
    return said.name, f">={said.version}" if said.version else ""


def _parse_generations(value: Any, vocabulary: Vocabulary) -> Generations:
    expected = 'a table of line to generation, such as {"Osier Wand" = 5, "*" = "none"}'
    if not isinstance(value, dict) or not value:
        raise InputError(f"found {value!r}", expected)
    lines: dict[str, int | None] = {}
    for line, number in value.items():
        if number == "none":
            lines[line.strip()] = None
        elif isinstance(number, int) and not isinstance(number, bool) and number >= 0:
            lines[line] = number
        else:
            raise InputError(f"found {number!r} for '{line}'", expected)
    return Generations(lines, vocabulary.processors)


def _table(value: Any, expected: str) -> dict[str, Any]:
    if not isinstance(value, dict) or not value:
        raise InputError(f"found {value!r}", expected)
    return value


def _parse_interfaces(value: Any) -> Interfaces:
    table = _table(value, 'a table of interface to version, such as {vulkan = "1.2"}')
    for version in table.values():
        q.parse_version(str(version))
    return Interfaces({name: str(version) for name, version in table.items()})


_BETWEEN_SETS = ("", "+", "and", "with", "und", "et", "support", "supported", "required")


def _parse_sets(value: Any) -> AllSets:
    texts = _strings(value, 'instruction sets, such as ["AVX2"]')
    names = [word for text in texts for word in re.split(r"[;,&\s]+", text)]
    return AllSets(tuple(set_or_level(name) for name in names if name.lower() not in _BETWEEN_SETS))


def _names_line(entry: str, vocabulary: Vocabulary) -> bool:
    """Whether an entry names a whole line, such as "Core i5", of which any processor will do."""
    if set(entry) & WILD or re.search(r"\d{3}", entry):
        return False  # a pattern, or a model, as nearly all entries are
    read = read_statement(entry, vocabulary, "processor.name")
    return not read.left and {one.key for one in read.told} - {"processor.maker"} == {
        "processor.line"
    }


def parse_test(name: str, value: Any, vocabulary: Vocabulary) -> Test:
    """What a key asks for, from its value in a needs sheet or after ``--need``. InputError."""
    key = KEYS[name]
    if key.kind == "sets":
        return _parse_sets(value)
    if key.kind == "words":
        return _parse_words(name, value, vocabulary)
    if key.kind == "patterns":
        words, no = _refusal(_strings(value, "name patterns, with * and ? for any characters"))
        lines = tuple(one for one in words if _names_line(one, vocabulary))
        return OneOf(tuple(words), no, lines)
    if key.kind == "named":
        return _parse_named(value, every=key.bare == "all of", vocabulary=vocabulary)
    if key.kind == "generation":
        return _parse_generations(value, vocabulary)
    if key.kind == "interfaces":
        return _parse_interfaces(value)
    if key.kind == "extra":
        return ExtraKeys(_table(value, "a table of told keys"))
    return _bound(key.kind, key.reading, value, key.bare, vocabulary)


def _count(text: str, reading: ReadingKey, vocabulary: Vocabulary) -> int:
    """A number, or what people say for one: "quad-core", "4 Kerne". Raises InputError."""
    try:
        return q.parse_count(text)
    except InputError:
        told = read_statement(text, vocabulary, reading)
        counts = [one.value for one in told.told if one.key == reading]
        if told.left or told.open or not counts:
            raise
        return int(counts[0])


def _bound(kind: str, reading: Any, value: Any, bare: str, vocabulary: Vocabulary) -> Bound:
    parse = _READERS.get(kind, KINDS[kind].read)
    if kind in ("memory", "storage"):
        parse = partial(size_said, kind, vocabulary=vocabulary)
    elif kind == "count":
        parse = partial(_count, reading=reading, vocabulary=vocabulary)
    if isinstance(value, bool) or not isinstance(value, int | float | str):
        parse("")  # raises, with what was expected
    if isinstance(value, float) and kind == "version":
        raise InputError(f"found the number {value}", 'a version in quotes, such as "2.0"')
    return parse_bound(bounded(str(value)), parse, bare)


_AS_KEYS = {"system.os": "os", "processor.name": "processors"}
"""Readings whose names are compared as the keys do, not letter by letter."""


def parse_condition(name: str, value: Any, vocabulary: Vocabulary) -> Condition:
    """One entry of ``when``: any key of a needs sheet, or any reading, with its value. InputError.

    A bare value of a needs sheet's key means what it means there, of a reading just this value.
    """
    text = str(value)
    name = _AS_KEYS.get(name, name)
    if name in KEYS:
        return Condition(name, parse_test(name, value, vocabulary), text)
    reading = resolve_key(name)
    kind = kind_of(reading)
    if kind == "flag":
        word = {True: "yes", False: "no"}.get(value, text) if isinstance(value, bool) else text
        return Condition(reading, value_said(reading, word, vocabulary), text)
    if KINDS[kind].number:
        return Condition(reading, _bound(kind, reading, value, EXACTLY, vocabulary), text)
    if kind == "text":
        words, refused = _refusal(_strings(value, "a word or a list of words"))
        read = [str(value_said(reading, word, vocabulary)).lower() for word in words]
        return Condition(reading, OneOf(tuple(read), refused), text)
    raise InputError(f"found the reading '{name}'", "a key of a needs sheet, or a single reading")


_COMPARED = r"(?s)\s*([^<>=!]*?)\s*(>=|<=|==|!=|=|<|>)\s*(.*)"
"""``memory=8GB``, and ``memory >= 8GB`` as it is also written."""
_INTERFACE = (
    r"(?i)\s*([a-z][a-z0-9]*?)[\s:]*?v?(\d+(?:[._]\d+)*)"
    rf"\s*{OR_MORE}?\s*"
)


def need_said(
    text: str, vocabulary: Vocabulary, besides: Collection[str] = ()
) -> tuple[str, object]:
    """The key, and the value in the form that a needs sheet has it. Raises InputError.

    ``besides`` are other words that may stand there: the nearest to a misspelt one is told.
    """
    text = bounded(text, LISTED_MOST).strip()
    parts = re.fullmatch(_COMPARED, text)
    if parts is None or not parts[3]:
        raise InputError(f'found "{text}"', "KEY=VALUE, such as memory=8GB")
    name, sign, value = parts.groups()
    key = key_called(name, vocabulary)
    if sign != "=":
        value = f"{sign} {value}"
    if key == "processors" and name != key and (lines := _lines(value, vocabulary)):
        return "generation", lines  # a line and its generation name no processor
    if key == "architecture" and (bits := re.fullmatch(r"(?i)\s*(32|64)[\s-]?bits?\s*", value)):
        return "processor_bits", int(bits[1])
    if key in KEYS:
        return key, _form(key, value, vocabulary)
    known = canonical(name)
    if known is not None and value.lower() in ("yes", "true", "required", "needed", "1"):
        return "instructions", known
    raise InputError(
        f"found the unknown key '{key}'{nearest(key, [*KEYS, *besides])}", "a key of a needs sheet"
    )


def key_called(name: str, vocabulary: Vocabulary) -> str:
    """The key that a word or a label for it means; the name itself where it is none of them."""
    if name in KEYS:
        return name
    reading = TRADE_WORDS.get(name.lower()) or vocabulary.phrases.labels.get(fold(name))
    found = (
        key.name for key in KEYS.values()
        if reading in (key.reading, key.name.replace("_", ".", 1))
    )  # fmt: skip
    return name if reading is None else next(found, name)


def _form(key: str, value: str, vocabulary: Vocabulary) -> object:
    kind = KEYS[key].kind
    if kind == "generation":
        return _lines(value, vocabulary) or _one_pair(key, value)
    if kind == "interfaces":
        return _interfaces(value) or _one_pair(key, value)
    if kind == "extra":
        return _one_pair(key, value)
    if kind in ("words", "patterns", "named") and "," in value:
        return [part.strip() for part in value.split(",")]
    return value


def _lines(value: str, vocabulary: Vocabulary) -> dict[str, object]:
    """Lines with their generations: "Core i5 8th gen or newer"; none where it is no such text."""
    found: dict[str, object] = {}
    for part in re.split(rf",|/|\bor\b(?!\s+{MORE})", value):
        bare = re.sub(rf"(?i)\s*{OR_MORE}\s*$", "", part)
        read = read_statement(bare, vocabulary, "processor.name")
        said = {one.key: one.value for one in read.told}
        if read.left or {*said} - {"processor.maker"} != {"processor.line", "processor.generation"}:
            return {}
        found[said["processor.line"]] = said["processor.generation"]
    return found


def _interfaces(value: str) -> dict[str, object]:
    """Graphics interfaces with their versions: "DirectX 12, Vulkan 1.2"."""
    found: dict[str, object] = {}
    for part in value.split(","):
        match = re.fullmatch(_INTERFACE, part)
        if match is None:
            return {}
        name = match[1].lower()
        found[INTERFACES.get(name, name)] = match[2].replace("_", ".")
    return found


def _one_pair(key: str, text: str) -> dict[str, object]:
    """A table typed on one line, ``NAME:VALUE,NAME:VALUE``. Raises InputError."""
    table: dict[str, object] = {}
    for part in text.split(","):
        name, colon, entry = part.rpartition(":")
        if not colon or not name.strip() or not entry.strip():
            raise InputError(f'found "{text}"', f'NAME:VALUE, such as {key}="Osier Wand:5"')
        word = entry.strip()
        number = whole_number(word) if key != "graphics" else None
        table[name.strip()] = word if number is None else number
    return table
