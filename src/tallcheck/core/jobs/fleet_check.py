"""A whole fleet held against needs: the counts, the money, the order, and what would settle it."""

import datetime
from collections import Counter
from collections.abc import Callable
from typing import Any

import numpy as np
from msgspec import Struct

from tallcheck.core.board.models import PartsList
from tallcheck.core.decide.asked import Asked, Chosen, asked_at
from tallcheck.core.decide.decision import Verdict
from tallcheck.core.fleet.columns import Bools, Fleet, Floats, Ints
from tallcheck.core.fleet.details import Details, details_of
from tallcheck.core.fleet.judge import Installed
from tallcheck.core.fleet.judged import (
    READY,
    UNDECIDED,
    WITH_MEMORY,
    Fixes,
    Judged,
    fixes_of,
    judge_fleet,
)
from tallcheck.core.fleet.known import DOUBTS, known_memory
from tallcheck.core.fleet.money import (
    Costs,
    Curve,
    Deadline,
    Prices,
    Support,
    WhatIf,
    costs_of,
    curve_of,
    deadlines_of,
    givers_first,
    what_if,
)
from tallcheck.core.fleet.placing import Work
from tallcheck.core.fleet.plans import Plans, plans_of
from tallcheck.core.fleet.stock_plan import solve_fleet
from tallcheck.core.fleet.transfers import Solved
from tallcheck.core.jobs.check import may_be_more, replaced
from tallcheck.core.machine.sheet import Doubt
from tallcheck.core.needs.sheet import Need


class FleetTask(Struct, frozen=True):
    """What a fleet is held against, and what is known of prices and dates."""

    against: tuple[Chosen, ...]
    level: str = "minimum"
    instead: tuple[Need, ...] = ()
    """Needs that replace their key in every sheet."""
    installed: Installed | None = None
    parts: PartsList | None = None
    prices: Prices = Prices()
    budget: int | None = None
    """Hundredths that can be spent."""
    on: datetime.date | None = None
    releases: tuple[tuple[Chosen, ...], ...] = ()
    """Each set of releases for the what-if table; none where it is not asked for."""
    by: datetime.date | None = None
    """Only what has to be done by this day: support of what runs there ends by then."""

    def asked(self, against: tuple[Chosen, ...]) -> list[Asked]:
        """What some releases ask for, with what is asked instead."""
        return replaced(asked_at(against, self.level) or [], self.instead, self.level)


