"""The live port to macOS: asks the system's public commands, hands back a capture.

In tests, stand-ins written from the published descriptions replace what they return.
"""

import subprocess
from collections.abc import Callable

from tallcheck.gather.source import Captured

_TIMEOUT = 120  # seconds; asking takes a few


def _ask(words: list[str]) -> bytes:
    """What a command of the system prints; nothing where it cannot be asked."""
    try:
        return subprocess.run(
            words, capture_output=True, timeout=_TIMEOUT, check=False, stdin=subprocess.DEVNULL
        ).stdout
    except (OSError, subprocess.TimeoutExpired):
        return b""


def ask_macos(when: str, ask: Callable[[list[str]], bytes] = _ask) -> Captured:
    """The files of a macOS capture, asked of the running system at a moment (RFC 3339)."""
    questions = {
        "sysctl.txt": ["/usr/sbin/sysctl", "hw", "machdep.cpu", "vm.swapusage",
                       "kern.osproductversion", "kern.hv_support"],
        "vm_stat.txt": ["/usr/bin/vm_stat"],
        "sw_vers.txt": ["/usr/bin/sw_vers"],
        "df.txt": ["/bin/df", "-P", "-k"],
    }  # fmt: skip
    found = {"gathered": when.encode(), **{n: ask(words) for n, words in questions.items()}}
    return Captured({name: data for name, data in found.items() if data})
