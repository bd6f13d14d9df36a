"""What is not so, and the figures of a processor in a sentence: clocks and counts."""

import re

from msgspec import structs

from tallcheck.core.machine.readings import kind_of
from tallcheck.core.text.names import labelled
from tallcheck.core.text.sentence import LEFT, Match, Rule, Sentence, passed
from tallcheck.core.values.quantities import parse_clock

# --- what is not so ---------------------------------------------------------------------------


def _drop(sentence: Sentence, match: Match) -> bool:
    sentence.denied = True
    return True


def _corrected(sentence: Sentence, match: Match) -> bool:
    """What was said before, where it is said anew behind."""
    behind = sentence.codes[match.end() :].strip(",;.: ")
    before = sentence.codes[: match.start()]
    if behind == "n" and "S" in before:
        at, number = before.rindex("S"), sentence.codes.index("n", match.end())
        version = str(sentence.value(number))
        said = structs.replace(sentence.value(at), version=version, release=None, build=None)
        sentence.items[at].value = said
        sentence.take(number, number + 1)
    elif behind == "n" and "s" in before:
        at, number = before.rindex("s"), sentence.codes.index("n", match.end())
        unit = str(sentence.value(at)).partition(" ")[2]
        sentence.items[at].value = f"{sentence.value(number)} {unit}"
        sentence.take(number, number + 1)
    elif behind == "s" and before.strip(",;.: ") == "n":
        sentence.take(0, len(before))
    else:
        for at, code in enumerate(before):
            if code in behind and code in LEFT + "OK":
                sentence.take(at, at + 1)
    return True


def _moved(sentence: Sentence, match: Match) -> bool:
    """``upgraded from Windows 7 to 10``."""
    at, number = match.start("S"), match.start("n")
    version = str(sentence.value(number))
    sentence.items[at].value = structs.replace(sentence.value(at), version=version)
    sentence.take(match.start(), at)
    sentence.take(number, match.end())
    return False


def _no_set(sentence: Sentence, match: Match) -> bool:
    names = [f"-{name}" for name in sentence.values(match, "I")]
    sentence.told.setdefault("processor.instructions", []).extend(names)
    return True


def _no_module(sentence: Sentence, match: Match) -> bool:
    at = match.start("what")
    if sentence.value(at) != "firmware.security_module":
        return False
    sentence.tell("firmware.security_module", "none")
    return True


def _of_what(sentence: Sentence, match: Match) -> bool:
    """A figure of what is not known: none of a machine's."""
    sentence.recode(match.start(), "H" + "Z" * (len(match[0]) - 1))
    return False


def _other_volume(sentence: Sentence, match: Match) -> bool:
    """What is said of another volume than the system's."""
    return sentence.values(match, "D") != ["c"]


def _nothing(sentence: Sentence, match: Match) -> bool:
    """``none``, ``no swap``, ``0B``: zero of what was asked for."""
    asked = sentence.asked or ""
    if match[0][0] == "n" and sentence.count(match.start()) != 0:
        return False
    if "." not in asked or kind_of(asked) not in ("memory", "storage", "count"):
        return False
    sentence.tell(asked, 0)
    return True


def _one_or_other(sentence: Sentence, match: Match) -> bool:
    """``4 or 8 GB``, ``4-8 GB``: which of them is not said."""
    sentence.open = True
    return _of_what(sentence, match)


def _of_another(sentence: Sentence, match: Match) -> bool:
    """A size behind a label that has words which are not known: ``Memory block size: 128M``."""
    return sentence.asked is None


def _of_modules(sentence: Sentence, match: Match) -> bool:
    """``Memory speed: 3200 MHz``: no clock of a processor."""
    return str(sentence.value(match.start("o"))).startswith("memory")


def _behind_aside(sentence: Sentence, match: Match) -> bool:
    """``virtual memory 8 GB``: the size of what is of no matter."""
    word = sentence.items[match.start()].word
    return word is not None and word.sense == "aside"


