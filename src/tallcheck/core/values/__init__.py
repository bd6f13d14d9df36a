"""Quantities, comparisons, versions, errors, text: no machine in sight."""

__all__ = [
    "comparison",
    "either",
    "errors",
    "kinds",
    "money",
    "plain",
    "quantities",
    "structures",
    "text",
]
