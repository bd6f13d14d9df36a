"""A usage log as arrays, and the time that each of its samples stands for."""

from typing import Any

import numpy as np
from msgspec import Struct, structs
from numpy.typing import NDArray

Floats = NDArray[np.floating[Any]]
Flags = NDArray[np.bool_]
Ints = NDArray[np.int64]

HOUR, DAY, WEEK = 3600.0, 86400.0, 604800.0
_GAP = 3  # times the usual step
_OTHER_TOTAL = 0.05  # by how much a total differs that is no rounding
_CHANGES_MOST = 6  # beyond, memory comes and goes as on a virtual machine


class Log(Struct):
    """A usage log in order of time, as arrays of one length; NaN where a value is missing.

    ``time`` is seconds since 1970, ``offset`` seconds east of Greenwich; sizes are bytes.
    """

    time: Floats
    offset: Floats | float
    columns: dict[str, Floats]
    problems: tuple[str, ...] = ()
    growing: str | None = None
    holders: tuple[tuple[str, int], ...] = ()
    """Programs that hold most while memory is tight, with their bytes."""
    machine: str | None = None
    """The machine's name, where the log tells it."""

    def get(self, name: str) -> Floats | None:
        """A column, or None where it is missing or empty."""
        values = self.columns.get(name)
        return None if values is None or bool(np.isnan(values).all()) else values

    def local(self) -> Floats:
        """Seconds since 1970 by the local clock."""
        return self.time + self.offset

    def part(self, kept: Any) -> "Log":
        """The rows that an index or flags pick."""
        return structs.replace(
            self, time=self.time[kept], columns={n: v[kept] for n, v in self.columns.items()},
            offset=self.offset if isinstance(self.offset, float) else self.offset[kept],
        )  # fmt: skip


def spans_of(moments: Floats, span: float) -> Ints:
    """In which span of so many seconds each moment lies, counted from 0."""
    found: Ints = np.floor(moments / span).astype(np.int64)  # several times as fast as //
    return found


def typical_step(time: Floats) -> float:
    """The usual time between samples, in seconds."""
    return float(np.median(np.diff(time))) if len(time) > 1 else 0.0


def weights_of(time: Floats) -> Floats:
    """The seconds that each sample stands for: until the next one, but not over a gap.

    A gap is longer than three times the steps around it, so a step that changes is none.
    """
    if len(time) < 2:
        return np.zeros(len(time))
    steps = np.diff(time)
    long = np.flatnonzero(steps > _GAP * np.median(steps))
    if len(long):
        around = np.clip(long[:, None] + np.array([-2, -1, 1, 2]), 0, len(steps) - 1)
        usual = np.median(steps[around], axis=1)
        gap = steps[long] > _GAP * usual
        steps[long[gap]] = usual[gap]
    return np.append(steps, steps[-1])


def since_before(weights: Floats) -> Floats:
    """The seconds over which each sample's counters counted: since the one before."""
    return np.concatenate((weights[:1], weights[:-1]))


def present_of(log: Log) -> tuple[Log, Log | None]:
    """The part with the memory that the machine has in the end, and the part before, if any."""
    total = log.columns["memory_total"]
    jumps = np.flatnonzero(np.abs(np.diff(total)) > _OTHER_TOTAL * total[:-1]) + 1
    if not len(jumps) or len(jumps) > _CHANGES_MOST:
        return log, None
    at = int(jumps[-1])
    return log.part(slice(at, None)), log.part(slice(None, at))
