"""Boards, parts, ways to fill positions, plans."""

__all__ = ["plan", "shelf"]
