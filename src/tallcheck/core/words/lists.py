"""Lists and counts in sentences."""


def listed(words: list[str], joint: str = "and") -> str:
    """``a``, ``a and b``, ``a, b and c``."""
    return f" {joint} ".join(", ".join(words).rsplit(", ", 1)) if words else ""


def count_text(count: int, what: str) -> str:
    """``1 machine``, ``3 machines``."""
    return f"{count} {what}{'' if count == 1 else 's'}"


def capital(text: str) -> str:
    """The text as a sentence begins."""
    return text[:1].upper() + text[1:]
