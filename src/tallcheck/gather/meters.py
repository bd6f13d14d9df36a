"""Meters for Windows, macOS and FreeBSD: thin ports to the systems' public interfaces.

Sources: the published descriptions of NtQuerySystemInformation
(SystemProcessorPerformanceInformation, SystemPerformanceInformation, SystemProcessInformation);
vm_stat(1), sysctl(3), ps(1), host_processor_info.
"""

import ctypes
import re
import struct
import time
from collections.abc import Callable, Iterator
from typing import Any

from msgspec import structs

from tallcheck.gather.freebsd import available_memory as available_on_freebsd
from tallcheck.gather.freebsd import used_swap
from tallcheck.gather.macos import available_memory, parse_swap_usage, parse_vm_stat
from tallcheck.gather.sampler import PAGE, Counters, Levels, most_held
from tallcheck.gather.sysctl import Sysctl, ask
from tallcheck.gather.windows_calls import memory_levels

Ticks = dict[str, tuple[int, int]]


def _with_programs(
    found: Levels | None, count: int, held: Callable[[], Iterator[tuple[str, int]]]
) -> Levels | None:
    """The levels with the programs that hold most, where some are to be noted."""
    if found is None or not count:
        return found
    return structs.replace(found, programs=most_held(held(), count))


# --- Windows -------------------------------------------------------------------------------

_CORE_TIMES = struct.Struct("<qqqqqIi")  # SYSTEM_PROCESSOR_PERFORMANCE_INFORMATION
_PAGES_READ, _PAGES_WRITTEN = 80, 96  # in SYSTEM_PERFORMANCE_INFORMATION; 32 bits, which run over

# in SYSTEM_PROCESS_INFORMATION of 64 bits: ImageName, WorkingSetSize, PrivatePageCount
_IMAGE_NAME, _WORKING_SET, _PRIVATE, _PROCESS_LEAST = 56, 144, 200, 208


