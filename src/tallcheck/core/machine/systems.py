"""Operating systems by name: name, version, edition and build apart, and the family."""

import re
from itertools import takewhile

from msgspec import Struct

from tallcheck.core.values.comparison import in_range
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.text import whole_numbers

_MAKERS = ("microsoft", "майкрософт", "ms", "apple", "canonical", "the")
_MARKS = r"\((?:r|tm|c|R|TM|C)\)|®|™|©"
_MARKED = frozenset("(®™©")
# searched for as text: to compile what only told systems need takes time from every start
_BITS = (
    r"(?i)[,(]? ?\b(?:(32|64)[\s-]*bits?\b|x(64|86)\b(?:-based(?: pc| processor)?)?"
    r"|(amd64|x86_64))"
    r"(?:[\s-]+(?:edition|version|system|operating system))?\s*\)?"
)
_VERSION = r"(?:version|ver\.?|release|kernel|v)?\s*(\d+(?:\.\d+)*(?:\s+R\d)?)"
_LETTERS_MOST = 2
"""Letters behind a version that may be of it, and are no word of their own."""
_RELEASE = r"(?i)\b(\d{2}H[12]|1[5-9]\d\d|20[0-2]\d)\b"
_BUILD = r"(?i)\(?\b(?:os\s+)?build\s+(\d{4,6}(?:\.\d+)?)\)?"
EXPECTED = 'a system with its version, such as "Merrow 10"'


class SystemWord(Struct, frozen=True, forbid_unknown_fields=True):
    """One system: its name, what else people call it, its family, words to set aside."""

    name: str
    family: str = ""
    also: tuple[str, ...] = ()
    ids: tuple[str, ...] = ()
    """What it calls itself in os-release(5)."""
    editions: tuple[str, ...] = ()
    """Words of its editions."""
    versions: dict[str, str] = {}
    """Names of versions, and the version each is."""
    short: tuple[str, ...] = ()
    """Words that stand for it before one of its versions only."""
    alone: tuple[str, ...] = ()
    """Short names of versions by which people call the system."""
    counted: dict[str, str] = {}
    """From which version, as the system counts, people say which."""
    wide: str = ""
    """The versions that there are with 64 bits only, such as ``>=11``."""
    called: dict[str, tuple[str, ...]] = {}
    """Versions that people say with another system's name: those that only this one has."""


class SystemSaid(Struct, frozen=True):
    """What was said of a system; None where it was not."""

    name: str
    version: str | None = None
    bits: int | None = None
    edition: str | None = None
    release: str | None = None
    """The release within a version, as in 22H2."""
    build: str | None = None
    known: bool = False
    """Whether it is one of the systems that the data names."""


def fold_system(name: str) -> str:
    """A system's name by which it is compared: case, marks, makers and "GNU/Linux" aside."""
    text = name.lower()
    if not _MARKED.isdisjoint(text):
        text = re.sub(_MARKS, " ", text)
    first, *rest = text.split(None, 1)[:2] or [""]
    if rest and first in _MAKERS:
        text = rest[0]
    text = text.replace("gnu/linux", " ").replace("_", " ").replace("-", " ")
    text = " ".join(text.split())
    return text.removesuffix(" linux").strip() or text


def _begins(text: str, name: str) -> bool:
    """Whether a text begins with a name, and not with a longer word."""
    return text.startswith(name) and not text[len(name) :][:1].isalpha()


