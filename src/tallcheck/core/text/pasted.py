"""What a caller pasted: labels and values on lines or in tables, lists of flags, chats."""

import re

from msgspec import Struct

from tallcheck.core.machine.instructions import from_flags
from tallcheck.core.machine.readings import Told
from tallcheck.core.machine.sheet import Graphics
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.text.chats import without_speakers
from tallcheck.core.text.copied import SENTENCE_ENDS, copied_lines
from tallcheck.core.text.labels import (
    LONGEST,
    Label,
    begun_with,
    folded,
    label_said,
    next_label,
    with_its_unit,
    with_unit,
)
from tallcheck.core.text.lexicon import SYSTEM_TYPE
from tallcheck.core.text.plain_values import is_system_type, said_kind
from tallcheck.core.text.printed import read_printed
from tallcheck.core.text.printed_tables import unread
from tallcheck.core.text.said import (
    MACHINE_NAMES,
    Statement,
    is_unknown,
    read_said,
    read_statement,
    short_statement,
    tried_said,
)
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.text import SAID_MOST, fold, narrowed, unhedged

_QUOTE = re.compile(r"^(?:[>|*\u2022\u00b7\u25cf\u25aa\u2013-]+\s+|>+)+")
_SPLIT = re.compile(r"\s*(?::|=|\t+|\s{2,}|\s[-\u2013]\s|\|)\s*")
_SENTENCES = re.compile(SENTENCE_ENDS + r"|(?<=\w\?)\s+")
_WEAK = {"processor.line", "processor.maker", "processor.generation", "system.shape",
         "processor.architecture", "system.os"}  # fmt: skip
"""What a word alone may seem to tell; beside words that are not known it tells nothing."""
_LINE_MOST, _LINES_MOST = 8192, 20_000
_SENTENCES_MOST = 2000
"""Sentences that are looked at in one text: their words are held against every name."""
_CLAUSES = re.compile(r"[,;.!]\s|\s[/|\u2013-]\s")
_LISTED_BEHIND = re.compile(r"\s[/|]\s")
_DOTS = re.compile(r"[\s.\u2026_]+$")
"""What leads from a label to its value in a column."""
MACHINE = "machine"
_VOLUME = re.compile(
    r"(?:[^\d:;,|]{0,40}\([A-Z]:\)|(?P<word>[^\W\d]+) [A-Z]:?)"
    r"(?P<size>\s*[-\u2013]\s*[\d.,]+ ?[KMGT][Bo])?"
)
"""A line that names a volume: those below it are of that one."""
_NAMED = ("processor.name", "system.os")
_A_SIZE = re.compile(r"(?i)\d\s?(?:[kmgt]i?b|[kmgt]o)\b")
_OF_SECTION = {
    "graphics": ("graphics", "display", "extra.d"), "storage": ("storage",),
    "memory": ("memory", "extra.m"), "processor": ("processor",),
    "firmware": ("firmware",), "other": ("-",),
}  # fmt: skip
"""What the lines of a section may tell of; those of the machine itself tell of all of it."""
_FLAG_LABELS = ("flags", "features", "machdep cpu features", "machdep cpu leaf7 features")
_LISTED = re.compile(r"\[\d+\]:")
"""What an entry of a list under a label begins with."""


class NotUnderstood(Struct, frozen=True):
    """A line that gave no reading, by number, and why."""

    line: int
    text: str
    why: str


class Pasted:
    """The readings found so far, and what was not understood."""

    def __init__(self, numbers: list[int]) -> None:
        """``numbers``: where each line stands in the text, from 0."""
        self._numbers = numbers
        self.told: list[Told] = []
        self.left: list[NotUnderstood] = []
        self.sentences_left = _SENTENCES_MOST
        self._values: dict[str, object] = {}
        self._adapter: str | None = None

    def add(self, told: list[Told]) -> None:
        """Readings of one place; a second value is kept, to be a doubt on the sheet."""
        for one in told:
            if one.key == "graphics" and one.value:
                self._adapter = one.value[-1].name
            elif one.key == "graphics.memory" and self._adapter:
                # of the adapter that was named last
                one = Told("graphics", [Graphics(self._adapter, one.value)])
            if one.key not in self._values or self._values[one.key] != one.value:
                self.told.append(one)
            self._values.setdefault(one.key, one.value)

    def miss(self, at: int, text: str, why: str) -> None:
        """A line that was not understood."""
        self.left.append(NotUnderstood(self._numbers[at] + 1, text[:200], why))


