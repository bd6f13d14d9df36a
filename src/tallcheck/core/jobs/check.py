"""A whole check: a machine against the chosen releases of several needs sheets."""

import datetime
from typing import TYPE_CHECKING, Any

from msgspec import Struct, structs

from tallcheck.core.before.conflicts import Chosen, broken_by_change, impossible
from tallcheck.core.before.decision import Verdict, decide
from tallcheck.core.before.rows import Asked, Row, row_of
from tallcheck.core.machine.sheet import Machine
from tallcheck.core.needs.sheet import Need, NeedsSheet, Release, needs_at
from tallcheck.core.usage.summary import Figures, Usage
from tallcheck.core.values.errors import InputError
from tallcheck.core.words.sentence import listed, sentence

if TYPE_CHECKING:
    from tallcheck.core.upgrade.parts import PartsList
    from tallcheck.core.upgrade.plan import Upgrade

LEVELS = ("floor", "minimum", "recommended")
_STALE_DAYS = 365


class Support(Struct, frozen=True):
    """How long a release is supported: its name, the date, and the days left on the day."""

    release: str
    ends: datetime.date
    days_left: int
    running: bool

    @property
    def text(self) -> str:
        """``Merrow 9, which runs now, is supported until 2028-01-31 (1 y 2 months)``."""
        which = f"{self.release}, which runs now," if self.running else self.release
        if self.days_left < 0:
            return f"{which} has had no support since {self.ends} ({_span(-self.days_left)})"
        return f"{which} is supported until {self.ends} ({_span(self.days_left)} from now)"


def _span(days: int) -> str:
    """Days in words that fit their number."""
    if days < 60:
        return f"{days} {'day' if days == 1 else 'days'}"
    months = round(days / 30.44)
    if months < 24:
        return f"{months} months"
    years, rest = divmod(months, 12)
    return f"{years} years" + (f" {rest} months" if rest else "")


class Task(Struct, frozen=True):
    """What a machine is held against, and how."""

    against: tuple[Chosen, ...] = ()
    level: str = "minimum"
    instead: tuple[Need, ...] = ()
    """Needs that replace their key in every sheet."""
    besides: tuple[Asked, ...] = ()
    """Needs that no sheet states, such as what an older machine had."""
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
    sentence: str
    recommended: Verdict | None
    recommended_rows: tuple[Row, ...]
    support: tuple[Support, ...]
    plan: "Upgrade | None" = None
    """How to bring the memory to the target, where that is part of the answer."""


def _replaced(asked: list[Asked], task: Task) -> list[Asked]:
    """The needs with some keys replaced in every sheet, and added once where none had them."""
    keys = {need.key for need in task.instead}
    kept = [one for one in asked if one.need.key not in keys]
    told = [Asked(need, "asked for here", task.level) for need in task.instead]
    return [*kept, *task.besides, *told]


def asked_at(against: tuple[Chosen, ...], level: str) -> list[Asked] | None:
    """Every need of every sheet at a level; None where no sheet states that level."""
    asked: list[Asked] = []
    stated = False
    for chosen in against:
        needs = needs_at(chosen.release, level)
        stated = stated or needs is not None
        if needs is None and level == "recommended":
            needs = needs_at(chosen.release, "minimum")
        asked += [Asked(need, chosen.label, level) for need in needs or ()]
    return asked if stated else None


def _judged(machine: Machine, asked: list[Asked], task: Task) -> Verdict:
    figures = task.usage.figures if task.usage is not None else None
    return verdict_on(machine, asked, task.against, task.installed, figures)


def verdict_on(
    machine: Machine,
    asked: list[Asked],
    against: tuple[Chosen, ...],
    installed: tuple[Chosen, ...] = (),
    figures: Figures | None = None,
) -> Verdict:
    """The verdict on a machine, conflicts counted.

    ``installed`` are the machine's own programs whose needs are known.
    """
    verdict = decide(machine, asked, (), figures)
    cures = {cure.kind for cure in verdict.decision.cures}
    conflicts = impossible(asked)
    conflicts += broken_by_change(machine, against, list(installed), cures)
    return decide(machine, asked, tuple(conflicts), figures) if conflicts else verdict


def check(machine: Machine, task: Task) -> Check:
    """Hold a machine against all that a task asks for.

    Raises InputError where a release states nothing at the task's level.
    """
    for chosen in task.against:
        if needs_at(chosen.release, task.level) is None:
            stated = [name for name in LEVELS if needs_at(chosen.release, name) is not None]
            raise InputError(
                f"{chosen.label} states no {task.level} needs", "the level " + " or ".join(stated)
            )
    asked = _replaced(asked_at(task.against, task.level) or [], task)
    verdict = _judged(machine, asked, task)
    verdict = _with_conditions(verdict, _ages(task))
    higher = asked_at(task.against, "recommended") if task.level == "minimum" else None
    recommended: Verdict | None = None
    extra_rows: tuple[Row, ...] = ()
    if higher is not None:
        all_higher = _replaced(higher, task)
        recommended = _judged(machine, all_higher, task)
        plain: dict[tuple[str, str], list[Need]] = {}
        for one in asked:
            plain.setdefault((one.source, one.need.key), []).append(one.need)
        extra_rows = tuple(
            row
            for one in all_higher
            if one.need not in plain.get((one.source, one.need.key), ())
            and (row := row_of(one, recommended.view)) is not None
        )
    wanted = listed([chosen.label for chosen in task.against]) or "what was asked for"
    text = sentence(verdict, machine.name, wanted)
    if task.level == "minimum" and verdict.decision.answer not in ("ready", "undecided"):
        text += _floor(machine, task)
    if task.usage is not None:
        text += _in_use(task.usage, verdict)
    return Check(
        machine, task.level, task.against, verdict, text, recommended, extra_rows,
        tuple(_supports(machine, task)), _upgrade(machine, verdict, task),
    )  # fmt: skip


