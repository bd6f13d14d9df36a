"""What the plan for all machines together comes to."""

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


class Order(Struct, frozen=True):
    """A line of the order: how many of an offer; of kits, how many kits."""

    offer: Offer
    count: int

    @property
    def cost(self) -> int:
        """In hundredths."""
        return self.count * (self.offer.price or 0)


class Solved(Struct, frozen=True):
    """The plan for all machines together. Money in hundredths."""

    cost: int
    """Of modules; what else the machines need is not in it."""
    orders: tuple[Order, ...]
    left: tuple[tuple[str, int], ...]
    """Modules that come out and stay in the drawer, and what is left of kits, by kind."""
    work: tuple[Work, ...]
    """In an order in which a machine that gives is done before the one that receives."""
    apart: int
    """The cost where each machine is planned for itself, in the fleet's order, by this stock."""
    apart_undone: int
    """Machines that stock then would not serve."""
    gap: float
    """The proven distance to the best, as a share of the cost; 0 is proven best."""
    restricted: int
    """Machines for which only some ways were looked at."""
    undone: int = 0
    """Machines that cannot be done, for stock or budget."""
    others: tuple[int, ...] = ()
    """With a budget: the machines made ready without memory, as places in the fleet."""
    spent: int = 0
    """With a budget: all money spent, work and other fixes counted."""

    @property
    def reused(self) -> int:
        """Modules that come out of one machine and go into another."""
        return sum(1 for work in self.work for one in work.put_in if one.giver is not None)
