"""Names in a sentence: processors, systems, adapters; their bits, shapes, sets and displays."""

import re

from msgspec import structs

from tallcheck.core.machine.names import stated_clock
from tallcheck.core.machine.sheet import Graphics
from tallcheck.core.machine.systems import SystemSaid
from tallcheck.core.text.labels import SWITCHED
from tallcheck.core.text.plain_values import system_told, tried_plain
from tallcheck.core.text.sentence import Match, Rule, Sentence, passed
from tallcheck.core.values.quantities import parse_memory


def _sockets(sentence: Sentence, match: Match) -> bool:
    at = match.start("n")
    number, word = sentence.count(at), sentence.items[at].word
    if number is None or not ("x" not in match[0]) + 1 <= number <= 16:
        return False
    named = match.end()
    whose = sentence.codes[named : named + 1]
    if word is not None and whose and whose in "Pl":
        beside = sentence.written(named).lower().startswith("core")
        if not beside and whose == "P":
            sentence.tell("processor.sockets", number)
            return True
        if not beside:
            return False
        sentence.tell("processor.cores", number)
        return True
    if word is None and "x" not in match[0]:
        return False
    # beside a name screens write the threads, but of a server's processor people mean the sockets
    sign = match.groupdict().get("sign")
    name = match.end() if sign is None else match.start("sign") - 1
    other = sentence.told.get("processor.sockets", number) != number
    many = sign or number >= _THREADS_LEAST
    if other or (many and not _for_servers(sentence, name)):
        sentence.told.setdefault("processor.threads", number)
    else:
        sentence.tell("processor.sockets", number)
    return True


_THREADS_LEAST = 4
"""In front of a name, fewer may be two machines' processors."""
_SERVERS = ("Xeon", "EPYC", "Opteron")
"""Lines of which several may stand on one board."""


def _for_servers(sentence: Sentence, at: int) -> bool:
    while at > 0 and sentence.items[at].code not in "Pl":
        at -= 1
    named = sentence.vocabulary.processors.named(sentence.written(at))
    return named is not None and named.line.startswith(_SERVERS)


_LIKE_MODELS = ("Core 2", "Core Duo", "E-Series")
"""Lines whose numbers are those of machines, too, behind the words of these."""
_PLAIN_MACBOOK = r"(?i)\bmacbook\b(?!.*\b(?:air|pro)\b)"
"""A model that had Intel's Core m3, m5 and m7."""
_BARE = r"[A-Za-z]{1,2}\d?[ -]?\d{3,4}"


def _processor(sentence: Sentence, match: Match) -> bool:
    at = match.start("P")
    name = " ".join(sentence.written(at).split())
    if sentence.codes[at - 1 : at] == "Z" and re.fullmatch(_BARE, name):
        named = sentence.vocabulary.processors.named(name)
        if named is not None and named.line in _LIKE_MODELS:
            return False  # Latitude E6440
    if re.fullmatch(r"(?i)m[357]", name) and re.search(_PLAIN_MACBOOK, sentence.text):
        return False  # Intel's or Apple's
    sentence.tell("processor.name", name)
    if (clock := stated_clock(name)) is not None:
        sentence.told["processor.clock"] = clock
    return True


def line_at(sentence: Sentence, at: int) -> tuple[str, str] | None:
    """The line and the maker that an item names; of a maker alone the one that is counted."""
    if sentence.codes[at] == "l":
        line, maker = sentence.value(at)
        return line, maker
    return ("Core", "Intel") if sentence.value(at) == "Intel" else None


def _line(sentence: Sentence, match: Match) -> bool:
    """A line of processors, with the generation where one stands beside it."""
    told = line_at(sentence, match.start("l"))
    if told is None:
        return False
    line, maker = told
    number = sentence.count(sentence.place(match, "n"))
    sentence.tell("processor.line", line)
    if maker:
        sentence.tell("processor.maker", maker)
    if number is not None and number >= 1000 and number % 1000 == 0:
        number //= 1000
    if number is not None and number < 100:
        sentence.tell("processor.generation", number)
    return True


