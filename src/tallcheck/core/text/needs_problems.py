"""Every problem of a needs sheet at once: each is taken out in turn, and the rest read again."""

import copy
import re
from typing import Any

from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.needs.review import Remark
from tallcheck.core.text.needs_sheet import from_table
from tallcheck.core.values.errors import InputError

_PROBLEMS_MOST = 200
_PLACEHOLDERS = {"tallcheck": "needs/1", "title": "?", "kind": "program", "name": "?"}


def problems(raw: dict[str, Any], vocabulary: Vocabulary) -> list[Remark]:
    """Every problem of a decoded sheet: each is taken out in turn, and the rest read again."""
    rest = copy.deepcopy(raw)
    found: list[Remark] = []
    while len(found) < _PROBLEMS_MOST:
        try:
            from_table(rest, vocabulary)
            return found
        except InputError as error:
            remark = Remark(error.where, str(InputError(error.found, error.expected)))
            if remark in found or not _take_out(rest, error.where):
                return found if remark in found else [*found, remark]
            found.append(remark)
    return found


def _steps(place: str) -> list[str | int]:
    parts: list[str | int] = []
    for name, index in re.findall(r"([^.\[\]]+)|\[(\d+)\]", place):
        parts.append(name or int(index))
    return parts


def _take_out(raw: dict[str, Any], place: str) -> bool:
    """Remove the entry at a place; a missing one that must be there is filled in."""
    steps = _steps(place)
    at: Any = raw
    for step in steps[:-1]:
        try:
            at = at[step]
        except (KeyError, IndexError, TypeError):
            return False
    if not steps or not isinstance(at, dict | list):
        return False
    last = steps[-1]
    if (
        isinstance(at, dict)
        and last in _PLACEHOLDERS
        and at.get(str(last)) != _PLACEHOLDERS[str(last)]
    ):
        at[last] = _PLACEHOLDERS[str(last)]
        return True
    try:
        del at[last]  # type: ignore[arg-type]
    except (KeyError, IndexError, TypeError):
        return False
    return True


# --- places as lines -----------------------------------------------------------------------

_HEADER = re.compile(r"\s*(\[\[?)\s*([^\]]+?)\s*\]\]?")
_KEY = re.compile(r"\s*([\w.\-\" ]+?)\s*=")


def lines_of(text: str) -> dict[str, int]:
    """The line on which each place of a TOML text stands, as far as simple reading tells."""
    lines: dict[str, int] = {}
    counts: dict[str, int] = {}
    table = ""
    for number, line in enumerate(text.splitlines(), 1):
        header = _HEADER.match(line)
        if header:
            table = _indexed(header[2].replace('"', ""), counts, header[1] == "[[")
            lines.setdefault(table, number)
            continue
        key = _KEY.match(line)
        if key:
            name = key[1].replace('"', "").strip()
            lines.setdefault(f"{table}.{name}" if table else name, number)
    return lines


def _indexed(name: str, counts: dict[str, int], array: bool) -> str:
    """A header's name with the index of each array of tables on the way."""
    path, plain = "", ""
    parts = [part.strip() for part in name.split(".")]
    for at, part in enumerate(parts):
        plain = f"{plain}.{part}" if plain else part
        path = f"{path}.{part}" if path else part
        if array and at == len(parts) - 1:
            counts[path] = counts.get(path, -1) + 1
        if path in counts:
            path += f"[{counts[path]}]"
    return path


def line_of(place: str, lines: dict[str, int]) -> int | None:
    """The line of a place, or of the table around it."""
    while place:
        if place in lines:
            return lines[place]
        cut = max(place.rfind("."), place.rfind("["))
        place = place[:cut] if cut > 0 else ""
    return None
