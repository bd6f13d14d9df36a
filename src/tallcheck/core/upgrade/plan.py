"""The upgrade plan: which modules come out, which go in, what it costs; facts, no text."""

from msgspec import Struct, structs

from tallcheck.core.machine.amounts import ROUND_TOTALS
from tallcheck.core.machine.known import known
from tallcheck.core.machine.modules import module_sizes
from tallcheck.core.machine.sheet import Machine, Module
from tallcheck.core.machine.totals import makeup_of, smallest_total
from tallcheck.core.upgrade.board import Board, Position, Why, board_of, why_not_usable
from tallcheck.core.upgrade.filling import Filling, Search
from tallcheck.core.upgrade.parts import Offer, PartsList
from tallcheck.core.values.either import at_or_above

NOTHING, PLAN, IMPOSSIBLE, UNKNOWN = "nothing", "plan", "impossible", "unknown"
_OFFERS_MOST = 64  # modules of one size that are looked at: no board takes more


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


class Alternative(Struct, frozen=True):
    """Another plan worth knowing, and why."""

    label: str
    plan: Plan


class Rejected(Struct, frozen=True):
    """A module of the list that is not usable here, and why."""

    part: str
    why: Why


class Upgrade(Struct, frozen=True):
    """What came of planning: ``nothing`` to buy, a ``plan``, ``impossible`` or ``unknown``."""

    machine: Machine
    answer: str
    why: Why
    """What the answer comes from: ``virtual``, ``met``, ``no room``, ``planned`` and so on."""
    target: int | None
    board: Board | None = None
    plan: Plan | None = None
    currency: str = ""
    alternatives: tuple[Alternative, ...] = ()
    rejected: tuple[Rejected, ...] = ()
    listed: bool = False
    """Whether a parts list was used; without one the plan speaks in kinds."""
    beyond: int | None = None
    """The largest module in bytes, where the board is not known to take so large a one."""


class _Shelf(Struct):
    """The offers that fit, by size, cheapest first, one entry for each module that can be had."""

    by_size: dict[int, list[Offer]]
    rejected: list[Rejected]
    priced: bool
    listed: bool

    def costs(self) -> dict[int, list[int]]:
        """What the search weighs: prices, or where there are none the bytes that are bought."""
        return {
            size: [offer.price if self.priced and offer.price is not None else size for offer in o]
            for size, o in self.by_size.items()
        }


def plan_upgrade(
    machine: Machine,
    target: int | None,
    parts: PartsList | None = None,
    other_system: bool = False,
) -> Upgrade:
    """The best way to bring a machine to ``target`` bytes, or (None) to the most it can reach.

    ``other_system``: a 64-bit system is going to replace the running one.
    """
    if machine.system.virtual:
        return Upgrade(machine, NOTHING, Why("virtual"), target)
    board = board_of(machine, other_system)
    if board is None:
        return Upgrade(machine, UNKNOWN, Why("fitted unknown"), target)
    if target is not None and target <= board.fitted:
        return Upgrade(machine, NOTHING, Why("met"), target, board)
    shelf = _shelf(board, parts)
    search = Search(board.spots(), shelf.costs(), board.limit)
    wanted = target
    if wanted is None:
        if not shelf.listed and board.limit is None and board.position_most is None:
            return Upgrade(machine, UNKNOWN, Why("most unknown"), None, board)
        wanted = search.most()
        if wanted <= board.fitted:
            return Upgrade(machine, NOTHING, Why("no room"), None, board,
                           rejected=tuple(shelf.rejected), listed=shelf.listed)  # fmt: skip
    known_most = None if shelf.listed else _known_most(board)
    best = _exact(board, shelf, wanted, known_most) or search.best(wanted)
    if best is None:
        return Upgrade(
            machine, IMPOSSIBLE, _impossible(machine, board, wanted, shelf), wanted, board,
            rejected=tuple(shelf.rejected), listed=shelf.listed,
        )  # fmt: skip
    plan = _plan(board, best, shelf)
    return Upgrade(
        machine, PLAN, Why("planned"), wanted, board, plan, parts.currency if parts else "",
        tuple(_alternatives(search, board, shelf, plan, wanted)), tuple(shelf.rejected),
        shelf.listed, _beyond(plan, known_most),
    )  # fmt: skip


def _known_most(board: Board) -> int | None:
    """The largest module that the board is known to take, in bytes; None where all is known.

    That is what a position holds today, or what each must hold for the board's ceiling.
    """
    if board.position_most is not None:
        return None
    fitted = max((one.size for one in board.positions if not one.assumed), default=0)
    ceiling = 0
    if (
        board.limit is not None
        and board.limit_why is not None
        and board.limit_why.what == "ceiling"
    ):
        ceiling = board.limit // max(len(board.positions), 1)
    return max(fitted, ceiling)


def _exact(board: Board, shelf: _Shelf, wanted: int, known_most: int | None) -> Filling | None:
    """Without a list, just the total that the answer names, of modules known to fit first."""
    if shelf.listed or (board.limit is not None and wanted > board.limit):
        return None
    costs = shelf.costs()
    if known_most is not None:
        sure = {size: each for size, each in costs.items() if size <= known_most}
        found = Search(board.spots(), sure, wanted).best(wanted, even_first=True)
        if found is not None:
            return found
    return Search(board.spots(), costs, wanted).best(wanted, even_first=True)


def _beyond(plan: Plan, known_most: int | None) -> int | None:
    largest = max((one.offer.size for one in plan.add), default=0)
    return largest if known_most is not None and largest > known_most else None


