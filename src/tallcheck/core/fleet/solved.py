"""What the plan for all machines together comes to."""

from msgspec import Struct

from tallcheck.core.board.models import Offer
from tallcheck.core.fleet.placing import Work
from tallcheck.core.fleet.transfers import Transfers


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
    transfers: Transfers
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
    def work(self) -> tuple[Work, ...]:
        """In an order in which a machine that gives is done before the one that receives."""
        return self.transfers.work

    @property
    def reused(self) -> int:
        """Modules that come out of one machine and go into another."""
        return self.transfers.given_on
