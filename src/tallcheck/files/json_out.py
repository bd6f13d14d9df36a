"""JSON going out: indented, and with nothing in it that a terminal would act on."""

import re
from typing import Any

import msgspec


def json_text(value: Any) -> str:
    """The value as text that ends its last line.

    Control, format and separator characters (C1, bidirectional marks, zero width) are escaped, so
    that it reads back the same and shows what it holds.
    """
    text = msgspec.json.format(msgspec.json.encode(value), indent=2).decode()
    return re.sub(_BEYOND, _shown, text) + "\n"


def json_line(value: Any) -> str:
    """The value on a line of its own."""
    return re.sub(_BEYOND, _shown, msgspec.json.encode(value).decode()) + "\n"


_BEYOND = r"[^\0-~]"
"""What JSON leaves as it is, and a terminal may not."""


def _shown(match: re.Match[str]) -> str:
    """One character, escaped unless it shows; beyond the first plane as a pair."""
    if match[0].isprintable():
        return match[0]
    code = ord(match[0])
    if code < 0x10000:
        return f"\\u{code:04x}"
    code -= 0x10000
    return f"\\u{0xD800 + (code >> 10):04x}\\u{0xDC00 + (code & 0x3FF):04x}"
