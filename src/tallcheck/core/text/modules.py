"""Memory modules and positions in a sentence."""

import re

from msgspec import structs

from tallcheck.core.machine.modules import ANY_TYPE, check_module_size
from tallcheck.core.machine.sheet import Kit, Module
from tallcheck.core.text.items import Item
from tallcheck.core.text.sentence import TAKEN, Match, Rule, Sentence
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.quantities import GIB, parse_memory

_MODULES_MOST = 64
_MEMORY, _FITTED = "memory.installed", "memory.modules"


def type_named(text: str) -> str:
    """The type of modules that a word or a rate names: ``DDR4-3200``, ``PC3L-12800S``."""
    plain = text.upper().partition("-")[0]
    if rate := re.fullmatch(r"PC(\d)(L?)", plain):
        plain = f"DDR{rate[1]}{rate[2]}"
    return {"DDR4L": "DDR4", "PC": "DDR", "PCL": "DDR"}.get(plain, plain)


# --- modules ----------------------------------------------------------------------------------


def _kit(sentence: Sentence, match: Match, sizes: list[int]) -> bool:
    """Modules in the place of what tells them; a total beside them stays."""
    if not 0 < len(sizes) <= _MODULES_MOST:
        return False
    return _put_kit(sentence, match, [Module(size=one) for one in sizes])


_APART = 16
"""How often the largest of modules holds the smallest, where the one is not a drive's."""


def _put_kit(sentence: Sentence, match: Match, modules: list[Module]) -> bool:
    sizes = [one.size for one in modules if one.size]
    if sizes and _APART * min(sizes) <= max(sizes):
        return False
    at = match.start("kit")
    item = sentence.items[at]
    sentence.items[at] = Item("J", item.start, item.end, modules)
    sentence.recode(at, "J" + TAKEN * (match.end("kit") - at - 1))
    return False


def _times(sentence: Sentence, match: Match) -> bool:
    at = sentence.place(match, "n")
    word = None if at is None else sentence.items[at].word
    if word is not None and "ordinal" in word.senses:
        sentence.take(*match.span("kit"))  # of the second one alone
        return False
    count = 1 if at is None else sentence.count(at)
    if count is None or not 0 < count <= _MODULES_MOST:
        return False
    of_one = sentence.place(match, "s", "g")
    assert of_one is not None  # each rule has one of the two
    size = parse_memory(sentence.sized(of_one))
    if sentence.place(match, "all") is not None:
        size //= count
    if not _is_sold(size):
        sentence.take(*match.span("kit"))  # drives, or a number that is no size
        return False
    return _kit(sentence, match, [size] * count)


def _in_positions(sentence: Sentence, match: Match) -> bool:
    """``four slots with 2 GB in each``, ``2 of the 4 slots hold 4 GB modules``."""
    slots = sentence.count(match.start("slots"))
    some = sentence.count(sentence.place(match, "n", "slots"))
    if slots is None or some is None or not 0 < some <= slots <= _MODULES_MOST:
        return False
    sentence.tell("memory.slots", slots)
    return _kit(sentence, match, [parse_memory(sentence.sized(match.start("s")))] * some)


def _times_in_words(sentence: Sentence, match: Match) -> bool:
    """``two of 4 GB``: a figure there would be in use of it."""
    return sentence.items[match.start("n")].word is not None and _times(sentence, match)


def _is_sold(size: int) -> bool:
    """Whether there are modules of a size; larger, and odd ones are those of drives."""
    try:
        check_module_size(size)
    except InputError:
        return False
    return size <= ANY_TYPE[1]


def _of_memory(sentence: Sentence, match: Match) -> bool:
    """Whether no size is said to be of another thing: ``4 GB + 4 GB swap``."""
    return {*sentence.values(match, "O")} <= {_MEMORY}


def _added(sentence: Sentence, match: Match) -> bool:
    """``4GB + 8GB``, ``8+4 GB``, ``(8+4)``, ``2 sticks: 8 and 4``."""
    start, end = match.span("sizes" if "sizes" in match.groupdict() else "kit")
    if sentence.is_about("storage") or not _of_memory(sentence, match):
        return False
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


