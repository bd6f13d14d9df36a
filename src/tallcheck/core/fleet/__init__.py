"""Many machines: columns, classes, counts, the order, money, what if."""

__all__ = [
    "columns",
    "details",
    "drawer",
    "fixes",
    "judge",
    "judged",
    "models",
    "money",
    "placing",
    "plans",
    "solved",
    "what_if",
]
