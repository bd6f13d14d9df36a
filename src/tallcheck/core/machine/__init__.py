"""What is known of a machine: the sheet, its keys, what is told, what follows, doubts, memory."""

__all__ = [
    "agreeing",
    "amounts",
    "derive",
    "doubts",
    "entries",
    "instructions",
    "models",
    "modules",
    "naming",
    "normalized",
    "programs",
    "readings",
    "sheet",
    "systems",
    "telling",
    "vocabulary",
]
