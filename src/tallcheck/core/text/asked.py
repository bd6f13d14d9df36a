"""What one statement of a page asks for: the same grammar as of what a machine has, turned.

An upper bound asks for nothing, what is denied is handed back, of alternatives the least counts.
"""

import re
from collections.abc import Iterable
from typing import Any

from msgspec import Struct

from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.text.figures import CLOCKS, COUNTS, FOREIGN
from tallcheck.core.text.labels import SWITCHED
from tallcheck.core.text.lexicon import SAID_FOR
from tallcheck.core.text.names import NAMES, line_at
from tallcheck.core.text.sentence import Match, Rule, Sentence, apply, passed
from tallcheck.core.text.whose import AMOUNTS
from tallcheck.core.values.comparison import OR_MORE
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.quantities import format_clock, format_memory, format_storage
from tallcheck.core.values.text import fold, whole_numbers

_LABELS = {
    "memory": "memory.installed", "memory_own": "memory.installed", "storage": "storage.drive",
    "storage_free": "storage.free", "graphics_memory": "graphics.memory", "display": "display",
}  # fmt: skip
"""Of which reading a clause tells that names none, by the key that the one before asked for."""
_COUNTED = {"cores": "processor.cores", "threads": "processor.threads"}
"""What a number alone counts, by the key that the clause before asked for."""
_OTHER_SYSTEM = re.compile(rf"\s*([^\W\d][\w .!-]*?)\s+(\d[\d.]*)\s*{OR_MORE}?\s*", re.IGNORECASE)
"""A system that no data names, alone behind its label."""
_WIDE = ("x86-64", "arm64", "riscv64")


class Asked(Struct):
    """Values by key, and the parts that ask for something that is not understood."""

    values: dict[str, Any]
    left: list[str]


def _reported(sentence: Sentence, match: Match) -> bool:
    """Handed back: it is denied, or was so once."""
    sentence.recode(match.start(), "Z" * len(match[0]))
    return False


def _systems(sentence: Sentence, match: Match) -> bool:
    """A system; of several versions the lowest counts."""
    said = sentence.value(match.start("S"))
    versions = [said.version] if said.version else []
    versions += map(str, sentence.values(match, "n")[: -1 if match["either"] else None])
    version = min(versions, key=whole_numbers, default="")
    known = sentence.told.setdefault("os", {})
    before = known.setdefault(said.name, version)
    if version and (not before or whole_numbers(version) < whole_numbers(before)):
        known[said.name] = version
    if said.bits and not match["either"]:
        sentence.told["system.os_bits"] = said.bits
    sentence.told["system.os"] = said.name
    return True


def _either(sentence: Sentence, match: Match) -> bool:
    """Bits or architectures of which any will do; of both widths nothing is asked."""
    bits, names = set(), []
    for at in range(*match.span()):
        if sentence.codes[at] == "A":
            names.append(sentence.value(at))
            bits.add(64 if sentence.value(at) in _WIDE else 32)
        elif sentence.codes[at] == "n":
            bits.add(sentence.count(at) or 0)
    if not bits <= {32, 64}:
        return False
    if len(bits) == 1 and names:
        sentence.told["architectures"] = names
    return True


def _generations(sentence: Sentence, match: Match) -> bool:
    told = line_at(sentence, match.start("l"))
    number = sentence.count(match.start("n"))
    if number is None or told is None:
        return False
    number = number // 1000 if number >= 1000 else number
    sentence.told.setdefault("generation", {})[told[0]] = number
    return True


def _other_line(sentence: Sentence, match: Match) -> bool:
    """A processor of which no generation is asked for: what else is asked is one half."""
    sentence.told["half"] = True
    return _reported(sentence, match)


def _series(sentence: Sentence, match: Match) -> bool:
    """A name that is a generation's number in thousands: ``Ryzen 3000``."""
    name = re.fullmatch(r"(.+?)[ -]?(\d)000", sentence.written(match.start()))
    line = sentence.vocabulary.processors.line(name[1]) if name else None
    if name is None or line is None:
        return False
    sentence.told.setdefault("generation", {})[line.name] = int(name[2])
    return True


def _interface(sentence: Sentence, match: Match) -> bool:
    name = sentence.value(match.start())
    if isinstance(name, tuple):
        name, version = name
    elif "n" in match[0]:
        version = str(sentence.value(match.end() - 1))
    else:
        return _reported(sentence, match)
    sentence.told.setdefault("graphics", {})[name] = version
    return True


def _own_memory(sentence: Sentence, match: Match) -> bool:
    sentence.told["own"] = True
    return True


def _in_passing(sentence: Sentence, match: Match) -> bool:
    """A resolution by its name that no word for a display stands beside: ``16 GB for 4K``."""
    named = any(item.value == "display" for item in sentence.items)
    return not named and sentence.asked != "display" and _reported(sentence, match)


