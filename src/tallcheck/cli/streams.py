"""Standard streams: UTF-8 and plain line ends in pipes and files, whatever the system's own are."""

import argparse
import errno
import io
import os
import signal
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from types import FrameType
from typing import TextIO


def open_up() -> None:
    """Make the standard streams take and give any text.

    A terminal keeps its encoding, and gets a question mark for what it cannot show. So does a pipe
    for which `PYTHONIOENCODING` asks for an encoding. What is closed gets a stand-in.
    """
    _stand_in()
    asked = bool(os.environ.get("PYTHONIOENCODING"))
    for out in (sys.stdout, sys.stderr):
        if not isinstance(out, io.TextIOWrapper):
            continue
        if asked or out.isatty():
            out.reconfigure(errors="replace")
        else:
            out.reconfigure(encoding="utf-8", errors="replace", newline="\n")
    if isinstance(sys.stdin, io.TextIOWrapper) and not asked and not sys.stdin.isatty():
        sys.stdin.reconfigure(encoding="utf-8-sig", errors="replace")


class _Closed(io.TextIOBase):
    """In place of a standard output that is closed: that what is printed is lost is said."""

    @property
    def buffer(self) -> "_Closed":
        return self

    def write(self, text: object) -> int:
        raise OSError(errno.EBADF, "is closed")


def _stand_in() -> None:
    """Give closed streams a place, so that no file that is opened takes their numbers."""
    for number in range(3):
        try:
            os.fstat(number)
        except OSError:
            os.open(os.devnull, os.O_RDWR)  # takes the least number that is free
    if sys.stdout is None:
        sys.stdout = _Closed()
    if sys.stderr is None:
        sys.stderr = open(os.devnull, "w", encoding="utf-8")  # noqa: SIM115


def say(text: str) -> None:
    """A line of plain text, whatever stands in it, to the standard output."""
    _line(text, sys.stdout)


def _line(text: str, out: TextIO) -> None:
    from tallcheck.core.values.text import printable  # `--version` does without

    print(printable(text), file=out)


def tell(text: str) -> None:
    """The same to the error output."""
    _line(text, sys.stderr)


@contextmanager
def muted() -> Iterator[None]:
    """Nothing reaches the standard output meanwhile: the solver's library prints there at times."""
    from tallcheck.files.inputs import silenced

    sys.stdout.flush()
    with silenced(1):
        yield


@contextmanager
def progress(args: argparse.Namespace, steps: int) -> "Iterator[Callable[[str], None]]":
    """What is called with the text of each step; nothing is shown of none."""
    if not steps or args.quiet or not sys.stderr.isatty():
        yield lambda text: None
        return
    from rich.progress import BarColumn, Progress, TextColumn

    from tallcheck.core.values.text import printable
    from tallcheck.report.plain import console

    text = TextColumn("{task.description}", markup=False)
    with Progress(BarColumn(24), text, console=console(sys.stderr), transient=True) as bar:
        task = bar.add_task("", total=steps)

        def step(what: str) -> None:
            bar.update(task, description=printable(what))
            bar.advance(task)

        yield step


class Stop:
    """Set by an interrupt or a termination signal: what goes on ends, and all is well."""

    def __init__(self) -> None:
        self.asked = False
        for name in ("SIGINT", "SIGTERM", "SIGBREAK"):  # the last where a console window closes
            if number := getattr(signal, name, None):
                signal.signal(number, self._ask)

    def _ask(self, number: int, frame: FrameType | None) -> None:
        self.asked = True

    def sleep(self, until: float) -> None:
        """Sleep until a moment of the steady clock, or until asked to stop."""
        while not self.asked and (left := until - time.monotonic()) > 0:
            time.sleep(min(left, 0.5))
