"""What people commonly misread in a row, said beside it where this machine invites it."""

from tallcheck.core.board.account import Why, account_of
from tallcheck.core.board.totals import POSITIONS, cheapest_total
from tallcheck.core.decide.decision import Row, Verdict
from tallcheck.core.machine.amounts import MOSTLY
from tallcheck.core.machine.normalized import World
from tallcheck.core.machine.readings import label_of
from tallcheck.core.messages.values import reason_text
from tallcheck.core.values import quantities as q
from tallcheck.core.values.comparison import Bound


def note(row: Row, verdict: Verdict) -> str:
    """What people commonly misread in a row, where this machine invites it."""
    asked, answer, world = row.ask.asked, row.answer, verdict.world
    if asked.need.incomparable:
        return asked.need.incomparable
    if row.doubted:
        return "the reading is in doubt: see the doubts above"
    if answer.status == "unknown" and row.ask.when:
        text = " and ".join(
            f"{label_of(one.name) if one.key is None else one.key.label} is {one.text}"
            for one in row.ask.when
        )
        return f"asked for only where {text}"
    if row.ask.tables:
        return f"one of {len(row.ask.tables)} ways is enough"
    if row.ask.key is None:
        return ""
    maker = _NOTES.get(row.ask.key.name)
    return maker(row, verdict, world) if maker is not None else ""


def _memory_note(row: Row, verdict: Verdict, world: World) -> str:
    installed, usable = row.answer.evaluation.detail or (None, None)
    if installed is None:
        return "the system shows only what it can use; more may be fitted" if usable else ""
    texts = []
    now = verdict.machine
    if verdict.system is not None and now.system.os_bits == 32 and verdict.system.bits == 64:
        texts.append(f"the 32-bit system that runs now gives way to {verdict.system.wanted}")
    if row.status == "short" and "system" in row.fixes:
        texts.append(_cannot_address(world))
    if row.status == "short" and "machine" in row.fixes:
        texts.append(why_no_more(row, world))
    if usable is None or q.format_memory(usable) == q.format_memory(installed):
        return "; ".join(filter(None, texts))
    have = row.answer.evaluation.have
    if have not in (installed, usable):
        texts.append(f"{q.format_memory(installed)} is fitted; {_held_to(world)}")
    elif usable < MOSTLY * installed:
        texts.append(f"{q.format_memory(installed)} is fitted, but the system can use only this")
        if "setting" in row.fixes:
            kept = "a setting of firmware or kernel keeps the rest back"
            texts.append(kept if world.get("memory.limit") is None else _held_to(world))
    else:
        narrow = world.get("system.os_bits") == 32 and usable < installed
        keeps = (
            "the 32-bit system, devices and firmware" if narrow else "firmware, graphics and system"
        )
        texts.append(
            f"{q.format_memory(usable)} usable is {q.format_memory(installed)} fitted: "
            f"{keeps} keep the rest"
        )
    return "; ".join(filter(None, texts))


def no_more(row: Row, world: World) -> str:
    """Why the memory that a row asks for cannot be built, as a fact; empty where it can."""
    test = row.ask.test
    if row.key != "memory" or not isinstance(test, Bound):
        return ""
    return cheapest_total(
        account_of(world.get), float(test.limit), world.get("memory.ceiling")
    ).why_not


def why_no_more(row: Row, world: World) -> str:
    """The same in words."""
    why, test = no_more(row, world), row.ask.test
    if why == POSITIONS and isinstance(test, Bound):
        return f"its positions cannot hold {q.format_memory(test.limit)}"
    return reason_text(Why(why, (world.get("memory.ceiling"),))) if why else ""


def _held_to(world: World) -> str:
    """What keeps the system from counting all that is fitted."""
    limit = world.get("memory.limit")
    reach = world.get("memory.addressable")
    if limit is not None and (reach is None or limit <= reach):
        return f"a limit of {q.format_memory(limit)} is set"
    return _cannot_address(world)


def _cannot_address(world: World) -> str:
    limit = world.get("memory.addressable")
    if limit is None:
        return ""
    bits = world.get("system.os_bits") or 32
    return f"the running {bits}-bit system addresses {q.format_memory(limit)}"