def read_lines(text: str, vocabulary: Vocabulary) -> tuple[list[Told], list[NotUnderstood]]:
    """Told readings from pasted text, and each line that was not understood. Raises InputError."""
    lines, numbers = copied_lines(text)
    if len(numbers) > _LINES_MOST:
        raise InputError(
            f"found {len(numbers):,} lines", f"{_LINES_MOST:,} at most: what is of the machine"
        )
    found = Pasted(numbers)
    lines = without_speakers([line[:_LINE_MOST] for line in lines], vocabulary)
    told, rest = read_printed(lines, vocabulary)
    found.add(told)
    for at in sorted(unread(rest)):
        found.miss(at, rest[at].strip(), "a table of a kind that is not known")
        rest[at] = ""
    reader = _Reader([_plain(line, vocabulary) for line in rest], found, vocabulary)
    number = 0
    while number < len(rest):
        number += 1 + reader.read(number)
    return found.told, found.left


def _plain(line: str, vocabulary: Vocabulary) -> str:
    line = narrowed(line.strip())
    bare = _QUOTE.sub("", line).strip().strip("|").strip()
    return unhedged(bare, vocabulary.phrases.hedges)


class _Reader:
    """Lines one after another, in the section that the last heading began."""

    def __init__(self, lines: list[str], found: Pasted, vocabulary: Vocabulary) -> None:
        self.lines, self.found, self.vocabulary = lines, found, vocabulary
        self.section = MACHINE
        self.block_ends, self.marked = 0, False

    def read(self, at: int) -> int:
        """One line, with the next where that holds its value; how many more were taken."""
        line = self.lines[at]
        if at >= self.block_ends:
            self._begin_block(at)
        if not re.search(r"\w", line) or _LISTED.match(line) or self._is_heading(at):
            return 0
        return self._line(at, line)

    def _begin_block(self, at: int) -> None:
        """A block whose labels tell of what it is: a list of properties of one thing."""
        phrases = self.vocabulary.phrases
        end = at
        while end < len(self.lines) and self.lines[end].strip():
            end += 1
        block = (line[:LONGEST].partition(":")[0] for line in self.lines[at:end])
        names = (fold(one.partition("=")[0]) for one in block)
        part = next((phrases.markers[one] for one in names if one in phrases.markers), None)
        if part is not None or self.marked:
            self.section = part or MACHINE
        self.block_ends, self.marked = end + 1, part is not None

    def _is_heading(self, at: int) -> bool:
        """Whether a line is a heading; a label for itself is none where its value is below."""
        line = self.lines[at].rstrip(": ")
        part = self.vocabulary.phrases.sections.get(fold(line))
        volume = _VOLUME.fullmatch(line)
        if volume and (volume["word"] is None or _of_drives(volume["word"], self.vocabulary)):
            self.section = "storage"
            return volume["size"] is None
        if part is None or "\t" in line:
            return False
        if self._label(line) is not None:
            below = next((one for one in self.lines[at + 1 : at + 3] if one.strip()), "")
            parts = _SPLIT.split(below, maxsplit=1)
            if (
                len(parts) < 2
                and not below.endswith(":")
                and fold(below) not in (self.vocabulary.phrases.sections)
            ):
                return False
        self.section = part
        return True

    def _label(self, text: str) -> Label | None:
        """The reading that a label stands for in this section."""
        own = self.vocabulary.phrases.within.get(self.section, {}).get(folded(with_unit(text)[0]))
        if own is not None:
            return Label(own, with_unit(text)[1])
        return label_said(text, self.vocabulary)

    def _add(self, told: list[Told]) -> None:
        """What is told of the part of the machine that the section is of."""
        of = _OF_SECTION.get(self.section)
        self.found.add([one for one in told if of is None or one.key.startswith(of)])

    def _miss(self, at: int, text: str, why: str) -> None:
        if self.section == MACHINE:
            self.found.miss(at, text, why)

    def _line(self, at: int, line: str) -> int:
        phrases = self.vocabulary.phrases
        # a tab is what a table's cells are told apart by, whatever marks stand in them
        parts = [one.strip(" \t:") for one in line.split("\t", 1)] if "\t" in line else []
        if len(parts) < 2 or not parts[1]:
            parts = _SPLIT.split(line, maxsplit=1)
        before = _DOTS.sub("", parts[0])[:LONGEST]
        cut = next_label(line, self.vocabulary)
        if cut < len(line) and "\t" not in line:
            self._line(at, line[:cut].strip(" ,;|/\u2013-"))
            return self._line(at, line[cut:].strip(" ,;|/.\u2013-"))
        label = self._label(before) if len(parts) == 2 else None
        if label is not None and (more := _LISTED_BEHIND.search(parts[1])):
            behind = parts[1][more.end() :]
            if self._is_name(behind) and not self._is_name(parts[1][: more.start()]):
                parts[1] = parts[1][: more.start()]  # "GPU: Vega 8 / Win 10"
                self._line(at, behind)
        if label is not None and parts[1]:
            self._labelled(label, parts[1].strip(" ,.;|{}\"'"), at, line)
            return 0
        if len(parts) == 2 and fold(before) in _FLAG_LABELS:
            _flags(parts[1], at, self.found)
            return 0
        if folded(before) in phrases.aside or fold(before) in phrases.aside:
            return 0
        label = self._label(line.rstrip(":"))
        if label is not None and not label.no:
            return self._below(at, label)
        if not _CLAUSES.search(line) and begun_with(line, phrases.aside) is not None:
            return 0
        plain = len(parts) == 2 and re.fullmatch(r"[^\d,;/|.]+", before) is not None
        told = plain and short_statement(before, self.vocabulary).told
        if plain and not told and self._is_name(parts[1]):
            line = parts[1]  # a label that is not known: what stands behind it is the name
        if not self._sentences(at, line):
            self._begun(at, line, len(parts) == 2)
        return 0

    def _is_name(self, text: str) -> bool:
        """Whether a text is a processor's name or a system, and nothing else."""
        read = short_statement(text, self.vocabulary)
        more = read.left or _A_SIZE.search(text)
        return not more and any(one.key in _NAMED for one in read.told)

    def _begun(self, at: int, line: str, parted: bool) -> None:
        """A line that begins with a label, with nothing between it and its value; else why not."""
        labels = self.vocabulary.phrases.labels
        begun = begun_with(line, labels)
        free = begun is not None and said_kind(labels[begun[0]]) == "text"
        longer = parted and begun is not None and re.match(r"[^\d:=]*[^\s:=][^\d:=]*[:=]", begun[1])
        if (
            begun is None
            or longer
            or (free and " " not in begun[0] and not re.fullmatch(r"v?\d[\w.]*", begun[1]))
        ):
            why = "no label that is known" if parted else "no label and value"
            self._miss(at, line, why)
            return
        label = self._label(begun[0]) or Label(labels[begun[0]])
        told, why = self._said(label.key, with_its_unit(label, begun[1]))
        self._settle(at, line, told, "no label and value" if free else why)

    def _labelled(self, label: Label, value: str, at: int, line: str) -> None:
        """A value behind its label: read as one, else as a sentence, else listed with why not."""
        value = with_its_unit(label, value)
        vocabulary = self.vocabulary
        told, why = self._said(label.key, value)
        told = told or _type_told(value, vocabulary)
        free = label.key in MACHINE_NAMES
        self.found.sentences_left -= 1
        more = self.found.sentences_left >= 0 and (not free or self._is_name(value))
        if not told and more and not is_unknown(value, vocabulary):
            told = _sentence(line, vocabulary).told or _sentence(value, vocabulary, label.key).told
        self._settle(at, line, told, why)

    def _below(self, at: int, label: Label) -> int:
        """A label for itself: its value is on the next line that is not empty."""
        for more, line in enumerate(self.lines[at + 1 : at + 3], 1):
            if re.search(r"\w", line):
                versioned = not label.system or re.match(r"(?i)(?:version )?\d", line)
                if versioned and self._label(line.rstrip(":")) is None:
                    told, why = self._said(label.key, with_its_unit(label, line))
                    self._settle(at + more, line, told, why)
                    return more
                break
        if label.system:
            self._settle(at, self.lines[at], *self._said(label.key, self.lines[at]))
            return 0
        self._miss(at, self.lines[at], "a label without a value")
        return 0

    def _said(self, key: str, value: str) -> tuple[list[Told], str]:
        """What a value tells of a reading, or why it does not; neither where nobody knows it."""
        if not value:
            return [], "no value"
        try:
            return read_said(key, value, self.vocabulary), ""
        except InputError as error:
            return [], "" if is_unknown(value, self.vocabulary) else str(error)

    def _settle(self, at: int, line: str, told: list[Told], why: str) -> None:
        if told:
            self._add(told)
        elif why:
            self._miss(at, line, why)

    def _sentences(self, at: int, line: str) -> bool:
        """What a line without a label tells, sentence by sentence; whether any tells something."""
        any_told, missed = False, []
        for text in filter(None, map(str.strip, _SENTENCES.split(line))):
            self.found.sentences_left -= 1
            if self.found.sentences_left < 0:
                return any_told
            read = _sentence(text, self.vocabulary)
            self._add(read.told)
            any_told = any_told or bool(read.told)
            missed += read.left if read.told else [text]
        if any_told:
            for part in missed:
                self._miss(at, part, "no reading that is known")
        return any_told


