"""The portable program is the command itself; started by a double click it shows this machine."""

import os
import sys
from contextlib import suppress

from tallcheck.cli import main, program
from tallcheck.gather.win32 import console_processes


def opened_alone() -> bool:
    """Whether this program alone is in its console window, which closes when it ends.

    The one file unpacks itself, and starts a second process; the folder does not.
    """
    unpacked = os.path.dirname(getattr(sys, "_MEIPASS", "")) != os.path.dirname(sys.executable)
    return 0 < console_processes() <= 1 + unpacked


if __name__ == "__main__":
    if len(sys.argv) == 1 and opened_alone():
        main(["show", "here"])
        with suppress(EOFError):
            input("\nIn a command window, `tallcheck --help` tells more. Press Enter to close. ")
    else:
        program()
