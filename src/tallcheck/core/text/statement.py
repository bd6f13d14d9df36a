"""What one statement tells of a machine: its items by a grammar over their senses.

Each rule is a pattern over the letters of the items, and takes those it understands; what no rule
took is handed back. A word that turns a figure is part of the rule that takes the figure.
"""

import re
from collections.abc import Callable, Iterator
from typing import Any

from msgspec import Struct, structs

from tallcheck.core.machine.naming import stated_clock
from tallcheck.core.machine.readings import Told
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.text.items import Item, items_of
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.plain import whole_number
from tallcheck.core.values.quantities import parse_clock

TAKEN = "_"
_Match = re.Match[str]
_MEMORY, _DRIVE = "memory.installed", "storage.drive"


class Statement(Struct):
    """Readings, the parts of the text that no rule took, and whether some of it settles nothing."""

    told: list[Told]
    left: list[str]
    ahead: int = 0
    """How many of the parts that are left stand before all that is told."""
    crowded: bool = False
    """Whether a figure that no rule took stands beside what one took."""
    open: bool = False
    """Something was asked for, denied, or said in two ways."""
    denied: bool = False
    """Something was asked for or denied."""


class Sentence:
    """The items of one text, with what was taken of them so far."""

    def __init__(
        self, text: str, vocabulary: Vocabulary, asked: str | None, fillers: str = " "
    ) -> None:
        self.text, self.vocabulary, self.asked = text, vocabulary, asked
        self.items = [
            one for one in items_of(text, vocabulary)
            if one.code not in fillers and one.value != "system.os_version"
        ]  # fmt: skip
        self.page = False
        """Whether it asks for something, so that a size of which nothing is said is none."""
        self.codes = "".join(one.code for one in self.items)
        self.told: dict[str, Any] = {}
        self.open = self.denied = False

    def matches(self, pattern: str) -> Iterator[_Match]:
        """Each match of a pattern over what is left, the first one first."""
        at = 0
        while match := re.compile(pattern).search(self.codes, at):
            yield match
            at = match.start() + 1 if self.codes[match.start()] != TAKEN else match.end()

    def take(self, start: int, end: int) -> None:
        """Mark items as understood."""
        self.codes = self.codes[:start] + TAKEN * (end - start) + self.codes[end:]

    def tell(self, key: str, value: Any) -> None:
        """A reading; another value for the same settles nothing."""
        if self.told.setdefault(key, value) != value:
            self.told[key], self.open = None, True

    def value(self, at: int) -> Any:
        """What an item stands for."""
        return self.items[at].value

    def written(self, at: int) -> str:
        """An item as it stands in the text."""
        return self.text[self.items[at].start : self.items[at].end]

    def count(self, at: int) -> int | None:
        """The whole number of an item, in figures or words."""
        value = self.items[at].value
        return value if isinstance(value, int) else whole_number(str(value))

    def is_about(self, section: str) -> bool:
        """Whether a section of the sheet was asked for."""
        return (self.asked or "").startswith(section)

    def ahead(self) -> int:
        """How many parts that no rule took stand before the first figure or name that one took."""
        items = zip(self.codes, self.items, strict=True)
        first = next((item.start for code, item in items if code == TAKEN and item.code in _STRONG),
                     0)  # fmt: skip
        return sum(part[0].start < first for part in self._parts())

    def crowded(self) -> bool:
        """Whether a figure that no rule took is in one clause with what a rule took."""
        first = True
        for clause in re.split(r"[,;&()]", self.codes):
            taken = clause.find(TAKEN)
            numbers = clause[taken:] if first else clause  # a model's may stand in front
            if taken >= 0 and (re.search(r"[shH%]", clause) or "n" in numbers):
                return True
            first = first and taken < 0
        return False

    def left(self) -> list[str]:
        """What no rule took, but for marks and words that only join."""
        return [self.text[one[0].start : one[-1].end] for one in self._parts()]

    def _parts(self) -> list[list[Item]]:
        parts: list[list[Item]] = []
        last = -2
        for at, (code, item) in enumerate(zip(self.codes, self.items, strict=True)):
            if code in _LEFT or (code in _TURNS and last == at - 1):
                if at != last + 1:
                    parts.append([])
                parts[-1].append(item)
                last = at
        return parts


