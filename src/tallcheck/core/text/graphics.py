"""What people say of graphics adapters, and of a display: its size, or the trade's name for it."""

import re

from tallcheck.core.machine.agreeing import adapters_told
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


_OWN = ("d3d", "vulkan", "opengl", "metal", "wddm", "opencl", "cuda")
INTERFACE_NAMES = INTERFACES | {one: one for one in _OWN} | {"open gl": "opengl"}
"""What people call graphics interfaces, with the name that a sheet has."""
_API = rf"(?i)\b({'|'.join(INTERFACE_NAMES)})(?: version)?\s?v?:?\s?(\d{{1,2}}(?:\.\d{{1,2}})?)\b"
_LEVEL = r"(?i)\(?\b(?:fl|feature level)\s?\d+[._]\d\b\)?"
_EXPECTED = 'interfaces with versions, such as "vulkan 1.2"'


def graphics_said(key: str, text: str) -> list[Told]:
    """Adapters by name, with memory and interfaces: ``GTX 1650 4GB, vulkan 1.2``. InputError."""
    if fold(text) == "none":
        return [Told(key, [])]
    only_interfaces = re.match(rf"\s*(?:{'|'.join(INTERFACE_NAMES)})\b", text, re.IGNORECASE)
    parts = filter(None, (one.strip() for one in re.split(r"[,;]|\s[+&]\s", text)))
    found = adapters_told([_pairs(one) if only_interfaces else _adapter(one) for one in parts])
    if not any(one.name or one.api for one in found):
        raise InputError(f'found "{text.strip()}"', "an adapter, or interfaces with versions")
    return [Told(key, found)]


def _adapter(text: str) -> Graphics:
    """What one part of a text tells of an adapter."""
    api = {INTERFACE_NAMES[name.lower()]: version for name, version in re.findall(_API, text)}
    rest = re.sub(_LEVEL, " ", re.sub(_API, " ", text))
    size = next(reversed([*re.finditer(SIZE, rest, re.IGNORECASE)]), None)
    rest = rest[: size.start()] + " " + rest[size.end() :] if size else rest
    name = " ".join(re.sub(r"(?i)\(\s*\)|\bgddr\w+", " ", rest).split())
    named = re.search(r"[^\W\d]", name) and (not api or re.search(r"[A-Z]|\d", name))
    return Graphics(name if named else None, parse_memory(size[1]) if size else None, api or None)


def _pairs(text: str) -> Graphics:
    """An interface, of whatever name, with its version."""
    name, _, version = re.sub(_LEVEL, "", text).replace(":", " ").strip().rpartition(" ")
    parse_version(version)
    if not name.strip():
        raise InputError(f'found "{text}"', _EXPECTED)
    return Graphics(api={INTERFACE_NAMES.get(name.strip().lower(), name.strip().lower()): version})
