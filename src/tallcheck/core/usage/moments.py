"""What is in use at one moment, and the most of what was seen; no library is needed for it."""

from msgspec import Struct


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
