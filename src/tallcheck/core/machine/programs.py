"""Programs by name, as systems list them: with bits, language, edition and version in the name."""

import re
from functools import lru_cache

from tallcheck.core.machine.sheet import Program

_NAME_MOST = 400
"""Characters of a name that are looked at."""
_IN_BRACKETS = r" ?[(\[](?=[^()\[\]]*(?:bit|x64|x86|amd64|arm64|user|machine))[^()\[\]]*[)\]]"
_BITS = r" (?:64|32)[ -]?bits?\b| x(?:64|86)\b"
_EDITION = r" (?:professional|pro|standard|home|enterprise|community|education|edition|ltsc?|esr)$"
_VERSION = r" v?(\d+(?:\.\d+)*)$"


@lru_cache(maxsize=4096)
def named_version(name: str) -> tuple[str, str | None]:
    """A program's name by which it is compared, and the version that stands in it, if any."""
    text = " ".join(name[:_NAME_MOST].lower().split())
    version = None
    while True:
        before = text
        text = re.sub(_EDITION, "", re.sub(_BITS, "", re.sub(_IN_BRACKETS, "", text))).strip(" -,")
        match = re.search(_VERSION, text)
        if match and text[: match.start()].strip():
            version = version or match[1]
            text = text[: match.start()]
        if text == before:
            return text, version


def versions_of(programs: list[Program] | tuple[Program, ...], wanted: str) -> list[str | None]:
    """The versions in which a program is installed, None where one is not told."""
    plain, _ = named_version(wanted)
    found = []
    for one in programs:
        name, version = named_version(one.name)
        if name == plain:
            found.append(one.version or version)
    return found
