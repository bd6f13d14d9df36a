"""Many machines: columns, classes, counts, the order, money, what if."""

__all__ = [
    "columns",
    "details",
    "fixes",
    "judge",
    "judged",
    "known",
    "models",
    "money",
    "placing",
    "plans",
    "stock_plan",
    "transfers",
    "what_if",
]
