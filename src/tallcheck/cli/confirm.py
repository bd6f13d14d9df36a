"""After the work: is what was planned really there, is it used, and did it help."""

import argparse

from tallcheck.cli.inputs import (
    Wanted,
    ensure_log_of,
    installed_here,
    machine_of,
    wanted_of,
    wrong_usage,
)
from tallcheck.cli.options import add_needs, add_needs_path
from tallcheck.cli.outputs import add_format, put_out
from tallcheck.core.jobs.check import Check, Task, check
from tallcheck.core.jobs.confirm import confirm
from tallcheck.core.machine.sheet import Machine
from tallcheck.files.vocabulary import vocabulary

EXAMPLE = """  tallcheck upgrade machines/potting-02.machine.json --to 8GB --format json > plan.json
  tallcheck confirm machines/potting-02.machine.json after/potting-02.machine.json \\
    merrow@10 --plan plan.json

exit codes: 0 done, 15 partly, 16 not done"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of this command."""
    parser.add_argument("before", metavar="BEFORE", help="the machine sheet from before the work")
    parser.add_argument("after", metavar="AFTER", help="the sheet from afterwards, or 'here'")
    add_needs(parser)
    parser.add_argument("--plan", metavar="PLAN", help="the JSON of `tallcheck upgrade`")
    parser.add_argument(
        "--usage", nargs=2, metavar=("BEFORE", "AFTER"), help="usage logs: did it help?"
    )
    add_needs_path(parser)
    add_format(parser, "confirm")


def run(args: argparse.Namespace) -> int:
    """Confirm, print, and return the exit code of the answer."""
    if [args.before, args.after, args.plan, *args.needs, *(args.usage or [])].count("-") > 1:
        raise wrong_usage("'-' stands for standard input, which only one file can be")
    before, after = machine_of(args.before, []), machine_of(args.after, [])
    planned = None
    if args.plan is not None:
        from tallcheck.files.sheets import read_plan

        planned = read_plan(args.plan)
    wanted = wanted_of(args.needs, args.needs_path)
    decisions = [
        (_checked(before, one, args), _checked(after, one, args)) for one in wanted
    ]  # fmt: skip
    still_short = any(
        row.status == "short" and "memory" in row.fixes
        for _, now in decisions for row in now.verdict.rows
    )  # fmt: skip
    found = confirm(before, after, planned, args.after != "here", still_short, vocabulary())
    usage = None
    if args.usage is not None:
        from tallcheck.core.usage.change import compare
        from tallcheck.files.usage_log import read_log

        logs = [read_log(path, {}) for path in args.usage]
        for path, log, machine in zip(args.usage, logs, (before, after), strict=True):
            ensure_log_of(path, log.machine, int(log.columns["memory_total"][-1]), machine)
        usage = compare(*logs)
    put_out(args, "confirm", {"found": found, "decisions": decisions, "usage": usage})
    return found.exit_code


def _checked(machine: Machine, wanted: Wanted, args: argparse.Namespace) -> Check:
    installed = installed_here(machine, args.needs_path)
    return check(machine, Task((wanted.newest(),), installed=installed), vocabulary())
