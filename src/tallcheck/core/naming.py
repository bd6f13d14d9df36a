"""A processor's name to its maker, line and generation, by rules."""

import re

from msgspec import Struct

_NAME_MOST = 256
_MARKS = re.compile(r"\((?:R|TM|C)\)|[®™]", re.IGNORECASE)
_NOISE = re.compile(r"\b\d+(?:st|nd|rd|th) gen\b|\s@.*$|\bprocessor\b|\bcpu\b", re.IGNORECASE)


class Rule(Struct, frozen=True, forbid_unknown_fields=True):
    """One naming rule: a pattern over the cleaned name, and what a match tells.

    The pattern's group ``g`` is the generation where ``generation`` gives none; ``levels`` maps
    a generation to the x86-64 level that it and later ones of the line have.
    """

    pattern: str
    maker: str
    line: str
    generation: int | None = None
    levels: dict[str, str] = {}
    note: str = ""


class Named(Struct, frozen=True):
    """What a name tells; None where it does not."""

    maker: str
    line: str
    generation: int | None
    level: str | None
    note: str


def cleaned(name: str) -> str:
    """A processor's name without marks, clock, and words that say nothing."""
    text = _NOISE.sub(" ", _MARKS.sub(" ", name[:_NAME_MOST]))
    return " ".join(text.split())


def name_processor(name: str, rules: list[Rule]) -> Named | None:
    """What the first rule that fits a name tells, or None. Patterns must be valid."""
    text = cleaned(name)
    for rule in rules:
        match = re.search(rule.pattern, text, re.IGNORECASE)
        if match:
            number = match.groupdict().get("g")
            generation = rule.generation
            if generation is None and number and number.isdecimal():
                generation = int(number)
            fitting = [
                level for least, level in rule.levels.items() if (generation or 0) >= int(least)
            ]
            return Named(rule.maker, rule.line, generation, max(fitting, default=None), rule.note)
    return None
