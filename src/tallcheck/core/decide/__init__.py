"""Rows, trials, the fold over what is unknown, conflicts, the decision."""
