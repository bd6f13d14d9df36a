"""What if: how many machines would be ready, at each memory total and for each release."""

import numpy as np
from msgspec import Struct, structs

from tallcheck.core.before.conflicts import Chosen
from tallcheck.core.before.fleet_decision import ANSWERS, judge_fleet, targets_of
from tallcheck.core.before.rows import Asked, known_machine
from tallcheck.core.fleet.columns import DOUBTS, SLOTS_BIT, Fleet, Words, known_memory, raw_memory
from tallcheck.core.machine.memory import reach
from tallcheck.core.machine.readings import Told, tell
from tallcheck.core.values.quantities import GIB

TARGETS = tuple(size * GIB for size in (4, 8, 12, 16, 32))
_READY = ANSWERS.index("ready")


class WhatIf(Struct, frozen=True):
    """Machines ready by memory total (None: as it is) and release; ``ready[row][column]``."""

    totals: tuple[int | None, ...]
    releases: tuple[str, ...]
    ready: tuple[tuple[int, ...], ...]
    machines: int


def what_if(fleet: Fleet, releases: list[tuple[str, list[Asked], tuple[Chosen, ...]]]) -> WhatIf:
    """The table; a machine that cannot be brought to a total has the most of the smaller ones."""
    rows = []
    totals: tuple[int | None, ...] = (None, *TARGETS)
    for total in totals:
        there = fleet
        if total is not None:
            there = with_memory(fleet, [one for one in TARGETS if one <= total])
        rows.append(
            tuple(
                int((judge_fleet(there, asked, against).answers == _READY).sum())
                for _, asked, against in releases
            )
        )
    return WhatIf(totals, tuple(label for label, _, _ in releases), tuple(rows), len(fleet))


def with_memory(fleet: Fleet, totals: list[int]) -> Fleet:
    """The fleet with each machine brought to the largest of some totals that it can take."""
    if fleet.sheets is not None:
        sheets = []
        for sheet in fleet.sheets:
            known = known_machine(sheet)
            fitted = known.memory.installed
            reached = [reach(known, total).total for total in totals]
            found = max(filter(None, reached), default=None)
            more = found is not None and (fitted is None or fitted < found)
            told = Told("memory.installed", found)
            sheets.append(tell(sheet, told, "what if") if more else sheet)
        return structs.replace(fleet, sheets=sheets)
    memory, raw = known_memory(fleet), raw_memory(fleet)
    target = np.full(len(fleet), np.nan)
    for total in totals:
        target = np.fmax(target, targets_of(fleet, memory, np.full(len(fleet), float(total))))
    change = ~np.isnan(target) & ~(memory.installed >= target)
    # what the system keeps from use stays the same, as for a told total
    given = np.where(raw.derived == 2, np.nan, raw.installed)
    fit = change & ~np.isnan(given) & (given != target)
    limit = fleet.number("memory.addressable")
    usable = np.maximum(np.fmin(target, limit) - (given - raw.usable), 0)
    available = np.maximum(raw.available + usable - raw.usable, 0)
    fit_use = fit & ~np.isnan(usable)
    modules = fleet.word("memory.modules")
    torn = fit & (fleet.doubts >> SLOTS_BIT & 1).astype(bool)
    slots = fleet.number("memory.slots")
    numbers = fleet.numbers | {
        "memory.installed": np.where(change, target, fleet.number("memory.installed")),
        "memory.usable": np.where(fit_use, usable, fleet.number("memory.usable")),
        "memory.available": np.where(fit_use, available, fleet.number("memory.available")),
        # the list of modules goes, and its length stays, unless that is in doubt
        "memory.slots": np.where(
            torn, np.nan, np.where(fit & np.isnan(slots), raw.listed_slots, slots)
        ),
    }
    unlisted = Words(np.where(fit, -1, modules.codes).astype(np.int32), modules.values)
    words = fleet.words | ({"memory.modules": unlisted} if modules.values else {})
    settled = sum(1 << bit for bit, (about, _) in enumerate(DOUBTS) if "memory.installed" in about)
    doubts = np.where(change, fleet.doubts & ~np.uint16(settled), fleet.doubts)
    doubts = np.where(torn, doubts & ~np.uint16(1 << SLOTS_BIT), doubts)
    return structs.replace(fleet, numbers=numbers, words=words, doubts=doubts.astype(np.uint16))
