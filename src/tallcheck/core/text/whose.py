"""Whose a size in a sentence is, the memory's or a drive's, and what is said of it."""

import re

from tallcheck.core.machine.amounts import can_be_fitted
from tallcheck.core.machine.readings import kind_of
from tallcheck.core.text.drives import (
    DRIVE,
    FREE,
    MEMORY,
    TYPICAL_DRIVES,
    VOLUME,
    kind_told,
    led_by_drive,
    likely_a_drive,
    of_drives,
    size_at,
    tell_drive,
    volume_told,
)
from tallcheck.core.text.modules import MODULES, SLOTS, form_told, modules_told, type_told
from tallcheck.core.text.names import ADAPTERS
from tallcheck.core.text.sentence import Match, Rule, Sentence, passed
from tallcheck.core.values.quantities import FREE_RANGE, GIB, MIB, parse_memory, parse_storage

_USABLE, _AVAILABLE, _VIDEO = "memory.usable", "memory.available", "graphics.memory"

# --- sizes ------------------------------------------------------------------------------------


def _usable(sentence: Sentence, match: Match) -> bool:
    at = sentence.place(match, "s", "z")
    if at is not None:
        sentence.tell(_USABLE, size_at(sentence, at, "memory"))
    return at is not None


def _both_sizes(sentence: Sentence, match: Match) -> bool:
    """``12,0 GB usable 11,9 GB``: what is fitted, and what is usable of it."""
    both = ("s", "z") if match["s"] else ("y", "x")
    usable, fitted = sorted(size_at(sentence, match.start(one), "memory") for one in both)
    sentence.tell(_USABLE, usable)
    _tell_memory(sentence, fitted)
    return True


def _by_memory(sentence: Sentence) -> bool:
    """Whether all that sizes are said to be of is the memory."""
    owned = [item for item in sentence.items if item.code == "O"]
    return bool(owned) and all(str(one.value).startswith("memory") for one in owned)


def _led_by_memory(sentence: Sentence, at: int) -> bool:
    """Whether the word for the memory stands right before a place."""
    return at > 0 and sentence.items[at - 1].value == MEMORY


def _memory_only(sentence: Sentence) -> bool:
    alone = sum(item.code in ("s", "J") for item in sentence.items) < 2 and _by_memory(sentence)
    return not of_drives(sentence) and (sentence.is_about("memory") or alone)


def _free(sentence: Sentence, match: Match) -> bool:
    at, of = match.start("s"), sentence.place(match, "of", "of2")
    bare = sentence.codes[at] == "n"
    if bare and sentence.items[at].word is not None:
        return False  # "two drive bays, one free"
    if bare and (not of_drives(sentence) or ("/" in match[0] and not _over(sentence, match))):
        return False
    if of is not None and VOLUME in sentence.told:
        return False  # the volume's size is told: what follows is another thing's
    if of is not None and not bare and _led_by_memory(sentence, match.start()):
        # "RAM 7.9 GB, free 3.1 GB"
        available, whole = sorted(size_at(sentence, one, "memory") for one in (at, of))
        sentence.tell(_AVAILABLE, available)
        _tell_memory(sentence, whole)
        return True
    behind = sentence.items[match.end()] if match.end() < len(sentence.items) else None
    if _memory_only(sentence) or (behind is not None and behind.value == MEMORY):
        sentence.tell(_AVAILABLE, size_at(sentence, at, "memory"))
        return of is None
    free = parse_storage(sentence.sized(at), FREE_RANGE)
    alone = of is None and sentence.asked is None and not of_drives(sentence)
    if alone and _may_be_of_memory(sentence, at):
        return False
    if of is not None:
        free, whole = sorted((free, size_at(sentence, of, "storage")))
        tell_drive(sentence, of, whole)
    sentence.tell(FREE, free)
    return True


def _free_asked(sentence: Sentence, match: Match) -> bool:
    """What is free of something, where just that was asked for."""
    return sentence.asked == FREE and _free(sentence, match)


def _may_be_of_memory(sentence: Sentence, at: int) -> bool:
    """Whether what is free is no more than another size, which may be the memory's."""
    others = [i for i, item in enumerate(sentence.items) if item.code == "s" and i != at]
    free = size_at(sentence, at, "memory")
    return any(size_at(sentence, i, "memory") >= free for i in others)


