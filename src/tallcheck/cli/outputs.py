"""Every form in which a command's result goes out: one entry a format, one entry a command.

A command hands over its result as named parts; an entry names the function that writes it and the
parts that this function takes. So a new format is one entry here.
"""

import argparse
import os
import sys
from collections.abc import Callable
from functools import partial
from importlib.util import find_spec
from pkgutil import resolve_name
from typing import Any

from msgspec import Struct

from tallcheck.cli.inputs import wrong_usage
from tallcheck.cli.options import add_force
from tallcheck.cli.streams import tell
from tallcheck.core.values.text import json_text
from tallcheck.files.output import (
    FLEET,
    OTHER,
    PAGE,
    ROWS,
    ensure_own,
    ensure_writable,
    json_kind,
    write,
)


class Writer(Struct, frozen=True):
    """A function by its name, ``module:function`` of this package, and what it is called with."""

    name: str
    takes: tuple[str, ...]
    more: tuple[Any, ...] = ()

    def __call__(self, parts: dict[str, Any], *last: Any) -> Any:
        """What the function makes of a result."""
        function = resolve_name(f"tallcheck.{self.name}")
        return function(*(parts[name] for name in self.takes), *self.more, *last)


class Format(Struct, frozen=True):
    """One format: what ``--format`` calls it, the ending that picks it, and how it is written."""

    name: str
    ending: str
    write: Callable[[dict[str, Any]], str | bytes]
    holds: str = OTHER
    """What a file of it holds, by which a file of our own is known from others."""
    needs: str = ""
    """The library that it takes, besides those of the plain installation."""
    drawn: bool = False
    """Whether it takes a second."""


class Output(Struct, frozen=True):
    """One command's result: as text, in a word or a sentence, as a typed structure, and more."""

    lines: Writer
    short: Callable[[dict[str, Any]], str]
    structure: Writer | None
    """Of a typed structure, from which its JSON Schema is made; None: it has no such form."""
    printed: tuple[Format, ...] = ()
    """Formats besides text and those of structures that ``--format`` offers."""
    saved: tuple[Format, ...] = ()
    """Formats for files alone."""
    texts: bool = True
    """Whether text and structures are saved, too."""


def _text(lines: Writer, parts: dict[str, Any]) -> str:
    from tallcheck.report.plain import Page, as_text

    return as_text(lines(parts, Page(80, parts["verbose"])))


def _structured(structure: Writer, make: Callable[[Any], str], parts: dict[str, Any]) -> str:
    return make(structure(parts))


STRUCTURED: dict[str, tuple[str, Callable[[Any], str]]] = {"json": (".json", json_text)}
"""Formats of any typed structure."""

_CHECK = ("results",)
_FLEET = ("found", "file")
_SHOWN = ("machines", "programs")
_RESULT = "report.fleet_result:result_bytes"


def _pictures(name: str, *takes: str) -> tuple[Format, ...]:
    return tuple(
        Format(kind, f".{kind}", Writer(name, takes, (kind,)), needs="matplotlib", drawn=True)
        for kind in ("png", "svg")
    )


OUTPUTS = {
    "check": Output(
        Writer("report.check_view:view_lines", ("results", "samples")),
        lambda parts: str(parts["results"][0].verdict.decision.answer),
        Writer("report.structures:check_json", _CHECK),
        (
            Format("markdown", ".md", Writer("report.formats:markdown", _CHECK)),
            Format("csv", ".csv", Writer("report.formats:csv_text", _CHECK), ROWS),
            Format("note", "", Writer("core.messages.note:note", _CHECK)),
        ),
        (
            Format("html", ".html", Writer("report.pages:machine_html", _CHECK), PAGE,
                   "jinja2", True),
            *_pictures("report.charts:height_chart", "result"),
        ),
    ),
    "show": Output(
        Writer("report.show_view:shown_lines", _SHOWN),
        lambda parts: str(parts["machines"][0].name),
        None,
        saved=(
            Format("markdown", ".md", Writer("report.show_view:markdown", _SHOWN)),
            Format("csv", ".csv", Writer("report.show_view:csv_text", _SHOWN), ROWS),
            Format("html", ".html", Writer("report.show_view:html", _SHOWN), PAGE, "jinja2"),
        ),
    ),
    "plan": Output(
        Writer("report.upgrade_view:upgrade_lines", ("found", "text", "remarks", "steps")),
        lambda parts: str(parts["text"]),
        Writer("report.structures:plan_json", ("found", "text", "remarks")),
    ),
    "fleet": Output(
        Writer("report.fleet_view:fleet_lines", _FLEET),
        lambda parts: str(resolve_name("tallcheck.core.messages.fleet:fleet_sentence")(
            parts["found"])),
        Writer("report.fleet_json:fleet_json", _FLEET),
        saved=(
            *(
                Format(kind, f".{kind}", Writer(_RESULT, _FLEET, (f".{kind}",)),
                       OTHER if kind == "xlsx" else FLEET, "pyarrow", True)
                for kind in ("csv", "xlsx", "jsonl", "parquet")
            ),
            Format("markdown", ".md", Writer("report.fleet_view:fleet_markdown", _FLEET),
                   drawn=True),
            Format("html", ".html", Writer("report.pages:fleet_html", _FLEET), PAGE,
                   "jinja2", True),
            *_pictures("report.charts:fleet_chart", "found"),
        ),
        texts=False,
    ),
    "usage": Output(
        Writer("report.usage_view:usage_lines", ("found", "tight", "full")),
        lambda parts: str(parts["found"].finding),
        Writer("report.usage_view:usage_json", ("found",)),
        saved=_pictures("report.charts:usage_chart", "log", "found", "tight"),
        texts=False,
    ),
    "confirm": Output(
        Writer("report.upgrade_view:confirm_lines", ("found", "decisions", "usage")),
        lambda parts: str(parts["found"].answer),
        Writer("report.upgrade_view:confirm_json", ("found", "decisions", "usage")),
    ),
}  # fmt: skip


