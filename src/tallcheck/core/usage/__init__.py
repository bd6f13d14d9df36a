"""Figures of a usage log, the finding, before against after."""

__all__ = [
    "change",
    "figures",
    "finding",
    "log",
    "summary",
]
