"""Readings held against each other: a note for what is odd, a doubt for what cannot be true."""

from tallcheck.core.machine.derive import at_limit
from tallcheck.core.values.quantities import format_memory
from tallcheck.gather.draft import Draft

_ORDINARY = 0.93  # firmware and the kernel keep a few hundredths on every machine


def hold_together(draft: Draft) -> None:
    """Fitted memory against usable memory, and threads against cores."""
    _fitted_and_usable(draft)
    processor = draft.machine.processor
    if processor.cores and processor.threads and processor.threads < processor.cores:
        draft.doubt(
            ["processor.cores", "processor.threads"],
            f"{processor.cores} cores and {processor.threads} threads cannot both be true",
        )
    if draft.machine.system.os_bits == 64 and processor.bits == 32:
        draft.doubt(
            ["processor.bits", "system.os_bits"],
            "a 64-bit system cannot run on a 32-bit processor",
        )


def _fitted_and_usable(draft: Draft) -> None:
    memory, system = draft.machine.memory, draft.machine.system
    fitted, usable = memory.installed, memory.usable
    if fitted is None or usable is None:
        return
    if usable > fitted:
        draft.doubt(
            ["memory.installed", "memory.usable"],
            f"the system manages {format_memory(usable, 2)}, more than the "
            f"{format_memory(fitted, 2)} that the firmware tables list: a module may be missing "
            "from the tables",
        )
        return
    if usable >= _ORDINARY * fitted:
        return
    kept = format_memory(fitted - usable, 1)
    text = f"{format_memory(fitted)} is fitted and {format_memory(usable)} usable; {kept} is kept"
    if system.os_bits == 32 and at_limit(usable, 32, memory.addressable):
        reason = "most likely the 32-bit system cannot address it"
    elif draft.limit:
        reason = f"most likely because {draft.limit}"
    elif usable >= 0.7 * fitted:
        reason = "most likely by a share for graphics"
    else:
        reason = (
            "the likely reasons: a limit on the kernel's command line (mem=), a limit in the "
            "firmware's settings, or a module that was not seen at the start"
        )
    draft.note(f"{text}: {reason}")
