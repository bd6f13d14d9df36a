"""A publisher's page of requirements, as people copy it, into values for a needs sheet.

Nothing is guessed: a line, or a part of one, that is not understood is handed back as it stands.
"""

import re
from html import unescape
from typing import Any

from msgspec import Struct

from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.text.asked import asked_in, names_a_linux
from tallcheck.core.text.copied import SENTENCE_ENDS, copied_lines
from tallcheck.core.text.items import Item, items_of
from tallcheck.core.values.text import SAID_MOST, fold, narrowed

MINIMUM, RECOMMENDED = "minimum", "recommended"
_BULLET = re.compile(r"^[\s>*\u2022\u00b7\u25cf\u25aa\u25e6\u2013-]+")
_CELLS = re.compile(r"\s*(?:\t+|\s\|\s|\||\s{2,})\s*")
_TAG = re.compile(r"</?[a-zA-Z][^<>]{0,200}>")
_BLOCK = re.compile(r"(?i)</?(?:li|tr|p|div|h[1-6]|br|ul|ol|dl|dt|table)\b[^<>]{0,200}>")
"""What begins a line of its own on a page."""
_CELL = re.compile(r"(?i)</t[dh]>")
_AT_LEAST = re.compile(r"\s*(?:>=|=>|\u2265|\u2a7e)\s*")
_DASH = re.compile(r"([^:;,]{2,40}?)\s+[-\u2013\u2014]\s+(?=\S)")
_FOOTNOTE = "\u00b9\u00b2\u00b3\u2070\u2074\u2075\u2076\u2077\u2078\u2079\u2020\u2021"
_NOTE, _NOTED = re.compile(r"\[\d{1,2}\] "), re.compile(r"(?<=[^\W\d])\[\d{1,2}\]")
"""A note in brackets, and where one is pointed to."""
_QUOTED = ('"', "\u201c", "\u201e", "\u00ab")
_SENTENCES = re.compile(
    SENTENCE_ENDS + r"|;\s+|(?<=[^\W\d]{5})(?<!(?i:approx))\.\s+(?=\d)|(?<=\))\.\s+(?=\w)"
)
"""What ends a sentence; before a figure it may end an abbreviation."""
_SLASHED = re.compile(r"\s*([\d.,]+) ?([KMGT]i?[Bo])?\s*/\s*([\d.,]+\s*([KMGT]i?[Bo]))\s*")
"""Two sizes, of which the second one is recommended."""
_LEVEL_IN_FRONT = re.compile(r":|\s[-\u2013\u2014]\s")
_LEGEND = re.compile(r"\(([^()]*/[^()]*)\)\s*$")
"""What the two sides of a slash are: ``4 GB / 8 GB (minimum / recommended)``."""
_OR_MORE = re.compile(r"(\d)\s*\+(?=\s*[^\W\d])")
_SPELLED = re.compile(
    r"(?i)\b([kmgt])(?:ilo|ega|iga|era)(b|o|h)(?:ytes?|ctets?|ertz)\b(?:\s*\(\1\2z?\))?"
)
"""A unit in full, which may stand in brackets again: "4 gigabytes (GB)"."""


class Page(Struct):
    """What a page asks for, by level and key, and the lines that were not understood."""

    levels: dict[str, dict[str, Any]]
    left: list[tuple[int, str]]
    """Number and text of each line, whole or the part that is left."""


def read_page(text: str, system: bool, vocabulary: Vocabulary, title: str = "") -> Page:
    """The page; ``system``: it is of an operating system, whose storage is the whole drive.

    ``title`` is what the page is of: a system does not ask for itself.
    """
    reader = _Reader(system, vocabulary)
    lines = zip(*copied_lines(text), strict=True)
    for number, raw in ((at + 1, unescape(part)) for one, at in lines for part in _parts_of(one)):
        line = narrowed(_BULLET.sub("", raw.strip()).rstrip())
        if len(line) > 4 * SAID_MOST:
            reader.page.left.append((number, line[:SAID_MOST]))
        elif re.search(r"\w", line):
            reader.line(number, line)
        else:
            reader.refused = False
    if system:
        for values in reader.page.levels.values():
            _without(title, values, vocabulary)
    return reader.page


def _parts_of(line: str) -> list[str]:
    """The lines that a line is shown as, without its tags."""
    blocks = [_TAG.sub(" ", _CELL.sub("\t", one)).strip() for one in _BLOCK.split(line)]
    return [one for one in blocks if one] or [""]


def _without(title: str, values: dict[str, Any], vocabulary: Vocabulary) -> None:
    """Take a system's own name out of the systems that are asked for."""
    own, same = re.sub(r"[\s\d.]+$", "", title), vocabulary.systems.same
    others = [one for one in values.get("os", []) if not same(one.partition(" >=")[0], own)]
    if others:
        values["os"] = others
    else:
        values.pop("os", None)


