"""What a caller pasted: lines of "label: value", into told readings; nothing is guessed."""

import re
from collections.abc import Callable

from msgspec import Struct

from tallcheck.core.machine.readings import Told, parse_value
from tallcheck.core.values.errors import InputError

SYSTEM_TYPE = "system type"
"""The pseudo key of a text that tells two things: the system's bits and the processor's."""

_SPLIT = re.compile(r"\s*(?::|=|\t|\s{2,}|\s-\s)\s*")


class NotUnderstood(Struct, frozen=True):
    """A line that gave no reading, by number, and why."""

    line: int
    text: str
    why: str


def fold(label: str) -> str:
    """A label with case, marks and blanks made alike."""
    return " ".join(re.sub(r"[^\w()]+", " ", label.lower()).split())


_SHAPES = {
    "laptop": "notebook", "notebook": "notebook", "convertible": "notebook", "desktop": "desktop",
    "desktop pc": "desktop", "pc": "desktop", "tower": "tower", "mini tower": "tower",
    "mini pc": "mini", "mini": "mini", "all in one": "all-in-one", "tablet": "tablet",
    "server": "server", "rack": "server",
}  # fmt: skip
_WORDS = {
    "system.shape": _SHAPES,
    "firmware.mode": {"uefi": "uefi", "efi": "uefi", "legacy": "bios", "bios": "bios"},
    "firmware.secure_boot": {
        "on": "on", "enabled": "on", "off": "able", "disabled": "able", "able": "able",
        "unsupported": "none", "not supported": "none", "none": "none",
    },
    "processor.virtualization": {
        "on": "on", "enabled": "on", "off": "able", "disabled": "able", "not supported": "none",
    },
    "storage.kind": {
        "ssd": "solid", "nvme": "solid", "solid": "solid", "solid state": "solid",
        "hdd": "spinning", "hard disk": "spinning", "spinning": "spinning",
    },
    "processor.architecture": {
        "x64": "x86-64", "amd64": "x86-64", "x86 64": "x86-64", "x86_64": "x86-64", "x86": "x86",
        "i386": "x86", "i686": "x86", "arm64": "arm64", "aarch64": "arm64",
    },
}  # fmt: skip


def _word(key: str, value: str) -> str:
    """A value in the sheet's word for it, where people have several."""
    return _WORDS.get(key, {}).get(fold(value), value)


def _memory(value: str) -> list[Told]:
    both = re.fullmatch(r"(.+?)\s*\(\s*(.+?)\s+usable\s*\)", value, re.IGNORECASE)
    if not both:
        return [Told("memory.installed", parse_value("memory.installed", value))]
    return [
        Told("memory.installed", parse_value("memory.installed", both[1])),
        Told("memory.usable", parse_value("memory.usable", both[2])),
    ]


def _processor(value: str) -> list[Told]:
    """A processor's name, with the clock, cores and threads that screens write behind it."""
    found = [("processor.cores", r"(\d+)\s*core(?:\(s\)|s)?\b"),
             ("processor.threads", r"(\d+)\s*(?:logical processor|thread)(?:\(s\)|s)?"),
             ("processor.clock", r"(?:@|,)\s*(\d+(?:[.,]\d+)?\s*[GM]hz)")]  # fmt: skip
    told = []
    for key, pattern in found:
        match = re.search(pattern, value, re.IGNORECASE)
        if match:
            told.append(Told(key, parse_value(key, match[1])))
    name = value.split(",")[0].strip()
    return [Told("processor.name", parse_value("processor.name", name)), *told]


def _system(value: str) -> list[Told]:
    """A system's name with its version, and its bits where they stand there."""
    text = re.sub(r"^Microsoft\s+", "", value.strip())
    bits = re.search(r"\b(32|64)[\s-]?bits?\b", text)
    text = re.sub(r"[,(]?\s*\b(32|64)[\s-]?bits?\b\)?", "", text).strip(" ,")
    match = re.fullmatch(r"(.+?)\s+(\d[\w.]*)(?:\s+.*)?", text)
    told = [Told("system.os", match[1] if match else text)]
    if match:
        told.append(Told("system.os_version", match[2]))
    if bits:
        told.append(Told("system.os_bits", int(bits[1])))
    return told


def _system_type(value: str) -> list[Told]:
    system = re.search(r"\b(32|64)[\s-]?bit operating system", value, re.IGNORECASE)
    processor = re.search(r"\b(x64|x86|arm)[\s-]?based (?:processor|pc)", value, re.IGNORECASE)
    told = []
    if system:
        told.append(Told("system.os_bits", int(system[1])))
    if processor:
        names = {"x64": ("x86-64", 64), "x86": ("x86", 32), "arm": ("arm64", 64)}
        architecture, bits = names[processor[1].lower()]
        told.append(Told("processor.architecture", architecture))
        told.append(Told("processor.bits", bits))
    if not told:
        raise InputError(f'found "{value}"', '"64-bit operating system, x64-based processor"')
    return told


_COMPOSITE: dict[str, Callable[[str], list[Told]]] = {
    "memory.installed": _memory,
    "processor.name": _processor,
    "system.os": _system,
    SYSTEM_TYPE: _system_type,
}


def read_lines(text: str, labels: dict[str, str]) -> tuple[list[Told], list[NotUnderstood]]:
    """Told readings from pasted lines, and every line that was not understood.

    ``labels`` maps folded labels to keys. A reading told twice with two values is not understood.
    """
    told: dict[str, Told] = {}
    left: list[NotUnderstood] = []
    for number, line in enumerate(text.splitlines(), 1):
        if not line.strip():
            continue
        parts = _SPLIT.split(line.strip(), maxsplit=1)
        label, value = (parts[0], parts[1].strip(" .;")) if len(parts) == 2 else ("", "")
        key = labels.get(fold(label))
        if key is None or not value:
            why = "no label that is known" if value else "no 'label: value'"
            left.append(NotUnderstood(number, line.strip(), why))
            continue
        try:
            readings = _readings(key, value)
        except InputError as error:
            left.append(NotUnderstood(number, line.strip(), str(error)))
            continue
        for one in readings:
            known = told.get(one.key)
            if known is not None and known.value != one.value:
                why = f"{one.key} was told before with another value"
                left.append(NotUnderstood(number, line.strip(), why))
                continue
            told[one.key] = one
    return list(told.values()), left


def _readings(key: str, value: str) -> list[Told]:
    if key in _COMPOSITE:
        return _COMPOSITE[key](value)
    return [Told(key, parse_value(key, _word(key, value)))]
