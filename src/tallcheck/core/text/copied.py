"""Lines of a pasted text without what a mail, a list or a page put around all of them."""

import re
from itertools import groupby, pairwise

_MAIL = re.compile(r"^\ufeff?(?:> ?)*")
"""What a mail puts before a line that it quotes; the blanks behind it place a table's cells."""
_KERNEL = re.compile(r"^\[\s*\d+\.\d+\] ")
"""The time before a line of a kernel's log."""
_BULLET = re.compile(r"\s*([-*+\u2022\u00b7\u25cf\u25aa\u2013]|\d{1,2}[.)])[ \t](?=\s*\S)")
"""What stands before an entry of a list: the same mark before each, or numbers that count."""
_EMPHASIS = re.compile(r"\*\*|__(?=\S)|(?<=\S)__|`")
"""What makes words bold, or code."""
_LABELLED = re.compile(r"(?P<label>[^\W\d][^:=|\t]{0,40}?)\s*(?:[.\u2026]{2,}\s*:|\s=)\s+(?=\S)")
"""A label before its value: ``RAM ......: 8 GB``, ``RAM = 8 GB``."""
_END = re.compile(r"(?<=[\w)])[.,;]\s*$")
"""The mark that ends a line."""
_SPACED = 2 / 3
"""The share of lines before which blank ones stand, where these tell nothing."""
SENTENCE_ENDS = (
    r"(?<=\w)[.!]\s+(?=[A-Z])(?!(?i:gen))"
    r"|(?i:(?<=\w{4})|(?<=bit|ram|ssd|hdd|cpu|[mg]hz)|(?<=\d[kmgt][bo])|(?<=\d [kmgt][bo]))"
    r"[.!]\s+(?=[^\W\d])"
)
"""What ends a sentence: before a small letter not what may be an abbreviation, or counts."""


def copied_lines(text: str) -> tuple[list[str], list[int]]:
    """The lines, and the number of each in the text, from 0.

    The bullets of a list go, and the blank lines of a text that has them between its lines, as
    pages that were copied do.
    """
    lines = [_bare(line) for line in text.splitlines()]
    filled = [at for at, line in enumerate(lines) if line.strip()]
    for at in _listed(lines, filled):
        lines[at] = _BULLET.sub("", lines[at], count=1)
    numbers = list(range(len(lines)))
    apart = [after - before for before, after in pairwise(filled) if after - before > 1]
    if len(apart) >= _SPACED * len(filled[1:]) > 0:
        between = {at + more for at in filled for more in range(1, sorted(apart)[len(apart) // 2])}
        numbers = [at for at in numbers if at not in between or lines[at].strip()]
    return [lines[at] for at in numbers], numbers


def _listed(lines: list[str], filled: list[int]) -> list[int]:
    """The lines that are entries of a list; a lone ``1.`` may count what stands behind it."""
    bullets = [_BULLET.match(lines[at]) for at in filled]
    marks = [one[1] if one else "" for one in bullets]
    found: list[int] = []
    for mark, group in groupby(range(len(marks)), key=lambda at: marks[at][-1:]):
        run = list(group)
        counted = [f"{number}{mark}" for number in range(1, len(run) + 1)]
        alike = marks[run[0]] == mark or [marks[at] for at in run] == counted
        if mark and alike and (len(run) > 1 or mark != "."):
            found += [filled[at] for at in run]
    return found


def _bare(line: str) -> str:
    """A line without what is around what it says; a label before its value in the one form."""
    line = _KERNEL.sub("", _MAIL.sub("", line.replace("\u00a0", " ")))
    line = _END.sub("", _EMPHASIS.sub("", line))
    if line.lstrip().startswith("|"):
        cells = [cell.strip() for cell in line.strip().strip("|").split("|")]
        if len(cells) == 2 and all(cells) and ":" not in cells[0]:
            return f"{cells[0]}: {cells[1]}"
    labelled = _LABELLED.match(line)
    return f"{labelled['label']}: {line[labelled.end() :]}" if labelled else line
