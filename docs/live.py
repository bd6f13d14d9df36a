"""A made-up moment of a made-up machine in the live view: what its picture shows."""

import datetime

from tallcheck.core.usage.summary import Moment, Sample, Seen
from tallcheck.report.plain import show
from tallcheck.report.usage_view import live_lines

_GIB, _MIB = 1 << 30, 1 << 20
_WALL = datetime.datetime(2026, 11, 24, 14, 3, 27).timestamp()
_HELD = (("fernfolio", 2210), ("gatepenny", 1104), ("mistwright", 640), ("mail", 388),
         ("desktop", 301))  # fmt: skip

sample = Sample(
    _WALL, 7 * _GIB + 760 * _MIB, 1340 * _MIB, 4 * _GIB, 1180 * _MIB, 6 * _MIB, 2 * _MIB, 0.04,
    1.7, 0.71, 8, None, ";".join(f"{name}={held * _MIB}" for name, held in _HELD),
)  # fmt: skip
cores = [0.71, 0.18, 0.33, 0.09, 0.22, 0.05, 0.12, 0.04]
moment = Moment(sample, cores, 1900 * _MIB, 264 * _MIB)
show(lambda page: live_lines("potting-02", moment, Seen(_WALL - 96), page))