def _upgrade(machine: Machine, verdict: Verdict, task: Task) -> "Upgrade | None":
    decision = verdict.decision
    if decision.answer not in ("memory-alone", "memory-plus") or decision.target_memory is None:
        return None
    from tallcheck.core.upgrade.plan import plan_upgrade

    other_system = any(cure.kind == "system" for cure in decision.cures)
    return plan_upgrade(machine, decision.target_memory, task.parts, other_system)


def _in_use(usage: Usage, verdict: Verdict) -> str:
    """What the sentence adds where a usage log tells how memory is used."""
    memory_asked = any("memory" in row.cures for row in verdict.rows if row.status == "short")
    if usage.finding == "ample" and not memory_asked:
        return " In use, memory is ample: more would change nothing."
    if usage.finding == "too brief":
        return " The usage log is too brief to tell a habit."
    return f" {usage.sentence}" if usage.finding != "ample" else ""


def _with_conditions(verdict: Verdict, more: list[str]) -> Verdict:
    if not more:
        return verdict
    conditions = (*verdict.decision.conditions, *more)
    return structs.replace(
        verdict, decision=structs.replace(verdict.decision, conditions=conditions)
    )


def _ages(task: Task) -> list[str]:
    """Needs that may still change, and needs that were read long before the day."""
    found = []
    for chosen in task.against:
        sheet = chosen.sheet
        if sheet.provisional:
            found.append(f"the needs of {chosen.label} are provisional: they may still change")
        if sheet.read_on is not None and task.on is not None:
            days = (task.on - sheet.read_on).days
            if days > _STALE_DAYS:
                found.append(
                    f"the needs of {chosen.label} were read on {sheet.read_on}, {_span(days)} "
                    "ago: look whether the publisher has changed them"
                )
    return found


def _supports(machine: Machine, task: Task) -> list[Support]:
    """How long the wanted releases are supported, and the system that runs now."""
    if task.on is None:
        return []
    found: list[Support] = []
    for chosen in task.against:
        running = _running_release(machine, chosen.sheet)
        for release in (chosen.release, running):
            if release is None or release.support_ends is None:
                continue
            label = Chosen(chosen.sheet, release).label
            if label not in [one.release for one in found]:
                left = (release.support_ends - task.on).days
                found.append(Support(label, release.support_ends, left, release is running))
    return found


def _running_release(machine: Machine, sheet: NeedsSheet) -> Release | None:
    system = machine.system
    if sheet.kind != "operating system" or (system.os or "").lower() != sheet.title.lower():
        return None
    return next((one for one in sheet.releases if one.name == system.os_version), None)


def _floor(machine: Machine, task: Task) -> str:
    """What the sentence adds where the minimum is not met but every floor is."""
    if not task.against or any(chosen.release.floor is None for chosen in task.against):
        return ""
    floor = structs.replace(task, level="floor")
    asked = _replaced(asked_at(task.against, "floor") or [], floor)
    if _judged(machine, asked, floor).decision.answer != "ready":
        return ""
    names = listed([chosen.label for chosen in task.against])
    return f" As it is, {names} would install, without the publisher's support."


def newest_first(sheet: NeedsSheet) -> list[Release]:
    """The releases of a sheet by when their support ends, latest first; undated as listed."""
    dated = any(release.support_ends for release in sheet.releases)
    if not dated:
        return list(reversed(sheet.releases))
    return sorted(sheet.releases, key=lambda r: r.support_ends or datetime.date.min, reverse=True)


def check_json(result: Check) -> dict[str, Any]:
    """The check as the documented JSON object."""
    decision = result.verdict.decision
    rows = [*result.verdict.rows, *result.recommended_rows]
    return {
        "tallcheck": "check/1",
        "machine": result.machine.name,
        "level": result.level,
        "against": [
            {"title": one.sheet.title, "release": one.release.name, "kind": one.sheet.kind}
            for one in result.against
        ],
        "decision": {
            "answer": decision.answer,
            "sentence": result.sentence,
            "target_memory": decision.target_memory,
            "cures": [
                {"kind": cure.kind, "rows": list(cure.rows), "text": cure.text}
                for cure in decision.cures
            ],
            "conditions": list(decision.conditions),
            "conflicts": list(decision.conflicts),
            "possible": list(decision.possible),
            "find_out": [{"key": one.key, "how": one.how} for one in decision.find_out],
            "limiting": decision.limiting,
        },
        "recommended": {"answer": result.recommended.decision.answer}
        if result.recommended
        else None,
        "support": [
            {"release": one.release, "ends": one.ends.isoformat(), "days_left": one.days_left,
             "running": one.running}
            for one in result.support
        ],
        "rows": [_row_json(row) for row in rows],
        "plan": _plan_json(result.plan),
    }  # fmt: skip


def _plan_json(plan: "Upgrade | None") -> dict[str, Any] | None:
    if plan is None:
        return None
    from tallcheck.core.upgrade.plan import plan_json

    return plan_json(plan)


def _row_json(row: Row) -> dict[str, Any]:
    cures = dict.fromkeys((*row.cures, *(row.otherwise or ())))
    return {
        "key": row.key,
        "strength": row.strength,
        "from": row.source,
        "need": row.need,
        "need_text": row.need_text,
        "have": row.have,
        "have_text": row.have_text,
        "status": row.status,
        "ratio": None if row.ratio is None else round(row.ratio, 3),
        "cures": list(cures),
        "origin": {"how": row.origin.how, "from": row.origin.source} if row.origin else None,
        "note": row.note,
    }
