"""A sentence while it is read: its items as a row of letters, of which rules take what they fit.

The letters of words are in ``lexicon.CODES``, those of names in ``name_items``, those of figures in
``items``; a mark is itself.
"""

import re
from collections.abc import Callable, Iterator
from itertools import chain
from typing import Any

from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.text.items import YEARS, Item, items_of
from tallcheck.core.values.plain import whole_number
from tallcheck.core.values.text import compiled

TAKEN = "_"
Match = re.Match[str]
LEFT = "ZHnshv%dPSIGTlJ"
"""Items that tell something, or may."""
_TURNS = "fuUMBF"
"""Words that belong to the figure before them."""
_AHEAD_MOST, _MISSED_MOST = 6, 2
"""Words that are not known, of a model in front and of what is told in a clause."""
_STRONG = "nshPlSIGKJOcL"
"""Items that tell of a machine; words in front of the first one may be its model's."""


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

    def matches(self, pattern: str) -> Iterator[Match]:
        """Each match of a pattern over what is left, the first one first."""
        at = 0
        search = compiled(pattern).search
        while at <= len(self.codes) and (match := search(self.codes, at)):
            yield match
            taken = self.codes[match.start() : match.start() + 1] == TAKEN
            at = max(match.start() + 1, match.end() if taken else 0)

    def recode(self, start: int, codes: str) -> None:
        """Give items other senses, from one on."""
        self.codes = self.codes[:start] + codes + self.codes[start + len(codes) :]

    def take(self, start: int, end: int) -> None:
        """Mark items as understood."""
        self.recode(start, TAKEN * (end - start))

    def tell(self, key: str, value: Any) -> None:
        """A reading; another value for the same settles nothing."""
        if self.told.setdefault(key, value) != value:
            self.told[key], self.open = None, True

    def value(self, at: int) -> Any:
        """What an item stands for."""
        return self.items[at].value

    def values(self, match: Match, code: str) -> list[Any]:
        """What the items of one sense in a match stand for."""
        return [self.value(at) for at in range(*match.span()) if self.codes[at] == code]

    def written(self, first: int, last: int | None = None) -> str:
        """An item as it stands in the text, or all up to a last one."""
        return self.text[self.items[first].start : self.items[first if last is None else last].end]

    def sized(self, at: int) -> str:
        """The text of a size; a number alone is of GB."""
        return f"{self.value(at)}{' GB' if self.codes[at] == 'n' else ''}"

    def count(self, at: int | None) -> int | None:
        """The whole number of an item, in figures or words; None of none."""
        if at is None:
            return None
        value = self.items[at].value
        return value if isinstance(value, int) else whole_number(str(value))

    def place(self, match: Match, *groups: str) -> int | None:
        """Where the first of some groups begins that took part in a match; None where none did."""
        found = match.groupdict()
        return next((match.start(one) for one in groups if found.get(one) is not None), None)

    def is_about(self, section: str) -> bool:
        """Whether a section of the sheet was asked for."""
        return (self.asked or "").startswith(section)

    def doubtful(self) -> bool:
        """Whether so much beside what was taken is not known that it may be of another thing.

        Words of a model may stand in front of the first; what stands in a clause of its own, or
        in brackets, is beside nothing.
        """
        items = zip(self.codes, self.items, strict=True)
        codes = "".join(
            " " if code == TAKEN and item.code not in _STRONG else code for code, item in items
        )
        codes = compiled("[ZF]n").sub(self._of_a_name, codes)
        ahead_most = _AHEAD_MOST
        for clause in re.split(r"[,;&()/.]", codes):
            at = clause.find(TAKEN)
            if at < 0:
                continue
            ahead, behind = clause[:at].count("Z"), clause[at:].count("Z")
            numbers = clause[at:] if ahead_most == _AHEAD_MOST else clause
            if ahead > ahead_most or behind > _MISSED_MOST or "n" in numbers:
                return True
            if re.search(r"[shH%]", clause):
                return True
            ahead_most = _MISSED_MOST
        return False

    def _of_a_name(self, match: Match) -> str:
        """A number of no figure: behind a name that is not known, or a year: Pi 4, from 2012."""
        year = match[0][0] == "F" and self.count(match.end() - 1) in YEARS
        named = match[0][0] == "Z" and self.written(match.start()).istitle()
        return match[0][0] + " " if named or year else match[0]

    def left(self) -> list[str]:
        """What no rule took, but for marks and words that only join."""
        return [self.text[one[0].start : one[-1].end] for one in self._parts()]

    def _parts(self) -> list[list[Item]]:
        parts: list[list[Item]] = []
        last = -2
        for at, (code, item) in enumerate(zip(self.codes, self.items, strict=True)):
            if code in LEFT or (code in _TURNS and last == at - 1):
                if at != last + 1:
                    parts.append([])
                parts[-1].append(item)
                last = at
        return parts


Rule = tuple[str, Callable[[Sentence, Match], bool]]


def apply(sentence: Sentence, *tables: tuple[Rule, ...]) -> None:
    """Each rule in turn, wherever it fits; what one took no other one sees."""
    for pattern, handler in chain(*tables):
        if compiled(pattern).search(sentence.codes) is None:
            continue  # as of most rules; to ask this first is what makes a phrase quick
        for match in sentence.matches(pattern):
            if handler(sentence, match):
                sentence.take(*match.span())


def passed(sentence: Sentence, match: Match) -> bool:
    """Known to tell nothing."""
    return True
