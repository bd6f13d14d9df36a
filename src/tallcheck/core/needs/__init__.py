"""What is asked: one entry a key with all that key knows; sheets; review."""

__all__ = [
    "counts",
    "key",
    "keys",
    "numbers",
    "processor",
    "review",
    "sheet",
    "system",
    "validation",
]
