"""What two told values of one reading come to, where they do not contradict each other."""

from typing import Any

from tallcheck.core.machine.names import normal_name
from tallcheck.core.machine.sheet import Graphics, Module

_PARTIAL = ("processor.instructions", "software")
"""Lists that are told in parts."""


def agreed(key: str, one: Any, other: Any) -> Any | None:
    """The value that both tell, the fuller one of two, or both together; None: they contradict."""
    if key in _PARTIAL:
        return None if _denies(one, other) else list(dict.fromkeys([*one, *other]))
    if key == "graphics" and one and other:
        return adapters_told([*one, *other])
    if key == "memory.modules" and not (sized(one) and sized(other)):
        # how many are filled contradicts no list that says with what
        return max(one, other, key=sized)
    if key == "system.os_version" and _begins(one, other):
        return max(one, other, key=len)
    if not _alike(one, other):
        return None
    return max(one, other, key=len) if key == "processor.name" else one


def adapters_told(told: list[Graphics]) -> list[Graphics]:
    """Adapters in the order in which they were named, each with all that is told of it.

    What is told without a name is of the one before.
    """
    found: list[Graphics] = []
    places: dict[str | None, int] = {}
    for one in told:
        nameless = bool(found) and None in (one.name, found[-1].name)
        at = len(found) - 1 if nameless else places.get(one.name)
        if at is None:
            at = len(found)
            found.append(one)
        else:
            other = found[at]
            api = {**(other.api or {}), **(one.api or {})} or None
            found[at] = Graphics(other.name or one.name, one.memory or other.memory, api)
        places.setdefault(found[at].name, at)
    return found


def sized(modules: list[Module]) -> bool:
    """Whether the size of each is known."""
    return all(one.size is not None for one in modules)


def _begins(one: str, other: str) -> bool:
    """Whether of two versions one is the other, to fewer parts."""
    short, long = sorted((f"{one}.", f"{other}."), key=len)
    return long.startswith(short)


def _denies(those: list[Any], others: list[Any]) -> bool:
    """Whether some say of an instruction set that it is there, and others that it is not."""
    opposite = [one[1:] if one[:1] == "-" else f"-{one}" for one in those if isinstance(one, str)]
    return any(one in others for one in opposite)


def _alike(one: Any, other: Any) -> bool:
    """Whether two values may well be the same, rounded in two ways."""
    if one == other:
        return True
    if isinstance(one, str) and isinstance(other, str):
        return normal_name(one) == normal_name(other)
    numbers = isinstance(one, int) and isinstance(other, int)
    return numbers and one > 1 << 20 and abs(one - other) <= max(one, other) / 100