_LEFT = "ZHnshv%dPSIGTlJ"
_TURNS = "fuUMBF"
"""Words that belong to the figure before them."""
"""Items that tell something, or may."""
_STRONG = "nshPlSIGKJOcL"
Rule = tuple[str, Callable[[Sentence, _Match], bool]]


def apply(sentence: Sentence, rules: tuple[Rule, ...]) -> None:
    """Each rule in turn, wherever it fits; what one took no other one sees."""
    for pattern, handler in rules:
        for match in sentence.matches(pattern):
            if handler(sentence, match):
                sentence.take(*match.span())


def passed(sentence: Sentence, match: _Match) -> bool:
    """Known to tell nothing."""
    return True


# --- what is not so ---------------------------------------------------------------------------


def _drop(sentence: Sentence, match: _Match) -> bool:
    sentence.open = sentence.denied = True
    return True


def _corrected(sentence: Sentence, match: _Match) -> bool:
    """What was said before, where it is said anew behind."""
    behind = sentence.codes[match.end() :].strip(",;.: ")
    before = sentence.codes[: match.start()]
    if behind == "n" and "S" in before:
        at, number = before.rindex("S"), sentence.codes.index("n", match.end())
        version = str(sentence.value(number))
        said = structs.replace(sentence.value(at), version=version, release=None, build=None)
        sentence.items[at].value = said
        sentence.take(number, number + 1)
    else:
        for at, code in enumerate(before):
            if code in behind and code in _LEFT + "OK":
                sentence.take(at, at + 1)
    return True


def _no_set(sentence: Sentence, match: _Match) -> bool:
    names = [f"-{sentence.value(at)}" for at in range(*match.span()) if match[0][at - match.start()] == "I"]
    sentence.told.setdefault("processor.instructions", []).extend(names)
    return True


def _no_module(sentence: Sentence, match: _Match) -> bool:
    at = match.start("what")
    if sentence.value(at) != "firmware.security_module":
        return False
    sentence.tell("firmware.security_module", "none")
    return True


def _of_what(sentence: Sentence, match: _Match) -> bool:
    """A figure of what is not known: none of a machine's."""
    of_it = "H" + "Z" * (len(match[0]) - 1)
    sentence.codes = sentence.codes[: match.start()] + of_it + sentence.codes[match.end() :]
    return False


FOREIGN: tuple[Rule, ...] = (
    (r"#[nsl](?:-n)?|s-n|n-b-n", passed), (r"[ns][cktm]?FZ+", _of_what),
)
"""Figures of other things."""
_NOT_SO: tuple[Rule, ...] = (
    *FOREIGN,
    (r"^-[ns]", _drop), (r"Y#?n(?=[,:;.]|$)", _of_what),
    (r"X", _corrected),
    (r"[^,;.]*[QR][^,;.]*", _drop),
    (r"[^,;.]*W[^,;.]*", _drop),
    (r"i[^,;.&]*", _drop),
    (r"N[&]?I(?:[,|&]I)*", _no_set),
    (r"N(?P<what>L)", _no_module),
    (r"N(?!f?k)[^,;.&+]*", _drop),
)

# --- figures ----------------------------------------------------------------------------------


def _clock_range(sentence: Sentence, match: _Match) -> bool:
    most = str(sentence.value(match.start("most")))
    least = str(sentence.value(match.start("least")))
    unit = "" if least.endswith("Hz") else most.rpartition(" ")[2]
    sentence.tell("processor.clock", parse_clock(f"{least} {unit}"))
    sentence.tell("processor.clock_most", parse_clock(most))
    return True


def _clock_most(sentence: Sentence, match: _Match) -> bool:
    sentence.tell("processor.clock_most", parse_clock(str(sentence.value(match.start("h")))))
    return True


