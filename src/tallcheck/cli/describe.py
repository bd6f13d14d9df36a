"""A machine sheet from what somebody tells over the telephone, or pasted into a mail."""

import argparse
import sys

from tallcheck.cli.options import add_force, add_needs_path
from tallcheck.cli.streams import say, tell
from tallcheck.core.machine.normalized import with_findings
from tallcheck.core.machine.readings import Told
from tallcheck.core.machine.sheet import SHEET_FORMAT, Machine
from tallcheck.core.machine.telling import tell_all
from tallcheck.core.text.pasted import NotUnderstood, read_lines
from tallcheck.core.text.said import parse_told
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.plain import text_of
from tallcheck.core.values.text import bounded
from tallcheck.files.inputs import read, shown
from tallcheck.files.sheets import machine_json
from tallcheck.files.vocabulary import vocabulary

EXAMPLE = """  tallcheck describe potting-05 memory=8GB cores=4 os_bits=64 shape=notebook
  tallcheck describe potting-05 modules=4GB,4GB,-,- -o potting-05.machine.json
  tallcheck describe potting-05 --text pages/mail.txt
  tallcheck describe potting-05 --for merrow@10 -o potting-05.machine.json"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of this command."""
    parser.add_argument("name", metavar="NAME", help="the machine's name")
    parser.add_argument("told", nargs="*", default=[], metavar="KEY=VALUE", help="what was told")
    parser.add_argument(
        "--text", metavar="FILE", help="pasted lines of 'label: value'; '-' for standard input"
    )
    parser.add_argument(
        "--for", dest="needs", action="append", default=[], metavar="NEEDS",
        help="a telephone call: ask what can still change the answer for these needs",
    )  # fmt: skip
    add_needs_path(parser)
    parser.add_argument("-o", dest="output", metavar="FILE", help="write the sheet here")
    add_force(parser)


def run(args: argparse.Namespace) -> int:
    """Make the sheet, list what was not understood, print or write it."""
    if args.output:
        from tallcheck.files.output import TOLD, ensure_own

        ensure_own(args.output, TOLD, args.force)
    machine = Machine(SHEET_FORMAT, bounded(args.name))
    pasted: list[Told] = []
    left: list[NotUnderstood] = []
    if args.text:
        lines = text_of(read(args.text), shown(args.text))
        try:
            pasted, left = read_lines(lines, vocabulary())
        except InputError as error:
            raise error.at(shown(args.text)) from None
    told = [one for word in args.told for one in parse_told(word, vocabulary())]
    if not told and not pasted and not left and not args.needs:
        raise InputError("found nothing told", "KEY=VALUE, --text FILE or --for NEEDS")
    if args.text == "-" and args.needs:
        raise InputError("found '-' and --for", "standard input for one of them only")
    machine = tell_all(machine, pasted, vocabulary(), "pasted text") if pasted else machine
    machine = with_findings(tell_all(machine, told, vocabulary(), "by a person"), vocabulary())
    for one in left:
        line = f"{shown(args.text)}: line {one.line} not understood ({one.why}): {one.text}"
        tell(line)
    code = 0
    if args.needs:
        machine, code = _call(machine, args)
        machine = with_findings(machine, vocabulary())
    sheet = machine_json(machine)
    if not args.output or args.output == "-":
        sys.stdout.write(sheet.decode())
        return code
    from tallcheck.files.output import write

    write(args.output, sheet)
    if not args.quiet:
        from tallcheck.core.messages.values import count_text

        count = count_text(len(machine.origins), "reading")
        missed = f"; {count_text(len(left), 'line')} not understood" if left else ""
        say(f"wrote {machine.name}: {count} to {args.output}{missed}")
    return code


def _call(machine: Machine, args: argparse.Namespace) -> tuple[Machine, int]:
    """Hold the telephone call; the machine as told, and the exit code of the answer."""
    from tallcheck.cli.inputs import Wanted
    from tallcheck.cli.telephone import hold_call
    from tallcheck.core.jobs.check import Task
    from tallcheck.core.messages.conditions import conditions_of
    from tallcheck.core.messages.sentence import sentence

    against = tuple(Wanted(word, args.needs_path).newest() for word in args.needs)
    call = hold_call(machine, Task(against))
    decision = call.result.verdict.decision
    tell(f"{decision.answer}: {sentence(call.result)}")
    for condition in conditions_of(call.result):
        tell(f"  assumption: {condition}")
    return call.machine, decision.exit_code
