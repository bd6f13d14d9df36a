"""Rows in words: what is asked, what is there, and what people commonly misread in it."""

from collections.abc import Callable
from typing import Any

from tallcheck.core.board.account import Why, account_of
from tallcheck.core.board.totals import POSITIONS, cheapest_total
from tallcheck.core.decide.asked import Requirement
from tallcheck.core.decide.decision import Row, Verdict
from tallcheck.core.decide.evaluation import Answer
from tallcheck.core.machine.amounts import MOSTLY
from tallcheck.core.machine.normalized import World
from tallcheck.core.machine.readings import label_of
from tallcheck.core.messages.values import apart, bound_text, range_text, reason_text, show_value
from tallcheck.core.needs.key import (
    AllSets,
    ExtraKeys,
    Generations,
    Interfaces,
    Named,
    OneOf,
)
from tallcheck.core.needs.keys import KEYS
from tallcheck.core.needs.sheet import Need
from tallcheck.core.values import quantities as q
from tallcheck.core.values.comparison import AT_LEAST, EXACTLY, Bound

_FEW = 3  # sets or words that are named one by one


def key_name(key: str) -> str:
    """What a key is called in a sentence; several keys of one row are joined by "or"."""
    parts = key.split(" or ")
    return " or ".join(KEYS[part].label if part in KEYS else part for part in parts)


def need_text(need: Need) -> str:
    """What a need asks for."""
    test = need.test
    if isinstance(test, Bound):
        text = bound_text(KEYS[need.key].kind, test)
        return f"{text}, no other" if test.op == EXACTLY and need.key == "os_bits" else text
    if isinstance(test, OneOf):
        joined = " or ".join(test.words[:_FEW]) + (" or …" if len(test.words) > _FEW else "")
        return f"not {joined}" if test.refused else joined
    if isinstance(test, AllSets):
        return ", ".join(test.names)
    if isinstance(test, Generations):
        return "; ".join(
            f"{'others' if line == '*' else line} {number if number is not None else 'no'}"
            for line, number in test.lines.items()
        )
    if isinstance(test, Named):
        named = (f"{name} {range_text(span)}".strip() for name, span in test.names)
        return (", " if test.every else " or ").join(named)
    if isinstance(test, Interfaces):
        return ", ".join(f"{name} {version}" for name, version in test.versions.items())
    if isinstance(test, ExtraKeys):
        return ", ".join(f"{key}: {value}" for key, value in test.values.items())
    return " or ".join(
        " and ".join(f"{n.key} {need_text(n)}" for n in one) for one in need.alternatives
    )


def need_value(need: Need) -> Any:
    """What a need asks for, as JSON has it: a number or a list where it is one, else text."""
    test = need.test
    if isinstance(test, Bound):
        plain = test.op == AT_LEAST and isinstance(test.limit, int | float)
        return test.limit if plain and KEYS[need.key].kind != "ability" else need_text(need)
    if isinstance(test, AllSets):
        return list(test.names)
    if isinstance(test, OneOf) and not test.refused:
        return list(test.words)
    return need_text(need)


def row_need_text(row: Row) -> str:
    """What a row's need asks for, with more digits where have and need would look the same."""
    need, have = row.ask.asked.need, row.answer.evaluation.have
    test = need.test
    if isinstance(test, Bound) and test.op != EXACTLY and isinstance(have, int | float):
        return apart(KEYS[need.key].kind, test, have)[0]
    return need_text(need)


def have_value(row: Row) -> Any:
    """What a row found, as JSON has it."""
    have = row.answer.evaluation.have
    if row.status == "unknown" and row.key != "memory":
        have = have if isinstance(have, list) else None
    if isinstance(have, tuple):
        return have_text_of(row.ask, row.answer, {})
    return have


def have_text(row: Row, world: World) -> str:
    """What a row found."""
    if row.ask.asked.need.incomparable:
        return "not comparable"
    return have_text_of(row.ask, row.answer, world)


