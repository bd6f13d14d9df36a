"""Windows' own view of performance, as it is copied or seen: labels and values side by side, or
labels over their values.
"""

import re

from tallcheck.core.machine.readings import Told
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.text.said import tried_said
from tallcheck.core.values.text import fold

_OF_THE_MOMENT = frozenset({
    "utilization", "speed", "processes", "threads", "handles", "up time", "l1 cache", "l2 cache",
    "l3 cache", "cached", "committed", "paged pool", "non-paged pool", "in use (compressed)",
    "in use", "hardware reserved", "form factor", "active time", "average response time",
    "read speed", "write speed", "driver version", "driver date", "physical location",
    "shared gpu memory", "gpu memory",
})  # fmt: skip
"""What Windows' own view of performance shows besides; its threads are those of all programs."""
_VIEW_WORDS_MOST = 5


def read_view(lines: list[str], vocabulary: Vocabulary) -> tuple[list[Told], list[str]]:
    """What the view tells, and the lines, empty where they were read."""
    translated = vocabulary.phrases.words.get("performance", {})
    parts = _view(lines, translated)
    if len({label for _, label, _ in parts if label}) < 4:
        return [], lines
    told: list[Told] = []
    rest = list(lines)
    for at, label, value in parts:
        if label == "available":
            told += tried_said("memory.available", value, vocabulary)
        elif label == "hardware reserved":
            told += _usable_beside(lines, value, vocabulary)
        elif label == "dedicated gpu memory":
            told += tried_said("graphics.memory", value.rpartition("/")[2], vocabulary)
        if label:
            rest[at] = ""
    return told, rest


def _view(lines: list[str], translated: dict[str, str]) -> list[tuple[int, str, str]]:
    """The labels and values of a view by line: side by side, or labels over their values."""
    found, above = [], list[tuple[str, str]]()
    for at, line in enumerate(lines):
        cells = re.split(r"\t+|\s{2,}", line.strip())
        if len(cells) == len(above) > 1 and all(label and not value for label, value in above):
            found += [(at, head[0], cell) for head, cell in zip(above, cells, strict=True)]
        else:
            found.append((at, *_view_parts(line, translated)))
        above = [_view_parts(one, translated) for one in cells] if len(cells) > 1 else []
    return found


def _view_parts(line: str, translated: dict[str, str]) -> tuple[str, str]:
    """A line's label, in English, and its value, whatever stands between; empty where none is."""
    words = line.split()
    for count in range(min(len(words), _VIEW_WORDS_MOST), 0, -1):
        said = " ".join(words[:count]).rstrip(":").lower()
        label = translated.get(fold(said), said)
        if label in _OF_THE_MOMENT or label in ("available", "dedicated gpu memory"):
            return label, " ".join(words[count:])
    return "", ""


def _usable_beside(lines: list[str], reserved: str, vocabulary: Vocabulary) -> list[Told]:
    """What is usable of the one total that stands alone on a line, less what is reserved."""
    alone = [one for one in lines if re.fullmatch(r"\s*[\d.,]+ ?[GM]B\s*", one)]
    told = [tried_said("memory.installed", one, vocabulary) for one in (*alone, reserved)]
    sizes = [one[0].value for one in told if one]
    fitted = len(sizes) == 2 and told[0][0].key == "memory.installed"  # else it is what is usable
    return [Told("memory.usable", sizes[0] - sizes[1])] if fitted and sizes[1] < sizes[0] else []
