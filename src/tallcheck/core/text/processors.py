"""A processor as people and screens write it: name, clock, cores; or line and generation only."""

import re
from typing import Any

from tallcheck.core.machine.naming import Namer
from tallcheck.core.machine.readings import Told
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.quantities import parse_clock
from tallcheck.core.values.scanning import NUMBER, NUMBER_WORDS, Scan, fold

EXPECTED = 'a processor\'s name, such as "Osier Wand S5 214"'
_COUNTED = "|".join(NUMBER_WORDS)
_COUNTS = (
    ("processor.threads",
     r"(?:(?:logical (?:processor|core)|thread|v(?:irtual )?cpu)(?:\(s\)|s\b|\b)"
     r"|logische(?:\(r\)|r)? prozessor(?:\(en\)|en\b|\b)"
     r"|processeur(?:\(s\)|s)? logique(?:\(s\)|s\b|\b))"),
    ("processor.cores",
     r"(?:physical )?(?:core|kern|c\u0153ur|coeur)(?:\((?:s|e)\)|s\b|e\b|en\b|\b)"),
)  # fmt: skip
_CACHE = rf"(?i),?\s*{NUMBER}\s*mi?b?\s+(?:\w+\s+){{0,2}}cache\b"
_OF_A_MODEL = r"(?!(?:\d{2,}|[13579])\s+core\s+(?:i[3579]|m[357]?|ultra|duo|2)\b)"
"""Not a machine's number before a line's name, as in "Satchel 14 core i5"."""
_GENERATION = (
    r"(?i)\b(\d{1,2})(?:st|nd|rd|th|\.|te|e|eme|\u00e8me)?\s*-?(?:gen(?:eration)?|g\u00e9n(?:\u00e9ration)?)\b"
    r"|\bgen(?:eration)?\s*(\d{1,2})\b|\b(\d)000(?:[\s-]*series)?\b|\b(\d{1,2})(?:st|nd|rd|th)\b"
)
_LOOSE = (
    r"(?i)\b(?:some|an?|it'?s|is|the|der|with|kind of|sort of|ein|un|v ?pro|evo|inside|series)\b"
)
_THREADS_BESIDE = r"(?i)\(\s*(\d{1,4})\s*CPUs?\s*\)|\u00d7\s*(\d{1,4})\s*$"
"""How screens count the logical processors behind a name: ``(8 CPUs)``, ``× 8``."""
_NO_NAMES = frozenset({
    "x64", "x86", "x86_64", "x86 64", "amd64", "arm64", "aarch64", "64 bit", "32 bit", "64 bits",
    "32 bits", "64bit", "32bit",
})  # fmt: skip
_LINES = (
    (r"(?i)(?:intel )?(?:core )?(?:i[3579]|m[357]?)", "Core"),
    (r"(?i)(?:intel )?(?:core )?ultra(?: [3579])?", "Core Ultra"),
    (r"(?i)(?:amd )?ryzen(?: [3579])?(?: pro)?", "Ryzen"),
)


def counts_said(text: str) -> tuple[dict[str, int], str]:
    """Cores and threads that a text names, and the rest of the text."""
    scan, told = Scan(text), {}
    if match := scan.take(r"\b(\d+)\s*c\s*/\s*(\d+)\s*t\b"):
        return {"processor.cores": int(match[1]), "processor.threads": int(match[2])}, scan.text
    for key, what in _COUNTS:
        if match := scan.take(rf"\b{_OF_A_MODEL}(\d+|{_COUNTED})[\s-]*{what}"):
            word = match[1].lower()
            told[key] = NUMBER_WORDS.get(word) or int(word)
    return told, scan.text


_HIGHEST = r"(?:up to|turbo(?:\s+boost)?|boost|max(?:imum|\.)?|bis(?:\s+zu)?|jusqu'\u00e0)"
_OF_CLOCKS = (
    rf"\(?\b(?P<least>{NUMBER})\s*(?:[gm]hz)?\s*(?:-|\u2013|to|bis)\s*(?P<to>{NUMBER}\s*[gm]hz)\b\)?"
    rf"|\(?\b(?:{_HIGHEST}[\s:]+)+(?P<most>{NUMBER}\s*[gm]hz)\b\)?"
    rf"|\b(?P<before>{NUMBER}\s*[gm]hz)\s*\(?{_HIGHEST}\b\)?"
)
"""A highest clock, which is none that a processor runs at by itself, and a range up to one."""


def clocks_said(scan: Scan) -> dict[str, int]:
    """The highest clock that a text names, and of a range the nominal one."""
    match = scan.take(_OF_CLOCKS)
    if match is None:
        return {}
    most = parse_clock(match["to"] or match["most"] or match["before"])
    if match["least"] is None:
        return {"processor.clock_most": most}
    unit = str(match["to"])[-3:]
    return {
        "processor.clock": parse_clock(f"{match['least']} {unit}"),
        "processor.clock_most": most,
    }


