"""The processor: clock, generation, names, bits, architecture, virtualization."""

import re
from collections.abc import Iterable
from fnmatch import fnmatchcase
from functools import lru_cache
from typing import Any

from tallcheck.core.machine.entries import ReadingKey
from tallcheck.core.machine.names import Namer, normal_name
from tallcheck.core.machine.normalized import World
from tallcheck.core.needs.key import OTHER, Choice, Evaluation, Generations, Key, OneOf, View
from tallcheck.core.needs.numbers import (
    PROCESSOR_MENDS,
    around,
    evaluate_number,
    evaluate_range,
    limits_of,
    nearest_first,
    processor_fix,
)
from tallcheck.core.values.comparison import AT_LEAST, AT_MOST, NOT, Bound
from tallcheck.core.values.kinds import ABILITY


def _evaluate_clock(bound: Bound, view: View) -> Evaluation:
    nominal, most = view["processor.clock"], view["processor.clock_most"]
    if nominal is not None:
        return evaluate_number(bound, nominal, "processor.clock", detail=most)
    return evaluate_range(bound, 1, most or float("inf"), "processor.clock", "processor.clock_most")


def _clock_choices(tests: list[Any], view: View) -> Iterable[Choice]:
    have = view["processor.clock"]
    most = view["processor.clock_most"] if have is None else None
    edges = [*limits_of(tests), *([] if most is None else [most])]
    for value in nearest_first(around(edges, 0), have):
        anew = most is not None and value > most
        changes = {"processor.clock": value, **({"processor.clock_most": None} if anew else {})}
        yield Choice(changes, processor_fix(view), anew)


CLOCK = Key(
    "clock", "clock", AT_LEAST, "processor.clock",
    frozenset({"processor.clock", "processor.clock_most"}), _evaluate_clock, _clock_choices,
    "the clock",
    "The nominal clock counts, not the highest and not that of the moment; a highest clock below "
    "what is asked settles it.",
    '"1.6 GHz"', "nominal", PROCESSOR_MENDS, steady=True,
)  # fmt: skip

# --- generation ----------------------------------------------------------------------------


def _evaluate_generation(test: Generations, view: View) -> Evaluation:
    line, generation = view["processor.line"], view["processor.generation"]
    reading = "processor.generation"
    if line is None:
        return Evaluation("unknown", None, None, reading, (reading,))
    lines = _by_line(test)
    name = _line_key(line, test.namer)
    if name not in lines:
        if any(_line_key(one, test.namer) in lines for one in test.namer.before(line)):
            return Evaluation("met", generation, None, reading, detail="continues")
        if "*" in lines:
            return Evaluation("short", generation, 0.0, reading, detail="not taken")
        said = view["publisher.generation"]
        if said is None:
            return Evaluation(
                "unknown", generation, None, reading, ("publisher.generation",), (), line
            )
        return Evaluation("met" if said else "short", generation, None, reading)
    least = lines[name]
    if least is None:
        return Evaluation("short", generation, 0.0, reading, detail="not taken")
    if generation is None:
        return Evaluation("unknown", None, None, reading, (reading,))
    met = generation >= least
    return Evaluation("met" if met else "short", generation, generation / least if least else None,
                reading)  # fmt: skip


def _line_key(name: str, namer: Namer) -> str:
    """A processor line as it is compared: with or without the maker, in any case."""
    line = namer.line(name)
    return (line.name if line is not None else name).lower()


def _by_line(test: Generations) -> dict[str, int | None]:
    return {_line_key(name, test.namer): least for name, least in test.lines.items()}


def _generation_choices(tests: list[Any], view: View) -> Iterable[Choice]:
    fix = processor_fix(view)
    if view["publisher.generation"] is None:
        yield from (Choice({"publisher.generation": said}, fix) for said in (True, False))
    known = view["processor.line"]
    asked = [_by_line(test) for test in tests]
    for line in dict.fromkeys(name for lines in asked for name in lines if name != "*"):
        edges = [lines.get(line) or 0 for lines in asked]
        if known is not None and line == _line_key(known, tests[0].namer):
            for value in around(edges):
                yield Choice({"processor.generation": value}, fix)
        else:
            changes = {"processor.line": line}
            yield Choice({**changes, "processor.generation": max(edges)}, fix)
            if known is None:
                yield Choice({**changes, "processor.generation": 0}, fix)
    if known is None:
        yield Choice({"processor.line": OTHER, "processor.generation": 1}, fix)


