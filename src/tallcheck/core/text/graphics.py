"""What people say of graphics adapters, and of a display: its size, or the trade's name for it."""

import re

from tallcheck.core.machine.readings import Told
from tallcheck.core.machine.sheet import Graphics
from tallcheck.core.text.sheet_words import DISPLAYS, INTERFACES
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.quantities import parse_display, parse_memory, parse_version
from tallcheck.core.values.scanning import SIZE, between_blanks, fold

_SIZE = r"(?<![\w.,])(\d{3,6})\s*(?:[x\u00d7*]|\s(?:by|mal|par)\s)\s*(\d{3,6})(?!\w)"


def display_said(key: str, text: str) -> list[Told]:
    """The one size in a text such as ``15.6" FHD 1920x1080 @ 60 Hz``. Raises InputError."""
    sizes = {(int(wide), int(high)) for wide, high in re.findall(_SIZE, text, re.IGNORECASE)}
    if len(sizes) == 1:
        return [Told(key, "{}x{}".format(*sizes.pop()))]
    words = between_blanks(text)
    known = {size for name, size in DISPLAYS.items() if f" {name} " in words}
    if len(known) == 1 and not sizes:
        return [Told(key, known.pop())]
    return [Told(key, "{}x{}".format(*parse_display(text)))]


_DIRECT = rf"(?i)\b(?:{'|'.join(INTERFACES)}|d3d)\s?(\d{{1,2}}(?:\.\d)?)\b"


def graphics_said(key: str, text: str) -> list[Told]:
    """One adapter from ``vulkan 1.2, d3d 12``, by its name, or none. InputError."""
    if fold(text) == "none":
        return [Told(key, [])]
    if not re.match(r"\s*(?:vulkan|opengl|open gl|d3d|direct3d|directx|metal|wddm|open ?cl|cuda)\b",
                    text, re.IGNORECASE):  # fmt: skip
        interface = re.search(_DIRECT, text)
        rest = re.sub(_DIRECT, " ", text)
        size = next(reversed([*re.finditer(SIZE, rest, re.IGNORECASE)]), None)
        rest = rest[: size.start()] + " " + rest[size.end() :] if size else rest
        name = " ".join(re.sub(r"(?i)\(\s*\)|\bgddr\w+", " ", rest).split()).strip(" ,")
        lettered = re.search(r"[^\W\d]", name) is not None
        named = lettered and (interface is None or re.search(r"[A-Z]|\d", name) is not None)
        if not (named or interface):
            raise InputError(f'found "{text.strip()}"', "an adapter, or interfaces with versions")
        api = {"d3d": interface[1]} if interface else None
        memory = parse_memory(size[1]) if size else None
        return [Told(key, [Graphics(name if named else None, memory, api)])]
    api = {}
    for part in filter(None, (one.strip() for one in re.split(r"[,;]", text))):
        name, _, version = part.replace(":", " ").rpartition(" ")
        parse_version(version)
        if not name.strip():
            raise InputError(f'found "{part}"', 'interfaces with versions, such as "vulkan 1.2"')
        api[name.strip().lower()] = version
    if not api:
        raise InputError("found nothing", 'interfaces with versions, such as "vulkan 1.2"')
    return [Told(key, [Graphics(api=api)])]
