"""What is done at one machine of a fleet, in words."""

from tallcheck.core.fleet.at_machine import In, Out, Work
from tallcheck.core.jobs.fleet_check import FleetCheck
from tallcheck.core.values.quantities import format_memory


def out_text(found: FleetCheck, work: Work) -> str:
    """``4 GB in A1, for potting-02; 2 GB in B1, into the drawer``."""
    return "; ".join(_out(found, one) for one in work.take_out)


def _out(found: FleetCheck, one: Out) -> str:
    where = "into the drawer" if one.into is None else f"for {found.fleet.names[one.into]}"
    return f"{format_memory(one.size)} in {one.slot}, {where}"


def in_text(found: FleetCheck, work: Work) -> str:
    """``8 GB LM-S4-8 into A1, from Larkmoor; 4 GB into B1, out of potting-02``."""
    return "; ".join(_in(found, one) for one in work.put_in)


def _in(found: FleetCheck, one: In) -> str:
    if one.offer is None:
        giver = found.fleet.names[one.giver or 0]
        return f"{format_memory(one.size)} into {one.slot}, out of {giver} ({one.giver_slot})"
    source = f", from {one.offer.source}" if one.offer.source else ""
    return f"{format_memory(one.size)} {one.offer.part} into {one.slot}{source}"
