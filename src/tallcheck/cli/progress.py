"""A bar on the error output that says what is being done, on a terminal only."""

import argparse
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from tallcheck.core.values.text import printable


@contextmanager
def progress(args: argparse.Namespace, steps: int) -> "Iterator[Callable[[str], None]]":
    """What is called with the text of each step; nothing is shown of none."""
    if not steps or args.quiet or not sys.stderr.isatty():
        yield lambda text: None
        return
    from rich.progress import BarColumn, Progress, TextColumn

    from tallcheck.report.plain import console

    text = TextColumn("{task.description}", markup=False)
    with Progress(BarColumn(24), text, console=console(sys.stderr), transient=True) as bar:
        task = bar.add_task("", total=steps)

        def step(what: str) -> None:
            bar.update(task, description=printable(what))
            bar.advance(task)

        yield step
