"""Live ports to Windows and macOS: ask the system's public interfaces, hand back a capture.

Each is one thin function; in tests, stand-ins written from the published descriptions of these
interfaces replace what they return.
"""

import os
import subprocess
import tempfile
from collections.abc import Callable

from tallcheck.core.values.errors import InputError
from tallcheck.gather.source import Captured, open_capture

_TIMEOUT = 120  # seconds; asking takes a few


def _ask(words: list[str]) -> bytes:
    """What a command of the system prints; nothing where it cannot be asked."""
    try:
        return subprocess.run(
            words, capture_output=True, timeout=_TIMEOUT, check=False, stdin=subprocess.DEVNULL
        ).stdout
    except (OSError, subprocess.TimeoutExpired):
        return b""


def ask_macos(ask: Callable[[list[str]], bytes] = _ask) -> Captured:
    """The files of a macOS capture, asked of the running system."""
    questions = {
        "sysctl.txt": ["/usr/sbin/sysctl", "hw", "machdep.cpu", "vm.swapusage",
                       "kern.osproductversion", "kern.hv_support"],
        "vm_stat.txt": ["/usr/bin/vm_stat"],
        "sw_vers.txt": ["/usr/bin/sw_vers"],
        "df.txt": ["/bin/df", "-P", "-k"],
    }  # fmt: skip
    found = {name: ask(words) for name, words in questions.items()}
    return Captured({name: data for name, data in found.items() if data})


def ask_windows(script: str, ask: Callable[[list[str]], bytes] = _ask) -> Captured:
    """The files of a Windows capture, written by the kit's script into a folder that is removed.

    ``script`` is the path of the script. Raises InputError where it wrote nothing.
    """
    with tempfile.TemporaryDirectory(prefix="tallcheck-") as work:
        folder = os.path.join(work, "capture")
        ask(["powershell", "-NoProfile", "-NonInteractive", "-ExecutionPolicy", "Bypass",
             "-File", script, folder])  # fmt: skip
        if not os.path.isdir(folder) or not os.listdir(folder):
            raise InputError("the system did not answer", "PowerShell and its CIM cmdlets")
        return open_capture(folder)
