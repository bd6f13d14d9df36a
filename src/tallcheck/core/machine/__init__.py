"""What is known of a machine: the sheet, its keys, what is told, what follows, doubts, memory."""

__all__ = [
    "agreeing",
    "amounts",
    "derive",
    "doubts",
    "entries",
    "instructions",
    "locators",
    "modules",
    "names",
    "normalized",
    "readings",
    "sheet",
    "systems",
    "telling",
    "vocabulary",
]
