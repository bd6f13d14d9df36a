"""The memory and the cores in use now: a view drawn again and again, or lines into a pipe."""

import argparse
import os
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING

from tallcheck.cli.options import time_between, value
from tallcheck.cli.streams import Stop, say
from tallcheck.core.values.errors import InputError

if TYPE_CHECKING:
    from tallcheck.core.usage.summary import Moment, Seen
    from tallcheck.gather.sampler import Counters, Meter

_PROGRAMS = 5
_KEY_WITHIN = 0.1
"""Seconds within which a key is seen."""


def add_live(parser: argparse.ArgumentParser) -> None:
    """``--live``, ``--every`` and ``--once``."""
    parser.add_argument(
        "--live", action="store_true", help="in use now, again and again; q ends it"
    )
    parser.add_argument("--once", action="store_true", help="in use now, in one line")
    parser.add_argument(
        "--every", default="2s", metavar="2s", type=value(time_between), help="with --live"
    )


def run_live(args: argparse.Namespace) -> int:
    """Show what is in use until somebody ends it; into a pipe a line each interval."""
    from tallcheck.core.usage.summary import Seen
    from tallcheck.files.vocabulary import vocabulary
    from tallcheck.gather import gather_here, running_meter
    from tallcheck.report.machine_facts import kept_back
    from tallcheck.report.usage_view import live_line, seen_text

    meter, name = running_meter(_PROGRAMS)
    if meter.levels() is None:
        raise InputError(
            "found nothing that tells memory in use", "Linux with /proc, Windows, macOS or FreeBSD"
        )
    kept = kept_back(gather_here(vocabulary()).memory)
    stop = Stop()
    before = meter.counters()
    seen, start, total = Seen(before.wall), before.steady, 0
    terminal = sys.stdout.isatty() and not args.once
    with _drawn() if terminal else _printed() as (draw, ended):
        while not stop.asked and not ended():
            _wait(stop, ended, min(args.every, 1.0) if args.once else args.every)
            if stop.asked or ended():
                break
            before, now = _moment(meter, before, kept)
            one = now.sample
            total = one.memory_total
            seen.add(one, before.steady - start)
            if terminal:
                draw(name, now, seen)
            else:
                say(live_line(one))
                sys.stdout.flush()
            if args.once:
                return 0
    if total and not args.quiet:
        say(seen_text(name, total, seen))
    return 0


def _wait(stop: Stop, ended: Callable[[], bool], seconds: float) -> None:
    until = time.monotonic() + seconds
    while not stop.asked and not ended() and (left := until - time.monotonic()) > 0:
        stop.sleep(time.monotonic() + min(left, _KEY_WITHIN))


def _moment(meter: "Meter", before: "Counters", kept: int | None) -> "tuple[Counters, Moment]":
    """The counters of now, and what they tell beside those of before. Raises InputError."""
    from tallcheck.core.usage.summary import Moment
    from tallcheck.gather.sampler import core_shares, sample

    now, levels = meter.counters(), meter.levels()
    if levels is None:
        raise InputError("found nothing that tells memory in use any more", "it all along")
    one = sample(before, now, levels)
    return now, Moment(one, core_shares(before, now), levels.cached, kept)


@contextmanager
def _printed() -> "Iterator[tuple[Callable[..., None], Callable[[], bool]]]":
    """Into a pipe: nothing is drawn, and no key ends it."""
    yield lambda *what: None, lambda: False


@contextmanager
def _drawn() -> "Iterator[tuple[Callable[..., None], Callable[[], bool]]]":
    """On a terminal: the view in place, and whether `q` was pressed; it is left as it was."""
    from rich.live import Live

    from tallcheck.report.plain import Page, console, page_width, styled
    from tallcheck.report.usage_view import live_lines

    place = console(sys.stdout)
    with Live(console=place, auto_refresh=False, transient=True) as view, _keys() as pressed:

        def draw(name: str, now: "Moment", seen: "Seen") -> None:
            lines = live_lines(name, now, seen, Page(page_width(True)))
            view.update(styled([*lines, [], [("q ends it", "dim")]]), refresh=True)

        typed: list[str] = []

        def ended() -> bool:
            typed.append(pressed())
            return any("q" in one.lower() for one in typed)

        yield draw, ended


@contextmanager
def _keys() -> Iterator[Callable[[], str]]:
    """What was typed since it was last asked, without waiting for it."""
    if not sys.stdin.isatty():
        yield lambda: ""
    elif sys.platform == "win32":
        import msvcrt

        yield lambda: msvcrt.getwch() if msvcrt.kbhit() else ""
    else:
        import select
        import termios
        import tty

        number = sys.stdin.fileno()
        before = termios.tcgetattr(number)
        tty.setcbreak(number)

        def pressed() -> str:
            ready = select.select([number], [], [], 0)[0]
            return os.read(number, 64).decode("utf-8", "replace") if ready else ""

        try:
            yield pressed
        finally:
            termios.tcsetattr(number, termios.TCSADRAIN, before)
