"""Rows, trials, the fold over what is unknown, conflicts, the decision."""

__all__ = [
    "asked",
    "changes",
    "decision",
    "edges",
    "evaluation",
    "fixes",
    "groups",
    "trials",
    "tried",
    "worlds",
]
