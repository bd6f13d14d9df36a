"""Memory, drives and their sizes in a statement: whose a figure is, and what is said of it."""

import re
from typing import Any

from msgspec import structs

from tallcheck.core.machine.readings import kind_of
from tallcheck.core.machine.sheet import Graphics, Kit, Module
from tallcheck.core.text.items import Item
from tallcheck.core.text.statement import (
    Rule,
    Sentence,
    _Match,
    passed,
)
from tallcheck.core.values.quantities import FREE_RANGE, GIB, MIB, parse_memory, parse_storage

_MODULES_MOST = 64
_MEMORY, _USABLE, _AVAILABLE = "memory.installed", "memory.usable", "memory.available"
_DRIVE, _FREE, _VOLUME = "storage.drive", "storage.free", "storage.size"
_TYPICAL_DRIVES = re.compile(
    r"(?i)(?:120|128|240|250|256|480|500|512|960|1000|1024)\s*g\w*|[1248]\s*t\w*"
)


def can_be_fitted(size: int) -> bool:
    """Whether modules can add up to a size: steps of 512 MB up to 3 GB, whole GB above."""
    return size % (512 * MIB if size <= 3 * GIB else GIB) == 0


def names_drive(words: str) -> bool:
    """Whether words beside a drive's size may be its maker's and model's: "Osier MZ512-L7"."""
    several = words.split()
    plain = all(
        re.fullmatch(r"(?!\d{1,2}$)(?=.*[A-Z0-9])[^\W_][\w+./-]*", one) for one in several
    )
    coded = any(re.fullmatch(r"(?=.*\d)(?=.*[A-Za-z])[\w-]{5,}", one) for one in several)
    return plain and len(several) <= 8 and (coded or several[0][0].isupper())


# --- modules ----------------------------------------------------------------------------------


def _kit(
    sentence: Sentence, match: _Match, sizes: list[int], fixed: bool | None = None
) -> bool:
    """Modules in the place of what tells them; a total beside them stays."""
    if not 0 < len(sizes) <= _MODULES_MOST:
        return False
    return _put_kit(sentence, match, [Module(size=one, fixed=fixed) for one in sizes])


def _put_kit(sentence: Sentence, match: _Match, modules: list[Module]) -> bool:
    at = match.start("kit")
    item = sentence.items[at]
    sentence.items[at] = Item("J", item.start, item.end, modules)
    sentence.take(at, match.end("kit"))
    sentence.codes = sentence.codes[:at] + "J" + sentence.codes[at + 1 :]
    return False


def _of_memory(sentence: Sentence) -> bool:
    return not sentence.is_about("storage")


