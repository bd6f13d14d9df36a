"""Where a caller finds a reading, in words that can be read out: keys to press, lines to read."""

from tallcheck.core.words.hints import how_to_find

_ABOUT = "Press the Windows key, type About, press Enter; read out the line '{}'."
_TASKS = "Press Ctrl, Shift and Escape together, choose Performance, then {}; read out '{}'."
_INFO = "Press the Windows key, type System Information, press Enter; read out the line '{}'."
_MAC = "Click the apple at the top left, then About This Mac; read out '{}'."
_SETTINGS = "Open the system's settings, then About; read out '{}'."

_WINDOWS = {
    "memory.installed": _ABOUT.format("Installed RAM"),
    "memory.usable": _ABOUT.format("Installed RAM"),
    "memory.available": _TASKS.format("Memory", "Available"),
    "memory.slots": _TASKS.format("Memory", "Slots used"),
    "processor.name": _ABOUT.format("Processor"),
    "processor.generation": _ABOUT.format("Processor"),
    "processor.line": _ABOUT.format("Processor"),
    "processor.bits": _ABOUT.format("System type"),
    "processor.architecture": _ABOUT.format("System type"),
    "processor.instructions": _ABOUT.format("Processor"),
    "processor.cores": _TASKS.format("CPU", "Cores"),
    "processor.threads": _TASKS.format("CPU", "Logical processors"),
    "processor.clock": _TASKS.format("CPU", "Base speed"),
    "processor.virtualization": _TASKS.format("CPU", "Virtualization"),
    "system.os": _ABOUT.format("Edition"),
    "system.os_version": _ABOUT.format("Edition"),
    "system.os_bits": _ABOUT.format("System type"),
    "system.maker": _INFO.format("System Manufacturer"),
    "system.model": _INFO.format("System Model"),
    "storage.drive": _TASKS.format("Disk 0", "Capacity"),
    "storage.kind": _TASKS.format("Disk 0", "Type"),
    "storage.free": "Open the Explorer, then This PC; read out what is free on drive C.",
    "firmware.mode": _INFO.format("BIOS Mode"),
    "firmware.secure_boot": _INFO.format("Secure Boot State"),
    "firmware.security_module": (
        "Press the Windows key, type tpm.msc, press Enter; read out 'Specification Version'."
    ),
    "display": "Right-click the desktop, choose Display settings; read out 'Display resolution'.",
}
_MACOS = {
    "memory.installed": _MAC.format("Memory"), "processor.name": _MAC.format("Chip or Processor"),
    "system.os": _MAC.format("macOS"), "system.os_version": _MAC.format("macOS"),
    "storage.drive": "Open Disk Utility, choose the drive at the top; read out its capacity.",
    "storage.free": "Click the apple, then System Settings, General, Storage; read what is free.",
}  # fmt: skip
_OTHER = {
    "memory.installed": _SETTINGS.format("Memory"), "processor.name": _SETTINGS.format("Processor"),
    "system.os": _SETTINGS.format("OS Name"), "system.os_version": _SETTINGS.format("OS Name"),
    "system.os_bits": _SETTINGS.format("OS Type"), "storage.drive": _SETTINGS.format("Disk"),
}  # fmt: skip
_ALIKE = {
    "system.shape": "What does it look like: a notebook, a desktop, a tower, an all-in-one?",
    "memory.modules": "Only with the case open, or from the machine's papers.",
}


def read_out(key: str, system: str | None) -> str:
    """What to say to a caller who shall find a reading; ``system`` is what runs there, if known."""
    if key in _ALIKE:
        return _ALIKE[key]
    name = (system or "").lower()
    table = _OTHER
    if "windows" in name:
        table = _WINDOWS
    elif "mac" in name:
        table = _MACOS
    elif not name and key == "system.os":
        return "Which system greets you when it starts? " + _WINDOWS[key]
    elif not name:
        table = _WINDOWS
    return table.get(key) or how_to_find(key, system)
