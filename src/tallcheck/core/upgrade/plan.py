"""The upgrade plan: which modules come out, which go in, what it costs; facts, no text."""

from collections import Counter

from msgspec import Struct, structs

from tallcheck.core.board.account import Account, Position, Why, account_of_machine
from tallcheck.core.board.arranging import Filling
from tallcheck.core.board.models import Offer, PartsList
from tallcheck.core.board.totals import cheapest_total
from tallcheck.core.machine.amounts import ROUND_TOTALS
from tallcheck.core.machine.sheet import Machine, Module
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.upgrade.filling import Rejected, Search, Shelf, least_speed, shelf_of
from tallcheck.core.values.either import at_or_above

NOTHING, PLAN, IMPOSSIBLE, UNKNOWN = "nothing", "plan", "impossible", "unknown"


class Added(Struct, frozen=True):
    """A module that goes in: its position, and the offer (without a name where in kinds)."""

    slot: str
    offer: Offer


class Removed(Struct, frozen=True):
    """A module that comes out."""

    slot: str
    module: Module


class Plan(Struct, frozen=True):
    """One way to fill the board. Sizes in bytes, cost in hundredths, speed in MT/s."""

    total: int
    add: tuple[Added, ...]
    remove: tuple[Removed, ...]
    cost: int | None
    uneven: int
    speed: int | None
    """What all modules will run at, as far as known."""
    after: tuple[Position, ...]
    bought: tuple[Offer, ...]
    """What is bought: each module, and each kit once, though one of it may be left over."""

    @property
    def spare(self) -> int:
        """How many modules of kits are left over."""
        return sum(one.pack for one in self.bought) - len(self.add)


class Alternative(Struct, frozen=True):
    """Another plan worth knowing, and why."""

    label: str
    plan: Plan


class Upgrade(Struct, frozen=True):
    """What came of planning: ``nothing`` to buy, a ``plan``, ``impossible`` or ``unknown``."""

    machine: Machine
    answer: str
    why: Why
    """What the answer comes from: ``virtual``, ``met``, ``no room``, ``planned`` and so on."""
    target: int | None
    board: Account | None = None
    plan: Plan | None = None
    currency: str = ""
    alternatives: tuple[Alternative, ...] = ()
    rejected: tuple[Rejected, ...] = ()
    listed: bool = False
    """Whether a parts list was used; without one the plan speaks in kinds."""
    beyond: bool = False
    """Whether the plan has a module larger than the board is known to take."""


def plan_upgrade(
    machine: Machine,
    target: int | None,
    vocabulary: Vocabulary,
    parts: PartsList | None = None,
    other_system: bool = False,
) -> Upgrade:
    """The best way to bring a machine to ``target`` bytes, or (None) to the most it can reach.

    ``other_system``: a 64-bit system is going to replace the running one.
    """
    if machine.system.virtual:
        return Upgrade(machine, NOTHING, Why("virtual"), target)
    board = account_of_machine(machine, vocabulary, other_system)
    if board is None:
        return Upgrade(machine, UNKNOWN, Why("fitted unknown"), target)
    if target is not None and target <= board.fitted:
        return Upgrade(machine, NOTHING, Why("met"), target, board)
    if board.closed is not None:
        if target is None:
            return Upgrade(machine, NOTHING, Why("no room"), None, board)
        return Upgrade(machine, IMPOSSIBLE, board.closed, target, board)
    # what is asked for counts within what is addressed; what is fitted beside may go further
    further = target is not None and (board.limit is None or target <= board.limit)
    reach = board.ceiling if further else board.limit
    shelf = shelf_of(structs.replace(board, limit=reach), parts)
    search = Search(board.spots(), shelf.costs(), reach)
    addressed = (
        search if reach == board.limit else Search(board.spots(), shelf.costs(), board.limit)
    )
    wanted = target
    if wanted is None:
        if not shelf.listed and board.limit is None and board.position_most is None:
            return Upgrade(machine, UNKNOWN, Why("most unknown"), None, board)
        wanted = search.most()
        if wanted <= board.fitted:
            return Upgrade(machine, NOTHING, Why("no room"), None, board,
                           rejected=tuple(shelf.rejected), listed=shelf.listed)  # fmt: skip
    known_most = board.known_largest
    best = (
        search.best(wanted, even_first=True)
        if shelf.listed
        else _in_kinds(board, shelf, wanted, known_most, reach)
    )
    if best is None:
        return Upgrade(
            machine, IMPOSSIBLE, _impossible(board, wanted, shelf), wanted, board,
            rejected=tuple(shelf.rejected), listed=shelf.listed,
        )  # fmt: skip
    plan = _plan(board, best, shelf)
    return Upgrade(
        machine, PLAN, Why("planned"), wanted, board, plan, parts.currency if parts else "",
        tuple(_alternatives(addressed, board, shelf, plan, wanted, parts)), tuple(shelf.rejected),
        shelf.listed, _beyond(plan, known_most),
    )  # fmt: skip