def _times(sentence: Sentence, match: _Match) -> bool:
    count = sentence.count(match.start("n"))
    if count is None or not 0 < count <= _MODULES_MOST:
        return False
    groups = match.groupdict()
    if groups.get("s"):
        text = str(sentence.value(match.start("s")))
    else:
        text = f"{sentence.value(match.start('g'))} GB"
    size = parse_memory(text)
    if groups.get("all"):
        return _kit(sentence, match, [size // count] * count)
    return _kit(sentence, match, [size] * count)


def _added(sentence: Sentence, match: _Match) -> bool:
    """``4GB + 8GB``, ``8+4 GB``, ``(8+4)``."""
    if not _of_memory(sentence):
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


def _whole_beside(sentence: Sentence, match: _Match) -> bool:
    """``16 (2x8GB)``: the number in front is the total."""
    sizes = sentence.value(match.start("kit"))
    number = sentence.count(match.start("n"))
    if number is None or sum(one.size for one in sizes) != number * GIB:
        return False
    at = match.start("n")
    sentence.items[at].value = f"{number} GB"
    sentence.codes = sentence.codes[:at] + "s" + sentence.codes[at + 1 :]
    return False


def _bare_kit(sentence: Sentence, match: _Match) -> bool:
    return sentence.asked == _MEMORY and _times(sentence, match)


def _soldered(sentence: Sentence, match: _Match) -> bool:
    at = match.start("s") if match["s"] else match.start("z")
    return _kit(sentence, match, [parse_memory(str(sentence.value(at)))], True)


def _all_soldered(sentence: Sentence, match: _Match) -> bool:
    modules = [structs.replace(one, fixed=True) for one in sentence.value(match.start("kit"))]
    sentence.take(match.start("kit") + 1, match.end())
    return _put_kit(sentence, match, modules)


def _beside_soldered(sentence: Sentence, match: _Match) -> bool:
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


_MODULES: tuple[Rule, ...] = (
    (r"(?P<kit>(?P<n>n)[xm][FE]*(?P<s>s)[E]?[m]?)(?!x)", _times),
    (r"(?P<kit>(?P<s>s)x(?P<n>n)m?)", _times),
    (r"(?P<kit>(?P<n>n)(?P<s>s)m)", _times),
    (r"(?P<kit>(?P<all>(?P<s>s)[OFT]*\(?(?P<n>n)m\)?))", _times),
    (r"(?<=s)O?\((?P<kit>(?P<n>n)x(?P<g>n))\)", _times),
    (r"(?<=s)O?\((?P<kit>n(?:\+n)+)\)", _added),
    (r"(?<=s)(?P<kit>(?P<n>n)x(?P<g>n))(?!x)", _times),
    (r"(?P<kit>n(?:\+n)*\+s)", _added),
    (r"(?P<kit>sO?(?:\+sO?)+)(?![KBOf])", _added),
    (r"(?P<n>n)\((?P<kit>J)_*\)", _whole_beside),
    (r"(?P<kit>(?P<s>s)[,O]?B|B[:]?(?P<z>s))", _soldered),
    (r"(?P<kit>J)_*[,]?B", _all_soldered),
    (r"(?P<kit>[Js][_TOk]*(?:[+&,]+[Js][_TOk]*)+)", _beside_soldered),
    (r"^(?P<kit>(?P<n>n)x(?P<g>n))$", _bare_kit),
)  # fmt: skip

# --- positions --------------------------------------------------------------------------------


def _positions(sentence: Sentence, match: _Match) -> bool:
    if "k" not in match[0] and sentence.asked != "memory.slots":
        return False
    count = sentence.count(match.start("n"))
    if count is None:
        return False
    sentence.tell("memory.slots", count)
    return True


def _empty(sentence: Sentence, match: _Match) -> bool:
    """Positions that are free: told of the memory's modules, where these are told."""
    number = next((one for one in ("n", "m") if match.groupdict().get(one)), None)
    count = sentence.count(match.start(number)) if number else 1
    if match[0].startswith("N"):
        count = 0
    if count is None or "J" not in sentence.codes:
        return False
    sentence.told["empty"] = count
    return True


_SLOTS: tuple[Rule, ...] = (
    (r"nk?[uUf]?[F/](?P<n>n)k?[uUf]?", _positions),
    (r"(?P<n>n)k?[,;(]+nk?[Uf]\)?", _positions),
    (r"(?P<n>n)(?:fk|kf)|kf|fk|Nf?k|(?<=J)[_,;(]*(?P<m>n)f(?![a-zA-Z])", _empty),
    (r"(?P<n>n)k(?!f)", _positions), (r"k[:=]?(?P<n>n)", _positions),
)  # fmt: skip

# --- sizes ------------------------------------------------------------------------------------


def _size(sentence: Sentence, at: int, kind: str) -> int:
    text = str(sentence.value(at))
    if sentence.codes[at] == "n":
        text = f"{text} GB"
    return parse_storage(text) if kind == "storage" else parse_memory(text)


def _usable(sentence: Sentence, match: _Match) -> bool:
    at = match.start("s") if match["s"] else match.start("z")
    sentence.tell(_USABLE, _size(sentence, at, "memory"))
    return True


def _drives(sentence: Sentence) -> bool:
    """Whether a statement is of a drive: asked, or by a word or a letter of one."""
    of_drive = any(
        item.code in "KO" and str(item.word and item.word.senses.get("owner") or _DRIVE).startswith("storage")
        for item in sentence.items
    )
    return sentence.is_about("storage") or of_drive or "D" in sentence.codes


def _memory_only(sentence: Sentence) -> bool:
    owned = [item for item in sentence.items if item.code == "O"]
    by_noun = bool(owned) and all(str(one.value).startswith("memory") for one in owned)
    sizes = sum(code in "sJ" for code in "".join(item.code for item in sentence.items))
    return not _drives(sentence) and (sentence.is_about("memory") or (by_noun and sizes < 2))


def _free(sentence: Sentence, match: _Match) -> bool:
    groups = match.groupdict()
    at = match.start("s")
    if sentence.codes[at] == "n" and not _drives(sentence):
        return False
    if _memory_only(sentence) or sentence.codes[match.end() : match.end() + 1] == "O" and (
        sentence.items[match.end()].value == _MEMORY
    ):
        sentence.tell(_AVAILABLE, _size(sentence, at, "memory"))
        return not groups.get("of")
    free = parse_storage(f"{sentence.value(at)}{' GB' if sentence.codes[at] == 'n' else ''}", FREE_RANGE)
    alone = groups.get("of") is None and sentence.asked is None and not _drives(sentence)
    if alone and _may_be_of_memory(sentence, at):
        return False
    if groups.get("of") is not None:
        free, whole = sorted((free, _size(sentence, match.start("of"), "storage")))
        _tell_drive(sentence, whole)
    sentence.tell(_FREE, free)
    return True


def _may_be_of_memory(sentence: Sentence, at: int) -> bool:
    """Whether what is free is no more than another size, which may be the memory's."""
    others = [i for i, item in enumerate(sentence.items) if item.code == "s" and i != at]
    free = _size(sentence, at, "memory")
    return any(_size(sentence, i, "memory") >= free for i in others)


def _tell_drive(sentence: Sentence, size: int) -> None:
    volume = "D" in sentence.codes or sentence.asked == _VOLUME
    sentence.tell(_VOLUME if volume else _DRIVE, size)


def _kind(sentence: Sentence, match: _Match) -> bool:
    """The kind of a drive, with its size beside it."""
    for at in range(*match.span()):
        if sentence.codes[at] == "K":
            sentence.tell("storage.kind", sentence.value(at))
    at = match.start("s") if match.groupdict().get("s") else None
    if at is None:
        return True
    if sentence.codes[at] == "J":
        sentence.take(at, at + 1)  # several alike: which of them holds the system is not said
        return True
    if sentence.codes[at] == "n" and len(str(sentence.value(at))) not in (3, 4):
        return False
    _tell_drive(sentence, _size(sentence, at, "storage"))
    return True


def _owned(sentence: Sentence, match: _Match) -> bool:
    """A size beside the word for what it is the size of."""
    at = match.start("s")
    owner = sentence.items[match.start("o")]
    key = str(owner.value)
    if sentence.codes[at] == "J":
        if key != _MEMORY:
            return False
        sentence.take(match.start("o"), match.end("o"))
        return False
    if key == _MEMORY:
        _tell_memory(sentence, _size(sentence, at, "memory"))
    elif key == _DRIVE:
        _tell_drive(sentence, _size(sentence, at, "storage"))
    else:
        sentence.tell(key, _size(sentence, at, kind_of(key)))
    return True


def _most(sentence: Sentence, match: _Match) -> bool:
    """``max. 16 GB``: what may be fitted, where it is of the memory."""
    if _drives(sentence) and not any(one.value == _MEMORY for one in sentence.items):
        return False
    if sentence.asked not in (None, _MEMORY, "memory.ceiling"):
        return False
    sentence.tell("memory.ceiling", _size(sentence, match.start("s"), "memory"))
    return True


def _tell_memory(sentence: Sentence, size: int) -> None:
    """A figure that modules cannot add up to is what is usable; what is fitted follows from it."""
    likely = can_be_fitted(size) or size < 64 * MIB or "J" in sentence.codes
    sentence.tell(_MEMORY, size) if likely else sentence.told.setdefault(_USABLE, size)


def _alone(sentence: Sentence, match: _Match) -> bool:
    """A size beside no word of what it is the size of."""
    at = match.start("s")
    asked, told = sentence.asked, sentence.told
    others = sentence.codes.count("s") > 1
    if asked is not None and not sentence.is_about("memory.i") and kind_of_asked(asked) in ("memory", "storage"):
        key = asked
        if key == _DRIVE:
            _tell_drive(sentence, _size(sentence, at, "storage"))
        else:
            sentence.tell(key, _size(sentence, at, kind_of_asked(asked)))
        return True
    if asked == "graphics":
        sentence.tell("graphics.memory", _size(sentence, at, "memory"))
        return True
    if asked is None and others and _TYPICAL_DRIVES.fullmatch(str(sentence.value(at))) and _DRIVE not in told:
        later = [i for i, code in enumerate(sentence.codes) if code == "s" and i != at]
        if all(_size(sentence, i, "storage") < _size(sentence, at, "storage") for i in later):
            _tell_drive(sentence, _size(sentence, at, "storage"))
            return True
    size = _size(sentence, at, "memory")
    kits = [sum(one.size for one in item.value) for item in sentence.items if item.code == "J"]
    if size in kits:
        _tell_memory(sentence, size)
        return True
    if asked is None and (sentence.page or sentence.codes[at + 1 : at + 2] == "Z"):
        return False  # of what is not known, it may be
    if asked is None and (_MEMORY in told or kits) and _DRIVE not in told:
        if _TYPICAL_DRIVES.fullmatch(str(sentence.value(at))):
            _tell_drive(sentence, _size(sentence, at, "storage"))
            return True
        return False
    if _MEMORY in told and told[_MEMORY] != size:
        told[_MEMORY], sentence.open = None, True
        return False
    _tell_memory(sentence, size)
    return True


def kind_of_asked(asked: str) -> str:
    """The kind of value that was asked for; none of a text that tells two things."""
    return kind_of(asked) if "." in asked or asked == "display" else ""


def _modules(sentence: Sentence, match: _Match) -> bool:
    kind = _kind_of_modules(sentence)
    modules = [structs.replace(one, **kind) for one in sentence.value(match.start())]
    empty = sentence.told.pop("empty", None)
    sentence.told["memory.modules"] = (
        Kit(modules) if empty is None else [*modules, *[Module(size=0)] * empty]
    )
    return True


def _kind_of_modules(sentence: Sentence) -> dict[str, Any]:
    for at, code in enumerate(sentence.codes):
        if code == "T":
            return {"type": type_named(str(sentence.value(at)))}
    return {}


def type_named(text: str) -> str:
    """The type of modules that a word or a rate names: ``DDR4-3200``, ``PC3L-12800S``."""
    plain = text.upper().partition("-")[0]
    if rate := re.fullmatch(r"PC(\d)(L?)", plain):
        plain = f"DDR{rate[1]}{rate[2]}"
    return {"DDR4L": "DDR4", "PC": "DDR", "PCL": "DDR"}.get(plain, plain)


def _type(sentence: Sentence, match: _Match) -> bool:
    if "memory.modules" not in sentence.told and any(
        one in sentence.told for one in (_MEMORY, _USABLE, "memory.slots")
    ):
        sentence.told["extra.memory_type"] = type_named(str(sentence.value(match.start())))
    elif sentence.asked == "extra.memory_type":
        sentence.told[sentence.asked] = type_named(str(sentence.value(match.start())))
    return True


def _in_bytes(sentence: Sentence, match: _Match) -> bool:
    """The size before, once more and to the byte."""
    return str(sentence.value(match.start("s"))).endswith("bytes")


_SIZES: tuple[Rule, ...] = (
    (r"\(?(?P<s>[sn])[(]?u\)?|u:?(?P<z>s)", _usable),
    (r"n/s", passed), (r"(?<=s)\((?P<s>s)\)", _in_bytes), (r"[~]?sC|C[:]?s|[,(]*sV\)?", passed),
    (r"(?P<s>[sn])f[F/]*(?P<of>s)", _free), (r"(?P<of>s)F(?P<s>s)f", _free),
    (r"(?P<s>[sn])f", _free),
    (r"fK?:?(?P<s>s)", _free),
    (r"%U?", passed), (r"sU", passed),
    (r"\(?M+[:]?(?P<s>s)(?:O)?\)?", _most), (r"\(?(?P<s>s)M\)?", _most),
)


def _by_owner(sentence: Sentence, match: _Match) -> bool:
    """Sizes and the words beside them in one clause: which stands first leads all of it."""
    clause = match[0]
    first = re.search(r"[sJnOK]", clause)
    leading = (r"(?P<o>O)[:=F(]*(?P<s>[sJ])", _owned), (r"K+[:=]?(?P<s>[sJn])(?!K)", _kind)
    trailing = (r"(?P<s>[sJ])[TFB_]*(?P<o>O)", _owned), (r"(?P<s>[sJn])[_TO]*K+", _kind)
    order = (*leading, *trailing) if first and first[0] in "OK" else (*trailing, *leading)
    for pattern, handler in order:
        for inner in sentence.matches(pattern):
            if match.start() <= inner.start() < match.end() and handler(sentence, inner):
                sentence.take(*inner.span())
    return False


def _adapter(sentence: Sentence, match: _Match) -> bool:
    """A graphics adapter by its name, with its memory."""
    groups = match.groupdict()
    at = next((match.start(one) for one in ("s", "z") if groups.get(one)), None)
    memory = None if at is None else _size(sentence, at, "memory")
    name = " ".join(sentence.written(match.start("G")).split())
    sentence.told.setdefault("graphics", [Graphics(name, memory)])
    return True


def _memory_and_drive(sentence: Sentence, match: _Match) -> bool:
    """``8/256`` behind a machine's name: memory and drive, in GB, as shops write them."""
    first, second = (
        next(match.start(one) for one in names if match[one] is not None)
        for names in (("n", "n2"), ("m", "m2"))
    )
    memory, drive = sentence.count(first), sentence.count(second)
    if memory is None or drive is None or not (2 <= memory <= 64 <= drive <= 2048):
        return False
    sentence.tell(_MEMORY, memory * GIB)
    sentence.tell(_DRIVE, drive * 10**9)
    return True


AMOUNTS: tuple[Rule, ...] = (
    (r"(?P<s>s)[_]*(?P<G>G)[(,]*(?!s)", _adapter), (r"(?P<G>G)[(,]*(?P<z>s)\)?", _adapter),
    (r"(?P<G>G)", _adapter),
    *_MODULES, *_SLOTS, *_SIZES,
    (r"^_*P_*(?P<n>n)/(?P<m>n)|(?<=_)(?P<n2>n)/(?P<m2>n)$", _memory_and_drive),
    (r"[^,;&.]+", _by_owner),
    (r"K+", _kind),
    (r"(?P<s>s)", _alone),
    (r"J", _modules),
    (r"T", _type),
    (r"\([Zn.,:/&-]*Z[Zn.,:/&-]*\)", passed),
)  # fmt: skip