class _Reader:
    """Lines one after another, at the level that the last heading began."""

    def __init__(self, system: bool, vocabulary: Vocabulary) -> None:
        self.system, self.vocabulary = system, vocabulary
        self.page = Page({MINIMUM: {}, RECOMMENDED: {}}, [])
        self.level = MINIMUM
        self.about, self.just_begun = "", False
        """The label above a value, or above lines that name a level and a value alone."""
        self.columns: list[str] = []
        """The levels of the columns, where these have any."""
        self.refused = False
        """Whether the lines list what is not asked for, or not supported."""
        self.titles: set[str] = set()
        self.another = False
        """Whether the lines are of a second kind of machine: ``Server requirements``."""

    def line(self, number: int, line: str) -> None:
        """One line: a heading, a row of columns, or statements."""
        self.refused = self._refuses(line) if line.endswith(":") else self.refused
        noted = line[0] in _FOOTNOTE or _NOTE.match(line)
        of_another = self.another and not self._is_title(line.rstrip(": "))
        if self.refused or of_another or noted or line.startswith(_QUOTED):
            self.page.left.append((number, line))
            return
        line = _NOTED.sub("", "".join(one for one in line if one not in _FOOTNOTE))
        legend = _LEGEND.search(line)
        if legend and (named := self._both_levels(legend[1].split("/"))):
            self.columns, line = named, line[: legend.start()].strip()
        cells = [cell for cell in _CELLS.split(line.strip("| ")) if cell]
        if len(cells) == 1 and (self.columns or self._both_levels(line.split(";"))):
            cells = [cell.strip() for cell in line.split(";")]
        levels = [self._level(cell) for cell in cells]
        if named := self._both_levels(line.split("/")) or self._both_levels(cells):
            self.columns = named
        elif len(cells) == 1 and levels[0]:
            self.level, self.columns = levels[0], []
        elif len(cells) == 1 and self._is_title(cells[0]):
            self._begin(fold(cells[0]))
        elif len(cells) == 1 and self._is_label(cells[0]):
            self.about, self.just_begun = cells[0].rstrip(": "), True
        elif parts := self._by_column(cells) if self.columns else _slashed(_joined(cells)):
            head, values = parts
            for level, value in zip(self.columns or (MINIMUM, RECOMMENDED), values, strict=True):
                self._statement(f"{head.rstrip(': ')}: {value}", level, number)
        else:
            self._statements(_joined(cells), number)

    def _begin(self, title: str) -> None:
        """A title: that of a kind of machine, behind another title, begins another one's needs."""
        of_kind = any(one.code == "Y" for one in items_of(title, self.vocabulary))
        self.another = of_kind and not self.titles <= {title}
        self.titles.add(title)

    def _by_column(self, cells: list[str]) -> tuple[str, list[str]] | None:
        """What stands in front, and the value under each column."""
        count = len(self.columns)
        if len(cells) > count:
            return " ".join(cells[:-count]), cells[-count:]
        head, _, rest = cells[0].partition(":")
        values = re.split(r"\s+/\s+", rest.strip())
        return (head, values) if len(cells) == 1 and len(values) == count else None

    def _words(self, text: str) -> list[str]:
        return fold(text).split()

    def _level(self, text: str) -> str | None:
        """The level that a text names, and nothing else."""
        levels, words = self.vocabulary.phrases.levels, self._words(text)
        if not words or not {*words} <= {one for many in levels.values() for one in many}:
            return None
        named = [
            one for one in (MINIMUM, RECOMMENDED) if not {*words}.isdisjoint(levels.get(one, ()))
        ]
        return named[0] if len(named) == 1 else None

    def _both_levels(self, texts: list[str]) -> list[str]:
        """The levels that some texts name, where both are among them."""
        levels = [one for one in map(self._level, texts) if one]
        return levels if {MINIMUM, RECOMMENDED} <= {*levels} else []

    def _refuses(self, heading: str) -> bool:
        """Whether a heading says that what stands below it is not so."""
        return any(one.code == "N" for one in items_of(heading, self.vocabulary))

    def _is_title(self, text: str) -> bool:
        """Whether a line says that requirements follow, and of what."""
        words = self._words(text)
        return (
            bool(words)
            and len(words) <= 10
            and words[-1] in self.vocabulary.phrases.levels.get("title", ())
            and not re.search(r"\d\s*[A-Za-z]?[bB]\b", text)
        )

    def _is_label(self, text: str) -> bool:
        """Whether a line is a label for itself, and asks for nothing by its name."""
        phrases, word = self.vocabulary.phrases, fold(text.rstrip(": "))
        known = word in phrases.within.get("page", {}) or word in phrases.labels
        return known and not asked_in(text, self.vocabulary, self.system).values

    def _statements(self, line: str, number: int) -> None:
        """The statements of a line, which may name their level in front."""
        level = self.level
        before: tuple[str, ...] = ()
        for sentence in _SENTENCES.split(line):
            head, *rest = _LEVEL_IN_FRONT.split(sentence, maxsplit=1)
            named, text = None, sentence
            if rest and rest[0].strip():
                named = self._level(head)
                text = rest[0] if named is not None or self._is_title(head) else sentence
            below = self.about if named or self.just_begun else ""
            text = f"{below}: {text}" if below and not re.match(r"[^\d:]*:", text) else text
            self.about, self.just_begun = below if named else "", False
            level = named or level
            before = self._statement(self._second(text.strip(), level), level, number, before)

    def _second(self, line: str, level: str) -> str:
        """A line whose label has a second sense, by the name of that where the first was told."""
        head, colon, rest = line.partition(":")
        other = self.vocabulary.phrases.within.get("second", {}).get(fold(head)) if colon else None
        return f"{other}:{rest}" if other and "memory" in self.page.levels[level] else line

    def _statement(
        self, text: str, level: str, number: int, before: tuple[str, ...] = ()
    ) -> tuple[str, ...]:
        """One statement into the page's values; what is left of it is handed back.

        The keys that it asked for last; ``before`` are those of the statement before.
        """
        text = _AT_LEAST.sub(" ", _OR_MORE.sub(r"\1", text))
        text = _SPELLED.sub(_short_unit, text).strip()
        if (dash := _DASH.match(text)) and self._is_label(dash[1]):
            text = f"{dash[1]}: {text[dash.end() :]}"
        found, left = False, list[str]()
        for part, better in self._clauses(text):
            asked = asked_in(part, self.vocabulary, self.system, before)
            before = tuple(asked.values) or before
            own = self.page.levels[RECOMMENDED if better else level]
            for name, value in asked.values.items():
                found = True
                if isinstance(value, list) and name in own:
                    both = _without_bare([*dict.fromkeys([*own[name], *value])])
                    own[name] = self._without_kernel(both) if name == "os" else both
                    left += [one for one in both if one not in own[name]]
                elif isinstance(value, dict) and name in own:
                    own[name] = {**value, **own[name]}
                elif own.setdefault(name, value) != value:
                    left.append(f"{text} ({name} was {own[name]} before)")
            left += asked.left
        if left or not found:
            told = ", ".join(left) if found else text
            self.page.left.append((number, told if told == text else f"{told} (of: {text})"))
        return before

    def _without_kernel(self, names: list[str]) -> list[str]:
        """Systems without the kernel's version where they are named: it is asked for besides."""
        bare = [one.partition(" >= ")[0] for one in names]
        if not names_a_linux(bare, self.vocabulary):
            return names
        return [one for one, name in zip(names, bare, strict=True) if name != "Linux"]

    def _clauses(self, text: str) -> list[tuple[str, bool]]:
        """The parts of a statement, and of each whether it is recommended only."""
        items = items_of(text, self.vocabulary)
        if not any(one.code == "R" for one in items):
            return [(text, False)]
        slashes = {one.start() + 1 for one in re.finditer(" / ", text)}
        cuts = [one.start for one in items if one.code in ",;(" or one.start in slashes]
        cuts.append(len(text))
        parts: list[tuple[str, bool]] = []
        start = 0
        for cut in cuts:
            part = text[start:cut]
            within = [one for one in items if start <= one.start < cut]
            above = any(one.code == "R" for one in within)
            told = any(_tells(one) or one.code == "Z" for one in within)
            if parts and parts[-1][1] == above and not above:
                parts[-1] = (parts[-1][0] + part, above)
            elif above and not told and parts:  # "8 GB, recommended"
                parts[-1] = (parts[-1][0], True)
            else:
                parts.append((part, above))
            start = cut
        return [
            (part.strip(" ,;()/") if above else part, above)
            for part, above in parts
            if part.strip()
        ]


def _without_bare(names: list[str]) -> list[str]:
    """Names of systems without those of which others say the version."""
    bounded = {one.partition(" >= ")[0] for one in names if " >= " in one}
    return [one for one in names if one not in bounded]


def _tells(item: Item) -> bool:
    return item.code in "nshPSIdlLKeAGa"


def _slashed(line: str) -> tuple[str, list[str]] | None:
    """A label, and two sizes behind it."""
    head, _, rest = line.partition(":")
    two = _SLASHED.fullmatch(rest)
    return (head, [f"{two[1]} {two[2] or two[4]}", two[3]]) if two else None


def _joined(cells: list[str]) -> str:
    return cells[0] if len(cells) == 1 else f"{cells[0].rstrip(':')}: {' '.join(cells[1:])}"


def _short_unit(match: re.Match[str]) -> str:
    return f"{match[1].upper()}{'Hz' if match[2].lower() == 'h' else 'B'}"
