"""Modules and positions in a sentence: kits, what is soldered, what is free."""

import re

from msgspec import structs

from tallcheck.core.machine.sheet import Module
from tallcheck.core.text.items import Item
from tallcheck.core.text.sentence import TAKEN, Match, Rule, Sentence
from tallcheck.core.values.quantities import GIB, parse_memory

_MODULES_MOST = 64
_MEMORY = "memory.installed"


def type_named(text: str) -> str:
    """The type of modules that a word or a rate names: ``DDR4-3200``, ``PC3L-12800S``."""
    plain = text.upper().partition("-")[0]
    if rate := re.fullmatch(r"PC(\d)(L?)", plain):
        plain = f"DDR{rate[1]}{rate[2]}"
    return {"DDR4L": "DDR4", "PC": "DDR", "PCL": "DDR"}.get(plain, plain)


# --- modules ----------------------------------------------------------------------------------


def _kit(sentence: Sentence, match: Match, sizes: list[int], fixed: bool | None = None) -> bool:
    """Modules in the place of what tells them; a total beside them stays."""
    if not 0 < len(sizes) <= _MODULES_MOST:
        return False
    return _put_kit(sentence, match, [Module(size=one, fixed=fixed) for one in sizes])


def _put_kit(sentence: Sentence, match: Match, modules: list[Module]) -> bool:
    at = match.start("kit")
    item = sentence.items[at]
    sentence.items[at] = Item("J", item.start, item.end, modules)
    sentence.recode(at, "J" + TAKEN * (match.end("kit") - at - 1))
    return False


def _times(sentence: Sentence, match: Match) -> bool:
    count = sentence.count(match.start("n"))
    if count is None or not 0 < count <= _MODULES_MOST:
        return False
    of_one = sentence.place(match, "s", "g")
    assert of_one is not None  # each rule has one of the two
    size = parse_memory(sentence.sized(of_one))
    if sentence.place(match, "all") is not None:
        size //= count
    return _kit(sentence, match, [size] * count)


def _added(sentence: Sentence, match: Match) -> bool:
    """``4GB + 8GB``, ``8+4 GB``, ``(8+4)``."""
    if sentence.is_about("storage"):
        return False
    start, end = match.span("kit")
    unit = "GB"
    for at in range(start, end):
        if sentence.codes[at] == "s":
            unit = str(sentence.value(at)).partition(" ")[2]
    sizes = []
    for at in range(start, end):
        if sentence.codes[at] in "sn":
            text = str(sentence.value(at))
            sizes.append(parse_memory(text if sentence.codes[at] == "s" else f"{text} {unit}"))
    return _kit(sentence, match, sizes)


def _whole_beside(sentence: Sentence, match: Match) -> bool:
    """``16 (2x8GB)``: the number in front is the total."""
    sizes = sentence.value(match.start("kit"))
    number = sentence.count(match.start("n"))
    if number is None or sum(one.size for one in sizes) != number * GIB:
        return False
    at = match.start("n")
    sentence.items[at].value = f"{number} GB"
    sentence.recode(at, "s")
    return False


def _bare_kit(sentence: Sentence, match: Match) -> bool:
    return sentence.asked == _MEMORY and _times(sentence, match)


def _soldered(sentence: Sentence, match: Match) -> bool:
    at = sentence.place(match, "s", "z")
    return at is not None and _kit(sentence, match, [parse_memory(sentence.sized(at))], True)


def _all_soldered(sentence: Sentence, match: Match) -> bool:
    modules = [structs.replace(one, fixed=True) for one in sentence.value(match.start("kit"))]
    sentence.take(match.start("kit") + 1, match.end())
    return _put_kit(sentence, match, modules)


def _beside_soldered(sentence: Sentence, match: Match) -> bool:
    """What is fitted beside what is soldered: one list of modules."""
    start, end = match.span("kit")
    modules: list[Module] = []
    for at in range(start, end):
        code, value = sentence.codes[at], sentence.value(at)
        if code == "J":
            modules += value
        elif code == "s":
            modules.append(Module(size=parse_memory(str(value))))
        elif code == "T" and modules:
            modules[-1] = structs.replace(modules[-1], type=type_named(str(value)))
    if not any(one.fixed for one in modules):
        return False
    return _put_kit(sentence, match, modules)