def _clock(sentence: Sentence, match: _Match) -> bool:
    key = "processor.clock_most" if sentence.asked == "processor.clock_most" else "processor.clock"
    text = str(sentence.value(match.start("h")))
    sentence.told.setdefault(key, parse_clock(text if "Hz" in text else f"{text} GHz"))
    return True


def _clock_behind(sentence: Sentence, match: _Match) -> bool:
    """A number behind "@", which is of GHz."""
    at = match.start("h")
    sentence.tell("processor.clock", parse_clock(f"{sentence.value(at)} GHz"))
    sentence.take(at - 1, at + 1)
    return False


def _cores_of_clock(sentence: Sentence, match: _Match) -> bool:
    count = sentence.count(match.start("n"))
    if count is None:
        return False
    sentence.tell("processor.cores", count)
    sentence.tell("processor.clock", parse_clock(str(sentence.value(match.start("h")))))
    return True


def _memory_rate(sentence: Sentence, match: _Match) -> bool:
    """A module's speed beside its type, which stays."""
    for at in range(*match.span()):
        if sentence.codes[at] in "hv" or (sentence.count(at) or 0) >= 200:
            sentence.take(at, at + 1)
    return False


CLOCKS: tuple[Rule, ...] = (
    (r"T[-@,(]?[hv]|T[-@,(]?[sJ]?n(?![xgbctkmo/+])", _memory_rate), (r"[hv][-@(]?T", _memory_rate),
    (r"@?v", passed),
    (r"(?P<n>n)[xEF](?P<h>h)(?!T)", _cores_of_clock),
    (r"\(?(?P<least>[hn])[-](?P<most>h)\)?", _clock_range),
    (r"(?P<least>h)[,(/]*M+(?P<most>h)\)?", _clock_range),
    (r"\(?M+[:,]?(?P<h>h)M*\)?", _clock_most),
    (r"(?P<h>h)\(?M+\)?", _clock_most),
    (r"[(,~@]?(?P<h>h)\)?", _clock), (r"P@(?P<h>n)", _clock_behind),
)  # fmt: skip

_COUNTED = {"c": "processor.cores", "t": "processor.threads", "o": "processor.sockets"}


def _counted(sentence: Sentence, match: _Match) -> bool:
    at = match.start("n")
    key = _COUNTED[sentence.codes[match.start("what")]]
    number = sentence.count(at)
    if number is None:
        return False
    sentence.tell(key, number)
    return True


def _cores_and_threads(sentence: Sentence, match: _Match) -> bool:
    for key, group in (("processor.cores", "cores"), ("processor.threads", "threads")):
        number = sentence.count(match.start(group))
        if number is None:
            return False
        sentence.tell(key, number)
    return True


def _threads_beside(sentence: Sentence, match: _Match) -> bool:
    number = sentence.count(match.start("n"))
    if number is None:
        return False
    sentence.told.setdefault("processor.threads", number)
    return True


def _bare_count(sentence: Sentence, match: _Match) -> bool:
    """A number alone, where a count was asked for; ``4 (8)`` are cores and threads."""
    asked = sentence.asked or ""
    if asked not in (*_COUNTED.values(), "memory.slots", "processor.generation"):
        return False
    number = sentence.count(match.start("alone") if match["alone"] else match.start("n"))
    if number is None or (match["m"] and asked != "processor.cores"):
        return False
    sentence.tell(asked, number)
    if match["m"]:
        sentence.tell("processor.threads", sentence.count(match.start("m")))
    return True


COUNTS: tuple[Rule, ...] = (
    (r"n[-x]?r|r[:]?n", passed),
    (r"\((?P<n>n)q\)", _threads_beside),
    (r"(?P<n>n)[-x*]?(?P<what>[cto])\)?", _counted),
    (r"(?P<what>[cto])[:=]*(?P<n>n)", _counted),
    (r"\(nZ[+,&]nZ\)", passed),
    (r"^(?P<n>n)\((?P<m>n)\)$|^(?P<alone>n)[_;,.!]*$", _bare_count),
)  # fmt: skip

