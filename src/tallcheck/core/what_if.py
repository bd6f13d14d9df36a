"""What if: how many machines would be ready, at each memory total and for each release."""

import numpy as np
from msgspec import Struct, structs

from tallcheck.core.conflicts import Chosen
from tallcheck.core.fleet import DOUBTS, Fleet, Words, known_memory
from tallcheck.core.fleet_decision import ANSWERS, judge_fleet, targets_of
from tallcheck.core.memory import reach
from tallcheck.core.quantities import GIB
from tallcheck.core.readings import Told, tell
from tallcheck.core.rows import Asked, known_machine

TARGETS = tuple(size * GIB for size in (4, 8, 12, 16, 32))
_READY = ANSWERS.index("ready")
_ABOUT_MEMORY = ("memory.installed", "memory.usable", "memory.available", "memory.modules")


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
    memory = known_memory(fleet)
    target = np.full(len(fleet), np.nan)
    for total in totals:
        target = np.fmax(target, targets_of(fleet, memory, np.full(len(fleet), float(total))))
    change = ~np.isnan(target) & ~(memory.installed >= target)
    installed = np.where(change, target, fleet.number("memory.installed"))
    # what the system keeps from use stays the same, as for a told total
    kept = memory.installed - memory.usable
    most = np.where(np.isnan(memory.addressable), target, np.fmin(target, memory.addressable))
    usable = np.maximum(most - kept, 0)
    available = np.maximum(memory.available + usable - memory.usable, 0)
    modules = fleet.word("memory.modules")
    numbers = fleet.numbers | {
        "memory.installed": installed,
        "memory.usable": np.where(change, usable, fleet.number("memory.usable")),
        "memory.available": np.where(change, available, fleet.number("memory.available")),
        "memory.slots": np.where(change, memory.slots, fleet.number("memory.slots")),
    }
    unlisted = Words(np.where(change, -1, modules.codes).astype(np.int32), modules.values)
    words = fleet.words | ({"memory.modules": unlisted} if modules.values else {})
    settled = sum(
        1 << bit for bit, (about, _) in enumerate(DOUBTS) if set(about) & set(_ABOUT_MEMORY)
    )
    doubts = np.where(change, fleet.doubts & ~np.uint16(settled), fleet.doubts)
    return structs.replace(
        fleet, numbers=numbers, words=words, doubts=doubts.astype(np.uint16)
    )  # fmt: skip
