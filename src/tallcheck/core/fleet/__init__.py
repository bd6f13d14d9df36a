"""Many machines: columns, classes, counts, the order, money, what if."""

__all__ = [
    "columns",
    "details",
    "judge",
    "judged",
    "known",
    "models",
    "money",
    "placing",
    "plans",
    "stock_plan",
    "transfers",
]
