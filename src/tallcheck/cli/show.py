"""A machine sheet for reading, two beside each other, or the memory in use now, live."""

import argparse
from functools import partial

from tallcheck.cli.inputs import HERE, machine_of, wrong_usage
from tallcheck.cli.outputs import add_save, formats_of, put_out, save_all
from tallcheck.core.machine.sheet import Machine

EXAMPLE = """  tallcheck show machines/potting-02.machine.json
  tallcheck show machines/potting-02.machine.json after/potting-02.machine.json
  tallcheck show here --find avx
  tallcheck show here --save here.html
  tallcheck show here --live"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of this command."""
    from tallcheck.cli.live import add_live

    parser.add_argument(
        "machines", metavar="MACHINE", nargs="+",
        help="a machine sheet, a capture, '-' for standard input, or 'here'; two to compare them",
    )  # fmt: skip
    parser.add_argument("--find", metavar="WORD", help="search every key and value")
    parser.add_argument("--all", action="store_true", help="every reading with its origin")
    parser.add_argument("--programs", action="store_true", help="the programs, too")
    add_save(parser, "show")
    add_live(parser)
    parser.set_defaults(format="text")


def run(args: argparse.Namespace) -> int:
    """Print the sheet, or what was found in it; or two; or what is in use."""
    if len(args.machines) > 2 or args.machines.count("-") > 1:
        raise wrong_usage("expected one machine, or two to set beside each other")
    if args.live or args.once:
        from tallcheck.cli.live import run_live

        if args.machines != [HERE] or args.save or args.find is not None or args.all:
            raise wrong_usage("--live and --once go with `here` alone: tallcheck show here --live")
        return run_live(args)
    formats = formats_of(args, "show")
    machines = tuple(machine_of(one, []) for one in args.machines)
    if args.find is not None or args.all:
        _print_readings(machines, args.find)
        return 0
    parts = {"machines": machines, "programs": args.programs, "verbose": args.verbose}
    save_all(args, formats, parts)
    if not args.save:
        put_out(args, "show", parts)
    return 0


def _print_readings(machines: tuple[Machine, ...], word: str | None) -> None:
    """What has a word in it, or every reading, of one machine after another."""
    from tallcheck.report.plain import show
    from tallcheck.report.show_view import every_reading_lines, find_lines

    for machine in machines:
        show(
            partial(every_reading_lines, machine) if word is None
            else partial(find_lines, machine, word)
        )  # fmt: skip
