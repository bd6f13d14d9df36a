"""Memory positions as a source lists them, made the same whatever the source.

What is no main memory is left out, names that firmware leaves unset are none, memory of a kind that
is only ever soldered is soldered, a free position keeps its form and type, and positions that have
one name get their bank's. A letter that names more positions than a channel holds names a socket.
"""

from collections import Counter
from collections.abc import Iterable

from msgspec import structs

from tallcheck.core.machine.modules import only_soldered
from tallcheck.core.machine.sheet import Module
from tallcheck.gather.smbios import SOLDERED_FORMS, meant

_NOT_MAIN_MEMORY = frozenset({
    "ROM", "FLASH", "EEPROM", "FEPROM", "EPROM", "NON-VOLATILE", "VRAM", "CACHE", "CACHE DRAM",
})  # fmt: skip
_DEEPEST = 3  # modules on one channel, with registered modules of the older types
_SOLDERED = frozenset(form.lower() for form in SOLDERED_FORMS)


def main_memory(kind: str | None) -> bool:
    """Whether a position of this type holds main memory, as far as its type tells."""
    return (kind or "").upper() not in _NOT_MAIN_MEMORY


def as_positions(listed: Iterable[Module]) -> list[Module]:
    """The positions of main memory."""
    found = _sockets_told([_cleaned(one) for one in listed if main_memory(one.type)])
    names = Counter(one.slot for one in found)
    return [
        structs.replace(one, slot=f"{one.slot} ({one.bank})")
        if one.slot and one.bank and names[one.slot] > 1 and one.bank != one.slot
        else one
        for one in found
    ]


def _sockets_told(modules: list[Module]) -> list[Module]:
    """The same, with ``socket A`` for what would be a channel of too many positions."""
    counts = Counter(one.channel for one in modules)
    return [
        structs.replace(one, channel=f"socket {one.channel}")
        if one.channel and counts[one.channel] > _DEEPEST and not one.channel.startswith("socket")
        else one
        for one in modules
    ]


def _cleaned(module: Module) -> Module:
    bank = meant(module.bank)
    form, kind = meant(module.form), meant(module.type)
    fixed = module.fixed
    if module.size:
        soldered = (form or "").lower() in _SOLDERED or only_soldered(kind, form)
        fixed = True if soldered else (False if form else fixed)
    return structs.replace(
        module, slot=meant(module.slot) or bank, bank=bank, form=form, type=kind,
        maker=meant(module.maker) if module.size else None,
        part=meant(module.part) if module.size else None, fixed=fixed,
    )  # fmt: skip
