"""What a caller pasted: labels and values on lines or in tables, lists of flags."""

import re

from msgspec import Struct

from tallcheck.core.machine.instructions import from_flags
from tallcheck.core.machine.readings import Told
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.text.labels import (
    LONGEST,
    Label,
    begun_with,
    folded,
    label_said,
    with_its_unit,
)
from tallcheck.core.text.printed import read_printed
from tallcheck.core.text.said import (
    SYSTEM_TYPE,
    is_list,
    is_unknown,
    plainly,
    read_said,
    said_kind,
    tried_said,
)
from tallcheck.core.text.systems import is_system_type
from tallcheck.core.text.unmarked import NAMED, best_cut, for_itself, may_list, words_of
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.scanning import (
    NUMBER_WORDS,
    SIZE,
    fold,
    narrowed,
    unhedged,
    without_leading,
)

_QUOTE = re.compile(r"^(?:[>|*\u2022\u00b7\u25cf\u25aa\u2013-]+\s+|>+)+")
_MAIL = re.compile(r"^\ufeff?(?:> ?)*")
"""What a mail puts before a line that it quotes; the blanks behind it place a table's cells."""
_SPLIT = re.compile(r"\s*(?::|=|\t+|\s{2,}|\s[-\u2013]\s|\|)\s*")
_BETWEEN = re.compile(
    r"[,;]\s+|(?<=\w)[.!]\s+(?=(?-i:[A-Z]))(?!gen)|(?<=\w\?)\s+|\s*\|\s*|\s+[/+\u2022\u2013-]\s+"
    r"|\s+(?:and|with|und|mit|et|avec)(?!\s+[\d.,]+\s*\w*\s+(?:free|frei|libres?)\b)\s+",
    re.IGNORECASE,
)
"""What stands between things that are told on one line."""
_COUNT = rf"(\d{{1,2}}|{'|'.join(NUMBER_WORDS)})"
_PHRASES = (
    (rf"{_COUNT} (?:(?:memory|ram|dimm) )?slots?", "memory.slots", ""),
    (rf"(?:can )?(?:takes?|supports?) (?:up to|at most) {SIZE}.*", "memory.ceiling", ""),
    (rf"(?:max(?:imum|\.)?|up to|at most) {SIZE}(?: (?:ram|memory))?", "memory.ceiling", ""),
    (r"((?:32|64)[\s-]?bit) (?:processor|cpu)", "processor.bits", ""),
    (r"((?:32|64)[\s-]?bit) (?:operating system|system|os)", "system.os_bits", ""),
    (r"x86[\s-]based pc", "system.os_bits", "32"),
    (r"(x(?:64|86))[\s-]based(?: pc| processor)?", "processor.architecture", ""),
    (r"(?:no|without(?: an?)?|does(?: not|n't) have an?) tpm", "firmware.security_module", "none"),
)  # fmt: skip
"""What is said without a label: the words, the reading, and its value where that is not in them."""
_OF_A_DRIVE = r"(?i)(?:120|128|240|250|256|480|500|512|960|1000|1024)\s*gb|[124]\s*tb"
_DRIVE = {"storage.drive", "storage.size"}
_BITS_ALONE = r"(?i)(?:32|64)[\s-]?bits?|x64"
_LINE_MOST, _LINES_MOST = 8192, 20_000
_PIECES_MOST = 24  # parts of a line
_PARTS_MOST = 2000
"""Parts of lines that are looked at in one text: each is held against every name that is known."""
_WORDS_MOST = 1000
"""Words of lines without marks that are looked at in one text, in runs of several lengths."""
_FLAG_LABELS = ("flags", "features")
_OF_A_LINE = ("processor.line", "processor.cores", "processor.threads")
_LISTED = re.compile(r"\[\d+\]:")
"""What an entry of a list under a label begins with."""


class NotUnderstood(Struct, frozen=True):
    """A line that gave no reading, by number, and why."""

    line: int
    text: str
    why: str


