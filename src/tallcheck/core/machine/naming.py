"""A processor's name: one normal form of it, and by rules its maker, line and generation."""

import re
from collections.abc import Sequence
from functools import lru_cache
from typing import Literal

from msgspec import Struct

from tallcheck.core.values.plain import whole_number
from tallcheck.core.values.quantities import parse_clock

_NAME_MOST = 256
_MARKS = r"\((?:R|TM|C|r|tm|c)\)|[®™©]|(?<=[a-z0-9])\s?\(tm\)"
_BEHIND = (
    r"\s*(?:@.*|\bw(?:ith|/).*|,.*|\b\d+ ?(?:core|thread)s?\b.*|\bradeon\b.*"
    r"|\b(?:dual|quad|six|eight|twelve|sixteen|\d+)[ -]?cores?\b(?! [a-z]\d{3}).*|\bsoc\b.*)$"
)
_NOISE = (
    r"\b\d+(?:st|nd|rd|th) gen\b|\b(?:processor|cpu|apu|family|technology|genuine)\b"
    r"|\b\d+(?:\.\d+)? ?[gm]hz\b"
)
_MAKERS = r"^(?:(?:intel|amd|apple|qualcomm|microsoft|via|zhaoxin|hygon) )+"
_SHORT = (
    (r"\bcore(\d)\b", r"core \1"),
    (r"^((?:intel )?)(?=(?:i[3579]|m[357]) \w*\d)", r"\1core "),
    (r"^((?:intel )?)ultra (?=[x\d])", r"\1core ultra "),
    (r"^((?:amd )?)r([3579]) (?=(?:pro )?\d{3})", r"\1ryzen \2 "),
    # the oldest notebook parts have their letters before the number: "i5 M 520"
    (r"\b(core i[357]) ([mulqxk]|[a-z]{2}) (\d{3})\b", r"\1 \3\2"),
    (r"\b(e[357]) (\d{4}[a-z]{0,2})v(\d)\b", r"\1 \2 v\3"),
    (r"^(e[357]) (?=\d{4})", r"xeon \1 "),
    (r"\bxeon (e3)(1[2]\d{2}l?)\b", r"xeon \1 \2"),
    (r"\bultra([3579]) (?=\d)", r"ultra \1 "),
)


class Rule(Struct, frozen=True, forbid_unknown_fields=True):
    """One naming rule: a pattern over the spelled name, and what a match tells.

    The pattern's group ``g`` is the generation where ``generation`` gives none; ``levels`` maps
    a generation to the x86-64 level that it and later ones of the line have. Without a line the
    name is known to tell none.
    """

    pattern: str
    line: str = ""
    maker: str = ""
    generation: int | None = None
    levels: dict[str, str] = {}
    note: str = ""
    memory: Literal["", "fixed"] = ""
    architecture: str = ""
    """Where the line has several."""


class Line(Struct, frozen=True, forbid_unknown_fields=True):
    """A line of processors: whose it is, what all of it have, and which line it carries on."""

    name: str
    maker: str = ""
    architecture: str = ""
    after: str = ""
    memory: Literal["", "fixed"] = ""
    """``fixed``: of every machine with one the memory is on its package, or soldered beside it."""
    generations: str = ""
    """Which there are, for people to read; empty where names tell none."""


class Count(Struct, frozen=True, forbid_unknown_fields=True):
    """Cores and threads of all models that a pattern over the spelled name fits."""

    pattern: str
    cores: int
    threads: int


class Named(Struct, frozen=True):
    """What a name tells; None where it does not."""

    maker: str
    line: str
    generation: int | None
    level: str | None
    architecture: str
    note: str
    memory: str = ""
    """``fixed`` where the memory of every machine with one is fixed to it."""


@lru_cache(maxsize=8192)
def spelled(name: str) -> str:
    """A processor's name in lower case, without marks and noise, short forms written out."""
    text = re.sub(_MARKS, " ", name[:_NAME_MOST]).lower()
    text = re.sub(_NOISE, " ", text.split("@")[0].replace("_", " "))
    text = " ".join(re.sub(r"[\s-]+", " ", text).split())
    text = re.sub(_BEHIND, "", text).strip(" .,;-")
    for pattern, written in _SHORT:
        text = re.sub(pattern, written, text)
    return text


