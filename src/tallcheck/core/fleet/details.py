"""What stands beside the answer of each machine: limiting row, conditions, readings to find out.

Machines alike in all that the texts rest on are looked at once.
"""

from typing import Any

import numpy as np
from msgspec import Struct

from tallcheck.core.decide.decision import Verdict, limit_rank
from tallcheck.core.decide.evaluation import own_memory
from tallcheck.core.fleet.columns import Fleet, Floats, Ints
from tallcheck.core.fleet.facts import combined, first_of
from tallcheck.core.fleet.judge import Judge
from tallcheck.core.fleet.judged import ANSWERS, STATUSES, Fixes, Judged
from tallcheck.core.fleet.known import doubted, known_memory
from tallcheck.core.machine.amounts import limit_32, use_of
from tallcheck.core.needs.key import KINDS
from tallcheck.core.values.comparison import Bound
from tallcheck.core.values.quantities import GIB

_SHORT = STATUSES.index("short")


class Details(Struct):
    """For each machine its kind, and the verdict on one machine of each kind.

    Machines of a kind share all but the figures in the rows.
    """

    kinds: Ints
    verdicts: list[Verdict]
    limiting: Ints
    """For each machine the need that limits it most, as its place in the list; -1 none."""


def details_of(judged: Judged, fixes: Fixes) -> Details:
    """The details of every machine."""
    judge: Judge = judged.judge
    kinds, count = _kinds(judge.fleet, judged, fixes)
    verdicts = [judge.verdict(at) for at in first_of(kinds, count).tolist()]
    return Details(kinds, verdicts, _limiting(judge, judged, kinds, verdicts))


def _kinds(fleet: Fleet, judged: Judged, fixes: Fixes) -> tuple[Ints, int]:
    """Machines whose texts are the same have the same number."""
    if fleet.sheets is not None:
        return np.arange(len(fleet)), len(fleet)
    memory = known_memory(fleet)
    modules = (fleet.word("memory.modules").codes >= 0) & ~doubted(fleet, "memory.modules")
    usable = np.where(memory.how == 2, np.nan_to_num(memory.usable), 0)
    # as many places as the text gives
    shown = np.round(usable / np.where(usable < GIB, 1 << 20, GIB), 2)
    limit = limit_32(memory.usable)
    # who says what the most is, where that is why a machine is replaced, or where sources differ
    differs = doubted(fleet, "memory.ceiling")
    said = differs | (judged.answers == ANSWERS.index("replace"))
    origins = fleet.origins.get("memory.ceiling")
    columns: list[Any] = [
        np.where(said, np.nan_to_num(memory.ceiling, nan=-1), ~np.isnan(memory.ceiling)),
        np.where(differs, np.nan_to_num(fleet.number("memory.ceiling"), nan=-1), 0),
        np.where(said, 0 if origins is None else origins.codes, 0),
        ~np.isnan(memory.slots), modules, memory.how,
        fleet.known("memory.usable"), fleet.known("processor.name"),
        ~np.isnan(memory.available), ~np.isnan(memory.os_bits),
        np.where(fixes.targets > limit, limit, 0), fleet.word("system.os").codes, shown,
        fleet.doubts,
    ]  # fmt: skip
    parts = [(judged.classes, len(judged.first))]
    for column in columns:
        found, code = np.unique(column, return_inverse=True)
        parts.append((code.reshape(-1), len(found)))
    return combined(parts, len(fleet))


def _limiting(judge: Judge, judged: Judged, kinds: Ints, verdicts: list[Verdict]) -> Ints:
    """The short row with the gravest fix, then the least have against need, then the first."""
    size = len(judge.fleet)
    best = np.full(size, -1, dtype=np.int64)
    best_grave = np.full(size, len(KINDS) + 1)
    best_ratio = np.full(size, np.inf)
    for place in range(len(judged.asked)):
        short = judged.statuses[place] == _SHORT
        if not short.any():
            continue
        grave, ratio = _by_kind(judge, place, kinds, verdicts)
        own = _ratios(judge, place)
        ratio = ratio if own is None else np.where(np.isnan(own), ratio, own)
        better = short & ((grave < best_grave) | ((grave == best_grave) & (ratio < best_ratio)))
        best = np.where(better, place, best)
        best_grave = np.where(better, grave, best_grave)
        best_ratio = np.where(better, ratio, best_ratio)
    return best


def _by_kind(judge: Judge, place: int, kinds: Ints, verdicts: list[Verdict]) -> tuple[Ints, Floats]:
    """Gravity and ratio of one need's row, by the machine that stands for each kind."""
    ranks = []
    for verdict in verdicts:
        row = next((one for one in verdict.rows if one.ask.asked is judge.asked[place]), None)
        ranks.append((len(KINDS), 0.0) if row is None else limit_rank(row))
    graves, ratios = np.array(ranks).T
    return graves.astype(np.int64)[kinds], ratios[kinds]


def _ratios(judge: Judge, place: int) -> Floats | None:
    """Have against need of every machine, or None where they follow from the machine's kind."""
    ask, fleet = judge.asks[place], judge.fleet
    if fleet.sheets is not None or ask.key is None or not isinstance(ask.test, Bound):
        return None
    if ask.key.name == "memory":
        memory = known_memory(fleet)
        have = use_of(memory).counted(memory.installed)
        have = np.where(np.isnan(have), memory.usable, have)
    elif ask.key.name == "memory_own":
        if any(one.when for one in judge.asks):
            return None
        others = own_memory(judge.asks, {}) - ask.test.limits()[-1]
        have = np.maximum(known_memory(fleet).available - others, 0)
    elif ask.key.name == "graphics_memory":
        have = fleet.number("graphics.memory")
    elif ask.key.kind != "bits" and ask.key.reading in fleet.numbers:
        have = fleet.numbers[ask.key.reading]
        if ask.key.name == "storage":
            have = np.where(np.isnan(have), fleet.number("storage.size"), have)
    else:
        return None
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.asarray(ask.test.ratios(have))
