"""Write the demo data to a folder and run one full example on it, step by step."""

import argparse
import os
import sys

from tallcheck.core.values.errors import InputError
from tallcheck.files.vocabulary import vocabulary

EXAMPLE = """  tallcheck demo
  tallcheck demo /tmp/garden"""

_SOURCE = os.path.join(os.path.dirname(os.path.dirname(__file__)), "data", "demo")

_INTRO = """\
The help desk of Fernhollow Botanical Garden: everything in it is made up.
{count} files are in {folder}: machine sheets, needs sheets, captures, usage logs,
a parts list, a models list, and a list of 240 machines.
"""
_STEP_CHECK = """
1. A gardener asks: will the potting shed's notebook run Merrow 10?
   The sheet has the machine's readings, merrow@10 what the system asks for.
"""
_STEP_WHAT_IF = """
2. And with 8 GB in it? --have tells or replaces a reading, so it answers "what if".
"""
_STEP_ALL = """
3. Every machine of the demo against Merrow 10; each answer has its own exit code.
"""
_STEP_USAGE = """
4. And is memory what is short in real use? Usage logs over time tell, a moment does not.
"""
_STEP_UPGRADE = """
5. Which module goes into the potting shed's notebook?
"""
_STEP_FLEET = """
6. And the whole garden? 240 machines from a list with faults; --save writes pages and tables.
"""
_END = """
Next: read this machine with `tallcheck gather -o here.json`, then
`tallcheck check here.json merrow@10`. Merrow is a sample; write your own needs sheets.
"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of this command."""
    parser.add_argument(
        "folder", nargs="?", default="tallcheck-demo", metavar="FOLDER",
        help="where the data goes (default: tallcheck-demo)",
    )  # fmt: skip


def run(args: argparse.Namespace) -> int:
    """Write the data, then run the example."""
    folder: str = args.folder
    count = _write_data(folder)
    if args.quiet:
        return 0
    _say(_INTRO.format(count=count, folder=folder))
    potting = os.path.join(folder, "machines", "potting-02.machine.json")
    _say(_STEP_CHECK)
    _run("check", [potting, "merrow@10"])
    _say(_STEP_WHAT_IF)
    _run("check", [potting, "merrow@10", "--have", "memory=8GB", "--quiet"])
    _say(_STEP_ALL)
    for name in sorted(os.listdir(os.path.join(folder, "machines"))):
        _one_line(os.path.join(folder, "machines", name))
    _say(_STEP_USAGE)
    for name in sorted(os.listdir(os.path.join(folder, "usage"))):
        _usage_line(os.path.join(folder, "usage", name))
    parts = os.path.join(folder, "parts", "garden.parts.csv")
    _say(_STEP_UPGRADE)
    _run("upgrade", [potting, "--for", "merrow@10", "--parts", parts, "--quiet"])
    _say(_STEP_FLEET)
    _run(
        "fleet",
        [
            os.path.join(folder, "fleet", "garden.csv"),
            "merrow@10",
            "--parts",
            parts,
            "--models",
            os.path.join(folder, "parts", "garden.models.csv"),
            "--quiet",
        ],
    )
    _say(_END)
    return 0


def _say(text: str) -> None:
    sys.stdout.write(text)


def _write_data(folder: str) -> int:
    """Copy the demo data; a file that differs is somebody's work, and is never overwritten."""
    from tallcheck.files.demo_data import LOGS, demo_fleet, demo_log, office_fleet
    from tallcheck.files.output import OutputError, write

    wanted = {}
    for here, _, names in os.walk(_SOURCE):
        for name in sorted(names):
            if name.endswith((".json", ".toml", ".csv", ".txt", ".bin", "manifest", "gathered")):
                path = os.path.join(here, name)
                with open(path, "rb") as file:
                    wanted[os.path.join(folder, os.path.relpath(path, _SOURCE))] = file.read()
    wanted[os.path.join(folder, "fleet", "garden.csv")] = demo_fleet()
    wanted[os.path.join(folder, "fleet", "office.csv")] = office_fleet()
    for name in LOGS:
        wanted[os.path.join(folder, "usage", f"{name}.usage.csv")] = demo_log(name)
    for path, data in wanted.items():
        if os.path.exists(path):
            with open(path, "rb") as file:
                if file.read() != data:
                    raise OutputError("exists and differs", "a folder of its own", path)
    for path, data in wanted.items():
        try:
            os.makedirs(os.path.dirname(path), exist_ok=True)
        except OSError as error:
            raise OutputError(f"cannot be made: {error.strerror}", where=folder) from None
        write(path, data)
    return len(wanted)


def _run(command: str, words: list[str]) -> int:
    from importlib import import_module

    from tallcheck.cli.options import parse

    _say(f"\n$ tallcheck {command} {' '.join(words)}\n")
    sys.stdout.flush()
    module = import_module(f"tallcheck.cli.{command}")
    code: int = module.run(parse(command, module, words))
    _say(f"(exit code {code})\n")
    return code


def _usage_line(path: str) -> None:
    from tallcheck.core.usage.finding import judge
    from tallcheck.files.usage_log import read_log

    found = judge(read_log(path, {}))
    name = os.path.basename(path).removesuffix(".usage.csv")
    _say(f"   {name:<20}{found.finding:<10}{found.sentence.partition('. ')[0].rstrip('.')}\n")


def _one_line(path: str) -> None:
    from tallcheck.cli.inputs import Wanted, installed_here, machine_of
    from tallcheck.core.jobs.check import Task, check
    from tallcheck.core.messages.sentence import conflict_texts

    try:
        machine = machine_of(path, [])
        against = (Wanted("merrow@10", []).newest(),)
        result = check(machine, Task(against, installed=installed_here(machine, [])), vocabulary())
    except InputError as error:
        raise error.at(path) from None
    decision = result.verdict.decision
    limit = f"limited by {decision.limiting}" if decision.limiting else ""
    if decision.conflicts:
        limit = "a conflict: " + conflict_texts(result)[0].partition(",")[0]
    elif decision.find_out:
        limit = f"find out: {decision.find_out[0]}"
    _say(f"   {result.machine.name:<16}{decision.answer:<14}{decision.exit_code:>3}  {limit}\n")