FOREIGN: tuple[Rule, ...] = (
    (r"Ls(?!O)", _behind_aside),
    (r"#[nsl](?:-n)?|s-n|n-b-n", passed),
    (r"[ns][cktm]?FZ+", _of_what),
)
"""Figures of other things."""
NOT_SO: tuple[Rule, ...] = (
    *FOREIGN,
    (r"(?:^|(?<=[,;.]))Z*n?:(?:nx)?s(?![_TjO]*[OKf])", _of_what),
    (r"kns", _of_what),
    (r"(?<!m)(?<!k&)(?<![;,]n&)(?<!m&)sE|(?<![xmk])(?<!m&)E&?s", _of_what),
    (r"^-[ns]", _drop),
    (r"Y#?n(?=[,:;.]|$)", _of_what),
    (r"X", _corrected),
    (r"(?<![kmj1#Zx])n-s|n\|(?:s|n[ct])", _one_or_other),
    (r"O[^,;&.:()/|s]*Z[^,;&.:()/|s]*[:=]s", _of_another),
    (r"i(?P<S>S)(?P<n>n)(?![a-z])", _moved),
    (r"i(?:(?P<of>[SPsh])(?=(?P=of))|n(?=s))", passed),
    (
        r"(?:D:|DO|OD)[^;D&,/.]*(?:[,/](?!sn)[sfuUFn%()]+(?=[,;&/.]|$))*(?=[,;&/.]|$)|[^,;.&()/D]{0,8}\(D:[^()]*\)",
        _other_volume,
    ),
    (r"(?:^|(?<=[;.]))[^;.$]*\$[^;.]*", _drop),
    (r"Q(?P<what>L)(?:\(L\))?N(?![a-zA-Z])", _no_module),
    (r"(?:^|(?<=[,;.&()/]))[^,;.&()/QR<]*[QR<][^,;.()/]*", _drop),
    (r"(?:^|(?<=[,;.&()/]))[^,;.&()/W]*W[^,;.&()/]*", _drop),
    (r"i[^,;.&/]*", _drop),
    (r"^N[OLk]?(?:[,;]B)?$|^nZ?$", _nothing),
    (r"L(?P<value>N[Zz]?)", labelled),
    (r"N[&]?I(?:[,|&]I)*|IN(?=[,;]|$)", _no_set),
    (r"N(?P<what>L)", _no_module),
    (r"N(?!f?k)[^,;.&+/]*", _drop),
)

# --- figures ----------------------------------------------------------------------------------


def _hertz(sentence: Sentence, at: int) -> int:
    """A clock; a number alone is of GHz."""
    return parse_clock(f"{sentence.value(at)}{' GHz' if sentence.codes[at] == 'n' else ''}")


def _clock_range(sentence: Sentence, match: Match) -> bool:
    least, most = (str(sentence.value(match.start(one))) for one in ("least", "most"))
    unit = next((one.rpartition(" ")[2] for one in (least, most) if one.endswith("Hz")), "GHz")
    for key, one in (("processor.clock", least), ("processor.clock_most", most)):
        sentence.tell(key, parse_clock(one if one.endswith("Hz") else f"{one} {unit}"))
    return True


def _clock_most(sentence: Sentence, match: Match) -> bool:
    at = match.start("h")
    if sentence.codes[at] == "n" and "processor.clock" not in sentence.told:
        return False
    sentence.tell("processor.clock_most", _hertz(sentence, at))
    return True


def _clock(sentence: Sentence, match: Match) -> bool:
    key = "processor.clock_most" if sentence.asked == "processor.clock_most" else "processor.clock"
    sentence.told.setdefault(key, _hertz(sentence, match.start("h")))
    return True


def _clock_behind(sentence: Sentence, match: Match) -> bool:
    """A number behind "@", which is of GHz."""
    at = match.start("h")
    sentence.tell("processor.clock", _hertz(sentence, at))
    sentence.take(at - 1, at + 1)
    return False


def _cores_of_clock(sentence: Sentence, match: Match) -> bool:
    count = sentence.count(match.start("n"))
    if count is None:
        return False
    sentence.tell("processor.cores", count)
    sentence.tell("processor.clock", _hertz(sentence, match.start("h")))
    return True


def _memory_rate(sentence: Sentence, match: Match) -> bool:
    """A module's speed beside its type, which stays."""
    for at in range(*match.span()):
        if sentence.codes[at] in "hv" or (sentence.count(at) or 0) >= 200:
            sentence.take(at, at + 1)
    return False


def _in_megahertz(sentence: Sentence, match: Match) -> bool:
    """``8GB 2400MHz``: that of the modules, for a processor's is told in GHz beside a size."""
    return str(sentence.value(match.start("h"))).endswith("MHz")


