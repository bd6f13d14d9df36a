"""Hold a machine against what a system or programs ask for: the rows and the decision."""

import argparse
import sys

from tallcheck.cli.inputs import Wanted, machine_of, needs_of
from tallcheck.cli.options import add_machine
from tallcheck.core.check import LEVELS, Check, Chosen, check, check_json
from tallcheck.core.errors import InputError

EXAMPLE = """  tallcheck check potting-02.machine.json merrow@10
  tallcheck check here merrow fernfolio --have memory=16GB
  tallcheck check here --need memory=8GB --need cores=4.."""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of this command."""
    add_machine(parser)
    parser.add_argument("needs", nargs="*", metavar="NEEDS", help="a needs sheet, NAME[@RELEASE]")
    parser.add_argument(
        "--have", action="append", default=[], metavar="KEY=VALUE",
        help="tell or replace a reading: also answers 'what if'",
    )  # fmt: skip
    parser.add_argument(
        "--need", action="append", default=[], metavar="KEY=VALUE",
        help="ask for this, in place of what the sheets ask",
    )  # fmt: skip
    parser.add_argument("--level", choices=LEVELS, default="minimum", help="default: minimum")
    parser.add_argument(
        "--needs-path", action="append", default=[], metavar="FOLDER",
        help="look for needs sheets here first",
    )  # fmt: skip
    parser.add_argument("--format", choices=("text", "json"), default="text")


def run(args: argparse.Namespace) -> int:
    """Check, print, and return the exit code of the answer."""
    if not args.needs and not args.need:
        raise InputError("found nothing to hold the machine against", "NEEDS or --need KEY=VALUE")
    if args.machine == "-" and "-" in args.needs:
        raise InputError("found '-' twice", "standard input for one file only")
    instead = [needs_of(text) for text in args.need]
    machine = machine_of(args.machine, args.have)
    wanted = [Wanted(word, args.needs_path) for word in args.needs]
    several = [one for one in wanted if len(one.releases) > 1]
    if len(several) > 1:
        raise InputError(
            "found more than one needs sheet with several releases",
            "a release, such as "
            + f"{several[0].sheet.title.lower()}@{several[0].releases[0].name}",
        )
    results = []
    for release in several[0].releases if several else [None]:
        against = tuple(
            Chosen(one.sheet, release) if release is not None and one is several[0]
            else one.newest()
            for one in wanted
        )  # fmt: skip
        results.append(check(machine, against, args.level, instead))
    samples = [one.sheet.title for one in wanted if one.sample]
    if args.format == "json":
        _print_json(results)
    else:
        _print_text(results, samples, args)
    return results[0].verdict.decision.exit_code


def _print_json(results: list[Check]) -> None:
    import msgspec

    found = check_json(results[0])
    if len(results) > 1:
        found["releases"] = [check_json(result) for result in results]
    sys.stdout.write(msgspec.json.format(msgspec.json.encode(found), indent=2).decode() + "\n")


def _print_text(results: list[Check], samples: list[str], args: argparse.Namespace) -> None:
    from tallcheck.report.check_view import check_lines, releases_lines
    from tallcheck.report.plain import show

    if args.quiet:
        print(results[0].verdict.decision.answer)
    elif len(results) > 1:
        show(lambda page: releases_lines(results, samples, page))
    else:
        show(lambda page: check_lines(results[0], samples, page, args.verbose))
