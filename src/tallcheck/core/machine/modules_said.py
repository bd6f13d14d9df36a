"""Memory modules as people write them: ``8GB,4GB,-,-``, ``2x4GB``, ``8GB DDR4, empty``."""

import re

from tallcheck.core.machine.scanning import SIZE
from tallcheck.core.machine.sheet import Module
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.quantities import parse_memory

_EXPECTED = "modules by position, such as 8GB,4GB,-,- (- an empty one, * a soldered one)"
_EMPTY = r"(?i)-|empty|free|none|leer|vide|0 ?gb|0"
_ONE = (
    rf"(?i)(?:(\d+)\s*[x\u00d7*]\s*)?{SIZE}\s*(?:((?:lp)?ddr[1-6]?[lx]?)(?:[ -]?\d{{3,5}})?)?\s*"
    r"(\*|soldered|on board|onboard)?"
)


def modules_said(text: str) -> list[Module]:
    """The positions in order. Raises InputError."""
    modules: list[Module] = []
    for word in (part.strip() for part in re.split(r"[,;+|/]", text)):
        if re.fullmatch(_EMPTY, word):
            modules.append(Module(size=0))
            continue
        match = re.fullmatch(_ONE, word)
        if match is None:
            raise InputError(f'found "{word}"', _EXPECTED)
        one = Module(
            size=parse_memory(match[2]), type=match[3].upper() if match[3] else None,
            fixed=True if match[4] else None,
        )  # fmt: skip
        modules += [one] * int(match[1] or 1)
    return modules