class Pasted:
    """The readings found so far, and what was not understood."""

    def __init__(self) -> None:
        self.told: list[Told] = []
        self.left: list[NotUnderstood] = []
        self.parts_left, self.words_left = _PARTS_MOST, _WORDS_MOST
        self._values: dict[str, object] = {}

    def add(self, told: list[Told]) -> None:
        """Readings of one place; a second value is kept, to be a doubt on the sheet."""
        for one in told:
            if one.key not in self._values or self._values[one.key] != one.value:
                self.told.append(one)
            self._values.setdefault(one.key, one.value)

    def miss(self, number: int, text: str, why: str) -> None:
        """A line that was not understood."""
        self.left.append(NotUnderstood(number, text[:200], why))


def read_lines(text: str, vocabulary: Vocabulary) -> tuple[list[Told], list[NotUnderstood]]:
    """Told readings from pasted text, and each line that was not understood. Raises InputError."""
    pasted = text.splitlines()
    if len(pasted) > _LINES_MOST:
        raise InputError(
            f"found {len(pasted):,} lines", f"{_LINES_MOST:,} at most: what is of the machine"
        )
    found = Pasted()
    told, rest = read_printed([_MAIL.sub("", line)[:_LINE_MOST] for line in pasted], vocabulary)
    found.add(told)
    lines = [_plain(line) for line in rest]
    number = 0
    while number < len(lines):
        number += 1 + _read(lines, number, found, vocabulary)
    return found.told, found.left


def _plain(line: str) -> str:
    line = narrowed(line.replace("\ufeff", "").replace("\u00a0", " ")[:_LINE_MOST].strip())
    return unhedged(_QUOTE.sub("", line).strip().strip("|").strip())


def _read(lines: list[str], at: int, found: Pasted, vocabulary: Vocabulary) -> int:
    """One line, with the next where that holds its value; how many more were taken."""
    line = lines[at]
    if not re.search(r"\w", line) or _LISTED.match(line):
        return 0
    phrases = vocabulary.phrases
    labels = phrases.labels
    # a tab is what a table's cells are told apart by, whatever marks stand in them
    parts = [one.strip() for one in line.split("\t", 1)] if "\t" in line else []
    if len(parts) < 2 or not parts[1]:
        parts = _SPLIT.split(line, maxsplit=1)
    label = label_said(parts[0], vocabulary) if len(parts) == 2 else None
    if label is not None and parts[1]:
        value = with_its_unit(label, parts[1].strip(" .;|{}\"'"))
        told = tried_said(label.key, value, vocabulary) or _type_told(value, vocabulary)
        if _BETWEEN.search(line) and _in_pieces(line, at, len(told), found, vocabulary):
            return 0
        if told:
            found.add(told)
        else:
            _take(label.key, value, at, line, found, vocabulary)
        return 0
    before = parts[0][:LONGEST]
    if len(parts) == 2 and fold(before) in _FLAG_LABELS:
        _flags(parts[1], at, found)
        return 0
    if folded(before) in phrases.aside or fold(before) in phrases.aside:
        return 0
    label = label_said(line.rstrip(":"), vocabulary)
    if label is not None:
        return _next(lines, at, label, found, vocabulary)
    if begun_with(line, phrases.aside) is not None:
        return 0
    other = plainly(line, vocabulary)
    if len(parts) == 2 and other in NAMED and plainly(parts[1], vocabulary) == other:
        line = parts[1]  # a label that is not known: what stands behind it is the name
    whole = (
        tried_said(other, line, vocabulary) if other is not None else _type_told(line, vocabulary)
    )
    labelled = _labelled(line, vocabulary)
    if labelled and len(labelled) >= len(whole):
        whole = labelled
    whole = whole or _phrased(without_leading(line).rstrip(". "), vocabulary)
    several = bool(_BETWEEN.search(line)) or (not labelled and may_list(line, vocabulary))
    if several and _in_pieces(line, at, len(whole), found, vocabulary):
        return 0
    if whole:
        found.add(whole)
    elif (begun := begun_with(line, labels)) and said_kind(labels[begun[0]]) != "text":
        _take(labels[begun[0]], begun[1], at, line, found, vocabulary)  # and why it cannot be read
    elif other is not None:
        _take(other, line, at, line, found, vocabulary)
    else:
        why = "no label that is known" if len(parts) == 2 else "no label and value"
        found.miss(at + 1, line, why)
    return 0


