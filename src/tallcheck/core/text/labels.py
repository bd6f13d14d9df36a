"""Labels that people, screens and lists put before a value, and the unit of plain numbers."""

import re
from collections.abc import Collection
from functools import lru_cache

from msgspec import Struct

from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.text.items import Item, items_of
from tallcheck.core.text.plain_values import flags_of, said_kind
from tallcheck.core.values.kinds import KINDS
from tallcheck.core.values.plain import whole_number
from tallcheck.core.values.quantities import numbers_of
from tallcheck.core.values.text import fold

UNITS = (*KINDS["memory"].units, *KINDS["clock"].units)
"""The units that a label may name."""
BARE_LEAST = 1 << 20
"""A plain number from here on, where a size or a clock is asked, can only be bytes or hertz."""
_UNIT = r"(?i)(.+?)[\s_]*[(\[]?(?:in )?(?<![a-z])(?-i:(?!to\b))([kmgt]i?)(?:[bo]|(hz))[)\]]?"
_JOINED = r"(?<=[a-z0-9])(?=[A-Z])|(?<=[A-Z])(?=[A-Z][a-z])"
"""Where words are joined as properties are named: ``NumberOfCores``."""
LONGEST = 100
"""Characters of a label."""
_WORDS_MOST = 6
"""Words of a label that stands before its value with nothing between."""
_ON_MOST = 3
"""Words at a label's end that ask whether something is on."""
SWITCHED = ("firmware.security_module", "firmware.secure_boot", "processor.virtualization")
"""Readings of what firmware switches on and off."""
_BARE = r"\s*[\d.,]+\s*"


class Label(Struct, frozen=True):
    """The reading that a label stands for, and the unit of its plain numbers."""

    key: str
    unit: str = ""
    system: str = ""
    """The system of which plain numbers are versions."""
    no: frozenset[str] = frozenset()
    """What stands for "off" under a label that asks whether something is on."""


def with_unit(name: str) -> tuple[str, str]:
    """A label without the unit that stands at its end, and the unit: ``RAM (GB)``."""
    match = re.fullmatch(_UNIT, name.strip()) or re.fullmatch(
        _UNIT, re.sub(_JOINED, " ", name.strip())
    )
    if match is None:
        return name, ""
    return match[1], f"{match[2]}{match[3] or 'b'}".upper()


def folded(name: str) -> str:
    """A label's words in lower case, those that are joined apart."""
    return fold(re.sub(_JOINED, " ", name).replace("_", " "))


def label_said(text: str, vocabulary: Vocabulary) -> Label | None:
    """The reading that a label stands for: ``RAM (GB)``, ``NumberOfCores``; None where none."""
    if len(text) > LONGEST:
        return None
    phrases = vocabulary.phrases
    if fold(text) not in phrases.labels and vocabulary.systems.called(text) is not None:
        return Label("system.os", system=text)
    if (switched := _switched(folded(text), vocabulary)) is not None:
        return switched
    bare, unit = with_unit(text)
    for word in dict.fromkeys((fold(text), folded(bare))):
        key = phrases.labels.get(word)
        if key == "processor.name" and unit.endswith("HZ"):
            return Label("processor.clock", unit)
        if key is not None:
            return Label(key, unit or phrases.units.get(word, ""))
    return None


def _switched(words: str, vocabulary: Vocabulary) -> Label | None:
    """A label that asks whether something is on: ``TpmEnabled``, ``Secure boot active``."""
    phrases, parts = vocabulary.phrases, words.split()
    on = phrases.words.get("switched", {})
    for at in range(max(len(parts) - _ON_MOST, 1), len(parts)):
        if " ".join(parts[at:]) in on:
            key = phrases.labels.get(" ".join(parts[:at])) or phrases.labels.get(words)
            if key in SWITCHED:
                flags = flags_of(vocabulary)
                return Label(key, no=frozenset(one for one in flags if not flags[one]))
    return None


