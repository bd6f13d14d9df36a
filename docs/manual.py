"""Writes the manual page anew, from the commands' parsers: ``python docs/manual.py``.

A test holds it against the parsers; the wheel installs it.
"""

import os
import re
from pathlib import Path

from argparse_manpage.manpage import Manpage

from tallcheck import __version__
from tallcheck.cli import COMMANDS
from tallcheck.cli.completion import whole_parser

PAGE = Path(__file__).parent / "tallcheck.1"


def page() -> str:
    """The manual page, with no day in it."""
    os.environ["COLUMNS"] = "80"  # by which the library folds text
    parser = whole_parser(COMMANDS)
    parser.usage = "tallcheck COMMAND ..."
    found = Manpage(parser)
    found.description = "will this machine run it, and does a memory upgrade alone do?"
    found.date, found.source, found.manual = "", f"tallcheck {__version__}", "User commands"
    # a line of text that begins with a dot is a request to groff
    return re.sub(r"(?m)^(?=\.(?![A-Z]{1,2}\b|(?:nf|fi|br|sp)$))", r"\\&", str(found))


if __name__ == "__main__":
    PAGE.write_text(page())