GENERATION = Key(
    "generation", "generation", AT_LEAST, "processor.generation",
    frozenset({"processor.line", "processor.generation", "publisher.generation"}),
    _evaluate_generation, _generation_choices, "the processor's generation",
    "Generations count within the line that the publisher names. A line that continues a named "
    "one is newer than it; of a line that is not named, only the publisher can say.",
    '{"Osier Wand" = 5, "*" = "none"}', "by processor line", PROCESSOR_MENDS, steady=True,
)  # fmt: skip

# --- names ---------------------------------------------------------------------------------

WILD = frozenset("*?[")


def _fits(name: str, test: OneOf) -> bool:
    """Whether a name is on a list, both in normal form; a bare model's name is enough."""
    plain, patterns = _sorted_list(test.words, test.lines)
    words = name.split()
    return any(
        " ".join(words[at:]) in plain and (not at or _is_model(words[at:]))
        for at in range(len(words))
    ) or any(fnmatchcase(name, one) for one in patterns)


def _is_model(words: list[str]) -> bool:
    """Whether the end of a name can stand for all of it: it has letters and digits."""
    text = "".join(words)
    return any(ch.isdigit() for ch in text) and any(ch.isalpha() for ch in text)


@lru_cache(maxsize=64)
def _sorted_list(
    words: tuple[str, ...], lines: tuple[str, ...]
) -> tuple[frozenset[str], tuple[str, ...]]:
    """Plain names and patterns: a list may name thousands, and few of them are patterns."""
    wild = [one for one in words if set(one) & WILD] + [f"{line} *" for line in lines]
    patterns = tuple(normal_pattern(one) for one in wild)
    return frozenset(normal_name(one) for one in words if not set(one) & WILD), patterns


def normal_pattern(pattern: str) -> str:
    """A name with wild cards in normal form."""
    kept = {"*": "xxstarxx", "?": "xxonexx", "[": "xxopenxx", "]": "xxclosexx"}
    for sign, word in kept.items():
        pattern = pattern.replace(sign, word)
    found = normal_name(pattern)
    for sign, word in kept.items():
        found = found.replace(word, sign)
    return re.sub(r"^(?=i[3579](?![0-9a-z]))", "core ", found)


def stands_for(entry: str, namer: Namer) -> bool:
    """Whether an entry of a list can be the name of a processor whose line is known."""
    named = namer.named
    if not set(entry) & WILD:
        return named(entry) is not None or _is_model(normal_name(entry).split())
    letters = entry.translate({ord("*"): "00", ord("["): None, ord("]"): None})
    return any(named(letters.replace("?", one)) is not None for one in ("0", "5", "u"))


def _evaluate_name(test: OneOf, view: View) -> Evaluation:
    name = view["processor.name"]
    if name is None:
        return Evaluation("unknown", None, None, "processor.name", ("processor.name",))
    met = _fits(normal_name(str(name)), test) != test.refused
    return Evaluation("met" if met else "short", name, None, "processor.name")


def _instances(pattern: str) -> list[str]:
    """Names that a pattern may fit."""
    one = re.sub(r"\[(!?)(.)[^]]*\]", lambda some: "0" if some[1] else some[2], pattern)
    return [one.replace("*", more).replace("?", "0") for more in ("", "0")]


def _name_choices(tests: list[Any], view: View) -> Iterable[Choice]:
    fix = processor_fix(view)
    names = (
        name
        for test in sorted(tests, key=lambda one: len(one.words))
        for word in test.words
        for name in _instances(normal_pattern(word))
    )
    good = (n for n in names if all(_fits(normal_name(n), t) != t.refused for t in tests))
    for name in (next(good, None), OTHER):
        if name is not None:
            yield Choice({"processor.name": name}, fix)


PROCESSORS = Key(
    "processors", "patterns", "one of", "processor.name", frozenset({"processor.name"}),
    _evaluate_name, _name_choices, "the processor",
    "The processor's name must fit one of the publisher's names or patterns.",
    '["Osier Wand S5 ???"]', 'or a file of names, "processors.txt"', PROCESSOR_MENDS, steady=True,
)  # fmt: skip

# --- bits and architecture -----------------------------------------------------------------


