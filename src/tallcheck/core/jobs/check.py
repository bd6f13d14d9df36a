"""A whole check: a machine against releases of needs sheets, or against the one it replaces."""

import datetime
from collections.abc import Iterable
from typing import TYPE_CHECKING

from msgspec import Struct, structs

from tallcheck.core.decide.asked import PROGRAM, SYSTEM, Asked, Chosen, asked_at
from tallcheck.core.decide.changes import Goal
from tallcheck.core.decide.decision import Row, Verdict, decide
from tallcheck.core.machine.names import versions_of
from tallcheck.core.machine.normalized import Normalized, normalized
from tallcheck.core.machine.sheet import Machine
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.needs.sheet import Need, NeedsSheet, Release, needs_at
from tallcheck.core.usage.summary import Usage
from tallcheck.core.values.comparison import AT_LEAST, Bound
from tallcheck.core.values.errors import InputError

if TYPE_CHECKING:
    from tallcheck.core.board.models import PartsList
    from tallcheck.core.jobs.replacement import Older
    from tallcheck.core.upgrade.plan import Upgrade

STRENGTHS = ("floor", "minimum", "recommended")
HERE = "asked for here"
"""The source of needs that no sheet states."""
_STALE_DAYS = 365


class Support(Struct, frozen=True):
    """How long a release is supported: its name, the date, and the days left on the day."""

    release: str
    ends: datetime.date
    days_left: int
    running: bool


class Age(Struct, frozen=True):
    """Needs that may still change, or (with a date) that were read long before the day."""

    label: str
    read_on: datetime.date | None = None
    days: int = 0


class Task(Struct, frozen=True):
    """What a machine is held against, and how."""

    against: tuple[Chosen, ...] = ()
    level: str = "minimum"
    instead: tuple[Need, ...] = ()
    """Needs that replace their key in every sheet."""
    older: "Older | None" = None
    """An older machine than which it shall be no worse."""
    installed: tuple[Chosen, ...] = ()
    """The machine's own programs whose needs are known."""
    usage: Usage | None = None
    """What a usage log of the machine says."""
    parts: "PartsList | None" = None
    """Modules that can be had; without them an upgrade is planned in kinds."""
    on: datetime.date | None = None
    """The day for which support and age of the needs are judged."""


class Check(Struct, frozen=True):
    """What came of a check at one level, and what the recommended level would come to."""

    machine: Machine
    level: str
    against: tuple[Chosen, ...]
    verdict: Verdict
    would_install: bool
    """Whether the floor is met where the minimum is not."""
    recommended: Verdict | None
    recommended_rows: tuple[Row, ...]
    support: tuple[Support, ...]
    ages: tuple[Age, ...]
    usage: Usage | None = None
    plan: "Upgrade | None" = None
    """How to bring the memory to the target, where that is part of the answer."""
    older: "Older | None" = None
    """The older machine that this one was held against."""


def replaced(asked: list[Asked], instead: tuple[Need, ...], level: str) -> list[Asked]:
    """The needs with some keys replaced in every sheet, and added once where none had them.

    In a need with several tables the key goes from each; a table that is left empty is met.
    """
    keys = {need.key for need in instead}
    kept = []
    for one in asked:
        need = _without(one.need, keys)
        if need is not None:
            kept.append(structs.replace(one, need=need))
    return [*kept, *(Asked(need, HERE, level) for need in instead)]


def _without(need: Need, keys: set[str]) -> Need | None:
    if not need.alternatives:
        return None if need.key in keys else need
    tables = [tuple(one for one in table if one.key not in keys) for table in need.alternatives]
    if not all(tables):
        return None
    names = dict.fromkeys(one.key for table in tables for one in table)
    return structs.replace(need, key=" or ".join(names), alternatives=tuple(tables))


def all_asked(task: Task, level: str) -> list[Asked] | None:
    """Everything that a task asks for at a level; None where no sheet states that level."""
    asked = asked_at(task.against, level)
    if asked is None and task.against:
        return None
    return [*replaced(asked or [], task.instead, level), *(task.older.asked if task.older else ())]


def ensure_stated(against: tuple[Chosen, ...], level: str) -> None:
    """Raise InputError where a release states nothing at a level."""
    for chosen in against:
        if needs_at(chosen.release, level) is None:
            stated = [name for name in STRENGTHS if needs_at(chosen.release, name) is not None]
            raise InputError(
                f"{chosen.label} states no {level} needs", "the level " + " or ".join(stated)
            )


def check(machine: Machine, task: Task, vocabulary: Vocabulary) -> Check:
    """Hold a machine against all that a task asks for.

    Raises InputError where a release states nothing at the task's level.
    """
    ensure_stated(task.against, task.level)
    door = normalized(machine, vocabulary)
    asked = all_asked(task, task.level) or []
    verdict = _judged(door, asked, task)
    recommended, rows = _recommended(door, asked, task)
    more = may_be_more(asked)
    plan = _upgrade(machine, verdict, task, vocabulary, more)
    if task.parts is not None and plan is not None and plan.plan is not None and more:
        verdict = _brought_to(verdict, plan.plan.total)
    return Check(
        structs.replace(machine, doubts=list(door.doubts)), task.level, task.against, verdict,
        _would_install(door, verdict, task), recommended, rows,
        tuple(_supports(machine, task)), tuple(_ages(task)), task.usage,
        plan, task.older,
    )  # fmt: skip


def _judged(door: Normalized, asked: list[Asked], task: Task) -> Verdict:
    figures = task.usage.figures if task.usage is not None else None
    return decide(door, asked, task.against, task.installed, figures)


