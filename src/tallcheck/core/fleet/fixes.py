"""What the classes' verdicts give each machine: kinds of fix, and the memory to build."""

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from tallcheck.core.decide import decision
from tallcheck.core.decide.fixes import Fix
from tallcheck.core.decide.groups import Group
from tallcheck.core.decide.problem import Problem
from tallcheck.core.fleet.columns import Fleet, Floats, Ints, cut_fleet, in_chunks
from tallcheck.core.fleet.judge import Judge
from tallcheck.core.fleet.judged import ANSWERS, READY, UNDECIDED, Judged
from tallcheck.core.fleet.memory import best_totals
from tallcheck.core.needs.key import KINDS

_REPLACE = ANSWERS.index("replace")


class Fixes(Struct):
    """For each machine the kinds of fix of the trial that is taken, and the memory to build."""

    kinds: NDArray[np.uint8]
    """A bit for each place in KINDS."""
    targets: Floats
    """The total memory to build in bytes; NaN where none is."""
    least: Floats
    """The least that it has to come to."""


def fixes_of(judged: Judged, likely: bool = True) -> Fixes:
    """The fixes of every machine that has some, by one whole verdict for each class.

    ``likely``: with the total of undecided machines that they would most likely be brought to.
    """
    judge: Judge = judged.judge
    fleet = judge.fleet
    kinds = np.zeros(len(judged.first), dtype=np.uint8)
    own = np.full((2, len(judged.first)), np.nan)
    ways = np.full(len(judged.first), -1, dtype=np.int64)
    answers = judged.answers[judged.first] if judged.first else judged.answers
    kinds[answers == _REPLACE] = 1 << KINDS.index("machine")
    known = (READY, _REPLACE) if likely else (READY, _REPLACE, UNDECIDED)
    for at in np.flatnonzero(~np.isin(answers, known)).tolist():
        problem = judge.whole_matter(judged.first[at])
        fixes, goal = decision.fixes_of(problem)
        kinds[at] = sum(1 << KINDS.index(fix.kind) for fix in fixes)
        if goal is not None:
            own[:, at] = goal.total, goal.least
            ways[at] = _way_of(problem, fixes)
    goals = own[:, judged.classes]
    memory = [
        group for group, part in zip(judge.groups, judge.parts, strict=True) if part.memory
    ]  # fmt: skip
    if memory:
        _spread(fleet, memory[0], ways[judged.classes], goals)
    return Fixes(kinds[judged.classes], *goals)


def _way_of(problem: Problem, those: tuple[Fix, ...]) -> int:
    """Under which system, and whether with what is kept back freed, a target counts."""
    fixes = {fix.kind: fix for fix in those}
    bits = None
    if "system" in fixes:
        bits = fixes["system"].changes.get("system.os_bits")
    elif problem.system is not None:
        bits = problem.world.get("system.os_bits")
        if bits == problem.known.machine.system.os_bits:
            bits = None
        elif bits is None:
            bits = 64
    way = 0 if bits is None else (2 if bits == 32 else 1)
    setting = fixes["setting"].rows if "setting" in fixes else ()
    return way * 2 + any(key in ("memory", "memory_own") for key in setting)


def _spread(fleet: Fleet, group: Group, ways: Ints, goals: Floats) -> None:
    """The goal of each machine for itself, where its class' own is that of another machine."""

    def spread(part: Fleet, place: slice) -> None:
        there = goals[:, place]
        for way in np.unique(ways[place]).tolist():
            here = ways[place] == way
            if way >= 0:
                best = best_totals(cut_fleet(part, here), group, way // 2, bool(way % 2))
                there[:, here] = np.where(np.isnan(best), there[:, here], best)

    in_chunks(fleet, spread)