def processor_said(text: str, namer: Namer) -> list[Told]:
    """What a text says of the processor. Raises InputError where that is not understood."""
    told: dict[str, Any] = {}
    beside = re.search(_THREADS_BESIDE, text)
    text = re.sub(_CACHE, "", re.sub(_THREADS_BESIDE, "", text))
    counts, rest = counts_said(text)
    scan = Scan(rest)
    if beside:
        counts.setdefault("processor.threads", int(beside[1] or beside[2]))
    told |= clocks_said(scan)
    if match := scan.take(r"@\s*(\d\.\d{1,2})(?!\s*[gm]hz|\d)"):
        told["processor.clock"] = parse_clock(f"{match[1]} GHz")
    elif match := scan.take(rf"(?:@\s*)?\b({NUMBER}\s*[gm]hz)\b"):
        told["processor.clock"] = parse_clock(match[1])
        while scan.take(rf"(?:@\s*)?\b{NUMBER}\s*[gm]hz\b"):
            pass
    rest = re.sub(r"\(\s*\)|~(?=\s|$)", " ", scan.text).strip(" ,;@()")
    if match := re.match(r"([2-8])\s*x\s+(?=\D)", rest, re.IGNORECASE):
        told["processor.sockets"], rest = int(match[1]), rest[match.end() :]
        text = text.strip()[match.end() :]
    elif match := re.search(r"(?<=\S)\s+x\s?([2-8])$", rest, re.IGNORECASE):
        told["processor.sockets"], rest = int(match[1]), rest[: match.start()]
        text = re.sub(r"(?i)\s+x\s?[2-8]\s*$", "", text)
    line = _line(rest, namer)
    name = _name(rest, namer) if line is None else None
    if line is not None:
        told |= line
    elif name is not None:
        # as it stands there, but for what is told apart
        written = re.sub(r" ?\((?!(?:R|TM|C)\))[^()]*\)", "", text, flags=re.IGNORECASE)
        written = " ".join(written.split(",")[0].split())
        written = re.sub(r"(@.*?hz)\s.*$", r"\1", written, flags=re.IGNORECASE)
        written = re.sub(r"\s*@\s*[\d.]+$", "", written)
        if "@" not in written:
            written = re.sub(rf"\s+{NUMBER}\s*[gm]hz$", "", written, flags=re.IGNORECASE)
        told["processor.name"] = written
    elif rest.strip() or not (told or counts):
        raise InputError(f'found "{text.strip()}"', EXPECTED)
    return [Told(key, value) for key, value in (told | counts).items()]


def _name(text: str, namer: Namer) -> str | None:
    """A processor's name: it has letters, and as a rule a number, or is one that is known."""
    text = " ".join(text.split(",")[0].split()).strip(" ,;")
    if not re.search(r"[^\W\d_]{1}", text) or len(text) < 2:
        return None
    bare = re.sub(_LOOSE, " ", text).strip()
    if re.match(r"(?:not|no|kein|pas)\b", bare, re.IGNORECASE) or fold(bare) in _NO_NAMES:
        return None
    return bare if namer.named(bare) is not None or re.search(r"\d", bare) else None


def _line(text: str, namer: Namer) -> dict[str, Any] | None:
    """Line and generation, where no model is named: "i5, 8th generation"."""
    match = re.search(_GENERATION, text)
    rest = re.sub(_GENERATION, " ", text)
    rest = " ".join(re.sub(_LOOSE, " ", re.sub(r"[(),;-]", " ", rest)).split())
    rest = re.sub(r"\b(?:processor|cpu|prozessor|processeur)\b", "", rest, flags=re.IGNORECASE)
    rest = " ".join(re.sub(r"\((?:r|tm)\)|[\u00ae\u2122]", "", rest, flags=re.IGNORECASE).split())
    name = next((line for pattern, line in _LINES if re.fullmatch(pattern, rest)), None)
    if rest.lower() == "intel" and match is not None:
        name = "Core"  # the one of its lines that the trade counts in generations
    if rest.lower() in namer.makers and match is None:
        return {"processor.maker": namer.makers[rest.lower()]}
    found = namer.line(name or rest) if rest else None
    if found is None or (rest.lower() == "core" and match is None):  # cores, it may be
        return None
    told: dict[str, Any] = {"processor.line": found.name}
    if found.maker:
        told["processor.maker"] = found.maker
    if match:
        told["processor.generation"] = int(next(filter(None, match.groups())))
    return told
