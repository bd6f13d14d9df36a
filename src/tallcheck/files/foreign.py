"""Formats that a library reads: whatever it raises or prints is one error in our words.

What a file would come to is counted before: a library that runs out of memory ends the process.
"""

import os
from collections.abc import Iterator
from contextlib import contextmanager

from tallcheck.core.values.errors import InputError

_REASON_MOST = 120


@contextmanager
def foreign(kind: str, where: str) -> Iterator[None]:
    """What a library raises meanwhile, panics of compiled code included, as an InputError."""
    try:
        with silenced(2):  # compiled code tells of its panics there
            yield
    except (KeyboardInterrupt, SystemExit, InputError):
        raise
    except BaseException as error:
        reason = str(error).partition("\n")[0][:_REASON_MOST] or type(error).__name__
        raise InputError(f"found no {kind}: {reason}", "one", where) from None


@contextmanager
def silenced(number: int) -> Iterator[None]:
    """Nothing that is written to an output, 1 or 2, gets there meanwhile."""
    try:
        kept = os.dup(number)
    except OSError:  # it is closed
        yield
        return
    try:
        with open(os.devnull, "wb") as nowhere:
            os.dup2(nowhere.fileno(), number)
            yield
    finally:
        os.dup2(kept, number)
        os.close(kept)


def ensure_cost(what: str, bytes_needed: int, size: int, where: str) -> None:
    """Raise InputError for a table that would cost more than 1 GB and a few times its file."""
    most = most_cost(size)
    if bytes_needed > most:
        raise InputError(
            f"found {what}, which would take {bytes_needed / (1 << 30):.1f} GB of memory",
            f"at most {most / (1 << 30):.1f} GB for a file of this size", where,
        )  # fmt: skip


_COST_MOST = 1 << 30
_TIMES = 4


def most_cost(size: int) -> int:
    """Bytes that a table may cost whose file has so many: 1 GB, or a few times the file."""
    return max(_COST_MOST, _TIMES * size)
