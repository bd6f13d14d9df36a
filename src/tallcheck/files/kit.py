"""The kit: scripts that capture a machine with no Python."""

import os

SCRIPTS = {"linux": "linux.sh", "macos": "macos.sh", "windows": "windows.ps1"}
"""Systems and the names of their scripts."""

RECORDERS = {
    "linux": "record-linux.sh", "macos": "record-macos.sh", "windows": "record-windows.ps1",
}  # fmt: skip
"""The same systems, and the names of their recorders."""

_KIT = os.path.join(os.path.dirname(os.path.dirname(__file__)), "data", "kit")


def script_path(system: str, record: bool = False) -> str:
    """The path of the script, or the recorder, for a system."""
    return os.path.join(_KIT, (RECORDERS if record else SCRIPTS)[system])
