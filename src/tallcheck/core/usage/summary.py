"""What one moment shows and what a usage log comes to, in plain numbers.

This module imports nothing heavy, so that a check without a usage log costs nothing for it.
"""

from typing import Any

from msgspec import Struct

TIGHT = 0.8
"""Share of memory in use from which the trade, by a rule of thumb, calls a machine tight."""
FULL = 0.9


class Span(Struct, frozen=True):
    """A figure with the interval that contains it with 95 % confidence."""

    value: float
    low: float
    high: float


class Percentile(Struct, frozen=True):
    """A percentile with its 95 % interval, or why there is none."""

    value: float
    low: float | None
    high: float | None
    why_none: str = ""


class Stretch(Struct, frozen=True):
    """Hours of the day in which nearly all pressure lies, apart from the other hours of use."""

    first: int
    last: int
    """The hour at which it ends, of the next day where it is not after ``first``."""
    of_job: bool
    """Whether a job makes it, so that nobody waits; else it cannot be told."""

    def has(self, of_day: Any) -> Any:
        """Whether an hour of the day lies in it; on arrays too."""
        return (of_day - self.first) % 24 < (self.last - self.first - 1) % 24 + 1

    def __str__(self) -> str:
        return f"Between {self.first}:00 and {self.last}:00"


class Step(Struct, frozen=True):
    """A change from one level of use to another: its first day since 1970, and bytes, signed."""

    day: int
    size: int


class Figures(Struct, frozen=True):
    """Memory and cores in use over the hours of use. Sizes in bytes, shares of one, seconds."""

    rows: int
    seconds: float
    used_seconds: float
    complete: float
    """Share of the samples that should be there and are."""
    total: int
    median: float
    p95: Percentile
    highest: float
    above_tight: float
    above_full: float
    longest_tight: float
    tight_a_day: float
    """Seconds above the mark on the median day of those with some use."""
    full_of_tight: float
    """Share of the time above the mark in which hardly anything is left."""
    in_use_p95: int
    demand: int
    swapping_tight: float | None
    """Share of the time in which memory is tight and pages come back from swap."""
    swapping: float | None
    """Share of the time in which pages come back from swap, however much is in use."""
    stall: float | None
    stalled: float | None
    """Share of the time in which programs wait for memory for more than a twentieth."""
    drive_stall: float | None
    cores_median: float | None
    cores_p95: float | None
    cores_highest: float | None
    core_count: int | None
    one_core_full: float | None
    all_cores_full: float | None
    by_hour: dict[int, float]
    by_weekday: dict[int, float]
    growth: Span | None
    """Bytes a week."""
    step: Step | None
    """Where use changed once, and stayed."""
    growing_program: str | None
    holders: tuple[tuple[str, int], ...]
    """Programs that hold most while memory is tight, with their mean bytes."""
    use: str
    """How the hours of use were found."""
    apart: Stretch | None = None
    """Hours of the day that are judged apart, for a job may be what presses memory there."""


class Usage(Struct, frozen=True):
    """The finding of a usage log: ``short``, ``near``, ``ample`` or ``too brief``, and why."""

    finding: str
    sentence: str
    next: str
    """What to do now, for the technician."""
    figures: Figures
    problems: tuple[str, ...]
    not_told: tuple[str, ...] = ()
    """What the log does not tell."""
    machine: str | None = None
    """Whose log it is, where it tells."""


class Change(Struct, frozen=True):
    """One figure before and after, and its difference, each with its interval; shares of one."""

    label: str
    before: Span
    after: Span
    difference: Span


class UsageChange(Struct, frozen=True):
    """Whether more memory helped (None: cannot be told), over ``seconds`` of like hours."""

    helped: bool | None
    sentence: str
    seconds: float
    changes: tuple[Change, ...]


class Sample(Struct, frozen=True):
    """One row of a usage log. Sizes in bytes, shares of one."""

    wall: float
    memory_total: int
    memory_available: int
    swap_total: int | None
    swap_used: int | None
    swapped_in: int | None
    swapped_out: int | None
    memory_stall: float | None
    cores_busy: float | None
    busiest_core: float | None
    core_count: int | None
    drive_stall: float | None
    programs: str


class Moment(Struct, frozen=True):
    """What was measured at one moment: sizes in bytes, shares of one."""

    sample: Sample
    cores: list[float]
    cached: int | None
    kept: int | None
    """What firmware, graphics and the kernel keep of what is fitted."""


class Seen(Struct):
    """The most of what was seen so far."""

    since: float
    """Seconds since the epoch."""
    seconds: float = 0.0
    memory: int = 0
    swap: int = 0
    cores: float = 0.0

    def add(self, one: Sample, seconds: float) -> None:
        """One more moment."""
        self.seconds = seconds
        self.memory = max(self.memory, one.memory_total - one.memory_available)
        self.swap = max(self.swap, one.swap_used or 0)
        self.cores = max(self.cores, one.cores_busy or 0.0)