def _of_total(sentence: Sentence, match: Match) -> bool:
    """``8 GB in two modules of 4``: where the figures add up to the total."""
    number, each = (sentence.count(match.start(one)) for one in "ng")
    total = parse_memory(str(sentence.value(match.start("z"))))
    if number is None or each is None or number * each * GIB != total:
        return False
    return _kit(sentence, match, [each * GIB] * number)


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
    return sentence.asked in (_MEMORY, _FITTED) and _times(sentence, match)


def _asked_for(sentence: Sentence, match: Match) -> bool:
    """The one size where modules were asked for: that of each."""
    alone = sum(one.code == "s" for one in sentence.items) == 1
    return sentence.asked == _FITTED and alone and _times(sentence, match)


def _soldered(sentence: Sentence, match: Match) -> bool:
    at = sentence.place(match, "s", "z")
    assert at is not None  # the rule has one of the two
    kind = next((type_named(str(one)) for one in sentence.values(match, "T")), None)
    one = Module(size=parse_memory(sentence.sized(at)), type=kind, fixed=True)
    return _put_kit(sentence, match, [one])


def _all_soldered(sentence: Sentence, match: Match) -> bool:
    modules = [structs.replace(one, fixed=True) for one in sentence.value(match.start("kit"))]
    sentence.take(match.start("kit") + 1, match.end())
    return _put_kit(sentence, match, modules)


def _beside_soldered(sentence: Sentence, match: Match) -> bool:
    """What is fitted beside what is soldered: one list of modules."""
    if not _of_memory(sentence, match):
        return False
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
    marks = {*sentence.codes[start:end]} & {*"s+&,"}
    added = "s" not in marks or (marks == {*"s+"} and not sentence.is_about("storage"))
    if not added and not any(one.fixed for one in modules):
        return False
    return _put_kit(sentence, match, modules)


def _bare_sum(sentence: Sentence, match: Match) -> bool:
    return sentence.asked in (_MEMORY, _FITTED) and _added(sentence, match)


def _of_the_size(sentence: Sentence, match: Match) -> bool:
    """``12 GB (4 soldered + 8)``: numbers in a sum behind a size are of its unit."""
    unit = str(sentence.value(match.start("s"))).partition(" ")[2]
    for at in range(*match.span("sum")):
        if sentence.codes[at] == "n" and sentence.codes[at + 1] != "x":
            sentence.items[at].value = f"{sentence.value(at)} {unit}"
            sentence.recode(at, "s")
    return False


_KIND = r"(?:[_TOkjm]|\(k\))*"
MODULES: tuple[Rule, ...] = (
    (r"(?P<s>s)O?\((?P<sum>(?:(?:nx)?n[BmTj]*\+)+(?:nx)?n[BmTj]*)\)", _of_the_size),
    (r"(?P<kit>(?P<n>n)[xm](?:&?E|F)*(?P<s>s)[E]?[m]?)(?!x)", _times),
    (r"(?P<kit>(?:(?P<n>n)F)?(?P<slots>n)k[&U]?(?P<s>s)[Em]+)", _in_positions),
    (r"(?P<kit>(?P<slots>n)k[&,]?E(?P<s>s))", _in_positions),
    (r"(?P<kit>(?P<n>n)m?&(?P<s>s)E)", _times), (r"(?P<kit>(?P<n>n)F(?P<s>s))", _times_in_words),
    (r"(?P<kit>(?P<s>s)[_Tj(]*x(?P<n>n)m?)\)?", _times),
    (r"(?P<kit>(?P<n>n)(?P<s>s)-?m)", _times), (r"(?P<kit>(?P<n>n)kU[Zx&]?(?P<s>s)m)", _times),
    (r"(?P<kit>(?P<all>(?P<s>s)[OFTj_]*[,(&]?(?P<n>n)(?:m|j(?=\)))\)?(?![FE]*[ns])))", _times),
    (r"(?<=[sTj])O?\((?P<kit>(?P<n>n)(?:x|m[FE]*)(?P<g>n)[jTE]*)\)", _times),
    (r"(?<=s)(?P<kit>(?P<n>n)x(?P<g>n))(?!x)", _times),
    (r"(?P<kit>n?m:(?P<sizes>[sn](?:[,&+/]+[sn])+))(?![A-Za-z])", _added),
    (r"(?P<kit>n(?:\+n)*\+s)", _added),
    (r"(?P<kit>sO?(?:\+sO?)+)(?![KBOf])", _added),
    (r"n\((?P<kit>(?P<n>n)x(?P<g>n))\)", _bare_kit), (r"^(?P<kit>n(?:\+n)+)$", _bare_sum),
    (r"(?P<kit>(?P<n>n)m[FE]*(?P<g>n))$", _bare_kit),
    (r"(?P<z>s)O?[,(&]?(?P<kit>(?P<n>n)m[FE]*(?P<g>n))\)?", _of_total),
    (r"(?P<n>n)\((?P<kit>J)_*\)", _whole_beside),
    (r"(?P<kit>(?P<s>s)(?:(?:F?O|T|,)?B|\(B\))|B[:]?(?P<z>s))", _soldered),
    (r"(?P<kit>J)_*[,]?B", _all_soldered),
    (rf"(?P<kit>[Js]{_KIND}(?:[+&,]+[Js]{_KIND})+)(?![_TOkjmKf])", _beside_soldered),
    (r"^(?P<kit>(?P<n>n)x(?P<g>n))$", _bare_kit),
    (r"(?P<kit>(?P<n>n)?(?P<s>s))", _asked_for),
)  # fmt: skip

