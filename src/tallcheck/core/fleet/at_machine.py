"""What is done at one machine: what comes out of which position, what goes in and from where."""

from msgspec import Struct

from tallcheck.core.upgrade.parts import Offer


class Out(Struct, frozen=True):
    """A module that comes out of a machine."""

    slot: str
    size: int
    into: int | None
    """The place of the machine that it goes into; None: the drawer."""


class In(Struct, frozen=True):
    """A module that goes into a machine: an offer's, or one that another machine gave."""

    slot: str
    size: int
    offer: Offer | None = None
    giver: int | None = None
    """The place of the machine that it comes out of."""
    giver_slot: str = ""


class Work(Struct, frozen=True):
    """What is done at one machine."""

    machine: int
    """The machine's place in the fleet."""
    take_out: tuple[Out, ...]
    put_in: tuple[In, ...]
    cost: int
    """Of what is bought for it, in hundredths; a kit counts where its first module goes in."""
    after: frozenset[int]
    """Machines that are done before: those that give, and where a kit is opened."""
