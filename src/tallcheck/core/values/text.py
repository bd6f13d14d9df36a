"""Text from a machine or a file, made safe for where it is shown."""

import re
from typing import Any

import msgspec


def printable(text: str) -> str:
    """``text`` fit for a terminal: control characters taken out."""
    return "".join(ch if ch.isprintable() else " " for ch in text)


FORMULA = "=+-@\uff1d\uff0b\uff0d\uff20"
"""What a spreadsheet takes for the start of a formula; the last four are wide."""


def guarded(cell: str) -> str:
    """A cell that no spreadsheet takes for a formula, whatever blanks stand before it."""
    text = printable(cell)
    return f"'{text}" if text.lstrip().startswith(tuple(FORMULA)) else text


def unguarded(cell: str) -> str:
    """The cell without the mark that ``guarded`` put before it."""
    return cell[1:] if cell[:1] == "'" and guarded(cell[1:]) == cell else cell


def json_text(value: Any) -> str:
    """The value as text that ends its last line.

    Control, format and separator characters (C1, bidirectional marks, zero width) are escaped, so
    that it reads back the same and shows what it holds.
    """
    text = msgspec.json.format(msgspec.json.encode(value), indent=2).decode()
    return re.sub(_BEYOND, _escaped, text) + "\n"


def json_line(value: Any) -> str:
    """The value on a line of its own."""
    return re.sub(_BEYOND, _escaped, msgspec.json.encode(value).decode()) + "\n"


_BEYOND = r"[^\0-~]"
"""What JSON leaves as it is, and a terminal may not."""


def _escaped(match: re.Match[str]) -> str:
    """One character, escaped unless it shows; beyond the first plane as a pair."""
    if match[0].isprintable():
        return match[0]
    code = ord(match[0])
    if code < 0x10000:
        return f"\\u{code:04x}"
    code -= 0x10000
    return f"\\u{0xD800 + (code >> 10):04x}\\u{0xDC00 + (code & 0x3FF):04x}"
