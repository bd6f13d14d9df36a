"""Boards, parts, ways to fill positions, plans."""

__all__ = [
    "filling",
    "plan",
]