# --- positions --------------------------------------------------------------------------------

_FREE, _FILLED = "free positions", "filled positions"
"""What is told of positions until all of the sentence is read."""


def _of_positions(sentence: Sentence, match: Match) -> bool:
    """Whether numbers count positions: by their word, or because these were asked for."""
    if "k" in match[0] or sentence.asked == "memory.slots":
        return True
    return match[0].startswith("(") and sentence.is_about("memory")


def _positions(sentence: Sentence, match: Match) -> bool:
    count = sentence.count(sentence.place(match, "n", "m"))
    if count is None or not _of_positions(sentence, match):
        return False
    sentence.tell("memory.slots", count)
    return True


def _of_all(sentence: Sentence, match: Match) -> bool:
    """``2, one free``: a number alone in front, where positions were asked for."""
    return sentence.asked == "memory.slots" and _positions(sentence, match)


def _some_of(sentence: Sentence, match: Match) -> bool:
    """``1 of 2 used``, ``2 of 4 free``; what nothing is said of is in use."""
    some, whole = (sentence.count(match.start(one)) for one in ("some", "n"))
    if (some or 0) > (whole or 0) or not _positions(sentence, match):
        return False  # which of the two is which is not said
    if some is not None:
        sentence.told[_FREE if "f" in match[0] else _FILLED] = some
    return True


def _both_parts(sentence: Sentence, match: Match) -> bool:
    """``2 slots used, 2 free``."""
    counts = [sentence.count(match.start(one)) for one in ("used", "free")]
    if None in counts or not _of_positions(sentence, match):
        return False
    sentence.told[_FILLED], sentence.told[_FREE] = counts
    return True


def _part(sentence: Sentence, match: Match) -> bool:
    """How many are free, or in use: of the memory's modules where positions are not named."""
    at = sentence.place(match, "n", "m")
    modules = "J" in sentence.codes and ("k" in match[0] or match[0][0] in ",;(")
    if not modules and "memory.slots" not in sentence.told and sentence.asked != "memory.slots":
        return "k" in match[0] and "s" in sentence.codes  # of how many is not said
    word = None if at is None else sentence.items[at].word
    which = word is not None and "ordinal" in word.senses
    count = 1 if at is None or which else sentence.count(at)
    if count is None or ("k" not in match[0] and count > _MODULES_MOST):
        return False
    sentence.told[_FREE if "f" in match[0] else _FILLED] = 0 if "N" in match[0] else count
    return True


def _all_filled(sentence: Sentence, match: Match) -> bool:
    if not (_of_positions(sentence, match) or "memory.slots" in sentence.told):
        return False
    sentence.told[_FREE] = 0
    return True


def _none(sentence: Sentence, match: Match) -> bool:
    """``no slots``: all is soldered."""
    if sentence.asked == "memory.slots":
        sentence.tell("memory.slots", 0)
    return True