def _owned(sentence: Sentence, match: Match) -> bool:
    """A size beside the word for what it is the size of."""
    at = match.start("s")
    owner = sentence.items[match.start("o")]
    key = str(owner.value)
    clause = re.split(r"[,;.]", "".join(one.code for one in sentence.items[:at]))[-1]
    before = sentence.items[at - len(clause) : at]
    if key == MEMORY and "s" not in clause and any(one.value == _VIDEO for one in before):
        key = _VIDEO  # "GPU with 2 GB of memory"
    if "&" in match[0] and key != _VIDEO:
        return False
    if sentence.codes[at] == "J":
        if key != MEMORY:
            return False
        sentence.take(match.start("o"), match.end("o"))
        return False
    if key == MEMORY:
        _tell_memory(sentence, size_at(sentence, at, "memory"))
    elif key == DRIVE:
        tell_drive(sentence, at)
    else:
        sentence.tell(key, size_at(sentence, at, kind_of(key)))
    return True


def _used(sentence: Sentence, match: Match) -> bool:
    """How much is in use; of what is full the size is told."""
    word = sentence.items[sentence.place(match, "U", "V") or 0].word
    return word is None or "used" in word.senses


def _share_of(sentence: Sentence, match: Match) -> bool:
    """``20 % of 500 GB free``, ``memory 93 % of 8 GB in use``: the whole is told."""
    if of_drives(sentence):
        tell_drive(sentence, match.start("s"))
    elif _by_memory(sentence):
        _tell_memory(sentence, size_at(sentence, match.start("s"), "memory"))
    else:
        return False
    return True


def _of_position(sentence: Sentence, match: Match) -> bool:
    """``8 GB per slot``: the most that one position takes."""
    sentence.tell("memory.position_most", size_at(sentence, match.start("s"), "memory"))
    return True


def _most(sentence: Sentence, match: Match) -> bool:
    """``max. 16 GB``: what may be fitted, where it is of the memory; it is never what is there."""
    bare = sentence.codes[match.start("s")] == "n"
    named = any(one.value == MEMORY for one in sentence.items)
    known = named or any(one.code in "JkB" for one in sentence.items)
    if bare and sentence.asked != MEMORY and not (known and match.start()):
        return False
    of_memory = named or not of_drives(sentence)
    if of_memory and sentence.asked in (None, MEMORY, "memory.ceiling"):
        sentence.tell("memory.ceiling", size_at(sentence, match.start("s"), "memory"))
    return True


def _fitted_of_most(sentence: Sentence, match: Match) -> bool:
    """``max memory 32 GB, currently 8``: beside what may be fitted what is, in the same unit."""
    size = (sentence.count(match.start()) or 0) * GIB
    most = sentence.told.get("memory.ceiling") or 0
    if MEMORY in sentence.told or not 0 < size <= most or not can_be_fitted(size):
        return False
    _tell_memory(sentence, size)
    return True


def _bare_memory(sentence: Sentence, match: Match) -> bool:
    """``cpu i5 ram 8``: in a row of labels and values, in GB."""
    at = match.start("n")
    size = (sentence.count(at) or 0) * GIB
    in_row = bool(sentence.told) and _led_by_memory(sentence, at)
    if not in_row or not GIB < size <= _ALONE_MOST or not can_be_fitted(size):
        return False
    _tell_memory(sentence, size)
    return True


def _bare_free(sentence: Sentence, match: Match) -> bool:
    """``ssd 256 free 100``: in a row of labels and values, in GB."""
    if not of_drives(sentence) or not sentence.count(match.start("n")):
        return False
    sentence.told.setdefault(FREE, parse_storage(sentence.sized(match.start("n")), FREE_RANGE))
    return True


def _tell_memory(sentence: Sentence, size: int) -> None:
    """A figure that modules cannot add up to is what is usable; what is fitted follows from it."""
    likely = can_be_fitted(size) or size < 64 * MIB or "J" in sentence.codes
    sentence.tell(MEMORY, size) if likely else sentence.told.setdefault(_USABLE, size)


_LEAST, _ALONE_MOST = 16 * MIB, 192 * GIB
"""Less is no machine's memory, more may be a drive's: of what a size alone is, it does not say."""


