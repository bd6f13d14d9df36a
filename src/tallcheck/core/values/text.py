"""Text from a machine or a file, made safe for where it is shown."""


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