def _line_of_ordinal(sentence: Sentence, match: Match) -> bool:
    """A generation in brackets, ``Core i5 (11th)``: a plain number there counts something."""
    ordinal = not sentence.written(match.start("n")).isdecimal()
    return ordinal and _line(sentence, match)


def _maker(sentence: Sentence, match: Match) -> bool:
    if not sentence.is_about("processor"):
        return False
    sentence.told.setdefault("processor.maker", sentence.value(match.start()))
    return True


def _generation(sentence: Sentence, match: Match) -> bool:
    number = sentence.count(sentence.place(match, "n", "m"))
    if sentence.asked != "processor.generation" or number is None:
        return False
    sentence.tell("processor.generation", number)
    return True


def _system(sentence: Sentence, match: Match) -> bool:
    """A system with its version, bits, edition, release and build."""
    return _tell_system(sentence, sentence.value(match.start("S")))


def _system_in_words(sentence: Sentence, match: Match) -> bool:
    """A system with its version in words: ``windows ten``."""
    said, number = sentence.value(match.start("S")), sentence.items[match.start("n")]
    if said.version is not None or number.word is None:
        return False
    return _tell_system(sentence, structs.replace(said, version=str(number.value)))


def _tell_system(sentence: Sentence, said: SystemSaid) -> bool:
    before = sentence.told.get("system.os"), sentence.told.get("system.os_version")
    other = before[0] != said.name or (before[1] and said.version and before[1] != said.version)
    if before[0] is not None and other:
        sentence.told.update({"system.os": None, "system.os_version": None})
        sentence.open = True
        return True
    sentence.told |= {one.key: one.value for one in system_told(said)}
    return True


def _kernel(sentence: Sentence, match: Match) -> bool:
    """A kernel with its version, as one word: ``kernel 5.15.0-91-generic``."""
    if sentence.value(match.start()) != "system.kernel":
        return False
    number = match.start() + match[0].index("n")
    sentence.tell("system.kernel", sentence.written(number, match.end() - 1))
    return True


def _two_versions(sentence: Sentence, match: Match) -> bool:
    if "n" in match[0] and sentence.items[match.start() + match[0].index("n")].word is not None:
        return False  # another thing, of which there are so many
    sentence.open = True
    return True


def _bits(sentence: Sentence, match: Match) -> bool:
    number = sentence.count(match.start("n"))
    if number not in (32, 64):
        return False
    behind = sentence.place(match, "L")
    key = None if behind is None else sentence.value(behind)
    if key == "processor.name":
        sentence.tell("processor.bits", number)
    elif key == "system.os" or "system.os" in sentence.told or sentence.is_about("system"):
        sentence.tell("system.os_bits", number)
    elif sentence.is_about("processor") or _heads(sentence, "processor.name"):
        sentence.tell("processor.bits", number)
    else:
        return sentence.asked is None and not sentence.page  # whose they are is not said
    return True


def _heads(sentence: Sentence, key: str) -> bool:
    """Whether the label of a reading stands before all else but makers."""
    first = next((one for one in sentence.items if one.code not in "p|,"), None)
    return first is not None and first.code == "L" and first.value == key


def _architecture(sentence: Sentence, match: Match) -> bool:
    name = sentence.value(match.start("A"))
    plain = sentence.written(match.start("A")).lower()
    if "system.os" in sentence.told or sentence.is_about("system"):
        sentence.tell("system.os_bits", 32 if name in ("x86", "arm") else 64)
    elif name == "x86" and "pc" in plain:
        sentence.tell("system.os_bits", 32)
    else:
        sentence.tell("processor.architecture", name)
    return True


def _shape(sentence: Sentence, match: Match) -> bool:
    word = sentence.value(match.start("Y"))
    plain = sentence.written(match.start("Y")).lower()
    if (word == "board" or plain == "pc") and sentence.asked != "system.shape":
        return True  # the board that every machine has, and any machine
    if word == "virtual":
        sentence.tell("system.virtual", True)
    elif sentence.told.setdefault("system.shape", word) != word and word != "desktop":
        sentence.told["system.shape"] = word
    return True


