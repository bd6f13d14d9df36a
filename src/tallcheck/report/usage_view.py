"""Memory and processor use in a terminal: the finding of a log, and the view in place."""

import datetime
from typing import Literal

from msgspec import Struct, structs

from tallcheck.core.usage.summary import (
    FULL,
    TIGHT,
    Figures,
    Moment,
    Percentile,
    Sample,
    Seen,
    Usage,
)
from tallcheck.core.values.quantities import format_duration, format_memory, format_share
from tallcheck.report.check_view import section
from tallcheck.report.plain import Line, Page, wrap

_STYLES = {"short": "bad", "near": "open", "ample": "good", "too brief": "open"}
_WEEKDAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")


def usage_lines(usage: Usage, tight: float, full: float, page: Page) -> list[Line]:
    """The finding first, then what the log is, memory, cores, and the course of the day."""
    figures = usage.figures
    lines: list[Line] = [[(usage.finding.upper(), _STYLES[usage.finding])]]
    lines += wrap(usage.sentence, page.width, style="strong")
    lines += [[], [("What to do", "strong")], *wrap(usage.next, page.width, "  ")]
    lines += _part("The log", _log(figures), page)
    lines += _part("Memory in use", _memory(figures, tight, full), page)
    lines += _part("Cores", _cores(figures), page)
    lines += _bars("By hour of the day, usual share in use", figures.by_hour, tight, page, False)
    lines += _bars("By day of the week", figures.by_weekday, tight, page, True)
    lines += section("What the log does not tell", list(usage.not_told), page)
    return lines + section("Rows that were not as they should be", list(usage.problems), page)


def _part(title: str, facts: list[tuple[str, str | None]], page: Page) -> list[Line]:
    known = [(label, text) for label, text in facts if text is not None]
    if not known:
        return []
    lines: list[Line] = [[], [(title, "strong")]]
    for label, text in known:
        lines += wrap(text, page.width, " " * 26, first=f"  {label:<24}")
    return lines


def _log(figures: Figures) -> list[tuple[str, str | None]]:
    return [
        ("length", f"{format_duration(figures.seconds)}, {figures.rows} rows, "
                   f"{format_share(figures.complete)} complete"),
        ("judged", f"{figures.use} ({format_duration(figures.used_seconds)})"),
    ]  # fmt: skip


def _percent(value: float | None, places: int = 0) -> str | None:
    return None if value is None else format_share(value, places)


def _percentile(one: Percentile) -> str:
    value = format_share(one.value, 1)
    if one.low is None or one.high is None:
        return f"{value}  (no interval: {one.why_none})"
    between = f"{format_share(one.low, 1)} to {format_share(one.high, 1)}"
    return f"{value}  (with 95 % confidence {between})"


def _memory(figures: Figures, tight: float, full: float) -> list[tuple[str, str | None]]:
    growth = None
    if figures.growth:
        low, high = figures.growth.low, figures.growth.high
        growth = (
            f"{_signed(figures.growth.value)} a week (with 95 % confidence {_signed(low)} to "
            f"{_signed(high)})"
        )
    longest = format_duration(figures.longest_tight) if figures.longest_tight else "never"
    return [
        ("of", format_memory(figures.total)),
        ("median", _percent(figures.median)),
        ("95th percentile", _percentile(figures.p95)),
        ("highest", _percent(figures.highest)),
        (f"above {format_share(tight)}", _of_time(figures.above_tight)),
        (f"above {format_share(full)}", _of_time(figures.above_full)),
        ("longest stretch above", longest),
        ("swapping", _of_time(figures.swapping)),
        ("swapping while tight", _of_time(figures.swapping_tight)),
        ("waiting for memory", _of_time(figures.stall)),
        ("waiting for the drive", _of_time(figures.drive_stall)),
        ("wanted at the 95th", format_memory(figures.demand) if figures.demand else None),
        ("growth", growth),
        ("growing program", figures.growing_program),
        *(("held while tight", f"{name} {format_memory(size)}") for name, size in figures.holders),
    ]


def _signed(size: float) -> str:
    return ("-" if size < 0 else "") + format_memory(int(abs(size)))


def _of_time(share: float | None) -> str | None:
    return None if share is None else f"{format_share(share, 1)} of the time"


def _cores(figures: Figures) -> list[tuple[str, str | None]]:
    def cores(value: float | None) -> str | None:
        of = f" of {figures.core_count}" if figures.core_count else ""
        return None if value is None else f"{value:.1f}{of}"

    one = _of_time(figures.one_core_full)
    if one and figures.one_core_full and figures.one_core_full > 0.2:
        one += ": faster cores would help, more would not"
    return [
        ("busy at once, median", cores(figures.cores_median)),
        ("95th percentile", cores(figures.cores_p95)),
        ("highest", cores(figures.cores_highest)),
        ("one alone full", one),
        ("all full", _of_time(figures.all_cores_full)),
    ]


def _bars(
    title: str, values: dict[int, float], tight: float, page: Page, weekdays: bool
) -> list[Line]:
    if not values:
        return []
    lines: list[Line] = [[], [(title, "strong")]]
    width = min(page.width - 20, 50)
    for key, share in sorted(values.items()):
        label = _WEEKDAYS[key] if weekdays else f"{key:02d}:00"
        style = "bad" if share > tight else "good"
        bar = "█" * round(share * width)
        lines.append([(f"  {label:<7}", ""), (f"{bar:<{width}}", style),
                      (f" {format_share(share):>5}", "")])  # fmt: skip
    return lines


class UsageOut(Struct, frozen=True):
    """A finding, as ``usage --format json`` prints it; the log's figures as the core has them."""

    tallcheck: Literal["usage/1"]
    finding: str
    sentence: str
    next: str
    figures: Figures
    problems: tuple[str, ...]
    not_told: tuple[str, ...]
    machine: str | None


def usage_json(found: Usage) -> UsageOut:
    """The finding under its mark."""
    return UsageOut("usage/1", **structs.asdict(found))


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
    lines += [_swap(one, page), *_busy(now, page)]
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


def _busy(now: Moment, page: Page) -> list[Line]:
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