def _in_pieces(line: str, at: int, whole: int, found: Pasted, vocabulary: Vocabulary) -> bool:
    """Whether the parts of a line tell more than its ``whole`` does; they are taken then."""
    count = len(_told_apart(line))
    if count > min(_PIECES_MOST, found.parts_left):
        return False
    found.parts_left -= count
    read = [
        one
        for segment in _segments(line, vocabulary)
        for one in _pieces(segment, found, vocabulary)
    ]
    keys = {one.key for _, told in read for one in told}
    if sum(bool(told) for _, told in read) < 2 or len(keys) <= whole:
        return False
    for piece, told in _beside(read, vocabulary):
        found.add(told)
        if not told:
            found.miss(at + 1, piece, "no reading that is known")
    return True


def _beside(
    read: list[tuple[str, list[Told]]], vocabulary: Vocabulary
) -> list[tuple[str, list[Told]]]:
    """The same, where what stands beside a part tells what it means.

    A size of a drive alone beside the memory is the drive's; bits beside a system are that one's.
    """
    keys = [one.key for _, told in read for one in told]
    found = []
    for piece, told in read:
        if keys.count("memory.installed") > 1 and re.fullmatch(_OF_A_DRIVE, piece.strip()):
            told = tried_said("storage.drive", piece, vocabulary)
        elif [one.key for one in told] == ["storage.free"] and not _DRIVE & {*keys}:
            told = []  # of the memory, it may be
        elif "system.os" in keys and re.fullmatch(_BITS_ALONE, piece.strip(" .")):
            told = tried_said("system.os_bits", piece.strip(" ."), vocabulary)
        found.append((piece, told))
    return found


def _told_apart(line: str) -> list[str]:
    """What is told on a line, thing by thing; what stands in brackets stays together."""
    found: list[str] = []
    start = 0
    for mark in _BETWEEN.finditer(line):
        piece = line[start : mark.start()]
        if piece.count("(") <= piece.count(")"):
            found.append(piece)
            start = mark.end()
    return [*found, line[start:]]


def _segments(line: str, vocabulary: Vocabulary) -> list[str]:
    """A line, cut before each label."""
    found: list[str] = []
    for piece in _told_apart(line):
        if found and _label_of(piece, vocabulary) is None:
            found[-1] += f", {piece}"
        else:
            found.append(piece)
    return found


def _pieces(segment: str, found: Pasted, vocabulary: Vocabulary) -> list[tuple[str, list[Told]]]:
    """A label with its value, or the parts where these tell more; a list is one value."""
    key = _label_of(segment, vocabulary)
    whole = _piece(segment, vocabulary)
    if key is not None and is_list(key):
        return [(segment, whole)]
    parts = (one.strip() for one in _told_apart(segment))
    read = [told for one in parts if one for told in _runs(one, found, vocabulary)]
    more = len({one.key for _, told in read for one in told}) > len(whole)
    return read if more else [(segment, whole)]


def _runs(piece: str, found: Pasted, vocabulary: Vocabulary) -> list[tuple[str, list[Told]]]:
    """A part of a line, or the runs of its words that tell something, where these tell more."""
    told, words = _piece(piece, vocabulary), words_of(piece)
    if not 2 < len(words) <= _PIECES_MOST or not may_list(piece, vocabulary):
        return [(piece, told)]
    found.words_left -= len(words)
    best = (
        best_cut(words, lambda run: _piece(run, vocabulary), vocabulary)
        if found.words_left >= 0
        else None
    )
    keys = best.keys() if best is not None else set()
    more = keys > {one.key for one in told} or not for_itself(piece, told, vocabulary)
    return best.runs if best is not None and more and len(keys) > 1 else [(piece, told)]


