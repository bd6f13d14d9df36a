"""Memory modules as management tools list them: CIM's physical memory, SMBIOS' memory devices.

CIM lists what is fitted, so that the positions stay unknown; SMBIOS lists every position.
"""

import re

from msgspec import structs

from tallcheck.core.machine.sheet import Kit, Module
from tallcheck.core.text.modules import modules_said
from tallcheck.core.values.errors import InputError

CAPACITY = "capacity"
_WORDS = {"devicelocator": "slot", "manufacturer": "maker", "partnumber": "part"}
"""What stands beside a module's capacity and speed, and what it is on the sheet."""
OF_MODULES = (CAPACITY, "speed", *_WORDS)
_TYPE = r"(?i)(?:lp)?ddr\d?l?x?"
_NONE_FITTED = ("empty", "no module installed")
_TITLE = r"(?i)\s*((?:bank|dimm|slot|channel)[^:]*):\s*"


def plain(name: str) -> str:
    """A property's name, by its letters and digits alone."""
    return re.sub(r"[\W_]+", "", name.lower())


def fitted(cells: dict[str, str]) -> Module | None:
    """A module by its capacity in bytes and what stands beside it; None where it has no such."""
    size, speed = cells.get(CAPACITY, ""), cells.get("speed", "")
    if not re.fullmatch(r"\d{7,14}", size):
        return None
    words = {ours: cells[theirs] for theirs, ours in _WORDS.items() if theirs in cells}
    found = structs.replace(Module(size=int(size)), **words)
    if re.fullmatch(r"[1-9]\d{2,4}", speed):
        found = structs.replace(found, speed=int(speed))
    return found


def listed(lines: list[str]) -> list[Module]:
    """What is fitted, as lists of ``name : value``; lines that were read are emptied."""
    found = Kit()
    cells: dict[str, str] = {}
    waiting: list[int] = []
    for at, line in enumerate([*lines, ""]):
        name, value = _parts(line)
        if not line.strip() or name in cells:
            if module := fitted(cells):
                found.append(module)
                for one in waiting:
                    lines[one] = ""
            cells, waiting = {}, []
        if name in OF_MODULES and value:
            cells[name] = value
            waiting.append(at)
    return found


def _parts(line: str) -> tuple[str, str]:
    name, _, value = (line if ":" in line else line.replace("=", ":", 1)).partition(":")
    return plain(name), value.strip()


def positions(lines: list[str]) -> list[Module]:
    """Every position, from blocks of ``Size: 8 GB`` with what is there; read lines are emptied."""
    found: list[Module] = []
    block: list[int] = []
    title: int | None = None
    for at, line in enumerate([*lines, ""]):
        if line.strip():
            block.append(at)
            continue
        module = _position(dict(_parts(lines[one]) for one in block))
        named = re.fullmatch(_TITLE, lines[title]) if title is not None else None
        if module is not None:
            if named and title is not None:
                module = structs.replace(module, slot=module.slot or named[1])
                lines[title] = ""
            found.append(module)
            for one in block:
                lines[one] = ""
        if block:
            title = block[-1]
        block = []
    return found


def _position(cells: dict[str, str]) -> Module | None:
    """One position of the board; None where the block is none."""
    size, kind = cells.get("size", ""), cells.get("type", "")
    known = re.fullmatch(_TYPE, kind) or kind.lower() in ("empty", "unknown")
    if not size or not (known or "locator" in cells):
        return None
    empty = size.lower() in _NONE_FITTED
    words = [size, *(one for one in (kind, cells.get("speed", ""), cells.get("formfactor", ""))
                     if re.match(r"(?i)(?:lp)?ddr|\d|(?:so-?)?dimm", one))]  # fmt: skip
    try:
        module = modules_said("-" if empty else " ".join(words))[0]
    except InputError:
        return None
    return structs.replace(module, slot=cells.get("locator"))