def _alone(sentence: Sentence, match: Match) -> bool:
    """A size beside no word of what it is the size of."""
    at = match.start("s")
    key = _sized(sentence.asked)
    if key == FREE and FREE in sentence.told:
        if sentence.page:
            return False  # for another purpose
        key = DRIVE
    if key == _VIDEO and isinstance(sentence.told.get("graphics"), list):
        return False  # of another adapter, behind its name
    if key is not None and key != DRIVE:
        sentence.tell(key, size_at(sentence, at, kind_of(key)))
        return True
    kits = [sum(one.size for one in item.value) for item in sentence.items if item.code == "J"]
    if key is None and kits and size_at(sentence, at, "memory") in kits:
        _tell_memory(sentence, size_at(sentence, at, "memory"))
        return True
    if key == DRIVE or (sentence.asked is None and likely_a_drive(sentence, at)):
        tell_drive(sentence, at)
        return True
    size, told = size_at(sentence, at, "memory"), sentence.told
    if sentence.asked is None and not (_LEAST <= size <= _ALONE_MOST and _may_be_total(size)):
        return False
    # of what is not known, or of a second thing, it may be
    beside = sentence.page or sentence.codes[at + 1 : at + 2] == "Z" or MEMORY in told or kits
    word = sentence.written(at - 1) if sentence.codes[at - 1 : at] == "Z" else ""
    unknown = DRIVE in told and word.islower() and word.isalpha()
    unknown = unknown or re.search("[fU]:?$", sentence.codes[:at]) is not None
    if sentence.asked is None and (beside or unknown):
        return False
    if told.get(MEMORY, size) != size:
        told[MEMORY], sentence.open = None, True
        return False
    _tell_memory(sentence, size)
    return True


