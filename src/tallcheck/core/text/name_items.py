"""Names among the tokens of a text: processors, systems, types of modules, instruction sets."""

import re
from typing import Any

from tallcheck.core.machine.instructions import LEVELS, canonical
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.text.lexicon import BRACKETS, Token, lexicon_of, tokens_of
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.text import compiled

PROCESSOR, LINE, MAKER, SYSTEM, SET, TYPE, FORM = "PlpSITj"
"""The letters of their items."""
ORDINAL = re.compile(r"st|nd|rd|th|er|te|ter|e|\u00e8me|eme|a|\u00aa|\u00ba")
_TYPE = re.compile(r"(?:lp)?ddr[1-6]?[lx]?|sdram|pc[2-5]l?")
_FORM = re.compile(r"(?:so|u|r|lr)?-?dimm|(?:lp|so)?camm2?")
_NO_WORDS = frozenset(LEVELS["x86-64-v4"])
"""Sets whose names are words of no language, in small letters, too."""
_SET_MOST = 5
"""Tokens of an instruction set's name, or a level's."""
_NAME_MOST = 9
"""Tokens of a processor's name."""
_TAIL = (
    r"(?:[\s,]*(?:\bcpu\b|\bprocessor\b|\bapu\b|\bsoc\b|\bfamily\b|\bv\d\b"
    r"|\b(?:with|w/)\s+radeon\b(?:\s+(?:vega|hd|mobile|pro|r\d\w*|\d+\w*(?![.,\d]*\s?[gm]hz)|graphics|gfx)\b)*"
    r"|@\s*[\d.,]+\s*[gm]hz))+"
)  # fmt: skip
"""What screens write behind a processor's name."""
_OF_NAMES = frozenset({
    "pro", "gold", "silver", "bronze", "platinum", "duo", "quad", "extreme", "solo", "mobile",
    "ii", "iii", "iv", "elite", "plus", "threadripper", "i3", "i5", "i7", "i9", "m3", "m5", "m7",
    "r3", "r5", "r7", "r9", "dual", "technology", "x2", "x3", "x4", "x6", "hx", "ai", "evo",
})  # fmt: skip
"""Words within processors' names, besides those of their lines."""
_LINES = (
    (re.compile(r"(?:intel )?(?:core )?i[3579]|(?:intel )?core m[357]?|intel m[357]?"), "Core"),
    (re.compile(r"(?:intel )?(?:core )?ultra(?: [3579])?"), "Core Ultra"),
    (re.compile(r"(?:amd )?ryzen(?: [3579])?(?: pro)?"), "Ryzen"),
)
_BEHIND_SYSTEM = frozenset({"gnu", "linux", "version", "ver", "release", "v", "edition", "lts",
                            "os", "kernel", "sp", "nt"})  # fmt: skip
_BRACKET = re.compile(r"\s*\(([^()]{1,60})\)")
_OF_A_SYSTEM = re.compile(
    r"(?i)build|edition|version|\d\d[ -]?bits?|^\d+(?:\.\d+)*$|^[\d.]+[\w.-]*$"
)
_RELEASE = re.compile(r"(?i)\d{2}h[12]|1[5-9]\d\d|20[0-2]\d")


CLOCK_UNITS = {"hz": "Hz", "khz": "kHz", "mhz": "MHz", "ghz": "GHz", "gigahertz": "GHz",
           "megahertz": "MHz"}  # fmt: skip


Found = tuple[int, str, Any]
"""Where a name ends, its letter and its value; zero where there is none."""