def _formats(name: str) -> tuple[Format, ...]:
    """What ``--format`` offers of an output."""
    output = OUTPUTS[name]
    return (
        Format("text", ".txt", partial(_text, output.lines)),
        *(
            Format(kind, ending, partial(_structured, output.structure, make), json_kind(name))
            for kind, (ending, make) in STRUCTURED.items() if output.structure is not None
        ),
        *output.printed,
    )  # fmt: skip


def _savable(name: str) -> dict[str, Format]:
    """The formats of an output by the endings that pick them."""
    output = OUTPUTS[name]
    formats = [*(_formats(name) if output.texts else ()), *output.saved]
    return {one.ending: one for one in formats if one.ending}


def add_format(parser: argparse.ArgumentParser, name: str) -> None:
    """``--format``."""
    choices = tuple(one.name for one in _formats(name))
    parser.add_argument("--format", choices=choices, default="text")


def add_save(parser: argparse.ArgumentParser, name: str, option: str = "--save") -> None:
    """``--save``, as often as one likes; ``--open`` where there are pages; and ``--force``."""
    parser.add_argument(
        option, dest="save", action="append", default=[], metavar="FILE",
        help=f"also write this; the ending picks the format ({' '.join(_savable(name))})",
    )  # fmt: skip
    if _PAGE in _savable(name):
        parser.add_argument("--open", action="store_true", help="show the saved page in a browser")
    else:
        parser.set_defaults(open=False)
    parser.set_defaults(saved_by=option)
    add_force(parser)


_PAGE = ".html"


def formats_of(args: argparse.Namespace, name: str) -> list[Format]:
    """The format of each file that is to be written, before any work.

    Raises InputError for an ending, OutputError where a file cannot or should not be written, and
    ModuleNotFoundError where a library that it takes is not there.
    """
    savable, found = _savable(name), []
    for path in args.save:
        ending = os.path.splitext(path)[1].lower()
        if ending not in savable:
            endings = ", ".join(savable)
            raise wrong_usage(f"{args.saved_by} {path}: the ending must be one of {endings}")
        found.append(savable[ending])
    if args.open and savable[_PAGE] not in found:
        raise wrong_usage("--open shows a page that is saved: expected --save FILE.html beside it")
    ensure_writable(args.save)
    for path, one in zip(args.save, found, strict=True):
        ensure_own(path, one.holds, args.force)
        if one.needs and find_spec(one.needs) is None:
            raise ModuleNotFoundError(name=one.needs)
    return found


def save_all(
    args: argparse.Namespace, formats: list[Format], parts: dict[str, Any],
    step: Callable[[str], None] = lambda text: None,
) -> None:  # fmt: skip
    """Write each file, and say so; ``step`` is told of each that takes a second."""
    for path, one in zip(args.save, formats, strict=True):
        if one.drawn:
            step(f"drawing {path}")
        write(path, one.write(parts))
        if not args.quiet:
            tell(f"wrote {path}")
        if args.open and one.ending == _PAGE:
            _open(path)


def _open(path: str) -> None:
    import webbrowser
    from pathlib import Path

    if not webbrowser.open(Path(path).resolve().as_uri()):
        tell(f"no browser was found here: open {path} by hand")


def put_out(args: argparse.Namespace, name: str, parts: dict[str, Any]) -> None:
    """Print a result in the format that was asked for."""
    from tallcheck.cli.streams import say

    output = OUTPUTS[name]
    if args.format != "text":
        (chosen,) = (one for one in _formats(name) if one.name == args.format)
        sys.stdout.write(str(chosen.write(parts)))
    elif args.quiet:
        say(output.short(parts))
    else:
        from tallcheck.report.plain import show

        show(lambda page: output.lines(parts, page), args.verbose)


def schema_type(name: str) -> Any:
    """The type of an output's structure."""
    from typing import get_type_hints

    structure = OUTPUTS[name].structure
    assert structure is not None  # of those that have one
    return get_type_hints(resolve_name(f"tallcheck.{structure.name}"))["return"]
