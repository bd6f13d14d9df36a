"""The modules after the work: is the planned total there, evenly spread, as fast as planned.

What matters is judged: modules that changed places, positions that are named otherwise, or more
than planned are told and no fault.
"""

from collections import Counter

from msgspec import Struct, structs

from tallcheck.core.board.account import Account
from tallcheck.core.machine.modules import running_is_clock
from tallcheck.core.machine.sheet import Module
from tallcheck.core.values.quantities import format_memory, format_speed

_NEAR = 2  # MT/s between the rounded figures that labels and firmware give


class PlannedModule(Struct, frozen=True):
    """A module of a plan: its position, size in bytes, and speed in MT/s."""

    slot: str
    size: int
    part: str | None = None
    speed: int | None = None


class Planned(Struct, frozen=True):
    """What a plan said: for which machine, what comes out, what goes in, at what speed."""

    machine: str | None
    total: int
    remove: tuple[PlannedModule, ...]
    add: tuple[PlannedModule, ...]
    speed: int | None = None


class Finding(Struct, frozen=True):
    """One thing that was looked at: whether it is as it should be (None: not known), in words."""

    good: bool | None
    text: str


def modules_found(
    before: Account | None, after: Account | None, planned: Planned | None
) -> tuple[bool, list[Finding]]:
    """Whether anything of the work is seen, and the modules against what was planned."""
    if after is None:
        return False, [Finding(False, "what is fitted now is not known")]
    told = not any(one.assumed for board in (before, after) if board for one in board.positions)
    if planned is None or before is None or not told:
        return _totals(before, after, planned, told)
    after, notes = _named_as_before(before, after)
    if after.fitted >= planned.total and _fresh(before, after):
        return True, [*notes, *_reached(before, after, planned)]
    seen, findings = _below_plan(before, after, planned)
    return seen, [*notes, *findings]


def _by_slot(board: Account) -> dict[str, Module]:
    return {one.name: one.module for one in board.positions if one.module and one.size}


def _named_as_before(before: Account, after: Account) -> tuple[Account, list[Finding]]:
    """The board after, its positions named as before where all of them are named otherwise now."""
    was, now = before.positions, after.positions
    if len(was) != len(now) or {one.name for one in was} & {one.name for one in now}:
        return after, []
    renamed = tuple(
        structs.replace(new, name=old.name, channel=old.channel)
        for old, new in zip(was, now, strict=True)
    )
    text = f"the positions are named otherwise now: {', '.join(one.name for one in now)}"
    return structs.replace(after, positions=renamed), [Finding(None, text)]


def _reached(before: Account, after: Account, planned: Planned) -> list[Finding]:
    """The planned total is there: how it is spread, how fast, of which parts."""
    old, new = _by_slot(before), _by_slot(after)
    gone = {one.slot for one in planned.remove}
    layout = {slot: module.size or 0 for slot, module in old.items() if slot not in gone}
    layout |= {one.slot: one.size for one in planned.add}
    there = {slot: module.size or 0 for slot, module in new.items()}
    findings = [
        Finding(True, f"{format_memory(after.fitted)} is fitted, {_than_planned(after, planned)}")
    ]
    moved = sorted(slot for slot in layout | there if layout.get(slot) != there.get(slot))
    if moved:
        uneven, meant = _uneven(after, there), _uneven(before, layout)
        worse = uneven is not None and meant is not None and uneven > meant
        text = "; ".join(f"{slot} has {_amount(there.get(slot))}, planned was "
                         f"{_amount(layout.get(slot))}" for slot in moved)  # fmt: skip
        if worse:
            text += ": the channels are filled less evenly than planned, move it"
        findings.append(Finding(False if worse else None, text))
    findings += _parts(old, new, planned)
    return findings + _speeds(old, new, planned)


def _than_planned(after: Account, planned: Planned) -> str:
    more = after.fitted - planned.total
    return f"{format_memory(more)} more than planned" if more else "as planned"


def _amount(size: int | None) -> str:
    return format_memory(size) if size else "nothing"


def _uneven(board: Account, sizes: dict[str, int]) -> int | None:
    """Bytes between the fullest and the emptiest channel; None where channels are not known."""
    sums: Counter[str | None] = Counter()
    for one in board.positions:
        sums[one.channel] += sizes.get(one.name, 0)
    return None if None in sums else max(sums.values()) - min(sums.values())


def _fresh(before: Account, after: Account) -> dict[str, Module]:
    """The modules that were not there before."""
    return _fresh_of(_by_slot(before), _by_slot(after))


def _fresh_of(old: dict[str, Module], new: dict[str, Module]) -> dict[str, Module]:
    return {
        slot: module for slot, module in new.items()
        if slot not in old or not _alike(module, old[slot])
    }  # fmt: skip


def _parts(old: dict[str, Module], new: dict[str, Module], planned: Planned) -> list[Finding]:
    """Parts that were planned and are not there, where the new modules tell what they are."""
    fresh = _fresh_of(old, new)
    parts = {module.part for module in new.values()}
    others = [f"{module.part} in {slot}" for slot, module in fresh.items() if module.part]
    missing = dict.fromkeys(one.part for one in planned.add if one.part and one.part not in parts)
    if not others or not missing:
        return []
    text = f"planned was {', '.join(map(str, missing))}, there is {', '.join(others)}"
    return [Finding(None, text)]


