"""What a fleet costs: by answer, by when, in which order; and what more memory would bring.

Money is in hundredths of the currency; NaN is a cost that is not known.
"""

import datetime
from collections.abc import Mapping
from heapq import heapify, heappop, heappush

import numpy as np
from msgspec import Struct, structs

from tallcheck.core.board.account import account_of
from tallcheck.core.board.totals import cheapest_total
from tallcheck.core.decide.asked import Asked, Chosen
from tallcheck.core.fleet.columns import Fleet, Floats, Ints, Words
from tallcheck.core.fleet.facts import Facts
from tallcheck.core.fleet.judge import Installed, Judge
from tallcheck.core.fleet.judged import READY, UNDECIDED, Fixes, Judged, judged_by
from tallcheck.core.fleet.known import LISTED_BITS, find_doubts, known_memory
from tallcheck.core.fleet.model import Builder
from tallcheck.core.machine.amounts import brought_to
from tallcheck.core.machine.derive import amounts_of
from tallcheck.core.machine.normalized import Normalized, world_of
from tallcheck.core.machine.readings import put_all
from tallcheck.core.machine.sheet import Machine, Origin
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.needs.key import KINDS
from tallcheck.core.values.quantities import GIB


class Prices(Struct, frozen=True):
    """What each kind of fix costs, an hour's work, and the hours that each kind takes."""

    kinds: dict[str, int] = {}
    hour: int | None = None
    hours: dict[str, float] = {}
    currency: str = ""

    def work(self, kind: str) -> int:
        """The cost of the work for one fix of a kind."""
        return round((self.hour or 0) * self.hours.get(kind, HOURS[kind]))


class Costs(Struct):
    """The cost of each machine, and what of it is not for memory modules."""

    whole: Floats
    beside: Floats
    """Work and other fixes, without the modules."""
    missing: dict[str, int]
    """Kinds of fix without a price, and how many machines want them."""


def costs_of(judged: Judged, fixes: Fixes, prices: Prices, modules: Floats) -> Costs:
    """What it costs to make each machine ready; ``modules`` is the cost of its memory plan.

    A machine that is replaced costs that and no more. NaN: undecided, in conflict, or unpriced.
    """
    open_ones = (judged.answers == UNDECIDED) | judged.stuck
    counts = np.bincount(fixes.kinds[~open_ones], minlength=1 << len(KINDS))
    sets = np.arange(len(counts))
    price_of = np.zeros(len(counts))
    missing: dict[str, int] = {}
    replaced = (sets & 1) != 0
    for bit, kind in enumerate(KINDS):
        wants = (sets >> bit & 1).astype(bool) & (~replaced | (kind == "machine"))
        many = int(counts[wants].sum())
        price = 0 if kind == "memory" else prices.kinds.get(kind, np.nan if kind in PRICED else 0)
        if np.isnan(price) and many:
            missing[kind] = many
        price_of[wants] += price + prices.work(kind)
    beside = np.where(open_ones, 0.0, price_of[fixes.kinds])
    memory = ((sets >> KINDS.index("memory") & 1).astype(bool) & ~replaced)[fixes.kinds]
    modules = np.where(np.isnan(modules), prices.kinds.get("memory", np.nan), modules)
    whole = beside + np.where(memory, modules, 0.0)
    unpriced = int((memory & np.isnan(modules) & ~open_ones).sum())
    if unpriced:
        missing["memory"] = unpriced
    whole[open_ones & (judged.answers != READY)] = np.nan
    return Costs(whole, beside, missing)


class Curve(Struct):
    """Machines made ready against money spent, cheapest first: the order, and both running sums.

    Each point can be had: no machine stands before those that give it modules. ``ready`` counts
    those that are ready as they are, too.
    """

    order: Ints
    """Places in the fleet."""
    spent: Ints
    ready: Ints


def curve_of(judged: Judged, whole: Floats, after: Mapping[int, frozenset[int]]) -> Curve:
    """The machines that can be made ready and whose cost is known, cheapest first.

    ``after``: for machines, those that have to be done before.
    """
    can = np.flatnonzero((judged.answers != READY) & ~np.isnan(whole))
    order = givers_first(can, whole, after)
    spent = np.cumsum(whole[order]).astype(np.int64)
    already = int((judged.answers == READY).sum())
    return Curve(order, spent, already + np.arange(1, len(order) + 1))


