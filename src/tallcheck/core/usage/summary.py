"""What a usage log comes to, in plain numbers: the part of it that a decision needs.

This module imports nothing heavy, so that a check without a usage log costs nothing for it.
"""

from msgspec import Struct

TIGHT = 0.8
"""Share of memory in use from which the trade, by a rule of thumb, calls a machine tight."""
FULL = 0.9


class Span(Struct, frozen=True):
    """A figure with the interval that contains it with 95 % confidence."""

    value: float
    low: float
    high: float


class Figures(Struct, frozen=True):
    """Memory and cores in use over the hours of use. Sizes in bytes, shares of one, seconds."""

    rows: int
    seconds: float
    used_seconds: float
    complete: float
    """Share of the samples that should be there and are."""
    total: int
    median: float | None
    p95: Span | None
    highest: float | None
    above_tight: float | None
    above_full: float | None
    longest_tight: float
    in_use_p95: int | None
    demand: int | None
    swapping_tight: float | None
    """Share of the time in which memory is tight and pages come back from swap."""
    stall: float | None
    stalled: float | None
    """Share of the time in which programs wait for memory for more than a twentieth."""
    drive_stall: float | None
    cores_median: float | None
    cores_p95: float | None
    cores_highest: float | None
    core_count: int | None
    one_core_full: float | None
    by_hour: dict[int, float]
    by_weekday: dict[int, float]
    growth: Span | None
    """Bytes a week."""
    growing_program: str | None
    use: str
    """How the hours of use were found."""


class Usage(Struct, frozen=True):
    """The finding of a usage log: ``short``, ``near``, ``ample`` or ``too brief``, and why."""

    finding: str
    sentence: str
    figures: Figures
    problems: tuple[str, ...]


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