class Systems:
    """The systems that the data names."""

    def __init__(self, words: list[SystemWord]) -> None:
        self.words = words
        self._names: dict[str, SystemWord] = {}
        for word in reversed(words):
            for name in filter(None, map(fold_system, (*word.also, word.name))):
                self._names[name] = word
        self._short = {one.lower(): word for word in words for one in word.short}
        self._families = {word.family for word in words if word.family}
        self._plain: dict[tuple[str | None, str], str] = {}
        self._longest = sorted(self._names, key=len, reverse=True)
        self._by_version = {
            name.lower(): word
            for word in reversed(words)
            for name in word.versions
            if name in word.alone or (len(name) > 3 and name.replace(" ", "").isalpha())
        }
        """Systems by the names of their versions alone."""
        self._editions = {one.lower() for word in words for one in word.editions}
        self._version_words = {
            part for word in words for name in word.versions for part in name.lower().split()
        }
        self._first_words = {
            re.split(r"\W", name, maxsplit=1)[0]
            for name in (*self._names, *self._by_version, *self._short)
        } | set(_MAKERS)

    def may_begin(self, word: str) -> bool:
        """Whether a system's name may begin with a word, in lower case."""
        return word in self._first_words

    def is_name(self, text: str) -> bool:
        """Whether a text is a system's name and nothing more, or a version's own name."""
        plain = text.lower()
        return fold_system(text) in self._names or plain in self._by_version or plain in self._short

    def is_short(self, text: str) -> bool:
        """Whether a text stands for a system before one of its versions only."""
        return text.lower() in self._short

    def editions_of(self, name: str) -> frozenset[str]:
        """The words of the editions, in lower case, of a system by its name."""
        word = self.called(re.sub(r"[\d.]+\w*$", "", name)) or self.called(name)
        plain = name.lower()
        word = word or self._by_version.get(plain) or self._short.get(plain)
        return frozenset(one.lower() for one in word.editions) if word else frozenset()

    def is_version(self, word: str) -> bool:
        """Whether a word, in lower case, is of a version's name."""
        return word in self._version_words

    def every_name(self) -> set[str]:
        """Every name that a system has, as the data write it."""
        return {name for word in self.words for name in (word.name, *word.also)}

    def called(self, name: str) -> SystemWord | None:
        """The system that a name stands for, or None."""
        return self._names.get(fold_system(name))

    def same(self, one: str, other: str) -> bool:
        """Whether two names stand for the same system."""
        here, there = self.called(one), self.called(other)
        if here is not None and there is not None:
            return here.name == there.name
        return fold_system(one) == fold_system(other)

    def is_family(self, name: str) -> bool:
        """Whether a name stands for a whole family, as Linux does."""
        return fold_system(name) in self._families

    def family(self, name: str, like: tuple[str, ...] = ()) -> str | None:
        """The family of a system, by its name or by what it says that it is like."""
        word = self.called(name)
        if word is not None and word.family:
            return word.family
        if fold_system(name) in self._families:
            return fold_system(name)
        for other in like:
            for one in self.words:
                if other in one.ids and one.family:
                    return one.family
        return "linux" if "linux" in name.lower() else None

    def said(self, text: str) -> SystemSaid:
        """A system as people and screens write it. Raises InputError."""
        rest = " ".join(re.sub(r"[\[\]]", " ", re.sub(_MARKS, " ", text)).split())
        rest = re.sub(r"(?i)\(\s*(?:version|ver\.?)\s+([^()]*)\)", r" \1 ", rest)
        bits = None
        if match := re.search(_BITS, rest):
            bits = 32 if match[1] == "32" or match[2] == "86" else 64
            rest = (rest[: match.start()] + " " + rest[match.end() :]).strip(" ,")
        rest = re.sub(r"(?i)(?<=\d)(?=R\d\b)", " ", rest)
        rest = re.sub(r"(?i)\bservice pack (?=\d)", "SP", rest)
        build = re.search(_BUILD, rest)
        if build:
            rest = (rest[: build.start()] + rest[build.end() :]).strip(" ,")
        rest = " ".join(re.sub(r"\([^()]*\)", " ", rest).split()).strip(" ,.;")
        if not re.search(r"[^\W\d]", rest):
            raise InputError(f'found "{text.strip()}"', EXPECTED)
        found = self._known(rest)
        if found is None:
            match = re.fullmatch(rf"(.+?)\s+{_VERSION}(?:\s+(.*))?", rest, re.IGNORECASE)
            if match is None:
                return SystemSaid(rest, None, bits)
            return SystemSaid(match[1], match[2], bits)
        word, rest = found
        release = None
        version, rest = self._version(word, rest)
        if version is None and build is not None:
            version = self._by_build(word, build[1])
        wide = [one for one in rest.replace(",", " ").split() if one.strip("-") in ("32", "64")]
        if bits is None and version is not None and len(wide) == 1:
            bits, rest = int(wide[0].strip("-")), rest.replace(wide[0], " ")
        if version is not None:
            first = version.partition(" ")[0]
            word = next((one for one in self.words if first in one.called.get(word.name, ())), word)
        if match := re.search(_RELEASE, rest):
            release, rest = match[1], rest.replace(match[0], " ", 1)
        words = [one for one in re.split(r"[\s,()]+", rest) if one]
        editions = " ".join(
            one for one in words
            if one.lower() not in ("edition", "version") and re.search(r"[^\W\d_]", one)
        )  # fmt: skip
        return SystemSaid(
            word.name, version, bits, editions or None, release, build[1] if build else None, True
        )

    def _known(self, text: str) -> tuple[SystemWord, str] | None:
        """The system that a text begins with, and the rest of it."""
        plain = re.sub(rf"(?i)^(?:{'|'.join(_MAKERS)})\s+", "", text)
        lower = re.sub(r"[\s_-]", " ", plain.lower())
        for name in self._longest:
            if not _begins(lower, name):
                continue
            if len(name) == 1 and not lower[1:2].isdigit():
                continue  # W10 is a system, a word that begins with w is none
            whole = (f"{name} gnu/linux", f"{name} linux", name)
            written = next(one for one in whole if _begins(lower, one))
            return self._names[name], plain[len(written) :].strip(" ,-:")
        for name, word in self._short.items():
            behind = lower[len(name) :].split()[:1] if _begins(lower, name) else []
            if behind and any(one.split()[0] == behind[0] for one in word.counted.values()):
                return word, plain[len(name) :].strip()
        named = (one for one in self._by_version if _begins(lower, one))
        return next(((self._by_version[one], plain) for one in named), None)

    def _version(self, word: SystemWord, text: str) -> tuple[str | None, str]:
        """The version that a text begins with or names, and the rest of it."""
        named = None
        for name in sorted(word.versions, key=len, reverse=True):
            match = re.search(rf"(?<!\w){re.escape(name)}(?!\w)", text, re.IGNORECASE)
            if match:
                named = word.versions[name]
                text = text[: match.start()] + " " + text[match.end() :]
                break
        # "10PRO" and "10P" are two words, and an edition may stand before the version
        words = re.sub(r"(?<=\d)(?=([^\W\d]+)\b)", self._apart, text).split()
        before = list(takewhile(lambda one: one.lower().strip(",") in self._editions, words))
        behind = " ".join(words[len(before) :])
        match = re.match(rf"{_VERSION}(?![\w.])", behind, re.IGNORECASE)
        if match is None:
            return named, text
        version = self.people_say(word, re.sub(r"\s+", " ", match[1]))
        return version, " ".join((*before, behind[match.end() :]))

    def _apart(self, match: re.Match[str]) -> str:
        """The blank between a version and the word behind it, where that is one of its own."""
        return " " if len(match[1]) > _LETTERS_MOST or match[1].lower() in self._editions else ""

    def _by_build(self, word: SystemWord, build: str) -> str | None:
        """The version whose builds are counted from the nearest one below a build."""
        number = whole_numbers(build)[0]
        builds = {whole_numbers(one)[2]: version for one, version in word.counted.items()
                  if one.count(".") == 2}  # fmt: skip
        below = [one for one in builds if one <= number]
        return builds[max(below)] if below else None

    def has_wide(self, name: str) -> bool:
        """Whether a system has versions that there are with 64 bits only."""
        word = self.called(name)
        return word is not None and bool(word.wide)

    def bits(self, name: str | None, version: str | None) -> int | None:
        """The bits of a system, where all of its version have the same."""
        word = self.called(name or "")
        if word is None or not word.wide or version is None:
            return None
        return 64 if in_range(self.plain_version(name, version), word.wide) else None

    def plain_version(self, name: str | None, version: str) -> str:
        """The version of a system by name as people say it: of Windows 10.0.22631 it is 11."""
        if (name, version) not in self._plain:
            word = self.called(name or "")
            plain = version if word is None else self.people_say(word, version)
            self._plain[name, version] = plain
        return self._plain[name, version]

    def people_say(self, word: SystemWord, version: str) -> str:
        """A version as people say it, from one as the system counts."""
        parts = whole_numbers(version)
        best = ""
        for least in word.counted:
            near = whole_numbers(least)
            if (
                len(parts) > 1
                and near[:2] == parts[:2]
                and near <= parts
                and (not best or near > whole_numbers(best))
            ):
                best = least
        return word.counted[best] if best else version
