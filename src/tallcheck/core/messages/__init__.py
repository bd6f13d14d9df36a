"""Sentences and texts of rows, plans, notes, made from facts."""