def givers_first(machines: Ints, rank: Floats, after: Mapping[int, frozenset[int]]) -> Ints:
    """Least rank first, of the machines whose givers are done.

    ``rank`` is a number for each machine of the fleet; ``after`` as in `curve_of`.
    """
    order = machines[np.argsort(rank[machines], kind="stable")]
    if not after:
        return order
    left = {machine: len(after.get(machine, ())) for machine in order.tolist()}
    takers: dict[int, list[int]] = {}
    for machine in left:
        for giver in after.get(machine, ()):
            takers.setdefault(giver, []).append(machine)
    free = [(rank[machine], machine) for machine, count in left.items() if not count]
    heapify(free)
    found = []
    while free:
        _, machine = heappop(free)
        found.append(machine)
        for taker in takers.get(machine, ()):
            left[taker] -= 1
            if not left[taker]:
                heappush(free, (rank[taker], taker))
    return np.array(found, dtype=np.int64)


class Support(Struct, frozen=True):
    """What the machines run now, and until when that is supported."""

    releases: list[str]
    running: np.ndarray[tuple[int], np.dtype[np.int32]]
    """For each machine its place in ``releases``, -1 unknown."""
    ends: list[datetime.date]
    """For each release the last day of its support."""

    def end(self, machine: int) -> datetime.date | None:
        """The last day of a machine's support, None unknown."""
        place = int(self.running[machine])
        return self.ends[place] if place >= 0 else None

    @property
    def days(self) -> Floats:
        """The last day for each machine, as an ordinal; infinite where it is not known."""
        table = np.array([*(float(day.toordinal()) for day in self.ends), np.inf])
        return np.asarray(table[self.running])


