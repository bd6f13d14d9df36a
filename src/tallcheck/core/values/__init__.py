"""Quantities, comparisons, versions, errors, text: no machine in sight."""
