"""Print a script that captures a machine with no Python, for `gather --from`."""

import argparse
import sys

from tallcheck.files.kit import SCRIPTS, script_path

EXAMPLE = """  tallcheck kit linux | ssh machine sh > potting-02.tar
  tallcheck kit windows > kit.ps1
  tallcheck gather --from potting-02.tar -o potting-02.machine.json"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of this command."""
    parser.add_argument("system", choices=tuple(SCRIPTS), help="the machine's system")
    parser.add_argument("--record", action="store_true", help="a script that records usage")


def run(args: argparse.Namespace) -> int:
    """Print the script."""
    with open(script_path(args.system, args.record), encoding="utf-8", newline="") as file:
        sys.stdout.write(file.read())
    return 0
