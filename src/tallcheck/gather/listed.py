"""Memory positions as a source lists them, made the same whatever the source.

What is no main memory is left out, names that firmware leaves unset are none, memory of a kind that
is only ever soldered is soldered, a free position keeps its form and type, and positions that have
one name get their bank's. A letter that names more positions than a channel holds names a socket.
"""

from collections import Counter
from collections.abc import Iterable

from msgspec import structs

from tallcheck.core.machine.amounts import MOSTLY, at_limit, likely_fitted
from tallcheck.core.machine.modules import only_soldered
from tallcheck.core.machine.sheet import Module
from tallcheck.core.values.quantities import format_memory
from tallcheck.gather.draft import Draft
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


_NEARLY_ALL = 0.985  # less is kept than a kernel needs for itself
_ORDINARY = 0.93  # firmware and the kernel keep a few hundredths on every machine


def note_what_is_kept(draft: Draft) -> None:
    """A note where much of what is fitted is kept from the system, with the likely reason."""
    memory, system = draft.machine.memory, draft.machine.system
    fitted, usable = memory.installed, memory.usable
    if fitted is None or usable is None:
        _note_likely_share(draft)
        return
    if usable >= _ORDINARY * fitted:
        return
    kept = format_memory(fitted - usable, 1)
    text = f"{format_memory(fitted)} is fitted and {format_memory(usable)} usable; {kept} is kept"
    limit = float("nan") if memory.addressable is None else memory.addressable
    if at_limit(usable, system.os_bits, limit):
        reason = "most likely the 32-bit system cannot address it"
    elif draft.limit:
        reason = f"most likely because {draft.limit}"
    elif usable >= MOSTLY * fitted:
        reason = "most likely by a share for graphics"
    else:
        reason = (
            "the likely reasons: a limit on the kernel's command line (mem=), a limit in the "
            "firmware's settings, or a module that was not seen at the start"
        )
    draft.note(f"{text}: {reason}")


def _note_likely_share(draft: Draft) -> None:
    """A note where what is usable is nearly all of the total that it would be worked out to."""
    usable, system = draft.machine.memory.usable, draft.machine.system
    if usable is None or system.virtual:
        return
    total = float(likely_fitted(float(usable)))
    if usable > _NEARLY_ALL * total:
        more = format_memory(int(likely_fitted(total + 1)))
        draft.note(
            f"{format_memory(usable)} usable is nearly all of {format_memory(int(total))}: {more} "
            "is fitted where a share of it is kept for graphics"
        )
