"""A need as people type it, ``KEY=VALUE``, into the key and the value of a needs sheet."""

import re
from collections.abc import Collection

from tallcheck.core.machine.instructions import canonical
from tallcheck.core.machine.readings import TRADE_WORDS
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.needs.keys import KEYS
from tallcheck.core.text.sheet_words import INTERFACES
from tallcheck.core.text.statement import read_statement
from tallcheck.core.values.comparison import MORE, OR_MORE
from tallcheck.core.values.errors import InputError, nearest
from tallcheck.core.values.plain import whole_number
from tallcheck.core.values.scanning import LISTED_MOST, bounded, fold

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
        return _lines(value, vocabulary) or _table(key, value)
    if kind == "interfaces":
        return _interfaces(value) or _table(key, value)
    if kind == "extra":
        return _table(key, value)
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


def _table(key: str, text: str) -> dict[str, object]:
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
