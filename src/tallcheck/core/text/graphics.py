"""What people say of graphics adapters, and of a display: its size, or the trade's name for it."""

import re

from tallcheck.core.machine.readings import Told
from tallcheck.core.machine.sheet import Graphics
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.quantities import parse_display, parse_memory, parse_version
from tallcheck.core.values.scanning import SIZE, fold

_DISPLAYS = {
    "full hd": "1920x1080", "fhd": "1920x1080", "1080p": "1920x1080", "720p": "1280x720",
    "wuxga": "1920x1200", "wqhd": "2560x1440", "qhd": "2560x1440", "4k": "3840x2160",
    "uhd": "3840x2160",
}  # fmt: skip
_SIZE = r"(?<![\w.,])(\d{3,6})\s*(?:[x\u00d7*]|\s(?:by|mal|par)\s)\s*(\d{3,6})(?!\w)"


def display_said(key: str, text: str) -> list[Told]:
    """The one size in a text such as ``15.6" FHD 1920x1080 @ 60 Hz``. Raises InputError."""
    sizes = {(int(wide), int(high)) for wide, high in re.findall(_SIZE, text, re.IGNORECASE)}
    if len(sizes) == 1:
        return [Told(key, "{}x{}".format(*sizes.pop()))]
    known = {name for word in re.split(r"[\s,;/()-]+", text) if (name := _DISPLAYS.get(fold(word)))}
    known = {_DISPLAYS[fold(text)]} if fold(text) in _DISPLAYS else known
    if len(known) == 1 and not sizes:
        return [Told(key, known.pop())]
    return [Told(key, "{}x{}".format(*parse_display(text)))]


def graphics_said(key: str, text: str) -> list[Told]:
    """One adapter from ``vulkan 1.2, d3d 12``, by its name, or none. InputError."""
    if fold(text) == "none":
        return [Told(key, [])]
    if not re.match(r"\s*(?:vulkan|opengl|open gl|d3d|direct3d|directx|metal|wddm|open ?cl|cuda)\b",
                    text, re.IGNORECASE):  # fmt: skip
        size = re.search(SIZE, text, re.IGNORECASE)
        name = re.sub(r"\(\s*\)", " ", re.sub(SIZE, " ", text, flags=re.IGNORECASE)).strip(" ,")
        if not re.search(r"[^\W\d]", name):
            raise InputError(f'found "{text.strip()}"', "an adapter, or interfaces with versions")
        return [Told(key, [Graphics(name, parse_memory(size[1]) if size else None)])]
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
