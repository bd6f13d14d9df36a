"""A processor's name to its maker, line and generation, by rules."""

import re

from msgspec import Struct, structs

from tallcheck.core.machine.readings import put
from tallcheck.core.machine.sheet import Machine, Origin

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


_ORIGIN = Origin("worked out", "the processor's name, by the naming rules")


def with_names(machine: Machine, rules: list[Rule]) -> tuple[Machine, str | None]:
    """The machine with maker, line and generation from its processor's name, and the level.

    The level is what the maker's line has; whether it becomes a reading is for the caller, who
    knows whether the instruction sets were read. Readings that are there are kept.
    """
    name = machine.processor.name
    named = name_processor(name, rules) if name else None
    if named is None:
        return machine, None
    for key, value in (
        ("processor.maker", named.maker),
        ("processor.line", named.line),
        ("processor.generation", named.generation),
    ):
        if getattr(machine.processor, key.partition(".")[2]) is None:
            machine = put(machine, key, value, _ORIGIN)
    note = f"{name}: {named.note}"
    if named.note and note not in machine.notes:
        machine = structs.replace(machine, notes=[*machine.notes, note])
    return machine, named.level


def with_level(machine: Machine, level: str | None) -> Machine:
    """The machine with the level that its processor's name promises, where nothing tells it."""
    complete = machine.origins.get("processor.instructions")
    if level is None or machine.processor.level or (complete and complete.how == "read"):
        return machine
    return put(machine, "processor.level", level, _ORIGIN)
