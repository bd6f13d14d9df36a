"""What if: how many machines would be ready, at each memory total and for each release."""

import numpy as np
from msgspec import Struct, structs

from tallcheck.core.board.account import account_of
from tallcheck.core.board.totals import cheapest_total
from tallcheck.core.decide.asked import Asked, Chosen
from tallcheck.core.fleet.building import Builder
from tallcheck.core.fleet.columns import Fleet, Words
from tallcheck.core.fleet.facts import Facts
from tallcheck.core.fleet.judge import Installed, Judge
from tallcheck.core.fleet.judged import READY, judged_by
from tallcheck.core.fleet.known import LISTED_BITS, find_doubts, known_memory
from tallcheck.core.machine.amounts import brought_to
from tallcheck.core.machine.derive import amounts_of
from tallcheck.core.machine.normalized import normalized, world_of
from tallcheck.core.machine.readings import put_all
from tallcheck.core.machine.sheet import Machine, Origin
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.values.quantities import GIB

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
        facts.with_memory(with_memory(fleet, list(TARGETS[: at + 1]))) for at in range(len(TARGETS))
    ]  # fmt: skip
    columns = []
    for _, asked, against in releases:
        judge = Judge(fleet, asked, against, installed, facts)
        judges = [judge, *(judge.with_memory(one) for one in there)]
        columns.append([int((judged_by(one).answers == READY).sum()) for one in judges])
    rows = tuple(zip(*columns, strict=True))
    return WhatIf(totals, tuple(label for label, _, _ in releases), rows, len(fleet))


def with_memory(fleet: Fleet, totals: list[int]) -> Fleet:
    """The fleet with each machine brought to the largest of some totals that it can take."""
    if fleet.sheets is not None:
        return structs.replace(
            fleet, sheets=[_told(sheet, totals, fleet.vocabulary) for sheet in fleet.sheets]
        )
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


def _told(sheet: Machine, totals: list[int], vocabulary: Vocabulary) -> Machine:
    """The same of one sheet."""
    found = normalized(sheet, vocabulary)
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
