"""Text from a machine or a file, made safe for where it is shown."""


def printable(text: str) -> str:
    """``text`` fit for a terminal: control characters taken out."""
    return "".join(ch if ch.isprintable() else " " for ch in text)


_FORMULA = ("=", "+", "-", "@", "\uff1d", "\uff0b", "\uff0d", "\uff20")  # the last four are wide


def guarded(cell: str) -> str:
    """A cell that no spreadsheet takes for a formula, whatever blanks stand before it."""
    text = printable(cell)
    return f"'{text}" if text.lstrip().startswith(_FORMULA) else text
