"""Parsing of a command's words: options and positionals in any order, no abbreviations."""

import argparse
from collections.abc import Callable
from types import ModuleType
from typing import TypeVar

from tallcheck.cli import Parser
from tallcheck.core.values.errors import InputError, nearest

_Value = TypeVar("_Value")


def value(read: Callable[[str], _Value]) -> Callable[[str], _Value]:
    """What reads an option's value: one that does not read is wrong usage, with the usage line."""

    def reader(text: str) -> _Value:
        try:
            return read(text)
        except InputError as error:
            raise argparse.ArgumentTypeError(str(error)) from None

    return reader


def parse(command: str, module: ModuleType, words: list[str]) -> argparse.Namespace:
    """The parsed words of a command. Wrong usage prints the usage line and exits with 2."""
    parser = parser_for(command, module)
    found, unknown = parser.parse_known_args(words)
    if unknown:  # they may stand behind an option: to look there takes longer
        found, unknown = parser.parse_known_intermixed_args(words)
    if unknown:
        options = [one for action in parser._actions for one in action.option_strings]
        hint = nearest(unknown[0].partition("=")[0], options) if unknown[0][:1] == "-" else ""
        parser.error(f"found '{unknown[0]}', which {command} does not take{hint}")
    return found


def parser_for(command: str, module: ModuleType) -> argparse.ArgumentParser:
    """The parser of one command's module."""
    parser = Parser(
        prog=f"tallcheck {command}",
        description=module.__doc__,
        epilog=f"example:\n{module.EXAMPLE}",
        formatter_class=argparse.RawDescriptionHelpFormatter,
        allow_abbrev=False,
    )
    module.add_arguments(parser)
    loudness = parser.add_mutually_exclusive_group()
    loudness.add_argument("--quiet", action="store_true", help="only what was asked for")
    loudness.add_argument("--verbose", action="store_true", help="more on where it comes from")
    return parser


def add_have(parser: argparse.ArgumentParser) -> None:
    """What is told."""
    from tallcheck.core.text.said import parse_told
    from tallcheck.files.vocabulary import vocabulary

    parser.add_argument(
        "--have", action="extend", default=[], metavar="KEY=VALUE",
        type=value(lambda text: parse_told(text, vocabulary())),
        help="tell or replace a reading, as in 'what if'; keys: `tallcheck needs keys`",
    )  # fmt: skip


def add_needs(parser: argparse.ArgumentParser) -> None:
    """Needs sheets, as many as there are."""
    parser.add_argument(
        "needs", nargs="*", default=[], metavar="NEEDS", help="a needs sheet, NAME[@RELEASE]"
    )


def add_needs_path(parser: argparse.ArgumentParser) -> None:
    """The folders of needs sheets."""
    parser.add_argument(
        "--needs-path", action="append", default=[], metavar="FOLDER",
        help="look for needs sheets here first",
    )  # fmt: skip


def add_need(parser: argparse.ArgumentParser) -> None:
    """Needs told on the command line, and the level of those in sheets."""
    from tallcheck.cli.inputs import needs_of
    from tallcheck.core.jobs.check import STRENGTHS

    parser.add_argument(
        "--need", action="append", default=[], metavar="KEY=VALUE", type=value(needs_of),
        help="ask for this in place of the sheets; keys: `tallcheck needs keys`",
    )  # fmt: skip
    parser.add_argument("--level", choices=STRENGTHS, default="minimum", help="default: minimum")


def add_parts(parser: argparse.ArgumentParser) -> None:
    """The list of modules that can be had."""
    parser.add_argument("--parts", metavar="LIST", help="memory that can be had: plan with it")


def add_models(parser: argparse.ArgumentParser) -> None:
    """The list of what models take."""
    parser.add_argument("--models", metavar="LIST", help="what models take: fills what is unknown")


def add_force(parser: argparse.ArgumentParser) -> None:
    """Whether a file of another kind is overwritten."""
    parser.add_argument(
        "--force", action="store_true", help="overwrite what another command, or somebody, wrote"
    )


def add_machine(parser: argparse.ArgumentParser, name: str = "machine") -> None:
    """The MACHINE positional."""
    parser.add_argument(
        name, metavar="MACHINE", help="a machine sheet, '-' for standard input, or 'here'"
    )


_STEP_LEAST = 0.1


def time_between(text: str) -> float:
    """The time between samples in seconds. Raises InputError."""
    from tallcheck.core.values.quantities import parse_duration  # `kit` and others do without

    every: float = parse_duration(text)
    if every < _STEP_LEAST:
        raise InputError(f"found {every} s", f"{_STEP_LEAST} s or more")
    return every
