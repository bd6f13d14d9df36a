"""Many machines: columns, classes, counts, the order, money, what if."""

__all__ = [
    "columns",
    "details",
    "fixes",
    "judge",
    "judged",
    "models",
    "money",
    "placing",
    "plans",
    "solved",
    "stock_plan",
    "what_if",
]
