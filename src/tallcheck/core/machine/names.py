"""Names of processors, models and programs: one normal form of each, and what it tells."""

import re
from collections.abc import Sequence
from fnmatch import fnmatchcase
from functools import lru_cache
from typing import Literal

from msgspec import Struct

from tallcheck.core.machine.sheet import Program
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
    r"|\b\d+(?:[.,]\d+)? ?[gm]hz\b"
)
_MAKERS = r"^(?:(?:intel|amd|apple|qualcomm|microsoft|via|zhaoxin|hygon) )+"
_SHORT = (
    (r"\bcore(\d)\b", r"core \1"),
    (r"^((?:intel )?)(?=(?:i[3579]|m[357]) (?:[mulqxk] )?\w*\d)", r"\1core "),
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
    match = re.search(r"@\s*(\d+(?:[.,]\d+)?\s*[GM]Hz)", name, re.IGNORECASE)
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


_LEGAL = frozenset({
    "ab", "ag", "as", "bv", "co", "company", "corp", "corporation", "gmbh", "inc", "incorporated",
    "kg", "kk", "limited", "llc", "ltd", "nv", "oy", "plc", "pty", "sa", "sas", "se", "spa", "srl",
})  # fmt: skip
"""What stands behind a maker's name and says only what kind of company it is."""


def model_key(maker: str | None, model: str | None) -> tuple[str, str]:
    """Maker and model as they are compared.

    Case, spacing, a company's legal words and a maker repeated in the model make no difference.
    """
    makers = _words(maker)
    while len(makers) > 1 and makers[-1] in _LEGAL:
        makers.pop()
    models = _words(model)
    if makers and models[: len(makers)] == makers and len(models) > len(makers):
        models = models[len(makers) :]
        while len(models) > 1 and models[0] in _LEGAL:
            models.pop(0)
    return " ".join(makers), " ".join(models)


def _words(text: str | None) -> list[str]:
    return re.sub(r"[.,]+(?=\s|$)", " ", (text or "").lower()).split()


class ModelWord(Struct, frozen=True, forbid_unknown_fields=True):
    """Models of one maker of which the same is known."""

    models: tuple[str, ...]
    """Names, with * for anything."""
    maker: str = ""
    """Empty: of any maker."""
    memory: str = ""
    """``fixed``: no module comes out, and none goes in."""
    shape: str = ""


class Models:
    """What is known of models by name."""

    def __init__(self, words: list[ModelWord]) -> None:
        self._shapes = [
            (name.lower(), one.shape) for one in words if one.shape for name in one.models
        ]
        self._fixed = [
            model_key(one.maker, name) for one in words if one.memory == "fixed"
            for name in one.models
        ]  # fmt: skip
        self._makers = {maker for maker, _ in self._fixed}

    def shape(self, maker: str | None, model: str | None) -> str | None:
        """The shape that a model's name tells; None where it tells none."""
        name = model_key(maker, model)[1]
        return next((shape for pattern, shape in self._shapes if fnmatchcase(name, pattern)), None)

    def knows(self, maker: str | None) -> bool:
        """Whether anything may be known of a maker's models, as of one that is not told."""
        return not maker or model_key(maker, None)[0] in self._makers

    def fixed(self, maker: str | None, model: str | None) -> bool:
        """Whether the memory of all machines of a model is fixed to the board."""
        maker_told, name = model_key(maker, model)
        return bool(name) and any(
            (maker_is in ("", maker_told) if maker_told else pattern != "*")
            and fnmatchcase(name, pattern)
            for maker_is, pattern in self._fixed
        )


_PROGRAM_MOST = 400
"""Characters of a name that are looked at."""
_IN_BRACKETS = r" ?[(\[](?=[^()\[\]]*(?:bit|x64|x86|amd64|arm64|user|machine))[^()\[\]]*[)\]]"
_BITS = r" (?:64|32)[ -]?bits?\b| x(?:64|86)\b"
_EDITION = r" (?:professional|pro|standard|home|enterprise|community|education|edition|ltsc?|esr)$"
_VERSION = r" v?(\d+(?:\.\d+)*)$"


@lru_cache(maxsize=4096)
def named_version(name: str) -> tuple[str, str | None]:
    """A program's name by which it is compared, and the version that stands in it, if any."""
    text = " ".join(name[:_PROGRAM_MOST].lower().split())
    version = None
    while True:
        before = text
        text = re.sub(_EDITION, "", re.sub(_BITS, "", re.sub(_IN_BRACKETS, "", text))).strip(" -,")
        match = re.search(_VERSION, text)
        if match and text[: match.start()].strip():
            version = version or match[1]
            text = text[: match.start()]
        if text == before:
            return text, version


def versions_of(programs: list[Program] | tuple[Program, ...], wanted: str) -> list[str | None]:
    """The versions in which a program is installed, None where one is not told."""
    plain, _ = named_version(wanted)
    found = []
    for one in programs:
        name, version = named_version(one.name)
        if name == plain:
            found.append(one.version or version)
    return found
