"""A sentence as items: names, figures with their units, words with their senses, marks."""

import re
from itertools import pairwise
from typing import Any

from msgspec import Struct

from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.text.lexicon import CODES, INTERFACES, Token, Word
from tallcheck.core.text.name_items import CLOCK_UNITS, ORDINAL, Names
from tallcheck.core.values.plain import whole_number

UNKNOWN, ADAPTER = "ZG"
SIZE, CLOCK, RATE, LETTER = "shvD"
_MARKS = {**{one: one for one in ",;:()+-/@&=~%*!?.#"}, "|": ",", "\u2022": ",", "\u00b7": ",",
          "\u2013": "-", "\u2014": "-"}  # fmt: skip
_INTERFACE = re.compile(rf"(?:{'|'.join(INTERFACES)}|d3d)(\d{{1,2}}(?:[._]\d)?)")
_INTERFACES = INTERFACES | {"open": "opengl"}
_ADAPTER_GLUED = re.compile(r"(?:gtx?|rtx?|rx)\d{3,4}(?:ti|xt|xtx|m)?")
_ADAPTER_WORD, _ADAPTER_DIGITS = 3, 4
"""Letters of a word that is an adapter's by itself, and digits of one with "Ti"."""
_HERTZ_DIGITS = 7
"""Digits that a processor's clock has in Hz, at least."""
_MODEL_LEAST, _NEAR = 2049, 6
"""From which on a number with a "G" is a processor's model, and how near its line stands."""
_INCHES = ('"', "\u201d", "\u2033")
YEARS = range(1995, 2036)
"""Behind a model's words, the year that it is of."""
_NO_LABEL = frozenset("sJhnPplSGDZ:()+-/%")
"""Items of which none is part of a label before a dash: figures, names, marks, other words."""
_FIGURES = ("s", "n", "h", "%", "S", "c", "t", "")
"""Items of which a slash before a number may be part: ``4 GB / 8 GB``, ``Windows 10 / 11``."""
_LABEL_MOST = 8
"""Items of a label before a dash, at most."""
_VERSION_DIGITS = 3
"""Fewer than so many digits behind a slash may be another version of a system."""
_RANGE_MOST = 4
"""How many times its lower end a range reaches: ``4 - 8 GB``."""
_RANKS = re.compile(r"rx\d{1,2}")


class Item(Struct):
    """A part of a sentence that has one sense, by its letter, from ``start`` to ``end``."""

    code: str
    start: int
    end: int
    value: Any = None
    word: Word | None = None


def items_of(text: str, vocabulary: Vocabulary) -> list[Item]:
    """The items of a text, in order; no part of it is left out."""
    return _Items(text, vocabulary).found


