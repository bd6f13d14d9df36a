"""Sentences and texts of rows, plans, notes, made from facts."""

__all__ = [
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