def _filled(sentence: Sentence, match: Match) -> bool:
    """What is told of positions, put together: with nothing known of the modules there."""
    free, filled = sentence.told.get(_FREE), sentence.told.pop(_FILLED, None)
    slots = sentence.told.get("memory.slots")
    if slots is None and filled is not None and free is not None:
        slots = free + filled
        sentence.tell("memory.slots", slots)
    elif slots is None and filled is not None and sentence.asked == "memory.slots":
        sentence.tell("memory.slots", filled)  # which is what was asked for
    if "J" in sentence.codes:
        return False  # what is free goes with the modules that are told
    sentence.told.pop(_FREE, None)
    about = sentence.asked in (None, "memory.slots", _MEMORY)
    if slots is None or slots > _MODULES_MOST or not about:
        return False
    filled = slots - free if filled is None and free is not None else filled
    if filled and filled <= slots:
        modules = [*[Module()] * filled, *[Module(size=0)] * (slots - filled)]
        sentence.told.setdefault(_FITTED, modules)
    return False


def modules_told(sentence: Sentence, match: Match) -> bool:
    """Modules that are told are what is there, but where it is asked what the board takes."""
    asked, modules = sentence.asked, sentence.value(match.start())
    if asked in ("memory.ceiling", "memory.position_most"):
        sizes = [one.size or 0 for one in modules]
        sentence.told.setdefault(asked, sum(sizes) if asked == "memory.ceiling" else max(sizes))
        return True
    kind = next((sentence.value(at) for at, one in enumerate(sentence.codes) if one == "T"), None)
    if kind is not None:
        modules = [structs.replace(one, type=type_named(str(kind))) for one in modules]
    empty: int | None = sentence.told.pop(_FREE, None)  # beside the modules, taken once
    sentence.tell(_FITTED, Kit(modules) if empty is None else [*modules, *[Module(size=0)] * empty])
    return True


def type_told(sentence: Sentence, match: Match) -> bool:
    """The type of the memory, where no module is told that has it."""
    if "memory.modules" not in sentence.told and any(
        one in sentence.told for one in (_MEMORY, "memory.usable", "memory.slots")
    ):
        sentence.told["extra.memory_type"] = type_named(str(sentence.value(match.start())))
    elif sentence.asked == "extra.memory_type":
        sentence.told[sentence.asked] = type_named(str(sentence.value(match.start())))
    return True


_FORMS = {"sodimm": "SODIMM", "udimm": "DIMM", "rdimm": "DIMM", "lrdimm": "DIMM", "dimm": "DIMM"}


def form_told(sentence: Sentence, match: Match) -> bool:
    """The form of the memory's modules, beside the memory."""
    if sentence.is_about("memory") or _MEMORY in sentence.told:
        plain = str(sentence.value(match.start())).replace("-", "")
        sentence.told["extra.memory_form"] = _FORMS.get(plain, "CAMM")
    return True


SLOTS: tuple[Rule, ...] = (
    (r"(?P<used>n)(?:k?U|Uk)[,;&]*(?P<free>n)(?:k?f|fk)", _both_parts),
    (r"(?P<free>n)(?:k?f|fk)[,;&]*(?P<used>n)(?:k?U|Uk)", _both_parts),
    (r"(?:k?[Uf]?[:=]?)?\(?(?P<some>n)(?:k?[Uf]?|[Uf]k)[F/](?P<n>n)k?[uUf]?k?\)?", _some_of),
    (r"\(?(?=U|nnk[Uf])U?(?P<some>n)(?P<n>n)k[Uf]?\)?", _some_of),
    (r"(?<!x)(?P<n>n)j?[kj](?![fU])|(?<!f)k[:=]?(?P<m>n)(?![:&s])", _positions),
    (r"Nk(?!f)", _none),
    (r"Ek?U|(?<=k)[,;(]+U|(?<!n)kU", _all_filled), (r"^(?P<n>n)(?=[,;(])", _of_all),
    (r"^(?P<some>n)(?P<n>n)$", _some_of),
    (r"(?P<n>n)[ZjE]*(?:[fU]j?k|k[fU])|kf|fk|N[fk]f?k?|[,;(]*(?P<m>n)F?[fU]\)?|[,;(]+f(?![a-zA-Z])",
     _part),
    (r"^", _filled),
)  # fmt: skip