def windows_ticks(times: bytes) -> Ticks:
    """Busy and all ticks of each core; the kernel's time has the idle time in it."""
    ticks = {}
    for at in range(len(times) // _CORE_TIMES.size):
        idle, kernel, user, *_ = _CORE_TIMES.unpack_from(times, at * _CORE_TIMES.size)
        ticks[f"cpu{at}"] = (kernel + user - idle, kernel + user)
    return ticks


def windows_paging(performance: bytes) -> tuple[int | None, int | None]:
    """Bytes read back from the drive for memory, and written to the page file, since the start.

    A system that has read nothing since its start does not count, so nothing is known then.
    """
    if len(performance) < _PAGES_WRITTEN + 4:
        return None, None
    read = struct.unpack_from("<I", performance, _PAGES_READ)[0]
    written = struct.unpack_from("<I", performance, _PAGES_WRITTEN)[0]
    return (read * PAGE, written * PAGE) if read else (None, None)


def windows_held(processes: bytes) -> Iterator[tuple[str, int]]:
    """Each process by its program's name, and the bytes of memory that it alone holds.

    ``processes`` is the list after the address at which it was written; names lie within it.
    """
    base = int.from_bytes(processes[:8], "little")
    data, at = processes[8:], 0
    while at + _PROCESS_LEAST <= len(data):
        following = struct.unpack_from("<I", data, at)[0]
        length, start = struct.unpack_from("<H6xQ", data, at + _IMAGE_NAME)
        name = data[max(start - base, 0) :][:length] if start >= base else b""
        in_memory = struct.unpack_from("<Q", data, at + _WORKING_SET)[0]
        private = struct.unpack_from("<Q", data, at + _PRIVATE)[0]
        if name:  # the idle process has none
            held = min(private, in_memory) if private else in_memory
            yield name.decode("utf-16-le", "replace"), held
        if not following:
            break
        at += following


class WindowsMeter:
    """The running Windows system, asked through ``ask``: the bytes of a named answer."""

    def __init__(self, ask: Callable[[str], bytes | None], programs: int = 0) -> None:
        """``programs`` is how many of them to note."""
        self._ask, self._programs = ask, programs

    def counters(self) -> Counters:
        """The counters of this moment."""
        ticks = windows_ticks(self._ask("calls/processor-times") or b"")
        read, written = windows_paging(self._ask("calls/performance") or b"")
        return Counters(time.time(), time.monotonic(), read, written, None, None, ticks)

    def levels(self) -> Levels | None:
        """Memory and swap of this moment."""
        found = memory_levels(
            self._ask("calls/memory-status") or b"", self._ask("calls/page-files") or b""
        )
        return _with_programs(
            found, self._programs, lambda: windows_held(self._ask("calls/processes") or b"")
        )


# --- macOS ---------------------------------------------------------------------------------

_CPU_LOAD_INFO = 2


def macos_levels(vm_stat: str, sysctl: str) -> Levels | None:
    """Memory from ``vm_stat`` and ``sysctl hw.memsize vm.swapusage``."""
    total = re.search(r"hw\.memsize[:=]\s*(\d{1,15})", sysctl)
    available = available_memory(parse_vm_stat(vm_stat))
    if not total or available is None:
        return None
    swap = parse_swap_usage(sysctl)
    return Levels(int(total[1]), min(available, int(total[1])), swap.get("total"), swap.get("used"))


def ticks_of(counts: list[int], states: tuple[str, ...]) -> Ticks:
    """Busy and all ticks of each core, from those in each state in turn, core by core."""
    ticks, width = {}, len(states)
    for at in range(len(counts) // width):
        each = counts[at * width : (at + 1) * width]
        ticks[f"cpu{at}"] = (sum(each) - each[states.index("idle")], sum(each))
    return ticks


_MAC_STATES = ("user", "system", "idle", "nice")


def held_by(listed: str) -> Iterator[tuple[str, int]]:
    """Each process by its program's name, and the bytes that it holds, from ``ps`` (in KiB)."""
    for match in re.finditer(r"^ *(\d{1,12}) +(\S.*?) *$", listed, re.M):
        yield match[2], int(match[1]) * 1024


def _asked(words: list[str]) -> str:
    return ask(words, 20).decode("utf-8", "replace")


def _ask_macos_ticks() -> list[int]:
    library: Any = ctypes.CDLL("/usr/lib/libSystem.dylib")
    count, length = ctypes.c_uint(0), ctypes.c_uint(0)
    info = ctypes.POINTER(ctypes.c_uint)()
    failed = library.host_processor_info(
        library.mach_host_self(), _CPU_LOAD_INFO,
        ctypes.byref(count), ctypes.byref(info), ctypes.byref(length),
    )  # fmt: skip
    if failed:
        return []
    states = list(info[: length.value])
    task = ctypes.c_uint.in_dll(library, "mach_task_self_")
    library.vm_deallocate(task, info, ctypes.c_size_t(length.value * 4))
    return states


class MacMeter:
    """The running macOS system."""

    def __init__(
        self,
        ask: Callable[[list[str]], str] = _asked,
        ticks: Callable[[], list[int]] = _ask_macos_ticks,
        programs: int = 0,
    ) -> None:
        """``programs`` is how many of them to note."""
        self._ask, self._ticks, self._programs = ask, ticks, programs

    def counters(self) -> Counters:
        """The counters of this moment."""
        pages = parse_vm_stat(self._ask(["/usr/bin/vm_stat"]))
        ticks = ticks_of(self._ticks(), _MAC_STATES)
        return Counters(
            time.time(), time.monotonic(), pages.get("swapins"), pages.get("swapouts"), None, None,
            ticks,
        )  # fmt: skip

    def levels(self) -> Levels | None:
        """Memory and swap of this moment."""
        sysctl = self._ask(["/usr/sbin/sysctl", "hw.memsize", "vm.swapusage"])
        found = macos_levels(self._ask(["/usr/bin/vm_stat"]), sysctl)
        listed = ["/bin/ps", "-Aco", "rss=,comm="]
        return _with_programs(found, self._programs, lambda: held_by(self._ask(listed)))


# --- FreeBSD -------------------------------------------------------------------------------

_LEVELS = (
    "hw.physmem", "hw.pagesize", "vm.stats.vm", "vm.swap_total", "kern.cp_times",
    "kstat.zfs.misc.arcstats.size", "kstat.zfs.misc.arcstats.c_min",
)  # fmt: skip
_CP_STATES = ("user", "nice", "system", "interrupt", "idle")


class FreeBSDMeter:
    """The running FreeBSD system."""

    def __init__(self, ask: Callable[[list[str]], str] = _asked, programs: int = 0) -> None:
        """``programs`` is how many of them to note."""
        self._ask, self._programs = ask, programs

    def _sysctl(self) -> Sysctl:
        return Sysctl(self._ask(["/sbin/sysctl", "-i", *_LEVELS]))

    def counters(self) -> Counters:
        """The counters of this moment."""
        now = self._sysctl()
        page = now.number("hw.pagesize") or PAGE
        pages = [now.number(f"vm.stats.vm.v_swappg{way}") for way in ("sin", "sout")]
        read, written = (None if one is None else one * page for one in pages)
        counts = [int(one) for one in (now.text("kern.cp_times") or "").split() if one.isdecimal()]
        ticks = ticks_of(counts, _CP_STATES)
        return Counters(time.time(), time.monotonic(), read, written, None, None, ticks)

    def levels(self) -> Levels | None:
        """Memory and swap of this moment."""
        now = self._sysctl()
        total, available = now.number("hw.physmem"), available_on_freebsd(now)
        if not total or available is None:
            return None
        used = used_swap(self._ask(["/usr/sbin/swapinfo", "-k"]))
        found = Levels(total, min(available, total), now.number("vm.swap_total"), used)
        listed = ["/bin/ps", "-axco", "rss=,comm="]
        return _with_programs(found, self._programs, lambda: held_by(self._ask(listed)))