class FleetCheck(Struct):
    """What came of it."""

    fleet: Fleet
    task: FleetTask
    judged: Judged
    plans: Plans | None
    costs: Costs | None
    details: Details | None = None
    curve: Curve | None = None
    solved: Solved | None = None
    within: Solved | None = None
    """What can be done with the budget."""
    deadlines: tuple[Deadline, ...] = ()
    what_if: WhatIf | None = None
    settling: tuple[tuple[str, int], ...] = ()
    """What to find out, and for how many undecided machines it comes first."""
    fixes: Fixes | None = None
    _support: Support | None = None
    _todo: Ints | None = None
    _works: dict[int, Work] | None = None
    _paid: Floats | None = None

    @property
    def currency(self) -> str:
        """The currency of all money."""
        parts = self.task.parts
        return self.task.prices.currency or (parts.currency if parts else "")

    def limiting(self, at: int) -> str:
        """The key of the need that limits a machine most, or nothing."""
        if self.details is not None:
            place = int(self.details.limiting[at])
            return self.judged.asked[place].need.key if place >= 0 else ""
        return self.verdict(at).decision.limiting or ""

    def verdict(self, at: int) -> Verdict:
        """The verdict on one machine, or on one that differs from it in the rows' figures only."""
        if self.details is not None:
            return self.details.verdicts[int(self.details.kinds[at])]
        found: Verdict = self.judged.judge.verdict(at)
        return found

    def target(self, at: int) -> float:
        """The memory that a machine is brought to, in bytes; NaN where none is known."""
        return float("nan") if self.fixes is None else float(self.fixes.targets[at])

    def doubts(self) -> list[tuple[tuple[str, ...], Any]]:
        """The keys of each kind of doubt that the machines give cause for, and where."""
        fleet = self.fleet
        if fleet.sheets is not None:
            return []
        found = []
        for bit, about in enumerate(DOUBTS):
            where = np.flatnonzero(fleet.doubts >> np.uint32(bit) & np.uint32(1))
            if len(where):
                found.append((about, where))
        return found

    def doubts_of(self, rows: list[int]) -> list[tuple[Doubt, ...]]:
        """What is in doubt of each of some machines; found once for those told the same."""
        judge = self.judged.judge
        if self.fleet.sheets is not None:
            return [judge.problem(at).known.doubts for at in rows]
        same = self.fleet.same(rows)
        first = dict(zip(reversed(same), reversed(rows), strict=True))
        found = {key: judge.facts.normalized(at).doubts for key, at in first.items()}
        return [found[key] for key in same]

    @property
    def support(self) -> Support | None:
        """When support ends of what runs there now; None without a day to count from."""
        if self._support is None and self.task.on is not None:
            self._support = _support(self.fleet, self.task.against)
        return self._support

    @property
    def due(self) -> Bools:
        """The machines that are to be done: all, or those that have to be by a day."""
        if self.task.by is None or self.support is None:
            return np.ones(len(self.fleet), dtype=bool)
        return np.asarray(self.support.days <= self.task.by.toordinal())

    @property
    def todo(self) -> Ints:
        """The machines at which something is done, as places: those that give before those that
        get, else the soonest end of support first. With a budget, those that it makes ready.
        """
        if self._todo is None:
            self._todo = self._in_turn()
        return self._todo

    def _in_turn(self) -> Ints:
        wants = self.judged.wanting & ~self.judged.stuck & self.due
        if self.task.budget is not None:
            done = [*self.works, *(self.within.others if self.within is not None else ())]
            wants &= np.isin(np.arange(len(wants)), done)
        days = self.support.days if self.support is not None else np.zeros(len(wants))
        after = self.order.transfers.after if self.order is not None else {}
        return givers_first(np.flatnonzero(wants), days, after)

    @property
    def order(self) -> Solved | None:
        """What is ordered and done: within the budget where there is one, else for all."""
        return self.solved if self.task.budget is None else self.within

    @property
    def works(self) -> dict[int, Work]:
        """What is done at each machine by the order, by its place."""
        if self._works is None:
            self._works = {one.machine: one for one in self.order.work} if self.order else {}
        return self._works

    @property
    def paid(self) -> Floats:
        """What it costs to make each machine ready, in hundredths; NaN where it is not known.

        Of machines within the budget it is what they cost there.
        """
        if self._paid is None:
            if self.costs is None:
                self._paid = np.full(len(self.fleet), np.nan)
                return self._paid
            self._paid = self.costs.whole.copy()
            if self.within is not None:
                machines, bought = self.within.transfers.costs
                self._paid[machines] = self.costs.beside[machines] + bought
        return self._paid


def counts_only(fleet: Fleet, task: FleetTask, likely: bool = False) -> FleetCheck:
    """The decision for each machine with the counts, and what it costs where parts are given.

    ``likely``: with the memory that undecided machines would most likely be brought to.
    """
    asked = task.asked(task.against)
    judged = judge_fleet(fleet, asked, task.against, task.installed)
    found = FleetCheck(fleet, task, judged, None, None)
    if task.parts is None and not task.prices.kinds and not task.prices.hour:
        return found
    found.fixes = fixes_of(judged, likely)
    modules = np.full(len(fleet), np.nan)
    if task.parts is not None:
        more = may_be_more(asked)
        if not more:
            found.fixes.least = found.fixes.targets
        found.plans = plans_of(fleet, judged, found.fixes, task.parts)
        modules = found.plans.costs()
        if more:
            installed = None if fleet.sheets is not None else known_memory(fleet).installed
            planned = found.plans.totals(installed)
            found.fixes.targets = np.where(np.isnan(planned), found.fixes.targets, planned)
    found.costs = costs_of(judged, found.fixes, task.prices, modules)
    if found.plans is not None and task.parts is not None:
        found.solved = solve_fleet(
            _only(found.plans, found.due), task.parts, np.nan_to_num(found.costs.beside)
        )
        if found.solved is not None:
            machines, bought = found.solved.transfers.costs
            modules[machines] = bought
            found.solved.transfers.set_totals(found.fixes.targets)
        found.costs = costs_of(judged, found.fixes, task.prices, modules)
    return found


