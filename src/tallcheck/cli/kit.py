"""Print a script that captures a machine with no Python, for `gather --from`."""

import argparse
import os
import sys

EXAMPLE = """  tallcheck kit linux | ssh machine sh > potting-02.tar
  tallcheck kit windows > kit.ps1
  tallcheck gather --from potting-02.tar -o potting-02.machine.json"""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of this command."""
    parser.add_argument("system", choices=tuple(SCRIPTS), help="the machine's system")
    parser.add_argument("--record", action="store_true", help="a script that records usage")


def run(args: argparse.Namespace) -> int:
    """Print the script."""
    script = _read(script_path(args.system, args.record))
    sys.stdout.write(script.replace(_SHARED, _read(os.path.join(_KIT, "record.sh"))))
    return 0


_SHARED = "#@ record.sh\n"
"""Where the recorders for a shell have what is the same in all of them."""


def _read(path: str) -> str:
    with open(path, encoding="utf-8", newline="") as file:
        return file.read()


SCRIPTS = {
    "linux": "linux.sh", "macos": "macos.sh", "windows": "windows.ps1", "freebsd": "freebsd.sh",
}  # fmt: skip
"""Systems and the names of their scripts."""

RECORDERS = {
    "linux": "record-linux.sh", "macos": "record-macos.sh", "windows": "record-windows.ps1",
    "freebsd": "record-freebsd.sh",
}  # fmt: skip
"""The same systems, and the names of their recorders."""

_KIT = os.path.join(os.path.dirname(os.path.dirname(__file__)), "data", "kit")


def script_path(system: str, record: bool = False) -> str:
    """The path of the script, or the recorder, for a system."""
    return os.path.join(_KIT, (RECORDERS if record else SCRIPTS)[system])