def _impossible(machine: Machine, board: Board, target: int, shelf: _Shelf) -> Why:
    """Why no plan reaches the target: the machine's limits first, then the list's."""
    if board.limit is not None and board.limit_why is not None and target > board.limit:
        return board.limit_why
    memory = known(machine).machine.memory
    makeup = makeup_of(memory.modules, memory.slots, memory.position_most, False)
    why = smallest_total(makeup, target, memory.ceiling).why_not
    if why:
        return Why(why, (memory.slots, memory.position_most, memory.ceiling))
    if not shelf.by_size:
        return Why("nothing fits")
    return Why("no choice")


# --- what can be had -----------------------------------------------------------------------


def _shelf(board: Board, parts: PartsList | None) -> _Shelf:
    if parts is not None and board.type is not None:
        shelf = _Shelf({}, [], parts.priced, True)
        for offer in parts.offers:
            why = why_not_usable(offer, board, parts.priced)
            if why is not None:
                shelf.rejected.append(Rejected(offer.part, why))
                continue
            had = _OFFERS_MOST if offer.stock is None else min(offer.stock, _OFFERS_MOST)
            shelf.by_size.setdefault(offer.size, []).extend([offer] * had)
        slow = least_speed(board) or 0
        for offers in shelf.by_size.values():
            # of modules that cost the same, one that slows nothing down, then the slowest of those
            offers.sort(key=lambda o: (o.price or 0, (o.speed or 0) < slow, o.speed or 0))
            del offers[_OFFERS_MOST:]
        return shelf
    rejected = [] if parts is None else [
        Rejected(offer.part, why) for offer in parts.offers
        if (why := why_not_usable(offer, board, parts.priced)) is not None
    ]  # fmt: skip
    most = min(filter(None, (board.position_most, board.limit)), default=None)
    sizes = [size for size in module_sizes(board.type) if most is None or size <= most]
    kinds = {
        size: [Offer("", size, board.type, board.form, least_speed(board))] * _OFFERS_MOST
        for size in sizes
    }
    return _Shelf(kinds, rejected, False, False)


def least_speed(board: Board) -> int | None:
    """The speed below which a new module would slow the rest: the board's, or the slowest one's."""
    if board.runs is not None:
        return board.runs
    speeds = [one.module.speed for one in board.positions if one.module and one.module.speed]
    return min(speeds, default=None)


# --- one plan ------------------------------------------------------------------------------


def _plan(board: Board, filling: Filling, shelf: _Shelf) -> Plan:
    stock = {size: iter(offers) for size, offers in shelf.by_size.items()}
    add, remove, after = [], [], []
    for position, kept, size in zip(board.positions, filling.kept, filling.new, strict=True):
        module = position.module if kept else None
        if position.module and not kept:
            remove.append(Removed(position.name, position.module))
        if size:
            offer = next(stock[size])
            add.append(Added(position.name, offer))
            module = Module(size=size, type=offer.type, form=offer.form, speed=offer.speed,
                            part=offer.part or None)  # fmt: skip
        after.append(structs.replace(position, module=module))
    cost = None
    if shelf.priced:
        cost = sum(one.offer.price or 0 for one in add)
    return Plan(
        filling.total, tuple(add), tuple(remove), cost, filling.uneven,
        _common_speed(after, board), tuple(after),
    )  # fmt: skip


def _common_speed(after: list[Position], board: Board) -> int | None:
    modules = [one.module for one in after if one.module and one.module.size]
    speeds = [one.speed for one in modules if one.speed]
    if not modules or len(speeds) < len(modules):
        return board.runs
    return min([*speeds, *([board.runs] if board.runs else [])])


def _alternatives(
    search: Search, board: Board, shelf: _Shelf, best: Plan, target: int
) -> list[Alternative]:
    """The other plans worth knowing, each only where it differs from those before it."""
    found: list[tuple[str, Filling | None]] = []
    plans: list[Alternative] = []
    seen = {_content(best)}
    if shelf.listed and _slows(best, board):
        fast = _fast_enough(shelf, board)
        filling = Search(board.spots(), fast.costs(), board.limit).best(target)
        if filling is not None:
            plans.append(Alternative("all at full speed", _plan(board, filling, fast)))
            seen.add(_content(plans[0].plan))
    if not shelf.listed and len(best.add) > 1:
        fewer = Search(board.spots(), shelf.costs(), target).best(target)
        if fewer is not None and fewer.count < len(best.add):
            found.append(("fewer modules, each larger", fewer))
    if best.uneven:
        even = search.matched(target)
        if even is not None and even.uneven < best.uneven:
            found.append(("best balanced", even))
    if shelf.priced:
        found.append(("most room for the money", search.most_for_money(board.fitted, target)))
    found.append(("one size further", search.best(int(at_or_above(ROUND_TOTALS, best.total + 1)))))
    found.append(("twice as much", search.best(2 * best.total)))
    for label, filling in found:
        if filling is None:
            continue
        plan = _plan(board, filling, shelf)
        if _content(plan) not in seen:
            seen.add(_content(plan))
            plans.append(Alternative(label, plan))
    return plans


def _slows(plan: Plan, board: Board) -> bool:
    """Whether a new module is slower than what stays in, and than what the board runs."""
    least = least_speed(board)
    return least is not None and any((one.offer.speed or least) < least for one in plan.add)


def _fast_enough(shelf: _Shelf, board: Board) -> _Shelf:
    least = least_speed(board) or 0
    kept = {size: [one for one in offers if (one.speed or 0) >= least]
            for size, offers in shelf.by_size.items()}  # fmt: skip
    by_size = {size: offers for size, offers in kept.items() if offers}
    return structs.replace(shelf, by_size=by_size)


def _content(plan: Plan) -> tuple[object, ...]:
    return (
        tuple((one.slot, one.offer.size, one.offer.part) for one in plan.add),
        tuple(one.slot for one in plan.remove),
    )
