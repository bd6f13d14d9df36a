"""Sentences and texts of rows, plans, notes."""
