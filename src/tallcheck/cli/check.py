"""Hold a machine against what a system or programs ask for: the rows and the decision."""

import argparse
import datetime

from tallcheck.cli.inputs import (
    day_of,
    installed_here,
    machine_of,
    parts_of,
    usage_of,
    wanted_of,
    wrong_usage,
)
from tallcheck.cli.options import (
    add_have,
    add_machine,
    add_models,
    add_need,
    add_needs,
    add_needs_path,
    add_parts,
    add_parts_columns,
    value,
)
from tallcheck.cli.outputs import add_format, add_save, formats_of, put_out, save_all
from tallcheck.cli.streams import progress
from tallcheck.core.decide.asked import Chosen
from tallcheck.core.jobs.check import Check, Task, check
from tallcheck.core.values.errors import InputError
from tallcheck.files.vocabulary import vocabulary

EXAMPLE = """  tallcheck check machines/potting-02.machine.json merrow@10
  tallcheck check here merrow fernfolio --have memory=16GB
  tallcheck check here --need memory=8GB --need cores=4..
  tallcheck check machines/map-room-03.machine.json --save answer.md \\
    --at-least machines/potting-02.machine.json"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of this command."""
    add_machine(parser)
    add_needs(parser)
    add_have(parser)
    add_need(parser)
    parser.add_argument(
        "--at-least", metavar="OLD", help="also be no worse than this older machine"
    )
    parser.add_argument("--usage", metavar="LOG", help="a usage log of the machine")
    add_parts(parser)
    add_parts_columns(parser)
    add_models(parser)
    parser.add_argument("--why", metavar="KEY", help="explain one row, from reading to fix")
    parser.add_argument(
        "--on", metavar="DATE", type=value(day_of), help="judge support and age on this day"
    )
    add_needs_path(parser)
    add_format(parser, "check")
    add_save(parser, "check")


def run(args: argparse.Namespace) -> int:
    """Check, print, save, and return the exit code of the answer."""
    if not args.needs and not args.need and not args.at_least:
        raise wrong_usage(
            "found nothing to hold the machine against; expected NEEDS, --need KEY=VALUE or "
            "--at-least OLD"
        )
    if [args.machine, *args.needs, args.at_least].count("-") > 1:
        raise wrong_usage("found '-' twice; expected standard input for one file only")
    formats = formats_of(args, "check")
    results, samples = _results(args)
    parts = {"results": results, "result": results[0], "samples": samples, "verbose": args.verbose}
    with progress(args, sum(one.drawn for one in formats)) as step:
        save_all(args, formats, parts, step)
    if args.why is not None:
        _print_why(results[0], args.why)
    else:
        put_out(args, "check", parts)
    return results[0].verdict.decision.exit_code


def _results(args: argparse.Namespace) -> tuple[list[Check], list[str]]:
    """The check of each release that was not chosen away, newest first; and the samples used."""
    instead = tuple(args.need)
    machine = machine_of(args.machine, args.have, args.models)
    wanted = wanted_of(args.needs, args.needs_path)
    several = [one for one in wanted if len(one.releases) > 1]
    if len(several) > 1:
        example = f"{several[0].sheet.title.lower()}@{several[0].releases[0].name}"
        raise InputError(
            "found more than one needs sheet with several releases", f"a release, such as {example}"
        )
    older = None
    if args.at_least:
        from tallcheck.core.jobs.replacement import at_least

        older = at_least(machine_of(args.at_least, []), machine, vocabulary())
    usage = usage_of(args.usage, machine, args.have)
    parts = parts_of(args.parts, args.columns)
    results = []
    for release in several[0].releases if several else [None]:
        against = tuple(
            Chosen(one.sheet, release) if release is not None and one is several[0]
            else one.newest()
            for one in wanted
        )  # fmt: skip
        task = Task(
            against, args.level, instead, older, installed_here(machine, args.needs_path),
            usage, parts, args.on or datetime.date.today(),
        )  # fmt: skip
        results.append(check(machine, task, vocabulary()))
    return results, [one.sheet.title for one in wanted if one.sample]


def _print_why(result: Check, key: str) -> None:
    from tallcheck.core.messages.conditions import why
    from tallcheck.report.plain import show, wrap

    steps = why(result, key)
    show(
        lambda page: [
            line
            for label, text in steps
            for line in wrap(text, page.width, " " * 14, first=f"{label:<14}")
        ]
    )