def _evaluate_bits(bound: Bound, view: View) -> Evaluation:
    bits, running = view["processor.bits"], view["system.os_bits"]
    if bits is None:
        return Evaluation("unknown", None, None, "processor.bits", ("processor.bits",))
    if not bound.holds(bits):
        return Evaluation("short", bits, None, "processor.bits", detail=running)
    if view.program and bound.op not in (AT_MOST, NOT):
        if running is None:
            return Evaluation("unknown", bits, None, "system.os_bits", ("system.os_bits",))
        if running < bound.limit:
            return Evaluation("short", running, None, "system.os_bits", detail="system")
    return Evaluation("met", bits, None, "processor.bits", detail=running)


def _bits_choices(tests: list[Any], view: View) -> Iterable[Choice]:
    return [Choice({"processor.bits": bits}, "machine") for bits in (32, 64)]


PROCESSOR_BITS = Key(
    "processor_bits", "bits", AT_LEAST, "processor.bits",
    frozenset({"processor.bits", "system.os_bits"}), _evaluate_bits, _bits_choices,
    "the processor's bits",
    "What the processor can do, whatever system runs on it; a program needs a system of these "
    "bits, too.", "64",
)  # fmt: skip


def runs(architecture: str) -> set[str]:
    """What a processor or system of an architecture runs."""
    return {architecture, "x86"} if architecture == "x86-64" else {architecture}


def system_architecture(world: View | World) -> str | None:
    """What the running system is built for: as read, or by its bits on this processor."""
    get = world.__getitem__ if isinstance(world, View) else world.get
    read, bits, own = (
        get("system.architecture"),
        get("system.os_bits"),
        get("processor.architecture"),
    )
    if read is not None:
        return str(read)
    if bits is None or own is None:
        return None
    narrow = {"x86-64": "x86", "arm64": "arm"}
    return narrow.get(own, own) if bits == 32 else str(own)


def _accepts(test: OneOf, architecture: str) -> bool:
    if test.refused:
        return architecture not in test.words
    return bool(runs(architecture) & set(test.words))


def _evaluate_architecture(test: OneOf, view: View) -> Evaluation:
    own = view["processor.architecture"]
    reading = "processor.architecture"
    if own is None:
        return Evaluation("unknown", None, None, reading, (reading,))
    if not _accepts(test, str(own).lower()):
        return Evaluation("short", own, None, reading)
    if view.program:
        system = system_architecture(view)
        if system is None:
            return Evaluation("unknown", own, None, "system.os_bits", ("system.os_bits",))
        if not _accepts(test, system.lower()):
            return Evaluation("short", system, None, "system.architecture", detail="system")
    return Evaluation("met", own, None, reading)


def _architecture_choices(tests: list[Any], view: View) -> Iterable[Choice]:
    words = dict.fromkeys(word for test in tests for word in test.words)
    return [Choice({"processor.architecture": word}, "machine") for word in (*words, OTHER)]


ARCHITECTURE = Key(
    "architecture", "words", "one of", "processor.architecture",
    frozenset({"processor.architecture", "system.architecture", "system.os_bits"}),
    _evaluate_architecture, _architecture_choices, "the architecture",
    "What the processor runs natively; x86-64 also runs x86. A program needs a system built for "
    "it, too.", '["x86-64", "arm64"]', "one of",
)  # fmt: skip

# --- virtualization ------------------------------------------------------------------------


def evaluate_ability(reading: ReadingKey) -> Any:
    """How words of rising order are held: none, able, on."""

    def evaluate(bound: Bound, view: View) -> Evaluation:
        word = view[reading]
        if word not in ABILITY:
            return Evaluation("unknown", None, None, reading, (reading,))
        return Evaluation(
            "met" if bound.holds(ABILITY.index(word)) else "short", word, None, reading
        )

    return evaluate


def _virtualization_choices(tests: list[Any], view: View) -> Iterable[Choice]:
    none = view["processor.virtualization"] == "none"
    for word in ABILITY:
        kind = processor_fix(view) if none and word != "none" else "setting"
        yield Choice({"processor.virtualization": word}, kind)


VIRTUALIZATION = Key(
    "virtualization", "ability", AT_LEAST, "processor.virtualization",
    frozenset({"processor.virtualization"}), evaluate_ability("processor.virtualization"),
    _virtualization_choices, "virtualization",
    "Able is enough where the publisher asks for able; where the processor can, a setting of the "
    "firmware turns it on.", '"able"', 'or "on"', PROCESSOR_MENDS,
)  # fmt: skip
