"""Text from a machine or a file, made safe for where it is shown."""


def printable(text: str) -> str:
    """``text`` fit for a terminal: control characters taken out."""
    return "".join(ch if ch.isprintable() else " " for ch in text)


def guarded(cell: str) -> str:
    """A cell that no spreadsheet takes for a formula."""
    text = printable(cell)
    return f"'{text}" if text[:1] in ("=", "+", "-", "@") else text
