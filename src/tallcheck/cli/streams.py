"""Standard streams: UTF-8 and plain line ends in pipes and files, whatever the system's own are."""

import io
import os
import sys
from collections.abc import Iterator
from contextlib import contextmanager


def open_up() -> None:
    """Make the standard streams take and give any text.

    A terminal keeps its encoding, and gets a question mark for what it cannot show. So does a pipe
    for which `PYTHONIOENCODING` asks for an encoding.
    """
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


@contextmanager
def muted() -> Iterator[None]:
    """Nothing reaches the standard output meanwhile: the solver's library prints there at times."""
    try:
        kept = os.dup(1)
    except OSError:  # it is closed
        yield
        return
    sys.stdout.flush()
    try:
        with open(os.devnull, "wb") as nowhere:
            os.dup2(nowhere.fileno(), 1)
            yield
    finally:
        os.dup2(kept, 1)
        os.close(kept)
