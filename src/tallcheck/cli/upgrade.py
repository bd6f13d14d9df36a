"""Which memory modules to take out and put in, what they cost, and what to look up first."""

import argparse

from tallcheck.cli.inputs import Wanted, installed_here, machine_of, parts_of, usage_of
from tallcheck.cli.options import (
    add_machine,
    add_models,
    add_needs_path,
    add_parts,
    add_parts_columns,
    value,
)
from tallcheck.cli.outputs import add_format, put_out
from tallcheck.core.board.account import Why
from tallcheck.core.board.models import PartsList
from tallcheck.core.jobs.check import Check, Task, check
from tallcheck.core.messages.conditions import LOG_OF_WHOM
from tallcheck.core.messages.plans import plan_sentence
from tallcheck.core.messages.sentence import sentence
from tallcheck.core.messages.values import capital
from tallcheck.core.text.said import size_said
from tallcheck.core.upgrade.plan import IMPOSSIBLE, NOTHING, UNKNOWN, Upgrade, plan_upgrade
from tallcheck.core.values.errors import InputError
from tallcheck.files.vocabulary import vocabulary

EXAMPLE = """  tallcheck upgrade machines/potting-02.machine.json --to 8GB
  tallcheck upgrade machines/orchid-house-08.machine.json --to most --steps
  tallcheck upgrade machines/potting-02.machine.json --for merrow@10 \\
    --parts parts/garden.parts.csv"""

MOST = "most"
"""What stands for the most that a machine can take."""

EXIT_CODES = {IMPOSSIBLE: 13, UNKNOWN: 14}


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of this command."""
    add_machine(parser)
    wanted = parser.add_mutually_exclusive_group(required=True)
    wanted.add_argument(
        "--to", metavar="SIZE", type=value(_target),
        help="the total to reach; 'most': all it can take",
    )  # fmt: skip
    wanted.add_argument(
        "--for", dest="needs", action="append", metavar="NEEDS",
        help="reach what these needs ask for",
    )  # fmt: skip
    add_parts(parser)
    add_parts_columns(parser)
    add_models(parser)
    parser.add_argument("--usage", metavar="LOG", help="a usage log of the machine")
    parser.add_argument("--steps", action="store_true", help="also what hands do, in order")
    add_needs_path(parser)
    add_format(parser, "plan")


def run(args: argparse.Namespace) -> int:
    """Plan, print, and return the exit code of the plan."""
    machine = machine_of(args.machine, [], args.models)
    parts, usage = parts_of(args.parts, args.columns), usage_of(args.usage, machine, [])
    remarks: list[str] = []
    if usage is not None and usage.finding == "ample":
        remarks.append(f"Nothing to buy for the way it is used: {_lower(usage.sentence)}")
    if usage is not None and usage.machine is None:
        remarks.append(capital(LOG_OF_WHOM) + ".")
    if args.needs:
        against = tuple(Wanted(word, args.needs_path).newest() for word in args.needs)
        installed = installed_here(machine, args.needs_path)
        result = check(
            machine, Task(against, installed=installed, usage=usage, parts=parts), vocabulary()
        )
        found, text, more = _for_needs(result, parts)
        remarks += more
    else:
        found = plan_upgrade(machine, args.to if args.to != MOST else None, vocabulary(), parts)
        text = plan_sentence(found)
    parts_of_plan = {"found": found, "text": text, "remarks": remarks, "steps": args.steps}
    put_out(args, "plan", parts_of_plan)
    return EXIT_CODES.get(found.answer, 0)


def _lower(text: str) -> str:
    return text[:1].lower() + text[1:]


def _target(text: str) -> int | str:
    """A size in bytes, or all that the machine can take. Raises InputError."""
    if text == MOST:
        return text
    if text.replace(" ", "").isalpha():
        raise InputError(f'found "{text}"', "a size, such as 16GB, or 'most'")
    return size_said("memory", text, vocabulary())


def _for_needs(result: Check, parts: PartsList | None) -> tuple[Upgrade, str, list[str]]:
    """The plan for what is asked, its sentence, and what else the decision says."""
    decision, machine = result.verdict.decision, result.machine
    if result.plan is not None:
        more = [] if decision.answer == "memory-alone" else [sentence(result)]
        return result.plan, plan_sentence(result.plan), more
    if decision.answer == "undecided" and decision.goal is not None:
        found = plan_upgrade(machine, decision.goal.least, vocabulary(), parts)
        return found, plan_sentence(found), [sentence(result)]
    answers = {"undecided": UNKNOWN, "replace": IMPOSSIBLE}
    answer = answers.get(decision.answer, NOTHING)
    text = sentence(result)
    found = Upgrade(machine, answer, Why("decided"), None)
    return found, f"Nothing to buy. {text}" if answer == NOTHING else text, []
