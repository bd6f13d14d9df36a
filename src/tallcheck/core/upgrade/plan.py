"""The upgrade plan: which modules come out, which go in, what it costs, and what it rests on."""

from typing import Any

from msgspec import Struct, structs

from tallcheck.core.before.decision import MISSING_TEXTS
from tallcheck.core.before.rows import known_machine
from tallcheck.core.machine.memory import module_sizes, reach, round_total
from tallcheck.core.machine.sheet import Machine, Module
from tallcheck.core.upgrade.board import Board, Position, board_of, kind_text, why_not_usable
from tallcheck.core.upgrade.filling import Filling, Search
from tallcheck.core.upgrade.parts import Offer, PartsList
from tallcheck.core.values.quantities import format_memory, format_money, format_speed
from tallcheck.core.words.hints import how_to_find

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
    why: str


class Upgrade(Struct, frozen=True):
    """What came of planning: ``nothing`` to buy, a ``plan``, ``impossible`` or ``unknown``."""

    machine: str
    answer: str
    sentence: str
    target: int | None
    board: Board | None = None
    plan: Plan | None = None
    currency: str = ""
    conditions: tuple[str, ...] = ()
    notes: tuple[str, ...] = ()
    steps: tuple[str, ...] = ()
    alternatives: tuple[Alternative, ...] = ()
    rejected: tuple[Rejected, ...] = ()
    listed: bool = False
    """Whether a parts list was used; without one the plan speaks in kinds."""


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
    name = machine.name
    if machine.system.virtual:
        at = f" to {format_memory(target)}" if target is not None else ""
        text = f"Nothing to buy: {name} is a virtual machine; its memory is set{at} on the host."
        return Upgrade(name, NOTHING, text, target)
    board = board_of(machine, other_system)
    if board is None:
        text = f"What is fitted in {name} is not known, so nothing can be planned."
        missing = (_look_up(machine, "memory.installed"),)
        return Upgrade(name, UNKNOWN, text, target, conditions=missing)
    if target is not None and target <= board.fitted:
        return Upgrade(name, NOTHING, _met(name, board, target), target, board)
    shelf = _shelf(board, parts)
    search = Search(board.spots(), shelf.costs(), board.limit)
    wanted = target
    if wanted is None:
        if not shelf.listed and board.limit is None and board.position_most is None:
            text = f"The most that {name} can take is not known."
            return Upgrade(name, UNKNOWN, text, None, board, conditions=_conditions(machine, board))
        wanted = search.most()
        if wanted <= board.fitted:
            return Upgrade(name, NOTHING, _no_room(name, machine, board, shelf), None, board,
                           rejected=tuple(shelf.rejected))  # fmt: skip
    best = search.best(wanted)
    if best is None:
        return Upgrade(
            name, IMPOSSIBLE, _impossible(machine, board, wanted, shelf), wanted, board,
            rejected=tuple(shelf.rejected), listed=shelf.listed,
        )  # fmt: skip
    plan = _plan(board, best, shelf)
    currency = parts.currency if parts else ""
    return Upgrade(
        name, PLAN, _sentence(name, plan, board, currency), wanted, board, plan, currency,
        _conditions(machine, board), tuple(_notes(plan, board, shelf)),
        tuple(_steps(plan, board)), tuple(_alternatives(search, board, shelf, plan, wanted)),
        tuple(shelf.rejected), shelf.listed,
    )  # fmt: skip


# --- what can be had -----------------------------------------------------------------------


