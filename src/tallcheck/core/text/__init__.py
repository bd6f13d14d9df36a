"""What people and pages say: text in, readings or needs out, with every part that was not used."""

__all__ = [
    "labels",
    "modules",
    "needs_problems",
    "needs_sheet",
    "needs_typed",
    "needs_written",
    "page",
    "pasted",
    "plain_values",
    "said",
    "sheet_words",
    "statement",
    "tokens",
]