def _own_note(row: Row, verdict: Verdict, world: World) -> str:
    used = row.answer.evaluation.detail
    if used is None:
        return ""
    when = "at the moment of the reading" if verdict.usage is None else "95 % of the time, or less"
    return f"{q.format_memory(int(used))} was in use {when}"


def _cores_note(row: Row, verdict: Verdict, world: World) -> str:
    cores, threads = world.get("processor.cores"), world.get("processor.threads")
    off = row.answer.evaluation.detail
    if row.status == "short" and isinstance(off, int) and "setting" in row.fixes and off:
        return f"{off} more {row.key} are there, switched off"
    if cores is None or threads is None or cores == threads:
        return ""
    if row.key == "cores":
        return f"threads are not cores: {threads} threads on {cores} cores"
    return f"{cores} cores run {threads} threads"


def _clock_note(row: Row, verdict: Verdict, world: World) -> str:
    most = world.get("processor.clock_most")
    return f"the nominal clock; the highest is {q.format_clock(most)}" if most else ""


def _bits_note(row: Row, verdict: Verdict, world: World) -> str:
    bits, running = world.get("processor.bits"), world.get("system.os_bits")
    if row.answer.evaluation.detail == "system":
        return f"the processor would do; the running system has {running} bits"
    if bits is None or running is None or bits == running:
        return ""
    if row.key == "os_bits":
        return f"the processor has {bits} bits; the running system has {running}"
    return f"a {running}-bit system runs on this {bits}-bit processor: two different things"


def _architecture_note(row: Row, verdict: Verdict, world: World) -> str:
    if row.answer.evaluation.detail == "system":
        return (
            f"the processor would do; the running system is built for {row.answer.evaluation.have}"
        )
    return ""


def _sets_note(row: Row, verdict: Verdict, world: World) -> str:
    found = row.answer.evaluation.detail
    if found is None:
        return ""
    if found.hidden and not found.absent:
        return "the processor has it; the system or the host does not offer it"
    by = [f"{name} (comes with {source})" for name, source in found.by.items()]
    return f"worked out: {', '.join(by)}" if by else ""


def _generation_note(row: Row, verdict: Verdict, world: World) -> str:
    line = world.get("processor.line")
    if row.status == "unknown" and line is not None and row.answer.evaluation.detail == line:
        return f"the publisher names no generation of {line}: only the publisher can tell"
    if row.answer.evaluation.detail == "continues":
        return f"{line} continues a line that the publisher names"
    return ""


def _virtualization_note(row: Row, verdict: Verdict, world: World) -> str:
    if row.status == "short" and row.answer.evaluation.have == "able":
        return "the processor can; it is switched off in the firmware"
    return ""


def _storage_note(row: Row, verdict: Verdict, world: World) -> str:
    drive = world.get("storage.drive")
    if drive is None:
        return "the volume that holds the system; the drive may be larger"
    if drive >= 100 * 10**9:
        return f"a system that counts in GiB shows {drive / q.GIB:.0f} for it; nothing is missing"
    return ""


def _firmware_note(row: Row, verdict: Verdict, world: World) -> str:
    if may_be_off(row, world):
        return "often only switched off: look in the firmware's settings first"
    return ""


def may_be_off(row: Row, world: World) -> bool:
    """Whether firmware may have what is short, only switched off."""
    off = world.get("system.virtual") or row.answer.evaluation.have == q.OFF
    return row.status == "short" and "setting" in row.fixes and not off


def _use_note(row: Row, verdict: Verdict, world: World) -> str:
    return "sustained: the median over the hours of use" if row.status != "unknown" else ""


_NOTES = {
    "memory": _memory_note, "memory_own": _own_note, "cores": _cores_note, "threads": _cores_note,
    "clock": _clock_note, "processor_bits": _bits_note, "os_bits": _bits_note,
    "architecture": _architecture_note, "instructions": _sets_note,
    "generation": _generation_note, "virtualization": _virtualization_note,
    "storage": _storage_note, "security_module": _firmware_note, "firmware": _firmware_note,
    "secure_boot": _firmware_note, "memory_use": _use_note, "cores_use": _use_note,
}  # fmt: skip
