"""What is odd about a machine's memory, as a note on its sheet."""

from tallcheck.core.machine.amounts import MOSTLY, at_limit, likely_fitted
from tallcheck.core.values.quantities import format_memory
from tallcheck.gather.draft import Draft

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
