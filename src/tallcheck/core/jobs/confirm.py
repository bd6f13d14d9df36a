"""After the work: is what was planned there, is all of it used, did anything else change.

The answers: ``done``, ``partly`` (with what is left to do), ``not done``.
"""

from typing import Any

from msgspec import Struct

from tallcheck.core.board.account import Account, Position, account_of_machine
from tallcheck.core.jobs.confirm_modules import Finding, Planned, modules_found
from tallcheck.core.machine.amounts import MOSTLY
from tallcheck.core.machine.normalized import normalized
from tallcheck.core.machine.readings import get, label_of
from tallcheck.core.machine.sheet import Machine
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.quantities import format_memory, format_storage

DONE, PARTLY, NOT_DONE = "done", "partly", "not done"
EXIT_CODES = {DONE: 0, PARTLY: 15, NOT_DONE: 16}


class Confirmed(Struct, frozen=True):
    """What came of it."""

    machine: str
    answer: str
    sentence: str
    before: Account | None
    after: Account | None
    findings: tuple[Finding, ...]
    changes: tuple[str, ...]
    """Other changes that are no fault, in words."""

    @property
    def exit_code(self) -> int:
        """The exit code of the answer."""
        return EXIT_CODES[self.answer]


def confirm(
    before: Machine,
    after: Machine,
    planned: Planned | None,
    named: bool,
    still_short: bool,
    vocabulary: Vocabulary,
) -> Confirmed:
    """Hold a machine after the work against what it was, and against what was planned.

    ``named``: both sheets carry names that somebody gave, so that they have to be the same.
    ``still_short``: memory still falls short of the needs. Raises InputError for sheets of two
    machines or a plan for another.
    """
    _same_machine(before, after, named)
    old, new = (
        account_of_machine(before, vocabulary, True),
        account_of_machine(after, vocabulary, True),
    )
    if planned is not None:
        _plan_fits(planned, before, old)
    seen, findings = modules_found(old, new, planned)
    findings += _used(before, after, vocabulary)
    if before.gathered and after.gathered and after.gathered < before.gathered:
        text = f"the sheet of after the work is older ({after.gathered}) than the one of before"
        findings.insert(0, Finding(False, f"{text} ({before.gathered}): swap them"))
    lost, changes = _other_changes(before, after)
    findings += lost
    if still_short and seen:
        findings.append(Finding(False, "memory still falls short of what is asked for"))
    answer = NOT_DONE if not seen else DONE
    if seen and any(finding.good is False for finding in findings):
        answer = PARTLY
    sentence = _sentence(before.name, answer, old, new, findings, planned)
    return Confirmed(
        before.name, answer, sentence, old, new,
        tuple(findings), tuple(changes),
    )  # fmt: skip


# --- the same machine ----------------------------------------------------------------------


def _same_machine(before: Machine, after: Machine, named: bool) -> None:
    one, other = before.system, after.system
    told: list[tuple[str, Any, Any]] = [
        ("serial number", one.serial, other.serial), ("maker", one.maker, other.maker),
        ("model", one.model, other.model),
        ("processor", before.processor.name, after.processor.name),
    ]  # fmt: skip
    if named and not (one.serial and other.serial):
        told.insert(0, ("name", before.name, after.name))
    for label, old, new in told:
        if old is not None and new is not None and str(old).strip() != str(new).strip():
            raise InputError(
                f"found sheets of two machines: the {label} is '{old}' and '{new}'",
                "one machine before and after",
            )


def _plan_fits(planned: Planned, before: Machine, board: Account | None) -> None:
    """Raise InputError for a plan that was made for another machine, or for another filling."""
    expected = f"the plan of {before.name}"
    if planned.machine is not None and planned.machine != before.name:
        raise InputError(f"found a plan for '{planned.machine}'", expected, "--plan")
    if board is None:
        return
    positions = {one.name: one for one in board.positions}
    for one in planned.remove:
        there = positions.get(one.slot)
        if there is None or there.size != one.size:
            raise InputError(
                f"found a plan that takes {format_memory(one.size)} out of {one.slot}, where "
                f"{before.name} has {_held(there)}", expected, "--plan",
            )  # fmt: skip
    gone = {one.slot for one in planned.remove}
    for one in planned.add:
        there = positions.get(one.slot)
        if there is None or (there.size and one.slot not in gone):
            raise InputError(
                f"found a plan that puts {format_memory(one.size)} into {one.slot}, where "
                f"{before.name} has {_held(there)}", expected, "--plan",
            )  # fmt: skip


