"""Sentences and texts of rows, plans, notes, made from facts."""

__all__ = [
    "conditions",
    "fixes",
    "fleet",
    "hints",
    "note",
    "plans",
    "remarks",
    "rows",
    "sentence",
    "values",
]