def _shelf(board: Board, parts: PartsList | None) -> _Shelf:
    if parts is not None and board.type is not None:
        shelf = _Shelf({}, [], parts.priced, True)
        for offer in parts.offers:
            why = why_not_usable(offer, board, parts.priced)
            if why:
                shelf.rejected.append(Rejected(offer.part, why))
                continue
            had = _OFFERS_MOST if offer.stock is None else min(offer.stock, _OFFERS_MOST)
            shelf.by_size.setdefault(offer.size, []).extend([offer] * had)
        slow = _least_speed(board) or 0
        for offers in shelf.by_size.values():
            # of modules that cost the same, one that slows nothing down, then the slowest of those
            offers.sort(key=lambda o: (o.price or 0, (o.speed or 0) < slow, o.speed or 0))
            del offers[_OFFERS_MOST:]
        return shelf
    rejected = [] if parts is None else [
        Rejected(offer.part, why_not_usable(offer, board, parts.priced)) for offer in parts.offers
    ]  # fmt: skip
    most = min(filter(None, (board.position_most, board.limit)), default=None)
    sizes = [size for size in module_sizes(board.type) if most is None or size <= most]
    kinds = {
        size: [Offer("", size, board.type, board.form, _least_speed(board))] * _OFFERS_MOST
        for size in sizes
    }
    return _Shelf(kinds, rejected, False, False)


def _least_speed(board: Board) -> int | None:
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
    if best.uneven:
        even = search.matched(target)
        if even is not None and even.uneven < best.uneven:
            found.append(("best balanced", even))
    if shelf.priced:
        found.append(("most room for the money", search.most_for_money(board.fitted, target)))
    found.append(("one size further", search.best(round_total(best.total + 1))))
    found.append(("twice as much", search.best(2 * best.total)))
    plans: list[Alternative] = []
    seen = {_content(best)}
    for label, filling in found:
        if filling is None:
            continue
        plan = _plan(board, filling, shelf)
        if _content(plan) not in seen:
            seen.add(_content(plan))
            plans.append(Alternative(label, plan))
    return plans


def _content(plan: Plan) -> tuple[object, ...]:
    return (
        tuple((one.slot, one.offer.size, one.offer.part) for one in plan.add),
        tuple(one.slot for one in plan.remove),
    )


# --- in words ------------------------------------------------------------------------------


def counted(plan: Plan, board: Board, listed: bool) -> list[tuple[int, str, int | None]]:
    """The shopping list: how many, of what, and the price of one in hundredths."""
    counts: dict[tuple[str, int | None], int] = {}
    for one in plan.add:
        text = kind_text(one.offer.size, board, one.offer.speed)
        if listed:
            text = f"{format_memory(one.offer.size)} {one.offer.part}"
        key = (text, one.offer.price)
        counts[key] = counts.get(key, 0) + 1
    return [(count, text, price) for (text, price), count in counts.items()]


def shopping_text(plan: Plan, board: Board, listed: bool) -> str:
    """``1 × 8 GB LM-8G and 1 × 4 GB LM-4G``."""
    lines = [f"{count} × {text}" for count, text, _ in counted(plan, board, listed)]
    return " and ".join(lines)


def _sentence(name: str, plan: Plan, board: Board, currency: str) -> str:
    listed = any(one.offer.part for one in plan.add)
    price = "" if plan.cost is None else f" for {format_money(plan.cost, currency)}"
    verb = "Buy"
    if plan.cost == 0:
        verb, price = "Take", ", which costs nothing"
    where = _names([one.slot for one in plan.add])
    if any(one.assumed for one in board.positions):
        where += ", if there is one"
    out = ""
    if plan.remove:
        gone = _sizes_text([one.module.size or 0 for one in plan.remove])
        out = f" {gone} in {_names([one.slot for one in plan.remove])} {_come(plan)} out."
    return (
        f"{verb} {shopping_text(plan, board, listed)}{price}, into {where}: {name} then has "
        f"{format_memory(plan.total)}.{out}"
    )


def _come(plan: Plan) -> str:
    return "comes" if len(plan.remove) == 1 else "come"


def _sizes_text(sizes: list[int]) -> str:
    counts = {size: sizes.count(size) for size in dict.fromkeys(sizes)}
    words = [
        f"{count} × {format_memory(size)}" if count > 1 else format_memory(size)
        for size, count in counts.items()
    ]
    return "The " + " and ".join(words)


def _names(names: list[str], most: int = 4) -> str:
    if len(names) > most:
        return f"{', '.join(names[:3])} and {len(names) - 3} more"
    return " and ".join(", ".join(names).rsplit(", ", 1)) if names else ""


