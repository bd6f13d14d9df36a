"""The board account: positions, modules that fit, limits and where they come from."""

__all__ = [
    "account",
    "arranging",
    "models",
    "tables",
    "totals",
]
