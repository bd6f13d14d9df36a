"""Reviewing a needs sheet on disk: every problem with its line."""

import os

from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.needs.review import Remark, suspicions
from tallcheck.core.text.needs_problems import line_of, lines_of, problems
from tallcheck.core.text.needs_sheet import from_table
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.plain import text_of, toml_of
from tallcheck.files.inputs import read, shown
from tallcheck.files.sheets import with_name_files


def review(path: str, vocabulary: Vocabulary) -> tuple[list[str], list[str]]:
    """Problems and warnings of a sheet, each with its line. Raises InputError if unreadable."""
    data = read(path)
    content = text_of(data, shown(path))
    try:
        raw = with_name_files(toml_of(content, "a needs sheet"), os.path.dirname(path))
    except InputError as error:
        return [str(error)], []
    lines = lines_of(content)
    found = problems(raw, vocabulary)
    if found:
        return [_with_line(remark, lines) for remark in found], []
    return [], [
        _with_line(remark, lines) for remark in suspicions(from_table(raw, vocabulary), vocabulary)
    ]


def _with_line(remark: Remark, lines: dict[str, int]) -> str:
    line = line_of(remark.place, lines)
    place = f"{remark.place}: " if remark.place else ""
    return f"line {line}: {place}{remark.text}" if line else f"{place}{remark.text}"
