"""Figures of a usage log, the finding, before against after."""