def _bare_sum(sentence: Sentence, match: Match) -> bool:
    return sentence.asked == _MEMORY and _added(sentence, match)


MODULES: tuple[Rule, ...] = (
    (r"(?P<kit>(?P<n>n)[xm][FE]*(?P<s>s)[E]?[m]?)(?!x)", _times),
    (r"(?P<kit>(?P<s>s)x(?P<n>n)m?)", _times),
    (r"(?P<kit>(?P<n>n)(?P<s>s)m)", _times),
    (r"(?P<kit>(?P<all>(?P<s>s)[OFTj]*\(?(?P<n>n)m\)?))", _times),
    (r"(?<=s)O?\((?P<kit>(?P<n>n)x(?P<g>n))\)", _times),
    (r"(?<=s)O?\((?P<kit>n(?:\+n)+)\)", _added),
    (r"(?<=s)(?P<kit>(?P<n>n)x(?P<g>n))(?!x)", _times),
    (r"(?P<kit>n(?:\+n)*\+s)", _added),
    (r"(?P<kit>sO?(?:\+sO?)+)(?![KBOf])", _added),
    (r"n\((?P<kit>(?P<n>n)x(?P<g>n))\)", _bare_kit), (r"^(?P<kit>n(?:\+n)+)$", _bare_sum),
    (r"(?P<kit>(?P<n>n)m[FE]*(?P<g>n))$", _bare_kit),
    (r"(?P<n>n)\((?P<kit>J)_*\)", _whole_beside),
    (r"(?P<kit>(?P<s>s)[,O]?B|B[:]?(?P<z>s))", _soldered),
    (r"(?P<kit>J)_*[,]?B", _all_soldered),
    (r"(?P<kit>[Js][_TOkj]*(?:[+&,]+[Js][_TOkj]*)+)", _beside_soldered),
    (r"^(?P<kit>(?P<n>n)x(?P<g>n))$", _bare_kit),
)  # fmt: skip

# --- positions --------------------------------------------------------------------------------


def _positions(sentence: Sentence, match: Match) -> bool:
    if match[0].startswith("(") and not sentence.is_about("memory"):
        return False
    if not match[0].startswith("(") and "k" not in match[0] and sentence.asked != "memory.slots":
        return False
    count = sentence.count(match.start("n"))
    if count is None:
        return False
    sentence.tell("memory.slots", count)
    _tell_filled(sentence, match, count)
    return True


def _tell_filled(sentence: Sentence, match: Match, slots: int) -> None:
    """``1 of 2 used``, ``both used``: what is filled, where nothing tells with what."""
    full = re.search("EU|Nk?f", match[0])
    some = slots if full else sentence.count(sentence.place(match, "some"))
    if some is None or some > slots or not 0 < slots <= _MODULES_MOST or "J" in sentence.codes:
        return
    filled = slots - some if "f" in match[0] and not full else some
    if filled and sentence.asked in (None, "memory.slots"):
        modules = [*[Module()] * filled, *[Module(size=0)] * (slots - filled)]
        sentence.told.setdefault("memory.modules", modules)


def _empty(sentence: Sentence, match: Match) -> bool:
    """Positions that are free: told of the memory's modules, where these are told."""
    number = sentence.place(match, "n", "m")
    word = None if number is None else sentence.items[number].word
    which = word is not None and "ordinal" in word.senses
    count = 1 if number is None or which else sentence.count(number)
    if match[0].startswith("N"):
        count = 0
    if count is None or "J" not in sentence.codes:
        return False
    sentence.told["empty"] = count
    return True


SLOTS: tuple[Rule, ...] = (
    (r"\(n[F/](?P<n>n)\)", _positions), (r"(?P<n>n)k[,;(]*(?:E?U|Nk?fk?)\)?", _positions),
    (r"(?P<some>n)k?[uUf]?[F/](?P<n>n)k?[uUf]?", _positions),
    (r"(?P<n>n)k?[,;(]+(?P<some>n)k?[Uf]\)?", _positions),
    (r"(?P<n>n)(?:fk|kf)|kf|fk|Nf?k|(?<=J)[_,;(]*(?P<m>n)f(?![a-zA-Z])", _empty),
    (r"(?P<n>n)k(?!f)", _positions), (r"k[:=]?(?P<n>n)", _positions),
)  # fmt: skip
