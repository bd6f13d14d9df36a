"""Cores and threads: counts that bear on each other, and cores in use over time."""

from collections.abc import Iterable
from typing import Any

from tallcheck.core.machine.entries import ReadingKey, RuleKey
from tallcheck.core.needs.key import Choice, Evaluation, Key, View
from tallcheck.core.needs.numbers import (
    PROCESSOR_MENDS,
    around,
    evaluate_number,
    evaluate_range,
    limits_of,
    nearest_first,
    plain,
    plain_choices,
    processor_fix,
)
from tallcheck.core.values.comparison import AT_LEAST, AT_MOST, Bound

_EACH_MOST = 2
"""Threads that a core of the x86 and arm families runs at most."""
_FAMILIES = (None, "x86", "x86-64", "arm", "arm64")
_EITHER: frozenset[RuleKey] = frozenset(
    {"processor.cores", "processor.threads", "processor.architecture"}
)


def _each(architecture: str | None) -> float:
    return _EACH_MOST if architecture in _FAMILIES else float("inf")


def cores_range(view: View) -> tuple[float, float]:
    """The least and most cores that the threads leave open."""
    threads = view["processor.threads"]
    if threads is None:
        return 1, float("inf")
    return max(-(-threads // _each(view["processor.architecture"])), 1), threads


def threads_range(view: View) -> tuple[float, float]:
    """The least and most threads that the cores leave open."""
    cores = view["processor.cores"]
    if cores is None:
        return 1, float("inf")
    return cores, cores * _each(view["processor.architecture"])


def _evaluate(reading: ReadingKey, range_of: Any, other: str) -> Any:
    def evaluate(bound: Bound, view: View) -> Evaluation:
        value = view[reading]
        if value is not None:
            off = view.value_of(f"extra.{reading.rpartition('.')[2]}_off")
            return evaluate_number(bound, value, reading, detail=off)
        least, most = range_of(view)
        return evaluate_range(bound, least, most, reading, other)

    return evaluate


def _choices(reading: ReadingKey, range_of: Any, other: str) -> Any:
    name = f"extra.{reading.rpartition('.')[2]}_off"

    def choices(tests: list[Any], view: View) -> Iterable[Choice]:
        have, off = view[reading], view.value_of(name)
        least, most = range_of(view)
        there = (least - 1 if have is None else have) + (off if isinstance(off, int) else 0)
        values = around([*limits_of(tests), *(v for v in (least, most) if v < float("inf"))], 1)
        for value in nearest_first(values, have):
            kind = "setting" if value <= there else processor_fix(view)
            anew = have is None and not least <= value <= most
            changes: dict[str, Any] = {reading: value, other: None} if anew else {reading: value}
            yield Choice(changes, kind, anew)

    return choices


CORES = Key(
    "cores", "count", AT_LEAST, "processor.cores", _EITHER | {"extra.cores_off"},
    _evaluate("processor.cores", cores_range, "processor.threads"),
    _choices("processor.cores", cores_range, "processor.threads"), "the number of cores",
    "Physical cores of all sockets that the system runs; threads are not cores. Where only the "
    "threads are known, there are at most as many cores, and at least half as many.",
    "4", "physical cores", PROCESSOR_MENDS,
)  # fmt: skip
THREADS = Key(
    "threads", "count", AT_LEAST, "processor.threads", _EITHER | {"extra.threads_off"},
    _evaluate("processor.threads", threads_range, "processor.cores"),
    _choices("processor.threads", threads_range, "processor.cores"), "the number of threads",
    "Logical processors that the system runs.", "8", "logical processors", PROCESSOR_MENDS,
)  # fmt: skip
CORES_USE = Key(
    "cores_use", "number", AT_MOST, "usage.cores_use", frozenset({"usage.cores_use"}),
    plain("usage.cores_use"),
    plain_choices("usage.cores_use", lambda view, value: processor_fix(view)),
    "the cores in use", "Cores busy, the median over the hours of use of a usage log.",
    "2.5", "sustained", PROCESSOR_MENDS, steady=True,
)  # fmt: skip


def tied_counts(cores: list[Bound], threads: list[Bound]) -> tuple[list[Bound], list[Bound]]:
    """Where each of two counts turns because of what is asked of the other, as bounds."""
    return (
        [Bound(AT_LEAST, n) for t in limits_of(threads) for n in (-(-t // _EACH_MOST), t)],
        [Bound(AT_LEAST, n) for c in limits_of(cores) for n in (c, c * _EACH_MOST)],
    )


def counts_agree(cores: float | None, threads: float | None, architecture: str | None) -> bool:
    """Whether a machine can have so many cores and threads."""
    if cores is None or threads is None:
        return True
    return cores <= threads <= cores * _each(architecture)
