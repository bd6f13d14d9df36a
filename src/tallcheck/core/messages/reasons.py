"""Reasons in words: why memory cannot be built, why a module does not fit."""

from tallcheck.core.board.account import Why
from tallcheck.core.values.quantities import format_memory

_REASONS = {
    "ceiling": "the board takes {} at most",
    "system": "the running {}system addresses {} at most",
    "processor": "a 32-bit processor addresses 4 GB at most",
    "soldered": "its memory is soldered and no position is free",
    "no position": "it has no position for a module",
    "no stock": "none is in stock",
    "no price": "its price is not known",
    "board type unknown": "the type of memory that the board takes is not known",
    "type unknown": "the list does not say its type",
    "type": "{}, and the board takes {}",
    "form": "{}, and the board takes {}",
    "position": "a position takes {} at most",
    "not registered": "not said to be registered, and what is fitted is",
    "registered": "registered, and what is fitted {}",
    "not load-reduced": "not said to be load-reduced (LRDIMM), and what is fitted is",
    "load-reduced": "load-reduced (LRDIMM), and what is fitted {}",
    "not ECC": "not said to be ECC, and what is fitted is",
    "ECC": "ECC, and what is fitted {}",
}


def reason_text(why: Why) -> str:
    """A reason in words."""
    values = list(why.values)
    if why.what in ("ceiling", "position"):
        return _REASONS[why.what].format(format_memory(values[-1]))
    if why.what == "system":
        bits = f"{values[0]}-bit " if values[0] else ""
        return _REASONS["system"].format(bits, format_memory(values[1]))
    if why.what == "form":
        return _REASONS["form"].format(values[0] or "of unknown form", values[1])
    if why.what in ("registered", "load-reduced", "ECC"):
        return _REASONS[why.what].format(
            "is not" if values[0] is False else "is not known to be"
        )  # fmt: skip
    return _REASONS[why.what].format(*values)