class _Items:
    def __init__(self, text: str, vocabulary: Vocabulary) -> None:
        self.names = Names(text, vocabulary)
        self.text, self.tokens, self.lexicon = text, self.names.tokens, self.names.lexicon
        self.found: list[Item] = []
        at = 0
        while at < len(self.tokens):
            at = self._next(at)

    def _add(self, code: str, at: int, end: int, value: Any = None,
             word: Word | None = None) -> int:  # fmt: skip
        tokens = self.tokens
        self.found.append(Item(code, tokens[at].start, tokens[end - 1].end, value, word))
        return end

    def _next(self, at: int) -> int:
        token = self.tokens[at]
        if token.kind == "mark":
            code = _MARKS.get(
                token.plain, " " if token.plain in "\"'\u2019\u201c\u201d\u201e_\\" else UNKNOWN
            )
            code = self._dash(at) if code == "-" else self._slash(at) if code == "/" else code
            return self._add(code, at, at + 1)
        if token.kind == "times":
            return self._add("x", at, at + 1)
        word = self.lexicon.longest(self.tokens, at) or self._whose(at)
        if _ADAPTER_GLUED.fullmatch(token.plain):
            return self._add(ADAPTER, at, at + 1)
        if glued := _INTERFACE.fullmatch(token.plain):
            return self._add("a", at, at + 1, ("d3d", glued[1]))
        end, code, value = self.names.longest(at)
        if end and end >= (word[1] if word is not None else 0):
            return self._add(code, at, end, value)
        if token.kind == "number" and (word is None or word[1] <= at + 1):
            return self._number(at, token.plain)
        if word is None:
            return self._letter(at)
        sense = word[0].sense
        if sense == "unit" and "filler" in word[0].senses:
            sense = "filler"  # "to" is a unit behind a number only
        if sense == "interface":
            return self._add("a", at, word[1], _INTERFACES.get(token.plain, token.plain))
        if sense == "adapter":
            end = self._with_model(word[1])
            short = len(token.plain) < _ADAPTER_WORD and end == word[1]  # "RX" is one with a number
            return self._letter(at) if short else self._add(ADAPTER, at, end)
        if sense == "number":
            return self._number(at, str(word[0].senses[sense]), word[0], word[1])
        joined = at > 0 and self.tokens[at - 1].end == token.start
        both = self.names.is_at(at + 1, "/") and self.names.is_at(at + 3, "t")
        joined = joined or sense == "thread" or both  # "65 C" is none
        counts = self._codes(1) == "n" and joined
        letter = len(token.plain) == 1 and word[1] == at + 1
        alone = letter and sense in ("core", "thread") and not counts
        if alone or (sense in ("filler", "and") and self._is_volume(at)):
            return self._letter(at)
        return self._add(CODES[sense], at, word[1], word[0].senses[sense], word[0])

    def _apart(self, at: int) -> list[Token]:
        """A mark with the tokens on both sides of it, where blanks part it from both."""
        around = self.tokens[max(at - 1, 0) : at + 2]
        apart = all(one.end < other.start for one, other in pairwise(around))
        return around if apart and len(around) == 3 else []

    def _slash(self, at: int) -> str:
        """What a slash is: between blanks as good as a comma, but between two figures."""
        around = self._apart(at)
        if not around:
            return "/"
        before, behind = self._last_told(), around[2]
        version = len(behind.plain) < _VERSION_DIGITS or before != "S"
        return "/" if behind.kind == "number" and before in _FIGURES and version else ","

    def _dash(self, at: int) -> str:
        """What a dash is: between blanks, behind a label, as good as a colon; else as a comma."""
        around = self._apart(at)
        if not around:
            return "-"
        figure = around[2].kind == "number"
        label = re.split(r"[,;.]", self._codes(_LABEL_MOST))[-1].strip()
        volume = self._codes(3) == f"{LETTER}:)"  # "Local disk (C:) - 237 GB"
        if figure and (volume or (label and _NO_LABEL.isdisjoint(label))):
            return ":"
        if figure and self._codes(1) == CLOCK:
            return "-"  # "1.6 GHz - 3.9 GHz"
        least, most = (whole_number(one.plain) or 0 for one in around[::2])
        owned = re.fullmatch(r"[O$: ]*n", label) is not None  # not "room 12 - 32 GB"
        return "-" if owned and least < most <= _RANGE_MOST * least else ","

    def _whose(self, at: int) -> tuple[Word, int] | None:
        """What a word is known as that stands here with an owner's ending, or an article.

        ``my colleague's``, ``d'espace``.
        """
        token = self.tokens[at]
        bare = re.sub(r"['\u2019]s?$|^(?:[dljcns]|qu)['\u2019](?=[^\W\d])", "", token.plain)
        if bare == token.plain:
            return None
        word = self.lexicon.longest([Token(token.kind, bare, token.start, token.end)], 0)
        return word and (word[0], at + 1)

    def _is_volume(self, at: int) -> bool:
        plain = self.tokens[at].plain
        return len(plain) == 1 and (
            self.names.is_at(at + 1, ":") or (plain >= "c" and self._beside_drive(at))
        )

    def _letter(self, at: int) -> int:
        """A volume's letter, or a word that is not known."""
        code = LETTER if self._is_volume(at) else UNKNOWN
        return self._add(code, at, at + 1, self.tokens[at].plain)

    def _beside_drive(self, at: int) -> bool:
        """Whether a drive's word is before or behind: ``disk C``, ``C drive``."""
        behind = self.lexicon.longest(self.tokens, at + 1)
        words = [one.word for one in self.found[-1:]] + ([behind[0]] if behind else [])
        return any(
            str(word.senses.get("owner")).startswith("storage")
            for word in words
            if word is not None
        )

    def _number(
        self, first: int, text: str, word: Word | None = None, end: int | None = None
    ) -> int:
        """A number, in figures or words, with the unit behind it."""
        tokens, at = self.tokens, (end or first + 1) - 1
        if at + 1 < len(tokens):
            behind, glued = tokens[at + 1], tokens[at + 1].start == tokens[at].end
            number = at + 2 < len(tokens) and tokens[at + 2].kind == "number"
            if behind.plain == "hz" and len(text) < _HERTZ_DIGITS:
                return self._add(" ", first, at + 2)  # a display's
            if behind.plain in CLOCK_UNITS:
                return self._add(CLOCK, first, at + 2, f"{text} {CLOCK_UNITS[behind.plain]}")
            if behind.plain in ("mts", "mt"):
                return self._add(RATE, first, self._per_second(at + 2) or at + 2, text)
            if behind.plain == "%":
                return self._add("%", first, at + 2, text)
            if behind.plain == "g" and self._codes(2) == "c+":
                return self._add(" ", first, at + 2)  # 4C+6G: graphics cores
            if glued and behind.plain == "ti" and len(text) == _ADAPTER_DIGITS:
                return self._add(ADAPTER, first, at + 2)
            of_name = text.isdecimal() and self._names_model(int(text), behind.plain)
            threads = behind.plain == "t" and "c" in (self._codes(1), self._codes(2).rstrip("/"))
            if self.names.is_unit(behind, glued, number) and not (threads or of_name):
                if end := self._per_second(at + 2):
                    return self._add(" ", first, end)  # how quick it is, and of no size
                return self._add(SIZE, first, at + 2, f"{text} {behind.plain}")
            if behind.plain in _INCHES:
                return self._add(" ", first, at + 2)
            if glued and re.fullmatch("x{2,3}", behind.plain):  # i5 6xxx
                self._add("n", first, at + 1, text)
                return self._add("g", at + 1, at + 2)
            if glued and behind.kind == "word" and ORDINAL.fullmatch(behind.plain):
                return self._add("n", first, at + 2, text)
            if glued and _RANKS.fullmatch(behind.plain):
                return self._add(" ", first, at + 2)
        alone = at + 1 >= len(tokens) or tokens[at + 1].kind != "times"
        year = alone and len(text) == 4 and text.isdecimal() and int(text) in YEARS
        code = " " if year and self._last_told() in ("Y", UNKNOWN) else "n"
        return self._add(code, first, at + 1, text, word)

    def _last_told(self) -> str:
        """The sense of the last item that tells something."""
        return next((one.code for one in reversed(self.found) if one.code != " "), "")

    def _names_model(self, number: int, letter: str) -> bool:
        """Whether a number with a letter is a processor's model: 5600G, and 2520M behind i5."""
        if letter == "m":
            return number > 999 and number % 64 > 0 and "l" in self._codes(_NEAR)
        return letter == "g" and number >= _MODEL_LEAST

    def _per_second(self, at: int) -> int:
        """The end of what makes a rate of the unit before it; 0 where nothing does."""
        if [one.plain for one in self.tokens[at : at + 2]] in (["/", "s"], ["/", "sec"]):
            return at + 2
        word = self.lexicon.longest(self.tokens, at)
        return word[1] if word is not None and "rate" in word[0].senses else 0

    def _codes(self, count: int) -> str:
        return "".join(one.code for one in self.found[-count:])

    def _with_model(self, end: int) -> int:
        """The end of an adapter's name with its model's words and numbers."""
        tokens, first = self.tokens, end
        while end < len(tokens) and tokens[end].kind in ("word", "number"):
            token = tokens[end]
            name, code, _ = self.names.longest(end)
            if name and code != "G" and token.kind == "word":
                break
            mobile = end == first and self.names.is_at(end + 1, "m")  # Radeon 740M
            counted = token.kind == "number" and end + 1 < len(tokens) and not mobile
            if counted and self.names.counts(end):
                break
            known = self.lexicon.longest(tokens, end) if token.kind == "word" else None
            if known is not None and known[0].sense != "adapter":
                break
            end += 1
        return end