def _display(sentence: Sentence, match: Match) -> bool:
    if match["d"]:
        sentence.told.setdefault("display", sentence.value(match.start("d")))
        return True
    wide, high = (sentence.count(match.start(one)) or 0 for one in "nm")
    if min(wide, high) < _DISPLAY_LEAST:
        return False
    sentence.told["display"] = f"{wide}x{high}"
    return True


_DISPLAY_LEAST = 200
"""Lines and columns of a display; less is a number of modules."""


def _sets(sentence: Sentence, match: Match) -> bool:
    sentence.told.setdefault("processor.instructions", []).extend(sentence.values(match, "I"))
    return True


_FREE_TEXTS = (
    "system.os_version",
    "system.maker",
    "system.model",
    "system.kernel",
    "firmware.version",
    "firmware.date",
)
"""Readings of which any text may be one: within a sentence none is."""


def _mode(sentence: Sentence, match: Match) -> bool:
    """A mode of the firmware; a BIOS with its version is the firmware itself, whatever its mode."""
    if sentence.asked != "firmware.mode":
        if sentence.codes[match.start() - 1 : match.start()] == "z":
            return True  # where something is switched
        before, behind = sentence.codes[: match.start()], sentence.codes[match.end() :]
        beside = any(one.code == "L" and one.value != "firmware.mode"
                     for one in sentence.items[: match.start()])  # fmt: skip
        if beside and not re.search("[,;]", before):
            return True  # where something else is switched
        if re.search("[np]", re.split("[,;]", behind)[0]):
            return False
    sentence.tell("firmware.mode", sentence.value(match.start("e")))
    return True


def labelled(sentence: Sentence, match: Match) -> bool:
    """A label within a sentence, with the value behind it, or that it is not so."""
    text = sentence.written(match.start("value"), match.end() - 1)
    return _told_by_label(sentence, match, text)


def _told_by_label(sentence: Sentence, match: Match, text: str) -> bool:
    key = sentence.value(match.start())
    if not text or key is None or key in _FREE_TEXTS or key.startswith("extra."):
        return False
    told = tried_plain(key, text, sentence.vocabulary)
    for one in told:
        sentence.tell(one.key, one.value)
    return bool(told)


def _labelled_again(sentence: Sentence, match: Match) -> bool:
    """A label that is said twice: ``TPM: Trusted Platform Module, version 2.0``."""
    return bool(sentence.value(match.start()) == sentence.value(match.end()))


def _version_behind(sentence: Sentence, match: Match) -> bool:
    """A version behind its label, with marks between."""
    versioned = sentence.value(match.start()) == "firmware.security_module"
    return versioned and _told_by_label(sentence, match, sentence.written(match.end() - 1))


def _off_behind(sentence: Sentence, match: Match) -> bool:
    """``TPM 2.0 present, disabled``: it is there, and off."""
    switched = sentence.value(match.start()) in SWITCHED
    return switched and _told_by_label(sentence, match, "off")


def _labelled_beside(sentence: Sentence, match: Match) -> bool:
    """A label with a word behind it that elsewhere tells nothing: ``secure boot on``."""
    at = match.end()
    end = sentence.items[at].start if at < len(sentence.items) else len(sentence.text)
    text = sentence.text[sentence.items[at - 1].end : end].strip(" ,.;:")
    return _told_by_label(sentence, match, text)


