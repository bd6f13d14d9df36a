"""All keys of a needs sheet, in the order in which they are listed."""

from tallcheck.core.needs import (
    counts,
    firmware,
    graphics,
    memory,
    parts,
    processor,
    sets,
    storage,
    system,
)
from tallcheck.core.needs.key import Key

KEYS: dict[str, Key] = {
    one.name: one
    for one in (
        memory.MEMORY, memory.MEMORY_OWN, counts.CORES, counts.THREADS, processor.CLOCK,
        processor.GENERATION, processor.PROCESSORS, sets.INSTRUCTIONS, processor.PROCESSOR_BITS,
        processor.ARCHITECTURE, processor.VIRTUALIZATION, system.OS, system.OS_BITS,
        storage.STORAGE, storage.STORAGE_FREE, storage.STORAGE_DATA, storage.STORAGE_KIND,
        firmware.SECURITY_MODULE, firmware.FIRMWARE, firmware.SECURE_BOOT, graphics.GRAPHICS,
        graphics.GRAPHICS_MEMORY, parts.DISPLAY, parts.SOFTWARE, memory.MEMORY_USE,
        counts.CORES_USE, parts.EXTRA,
    )
}  # fmt: skip
"""Every key by its name: a new need is one entry and a line here."""
