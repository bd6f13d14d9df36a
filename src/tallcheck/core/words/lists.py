"""Lists and counts in sentences."""


def listed(words: list[str], joint: str = "and") -> str:
    """``a``, ``a and b``, ``a, b and c``."""
    return f" {joint} ".join(", ".join(words).rsplit(", ", 1)) if words else ""


def capital(text: str) -> str:
    """The text as a sentence begins."""
    return text[:1].upper() + text[1:]
