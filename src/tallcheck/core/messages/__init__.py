"""Sentences and texts of rows, plans, notes, made from facts."""

__all__ = [
    "by_hand",
    "conditions",
    "explain",
    "fixes",
    "fleet",
    "hints",
    "note",
    "plans",
    "reasons",
    "rows",
    "sentence",
    "values",
]
