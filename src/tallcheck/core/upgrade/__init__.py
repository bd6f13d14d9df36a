"""Boards, parts, ways to fill positions, plans."""
