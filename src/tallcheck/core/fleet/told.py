"""What is told of every machine of a fleet at once."""

import numpy as np

from tallcheck.core.fleet.columns import Fleet
from tallcheck.core.machine.readings import Told
from tallcheck.core.machine.telling import tell_all


def with_told(fleet: Fleet, told: list[Told], source: str) -> Fleet:
    """The fleet as sheets on each of which the same was told, as it is for one machine."""
    sheets = [tell_all(fleet.machine(at), told, source) for at in range(len(fleet))]
    doubts = np.zeros(len(fleet), dtype=np.uint32)
    return Fleet(fleet.names, fleet.lines, {}, {}, doubts, sheets)