class Deadline(Struct, frozen=True):
    """Machines that run one release, what they cost, and until when it is supported."""

    release: str
    ends: datetime.date | None
    machines: int
    cost: int
    unknown: int
    """Machines whose cost is not known."""
    on: datetime.date
    """The day from which it is counted."""

    @property
    def ended(self) -> bool:
        """Whether support has ended."""
        return self.ends is not None and self.ends < self.on

    @property
    def months(self) -> int | None:
        """Whole months until then, as the calendar counts them; None without a date to come."""
        if self.ends is None or self.ended:
            return None
        early = self.ends.day < self.on.day and (self.ends + _DAY).day != 1
        return (self.ends.year - self.on.year) * 12 + self.ends.month - self.on.month - early

    @property
    def monthly(self) -> int | None:
        """What to spend each month until support ends, in hundredths; all of it in the last one."""
        return None if self.months is None else -(-self.cost // max(self.months, 1))

    @property
    def this_quarter(self) -> bool:
        """Whether it has to be bought in this quarter of the year: support ends by its end."""
        return self.ends is not None and self.ends <= quarter_end(self.on)


_DAY = datetime.timedelta(days=1)


def quarter_end(day: datetime.date) -> datetime.date:
    """The last day of the quarter of the year that a day lies in."""
    year, after = divmod(day.year * 12 + (day.month - 1) // 3 * 3 + 3, 12)
    return datetime.date(year, after + 1, 1) - _DAY


def deadlines_of(
    judged: Judged, whole: Floats, support: Support, on: datetime.date
) -> list[Deadline]:
    """The machines to be made ready by the release that they run, soonest end first."""
    found = []
    todo = judged.answers != READY
    for code in [*range(len(support.releases)), -1]:
        here = todo & (support.running == code)
        if not here.any():
            continue
        name, day = (support.releases[code], support.ends[code]) if code >= 0 else ("", None)
        costs = whole[here]
        cost, unknown = int(np.nansum(costs)), int(np.isnan(costs).sum())
        found.append(Deadline(name, day, int(here.sum()), cost, unknown, on))
    return sorted(found, key=lambda one: one.ends or datetime.date.max)


PRICED = ("machine", "processor", "graphics", "system", "storage", "part", "memory")
"""Kinds that are bought; memory where no plan prices it, a setting costs only work."""

HOURS = {
    "memory": 0.5, "machine": 2.0, "processor": 1.5, "graphics": 0.5, "system": 1.5,
    "setting": 0.25, "storage": 1.0, "part": 0.5,
}  # fmt: skip
"""Hours of work for each kind of fix where the settings name none: a rule of thumb."""


TARGETS = tuple(size * GIB for size in (4, 8, 12, 16, 32))
_ORIGIN = Origin("told", "what if")


class WhatIf(Struct, frozen=True):
    """Machines ready by memory total (None: as it is) and release; ``ready[row][column]``."""

    totals: tuple[int | None, ...]
    releases: tuple[str, ...]
    ready: tuple[tuple[int, ...], ...]
    machines: int


def what_if(
    fleet: Fleet,
    releases: list[tuple[str, list[Asked], tuple[Chosen, ...]]],
    installed: Installed | None = None,
) -> WhatIf:
    """The table; a machine that cannot be brought to a total has the most of the smaller ones."""
    totals: tuple[int | None, ...] = (None, *TARGETS)
    facts = Facts(fleet)
    there = [
        facts.with_memory(with_memory(facts, list(TARGETS[: at + 1]))) for at in range(len(TARGETS))
    ]  # fmt: skip
    columns = []
    for _, asked, against in releases:
        judge = Judge(fleet, asked, against, installed, facts)
        judges = [judge, *(judge.with_memory(one) for one in there)]
        columns.append([int((judged_by(one).answers == READY).sum()) for one in judges])
    rows = tuple(zip(*columns, strict=True))
    return WhatIf(totals, tuple(label for label, _, _ in releases), rows, len(fleet))


def with_memory(facts: Facts, totals: list[int]) -> Fleet:
    """The fleet with each machine brought to the largest of some totals that it can take."""
    fleet = facts.fleet
    if fleet.sheets is not None:
        sheets = [
            _told(sheet, facts.normalized(at), totals, fleet.vocabulary)
            for at, sheet in enumerate(fleet.sheets)
        ]
        return structs.replace(fleet, sheets=sheets)
    memory = known_memory(fleet)
    build = Builder(fleet, memory)
    target = np.full(len(fleet), np.nan)
    # what is not known to be fitted can be brought to the total all the same, where that is more
    there = np.where(np.isnan(memory.installed), memory.usable, memory.installed)
    for total in totals:
        reached = build.smallest(np.full(len(fleet), float(total)), np.nan_to_num(there))
        target = np.fmax(target, np.where(there >= total, np.nan, reached))
    change = ~np.isnan(target)
    usable, available = brought_to(memory, target)
    fit = change & ~np.isnan(there)
    numbers = fleet.numbers | {
        "memory.installed": np.where(change, target, fleet.number("memory.installed")),
        "memory.usable": np.where(change, usable, fleet.number("memory.usable")),
        "memory.available": np.where(fit, available, fleet.number("memory.available")),
        "memory.slots": np.where(
            change & np.isnan(fleet.number("memory.slots")),
            memory.slots,
            fleet.number("memory.slots"),
        ),
    }
    modules = fleet.word("memory.modules")
    unlisted = Words(np.where(change, -1, modules.codes).astype(np.int32), modules.values)
    words = fleet.words | ({"memory.modules": unlisted} if modules.values else {})
    found = structs.replace(fleet, numbers=numbers, words=words)
    listed = np.uint32(sum(1 << bit for bit in LISTED_BITS.values()))
    found.doubts = find_doubts(found) | (fleet.doubts & listed)
    return found


_OF_THE_TOTAL = (
    "memory.installed", "memory.usable", "memory.available", "memory.modules", "memory.slots",
)  # fmt: skip
"""What is another once memory is exchanged, or follows from what no longer holds."""


def _told(sheet: Machine, found: Normalized, totals: list[int], vocabulary: Vocabulary) -> Machine:
    """The same of one sheet, of which so much is known."""
    world, memory = world_of(found), found.machine.memory
    there = memory.usable if memory.installed is None else memory.installed
    account = account_of(world.get)
    reached = [
        cheapest_total(account, total, memory.ceiling).bytes
        for total in totals if there is None or there < total
    ]  # fmt: skip
    target = max(filter(None, reached), default=None)
    if target is None:
        return sheet
    usable, available = brought_to(amounts_of(found.machine, vocabulary), float(target))
    if there is None:
        available = amounts_of(sheet, vocabulary).available
    slots, origin = memory.slots, sheet.origins.get("memory.slots")
    if slots is None and (origin is None or origin.how != "worked out"):
        slots = sheet.memory.slots  # doubted, and so it stays
    shown = [None if one != one else int(one) for one in (usable, available)]  # NaN is not itself
    values = dict(zip(_OF_THE_TOTAL, (target, *shown, None, slots), strict=True))
    kept = [one for one in sheet.doubts if not {*_OF_THE_TOTAL[:4]} & set(one.about)]
    changed = structs.replace(sheet, doubts=kept)
    return put_all(changed, {key: (value, _ORIGIN) for key, value in values.items()})