def _met(name: str, board: Board, target: int) -> str:
    return (
        f"Nothing to buy: {name} has {format_memory(board.fitted)} fitted, "
        f"and {format_memory(target)} is asked for."
    )


def _no_room(name: str, machine: Machine, board: Board, shelf: _Shelf) -> str:
    text = f"There is no room: {name} has {format_memory(board.fitted)} fitted"
    if board.limit is not None and board.fitted >= board.limit:
        return f"{text}, and {board.limit_why}."
    if all(position.fixed for position in board.positions):
        return f"{text}, soldered, and no position is free."
    return f"{text}, and nothing that {'is on the list' if shelf.listed else 'is sold'} adds to it."


def _impossible(machine: Machine, board: Board, target: int, shelf: _Shelf) -> str:
    """Why no plan reaches the target: the machine's limits first, then the list's."""
    text = f"{machine.name} cannot be brought to {format_memory(target)}"
    if board.limit is not None and target > board.limit:
        return f"{text}: {board.limit_why}."
    why = reach(known_machine(machine), target).why_not
    if why:
        return f"{text}: {why}."
    if not shelf.by_size:
        return f"{text} from this list: nothing on it fits."
    return f"{text}: no choice of {'the parts on the list' if shelf.listed else 'modules'} does it."


def _look_up(machine: Machine, key: str) -> str:
    maker = " ".join(filter(None, (machine.system.maker, machine.system.model)))
    text = MISSING_TEXTS.get(key, "what is fitted is not known")
    model = f" for {maker}" if maker else ""
    return f"{text}: look it up{model} ({how_to_find(key, machine.system.os)})"


def _conditions(machine: Machine, board: Board) -> tuple[str, ...]:
    found = [_look_up(machine, key) for key in board.unknown]
    if any(one.assumed for one in board.positions):
        found.insert(0, "one position is taken to be free: where none is, what is fitted comes out "
                        "and more has to be bought")  # fmt: skip
    if board.server and board.registered is None:
        found.append("whether the modules are registered is not known: read a label")
    return tuple(found)


def _notes(plan: Plan, board: Board, shelf: _Shelf) -> list[str]:
    """What matters about speed, evenness and the modules that come out."""
    notes = []
    if plan.remove:
        sizes = [one.module.size or 0 for one in plan.remove]
        notes.append(f"into the drawer: {_sizes_text(sizes).removeprefix('The ')}")
    notes += _speed_notes(plan, board, shelf)
    if plan.uneven:
        notes.append(
            "the channels are not filled evenly "
            f"({format_memory(plan.uneven)} apart): part of the memory runs on fewer channels"
        )
    return notes


def _speed_notes(plan: Plan, board: Board, shelf: _Shelf) -> list[str]:
    notes = []
    added = {one.slot for one in plan.add}
    staying = [one.module for one in plan.after if one.module and one.name not in added]
    stay = [module.speed for module in staying if module.speed]
    fitted = _least_speed(board)
    new = {one.offer.part: one.offer.speed for one in plan.add if one.offer.speed and shelf.listed}
    for part, speed in new.items():
        if board.runs and speed > board.runs:
            notes.append(
                f"{part} is rated {format_speed(speed)}, and the board runs modules at "
                f"{format_speed(board.runs)}: paying for more is money for nothing"
            )
        elif stay and speed > min(stay):
            notes.append(
                f"{part} is rated {format_speed(speed)}, and all modules run at the speed of the "
                f"slowest, {format_speed(min(stay))}: paying for more is money for nothing"
            )
        elif stay and speed < min(stay) and (not board.runs or speed < board.runs):
            notes.append(
                f"{part} at {format_speed(speed)} slows down what stays "
                f"({format_speed(min(stay))}): all modules run at the speed of the slowest"
            )
    if fitted and not board.runs and (not stay or any(v > fitted for v in new.values())):
        notes.append(
            f"what is fitted is rated {format_speed(fitted)}; the board may run faster: not known"
        )
    return notes