def _labelled(line: str, vocabulary: Vocabulary) -> list[Told]:
    """What a line tells that begins with a label; nothing where it does not."""
    labels = vocabulary.phrases.labels
    begun = begun_with(line, labels)
    if begun is None:
        return []
    key, value = labels[begun[0]], begun[1]
    told = tried_said(key, value, vocabulary)
    # after a single word, free text is one only where it says so itself
    free = " " not in begun[0] and said_kind(key) == "text" and plainly(value, vocabulary) != key
    free = free and not re.fullmatch(r"v?\d[\w.]*", value)
    return [] if free and [one.key for one in told] == [key] else told


def _label_of(text: str, vocabulary: Vocabulary) -> str | None:
    """The reading whose label stands before a colon in a part of a line."""
    label, colon, _ = text.partition(":")
    return vocabulary.phrases.labels.get(fold(label)) if colon else None


def _piece(text: str, vocabulary: Vocabulary) -> list[Told]:
    """What a part of a line tells for itself: ``RAM: 8 GB``, ``a Windows 10 laptop``."""
    key = _label_of(text, vocabulary)
    if key is not None:
        return tried_said(key, text.partition(":")[2], vocabulary)
    text = without_leading(text).rstrip(". ")
    if told := _phrased(text, vocabulary):
        return told
    bare = re.sub(r" ?\([^()]*\)", "", text)
    words = bare.split()
    for count in (2, 1):  # a notebook pc with 8 GB
        shape, rest = " ".join(words[:count]), " ".join(words[count:])
        told = (
            _piece(rest, vocabulary)
            if rest and plainly(shape, vocabulary) == "system.shape"
            else []
        )
        if told and all(one.key != "system.shape" for one in told):
            return [*tried_said("system.shape", shape, vocabulary), *told]
    key = plainly(text, vocabulary)
    if key is None:  # behind a label, a line's name and a generation, or what is counted
        if labelled := _labelled(text, vocabulary):
            return labelled
        if plainly(bare, vocabulary) == "system.shape":
            return tried_said("system.shape", bare, vocabulary)
        told = tried_said("processor.name", text, vocabulary)
        return told if any(one.key in _OF_A_LINE for one in told) else []
    told = tried_said(key, text, vocabulary)
    if key == "system.shape":
        others = [" ".join(words[:at] + words[at + 1 :]) for at in range(len(words))]
        systems = (one for one in others if plainly(one, vocabulary) == "system.os")
        told += next((tried_said("system.os", one, vocabulary) for one in systems), [])
    labelled = _labelled(text, vocabulary)
    return labelled if len(labelled) >= len(told) else told


def _phrased(text: str, vocabulary: Vocabulary) -> list[Told]:
    """What a part of a sentence tells without a label: "two memory slots", "no TPM"."""
    for pattern, key, value in _PHRASES:
        if match := re.fullmatch(pattern, text, re.IGNORECASE):
            return tried_said(key, value or match[1], vocabulary)
    return []


def _type_told(text: str, vocabulary: Vocabulary) -> list[Told]:
    """The bits of a system, and the processor's, where a text says them as screens do."""
    return tried_said(SYSTEM_TYPE, text, vocabulary) if is_system_type(text) else []


def _next(lines: list[str], at: int, label: Label, found: Pasted, vocabulary: Vocabulary) -> int:
    """A label for itself: its value is on the next line that is not empty."""
    for more, line in enumerate(lines[at + 1 : at + 3], 1):
        if re.search(r"\w", line):
            if label_said(line.rstrip(":"), vocabulary) is None:
                _take(label.key, with_its_unit(label, line), at + more, line, found, vocabulary)
                return more
            break
    found.miss(at + 1, lines[at], "a label without a value")
    return 0


def _take(key: str, value: str, at: int, line: str, found: Pasted, vocabulary: Vocabulary) -> None:
    if not value:
        found.miss(at + 1, line, "no value")
    if is_unknown(value, vocabulary):
        return
    try:
        found.add(read_said(key, value, vocabulary))
    except InputError as error:
        found.miss(at + 1, line, str(error))


def _flags(value: str, at: int, found: Pasted) -> None:
    """A list of a kernel's flags: it is whole, and those that are not known are listed."""
    sets = from_flags(value.split())
    if sets:
        found.add([Told("processor.instructions", sets)])
    else:
        found.miss(at + 1, value, "no instruction set that is known")