NAMES: tuple[Rule, ...] = (
    (r"(?P<n>n)[-x]?(?=P|l)", _sockets),
    (r"(?<=[PL_])(?P<sign>x)(?P<n>n)(?![a-zA-Z])", _sockets),
    (r"S[(,]*[|/]n(?!Z)[^,;.]*", _two_versions), (r"S\|S", _two_versions),
    (r"(?P<S>S)(?P<n>n)", _system_in_words), (r"(?P<S>S)", _system), (r"L[:]?n(?:-[nZ])*", _kernel),
    (r"(?:ng[,]?)?(?P<P>P)(?:[(,]?ng\)?)?", _processor),
    (r"(?P<l>[lp])[-,(F]*(?P<n>n)[-.]?g\)?", _line), (r"(?P<l>[lp])[,(]*g[:]?(?P<n>n)\)?", _line),
    (r"(?P<n>n)[-.]?g[,]?(?P<l>[lp])(?:[(,]?ng\)?)?", _line),
    (r"(?P<l>l)\((?P<n>n)\)", _line_of_ordinal), (r"(?P<l>l)", _line), (r"p(?![A-Za-z])", _maker),
    (r"(?P<n>n)[-.]?g|g[:]?(?P<m>n)", _generation),
    (r"\(?(?P<n>n)[-]?b[)]?[-_]*(?P<L>L)?", _bits),
    (r"(?P<A>A)", _architecture),
    (r"(?P<Y>Y)", _shape),
    (r"(?P<e>e)", _mode),
    (r"L[:=]?[nZp]*[,(:]+z\)?", _off_behind), (r"L[:=(,]*(?=L)", _labelled_again),
    (r"L[,(:)]*n", _version_behind),
    (r"L[:=]?(?P<value>(?:(?![/.](?![Zz]))[^_,;&LOPS:=])+)", labelled),
    (r"L[:=]?(?=[,;&._]|$)", _labelled_beside),
    (r"I(?:[,;/&+]I)*", _sets),
    (r"C:?d|dC", passed), (r"(?P<d>d)|(?P<n>n)x(?P<m>n)(?![a-z])", _display),
)  # fmt: skip


def _adapter(sentence: Sentence, match: Match) -> bool:
    """A graphics adapter by its name, with its memory."""
    at = sentence.place(match, "s", "z", "y")
    if any(one.code in "PlS" for one in sentence.items[match.start() : match.end()]):
        return False  # a name between: the size is of what stands in front
    memory = None if at is None else parse_memory(sentence.sized(at))
    name = " ".join(sentence.written(match.start("G")).split())
    sentence.told.setdefault("graphics", [Graphics(name, memory)])
    return True


def _by_number(sentence: Sentence, match: Match) -> bool:
    """``a 1060 6gb``: an adapter that people call by its number alone."""
    number = str(sentence.value(match.start("n")))
    if number not in _CALLED:
        return False
    size = parse_memory(sentence.sized(match.start("s")))
    sentence.told.setdefault("graphics", [Graphics(number, size)])
    return True


_CALLED = frozenset(
    f"{series}{model}" for series in (10, 16, 20, 30, 40, 50) for model in (50, 60, 70, 80, 90)
)
"""Numbers that are an adapter's beside a size."""


def _adapter_with(sentence: Sentence, match: Match) -> bool:
    """``GTX 1650 with 4 GB``: the adapter's; behind another word where a size is the memory's."""
    word = sentence.items[match.start() + 1].word
    if word is not None and word.sense == "with":
        return _adapter(sentence, match)
    others = sum(one.code == "s" for one in sentence.items) > 1
    memory = any(one.value == "memory.installed" for one in sentence.items)
    return others and memory and _adapter(sentence, match)


ADAPTERS: tuple[Rule, ...] = (
    (r"(?P<s>s)[_]*(?P<G>G)[(,]*(?!s)", _adapter),
    (r"(?P<G>G)(?:\(?(?P<z>s)|,(?P<y>s)(?![T_]))(?![_TjF]*[OKfu])\)?", _adapter),
    (r"(?P<n>n)(?P<s>s)(?![_TjF]*[OK])", _by_number),
    (r"(?P<G>G)&(?P<z>s)(?![_TjF]*[OK])", _adapter_with),
    (r"(?P<G>G)", _adapter),
)
"""What comes in front of the sizes that are of something else."""
