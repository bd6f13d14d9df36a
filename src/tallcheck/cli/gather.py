"""Read this machine, a captured tree of one, or other machines by ssh, into machine sheets."""

import argparse
import sys

from tallcheck.cli.kit import SCRIPTS
from tallcheck.cli.options import add_force, value
from tallcheck.core.machine.sheet import Machine
from tallcheck.core.values.quantities import parse_duration
from tallcheck.core.values.text import bounded
from tallcheck.files.sheets import machine_json
from tallcheck.files.vocabulary import vocabulary

EXAMPLE = """  tallcheck gather -o here.json
  tallcheck gather --from captures/studio-02 --name studio-02 -o studio-02.machine.json
  tallcheck gather --ssh potting-02 admin@map-room-03 -o machines"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of this command."""
    parser.add_argument(
        "-o", dest="output", metavar="FILE", help="write the sheet here; of --ssh a folder"
    )
    parser.add_argument(
        "--from", dest="tree", metavar="TREE", help="a captured tree: a folder or a tar"
    )
    parser.add_argument(
        "--with-serials", action="store_true", help="put serial numbers on the sheet too"
    )
    parser.add_argument("--name", help="the machine's name on the sheet")
    parser.add_argument(
        "--ssh", nargs="+", metavar="HOST", help="run the kit there by ssh; a sheet for each host"
    )
    parser.add_argument("--hosts", metavar="FILE", help="the same for the hosts in a file")
    parser.add_argument(
        "--system", choices=tuple(SCRIPTS), default="linux", help="of the hosts; default: linux"
    )
    parser.add_argument(
        "--within", default="60s", metavar="TIME", type=value(parse_duration),
        help="give a host up after this; default: 60s",
    )  # fmt: skip
    parser.add_argument("--again", action="store_true", help="hosts whose sheet is there, too")
    add_force(parser)


def run(args: argparse.Namespace) -> int:
    """Gather, and print the sheet or write it."""
    if args.ssh or args.hosts is not None:
        from tallcheck.cli.hosts import gather_hosts

        return gather_hosts(args)
    from tallcheck.gather import gather_from, gather_here

    if args.output:
        from tallcheck.files.output import READ, ensure_own

        ensure_own(args.output, READ, args.force)
    serials = args.with_serials
    if args.name is not None:
        args.name = bounded(args.name)
    if args.tree:
        machine = gather_from(args.tree, vocabulary(), args.name, serials)
    else:
        machine = gather_here(vocabulary(), args.name, serials)
    sheet = machine_json(machine)
    if not args.output and sys.stdout.isatty():
        _summary(machine)
        return 0
    if not args.output or args.output == "-":
        sys.stdout.write(sheet.decode())
        return 0
    from tallcheck.files.output import write

    write(args.output, sheet)
    from tallcheck.cli.streams import say

    if not args.quiet:
        from tallcheck.core.messages.values import count_text

        count = count_text(len(machine.origins), "reading")
        said = f"wrote {machine.name}: {count} to {args.output}"
        say(said)
        for doubt in machine.doubts:
            say(f"doubt: {doubt.text}")
    if args.verbose:
        for key, origin in machine.origins.items():
            say(f"  {key}: {origin.how}, {origin.source}")
    return 0


def _summary(machine: Machine) -> None:
    """The sheet for reading, on a terminal where nothing says where to put it."""
    from tallcheck.cli.streams import tell
    from tallcheck.report.plain import show
    from tallcheck.report.show_view import sheet_lines

    show(lambda page: sheet_lines(machine, page))
    tell("The sheet itself: tallcheck gather -o FILE, or into a pipe.")
