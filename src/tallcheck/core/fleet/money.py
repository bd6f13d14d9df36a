"""What a fleet costs: for each answer, by when, and in which order most is had for the money.

Money is in hundredths of the currency; NaN is a cost that is not known.
"""

import datetime
from collections.abc import Mapping
from heapq import heapify, heappop, heappush

import numpy as np
from msgspec import Struct

from tallcheck.core.fleet.columns import Floats, Ints
from tallcheck.core.fleet.fixes import Fixes
from tallcheck.core.fleet.judged import READY, UNDECIDED, Judged
from tallcheck.core.needs.key import KINDS


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