def _from(sentence: Sentence, match: Match) -> bool:
    """``4-8 GB``: the lower figure is what is asked for."""
    at, unit = match.start("n"), str(sentence.value(match.start("s"))).partition(" ")[2]
    if sentence.codes[at] == "n":
        sentence.items[at].value = f"{sentence.value(at)} {unit}"
        sentence.recode(at, "s")
    sentence.take(at + 1, match.end())
    return False


def _able(sentence: Sentence, match: Match) -> bool:
    """What is asked for by its name alone."""
    key = sentence.value(match.start())
    if key not in SWITCHED[1:]:
        return False
    on = {word for word, state in SAID_FOR[key].items() if state == "on"}
    asked = on & set(fold(sentence.text).split())
    sentence.told.setdefault(key, "on" if asked else "able")
    return True


def _both_bits(sentence: Sentence, match: Match) -> bool:
    number = sentence.count(match.start())
    if number not in (32, 64):
        return False
    sentence.told["processor.bits"] = sentence.told["system.os_bits"] = number
    return True


_WIDTH = r"(?:n-?b(?:\(A\))?|A-?b?)"
_BITS = rf"\(?(?:{_WIDTH}|n)[-]?[|/&,]+{_WIDTH}[)]?L?\)?"
_TURNED: tuple[Rule, ...] = (
    (r"(?:^|(?<=[;.]))[^;.$]*\$[^;.]*", _reported), (r"^[^:N]*N[^:]*:.*", _reported),
    (r"(?:^|(?<=[),;.])|\()[^(),;.NWi]*[NWi][^(),;.]*\)?", _reported),
    (r"M+:?[snh](?:F?O|-?[ct])?(?:&[snh](?:F?O|-?[ct])?)+", _reported),
    (r"(?P<n>[ns])-(?P<s>s)", _from), (r"s[FOTj]*E", _reported),
    (r"M+Z?O?[:]?[snh]O?|[snh]M+", passed), (r"<[^,;.]*", _reported),
    (r"Pg?", _series), (r"P@?h?", _other_line),
    *FOREIGN,
    (r"p(?:[|/,]+p)+", passed), (r"A[|/][plP]|[plP][|/]A|I[|/][ZAI]|[ZA][|/]I", _reported),
    (r"\([^()]*s[^()]*Z[^()]*\)", _reported),
    (r"\([^()]*s[^()]*d[^()]*\)", _reported), (r"d", _in_passing),
    (_BITS, _either),
    (r"n-?b[L]&L", _both_bits),
    (r"(?P<n>n)[-.]?g[,]?(?P<l>[lp])", _generations),
    (r"(?P<l>[lp])[(,]*(?P<n>n)[-.]?g\)?", _generations),
    (r"(?P<l>[lp])g[:]?(?P<n>n)", _generations), (r"l", _other_line),
    (r"(?P<S>S)(?:[|/,&]+n(?![-]?[bcktg]))*(?P<either>[|/]n-?b)?", _systems),
    (r"a(?:[-:]*n)?[|/]a(?:[-:]*n)?", _reported), (r"a(?:[-:]*n)?", _interface),
    (r"y", _own_memory),
    (r"K[|/&]K", passed),
)  # fmt: skip


def asked_in(
    text: str, vocabulary: Vocabulary, system: bool, before: tuple[str, ...] = ()
) -> Asked:
    """What a statement asks for; ``before`` are the keys that the clause before it asked for."""
    label, rest = _label(text, vocabulary)
    sentence = Sentence(rest, vocabulary, label or _only(before, _LABELS), " QR")
    sentence.page = True
    if set(sentence.codes) <= {*"n(),;."} and (counted := _only(before, _COUNTED)):
        sentence.asked = counted
    if (
        label == "system.os"
        and "S" not in sentence.codes
        and (other := _OTHER_SYSTEM.fullmatch(rest))
    ):
        return Asked({"os": [f"{other[1]} >= {other[2]}"]}, [])
    if label is None and rest is text and _of_another(text, sentence):
        return Asked({}, [text])
    try:
        apply(sentence, _TURNED, CLOCKS, COUNTS, NAMES, AMOUNTS, ((r"L", _able),))
    except InputError:
        return Asked({}, [text])
    if kernel := sentence.told.get("system.kernel"):
        sentence.told.setdefault("os", {})["Linux"] = kernel  # the version of Linux itself
    if "generation" in sentence.told and "half" in sentence.told:
        return Asked({}, [text])  # of several that will do not one half
    if label not in (None, "system.os") and "os" in sentence.told:
        return Asked({}, [text])  # what is asked for under one system or another
    told = {name: value for name, value in sentence.told.items() if value is not None}
    twice = [name for name, value in sentence.told.items() if value is None]
    page = vocabulary.phrases.page
    left = [one for one in sentence.left() if not all(word in page for word in fold(one).split())]
    if left and not any(told.get("os", {"": "known"}).values()):
        return Asked({}, [text])  # a name alone may be in any sentence
    return Asked(_values(told, system, vocabulary), [text] if twice else left)


