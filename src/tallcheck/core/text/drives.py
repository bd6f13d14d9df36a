"""Drives and volumes in a sentence: which sizes are theirs."""

import re

from tallcheck.core.text.sentence import Match, Sentence
from tallcheck.core.values.quantities import parse_memory, parse_storage

MEMORY = "memory.installed"
DRIVE, FREE, VOLUME = "storage.drive", "storage.free", "storage.size"
TYPICAL_DRIVES = re.compile(
    r"(?i)(?:120|128|240|250|256|480|500|512|960|1000|1024)\s*g\w*|[1248]\s*t\w*"
)


def size_at(sentence: Sentence, at: int, kind: str) -> int:
    """An item's size in bytes, of memory or of storage."""
    text = sentence.sized(at)
    return parse_storage(text) if kind == "storage" else parse_memory(text)


def of_drives(sentence: Sentence) -> bool:
    """Whether a statement is of a drive: asked, or by a word or a letter of one."""
    of_drive = any(
        item.code in "KDO" and str(item.value if item.code == "O" else DRIVE).startswith("storage")
        for item in sentence.items
    )
    return sentence.is_about("storage") or of_drive


_CLAUSES = r"[,;&./|]"


def tell_drive(sentence: Sentence, at: int, size: int | None = None) -> None:
    """A size as a drive's, or a volume's where that one's letter stands in the clause."""
    codes = "".join(one.code for one in sentence.items)
    before, behind = re.split(_CLAUSES, codes[:at])[-1], re.split(_CLAUSES, codes[at:])[0]
    volume = "D" in before + behind or sentence.asked == VOLUME
    size = size_at(sentence, at, "storage") if size is None else size
    sentence.tell(VOLUME if volume else DRIVE, size)


def volume_told(sentence: Sentence, match: Match) -> bool:
    """A size behind a volume's letter."""
    at = match.start("s")
    if sentence.asked == FREE:
        sentence.tell(FREE, size_at(sentence, at, "storage"))
    else:
        tell_drive(sentence, at)
    return True


def kind_told(sentence: Sentence, match: Match) -> bool:
    """The kind of a drive, with its size beside it."""
    if not all(str(one).startswith("storage") for one in sentence.values(match, "O")):
        return False
    for kind in sentence.values(match, "K"):
        sentence.tell("storage.kind", kind)
    at = sentence.place(match, "s")
    if at is None:
        return True
    if sentence.codes[at] == "J":
        sentence.take(at, at + 1)  # several alike: which of them holds the system is not said
        return True
    if sentence.codes[at] == "n" and len(str(sentence.value(at))) not in (3, 4):
        return False
    tell_drive(sentence, at)
    return True


def likely_a_drive(sentence: Sentence, at: int) -> bool:
    """Whether a size is a drive's: such a one, beside the memory's or a smaller one."""
    if DRIVE in sentence.told or not TYPICAL_DRIVES.fullmatch(str(sentence.value(at))):
        return False
    beside = MEMORY in sentence.told or any(item.code == "J" for item in sentence.items)
    if beside or of_drives(sentence):
        return True
    size = size_at(sentence, at, "storage")
    others = [i for i, code in enumerate(sentence.codes) if code == "s" and i != at]
    return bool(others) and all(size_at(sentence, i, "storage") < size for i in others)


def led_by_drive(sentence: Sentence, at: int) -> bool:
    """Whether a drive's word, kind or letter leads the clause before a place."""
    before = reversed(sentence.items[:at])
    owner = next((one for one in before if one.code in "KDO,;&."), None)
    if owner is None or owner.code in ",;&.":
        asked = sentence.is_about("storage") and sentence.asked != FREE
        return owner is None and at == 0 and asked
    return owner.code != "O" or str(owner.value).startswith("storage")
