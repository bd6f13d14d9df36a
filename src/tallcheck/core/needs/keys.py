"""All keys of a needs sheet, in the order in which they are listed."""

from tallcheck.core.needs import amounts, counts, graphics, parts, processor, sets, system
from tallcheck.core.needs.key import Key

KEYS: dict[str, Key] = {
    one.name: one
    for one in (
        amounts.MEMORY, amounts.MEMORY_OWN, counts.CORES, counts.THREADS, processor.CLOCK,
        processor.GENERATION, processor.PROCESSORS, sets.INSTRUCTIONS, processor.PROCESSOR_BITS,
        processor.ARCHITECTURE, processor.VIRTUALIZATION, system.OS, system.OS_BITS,
        amounts.STORAGE, amounts.STORAGE_FREE, amounts.STORAGE_DATA, amounts.STORAGE_KIND,
        system.SECURITY_MODULE, system.FIRMWARE, system.SECURE_BOOT, graphics.GRAPHICS,
        graphics.GRAPHICS_MEMORY, parts.DISPLAY, parts.SOFTWARE, amounts.MEMORY_USE,
        counts.CORES_USE, parts.EXTRA,
    )
}  # fmt: skip
"""Every key by its name: a new need is one entry and a line here."""
