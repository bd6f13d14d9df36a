"""One sample of memory and processor use after another, on Linux, from ``/proc``.

Sources: the kernel's documentation, "The /proc Filesystem" (meminfo, stat, vmstat),
"Pressure Stall Information" and "zram".
"""

import re
import time
from collections.abc import Iterable, Iterator
from typing import Protocol

from msgspec import Struct, structs

from tallcheck.core.usage.summary import Sample
from tallcheck.core.values.plain import whole_number
from tallcheck.gather.linux import kib
from tallcheck.gather.source import Source, read_text

PAGE = 4096
"""Bytes a page in /proc/vmstat and in Windows' counts, on the architectures that this reads."""


class Counters(Struct, frozen=True):
    """What only grows: it tells by its difference. Swapped is bytes, stalls microseconds."""

    wall: float
    steady: float
    swapped_in: int | None
    swapped_out: int | None
    memory_stall: int | None
    drive_stall: int | None
    busy: dict[str, tuple[int, int]]
    """For each logical processor: ticks busy, and all ticks."""


class Levels(Struct, frozen=True):
    """What stands at a level: memory and swap, in bytes, and the programs that hold most."""

    memory_total: int
    memory_available: int
    swap_total: int | None
    swap_used: int | None
    programs: str = ""
    cached: int | None = None
    """What files hold of it, which is given up where it is wanted."""


class Meter(Protocol):
    """A running system that can be read again and again."""

    def counters(self) -> Counters:
        """The counters of this moment."""

    def levels(self) -> Levels | None:
        """Memory and swap of this moment, or None where the system does not tell."""


def _stall(source: Source, what: str) -> int | None:
    """Microseconds in which some program waited for memory or the drive."""
    match = re.search(
        r"^some .*total=(\d+)", read_text(source, f"proc/pressure/{what}") or "", re.M
    )
    return int(match[1]) if match else None


def read_counters(source: Source) -> Counters:
    """The counters of this moment."""
    vmstat = read_text(source, "proc/vmstat") or ""
    pages = {m[1]: int(m[2]) for m in re.finditer(r"^(pswpin|pswpout) (\d+)$", vmstat, re.M)}
    busy = {}
    for match in re.finditer(r"^(cpu\d+) ([\d ]+)$", read_text(source, "proc/stat") or "", re.M):
        ticks = [int(word) for word in match[2].split()][:8]  # guest time is in user time already
        idle = sum(ticks[3:5])
        busy[match[1]] = (sum(ticks) - idle, sum(ticks))
    swapped = {key: count * PAGE for key, count in pages.items()}
    return Counters(
        time.time(), time.monotonic(), swapped.get("pswpin"), swapped.get("pswpout"),
        _stall(source, "memory"), _stall(source, "io"), busy,
    )  # fmt: skip


def _compressed_swap(source: Source, meminfo: str) -> int:
    """Bytes of memory that hold compressed swap: they are in use already, so not counted twice."""
    held = kib(meminfo, "Zswap") or 0
    for device in source.names("sys/block"):
        if device.startswith("zram"):
            words = (read_text(source, f"sys/block/{device}/mm_stat") or "").split()
            held += (whole_number(words[2]) or 0) if len(words) > 2 else 0
    return held


def most_held(held: Iterable[tuple[str, int]], count: int) -> str:
    """The programs that hold most memory, by name only: ``name=bytes;name=bytes``."""
    sizes: dict[str, int] = {}
    for name, size in held:
        clean = re.sub(r"[;=,\"\s]+", "_", name)
        sizes[clean] = sizes.get(clean, 0) + size
    most = sorted(sizes.items(), key=lambda one: -one[1])[:count]
    return ";".join(f"{name}={size}" for name, size in most)


def _held(source: Source) -> Iterator[tuple[str, int]]:
    """Each process by its name, and the bytes that it alone holds."""
    for process in source.names("proc"):
        if not process.isdecimal():
            continue
        status = read_text(source, f"proc/{process}/status") or ""
        name = re.search(r"^Name:\s*(.+)$", status, re.M)
        size = re.search(r"^RssAnon:\s*(\d+) kB$", status, re.M)
        if name and size:
            yield name[1], int(size[1]) * 1024


def read_levels(source: Source, programs: int = 0) -> Levels | None:
    """Memory and swap of this moment; None where the system does not tell its memory."""
    meminfo = read_text(source, "proc/meminfo") or ""
    total, available = kib(meminfo, "MemTotal"), kib(meminfo, "MemAvailable")
    if total is None or available is None:
        return None
    swap, free = kib(meminfo, "SwapTotal"), kib(meminfo, "SwapFree")
    swap_used = None
    if swap is not None and free is not None:
        swap_used = max(swap - free - _compressed_swap(source, meminfo), 0)
    held = most_held(_held(source), programs) if programs else ""
    parts = [kib(meminfo, name) for name in ("Cached", "SReclaimable")]
    cached = None if parts[0] is None else parts[0] + (parts[1] or 0)
    return Levels(total, available, swap, swap_used, held, cached)


def core_shares(before: Counters, now: Counters) -> list[float]:
    """How busy each logical processor was between two moments."""
    shares = []
    for name, (busy, ticks) in now.busy.items():
        old_busy, old_ticks = before.busy.get(name, (busy, ticks))
        if ticks > old_ticks:
            shares.append(min(max((busy - old_busy) / (ticks - old_ticks), 0.0), 1.0))
    return shares


def sample(before: Counters, now: Counters, levels: Levels) -> Sample:
    """The sample between two moments, with the memory of the second."""
    shares = core_shares(before, now)
    elapsed = max(now.steady - before.steady, 1e-6) * 1e6

    def grown(old: int | None, new: int | None) -> int | None:
        return max(new - old, 0) if old is not None and new is not None else None

    def share(old: int | None, new: int | None) -> float | None:
        waited = grown(old, new)
        return None if waited is None else min(waited / elapsed, 1.0)

    return Sample(
        wall=now.wall,
        swapped_in=grown(before.swapped_in, now.swapped_in),
        swapped_out=grown(before.swapped_out, now.swapped_out),
        memory_stall=share(before.memory_stall, now.memory_stall),
        cores_busy=sum(shares) if shares else None,
        busiest_core=max(shares) if shares else None,
        core_count=len(now.busy) or None,
        drive_stall=share(before.drive_stall, now.drive_stall),
        **{
            key: value
            for key, value in structs.asdict(levels).items()
            if key in Sample.__struct_fields__
        },
    )


class LinuxMeter:
    """The running Linux system; ``programs`` is how many of them to note."""

    def __init__(self, source: Source, programs: int) -> None:
        self._source = source
        self._programs = programs

    def counters(self) -> Counters:
        """The counters of this moment."""
        return read_counters(self._source)

    def levels(self) -> Levels | None:
        """Memory and swap of this moment."""
        return read_levels(self._source, self._programs)


def is_gap(before: Counters, now: Counters, every: float) -> bool:
    """Whether a suspend, a clock change or a missed sample lies between two moments.

    Averages over it would be no values of their own, so it is a gap in the log.
    """
    wall, steady = now.wall - before.wall, now.steady - before.steady
    return abs(wall - steady) > 1 + 0.5 * every or steady > 2.5 * every + 1
