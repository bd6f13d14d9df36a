"""What people and pages say: text in, readings or needs out, with every part that was not used."""

__all__ = [
    "items",
    "labels",
    "lexicon",
    "module_lists",
    "needs_sheet",
    "needs_written",
    "page",
    "pasted",
    "plain_values",
    "said",
]
