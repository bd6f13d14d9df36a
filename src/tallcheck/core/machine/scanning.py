"""Taking what is understood out of a text, piece by piece, so that what is left can be told."""

import re
from collections.abc import Iterable


def fold(text: str) -> str:
    """A label or phrase with case, marks and blanks made alike."""
    return " ".join(re.sub(r"[^\w()]+", " ", text.lower()).split())


def unhedged(text: str) -> str:
    """A text without what people put beside what they are not quite sure of."""
    plain = re.sub(_HEDGES, " ", text) if " " in text else text
    return plain.strip(" ,") if plain != text else text


def without_leading(text: str) -> str:
    """A part of a sentence without the words that lead to what it tells."""
    return re.sub(_LEADING, "", text)


def whole_numbers(text: str) -> list[int]:
    """The whole numbers in a text, in order: a version's parts, to be compared."""
    return [int(one) for one in re.findall(r"\d{1,18}", text)]


class Scan:
    """A text of which understood pieces are taken out."""

    def __init__(self, text: str) -> None:
        self.text = " ".join(text.replace("\u00d7", "x").split())

    def take(self, pattern: str) -> "re.Match[str] | None":
        """The first match, which is taken out; None where there is none."""
        match = re.search(pattern, self.text, re.IGNORECASE)
        if match:
            self.text = f"{self.text[: match.start()]} {self.text[match.end() :]}"
        return match

    def left(self, fillers: Iterable[str] = ()) -> str:
        """What was not taken, without words that say nothing."""
        words = re.findall(r"[^\s,;:()\[\].]+(?:\.\d+)?", self.text)
        return " ".join(one for one in words if one.lower() not in fillers and one != "-")


_LEADING = (
    r"(?i)^(?:(?:an?|the|it'?s|it|has|have|i|my|is|there|old|new|about|runs|running|of which"
    r"|(?:machine|computer|rechner)(?=\s+(?:has|hat|is|ist)\b)|in|other|one(?=\s+there\b)"
    r"|ein|eine|einen|mein|meine|hat|habe|ich|er|es|der|die|das|davon"
    r"|un|une|j'ai|mon|ma|il|elle|est|a|de|dont)\s+)+"
)
_HEDGES = (
    r"(?i)[,(]?\s*(?<!\w)(?:i (?:think|guess|believe|suppose|reckon)|maybe|probably|perhaps|or so"
    r"|glaube? ich|ich glaube?|denke ich|je (?:crois|pense)|peut-\u00eatre)(?!\w)\s*\)?"
)
SAID_MOST = 400
"""What one says of a reading, in characters; what is longer is no such thing."""
NUMBER = r"(?:\d{1,3}(?: \d{3})+(?!\d)|\d+)(?:[.,'\u2019\u00a0\u202f]\d+)*"
UNIT = (
    r"(?:[kmgt]i?b(?:ytes?)?|[kmgt]i|[kmgt]o|gigs?|megs?|(?:kilo|mega|giga|tera)(?:bytes?|octets?)?"
    r"|bytes?|[mgt])"
)
SIZE = rf"({NUMBER}\s*{UNIT})\b"
ALONE = rf"(?<![-\w.,]){SIZE}"
"""A size that nothing stands before, a minus sign least of all."""
NUMBER_WORDS = {
    "single": 1, "one": 1, "dual": 2, "triple": 3, "three": 3, "quad": 4, "hexa": 6, "octa": 8,
    "two": 2, "four": 4,
    "six": 6, "eight": 8, "ten": 10, "twelve": 12, "sixteen": 16,
}  # fmt: skip