def _rate_asked(sentence: Sentence, match: Match) -> bool:
    """A clock behind a size where the memory was asked for: that of its modules."""
    return sentence.is_about("memory")


def _clock_of_line(sentence: Sentence, match: Match) -> bool:
    """``i5 2.7``: a number with a fraction behind a processor is of GHz."""
    text = str(sentence.value(match.start("h")))
    return re.fullmatch(r"[0-5][.,]\d{1,2}", text) is not None and _clock(sentence, match)


def _rate_behind(sentence: Sentence, match: Match) -> bool:
    """``16gb 3200``: the speed of its modules."""
    return _RATE_LEAST <= (sentence.count(match.start()) or 0) <= _RATE_MOST


_RATE_LEAST, _RATE_MOST = 800, 9600


def _beside_modules(sentence: Sentence, match: Match) -> bool:
    """``speed 2667 MHz, 1 of 2 slots used``: that of the modules, where no processor is told."""
    codes = {one.code for one in sentence.items}
    return _in_megahertz(sentence, match) and bool(codes & {*"kmTJ"}) and not codes & {*"Plct"}


CLOCKS: tuple[Rule, ...] = (
    (r"[sTJ][_Tj]*[Tj]_*[-@,(]?[hv]|T[-@,(]?[hv]|T[-@,(]?[sJ]?n(?![xgbctkmo/+])", _memory_rate),
    (r"[hv][-@(]?T|n[xm]s\)?[-@,]?[hv]", _memory_rate),
    (r"(?:(?<=s)|(?<=s\(nxn\))|(?<=nxs\)))[-@]?(?P<h>h)", _in_megahertz),
    (r"(?<=[sJ])[-@,(]?[hv]\)?", _rate_asked),
    (r"%[@(,-]?h\)?|@?v|C:?h|hC|(?:n-){2,}n@?h", passed),
    (r"(?:^|(?<=[,;&.]))(?P<o>O)L?[:=]?h", _of_modules),
    (r"(?<=[lPc])(?P<h>n)(?![-x]?[ckmtobghG%])", _clock_of_line),
    (r"(?:(?<=[sJ])|(?<=[sJ][O@]))(?P<n>n)(?![-x+]?[ckmtobghG%n])", _rate_behind),
    (r"L?[:=]?(?P<h>h)", _beside_modules), (r"(?P<n>n)[xEF](?P<h>h)(?!T)", _cores_of_clock),
    (r"\(?(?P<least>[hn])[-](?P<most>h)\)?", _clock_range),
    (r"(?P<least>h)[,(/]*M+:?(?P<most>h|n(?![-x]?[ctowb]))\)?", _clock_range),
    (r"\(?M+[:,.]?(?P<h>h)M*\)?", _clock_most),
    (r"(?P<h>h)\(?M+\)?", _clock_most),
    (r"[(,~@]?(?P<h>h)\)?", _clock), (r"P@(?P<h>n)", _clock_behind),
    (r"(?P<h>n)M", _clock_most),
)  # fmt: skip

_COUNTED = {"c": "processor.cores", "t": "processor.threads", "o": "processor.sockets"}


def _counted(sentence: Sentence, match: Match) -> bool:
    at = match.start("n")
    key = _COUNTED[sentence.codes[match.start("what")]]
    number = sentence.count(at)
    if number is None:
        return False
    sentence.tell(key, number)
    return True


def _of_each(sentence: Sentence, match: Match) -> bool:
    """Cores of one of several processors: what all have follows where their number is told."""
    number, sockets = sentence.count(match.start("n")), sentence.place(match, "sockets")
    before = re.search(r"n(?=x?[Pl]|[oq])", sentence.codes)
    at = before.start() if sockets is None and before else sockets
    many = sentence.count(at)
    if number is None or many is None:
        return "E" in match[0]  # of how many is not said
    sentence.tell(_COUNTED[match["what"]], number * many)
    if sockets is not None:
        sentence.tell("processor.sockets", many)
    return True


def _of_two_kinds(sentence: Sentence, match: Match) -> bool:
    """``6 P-cores and 8 E-cores``: cores of two kinds, named by a letter or a word before them."""
    places = [match.start(one) for one in ("n", "m")]
    counts = [sentence.count(at) for at in places]
    kinds = {_kind_letter(sentence, at) for at in places}
    if kinds != {*"pe"} or None in counts:
        return False
    sentence.tell("processor.cores", sum(one or 0 for one in counts))
    return True