def _only(keys: tuple[str, ...], table: dict[str, str]) -> str | None:
    """What a table has for the one of some keys that is in it; None where several are."""
    found = [table[one] for one in keys if one in table]
    return found[0] if len(found) == 1 else None


def _label(text: str, vocabulary: Vocabulary) -> tuple[str | None, str]:
    """The reading that a page's own label stands for, if it has one, and the rest."""
    head, colon, rest = text.partition(":")
    if not colon or not rest.strip():
        return None, text
    if re.match(r"\s*\d", rest) and vocabulary.systems.called(head) is not None:
        return "system.os", f"{head} {rest}"  # "macOS: 13"
    bare = fold(re.sub(r"\([^()]*\)", " ", head))
    key = vocabulary.phrases.within.get("page", {}).get(bare)
    known = vocabulary.phrases.labels.get(bare)
    if key is None and known is not None:
        if known in SWITCHED:  # asked for by its name, whatever stands behind it
            return None, text
        if known.startswith("processor."):
            return None, f"{head} {rest}" if known in _KEPT else rest
    key = key or known
    return (key, rest) if key is not None else (None, text)


_KEPT = ("processor.cores", "processor.threads", "processor.sockets", "processor.name")
"""Labels that tell what a number behind them is of."""


def _of_another(text: str, sentence: Sentence) -> bool:
    """Whether a label that is not known stands in front of figures: they are of another thing."""
    colon = sentence.codes.find(":")
    if sentence.codes[:colon] == "Y" and sentence.written(0).lower() == "pc":
        return False  # any machine
    return (
        colon > 0
        and set(sentence.codes[:colon]) <= {*"ZnY()"}
        and not {*"ZY"}.isdisjoint(sentence.codes[:colon])
    )


_TEXTS = {
    "memory.installed": ("memory", format_memory), "memory.usable": ("memory", format_memory),
    "memory.available": ("memory_own", format_memory),
    "graphics.memory": ("graphics_memory", format_memory),
    "storage.free": ("storage_free", format_storage),
    "storage.size": ("storage_free", format_storage),
    "processor.clock": ("clock", format_clock),
}  # fmt: skip
_AS_THEY_ARE = {
    "processor.cores": "cores", "processor.threads": "threads", "processor.bits": "processor_bits",
    "system.os_bits": "os_bits", "processor.instructions": "instructions", "display": "display",
    "storage.kind": "storage_kind", "firmware.mode": "firmware",
    "firmware.secure_boot": "secure_boot", "firmware.security_module": "security_module",
    "processor.virtualization": "virtualization", "generation": "generation",
    "graphics": "graphics",
}  # fmt: skip


def names_a_linux(names: Iterable[str], vocabulary: Vocabulary) -> bool:
    """Whether a system of that family is among some names, besides the family's own."""
    return any(name != "Linux" and vocabulary.systems.family(name) == "linux" for name in names)


def _values(told: dict[str, Any], system: bool, vocabulary: Vocabulary) -> dict[str, Any]:
    """Told readings as values of a needs sheet."""
    found: dict[str, Any] = {}
    # "enabled in the BIOS" asks for no such firmware, and a "hard disk" is any drive
    for name, word in (("firmware.mode", "bios"), ("storage.kind", "spinning")):
        if told.get(name) == word:
            del told[name]
    if names_a_linux(told.get("os", ()), vocabulary):
        told["os"].pop("Linux", None)  # a heading over those that are named
    if "os" in told:
        found["os"] = [
            f"{name} >= {least}" if least else name for name, least in told["os"].items()
        ]
    for key, value in told.items():
        if key in _TEXTS:
            name, shown = _TEXTS[key]
            found.setdefault(name, shown(value, 2))
        elif key in _AS_THEY_ARE and not (key == "graphics" and isinstance(value, list)):
            found[_AS_THEY_ARE[key]] = value
    if "storage.drive" in told:
        whole = system or "storage_free" in found
        found["storage" if whole else "storage_free"] = format_storage(told["storage.drive"], 2)
    if told.get("own") and "memory" in found:
        found["memory_own"] = found.pop("memory")
    names = told.get("architectures") or []
    if names:
        found["architecture"] = names
    elif told.get("processor.architecture") in _WIDE:
        found["processor_bits"] = 64
    return found