def _of_drives(word: str, vocabulary: Vocabulary) -> bool:
    return vocabulary.phrases.labels.get(fold(word), "").startswith("storage")


def _sentence(text: str, vocabulary: Vocabulary, asked: str | None = None) -> Statement:
    """What a sentence tells; nothing where it is a question, or says too much that is not known."""
    text = _before_question(text, vocabulary) if text.endswith("?") else text
    if not text or len(text) > SAID_MOST:
        return Statement([], [])
    told = _type_told(text, vocabulary)
    read = read_statement(text, vocabulary, asked)
    if told and len(told) >= len(read.told):
        return Statement(told, [])
    weak = bool(read.left) and {one.key for one in read.told} <= _WEAK
    if read.doubtful and not read.open and not read.denied:
        return _by_clause(text, read, vocabulary)
    return Statement([], []) if read.doubtful or weak else read


def _before_question(text: str, vocabulary: Vocabulary) -> str:
    """What is told before what is asked: ``4 GB RAM, is that enough?``; nothing of a question."""
    asks = tuple(f"{word} " for word in vocabulary.phrases.replies.get("asks", ()))
    cuts = list(_CLAUSES.finditer(text))
    if not cuts or f"{fold(text)} ".startswith(asks):
        return ""
    last = f"{fold(text[cuts[-1].end() :])} "
    return text[: cuts[-1].start()] if last.startswith(asks) else ""


def _by_clause(text: str, whole: Statement, vocabulary: Vocabulary) -> Statement:
    """Of a sentence with much that is not known what its clauses tell that are known throughout."""
    found = Statement([], [])
    for part in map(str.strip, _CLAUSES.split(text)):
        read = read_statement(part, vocabulary)
        if read.told and not read.left and all(one in whole.told for one in read.told):
            found.told += read.told
        else:
            found.left.append(part)
    return found


def _type_told(text: str, vocabulary: Vocabulary) -> list[Told]:
    """The bits of a system, and the processor's, where a text says them as screens do."""
    return tried_said(SYSTEM_TYPE, text, vocabulary) if is_system_type(text) else []


def _flags(value: str, at: int, found: Pasted) -> None:
    """A list of a kernel's flags: it is whole, and those that are not known are listed."""
    sets = from_flags(value.split())
    if sets:
        found.add([Told("processor.instructions", sets)])
    else:
        found.miss(at, value, "no instruction set that is known")
