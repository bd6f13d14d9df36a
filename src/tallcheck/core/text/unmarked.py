"""Words with nothing between them, cut into runs that tell something: ``i5-8250U 8GB 256GB SSD``.

Words that tell nothing, such as a model's, are a run that tells nothing; a sentence has more of
these, and is no such list.
"""

import re
from collections.abc import Callable
from math import inf

from msgspec import Struct

from tallcheck.core.machine.readings import Told
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.text.labels import begun_with
from tallcheck.core.text.said import plainly
from tallcheck.core.values.scanning import NUMBER_WORDS, SIZE, without_leading

_RUN_MOST = 6
"""Words of which a run is made, at most."""
_MODEL_MOST, _MISSED_MOST = 6, 2
"""Words that tell nothing: of a machine's model in front, and of those behind it."""
_SHORT_LIST = 8
"""Words of a text each of which is held against every name."""
NAMED = ("processor.name", "system.os")
"""Readings that are told by a name alone."""
_WORD = r"(?i)(?:core\s+(?=i[3579]|m[357]?\b|ultra\b|duo\b|2(?![.\w])))?\S+(?:\s*\([^()]*\))*"
"""A word, with what stands in brackets behind it; a line's name is one."""
_WISHED = {"need", "needs", "want", "wants", "require", "requires", "upgrade", "minimum", "buy"}
"""Words of what is not there yet."""
_SIZED = {"storage.drive", "storage.size", "storage.free", "memory.installed", "memory.modules",
          "memory.usable"}  # fmt: skip
_SIZE_FIRST = (
    rf"(?i){SIZE}|(?:\d|{'|'.join(NUMBER_WORDS)})\s*(?:x\s*)?{SIZE}"
    r"|\d{2,4}\s*(?:ssd|hdd|nvme|emmc)\b|(?:ssd|hdd|nvme|emmc)\b"
)
_THOUSANDS = r"\d+ \d{3}(?!\d)"
"""A figure and a size that would be one number."""


class Cut(Struct, frozen=True):
    """Words, cut into runs; ``missed`` is how many of the words tell nothing."""

    runs: list[tuple[str, list[Told]]] = []
    missed: int = 0

    def keys(self) -> set[str]:
        """What the runs tell."""
        return {one.key for _, told in self.runs for one in told}

    def behind(self, run: str, told: list[Told]) -> "Cut":
        """This behind one more run; words that tell nothing stay together."""
        runs, missed = self.runs, self.missed + (0 if told else len(run.split()))
        if not told and runs and not runs[0][1]:
            run, runs = f"{run} {runs[0][0]}", runs[1:]
        return Cut([(run, told), *runs], missed)


def _worth(cut: Cut) -> tuple[int, bool, int, int]:
    told = {one.key: one.value for _, some in cut.runs for one in some}
    # of "256 GB SSD 8 GB" the drive is the larger
    likely = told.get("storage.drive", inf) > told.get("memory.installed", 0)
    return -cut.missed, likely, len(cut.keys()), -len(cut.runs)


def best_cut(
    words: list[str], read: Callable[[str], list[Told]], vocabulary: Vocabulary
) -> Cut | None:
    """The way to cut that leaves the fewest words untold; then one that is likely and tells most.

    None for what is no list of what a machine has: too many words tell nothing.
    """
    cuts = [Cut()]
    for start in range(len(words) - 1, -1, -1):
        best = cuts[0].behind(words[start], [])
        for end in range(start + 1, min(start + _RUN_MOST, len(words)) + 1):
            run = " ".join(words[start:end])
            if (told := read(run)) and for_itself(run, told, vocabulary):
                best = max(best, cuts[end - start - 1].behind(run, told), key=_worth)
        cuts.insert(0, best)
        if start >= _MODEL_MOST and min(one.missed for one in cuts[:_RUN_MOST]) > _MISSED_MOST:
            return None  # whatever stands before
    before = 0 if cuts[0].runs[0][1] else len(cuts[0].runs[0][0].split())
    listed = before <= _MODEL_MOST and cuts[0].missed - before <= _MISSED_MOST
    return cuts[0] if listed else None


def words_of(text: str) -> list[str]:
    """The words of which runs are made."""
    return re.findall(_WORD, text)


def may_list(text: str, vocabulary: Vocabulary) -> bool:
    """Whether a text may be of several things: it has a size, or names a processor or a system."""
    said = text.lower().split()
    if text.endswith("?") or not _WISHED.isdisjoint(said):
        return False
    if plainly(text, vocabulary) is not None:
        return True
    words = vocabulary
    if any(word in words.processors.words or words.systems.called(word) for word in said):
        return True
    return len(said) <= _SHORT_LIST and any(plainly(word, vocabulary) in NAMED for word in said)


def for_itself(run: str, told: list[Told], vocabulary: Vocabulary) -> bool:
    """Whether what a run tells is all of it: it begins there, and no word is taken in for nothing.

    A generation alone may be a machine's.
    """
    keys = {one.key for one in told}
    for name in (one.value for one in told if one.key == "processor.name"):
        words, (first, _, rest) = vocabulary.processors, name.partition(" ")
        named = words.named(name)
        if named is None or (words.named(rest) == named and not words.begins(first)):
            return False
    if keys & _SIZED:
        run = without_leading(run)
        begins = re.match(_SIZE_FIRST, run) or begun_with(run, vocabulary.phrases.labels)
        return begins is not None and not re.match(_THOUSANDS, run)
    return keys != {"processor.generation"}
