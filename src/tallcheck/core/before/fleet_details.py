"""What stands beside the answer of each machine of a fleet: limiting row, conditions, readings.

As for the answers, machines alike in all that the texts rest on are looked at once.
"""

from collections.abc import Callable

import numpy as np
from msgspec import Struct

from tallcheck.core.before.conflicts import Chosen
from tallcheck.core.before.cures import GRAVITY
from tallcheck.core.before.decision import Verdict
from tallcheck.core.before.fleet_decision import STATUSES, Judged, first_of, held_of, room_of
from tallcheck.core.before.rows import gravity, own_memory
from tallcheck.core.fleet.columns import Fleet, Floats, Ints, doubted, known_memory
from tallcheck.core.jobs.check import verdict_on
from tallcheck.core.machine.sheet import Machine
from tallcheck.core.needs.sheet import SPECS
from tallcheck.core.values import comparison as c
from tallcheck.core.values.comparison import Bound
from tallcheck.core.values.quantities import GIB

_SHORT = STATUSES.index("short")
_VALUES = (
    "processor.cores", "processor.threads", "processor.clock", "storage.drive", "storage.free",
    "graphics.memory",
)  # fmt: skip


class Details(Struct):
    """For each machine its kind, and the verdict on one machine of each kind.

    Machines of a kind share all but the figures in the rows.
    """

    kinds: Ints
    verdicts: list[Verdict]
    limiting: Ints
    """For each machine the need that limits it most, as its place in the list; -1 none."""


def details_of(
    fleet: Fleet,
    judged: Judged,
    against: tuple[Chosen, ...] = (),
    installed: Callable[[Machine], tuple[Chosen, ...]] | None = None,
) -> Details:
    """The details of every machine, with the arguments that it was judged with."""
    code = _kinds(fleet, judged)
    _, first, kinds = np.unique(code, return_index=True, return_inverse=True)
    kinds = kinds.reshape(-1)
    verdicts = []
    for at in first.tolist():
        machine = fleet.machine(at)
        own = installed(machine) if installed is not None else ()
        verdicts.append(verdict_on(machine, judged.asked, against, own))
    return Details(kinds, verdicts, _limiting(fleet, judged, kinds, verdicts))


def _kinds(fleet: Fleet, judged: Judged) -> Ints:
    """Machines whose texts are the same have the same number."""
    if fleet.sheets is not None:
        return np.arange(len(fleet))
    memory = known_memory(fleet)
    modules = (fleet.word("memory.modules").codes >= 0) & ~doubted(fleet, "memory.modules")
    usable = np.where(memory.derived == 2, fleet.number("memory.usable"), 0)
    # as many places as the text gives
    shown = np.round(usable / np.where(usable < GIB, 1 << 20, GIB), 2)
    columns = [
        judged.classes, ~np.isnan(memory.ceiling), ~np.isnan(memory.slots), modules,
        memory.derived, ~np.isnan(memory.available), judged.targets > 4 * GIB,
        ~np.isnan(memory.os_bits), fleet.word("system.os").codes, shown,
        np.nan_to_num(fleet.number("processor.generation"), nan=-1),
    ]  # fmt: skip
    code = np.zeros(len(fleet), dtype=np.int64)
    for column in columns:
        _, found = np.unique(column, return_inverse=True)
        _, code = np.unique(code * (int(found.max(initial=0)) + 1) + found.reshape(-1),
                            return_inverse=True)  # fmt: skip
        code = code.reshape(-1)
    return code


def _limiting(fleet: Fleet, judged: Judged, kinds: Ints, verdicts: list[Verdict]) -> Ints:
    """The short row with the gravest cure, then the least have against need, then the first."""
    size = len(fleet)
    best = np.full(size, -1, dtype=np.int64)
    best_grave = np.full(size, len(GRAVITY) + 1)
    best_ratio = np.full(size, np.inf)
    held = _Held(fleet, judged)
    for at in range(len(judged.asked)):
        short = judged.statuses[at] == _SHORT
        if not short.any():
            continue
        grave, ratio = _by_kind(at, judged, kinds, verdicts)
        own = held.ratio(at)
        if own is not None:
            ratio = own
        better = short & ((grave < best_grave) | ((grave == best_grave) & (ratio < best_ratio)))
        best[better] = at
        best_grave = np.where(better, grave, best_grave)
        best_ratio = np.where(better, ratio, best_ratio)
    return best


def _by_kind(at: int, judged: Judged, kinds: Ints, verdicts: list[Verdict]) -> tuple[Ints, Floats]:
    """Gravity and ratio of one need's row, by the machine that stands for each kind."""
    first = first_of(kinds, len(verdicts))
    graves, ratios = [], []
    for kind, verdict in enumerate(verdicts):
        # needs that do not hold have no row, so the rows before this one are counted
        there = [statuses[first[kind]] != STATUSES.index("") for statuses in judged.statuses]
        row = verdict.rows[sum(there[:at])] if there[at] else None
        graves.append(gravity(row.cures) if row is not None else len(GRAVITY))
        ratios.append((row.ratio or 0.0) if row is not None else 0.0)
    return np.array(graves, dtype=np.int64)[kinds], np.array(ratios)[kinds]


class _Held:
    """Have against need of every machine, for needs of numbers."""

    def __init__(self, fleet: Fleet, judged: Judged) -> None:
        self.fleet, self.judged = fleet, judged
        self.memory = known_memory(fleet)
        self.own = own_memory(judged.asked)

    def ratio(self, at: int) -> Floats | None:
        """The ratios, or None where they follow from the machine's kind."""
        need = self.judged.asked[at].need
        if self.fleet.sheets is not None or need.alternatives or not isinstance(need.test, Bound):
            return None
        reading = SPECS[need.key].reading
        if need.key == "memory":
            have = held_of(self.memory)
        elif need.key == "memory_own":
            have = np.maximum(room_of(self.memory, self.own, need.test.limit), 0)
        elif reading in _VALUES:
            have = self.fleet.number(reading)
            if need.key == "storage":
                have = np.where(np.isnan(have), self.fleet.number("storage.size"), have)
        else:
            return None
        return _ratios(need.test, have)


def _ratios(bound: Bound, have: Floats) -> Floats:
    """``Bound.ratio`` on an array; 0 where there is none."""
    if bound.op in (c.EXACTLY, c.NOT):
        return np.zeros(len(have))
    limit = float(bound.limit)
    with np.errstate(divide="ignore", invalid="ignore"):
        above = np.where(have > 0, (bound.most or limit) / have, 0.0)
        below = have / limit if limit else np.zeros(len(have))
    if bound.op == c.AT_MOST:
        return np.asarray(above)
    if bound.op == c.BETWEEN:
        return np.asarray(np.where(have > bound.most, above, below))
    return np.asarray(below)
