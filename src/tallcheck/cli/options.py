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
    part = words[0] if words and words[0] in parts_of(module) else None
    parser = parser_for(command, module, part)
    words = words[1:] if part else words
    found, unknown = parser.parse_known_args(words)
    if unknown:  # they may stand behind an option: to look there takes longer
        found, unknown = parser.parse_known_intermixed_args(words)
    if unknown:
        options = [one for action in parser._actions for one in action.option_strings]
        hint = nearest(unknown[0].partition("=")[0], options) if unknown[0][:1] == "-" else ""
        taker = f"{command} {part}" if part else command
        parser.error(f"found '{unknown[0]}', which {taker} does not take{hint}")
    return found


def parts_of(module: ModuleType) -> dict[str, str]:
    """The commands within a command, and what each is for."""
    return getattr(module, "PARTS", {})


def parser_for(
    command: str, module: ModuleType, part: str | None = None
) -> argparse.ArgumentParser:
    """The parser of one command's module, or of a command within it."""
    name = f"tallcheck {command} {part}" if part else f"tallcheck {command}"
    lines, parts = str(module.EXAMPLE).splitlines(), parts_of(module)
    epilog = [f"  {one:<10}{said}" for one, said in parts.items() if not part]
    epilog += ["", "example:", *(one for one in lines if not part or name in one)]
    parser = Parser(
        prog=name,
        description=parts[part] if part else module.__doc__,
        epilog="\n".join(epilog).strip("\n"),
        formatter_class=argparse.RawDescriptionHelpFormatter,
        allow_abbrev=False,
    )
    module.add_arguments(parser, *[part] * bool(parts))
    loudness = parser.add_mutually_exclusive_group()
    loudness.add_argument("--quiet", action="store_true", help="only what was asked for")
    loudness.add_argument("--verbose", action="store_true", help="more on where it comes from")
    _shorten(parser)
    return parser


_RARE = frozenset({
    "--needs-path", "--force", "--on", "--sheet", "--columns", "--quiet", "--verbose",
    "--with-serials", "--within", "--again", "--samples",
})  # fmt: skip
"""Options that few use: they stand last."""


def _shorten(parser: argparse.ArgumentParser) -> None:
    """A usage line that fits a line, and what is rarely used under a heading of its own."""
    options, more = parser._optionals, parser.add_argument_group("more")
    counts: dict[int | str | None, str] = {None: "{}", "*": "[{} ...]", "+": "{} ...", "?": "[{}]"}
    words = [counts[one.nargs] for one in parser._positionals._group_actions]
    names = [
        one.metavar or "|".join(one.choices or [one.dest])
        for one in parser._positionals._group_actions
    ]
    parts = [word.format(name) for word, name in zip(words, names, strict=True)]
    parser.usage = " ".join([parser.prog, *parts, "[options]"])
    rare = [one for one in options._group_actions if _RARE & {*one.option_strings}]
    for one in rare:
        options._group_actions.remove(one)
    more._group_actions.extend(rare)


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


def add_parts_columns(parser: argparse.ArgumentParser) -> None:
    """Headings of another's parts list."""
    parser.add_argument(
        "--columns", action="append", default=[], metavar="parts.NAME=THEIRS",
        type=value(parts_heading), help="another's heading in the parts list",
    )  # fmt: skip


def parts_heading(text: str) -> tuple[str, str]:
    """``parts.NAME=THEIRS``. Raises InputError."""
    from tallcheck.files.table import parse_parts_heading

    return parse_parts_heading(text)


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
