"""Upgrade plans for the machines of a fleet: each make-up is planned once."""

from math import gcd

import numpy as np
from msgspec import Struct

from tallcheck.core.board.models import PartsList
from tallcheck.core.decide.asked import bits_of, wanted_systems
from tallcheck.core.fleet.columns import Flags, Fleet, Floats, Ints, cut_fleet, in_chunks
from tallcheck.core.fleet.facts import dense, first_of
from tallcheck.core.fleet.judged import WITH_MEMORY, Fixes, Judged
from tallcheck.core.fleet.known import doubted, known_memory
from tallcheck.core.machine.amounts import ADDRESSABLE_32
from tallcheck.core.needs.key import KINDS
from tallcheck.core.upgrade.plan import PLAN, Upgrade, plan_upgrade

_SYSTEM = 1 << KINDS.index("system")


class Plans(Struct):
    """For each machine the number of its make-up, -1 where no memory is to be fitted.

    Machines of one make-up take the same modules in the same positions at the same cost.
    """

    makeup: Ints
    found: list[Upgrade]
    """The plan of each make-up."""
    machine: list[int]
    """One machine of each make-up."""

    def totals(self, installed: Floats | None) -> Floats:
        """The total that each machine's plan comes to; NaN where there is none.

        Machines of which only the total is known share a plan, each on top of its own ``installed``
        bytes; None where each has a plan for itself.
        """
        plans = [one.plan for one in self.found]
        table = [np.nan if plan is None else float(plan.total) for plan in plans]
        found = np.array([*table, np.nan])[self.makeup]
        if installed is None:
            return found
        beside = np.array([*map(_beside, self.found), np.nan])[self.makeup]
        return np.where(np.isnan(beside), found, found - beside + installed)

    def costs(self) -> Floats:
        """The cost of each machine's plan in hundredths; NaN where there is none."""
        table = np.array([*(_cost(one) for one in self.found), np.nan])
        return np.asarray(table[self.makeup])


def _beside(upgrade: Upgrade) -> float:
    """What is fitted, where that is a total of which nothing comes out; else NaN."""
    board, plan = upgrade.board, upgrade.plan
    stays = plan is not None and board is not None and not (board.listed or plan.remove)
    return float(board.fitted) if stays and board is not None else float("nan")


def _cost(upgrade: Upgrade) -> float:
    if upgrade.answer != PLAN:
        return 0.0 if upgrade.answer == "nothing" else float("nan")
    cost = upgrade.plan.cost if upgrade.plan is not None else None
    return float("nan") if cost is None else float(cost)


def plans_of(fleet: Fleet, judged: Judged, fixes: Fixes, parts: PartsList) -> Plans:
    """The plan for each machine that memory makes ready, alone or with other changes."""
    wants = np.isin(judged.answers, WITH_MEMORY) & ~np.isnan(fixes.targets)
    system = _other_system(judged, fixes)
    makeup = np.full(len(fleet), -1, dtype=np.int64)
    at = np.flatnonzero(wants)
    if not len(at):
        return Plans(makeup, [], [])
    keys = _keys(fleet, fixes.least, parts, system, wants)
    number, count = np.zeros(len(at), dtype=np.int64), 1
    for column in keys.T:
        own, many = dense(column - column.min(), int(column.max() - column.min()) + 1)
        number, count = dense(number * many + own, count * many)
    makeup[at] = number
    machines = at[first_of(number, count)].tolist()
    found = [
        plan_upgrade(
            fleet.machine(one),
            int(fixes.least[one]),
            fleet.vocabulary,
            parts,
            bool(system[one]),
        )
        for one in machines
    ]
    return Plans(makeup, found, machines)


def _other_system(judged: Judged, fixes: Fixes) -> Flags:
    """Where another system will run, so that what today's can address limits nothing."""
    changed = (fixes.kinds & _SYSTEM) != 0
    wanted = wanted_systems(judged.judge.against)
    if not wanted:
        return np.asarray(changed)
    bits = bits_of(wanted[0].release)
    if bits is None:
        return np.asarray(changed | (known_memory(judged.judge.fleet).bits == 64))
    return np.asarray(changed | (bits == 64))


def _keys(fleet: Fleet, targets: Floats, parts: PartsList, system: Flags, wants: Flags) -> Ints:
    """All that the plans of some machines rest on, in steps within which no plan changes."""
    if fleet.sheets is not None:
        return np.flatnonzero(wants)[:, None]
    step, sizes = _steps(fleet, parts)

    def keys(part: Fleet, at: slice) -> Ints:
        here = wants[at]
        return _keys_in(cut_fleet(part, here), targets[at][here], system[at][here], step, sizes)

    return np.concatenate(in_chunks(fleet, keys))


def _steps(fleet: Fleet, parts: PartsList) -> tuple[int, Ints]:
    """What all sizes are multiples of, and the sizes that can be had, in bytes."""
    sizes = sorted({offer.size for offer in parts.offers})
    fitted = [
        module.size or 0 for modules in fleet.word("memory.modules").values for module in modules
    ]
    return gcd(*sizes, *fitted) or 1, np.array(sizes or [0])


def _keys_in(part: Fleet, targets: Floats, system: Flags, step: int, sizes: Ints) -> Ints:
    memory = known_memory(part)
    reach = np.where(
        ~np.isnan(memory.addressable) & ~(system & (memory.bits == 64)), memory.addressable,
        np.where((memory.bits == 32) & np.isnan(memory.addressable), ADDRESSABLE_32, np.inf),
    )  # fmt: skip
    limit = np.fmin(memory.ceiling, reach)
    limit = np.where(np.isnan(memory.ceiling), reach, limit)
    codes = part.word("memory.modules").codes
    listed = (codes >= 0) & ~doubted(part, "memory.modules")
    # where only the total is known, what counts is what is missing beside it, or in its place
    sums = np.unique([*sizes, *(one + other for one in sizes for other in sizes)])
    several = len(sums) + 1
    missing = np.searchsorted(sizes, targets - memory.installed) * several
    missing += np.searchsorted(sums, targets)
    room = np.searchsorted(sizes, limit - memory.installed, side="right") * several
    room += np.searchsorted(sums, limit, side="right")
    whole = np.floor(np.minimum(limit, 1 << 50) / step)
    most = np.where(np.isnan(memory.position_most), np.inf, memory.position_most)
    columns = [
        np.where(listed, codes, -1), np.where(listed, whole, room),
        np.where(listed, np.nan_to_num(targets), missing),
        np.searchsorted(sizes, most, side="right"), np.nan_to_num(memory.slots, nan=-1),
        np.isnan(memory.ceiling), np.where(listed, 0, np.nan_to_num(memory.installed) > 0),
        part.word("extra.memory_type").codes, part.word("extra.memory_form").codes,
        part.word("system.shape").codes, memory.virtual == 1, memory.fixed == 1,
    ]  # fmt: skip
    return np.stack([np.asarray(column).astype(np.int64) for column in columns], axis=1)
