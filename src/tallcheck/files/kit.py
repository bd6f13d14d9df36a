"""The kit: scripts that capture a machine with no Python."""

import os

SCRIPTS = {"linux": "linux.sh", "macos": "macos.sh", "windows": "windows.ps1"}
"""Systems and the names of their scripts."""

_KIT = os.path.join(os.path.dirname(os.path.dirname(__file__)), "data", "kit")


def script_path(system: str) -> str:
    """The path of the script for a system."""
    return os.path.join(_KIT, SCRIPTS[system])