def _recommended(
    door: Normalized, asked: list[Asked], task: Task
) -> tuple[Verdict | None, tuple[Row, ...]]:
    """What the recommended level comes to, and its rows that the minimum does not have."""
    if task.level != "minimum" or asked_at(task.against, "recommended") is None:
        return None, ()
    verdict = _judged(door, all_asked(task, "recommended") or [], task)
    plain = [(one.source, one.need) for one in asked]
    rows = tuple(
        row for row in verdict.rows if (row.ask.asked.source, row.ask.asked.need) not in plain
    )
    return verdict, rows


def _would_install(door: Normalized, verdict: Verdict, task: Task) -> bool:
    if task.level != "minimum" or verdict.decision.answer in ("ready", "undecided"):
        return False
    if not task.against or any(chosen.release.floor is None for chosen in task.against):
        return False
    asked = all_asked(structs.replace(task, level="floor"), "floor") or []
    return _judged(door, asked, task).decision.answer == "ready"


def _upgrade(
    machine: Machine, verdict: Verdict, task: Task, vocabulary: Vocabulary, more: bool
) -> "Upgrade | None":
    decision = verdict.decision
    if decision.answer not in ("memory-alone", "memory-plus") or decision.goal is None:
        return None
    from tallcheck.core.upgrade.plan import plan_upgrade

    return plan_upgrade(
        machine, decision.goal.least if more else decision.goal.total, vocabulary, task.parts,
        other_system(verdict),
    )  # fmt: skip


def may_be_more(asked: Iterable[Asked]) -> bool:
    """Whether more memory than the needs call for meets them as well."""
    tests = (one.need.test for one in asked if one.need.key in ("memory", "memory_own"))
    return all(isinstance(one, Bound) and one.op == AT_LEAST for one in tests)


def _brought_to(verdict: Verdict, total: int) -> Verdict:
    """The verdict with another total to build: that of the modules that are to be had."""
    fixes = tuple(
        structs.replace(one, changes={"memory.installed": total}) if one.kind == "memory" else one
        for one in verdict.decision.fixes
    )
    goal = Goal(total, verdict.decision.goal.least) if verdict.decision.goal else None
    decision = structs.replace(verdict.decision, goal=goal, fixes=fixes)
    return structs.replace(verdict, decision=decision)


def other_system(verdict: Verdict) -> bool:
    """Whether another system will run, so that what today's can address limits nothing."""
    changed = any(fix.kind == "system" for fix in verdict.decision.fixes)
    return changed or verdict.world.get("memory.addressable") is None


def _ages(task: Task) -> list[Age]:
    """Needs that may still change, and needs that were read long before the day."""
    found = []
    for chosen in task.against:
        sheet = chosen.sheet
        if sheet.provisional:
            found.append(Age(chosen.label))
        if sheet.read_on is not None and task.on is not None:
            days = (task.on - sheet.read_on).days
            if days > _STALE_DAYS:
                found.append(Age(chosen.label, sheet.read_on, days))
    return found


def _supports(machine: Machine, task: Task) -> list[Support]:
    """How long the wanted releases are supported, and the system that runs now."""
    if task.on is None:
        return []
    found: list[Support] = []
    for chosen in task.against:
        running = running_release(machine, chosen.sheet)
        for release in (chosen.release, running):
            if release is None or release.support_ends is None:
                continue
            label = Chosen(chosen.sheet, release).label
            if label not in [one.release for one in found]:
                left = (release.support_ends - task.on).days
                found.append(Support(label, release.support_ends, left, release is running))
    return found


def running_release(machine: Machine, sheet: NeedsSheet) -> Release | None:
    """The release of a system's sheet that a machine runs now, where it does."""
    system = machine.system
    if sheet.kind != SYSTEM or (system.os or "").lower() != sheet.title.lower():
        return None
    return next((one for one in sheet.releases if one.name == system.os_version), None)


def newest_first(sheet: NeedsSheet) -> list[Release]:
    """The releases of a sheet by when their support ends, latest first; undated as listed."""
    dated = any(release.support_ends for release in sheet.releases)
    if not dated:
        return list(reversed(sheet.releases))
    return sorted(sheet.releases, key=lambda r: r.support_ends or datetime.date.min, reverse=True)


def picked(sheet: NeedsSheet, release: str | None) -> list[Release]:
    """The releases of a sheet, newest first, or the one that is named. Raises InputError."""
    releases = newest_first(sheet)
    if release is None:
        return releases
    known = [one for one in releases if one.name == release]
    if not known:
        names = ", ".join(one.name for one in releases if one.name)
        raise InputError(
            f"found no release '{release}' of {sheet.title}",
            f"one of: {names}" if names else "no release, for the sheet has only one",
        )
    return known


def installed_programs(machine: Machine, sheets: list[NeedsSheet]) -> list[Chosen]:
    """The machine's own programs whose needs are known, each at the release that fits best."""
    found: list[Chosen] = []
    for sheet in sheets:
        if sheet.kind != PROGRAM:
            continue
        # installed twice, each release counts
        for version in dict.fromkeys(versions_of(machine.software or [], sheet.title)):
            release = _release_for(sheet, version)
            if release is not None and Chosen(sheet, release) not in found:
                found.append(Chosen(sheet, release))
    return found


def _release_for(sheet: NeedsSheet, version: str | None) -> Release | None:
    if len(sheet.releases) == 1:
        return sheet.releases[0]
    fitting = [
        one
        for one in sheet.releases
        if version is not None and (version == one.name or version.startswith(one.name + "."))
    ]
    return max(fitting, key=lambda one: len(one.name), default=None)