def _in_kinds(
    board: Account, shelf: Shelf, wanted: int, known_most: int | None, reach: int | None
) -> Filling | None:
    """Without a list, just the total that the answer names, of modules known to fit first."""
    found = cheapest_total(board, wanted, reach)
    if found.bytes is None:
        return None
    cost = None if found.filled is None else shelf.weight(found.filled.bought)
    costs = shelf.costs()
    sure = {size: each for size, each in costs.items() if known_most is None or size <= known_most}
    for those in (sure, costs):
        best = Search(board.spots(), those, found.bytes).best(
            found.bytes, even_first=True, cost=cost
        )
        if best is not None:
            return best
    return None


def _beyond(plan: Plan, known_most: int | None) -> bool:
    return known_most is not None and any(one.offer.size > known_most for one in plan.add)


def _impossible(board: Account, target: int, shelf: Shelf) -> Why:
    """Why no plan reaches the target: the machine's limits first, then the list's."""
    if board.limit is not None and board.limit_why is not None and target > board.limit:
        return board.limit_why
    why = cheapest_total(board, target, board.ceiling).why_not
    if why:
        return Why(why, (len(board.positions), board.position_most, board.ceiling))
    if not shelf.by_size:
        return Why("nothing fits")
    return Why("no choice")


# --- one plan ------------------------------------------------------------------------------


def _plan(board: Account, filling: Filling, shelf: Shelf) -> Plan:
    bought = [
        offer for size, count in Counter(filter(None, filling.new)).items()
        for offer in shelf.by_size[size].take(count)
    ]  # fmt: skip
    stock: dict[int, list[Offer]] = {}
    for offer in bought:
        stock.setdefault(offer.size, []).extend([offer] * offer.pack)
    add, remove, after = [], [], []
    for position, kept, size in zip(board.positions, filling.kept, filling.new, strict=True):
        module = position.module if kept else None
        if position.module and not kept:
            remove.append(Removed(position.name, position.module))
        if size:
            offer = stock[size].pop(0)
            add.append(Added(position.name, offer))
            module = Module(size=size, type=offer.type, form=offer.form, speed=offer.speed,
                            part=offer.part or None)  # fmt: skip
        after.append(structs.replace(position, module=module))
    cost = None
    if shelf.priced:
        cost = sum(one.price or 0 for one in bought)
    return Plan(
        filling.total, tuple(add), tuple(remove), cost, filling.uneven,
        _common_speed(after, board), tuple(after), tuple(bought),
    )  # fmt: skip


def _common_speed(after: list[Position], board: Account) -> int | None:
    modules = [one.module for one in after if one.module and one.module.size]
    speeds = [one.speed for one in modules if one.speed]
    if not modules or len(speeds) < len(modules):
        return board.runs
    return min([*speeds, *([board.runs] if board.runs else [])])


def _alternatives(
    search: Search, board: Account, shelf: Shelf, best: Plan, target: int, parts: PartsList | None
) -> list[Alternative]:
    """The other plans worth knowing, each only where it differs from those before it."""
    found: list[tuple[str, Plan]] = []

    def add(label: str, filling: Filling | None, of: Shelf = shelf) -> None:
        if filling is not None:
            found.append((label, _plan(board, filling, of)))

    if shelf.listed and _slows(best, board):
        fast = shelf_of(board, parts, least_speed(board) or 0)
        add(
            "all at full speed", Search(board.spots(), fast.costs(), board.limit).best(target), fast
        )
    if not shelf.listed and len(best.add) > 1:
        fewer = Search(board.spots(), shelf.costs(), target).best(target)
        if fewer is not None and fewer.count < len(best.add):
            add("fewer modules, each larger", fewer)
    if best.uneven:
        even = search.matched(target)
        told = all(one.channel for one in board.positions)
        if even is not None and even.uneven < (best.uneven if told else 1):
            add("best balanced", even)
            if _little_more(found[-1][1], best):
                found.insert(0, found.pop())
    if shelf.priced:
        add("most room for the money", search.most_for_money(board.fitted, target))
    add("one size further", search.best(int(at_or_above(ROUND_TOTALS, best.total + 1))))
    add("twice as much", search.best(2 * best.total))
    seen = {_content(best)}
    plans: list[Alternative] = []
    for label, plan in found:
        if _content(plan) not in seen:
            seen.add(_content(plan))
            plans.append(Alternative(label, plan))
    return plans


def _little_more(plan: Plan, best: Plan) -> bool:
    """Whether a plan costs under a tenth more than the best one."""
    return plan.cost is not None and best.cost is not None and 10 * plan.cost < 11 * best.cost


def _slows(plan: Plan, board: Account) -> bool:
    """Whether a new module is slower than what stays in, and than what the board runs."""
    least = least_speed(board)
    return least is not None and any((one.offer.speed or least) < least for one in plan.add)


def _content(plan: Plan) -> tuple[object, ...]:
    return (
        tuple((one.slot, one.offer.size, one.offer.part) for one in plan.add),
        tuple(one.slot for one in plan.remove),
    )
