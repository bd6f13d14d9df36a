"""The command ``tallcheck``: picks the command's module, and turns errors into exit codes.

Only the chosen command's module is imported, so that each command costs only what it uses.
"""

import argparse
import gc
import os
import sys
from contextlib import suppress
from importlib import import_module
from importlib.util import find_spec
from typing import TYPE_CHECKING, NoReturn

from tallcheck import __version__
from tallcheck.cli.streams import open_up

if TYPE_CHECKING:
    from _typeshed import SupportsWrite

COMMANDS = {
    "check": "will this machine run it, and does memory alone do? the rows and the decision",
    "gather": "read this machine, a captured tree of one, or others by ssh, into machine sheets",
    "kit": "print a script that captures a machine with no Python",
    "show": "a machine sheet for reading: memory and positions first, search",
    "describe": "a machine sheet from what somebody tells",
    "record": "record memory and processor use over time into a usage log",
    "usage": "what a usage log says: is memory short in use, how many cores are busy",
    "upgrade": "which modules to take out and put in, what they cost, what else there is",
    "fleet": "the decision for each of many machines, what it costs, and what to order",
    "confirm": "after the work: is what was planned really there, used, and did it help",
    "needs": "list, show, write and validate needs sheets",
    "schema": "print the JSON Schema of a sheet, or of what a command writes as JSON",
    "demo": "write the demo data and run one full example on it",
}

BAD_INPUT, BAD_OUTPUT, NOT_INSTALLED, FAULT, INTERRUPTED = 3, 4, 5, 70, 130

FULL = frozenset(
    {"numpy", "scipy", "matplotlib", "pyarrow", "jinja2", "python_calamine", "xlsxwriter"}
)
"""The packages that only the full installation has."""

_EPILOG = """commands:
{commands}

example:
  tallcheck gather -o here.json
  tallcheck check here.json merrow@10

`tallcheck COMMAND --help` tells more, with an example for each."""


class Parser(argparse.ArgumentParser):
    """What reads a command's words, and says plainly what is wrong with them."""

    def error(self, message: str) -> NoReturn:
        from tallcheck.core.values.text import printable

        super().error(printable(message))

    def _print_message(self, message: str, file: "SupportsWrite[str] | None" = None) -> None:
        """Help that cannot be written is an error; argparse itself passes over it."""
        if message and file is not sys.stderr:
            (file or sys.stdout).write(message)
        elif message:
            _say(message)


_CARRIED = bool(getattr(sys, "frozen", False))
"""Whether this is the one program to carry, into which nothing can be installed."""
_OF_FULL = {"usage": "numpy", "fleet": "pyarrow", "demo": "numpy"}
"""Commands that only the full installation runs, and a package by which it is known."""


def _top_parser() -> Parser:
    width = max(map(len, COMMANDS))
    lacking = [name for name, package in _OF_FULL.items() if find_spec(package) is None]
    commands = "\n".join(
        f"  {name:<{width}}  {text}" for name, text in COMMANDS.items() if name not in lacking
    )
    if lacking:
        commands += f"\n\nwith the full installation also: {', '.join(lacking)}"
    parser = Parser(
        prog="tallcheck",
        usage="tallcheck COMMAND ...",
        description="Will this machine run it, and does a memory upgrade alone do?",
        epilog=_EPILOG.format(commands=commands),
        formatter_class=argparse.RawDescriptionHelpFormatter,
        allow_abbrev=False,
    )
    parser.add_argument("--version", action="version", version=f"tallcheck {__version__}")
    parser.add_argument("command", nargs="?", help=argparse.SUPPRESS)
    return parser


def program() -> None:
    """The command as a process of its own, which ends at once when all is written.

    Libraries may have threads at work still: one that asks for the interpreter while that is
    taken down aborts the process, and to wait for them helps nobody.
    """
    try:
        code = main()
    except SystemExit as end:
        code = end.code if isinstance(end.code, int) else 0
    except KeyboardInterrupt:
        code = _interrupted()
    except BaseException as error:  # nobody foresaw it; tests and fuzzers call what is below this
        code = _fault(error)
    for stream in (sys.stdout, sys.stderr):
        try:
            if stream is not None:
                stream.flush()
        except BrokenPipeError:
            code = BAD_OUTPUT
        except OSError as error:
            code = _unwritable(error)
    os._exit(code)


