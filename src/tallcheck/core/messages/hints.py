"""How to get a missing reading on the system that a machine runs: to look up, or to ask for."""

from tallcheck.core.machine.entries import ANY, ENTRIES

_OTHER = "other"


def how_to_find(key: str, system: str | None) -> str:
    """One line that tells where a reading is found; ``system`` is the system's name, if known."""
    ways = ENTRIES[key].look if key in ENTRIES else {}
    name = (system or "").lower()
    for family, how in ways.items():
        if family != ANY and family in name:
            return how
    if not name and "windows" in ways:
        # which is what most people have
        return ways["windows"] + (f" (elsewhere: {ways[ANY]})" if ANY in ways else "")
    return ways.get(ANY, "ask the person at the machine")


def read_out(key: str, system: str | None) -> str:
    """What to say to a caller who shall find a reading; ``system`` is what runs there, if known."""
    ways = ENTRIES[key].ask if key in ENTRIES else {}
    if ANY in ways:
        return ways[ANY]
    name = (system or "").lower()
    family = _OTHER
    if "windows" in name or not name:  # which is what most callers have
        family = "windows"
    elif "mac" in name:
        family = "macos"
    said = ways.get(family) or how_to_find(key, system)
    if not name and key == "system.os":
        return f"Which system greets you when it starts? {said}"
    return said