class Names:
    """The tokens of a text, and the names that begin at one."""

    def __init__(self, text: str, vocabulary: Vocabulary) -> None:
        self.text, self.tokens = text.translate(BRACKETS), tokens_of(text)
        self.lexicon = lexicon_of(vocabulary)
        self.systems, self.namer = vocabulary.systems, vocabulary.processors

    def longest(self, at: int) -> Found:
        """The longest name that begins at a token."""
        return max((self._system(at), self._processor(at), self._kind(at)), key=lambda one: one[0])

    def is_at(self, at: int, plain: str) -> bool:
        """Whether a token stands at a place."""
        return at < len(self.tokens) and self.tokens[at].plain == plain

    def is_unit(self, token: Token, glued: bool, number_behind: bool) -> bool:
        """Whether a word behind a number is a unit of sizes; a single letter only where glued."""
        if token.plain in ("g", "m", "t", "ki", "mi", "gi", "ti"):
            return glued
        known = self.lexicon.longest([token], 0)
        unit = known is not None and "unit" in known[0].senses
        if token.plain == "to" and not glued:  # of French terabytes, or a word of English
            return unit and not number_behind and self.text[token.start] == "T"
        return unit

    def counts(self, at: int) -> bool:
        """Whether a number counts something, so that it is none of a name's."""
        behind = self.tokens[at + 1]
        if behind.kind == "mark":
            if behind.plain not in "-.%":
                return (
                    behind.plain == "/"
                    and behind.start == self.tokens[at].end
                    and at + 2 < len(self.tokens)
                    and (self.tokens[at + 2].kind == "number")
                )
            if behind.plain == "%" or at + 2 >= len(self.tokens):
                return behind.plain == "%"
            mark, behind = behind, self.tokens[at + 2]
            known = self.lexicon.longest([behind], 0)
            return (
                known is not None
                and mark.end == behind.start
                and {"bit", "core", "thread", "generation"} & set(known[0].senses) != set()
            )
        glued = behind.start == self.tokens[at].end
        if behind.plain in CLOCK_UNITS or (
            behind.kind == "times" and self.tokens[at].end - self.tokens[at].start < 3
        ):
            return True
        if len(behind.plain) == 1 and len(self.tokens[at].plain) > 3:
            return False  # Athlon 3000G
        if self.is_unit(behind, glued, False):
            return True
        if behind.plain in ("c", "t") and glued and self.is_at(at + 2, "/"):
            return True  # 6C/12T
        if glued:
            return bool(ORDINAL.fullmatch(behind.plain)) and behind.plain != "e"
        known = self.lexicon.longest(self.tokens, at + 1)
        senses = set(known[0].senses) if known is not None else set()
        if "core" in senses and self._processor(at + 1)[0]:
            return False  # "Windows 10 Core i5"
        return bool(
            senses
            & {"core", "thread", "slot", "module", "generation", "bit", "kind", "socket", "idle"}
        )

    def _kind(self, at: int) -> Found:
        """A type or form of modules, or an instruction set; zero where it is none of them."""
        tokens, plain = self.tokens, self.tokens[at].plain
        if _FORM.fullmatch(plain) or (
            plain in ("so", "u", "r", "lr")
            and [one.plain for one in tokens[at + 1 : at + 3]] == ["-", "dimm"]
        ):
            form = plain if _FORM.fullmatch(plain) else f"{plain}dimm"
            return (at + (1 if _FORM.fullmatch(plain) else 3), FORM, form)
        if _TYPE.fullmatch(plain) and (plain[0] != "p" or self.is_at(at + 1, "-")):
            rate = [one.plain for one in tokens[at + 1 : at + 3]]
            end = at + 1
            glued = len(rate) == 2 and tokens[at + 1].end == tokens[at + 2].start
            if glued and rate[0] == "-" and re.fullmatch(r"\d{3,5}", rate[1]):
                end = at + 3
                if (
                    end < len(tokens)
                    and tokens[end].start == tokens[end - 1].end
                    and tokens[end].kind == "word"
                ):
                    end += 1
            return (end, TYPE, self.text[tokens[at].start : tokens[end - 1].end])
        best: Found = (0, "", None)
        for end in range(at + 1, min(at + _SET_MOST, len(tokens)) + 1):
            part = self.text[tokens[at].start : tokens[end - 1].end]
            name = part.lower() if part.lower() in LEVELS else canonical(part)
            if name and len(part) > 2 and (
                part.isupper() or any(map(str.isdigit, part)) or name in _NO_WORDS
            ):  # fmt: skip
                best = (end, SET, name)
        return best

    def _processor(self, at: int) -> Found:
        """A processor's name, a line or a maker; zero where it is none of them."""
        tokens = self.tokens
        first = tokens[at]
        known = first.plain in self.namer.words or first.plain in self.namer.makers
        coded = first.kind == "word" and re.search(r"\d", first.plain) is not None
        coded = coded and not self._other_code(first)
        if first.kind != "word" or not (known or coded or self._glued(at)):
            return 0, "", None
        ends = self._ends(at)
        for end in reversed(ends):
            name = self.text[first.start : tokens[end - 1].end]
            named = self.namer.named(name)
            told = named is not None and (named.generation or re.search(r"\d", name))
            told = told and not re.search(r"\b\d[.,]\d+$", name)  # a clock without its unit
            whole = not self._is_cut(end) and not self._only_a_line(name)
            if told and whole and (known or self._needs_first(at, end)):
                return self._with_tail(end), PROCESSOR, None
        for end in reversed(ends):
            line = self._line(self.text[first.start : tokens[end - 1].end])
            if line:
                return end, LINE, line
        if first.plain in self.namer.makers:
            return at + 1, MAKER, self.namer.makers[first.plain]
        return 0, "", None

    def _glued(self, at: int) -> bool:
        """Whether a word is glued to a mark and a number, as in A6-9225."""
        behind = self.tokens[at + 1 : at + 3]
        return [one.kind for one in behind] == ["mark", "number"] and behind[0].plain == "-"

    def _ends(self, at: int) -> list[int]:
        """Where a name that begins at a token may end."""
        tokens, ends = self.tokens, []
        for end in range(at, min(at + _NAME_MOST, len(tokens))):
            token = tokens[end]
            glued = end > at and token.start == tokens[end - 1].end
            if token.plain in ("cpu", "processor") and end > at:
                continue
            if token.kind == "mark":
                if token.plain not in "-_" or end == at or self._parts(at, end):
                    break
                continue
            if token.kind == "times" or self._core_count(at, end):
                break
            if token.kind == "number" and end > at:
                unit = end + 1 < len(tokens) and self.counts(end)
                if unit and not self._of_line(end):
                    break
            elif end > at and not (
                glued or token.plain in self.namer.words or token.plain in self.namer.makers
                or token.plain in _OF_NAMES
                or (re.search(r"\d", token.plain) and not self._other_code(token))
                or re.fullmatch(r"v\d", token.plain) or self._of_number(end)
                or (len(token.plain) == 2 and self.is_at(end + 1, "-"))  # QL-60
                or (token.plain == "xp" and tokens[end - 1].plain == "athlon")
            ):  # fmt: skip
                break
            ends.append(end + 1)
        return ends

    def _parts(self, first: int, at: int) -> bool:
        """Whether a dash stands between blanks, and what is behind it is no more of the name."""
        before, behind = self.tokens[at - 1], self.tokens[at + 1 : at + 2]
        if not behind or self.tokens[at].start == before.end:
            return False
        whole = any(re.search(r"\d{3}", one.plain) for one in self.tokens[first:at])
        return whole or re.search(r"\d{3}", behind[0].plain) is None

    def _core_count(self, at: int, end: int) -> bool:
        """Whether a word counts cores behind a name that has its number: A9-9425 dual-core."""
        glued = self.is_at(end + 1, "c") and len(self.tokens[end].plain) < 3  # Gold 6226R 16C
        if self.tokens[end].plain not in ("dual", "quad", "octa") and not glued:
            return False
        return any(re.search(r"\d{3}", one.plain) for one in self.tokens[at:end])

    def _of_line(self, at: int) -> bool:
        """Whether a number of three digits and more, and its letter, are a line's: i5-520M."""
        before, token = self.tokens[at - 1], self.tokens[at]
        joined = before.plain == "-" and before.end == token.start
        joined = joined or re.fullmatch("i[357]", before.plain) is not None
        return joined and len(token.plain) > 2 and len(self.tokens[at + 1].plain) == 1

    def _of_number(self, at: int) -> bool:
        """Whether a letter stands alone before a number of three digits: i5 M 430."""
        behind = self.tokens[at + 1].plain if at + 1 < len(self.tokens) else ""
        return len(self.tokens[at].plain) == 1 and re.fullmatch(r"\d{3}", behind) is not None

    def _is_cut(self, end: int) -> bool:
        """Whether a name would end within a word: "i5-825" of "i5-825OU"."""
        behind = self.tokens[end : end + 1]
        glued = bool(behind) and behind[0].start == self.tokens[end - 1].end
        return glued and behind[0].kind in ("word", "number")

    def _other_code(self, token: Token) -> bool:
        """Whether a word of letters and digits is a system with its version, or memory's type."""
        return self._system_word(token) is not None or _TYPE.fullmatch(token.plain) is not None

    def _only_a_line(self, name: str) -> bool:
        return self._line(name) is not None and not re.search(
            r"(?i)\d{3}|core.?2 (?:duo|quad)", name
        )

    def _needs_first(self, at: int, end: int) -> bool:
        """Whether the first word of a name is of it: without it the name tells less."""
        if end == at + 1:
            return True
        rest = self.text[self.tokens[at + 1].start : self.tokens[end - 1].end]
        whole = self.text[self.tokens[at].start : self.tokens[end - 1].end]
        return self.namer.named(rest) != self.namer.named(whole)

    def _with_tail(self, end: int) -> int:
        """The end of a name with what screens write behind it."""
        match = compiled(_TAIL, re.IGNORECASE).match(self.text, self.tokens[end - 1].end)
        if match is not None:
            while end < len(self.tokens) and self.tokens[end].start < match.end():
                end += 1
        return end

    def _line(self, name: str) -> tuple[str, str] | None:
        """The line and its maker that a text names, and nothing else."""
        plain = " ".join(re.sub(r"\((?:r|tm)\)|[\u00ae\u2122-]", " ", name.lower()).split())
        known = next((line for form, line in _LINES if form.fullmatch(plain)), None)
        found = self.namer.line(known or plain)
        return (found.name, found.maker) if found is not None and plain != "core" else None

    def _system(self, at: int) -> Found:
        """A system with all that stands behind its name; zero where it is none."""
        tokens = self.tokens
        if tokens[at].kind != "word":
            return 0, "", None
        named = 0
        if self.systems.may_begin(tokens[at].plain):
            for end in range(min(at + 6, len(tokens)), at, -1):
                if self.systems.is_name(self.text[tokens[at].start : tokens[end - 1].end]):
                    named = end
                    break
        single = named == at + 1 and len(tokens[at].plain) == 1
        if single or (not named and self._system_word(tokens[at]) is None):
            return 0, "", None
        name = self.text[tokens[at].start : tokens[(named or at + 1) - 1].end]
        before = tokens[at - 1 : at] if at else []
        other = bool(before) and before[0].kind == "word"
        if other and self.systems.is_short(name) and self.lexicon.longest(before, 0) is None:
            return 0, "", None  # "SQL Server 2019"
        counted = not named or name[-1:].isdigit()
        end = self._behind(named or at + 1, self.systems.editions_of(name), counted)
        try:
            said = self.systems.said(self.text[tokens[at].start : tokens[end - 1].end])
        except InputError:
            return 0, "", None
        # "Windows Update Service" is none: a word that is not known would be of its name
        bare = said.version is None and end < len(tokens) and tokens[end].kind == "word"
        if not said.known or (bare and self.lexicon.longest(tokens, end) is None):
            return 0, "", None
        return end, SYSTEM, said

    def _system_word(self, token: Token) -> str | None:
        """The name that a word begins with, which a version is glued to: win10."""
        # W10 is a system, W3565 is none
        match = re.fullmatch(r"([^\W\d](?!\d{3})[^\W\d]*)(\d+(?:\.\d+)*\w*)", token.plain)
        if self.text[token.end : token.end + 1] in ("_", "-"):
            return None
        return match[1] if match and self.systems.called(match[1]) is not None else None

    def _behind(self, end: int, editions: frozenset[str], counted: bool) -> int:
        """Where the version, the edition and the bits behind a system's name end."""
        while end < len(self.tokens) and (more := self._of_system(end, editions, counted)):
            counted = counted or (self.tokens[end].kind == "number" and not self._bits(end))
            end += more
        while self.tokens[end - 1].plain in ("for", "-", "/", "version", "with", "kernel"):
            end -= 1
        return end

    def _of_system(self, at: int, editions: frozenset[str], counted: bool) -> int:
        """How many tokens belong to the system before; ``counted``: it has its version."""
        token = self.tokens[at]
        behind = self.tokens[at + 1].plain if at + 1 < len(self.tokens) else ""
        if bits := self._bits(at):
            return bits
        if token.kind == "number":
            return self._version(at, counted)
        if token.plain == "(":
            return self._in_brackets(at, editions)
        if token.kind == "mark":
            joins = token.plain in ",;|/-\u2013" and behind in ("version", "build", "release")
            joins = joins or (
                token.plain in "-/" and (behind in _BEHIND_SYSTEM or bool(self._bits(at + 1)))
            )
            return int(joins)
        if token.plain == "build" and behind[:1].isdigit():
            return 2
        if token.plain == "service" and behind == "pack" and at + 2 < len(self.tokens):
            return 3 if self.tokens[at + 2].kind == "number" else 0
        line = token.plain in self.namer.words and self._processor(at)[0] > at + 1
        known = (
            token.plain in _BEHIND_SYSTEM
            or token.plain in editions
            or self.systems.is_version(token.plain)
            or re.fullmatch(r"(?:sp|r|v)\d|h[12]", token.plain) is not None
        )
        return int(token.kind == "word" and known and not line)

    def _version(self, at: int, counted: bool) -> int:
        """How many tokens of a version stand here: its number, or a release within it."""
        tokens = self.tokens
        release = _RELEASE.match(self.text, tokens[at].start)
        if release is not None and counted:
            return 1 if tokens[at].end >= release.end() else 2
        several = self.is_at(at + 1, "/")  # Windows 10/11
        of_another = at + 1 < len(tokens) and self.counts(at) and not several
        if counted and tokens[at].plain in ("32", "64"):
            return int(not of_another)  # Windows 7 64
        return int(not counted and not of_another)

    def _in_brackets(self, at: int, editions: frozenset[str]) -> int:
        """How many tokens stand in brackets that tell of the system before."""
        match = _BRACKET.match(self.text, self.tokens[at].start)
        if match is None or not self._of_a_system(match[1], editions):
            return 0
        return sum(one.start < match.end() for one in self.tokens[at:])

    def _bits(self, at: int) -> int:
        """How many tokens say the bits of a system here."""
        plain = [one.plain for one in self.tokens[at : at + 3]]
        if plain[:1] in (["32"], ["64"]):
            if plain[1:2] and plain[1].startswith("bit"):
                return 2
            if plain[1:2] == ["-"] and plain[2:] and plain[2].startswith("bit"):
                return 3
        if plain[:3] == ["x86", "_", "64"]:
            return 3
        return 1 if plain[:1] in (["x64"], ["x86"], ["amd64"], ["64bit"], ["32bit"]) else 0

    def _of_a_system(self, text: str, editions: frozenset[str]) -> bool:
        words = re.findall(r"[^\s,;]+", text)
        if "32" in text and "64" in text:
            return False
        return _OF_A_SYSTEM.search(text) is not None or any(
            one.lower() in editions or self.systems.is_version(one.lower()) for one in words
        )