def _fault(error: BaseException) -> int:
    """One line for a fault of the tool itself; the whole of it where much is asked for."""
    if isinstance(error, MemoryError):
        return _complain("this machine has too little memory left for it", FAULT)
    import traceback

    if "--verbose" in sys.argv:
        _say("".join(traceback.format_exception(error)))
    place = traceback.extract_tb(error.__traceback__)[-1]
    reason = str(error).partition("\n")[0][:200]
    return _complain(
        f"a fault of tallcheck itself, please report it: {type(error).__name__}: {reason} "
        f"({os.path.basename(place.filename)}, line {place.lineno}; --verbose tells more)", FAULT,
    )  # fmt: skip


def main(argv: list[str] | None = None) -> int:
    """Run the command line; the exit code is returned, or raised by argparse on wrong usage."""
    if "_ARGCOMPLETE" in os.environ:
        from tallcheck.cli.completion import complete

        complete(COMMANDS)
    open_up()
    gc.set_threshold(100_000, 20, 50)  # a run builds much that stays: it is looked over less often
    words = sys.argv[1:] if argv is None else argv
    if words and words[0] in COMMANDS:
        return _run(words[0], words[1:])
    try:
        return _no_command(words)
    except OSError as error:
        return _unwritable(error)


def _no_command(words: list[str]) -> int:
    """The options of no command, and what to say where there is none."""
    parser = _top_parser()
    parsed = parser.parse_args(words[:1])
    if parsed.command:
        from tallcheck.core.values.errors import nearest

        hint = nearest(parsed.command, [*COMMANDS, "--help", "--version"])
        parser.error(f"found no command '{parsed.command}'{hint}; there are {', '.join(COMMANDS)}")
    parser.print_help(sys.stderr)
    return 2


def _run(command: str, words: list[str]) -> int:
    from tallcheck.cli.options import parse
    from tallcheck.core.values.errors import InputError
    from tallcheck.files.output import OutputError

    try:
        module = import_module(f"tallcheck.cli.{command}")
        code: int = module.run(parse(command, module, list(map(_argument, words))))
        sys.stdout.flush()
    except ImportError as error:
        package = (error.name or "").partition(".")[0]
        if package not in FULL:
            raise
        if isinstance(error, ModuleNotFoundError):
            what = "which is not installed"
        else:
            what = f"which cannot be loaded: {str(error).partition(chr(10))[0][:120]}"
        carried = "another format, or on a machine with Python " if _CARRIED else ""
        return _complain(
            f"{command} needs {package} for this, {what}; expected {carried}the full installation: "
            "pip install 'tall-check[full]'", NOT_INSTALLED,
        )  # fmt: skip
    except OutputError as error:
        return _complain(error, BAD_OUTPUT)
    except InputError as error:
        return _complain(error, BAD_INPUT)
    except BrokenPipeError:
        # the reader of the pipe has gone; nothing more can be said to it
        sys.stdout = None
        return BAD_OUTPUT
    except OSError as error:
        return _unwritable(error)
    except KeyboardInterrupt:
        return _interrupted()
    return code


def _argument(word: str) -> str:
    """A word of the command line, where it is text, or the path of something that is there.

    Raises InputError.
    """
    text = word.isascii() or not any("\ud800" <= ch <= "\udfff" for ch in word)
    if text and len(word) <= _ARGUMENT_MOST:
        return word
    from tallcheck.core.values.errors import InputError

    if not text and os.path.exists(word):
        return word
    if text:
        raise InputError(f"found an argument of {len(word):,} characters", f"{_ARGUMENT_MOST:,} "
                         "at most")  # fmt: skip
    raise InputError("found bytes that are no text", "text, or a file that is there", word)


_ARGUMENT_MOST = 1 << 15
"""Characters of one argument."""


def _interrupted() -> int:
    _say("tallcheck: interrupted\n")
    return INTERRUPTED


def _unwritable(error: OSError) -> int:
    """What a system refused; without a name it is the standard output."""
    reason = (error.strerror or "error").lower()
    return _complain(f"{error.filename or 'standard output'}: {reason}", BAD_OUTPUT)


def _complain(error: Exception | str, code: int) -> int:
    from tallcheck.core.values.text import printable

    _say(f"tallcheck: error: {printable(str(error))}\n")
    return code


def _say(text: str) -> None:
    """What goes to the error output, where that takes anything."""
    with suppress(OSError):
        sys.stderr.write(text)
        sys.stderr.flush()