def _may_be_total(size: int) -> bool:
    """Whether modules are sold that add up to a size: much memory is of two sizes at most."""
    return size < 64 * GIB or (size // GIB).bit_count() <= 2


def _sized(asked: str | None) -> str | None:
    """The reading that a size alone answers, but for the memory, of which more can be said."""
    if asked == "graphics":
        return _VIDEO
    sized = asked is not None and "." in asked and kind_of(asked) in ("memory", "storage")
    return asked if sized and asked != MEMORY else None


_UNOWNED = 1.25
"""From which on a size is not what is usable of another, but in use of it: a memory or a drive."""


def _in_use(sentence: Sentence, match: Match) -> bool:
    """``4512MiB / 15928MiB``, ``Disk: 61 of 238 GB``: what is in use of what there is."""
    at, place = match.start("used"), match.start("s")
    whole, unit = size_at(sentence, place, "memory"), str(sentence.value(place)).partition(" ")[2]
    bare = sentence.codes[at] == "n"
    used = parse_memory(f"{sentence.value(at)} {unit}") if bare else size_at(sentence, at, "memory")
    other = bare and sentence.codes[at - 1 : at] == "Z" and "/" in match[0]
    if used >= whole or (other and not _over(sentence, match)):
        return False  # "room 12 / 16 GB"
    led = _led_by_memory(sentence, at) and sentence.codes[place + 1 : place + 2] != "K"
    owner = None if sentence.page else re.match("[Fj]*[TO]", sentence.codes[place + 1 :])
    of_what = str(sentence.value(place + owner.end())) if owner else "storage"
    if led or not of_what.startswith(("storage", "graphics")):
        _tell_memory(sentence, whole)  # whatever stands before it
        return True
    alone = sentence.codes[place + 1 : place + 2] not in ("K", "O")
    if alone and not sentence.page and led_by_drive(sentence, at):
        tell_drive(sentence, at, size_at(sentence, place, "storage"))
        return True
    beside = any(one.code in "kmT" for one in sentence.items)
    if not (sentence.asked or beside or any(one.code in "KDO" for one in sentence.items)):
        return _UNOWNED * used < whole
    of_memory = not sentence.page and (_by_memory(sentence) or beside)
    if of_drives(sentence) or not (sentence.is_about("memory") or of_memory):
        return False
    _tell_memory(sentence, whole)
    return True


def _again(sentence: Sentence, match: Match) -> bool:
    """``24,061,300,736 bytes 22.4 GB``: the same size, rounded."""
    if _in_bytes(sentence, match):
        sentence.take(match.end() - 1, match.end())
    return False


def _in_a_row(sentence: Sentence, match: Match) -> bool:
    """``Ryzen 5 4680U 8GB/256GB``: behind a processor, memory and drive."""
    size, drive = size_at(sentence, match.start("s"), "memory"), match.start("d")
    text = str(sentence.value(drive))
    typical = TYPICAL_DRIVES.fullmatch(text) or re.match("(?:32|64) ?g", text)
    if not typical or not can_be_fitted(size) or size >= size_at(sentence, drive, "memory"):
        return False
    _tell_memory(sentence, size)
    tell_drive(sentence, drive)
    return True


def _over(sentence: Sentence, match: Match) -> bool:
    """``0.6/4.0 GB``: what is in use of something."""
    return sentence.items[match.start() + 2].start - sentence.items[match.start()].end == 1


def _in_bytes(sentence: Sentence, match: Match) -> bool:
    """The size before, once more and to the byte."""
    return str(sentence.value(match.start("s"))).endswith(" bytes")


_NEXT = r"(?=[LPOSKGf_,;&./]|$)"
"""Where the next label begins."""
_SIZES: tuple[Rule, ...] = (
    (r"[~]?sC|C[:]?(?:n/)?s", passed),
    (r"(?P<s>s)(?P<z>s)", _again),
    (r"(?<=[P_,])/?(?P<s>s)/(?P<d>s)(?![fUuKO])", _in_a_row),
    (r"%(?:UF|[F/])(?P<s>s)[fU]?", _share_of),
    (r"(?P<s>s)[,(]?u:?(?P<z>s)\)?|(?P<y>s)F(?P<x>s)u", _both_sizes),
    (r"\(?(?P<s>[sn])[(]?u\)?|u:?(?P<z>s)", _usable),
    (r"(?<!U)(?P<used>[sn])[/F](?P<s>s)(?!f)", _in_use),
    (r"(?P<s>[sn](?=F)|n(?=/))[/F](?P<of>s)f", _free),
    (r"(?P<s>[sn])[/F](?P<of>s)", _free_asked),
    (r"n/s", _over),
    (r"(?<=s)\((?P<s>s)\)", _in_bytes),
    (r"\(?D:?\)?(?:\([ZL_]*\))?O?[:-]?(?P<s>s)(?![fU])", volume_told),
    (r"[,(]*sV\)?|VO[:=]?s", passed),
    (r"(?P<s>[sn])f(?:[F/]*(?:OD?F?)?(?P<of>s)|F(?P<of2>n)(?![a-zA-Z]))", _free),
    (r"(?P<of>s)F(?P<s>s)f", _free),
    (r"(?P<s>[sn])F?f", _free),
    (r"fK?:?(?P<s>s)", _free),
    (r"%U?", passed),
    (r"(?<=s),?F[sn]U", passed),
    (r"(?P<U>U)[:-]?s|s(?P<V>U)", _used),
    (r"M*(?P<s>s)M?1", _of_position),
    (r"Eks", passed),
    (r"\(?M+[:.]?(?P<s>s|n(?![-x]?[a-zA-Z]))(?:O)?\)?", _most),
    (r"(?<=K)n(?=Z*s)", passed),
    (r"\(?(?P<s>s)M\)?", _most),
    (rf"O(?P<n>n){_NEXT}", _bare_memory),
    (rf"f(?P<n>n){_NEXT}", _bare_free),
)


def _by_owner(sentence: Sentence, match: Match) -> bool:
    """Sizes and the words beside them in one clause: which stands first leads all of it."""
    clause = match[0]
    first = re.search(r"[sJnOK]", clause)
    leading = (
        (r"(?P<o>O)(?:[:=F(]*|&(?=s(?!F?O)))(?P<s>[sJ])", _owned),
        (r"K+O?[:=_]*(?P<s>[sJn])(?!K)", kind_told),
    )
    trailing = (r"(?P<s>[sJ])[TjFB_]*(?P<o>O)", _owned), (r"(?P<s>[sJn])[_O]*K+", kind_told)
    order = (*leading, *trailing) if first and first[0] in "OK" else (*trailing, *leading)
    for pattern, handler in order:
        for inner in sentence.matches(pattern):
            if match.start() <= inner.start() < match.end() and handler(sentence, inner):
                sentence.take(*inner.span())
    return False


_DRIVES_SOLD = {32, 64, 120, 128, 240, 250, 256, 480, 500, 512, 1000, 1024, 2000, 2048}
"""In GB."""


def _memory_and_drive(sentence: Sentence, match: Match) -> bool:
    """``8/256`` behind a machine's name: memory and drive, in GB, as shops write them."""
    memory, drive = (
        sentence.count(sentence.place(match, *names)) for names in (("n", "n2"), ("m", "m2"))
    )
    if memory is None or drive not in _DRIVES_SOLD or not 2 <= memory <= min(64, drive // 2):
        return False
    sentence.tell(MEMORY, memory * GIB)
    sentence.tell(DRIVE, drive * 10**9)
    return True


AMOUNTS: tuple[Rule, ...] = (
    *ADAPTERS, *MODULES, *SLOTS, *_SIZES,
    (r"^_*P_*(?P<n>n)/(?P<m>n)|(?<=[_,;/])(?P<n2>n)[/+](?P<m2>n)(?=[,;]|$)", _memory_and_drive),
    (r"(?:^|(?<=[,;&.]))[^,;&.]+", _by_owner),
    (r"K+", kind_told),
    (r"(?<=[,;&_])n(?=Z?(?:[,;&.]|$))", _fitted_of_most),
    (r"(?P<s>s)", _alone),
    (r"J", modules_told),
    (r"T", type_told),
    (r"j", form_told),
    (r"\([Zn.,:/&-]*Z[Zn.,:/&-]*\)", passed),
)  # fmt: skip