def _held(position: Position | None) -> str:
    if position is None:
        return "no such position"
    return format_memory(position.size) if position.size else "nothing"


# --- used, and what else changed -----------------------------------------------------------


def _used(before: Machine, after: Machine, vocabulary: Vocabulary) -> list[Finding]:
    """Whether what is fitted can be used, and why not."""
    was, now = (
        normalized(before, vocabulary).machine.memory,
        normalized(after, vocabulary).machine.memory,
    )
    if now.usable is None or now.installed is None:
        return [Finding(None, "how much of it the system can use is not known")]
    usable, fitted = format_memory(now.usable), format_memory(now.installed)
    kept = now.usable < MOSTLY * now.installed
    if was.installed is not None and was.usable is not None and now.installed > was.installed:
        kept = kept or now.usable - was.usable < MOSTLY * (now.installed - was.installed)
    if not kept:
        return [Finding(True, f"{usable} of the {fitted} fitted is usable")]
    why = "look for a graphics share, a limit in the firmware or the kernel, a module not seen"
    if after.system.os_bits == 32:
        why = "a 32-bit system cannot address more: install a 64-bit one"
    return [Finding(False, f"only {usable} of the {fitted} fitted is usable: {why}")]


_LOSSES = (
    "processor.cores", "processor.threads", "storage.drive", "graphics.memory", "memory.slots",
)  # fmt: skip
_STATES = (
    "firmware.security_module", "firmware.secure_boot", "firmware.mode",
    "processor.virtualization", "display",
)  # fmt: skip
_MENTIONED = ("system.os", "system.os_version", "system.os_bits", "firmware.version", "memory.swap")


def _other_changes(before: Machine, after: Machine) -> tuple[list[Finding], list[str]]:
    """What was lost or reset, which it should not have been; and other changes."""
    lost, changes = [], []
    for key in (*_LOSSES, *_STATES, *_MENTIONED):
        old, new = get(before, key), get(after, key)
        if old is None or new is None or old == new:
            continue
        text = f"{label_of(key)}: {_shown(key, old)} before, {_shown(key, new)} now"
        if key in _STATES or (key in _LOSSES and new < old):
            lost.append(Finding(False, f"{text}, which a memory upgrade does not change"))
        else:
            changes.append(text)
    for label, one, other in (
        ("drives or volumes", before.storage, after.storage),
        ("graphics adapters", before.graphics, after.graphics),
    ):
        if one is not None and other is not None and len(other) > len(one):
            changes.append(f"{label}: {len(one)} before, {len(other)} now")
        if one is not None and other is not None and len(other) < len(one):
            text = f"{label}: {len(one)} before, {len(other)} now: look for a loose connection"
            lost.append(Finding(False, text))
    return lost, changes


def _shown(key: str, value: Any) -> str:
    if key in ("graphics.memory", "memory.swap"):
        return format_memory(value)
    return format_storage(value) if key == "storage.drive" else str(value)


def _sentence(
    name: str,
    answer: str,
    before: Account | None,
    after: Account | None,
    findings: list[Finding],
    planned: Planned | None,
) -> str:
    bad = [finding.text for finding in findings if finding.good is False]
    was = format_memory(before.fitted) if before else "an unknown size"
    now = format_memory(after.fitted) if after else "an unknown size"
    if answer == DONE:
        return f"Done: {name} went from {was} to {now}, and all of it is used."
    plan = f", {format_memory(planned.total)} planned" if planned else ""
    more = f" {len(bad) - 1} more fault{'s' if len(bad) > 2 else ''} below." if len(bad) > 1 else ""
    start = "Partly done" if answer == PARTLY else "Not done"
    why = f" {bad[0][:1].upper()}{bad[0][1:]}." if bad else " Nothing new is seen."
    return f"{start}: {name} has {now} ({was} before{plan}).{why}{more}"
