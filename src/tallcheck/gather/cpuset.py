"""Lists of logical processors as Linux writes them: ``0-3,8``."""

from tallcheck.core.values.plain import whole_number


def parse_cpu_list(text: str | None) -> list[int]:
    """The numbers in a list such as ``0-3,8``; what does not read as one is left out."""
    numbers: set[int] = set()
    for part in (text or "").split(","):
        low, dash, high = part.strip().partition("-")
        first = whole_number(low)
        last = whole_number(high) if dash else first
        if first is None or last is None or first < 0:
            continue
        if last - first < 65536 and len(numbers) < 65536:
            numbers.update(range(first, last + 1))
    return sorted(numbers)
