"""Hold a machine against what a system or programs ask for: the rows and the decision."""

import argparse
import datetime
import os
import sys

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
    add_force,
    add_have,
    add_machine,
    add_models,
    add_need,
    add_needs,
    add_needs_path,
    add_parts,
    value,
)
from tallcheck.core.decide.asked import Asked, Chosen
from tallcheck.core.jobs.check import Check, Task, check
from tallcheck.core.values.errors import InputError
from tallcheck.files.vocabulary import vocabulary

EXAMPLE = """  tallcheck check machines/potting-02.machine.json merrow@10
  tallcheck check here merrow fernfolio --have memory=16GB
  tallcheck check here --need memory=8GB --need cores=4..
  tallcheck check machines/map-room-03.machine.json --save answer.md \\
    --at-least machines/potting-02.machine.json"""

_ENDINGS = {
    ".md": "markdown", ".json": "json", ".csv": "csv", ".txt": "text", ".html": "html",
    ".png": "png", ".svg": "svg",
}  # fmt: skip

_DRAWN = ("html", "png", "svg")  # what takes a second


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
    add_models(parser)
    parser.add_argument("--why", metavar="KEY", help="explain one row, from reading to fix")
    parser.add_argument(
        "--on", metavar="DATE", type=value(day_of), help="judge support and age on this day"
    )
    add_needs_path(parser)
    parser.add_argument(
        "--format", choices=("text", "json", "markdown", "csv", "note"), default="text"
    )
    parser.add_argument(
        "--save", action="append", default=[], metavar="FILE",
        help=f"also write this; the ending picks the format ({' '.join(_ENDINGS)})",
    )  # fmt: skip
    add_force(parser)


def run(args: argparse.Namespace) -> int:
    """Check, print, save, and return the exit code of the answer."""
    if not args.needs and not args.need and not args.at_least:
        raise wrong_usage(
            "found nothing to hold the machine against; expected NEEDS, --need KEY=VALUE or "
            "--at-least OLD"
        )
    if [args.machine, *args.needs, args.at_least].count("-") > 1:
        raise wrong_usage("found '-' twice; expected standard input for one file only")
    formats = [_format_of(path) for path in args.save]
    if args.save:
        _hold(args.save, formats, args.force)
    results, samples = _results(args)
    if args.save:
        _save_all(args, formats, results, samples)
    if args.why is not None:
        _print_why(results[0], args.why)
    elif args.quiet and args.format == "text":
        print(results[0].verdict.decision.answer)
    elif args.format == "text":
        _show(results, samples, args.verbose)
    else:
        sys.stdout.write(_rendered(results, samples, args.format, args.verbose))
    return results[0].verdict.decision.exit_code


def _hold(paths: list[str], formats: list[str], force: bool) -> None:
    """Raise OutputError, before any work, where something cannot or should not be written."""
    from tallcheck.files.output import OTHER, PAGE, ROWS, hold_own, hold_writable, json_kind

    hold_writable(paths)
    kinds = {"json": json_kind("check"), "csv": ROWS, "html": PAGE}
    for path, kind in zip(paths, formats, strict=True):
        hold_own(path, kinds.get(kind, OTHER), force)


def _save_all(
    args: argparse.Namespace, formats: list[str], results: list[Check], samples: list[str]
) -> None:
    from tallcheck.cli.streams import progress

    with progress(args, sum(kind in _DRAWN for kind in formats)) as step:
        for path, kind in zip(args.save, formats, strict=True):
            if kind in _DRAWN:
                step(f"drawing {path}")
            _save(path, kind, results, samples, args.verbose)


def _save(path: str, kind: str, results: list[Check], samples: list[str], verbose: bool) -> None:
    from tallcheck.files.output import write

    if kind in ("png", "svg"):
        from tallcheck.report.height_chart import height_chart

        write(path, height_chart(results[0], kind))
    else:
        write(path, _rendered(results, samples, kind, verbose))


def _format_of(path: str) -> str:
    ending = os.path.splitext(path)[1].lower()
    if ending not in _ENDINGS:
        raise wrong_usage(f"--save {path}: the ending must be one of {', '.join(_ENDINGS)}")
    return _ENDINGS[ending]


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
    besides: tuple[Asked, ...] = ()
    if args.at_least:
        from tallcheck.core.jobs.replacement import at_least
        from tallcheck.core.machine.derive import complete

        besides = tuple(
            at_least(
                complete(machine_of(args.at_least, []), vocabulary()),
                machine,
                vocabulary(),
            )
        )
    usage = usage_of(args.usage, machine, args.have)
    parts = parts_of(args.parts)
    results = []
    for release in several[0].releases if several else [None]:
        against = tuple(
            Chosen(one.sheet, release) if release is not None and one is several[0]
            else one.newest()
            for one in wanted
        )  # fmt: skip
        task = Task(
            against, args.level, instead, besides, installed_here(machine, args.needs_path),
            usage, parts, args.on or datetime.date.today(),
        )  # fmt: skip
        results.append(check(machine, task, vocabulary()))
    return results, [one.sheet.title for one in wanted if one.sample]


def _rendered(results: list[Check], samples: list[str], kind: str, verbose: bool) -> str:
    """The results as the text of a format."""
    if kind == "json":
        from tallcheck.files.output import json_text
        from tallcheck.report.check_json import check_json

        return json_text(check_json(results))
    if kind == "text":
        from tallcheck.report.check_view import view_lines
        from tallcheck.report.plain import Page, as_text

        return as_text(view_lines(results, samples, Page(80), verbose))
    if kind == "html":
        from tallcheck.report.machine_page import machine_html

        return machine_html(results)
    from tallcheck.core.messages.note import note
    from tallcheck.report import formats

    makers = {"markdown": formats.markdown, "csv": formats.csv_text, "note": note}
    return makers[kind](results)


def _show(results: list[Check], samples: list[str], verbose: bool) -> None:
    from tallcheck.report.check_view import view_lines
    from tallcheck.report.plain import show

    show(lambda page: view_lines(results, samples, page, verbose))


def _print_why(result: Check, key: str) -> None:
    from tallcheck.core.messages.explain import why
    from tallcheck.report.plain import show, wrap

    steps = why(result, key)
    show(
        lambda page: [
            line
            for label, text in steps
            for line in wrap(text, page.width, " " * 14, first=f"{label:<14}")
        ]
    )