def _kind_letter(sentence: Sentence, at: int) -> str:
    """The letter that a kind of core is named by, behind a count or in front of its word."""
    text = sentence.text[sentence.items[at].start :].lower()
    found = re.match(r"(?:\d+|[^\W\d]+\s)[\s-]*([pe])(?:\b|cores?\b|erf|ffi)", text)
    return found[1] if found else ""


def _cores_and_threads(sentence: Sentence, match: Match) -> bool:
    """``Cores/threads: 4/8``."""
    for name, number in (("first", "n"), ("second", "m")):
        sentence.tell(_COUNTED[match[name]], sentence.count(match.start(number)))
    return True


def _threads_beside(sentence: Sentence, match: Match) -> bool:
    number = sentence.count(sentence.place(match, "n", "m"))
    if number is None:
        return False
    sentence.told.setdefault("processor.threads", number)
    return True


def _bare_count(sentence: Sentence, match: Match) -> bool:
    """A number alone, where a count was asked for."""
    asked = sentence.asked or ""
    if asked not in (*_COUNTED.values(), "memory.slots", "processor.generation"):
        return False
    number = sentence.count(match.start("alone"))
    if number is None:
        return False
    sentence.tell(asked, number)
    return True


def _two_counts(sentence: Sentence, match: Match) -> bool:
    """Two numbers where cores were asked for: ``4 (8)``, ``4/8`` with threads, ``2+8`` of kinds."""
    first, second = (sentence.count(match.start(one)) for one in "nm")
    if sentence.asked != "processor.cores" or first is None or second is None:
        return False
    if match["sign"] == "+":
        sentence.tell("processor.cores", first + second)
        return True
    if not first <= second <= 2 * first:
        return False
    sentence.tell("processor.cores", first)
    sentence.tell("processor.threads", second)
    return True


def _processors(sentence: Sentence, match: Match) -> bool:
    """``(2 processors)`` behind a name: as many sockets."""
    number = sentence.count(match.start("n"))
    if number is None or sentence.value(match.start("what")) != "processor.name":
        return False
    sentence.tell("processor.sockets", number)
    return True


def _of_graphics(sentence: Sentence, match: Match) -> bool:
    """``10-core GPU``: none of the processor's."""
    return str(sentence.value(match.start("o"))).startswith("graphics")


COUNTS: tuple[Rule, ...] = (
    (r"n-?c(?P<o>[OL])", _of_graphics),
    (r"n[-x]?r|r[:]?n(?:xn)?", passed), (r"(?<=[Ph])\((?P<n>n)(?P<what>L)\)", _processors),
    (r"\((?P<n>n)q\)|(?<=P)\((?P<m>n)\)", _threads_beside),
    (r"(?P<sockets>n)o?x(?P<n>n)(?P<what>[ct])", _of_each),
    (r"(?P<sockets>n)(?P<n>n)-(?P<what>c)(?=[LPlq])", _of_each),
    (r"(?P<first>[ct])[/&](?P<second>(?!(?P=first))[ct])[:=]*(?P<n>n)[/&](?P<m>n)",
     _cores_and_threads),
    (r"(?P<n>n)-?[cZ][+,&]+(?P<m>n)(?:-?[cZ]|$)", _of_two_kinds),
    (r"(?P<n>n)[-x*]?(?P<what>[ct])E(?![h_])", _of_each),
    (r"(?<=nxP)(?P<n>n)-?(?P<what>[ct])", _of_each), (r"(?P<n>n)-(?P<what>c)", _of_each),
    (r"^(?P<n>n)(?P<sign>[(/+])(?P<m>n)[t)]*$", _two_counts),
    (r"(?P<n>n)[-x*]?(?P<what>[cto])(?![:=]n)\)?", _counted),
    (r"[ct]E[:=]*n", passed), (r"(?P<what>[cto])[:=]*(?P<n>n)", _counted),
    (r"\((?:n[Z&][+,&]n[Z&]?|n[+,&]n[Z&])\)", passed),
    (r"^[(,;]?(?P<alone>n)[()_;,.!]*$", _bare_count),
)  # fmt: skip