# --- names ------------------------------------------------------------------------------------


def _sockets(sentence: Sentence, match: _Match) -> bool:
    at = match.start("n")
    number, word = sentence.count(at), sentence.items[at].word
    if number is None or not 2 <= number <= 16:
        return False
    named = match.end()
    if word is not None and sentence.codes[named : named + 1] == "l":
        if not sentence.written(named).lower().startswith("core"):
            return False
        sentence.tell("processor.cores", number)
        return True
    if word is None and "x" not in match[0]:
        return False
    beside = match.groupdict().get("sign")
    if beside and sentence.written(match.start("sign")).strip() == "\u00d7":
        sentence.told.setdefault("processor.threads", number)
    else:
        sentence.tell("processor.sockets", number)
    return True


def _processor(sentence: Sentence, match: _Match) -> bool:
    name = " ".join(sentence.written(match.start("P")).split())
    sentence.tell("processor.name", name)
    if (clock := stated_clock(name)) is not None:
        sentence.told["processor.clock"] = clock
    return True


def _line(sentence: Sentence, match: _Match) -> bool:
    """A line of processors, with the generation where one stands beside it."""
    at = match.start("l")
    if sentence.codes[at] == "p":
        named = sentence.vocabulary.processors.line("Core") if sentence.value(at) == "Intel" else None
        if named is None:
            return False
        line, maker = named.name, named.maker
    else:
        line, maker = sentence.value(at)
    group = next((one for one in ("n", "m") if match.groupdict().get(one)), None)
    number = sentence.count(match.start(group)) if group else None
    sentence.tell("processor.line", line)
    if maker:
        sentence.tell("processor.maker", maker)
    if number is not None and number >= 1000 and number % 1000 == 0:
        number //= 1000
    if number is not None and number < 100:
        sentence.tell("processor.generation", number)
    return True


def _maker(sentence: Sentence, match: _Match) -> bool:
    if not sentence.is_about("processor"):
        return False
    sentence.told.setdefault("processor.maker", sentence.value(match.start()))
    return True


def _generation(sentence: Sentence, match: _Match) -> bool:
    number = sentence.count(match.start("n"))
    if sentence.asked != "processor.generation" or number is None:
        return False
    sentence.tell("processor.generation", number)
    return True


def _system(sentence: Sentence, match: _Match) -> bool:
    """A system with its version, bits, edition, release and build."""
    said = sentence.value(match.start("S"))
    before = sentence.told.get("system.os"), sentence.told.get("system.os_version")
    if before[0] is not None and before != (said.name, said.version):
        if before[0] != said.name or (before[1] and said.version):
            sentence.told.update({"system.os": None, "system.os_version": None})
            sentence.open = True
            return True
    # of Linux itself the version is the kernel's
    version = "system.kernel" if said.name == "Linux" else "system.os_version"
    for name, value in (
        ("system.os", said.name), (version, said.version), ("system.os_bits", said.bits),
        ("extra.os_edition", said.edition), ("extra.os_release", said.release),
        ("extra.os_build", said.build),
    ):  # fmt: skip
        if value is not None:
            sentence.told[name] = value
    return True


def _two_versions(sentence: Sentence, match: _Match) -> bool:
    sentence.open = True
    return True


def _bits(sentence: Sentence, match: _Match) -> bool:
    number = sentence.count(match.start("n"))
    if number not in (32, 64):
        return False
    behind = match.groupdict().get("L")
    key = sentence.value(match.start("L")) if behind else None
    if key == "processor.name":
        sentence.tell("processor.bits", number)
    elif key == "system.os" or "system.os" in sentence.told or sentence.is_about("system"):
        sentence.tell("system.os_bits", number)
    elif sentence.is_about("processor"):
        sentence.tell("processor.bits", number)
    else:
        return sentence.asked is None  # whose they are is not said
    return True


