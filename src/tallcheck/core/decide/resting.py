"""Readings that bear on needs as a whole, besides those that a need's entry names."""

HUBS = ("system.shape", "processor.bits", "processor.architecture", "system.os_bits")
"""Readings that many needs rest on: where one is unknown, all are tried at the same value of it."""

OF_SYSTEM = frozenset({
    "system.os", "system.os_version", "system.family", "system.kernel", "system.os_bits",
    "system.architecture", "system.wanted",
})  # fmt: skip
OF_MEMORY = frozenset({
    "memory.installed", "memory.usable", "memory.available", "memory.ceiling",
    "memory.position_most", "memory.addressable", "memory.slots", "memory.modules", "memory.most",
    "memory.most_shown", "extra.memory_type", "system.virtual", "system.os_bits",
    "processor.bits", "usage.in_use", "usage.memory_use",
})  # fmt: skip
"""What bears on any need for memory, besides what its entry names."""
OF_KIND = frozenset({"processor.architecture", "processor.bits"})
