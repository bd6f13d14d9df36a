"""Record memory and processor use over time into a usage log; survives being killed."""

import argparse
import sys
import time

from msgspec import structs

from tallcheck.cli.options import time_between, value
from tallcheck.cli.streams import Stop, say, tell
from tallcheck.core.messages.values import count_text
from tallcheck.core.usage.summary import Sample
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.quantities import format_duration, format_memory, parse_duration
from tallcheck.core.values.text import printable
from tallcheck.files.output import OutputError
from tallcheck.files.usage_writer import SecondWriterError, UsageWriter
from tallcheck.gather import running_meter
from tallcheck.gather.sampler import Meter, is_gap, sample

EXAMPLE = """  tallcheck record -o here.usage.csv --every 5s --for 8h
  tallcheck record -o here.usage.csv --for 8h --programs 5"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of this command."""
    parser.add_argument("-o", dest="output", metavar="LOG", required=True, help="the usage log")
    parser.add_argument(
        "--every", default="5s", metavar="5s", type=value(time_between), help="time between samples"
    )
    parser.add_argument(
        "--for", dest="length", default="8h", metavar="8h", type=value(parse_duration),
        help="how long",
    )  # fmt: skip
    parser.add_argument(
        "--programs", type=int, default=0, metavar="N",
        help="also note the N programs that hold most memory, by name",
    )  # fmt: skip


def run(args: argparse.Namespace) -> int:
    """Record until the time is over or somebody stops it."""
    meter, name = running_meter(args.programs)
    if meter.levels() is None:
        raise InputError(
            "found nothing that tells memory in use", "Linux with /proc, Windows, macOS or FreeBSD"
        )
    writer = UsageWriter(args.output, printable(name), args.programs > 0)
    stop = Stop()
    _tell(writer, args)
    progress = _Progress(args.length) if sys.stderr.isatty() and not args.quiet else None
    start = time.monotonic()
    try:
        lost = _record(meter, writer, stop, args, progress)
    finally:
        writer.close()
        if progress:
            progress.close()
    if not args.quiet:
        spent = format_duration(time.monotonic() - start)
        say(f"wrote {count_text(writer.rows, 'row')} in {spent} to {args.output}")
    if lost:
        raise OutputError(f"{lost} samples could not be written", where=args.output)
    return 0


def _tell(writer: UsageWriter, args: argparse.Namespace) -> None:
    """What was noticed about the file, each thing once."""
    for text in writer.remarks:
        tell(f"tallcheck: {args.output}: {text}")
    writer.remarks.clear()


def _record(
    meter: Meter, writer: UsageWriter, stop: Stop, args: argparse.Namespace,
    progress: "_Progress | None",
) -> int:  # fmt: skip
    """Sample until the end; how many samples could not be written."""
    before = meter.counters()
    every, lost = args.every, 0
    start = due = before.steady
    while not stop.asked and due + every <= start + args.length + 0.01:
        due += every
        stop.sleep(due)
        if stop.asked:
            break
        now, levels = meter.counters(), meter.levels()
        if is_gap(before, now, every):
            due = now.steady  # after a suspend the beat starts anew
        elif levels is not None:
            one = sample(before, now, levels)
            try:
                writer.write(one.wall, structs.asdict(one))
            except SecondWriterError:
                raise
            except OutputError as error:
                if not lost:
                    writer.remarks.append(f"{error.found}; samples are left out until it can be")
                lost += 1
            _tell(writer, args)
            if progress:
                progress.show(now.steady - start, one)
        before = now
    return lost


class _Progress:
    """A bar with the time left and the present reading, on a terminal."""

    def __init__(self, length: float) -> None:
        from rich.progress import BarColumn, Progress, TextColumn, TimeRemainingColumn

        from tallcheck.report.plain import console

        self._bar = Progress(
            TextColumn("{task.description}", markup=False), BarColumn(), TimeRemainingColumn(),
            console=console(sys.stderr),
        )  # fmt: skip
        self._task = self._bar.add_task("recording", total=length)
        self._bar.start()

    def show(self, elapsed: float, one: Sample) -> None:
        """Move the bar."""
        used = one.memory_total - one.memory_available
        text = f"{format_memory(used)} of {format_memory(one.memory_total)} in use"
        if one.cores_busy is not None:
            text += f", {one.cores_busy:.1f} of {one.core_count} cores busy"
        self._bar.update(self._task, completed=elapsed, description=text)

    def close(self) -> None:
        """Leave the terminal as it was."""
        self._bar.stop()