@lru_cache(maxsize=8192)
def normal_name(name: str) -> str:
    """The one form in which names are listed and matched: as spelled, without the maker."""
    text = spelled(name)
    return re.sub(_MAKERS, "", text) or text


def stated_clock(name: str) -> int | None:
    """The nominal clock in Hz that stands in a name behind "@"; None where none does."""
    match = re.search(r"@\s*(\d+(?:\.\d+)?\s*[GM]Hz)", name, re.IGNORECASE)
    return parse_clock(match[1]) if match else None


_WORD = r"\\b([A-Za-z]+)(?: |\\b)"
_ALTERNATIVES = r"\\.|\[[^]]*\]|[()|]"


@lru_cache(maxsize=1024)
def _first_words(pattern: str) -> tuple[str, ...]:
    """The words of which a text that fits must hold one; none where that is not plain to see."""
    starts, depth = [0], 0
    for found in re.finditer(_ALTERNATIVES, pattern):
        depth += (found[0] == "(") - (found[0] == ")")
        if found[0] == "|" and not depth:
            starts.append(found.end())
    words = [re.match(_WORD, pattern[start:]) for start in starts]
    return tuple(one[1].lower() for one in words if one) if all(words) else ()


def _match(pattern: str, text: str) -> re.Match[str] | None:
    words = _first_words(pattern)
    if words and not any(word in text for word in words):
        return None  # to compile all patterns takes longer than all the rest
    return re.search(pattern, text, re.IGNORECASE)


class Namer:
    """Naming rules, with the lines that they speak of."""

    def __init__(self, rules: list[Rule], lines: list[Line], counts: Sequence[Count] = ()) -> None:
        self.rules, self._counts = rules, counts
        self._counted: dict[str, Count | None] = {}
        self.lines = {}
        for line in reversed(lines):
            self.lines[line.name.lower()] = line
        self.words = {word for name in self.lines for word in name.split() if word.isalpha()}
        """The words of the lines' names."""
        self.makers = {line.maker.lower(): line.maker for line in self.lines.values()}
        self._found: dict[str, Named | None] = {}

    def named(self, name: str) -> Named | None:
        """What the first rule that fits a name tells, or None. Patterns must be valid."""
        text = spelled(name)
        if text not in self._found:
            self._found[text] = self._by_rules(text)
        return self._found[text]

    def _by_rules(self, text: str) -> Named | None:
        for rule in self.rules:
            match = _match(rule.pattern, text)
            if match:
                return self._told(rule, match) if rule.line else None
        return None

    def _told(self, rule: Rule, match: re.Match[str]) -> Named:
        number = match.groupdict().get("g")
        generation = rule.generation
        if generation is None and number:
            generation = whole_number(number)
        fitting = [level for least, level in rule.levels.items() if (generation or 0) >= int(least)]
        line = self.line(rule.line) or Line(rule.line)
        return Named(
            rule.maker or line.maker, line.name, generation, max(fitting, default=None),
            rule.architecture or line.architecture, rule.note, rule.memory or line.memory,
        )  # fmt: skip

    def counts(self, name: str) -> Count | None:
        """Cores and threads of a model, where it is one of those that are listed."""
        text = spelled(name)
        if text not in self._counted:
            fitting = (one for one in self._counts if _match(one.pattern, text))
            self._counted[text] = next(fitting, None)
        return self._counted[text]

    def line(self, name: str) -> Line | None:
        """A line by its name, with or without the maker's, in any case."""
        folded = " ".join(name.lower().split())
        if folded in self.lines:
            return self.lines[folded]
        maker, _, rest = folded.partition(" ")
        found = self.lines.get(rest)
        return found if found is not None and found.maker.lower() == maker else None

    def before(self, name: str) -> list[str]:
        """The lines that a line carries on, the nearest first, by name."""
        found: list[str] = []
        line = self.line(name)
        while line is not None and line.after and line.after not in found:
            found.append(line.after)
            line = self.line(line.after)
        return found