def have_text_of(ask: Requirement, answer: Answer, world: World) -> str:
    """What holding a need found, in words."""
    if ask.tables:
        table = ask.tables[answer.table]
        pairs = zip(table, answer.parts, strict=True)
        return "; ".join(have_text_of(one, part, world) for one, part in pairs)
    if ask.key is None:
        return "unknown"
    maker = _HAVE.get(ask.key.name)
    if maker is not None:
        return maker(answer, world)
    evaluation = answer.evaluation
    if (
        isinstance(evaluation.detail, tuple)
        and evaluation.detail
        and evaluation.detail[0] == "range"
    ):
        _, least, most = evaluation.detail
        edge = f"at least {show_value(ask.key.kind, least)}"
        if most < float("inf") and (evaluation.have != least or answer.status == "short"):
            edge = f"at most {show_value(ask.key.kind, most)}"
        return edge
    if evaluation.have is None:
        return "unknown"
    if evaluation.have == "able" and answer.status == "short":
        return "off"
    if isinstance(ask.test, Bound) and isinstance(evaluation.have, int | float):
        return apart(ask.key.kind, ask.test, evaluation.have)[1]
    return show_value(ask.key.kind, evaluation.have)


def _memory(answer: Answer, world: World) -> str:
    have = answer.evaluation.have
    if have is None:
        return "unknown"
    if answer.evaluation.detail[0] is None:
        return f"{q.format_memory(have)} or more"
    return q.format_memory(have)


def _known(show: Callable[[Any], str]) -> Callable[[Answer, World], str]:
    """What shows a figure where there is one."""
    return lambda answer, _: (
        "unknown" if answer.evaluation.have is None else show(answer.evaluation.have)
    )


def _sets(answer: Answer, world: World) -> str:
    found = answer.evaluation.detail
    if found is None:
        return "unknown"
    if answer.status == "short":
        missing = [f"no {name}" for name in dict.fromkeys(found.absent)]
        hidden = [f"{name} hidden" for name in dict.fromkeys(found.hidden)]
        return ", ".join(missing + hidden)
    if answer.status == "unknown":
        unknown = list(dict.fromkeys(found.unknown))
        return ", ".join(f"{one}?" for one in unknown) if len(unknown) <= _FEW else "unknown"
    have = answer.evaluation.have
    return ", ".join(have) if len(have) <= _FEW else "all there"


def _generation(answer: Answer, world: World) -> str:
    line = world.get("processor.line")
    if line is None:
        return "unknown"
    if answer.evaluation.detail == "not taken":
        return f"{line}: not taken"
    have = answer.evaluation.have
    return f"{line}, generation {have if have is not None else 'unknown'}"


def _system(answer: Answer, world: World) -> str:
    if answer.evaluation.have is None:
        return "unknown"
    name, version = answer.evaluation.have
    return f"{name} {version or '(version unknown)'}"


def _software(answer: Answer, world: World) -> str:
    if answer.status == "met":
        return "all there"
    detail = answer.evaluation.detail
    if not detail:
        return "unknown"
    return ("not there: " if answer.status == "short" else "not known: ") + ", ".join(detail)


def _graphics(answer: Answer, world: World) -> str:
    if answer.status == "short":
        lacks = answer.evaluation.detail
        return f"no {', '.join(lacks)}" if lacks else "none"
    return "all there" if answer.status == "met" else "unknown"


def _extra(answer: Answer, world: World) -> str:
    if answer.status == "short":
        return ", ".join(f"{key}: {value}" for key, value in answer.evaluation.detail.items())
    return "as asked" if answer.status == "met" else "unknown"


_HAVE = {
    "memory": _memory, "memory_own": _known(lambda have: f"{q.format_memory(have)} of room"),
    "memory_use": _known(q.format_share), "cores_use": _known("{:.1f}".format),
    "instructions": _sets, "generation": _generation, "os": _system, "software": _software,
    "graphics": _graphics, "extra": _extra,
}  # fmt: skip

# --- notes ---------------------------------------------------------------------------------


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
            texts.append("a setting of firmware or kernel keeps the rest back")
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


def why_no_more(row: Row, world: World) -> str:
    """Why the memory that a row asks for cannot be built, or nothing where it can."""
    test = row.ask.test
    if not isinstance(test, Bound):
        return ""
    ceiling = world.get("memory.ceiling")
    why = cheapest_total(account_of(world.get), float(test.limit), ceiling).why_not
    if why == POSITIONS:
        return f"its positions cannot hold {q.format_memory(test.limit)}"
    return reason_text(Why(why, (ceiling,))) if why else ""


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
    if row.status == "short" and "setting" in row.fixes:
        return "often only switched off: look in the firmware's settings first"
    return ""


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