def check_fleet(
    fleet: Fleet,
    task: FleetTask,
    step: Callable[[str], None] = lambda text: None,
    every: bool = False,
) -> FleetCheck:
    """Everything about a fleet; ``step`` is told what comes next.

    ``every``: with the details of every machine, not only of those that are asked for.
    """
    step("the decision for each machine" + (", one order for all" if task.parts else ""))
    found = counts_only(fleet, task, likely=True)
    judged, costs = found.judged, found.costs
    if every:
        step("limiting rows and conditions")
        found.fixes = found.fixes or fixes_of(judged)
        found.details = details_of(judged, found.fixes)
    found.settling = _settling(found)
    if costs is not None and task.budget is not None:
        step("what the budget does")
        found.within = solve_fleet(
            _only(found.plans, found.due & ~np.isnan(costs.beside)), task.parts or PartsList(()),
            np.nan_to_num(costs.beside), _others(found), task.budget,
        )  # fmt: skip
    if costs is not None:
        after = found.solved.transfers.after if found.solved else {}
        found.curve = curve_of(judged, np.where(found.due, costs.whole, np.nan), after)
        if found.support is not None and task.on is not None:
            found.deadlines = tuple(deadlines_of(judged, costs.whole, found.support, task.on))
    if task.releases:
        step("what if")
        found.what_if = what_if(fleet, _columns(task), task.installed)
    return found


def _columns(task: FleetTask) -> list[tuple[str, Any, tuple[Chosen, ...]]]:
    return [
        (" and ".join(one.label for one in against), task.asked(against), against)
        for against in task.releases
    ]


def _only(plans: Plans | None, where: Bools) -> Plans:
    """The plans of some machines."""
    if plans is None:
        return Plans(np.full(len(where), -1), [], [])
    return Plans(np.where(where, plans.makeup, -1), plans.found, plans.machine)


def _others(found: FleetCheck) -> list[tuple[int, int]]:
    """Machines that can be made ready without a plan for memory, with their cost."""
    assert found.costs is not None
    whole, judged = found.costs.whole, found.judged
    wants = (judged.answers != READY) & ~np.isnan(whole) & found.due
    if found.plans is not None:
        wants &= ~np.isin(judged.answers, WITH_MEMORY)
    return [(at, int(whole[at])) for at in np.flatnonzero(wants).tolist()]


def _support(fleet: Fleet, against: tuple[Chosen, ...]) -> Support:
    """When support ends for what the machines run now, by the wanted systems' own sheets."""
    ends = {}
    for chosen in against:
        for release in chosen.sheet.releases:
            if chosen.sheet.kind == "operating system" and release.support_ends is not None:
                label = Chosen(chosen.sheet, release).label
                ends[label.lower()] = (label, release.support_ends)
    names: list[str] = []
    running = np.full(len(fleet), -1, dtype=np.int32)
    for at, name in _running(fleet):
        if name.lower() in ends:
            label = ends[name.lower()][0]
            if label not in names:
                names.append(label)
            running[at] = names.index(label)
    days = dict(ends.values())
    return Support(names, running, [days[name] for name in names])


def _running(fleet: Fleet) -> list[tuple[Any, str]]:
    """Machines by the system and version that they run."""
    if fleet.sheets is not None:
        return [
            (at, f"{sheet.system.os} {sheet.system.os_version}")
            for at, sheet in enumerate(fleet.sheets)
        ]
    systems, versions = fleet.word("system.os"), fleet.word("system.os_version")
    found = []
    for s, system in enumerate(systems.values):
        for v, version in enumerate(versions.values):
            here = (systems.codes == s) & (versions.codes == v)
            if here.any():
                found.append((here, f"{system} {version}"))
    return found


def _settling(found: FleetCheck) -> tuple[tuple[str, int], ...]:
    """What one machine of each undecided class would have found out first."""
    where = np.flatnonzero(found.judged.answers == UNDECIDED)
    codes = found.judged.classes[where]
    counts: Counter[str] = Counter()
    for code, count in zip(*np.unique(codes, return_counts=True), strict=True):
        verdict = found.judged.judge.verdict(found.judged.first[int(code)])
        if verdict.decision.find_out:
            counts[verdict.decision.find_out[0]] += int(count)
    return tuple(counts.most_common())
