"""What a usage log says: is memory what is short, in real use?"""

import argparse
import os

from tallcheck.cli.options import value
from tallcheck.cli.outputs import add_format, add_save, formats_of, put_out, save_all
from tallcheck.cli.streams import progress
from tallcheck.core.values.quantities import parse_share
from tallcheck.files.config import settings

EXAMPLE = """  tallcheck usage usage/swapping.usage.csv
  tallcheck usage usage/swapping.usage.csv --plot usage.png
  tallcheck usage x.csv --columns time=at,memory_total=total_mb:MB,memory_available=free:MB"""

_LONG = 20 << 20  # bytes of a log that takes a second to read


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of this command."""
    parser.add_argument("log", metavar="LOG", help="a usage log, CSV")
    add_save(parser, "usage", "--plot")
    parser.add_argument(
        "--columns", action="append", default=[], metavar="NAME=THEIRS[:UNIT],…",
        help="headings of another's log",
    )  # fmt: skip
    share = value(parse_share)
    parser.add_argument("--tight", metavar="SHARE", type=share, help="called tight; as 80%%")
    parser.add_argument("--full", metavar="SHARE", type=share, help="called full; as 90%%")
    add_format(parser, "usage")


def run(args: argparse.Namespace) -> int:
    """Read the log, judge it, print and draw."""
    formats = formats_of(args, "usage")
    kept = settings("tight", "full")
    tight = kept.tight if args.tight is None else args.tight
    full = kept.full if args.full is None else args.full
    from tallcheck.core.usage.finding import judge
    from tallcheck.files.usage_log import parse_columns, read_log

    long = os.path.isfile(args.log) and os.path.getsize(args.log) > _LONG
    with progress(args, 3 if long or args.save else 0) as step:
        step(f"reading {os.path.basename(args.log)}")
        log = read_log(args.log, parse_columns(args.columns))
        step("judging it")
        found = judge(log, tight, full)
        parts = {"log": log, "found": found, "tight": tight, "full": full}
        save_all(args, formats, parts, step)
    put_out(args, "usage", parts)
    return 0
