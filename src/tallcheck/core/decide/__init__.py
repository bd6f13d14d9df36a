"""Rows, trials, the fold over what is unknown, conflicts, the decision."""

__all__ = [
    "asked",
    "changes",
    "conflicts",
    "decision",
    "edges",
    "evaluation",
    "fixes",
    "groups",
    "problem",
    "trials",
    "tried",
    "worlds",
]