def _steps(plan: Plan, board: Board) -> list[str]:
    """What has to be done at this machine, in order; no lesson in opening a case."""
    steps = []
    if plan.remove:
        out = [one.slot for one in plan.remove]
        gone = _sizes_text([one.module.size or 0 for one in plan.remove]).removeprefix("The ")
        steps.append(f"take out {gone} ({_names(out, len(out))})")
    channels: dict[str | None, list[Position]] = {}
    for position in plan.after:
        channels.setdefault(position.channel, []).append(position)
    paired = None not in channels and not plan.uneven and len(plan.add) == len(channels) > 1
    if paired and len({one.offer.size for one in plan.add}) == 1:
        pair = "pair" if len(plan.add) == 2 else f"set of {len(plan.add)}"
        names = _names(sorted(map(str, channels)), len(channels))
        steps.append(f"take the new ones as a matched {pair}, one for each channel ({names})")
    slots: dict[str, list[str]] = {}
    for one in plan.add:
        part = f" {one.offer.part}" if one.offer.part else ""
        slots.setdefault(f"{format_memory(one.offer.size)}{part}", []).append(one.slot)
    for what, where in slots.items():
        each = " each" if len(where) > 1 else ""
        steps.append(f"put {what}{each} into {_names(where, len(where))}")
    added = {one.slot for one in plan.add}
    for spots in channels.values():
        names_here = [one.name for one in spots]
        filled = {one.name for one in spots if one.size}
        if not board.unknown and filled and filled <= added and len(filled) < len(spots):
            which = _names(names_here, len(names_here))
            steps.append(f"which of {which} is filled first, the board's manual says")
    return steps


def alternative_texts(found: Upgrade) -> list[str]:
    """Each other plan in a line, with what it costs more or less."""
    texts = []
    for other in found.alternatives:
        assert found.board is not None
        assert found.plan is not None
        buy = shopping_text(other.plan, found.board, found.listed)
        texts.append(
            f"{other.label}: {format_memory(other.plan.total)}"
            f"{_difference(found.plan, other.plan, found.currency)} ({buy}{_out(other.plan)})"
        )
    return texts


def _out(plan: Plan) -> str:
    return f"; out of {', '.join(one.slot for one in plan.remove)}" if plan.remove else ""


def _difference(best: Plan, other: Plan, currency: str) -> str:
    if best.cost is None or other.cost is None:
        return ""
    more = other.cost - best.cost
    if not more:
        return " for the same money"
    return f" for {format_money(abs(more), currency)} {'more' if more > 0 else 'less'}"


# --- as JSON --------------------------------------------------------------------------------


def plan_json(found: Upgrade) -> dict[str, Any]:
    """The plan as the documented JSON object."""
    plan = found.plan
    return {
        "tallcheck": "plan/1",
        "machine": found.machine,
        "answer": found.answer,
        "sentence": found.sentence,
        "target": found.target,
        "total": plan.total if plan else (found.board.fitted if found.board else None),
        **_content_json(plan, found.listed),
        "currency": found.currency or None,
        "notes": list(found.notes),
        "conditions": list(found.conditions),
        "steps": list(found.steps),
        "alternatives": [
            {"label": other.label, "total": other.plan.total,
             **_content_json(other.plan, found.listed)}
            for other in found.alternatives
        ],
        "rejected": [{"part": one.part, "why": one.why} for one in found.rejected],
    }  # fmt: skip


def _content_json(plan: Plan | None, listed: bool) -> dict[str, Any]:
    if plan is None:
        return {"remove": [], "add": [], "cost": None}
    return {
        "remove": [{"slot": one.slot, "size": one.module.size} for one in plan.remove],
        "add": [
            {"slot": one.slot, "part": one.offer.part or None, "size": one.offer.size,
             "price": one.offer.price / 100 if one.offer.price is not None and listed else None,
             "type": one.offer.type, "form": one.offer.form, "speed": one.offer.speed}
            for one in plan.add
        ],
        "speed": plan.speed,
        "cost": None if plan.cost is None else plan.cost / 100,
    }  # fmt: skip
