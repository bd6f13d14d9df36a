"""What is in use now: one view that is drawn again, one line for a pipe, and one at the end."""

import datetime

from tallcheck.core.usage.moments import Moment, Sample, Seen
from tallcheck.core.usage.summary import FULL, TIGHT
from tallcheck.core.values.quantities import format_duration, format_memory, format_share
from tallcheck.report.plain import Line, Page

_BAR_MOST = 40
_TELLING = 1800.0
"""Seconds below which what was seen is too brief to tell a habit."""


def live_lines(name: str, now: Moment, seen: Seen, page: Page) -> list[Line]:
    """The view of one moment."""
    one = now.sample
    used = one.memory_total - one.memory_available
    share = used / one.memory_total
    style = "bad" if share >= FULL else "open" if share >= TIGHT else "good"
    since = _clock(seen.since)
    lines: list[Line] = [
        [(name, "strong"), (f"  {_clock(one.wall)}, watched since {since}", "dim")], [],
        _bar("Memory", share, f"{format_memory(used)} of {format_memory(one.memory_total)} usable "
             f"in use, {format_memory(one.memory_available)} available", style, page),
    ]  # fmt: skip
    for label, size in (("kept back", now.kept), ("cached files", now.cached)):
        if size is not None:
            lines.append([(f"  {label:<16}{format_memory(size)}", "dim")])
    lines += [_swap(one, page), *_cores(now, page)]
    if one.programs:
        lines += [[], [("Hold most memory", "strong")]]
        for entry in one.programs.split(";"):
            program, _, held = entry.rpartition("=")
            lines.append([(f"  {program[: page.width - 24]:<24} {format_memory(int(held))}", "")])
    return lines


def _swap(one: Sample, page: Page) -> Line:
    if one.swap_total is None or one.swap_used is None:
        return [("Swap", "strong"), ("    not known", "dim")]
    if one.swap_total == 0:
        return [("Swap", "strong"), ("    there is none", "dim")]
    moved = "" if one.swapped_in is None else f", {format_memory(one.swapped_in)} read back"
    share = min(one.swap_used / one.swap_total, 1.0)
    text = f"{format_memory(one.swap_used)} of {format_memory(one.swap_total)} in use{moved}"
    return _bar("Swap", share, text, "open" if one.swapped_in else "", page)


def _cores(now: Moment, page: Page) -> list[Line]:
    one = now.sample
    if one.cores_busy is None or not one.core_count:
        return [[("Cores", "strong"), ("   not known", "dim")]]
    share = one.cores_busy / one.core_count
    text = f"{one.cores_busy:.1f} of {one.core_count} logical processors busy"
    lines = [_bar("Cores", share, text, "", page)]
    each = [f"{format_share(core, 0):>5}" for core in now.cores]
    across = max((page.width - 16) // 6, 1)
    for at in range(0, len(each), across):
        label = "  each" if at == 0 else ""
        lines.append([(f"{label:<18}{' '.join(each[at : at + across])}", "dim")])
    return lines


def _bar(label: str, share: float, text: str, style: str, page: Page) -> Line:
    width = min(_BAR_MOST, max(page.width - 70, 10))
    full = round(share * width)
    return [
        (f"{label:<8}", "strong"), ("\u2588" * full, style), ("\u00b7" * (width - full), "dim"),
        (f" {format_share(share, 0):>5}  {text}", ""),
    ]  # fmt: skip


def live_line(one: Sample) -> str:
    """One moment in one line, for a pipe."""
    used = one.memory_total - one.memory_available
    parts = [
        f"memory {format_share(used / one.memory_total, 0)} "
        f"({format_memory(used)} of {format_memory(one.memory_total)})"
    ]
    if one.swap_used is not None:
        parts.append(f"swap {format_memory(one.swap_used)}")
    if one.cores_busy is not None:
        parts.append(f"cores {one.cores_busy:.1f} of {one.core_count}")
    return f"{_clock(one.wall)}  {', '.join(parts)}"


def seen_text(name: str, total: int, seen: Seen) -> str:
    """What was seen in all, and whether that is enough to tell a habit."""
    swap = f"{format_memory(seen.swap)} of swap" if seen.swap else "no swap"
    text = (
        f"{name}, {format_duration(seen.seconds)}: at most {format_memory(seen.memory)} of "
        f"{format_memory(total)} in use ({format_share(seen.memory / total, 0)}), {swap}, "
        f"{seen.cores:.1f} cores busy"
    )
    return text + ("; too brief to tell a habit" if seen.seconds < _TELLING else "")


def _clock(wall: float) -> str:
    return datetime.datetime.fromtimestamp(wall).strftime("%H:%M:%S")
