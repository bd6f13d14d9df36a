"""Lists of logical processors as Linux writes them: ``0-3,8``."""


def parse_cpu_list(text: str | None) -> list[int]:
    """The numbers in a list such as ``0-3,8``; what does not read as one is left out."""
    numbers: set[int] = set()
    for part in (text or "").split(","):
        low, dash, high = part.strip().partition("-")
        if not low.isdecimal() or (dash and not high.isdecimal()):
            continue
        first, last = int(low), int(high) if dash else int(low)
        if last - first < 65536 and len(numbers) < 65536:
            numbers.update(range(first, last + 1))
    return sorted(numbers)
