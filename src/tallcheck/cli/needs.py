"""Needs sheets: list those on the needs path, show one, write one, say what is wrong with one."""

import argparse
import datetime
import os
import sys

from tallcheck.cli.inputs import Wanted
from tallcheck.cli.options import add_force, add_needs_path
from tallcheck.cli.streams import say, tell
from tallcheck.core.values.errors import InputError
from tallcheck.files.config import DEMO_FOLDER, needs_folders, sheets_on
from tallcheck.files.vocabulary import vocabulary

EXAMPLE = """  tallcheck needs list
  tallcheck needs show merrow@10
  tallcheck needs new Gatepenny memory=4GB cores=2 recommended.memory=8GB -o gatepenny.needs.toml
  tallcheck needs new Gatepenny --text pages/gatepenny.txt
  tallcheck needs validate gatepenny.needs.toml
  tallcheck needs keys memory"""


PARTS = {
    "list": "The needs sheets on the path, each with its releases.",
    "show": "What a needs sheet asks for.",
    "new": "Write a needs sheet, filled from KEY=VALUE or from a page of requirements.",
    "validate": "Say what is wrong with needs sheets.",
    "keys": "The keys of a needs sheet, and what people say for them.",
    "lines": "The lines of processors that are known by their names.",
}
_WORDS = {
    "show": ("NAME", "NAME, or NAME@RELEASE"),
    "new": ("WORD", "the TITLE, then KEY=VALUE as often as one likes"),
    "validate": ("FILE", "a needs sheet"), "keys": ("WORD", "a word to look for"),
    "lines": ("WORD", "a word to look for"),
}  # fmt: skip


def add_arguments(parser: argparse.ArgumentParser, part: str | None) -> None:
    """The options of this command, or of one within it."""
    if part is None:
        parser.add_argument("what", choices=tuple(PARTS), help="each has a --help of its own")
        return
    parser.set_defaults(what=part)
    if part in _WORDS:
        metavar, said = _WORDS[part]
        parser.add_argument(
            "words", nargs="*" if part in ("keys", "lines") else "+", metavar=metavar, help=said
        )
    if part in ("list", "show"):
        add_needs_path(parser)
    if part != "new":
        return
    parser.add_argument("-o", dest="output", metavar="FILE", help="write the sheet here")
    parser.add_argument(
        "--text", metavar="FILE",
        help="a page of requirements, as copied; '-' for standard input",
    )  # fmt: skip
    parser.add_argument("--program", action="store_true", help="of a program (the default)")
    parser.add_argument("--system", action="store_true", help="of an operating system")
    add_force(parser)


def run(args: argparse.Namespace) -> int:
    """List, show, make or review."""
    if args.what == "list":
        return _list(args)
    if args.what in ("keys", "lines"):
        return _words(args)
    return {"show": _show, "new": _new, "validate": _validate}[args.what](args)


def _list(args: argparse.Namespace) -> int:
    from tallcheck.files.sheets import read_needs

    code = 0
    for name, path in sheets_on(needs_folders(args.needs_path)).items():
        sample = "  (sample)" if os.path.dirname(path) == DEMO_FOLDER else ""
        try:
            sheet = read_needs(path, vocabulary())
        except InputError as error:
            say(f"{name:<16}{error}")
            code = 3
            continue
        releases = ", ".join(one.name for one in sheet.releases if one.name) or "one release"
        where = "" if sample else f"  {os.path.dirname(path)}"
        say(f"{name:<16}{sheet.title}: {releases}{sample}{where}")
    return code


def _show(args: argparse.Namespace) -> int:
    from tallcheck.report.needs_view import needs_lines
    from tallcheck.report.plain import show

    for word in args.words:
        wanted = Wanted(word, args.needs_path)
        show(lambda page, wanted=wanted: needs_lines(wanted.sheet, wanted.releases, page))  # type: ignore[misc]
    return 0


def _words(args: argparse.Namespace) -> int:
    """The keys of a needs sheet, or the processor lines that there are."""
    from tallcheck.report.needs_view import key_lines, keys_with, line_lines, lines_with
    from tallcheck.report.plain import show

    word = " ".join(args.words)
    keys = keys_with(word) if args.what == "keys" else []
    lines = lines_with(word, vocabulary()) if args.what == "lines" else []
    if not keys and not lines:
        raise InputError(f"found nothing with '{word}'", f"a word of `needs {args.what}`")
    show(lambda page: key_lines(keys, page) if keys else line_lines(lines, page))
    return 0


def _new(args: argparse.Namespace) -> int:
    from tallcheck.files.needs_template import template

    kind = "operating system" if args.system else "program"
    page = None
    if args.text:
        from tallcheck.core.text.page import read_page
        from tallcheck.core.values.plain import text_of
        from tallcheck.files.inputs import read, shown

        text = text_of(read(args.text), shown(args.text))
        page = read_page(text, args.system, vocabulary(), args.words[0])
        for number, left in page.left:
            line = f"{shown(args.text)}: line {number} not understood: {left}"
            tell(line)
    text = template(args.words[0], kind, args.words[1:], datetime.date.today(), vocabulary(), page)
    if not args.output or args.output == "-":
        sys.stdout.write(text)
        return 0
    from tallcheck.files.output import OutputError, write

    if os.path.exists(args.output) and not args.force:  # what is filled in is somebody's work
        raise OutputError("exists already", "a new file, or --force to overwrite it", args.output)
    write(args.output, text)
    if not args.quiet:
        say(f"wrote {args.output}: fill it in, then `tallcheck needs validate` it")
    return 0


def _validate(args: argparse.Namespace) -> int:
    from tallcheck.files.inputs import shown
    from tallcheck.files.sheets import review

    code = 0
    for word in args.words:
        problems, warnings = review(word, vocabulary())
        path = shown(word)
        for line in problems:
            say(f"{path}: {line}")
        for line in warnings:
            say(f"{path}: warning: {line}")
        if problems:
            code = 3
        elif not args.quiet:
            more = f", {len(warnings)} to think about" if warnings else ""
            say(f"{path}: sound{more}")
    return code