def _architecture(sentence: Sentence, match: _Match) -> bool:
    name = sentence.value(match.start("A"))
    plain = sentence.written(match.start("A")).lower()
    if "system.os" in sentence.told or sentence.is_about("system"):
        sentence.tell("system.os_bits", 32 if name in ("x86", "arm") else 64)
    elif name == "x86" and "pc" in plain:
        sentence.tell("system.os_bits", 32)
    else:
        sentence.tell("processor.architecture", name)
    return True


def _shape(sentence: Sentence, match: _Match) -> bool:
    word = sentence.value(match.start("Y"))
    if word == "virtual":
        sentence.tell("system.virtual", True)
    elif sentence.told.setdefault("system.shape", word) != word and word != "desktop":
        sentence.told["system.shape"] = word
    return True


def _display(sentence: Sentence, match: _Match) -> bool:
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


def _sets(sentence: Sentence, match: _Match) -> bool:
    names = [sentence.value(match.start() + at) for at, one in enumerate(match[0]) if one == "I"]
    sentence.told.setdefault("processor.instructions", []).extend(names)
    return True


_FREE_TEXTS = ("system.os_version", "system.maker", "system.model", "system.kernel", "firmware.version", "firmware.date")
"""Readings of which any text may be one: within a sentence none is."""


def _mode(sentence: Sentence, match: _Match) -> bool:
    sentence.tell("firmware.mode", sentence.value(match.start("e")))
    return True


def _labelled(sentence: Sentence, match: _Match) -> bool:
    """A label within a sentence, with the value behind it."""
    from tallcheck.core.text.said import tried_said

    key = sentence.value(match.start())
    first, last = match.start("value"), match.end() - 1
    if key is None or key in _FREE_TEXTS or key.startswith("extra."):
        return False
    text = sentence.text[sentence.items[first].start : sentence.items[last].end]
    told = tried_said(key, text, sentence.vocabulary)
    for one in told:
        sentence.tell(one.key, one.value)
    return bool(told)


NAMES: tuple[Rule, ...] = (
    (r"(?P<n>n)x?(?=P|l)", _sockets),
    (r"(?<=P)(?P<sign>x)(?P<n>n)", _sockets),
    (r"S[(,]*[|/]n[^,;.]*", _two_versions), (r"S\|S", _two_versions),
    (r"(?P<S>S)", _system),
    (r"(?:ng[,]?)?(?P<P>P)(?:[(,]?ng\)?)?", _processor),
    (r"(?P<l>[lp])[,(]*(?P<n>n)[-.]?g\)?", _line), (r"(?P<l>[lp])[,(]*g[:]?(?P<n>n)\)?", _line),
    (r"(?P<n>n)[-.]?g[,]?(?P<l>[lp])(?:[(,]?ng\)?)?", _line),
    (r"(?P<l>l)", _line), (r"p(?![A-Za-z])", _maker),
    (r"(?P<n>n)[-.]?g|g[:]?(?P<m>n)", _generation),
    (r"\(?(?P<n>n)[-]?b[)]?(?P<L>L)?", _bits),
    (r"(?P<A>A)", _architecture),
    (r"(?P<Y>Y)", _shape),
    (r"(?P<e>e)", _mode),
    (r"L[:=]?(?P<value>[^_,;&LOPS:=]+)", _labelled),
    (r"I(?:[,;/&+]I)*", _sets),
    (r"(?P<d>d)|(?P<n>n)x(?P<m>n)(?![a-z])", _display),
)  # fmt: skip


def read_statement(text: str, vocabulary: Vocabulary, asked: str | None = None) -> Statement:
    """What a text tells, where ``asked`` is the reading that it answers, if any."""
    from tallcheck.core.text.amounts import AMOUNTS

    sentence = Sentence(text, vocabulary, asked)
    try:
        for rules in (_NOT_SO, CLOCKS, COUNTS, NAMES, AMOUNTS):
            apply(sentence, rules)
    except InputError:
        sentence.open = True
    told = [Told(key, value) for key, value in sentence.told.items() if value is not None]
    return Statement(told, sentence.left(), sentence.ahead(), sentence.crowded(),
                     sentence.open, sentence.denied)  # fmt: skip