def heading_said(text: str, vocabulary: Vocabulary) -> Label | None:
    """The reading that a heading stands for by its label, else by the senses of its words.

    ``Frei C:``, ``HDD free (GB)``, ``Logical``, ``Socket count``.
    """
    known = label_said(text, vocabulary) or _glued(vocabulary).get(fold(text))
    if known is not None or len(text) > LONGEST:
        return known
    bare, unit = with_unit(text)
    whole = [
        one for one in items_of(bare.replace("_", " "), vocabulary) if one.code not in " ()[]#.:/&-"
    ]
    if any(one.value == "processor.name" for one in whole):  # "CPU model" is its name
        whole = [one for one in whole if one.value not in ("system.model", "system.shape")]
    items = [one for one in whole if str(one.value) not in vocabulary.phrases.totals]
    codes = "".join("D" if _is_letter(one, bare) else one.code for one in items)
    owners = {str(one.value) for one in items if one.code in "OL"}
    for form, key, owner in _BY_SENSES:
        if re.fullmatch(form, codes) and owners <= {owner}:
            return Label(key, unit)
    # "CPU count" is of no name
    alone = items[0].value if codes in ("O", "L") and len(whole) == 1 else None
    return Label(alone, unit) if alone is not None else None


@lru_cache(maxsize=8)
def _glued(vocabulary: Vocabulary) -> dict[str, Label]:
    """Labels of several words as databases write them: ``totalphysicalmemory``."""
    phrases = vocabulary.phrases
    return {
        label.replace(" ", ""): Label(key, phrases.units.get(label, ""))
        for label, key in phrases.labels.items() if " " in label
    }  # fmt: skip


def slots_part(heading: str, vocabulary: Vocabulary) -> str:
    """Whether a heading is over positions that are ``used``, ``free`` or ``all``; "" where none."""
    codes = {one.code for one in items_of(folded(heading), vocabulary)}
    if "k" not in codes or not codes <= {*"kUfOM #.:()-"}:
        return ""
    return "used" if "U" in codes else "free" if "f" in codes else "all"


def _is_letter(item: Item, text: str) -> bool:
    """Whether an item of a heading is a volume's letter: ``Free space C``."""
    return item.code == "Z" and re.fullmatch("[A-Z]", text[item.start : item.end]) is not None


_BY_SENSES = (
    (r"OD|DO", "storage.free", "storage.free"), (r"OD|DO", "storage.size", "storage.drive"),
    (r"[DKO]+f|f[DKO]+", "storage.free", "storage.drive"),
    (r"OM|MO", "memory.ceiling", "memory.installed"),
    (r"L?c+", "processor.cores", "processor.name"),
    (r"L?t+", "processor.threads", "processor.name"),
    (r"o", "processor.sockets", ""), (r"O?k+", "memory.slots", "memory.installed"),
    (r"K", "storage.drive", ""), (r"D", "storage.size", ""), (r"Lb", "system.os_bits", "system.os"),
    (r"K+", "storage.kind", ""),
)  # fmt: skip
"""Headings as the letters of their words' senses, the reading, and of what a size may be."""


def unit_of(name: str, vocabulary: Vocabulary) -> str:
    """The unit of plain numbers under a heading; empty where it names none."""
    label = heading_said(name, vocabulary)
    return label.unit if label is not None else with_unit(name)[1]


def with_its_unit(label: Label, text: str) -> str:
    """A value with the unit that its label names, or that a number so large can only have."""
    if label.no and fold(text) in label.no:
        return "off"
    if label.system and re.match(r"(?i)\s*(?:version )?\d", text):
        return f"{label.system} {text.strip()}"
    if not re.fullmatch(_BARE, text):
        return text
    if label.unit:
        return f"{text} {label.unit}"
    unit = KINDS[said_kind(label.key)].bare
    wholes = [whole_number(whole) or 0 for whole, part in numbers_of(text.strip()) if not part]
    large = max(wholes, default=0) >= BARE_LEAST
    return f"{text} {unit}" if unit and large else text


def begun_with(line: str, labels: Collection[str]) -> tuple[str, str] | None:
    """The longest label that a line begins with, and the rest: nothing need stand between them.

    A single word is one only before a figure, or before one other word.
    """
    words = line.split()
    for count in range(min(len(words) - 1, _WORDS_MOST), 0, -1):
        label, value = fold(" ".join(words[:count])), " ".join(words[count:])
        if label in labels and (count > 1 or count == len(words) - 1 or re.search(r"\d", value)):
            return label, value
    return None


_ANOTHER_LABEL = re.compile(r"(?:[,;|.]|\s/)\s+([^,;|:=/.]{2,40}?|[A-Z])\s*[:=]\s*\S")


def next_label(line: str, vocabulary: Vocabulary) -> int:
    """Where another label of a line begins, or a volume's letter; its end where none does."""
    for mark in _ANOTHER_LABEL.finditer(line):
        before = line[: mark.start()]
        volume = len(mark[1]) == 1
        known = volume or label_said(mark[1], vocabulary) is not None
        if before.count("(") == before.count(")") and known:
            return mark.start()
    return len(line)