def _speeds(old: dict[str, Module], new: dict[str, Module], planned: Planned) -> list[Finding]:
    findings, fresh = [], _fresh_of(old, new)
    bought = min((one.speed for one in planned.add if one.speed), default=None)
    for slot, module in new.items():
        if slot in fresh and bought and module.speed and module.speed < bought - _NEAR:
            text = f"the module in {slot} is rated {format_speed(module.speed)}, bought was one of"
            findings.append(Finding(False, f"{text} {format_speed(bought)}"))
    slow = [
        module.running for module in new.values()
        if planned.speed and module.running and module.running < planned.speed - _NEAR
    ]  # fmt: skip
    halved = [module.running for module in new.values() if running_is_clock(module)]
    if slow and planned.speed and {*slow} <= {*halved}:
        text = f"the firmware says {format_speed(min(slow))}, half of what the modules are rated"
        findings.append(Finding(None, f"{text}: most likely that is the clock, in MHz"))
    elif slow and planned.speed:
        text = f"memory runs at {format_speed(min(slow))}, planned was"
        findings.append(Finding(
            False, f"{text} {format_speed(planned.speed)}: look at the firmware's memory settings, "
            "and for a slower module",
        ))  # fmt: skip
    return findings


def _below_plan(before: Account, after: Account, planned: Planned) -> tuple[bool, list[Finding]]:
    """Less than planned is there: what is seen of the work, and what is not."""
    old, new = _by_slot(before), _by_slot(after)
    gone = {one.slot for one in planned.remove}
    expected = {slot: module.size for slot, module in old.items() if slot not in gone}
    findings: list[Finding] = []
    missing: list[Finding] = []
    seen = 0
    spare = {
        slot: module for slot, module in new.items()
        if slot not in expected and slot not in {one.slot for one in planned.add}
    }  # fmt: skip
    for one in planned.add:
        found = new.get(one.slot)
        untouched = one.slot in gone and found is not None and _alike(found, old[one.slot])
        if found is not None and found.size == one.size and not untouched:
            seen += 1
            findings.append(Finding(True, f"{_name(one)} is seen in {one.slot}"))
            continue
        other = next((slot for slot, module in spare.items() if module.size == one.size), None)
        if other is not None:
            seen += 1
            spare.pop(other)
            findings.append(Finding(None, f"{_name(one)} sits in {other}, planned was {one.slot}"))
        elif found is None:
            what = f"{_name(one)} is not seen in {one.slot}"
            missing.append(Finding(False, f"{what}: switch off, reseat it, and look again"))
        else:
            has = "still has its old" if untouched else "has"
            text = f"{one.slot} {has} {format_memory(found.size or 0)}, planned was {_name(one)}"
            findings.append(Finding(False, text))
    for slot, size in expected.items():
        if slot not in new:
            text = f"{format_memory(size or 0)} in {slot}, which was to stay, is not seen"
            missing.append(Finding(False, f"{text}: reseat it"))
        elif new[slot].size != size:
            text = f"{slot} was to keep {format_memory(size or 0)}"
            findings.append(Finding(False, f"{text} and has {format_memory(new[slot].size or 0)}"))
    planned_slots = {one.slot for one in planned.add}
    for slot in sorted(gone - planned_slots):
        if slot in new:
            text = f"{format_memory(new[slot].size or 0)} is in {slot}, which was to be empty"
            findings.append(Finding(False, text))
            spare.pop(slot, None)
    for slot, module in spare.items():
        text = f"{format_memory(module.size or 0)} is in {slot}, which was not planned"
        findings.append(Finding(None, text))
    some = seen > 0 or after.fitted > before.fitted
    return some, [*missing, *findings, *_speeds(old, new, planned)]


def _alike(one: Module, other: Module) -> bool:
    return (one.size, one.part, one.serial) == (other.size, other.part, other.serial)


def _name(one: PlannedModule) -> str:
    return f"{format_memory(one.size)} {one.part}" if one.part else format_memory(one.size)


def _totals(
    before: Account | None, after: Account, planned: Planned | None, told: bool
) -> tuple[bool, list[Finding]]:
    """Only the totals can be compared, or nothing was planned."""
    now = format_memory(after.fitted)
    if before is None:
        return True, [Finding(None, f"{now} is fitted now; what was fitted before is not known")]
    findings = []
    if planned is not None and not told:
        findings.append(Finding(None, "the positions are not known, so only totals are compared"))
    old, new = _by_slot(before), _by_slot(after)
    if planned is None and told:
        findings += [
            Finding(None, f"{slot} held {format_memory(module.size or 0)} before and is empty now")
            for slot, module in old.items() if slot not in new
            and any(one.name == slot for one in after.positions)
        ]  # fmt: skip
    if after.fitted <= before.fitted:
        less = "no more" if after.fitted == before.fitted else "less"
        text = f"{now} is fitted, {less} than the {format_memory(before.fitted)} before"
        return False, [*findings, Finding(False, f"{text}: switch off, reseat the new modules")]
    if planned is not None and after.fitted < planned.total:
        text = f"{now} is fitted, planned was {format_memory(planned.total)}: a module is not seen"
        return True, [*findings, Finding(False, f"{text}; reseat it")]
    grown = f"{now} is fitted, {format_memory(after.fitted - before.fitted)} more than before"
    return True, [*findings, Finding(True, grown)]
