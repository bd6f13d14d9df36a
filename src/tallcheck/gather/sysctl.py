"""What ``sysctl`` prints, for the systems that have it, and how they are asked.

Source: sysctl(8) of macOS and of FreeBSD.
"""

import re
import subprocess

from tallcheck.core.values.plain import whole_number


def values_in(text: str) -> dict[str, str]:
    """``key: value`` or ``key = value`` lines; of a key told twice the first."""
    found: dict[str, str] = {}
    for line in text.splitlines():
        match = re.match(r"\s*([\w.%]+)\s*[:=]\s*(.*)", line)
        if match:
            found.setdefault(match[1], match[2].strip())
    return found


class Sysctl:
    """The values by name; one that is not there, or empty, is None."""

    def __init__(self, text: str) -> None:
        self.values = values_in(text)

    def text(self, key: str) -> str | None:
        """A value as it stands there."""
        return self.values.get(key) or None

    def number(self, key: str) -> int | None:
        """A value that is a whole number."""
        return whole_number(self.values.get(key, ""))


def ask(words: list[str], seconds: float = 120) -> bytes:
    """What a command of the system prints; nothing where it cannot be asked, or not in time."""
    try:
        return subprocess.run(
            words, capture_output=True, timeout=seconds, check=False, stdin=subprocess.DEVNULL
        ).stdout
    except (OSError, subprocess.TimeoutExpired):
        return b""
