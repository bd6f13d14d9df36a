"""A machine sheet for reading: doubts and memory first, then the rest; --find searches it."""

import argparse

from tallcheck.cli.inputs import machine_of
from tallcheck.cli.options import add_machine

EXAMPLE = """  tallcheck show machines/potting-02.machine.json
  tallcheck show here --find avx
  tallcheck show here --all"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of this command."""
    add_machine(parser)
    parser.add_argument("--find", metavar="WORD", help="search every key and value")
    parser.add_argument("--all", action="store_true", help="every reading with its origin")


def run(args: argparse.Namespace) -> int:
    """Print the sheet, or what was found in it."""
    from tallcheck.report.plain import show
    from tallcheck.report.show_view import every_reading_lines, find_lines, sheet_lines

    machine = machine_of(args.machine, [])
    if args.find is not None:
        show(lambda page: find_lines(machine, args.find, page))
    elif args.all:
        show(lambda page: every_reading_lines(machine, page))
    else:
        show(lambda page: sheet_lines(machine, page), args.verbose)
    return 0
