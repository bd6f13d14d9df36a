"""What one statement tells of a machine: its items by a grammar over their senses.

Each rule is a pattern over the letters of the items, and takes those it understands; what no rule
took is handed back. A word that turns a figure is part of the rule that takes the figure.
"""

from functools import lru_cache

from msgspec import Struct

from tallcheck.core.machine.readings import Told
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.text.figures import CLOCKS, COUNTS, NOT_SO
from tallcheck.core.text.names import NAMES
from tallcheck.core.text.sentence import Sentence, apply
from tallcheck.core.text.whose import AMOUNTS
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.scanning import SAID_MOST


class Statement(Struct):
    """Readings, the parts of the text that no rule took, and whether some of it settles nothing."""

    told: list[Told]
    left: list[str]
    doubtful: bool = False
    """Whether so much is not known that what is told may be of another thing."""
    open: bool = False
    """Something was asked for, denied, or said in two ways."""
    denied: bool = False
    """Something was asked for or denied."""


@lru_cache(maxsize=2048)
def read_statement(text: str, vocabulary: Vocabulary, asked: str | None = None) -> Statement:
    """What a text tells, where ``asked`` is the reading that it answers, if any."""
    sentence = Sentence(text, vocabulary, asked)
    try:
        apply(sentence, NOT_SO, CLOCKS, COUNTS, NAMES, AMOUNTS)
    except InputError:
        sentence.open = True
    told = [Told(key, value) for key, value in sentence.told.items() if value is not None]
    return Statement(told, sentence.left(), sentence.doubtful(), sentence.open, sentence.denied)


def short_statement(text: str, vocabulary: Vocabulary) -> Statement:
    """What a text tells; one that is longer than anybody says of a thing tells nothing."""
    return read_statement(text, vocabulary) if len(text) <= SAID_MOST else Statement([], [text])
