"""A machine sheet from what somebody tells over the telephone, or pasted into a mail."""

import argparse
import sys

from tallcheck.cli.inputs import tell_all
from tallcheck.core.derive import complete
from tallcheck.core.errors import InputError
from tallcheck.core.machine import SHEET_FORMAT, Machine
from tallcheck.core.readings import Told, parse_told
from tallcheck.core.told_text import NotUnderstood, read_lines
from tallcheck.files.inputs import read, shown, text
from tallcheck.files.sheets import machine_json
from tallcheck.report.plain import printable

EXAMPLE = """  tallcheck describe potting-05 memory=8GB cores=4 os_bits=64 shape=notebook
  tallcheck describe potting-05 modules=4GB,4GB,-,- -o potting-05.machine.json
  tallcheck describe potting-05 --text mail.txt"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of this command."""
    parser.add_argument("name", metavar="NAME", help="the machine's name")
    parser.add_argument("told", nargs="*", metavar="KEY=VALUE", help="what was told")
    parser.add_argument(
        "--text", metavar="FILE", help="pasted lines of 'label: value'; '-' for standard input"
    )
    parser.add_argument("-o", dest="output", metavar="FILE", help="write the sheet here")


def run(args: argparse.Namespace) -> int:
    """Make the sheet, list what was not understood, print or write it."""
    machine = Machine(SHEET_FORMAT, args.name)
    pasted: list[Told] = []
    left: list[NotUnderstood] = []
    if args.text:
        from tallcheck.files.labels import label_table

        pasted, left = read_lines(text(read(args.text), shown(args.text)), label_table())
    told = [parse_told(word) for word in args.told]
    if not told and not pasted and not left:
        raise InputError("found nothing told", "KEY=VALUE or --text FILE")
    machine = complete(tell_all(machine, pasted, "pasted text") if pasted else machine)
    machine = complete(tell_all(machine, told, "by a person"))
    for one in left:
        line = f"{shown(args.text)}: line {one.line} not understood ({one.why}): {one.text}"
        print(printable(line), file=sys.stderr)
    sheet = machine_json(machine)
    if not args.output or args.output == "-":
        sys.stdout.write(sheet.decode())
        return 0
    from tallcheck.files.output import write

    write(args.output, sheet)
    if not args.quiet:
        count = len(machine.origins)
        missed = f"; {len(left)} lines not understood" if left else ""
        print(f"wrote {printable(machine.name)}: {count} readings to {args.output}{missed}")
    return 0
