"""What the plan for all machines together comes to."""

from msgspec import Struct


class Work(Struct, frozen=True):
    """What one machine gets: of each source (an offer's name, or a used module) how many."""

    machine: int
    """The machine's place in the fleet."""
    add: tuple[tuple[str, int], ...]
    """Source and size in bytes of each module that goes in."""
    cost: int
    """Of the modules that are bought for it, in hundredths."""


class Order(Struct, frozen=True):
    """A line of the order: a part, how many, and the price of one in hundredths."""

    part: str
    count: int
    price: int
    source: str


class Solved(Struct, frozen=True):
    """The plan for all machines together. Money in hundredths."""

    cost: int
    """Of modules; what else the machines need is not in it."""
    orders: tuple[Order, ...]
    reused: int
    """Modules that come out of one machine and go into another."""
    left: tuple[tuple[str, int], ...]
    """Modules that come out and stay in the drawer, by kind."""
    work: tuple[Work, ...]
    apart: int
    """The cost where each machine is planned for itself, in the fleet's order, by this stock."""
    apart_undone: int
    """Machines that stock then would not serve."""
    gap: float
    """The proven distance to the best, as a share of the cost; 0 is proven best."""
    restricted: int
    """Machines with so many positions that only some choices were looked at."""
    undone: int = 0
    """Machines that cannot be done, for stock or budget."""
    others: tuple[int, ...] = ()
    """With a budget: the machines made ready without memory, as places in the fleet."""
    spent: int = 0
    """With a budget: all money spent, work and other fixes counted."""
