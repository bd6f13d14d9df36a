"""An upgrade plan in words: the sentence, the shopping list, what matters, the steps by hand."""

from tallcheck.core.board.account import SMALL_SHAPES, Account, Position
from tallcheck.core.board.models import Offer
from tallcheck.core.machine.entries import ENTRIES
from tallcheck.core.messages.hints import how_to_find
from tallcheck.core.messages.values import reason_text
from tallcheck.core.upgrade.filling import least_speed
from tallcheck.core.upgrade.plan import PLAN, UNKNOWN, Plan, Upgrade
from tallcheck.core.values.money import format_money
from tallcheck.core.values.quantities import format_memory, format_speed

MISSING = {
    "memory.slots": "how many memory positions there are and how many are free",
    "memory.modules": "which modules are fitted, of what type, and how many positions there are",
    "memory.type": "the type of memory that the machine takes",
    "memory.type beside": "the type that its positions take (taken from what is soldered beside)",
    "memory.form": "the form of its modules (taken from the machine's shape)",
    "memory.ceiling": "the most memory the board takes",
    "memory.position_most": "the largest module that a position takes",
    "memory.installed": "what is fitted",
}
"""What a plan lacks and has to be looked up, by reading."""


def kind_text(size: int, board: Account, least: int | None) -> str:
    """A module in kinds: ``8 GB DDR4 SODIMM, 2400 MT/s or faster``."""
    words = [
        format_memory(size),
        board.type or "",
        board.form or "",
    ]
    if board.registered:
        words.append("registered")
    if board.ecc:
        words.append("ECC")
    if board.type is None:
        words.append("of the type that the board takes")
    text = " ".join(filter(None, words))
    return text + (f", {format_speed(least)} or faster" if least else "")


def plan_sentence(found: Upgrade) -> str:
    """What came of planning, in a sentence or two."""
    name, target, board = found.machine.name, found.target, found.board
    what = found.why.what
    if what == "virtual":
        if target is None:
            return f"Nothing to buy: {name} is a virtual machine; its memory is set on the host."
        return (
            f"Nothing to buy: {name} is a virtual machine; set its memory to "
            f"{format_memory(target)} on the host."
        )
    if board is None:
        return f"What is fitted in {name} is not known, so nothing can be planned."
    fitted = format_memory(board.fitted)
    if what == "met":
        return f"Nothing to buy: {name} has {fitted} fitted, and {_shown(target)} is asked for."
    if what == "most unknown":
        return f"The most that {name} can take is not known."
    if what == "no room":
        return f"There is no room: {name} has {fitted} fitted{_no_room(found, board)}."
    if found.plan is not None:
        return _planned(name, found.plan, board, found.currency)
    return f"{name} cannot be brought to {_shown(target)}{_cannot(found, board)}."


def _shown(size: int | None) -> str:
    return format_memory(size or 0)


def _no_room(found: Upgrade, board: Account) -> str:
    if board.limit is not None and board.limit_why is not None and board.fitted >= board.limit:
        return f", and {reason_text(board.limit_why)}"
    if all(position.fixed for position in board.positions):
        return ", soldered, and no position is free"
    return f", and nothing that {'is on the list' if found.listed else 'is sold'} adds to it"


def _cannot(found: Upgrade, board: Account) -> str:
    why = found.why
    if why.what == "positions":
        slots, most = why.values[:2]
        room = f"its {slots} position{'s' if slots != 1 else ''}"
        if most is not None:
            room += f", {format_memory(most)} each at most,"
        return f": {room} cannot hold it"
    if why.what == "nothing fits":
        return " from this list: nothing on it fits"
    if why.what == "no choice":
        return f": no choice of {'the parts on the list' if found.listed else 'modules'} does it"
    return f": {reason_text(why)}"


def counted(plan: Plan, board: Account, in_list: bool) -> list[tuple[int, str, int | None]]:
    """The shopping list: how many, of what, and the price of one in hundredths."""
    counts: dict[tuple[str, int | None], int] = {}
    several = len({one.source for one in plan.bought}) > 1
    for one in plan.bought:
        text = kind_text(one.size, board, one.speed)
        if in_list:
            text = offer_text(one)
            text += f" from {one.source}" if one.source and several else ""
        key = (text, one.price)
        counts[key] = counts.get(key, 0) + 1
    return [(count, text, price) for (text, price), count in counts.items()]


def offer_text(offer: Offer) -> str:
    """An entry of a parts list: ``8 GB LM-8G``, or of a kit ``kit of 2 × 8 GB LM-2x8G``."""
    kit = f"kit of {offer.pack} × " if offer.pack > 1 else ""
    return f"{kit}{format_memory(offer.size)} {offer.part}"


def shopping_text(plan: Plan, board: Account, in_list: bool) -> str:
    """``1 × 8 GB LM-8G and 1 × 4 GB LM-4G``."""
    lines = [f"{count} × {text}" for count, text, _ in counted(plan, board, in_list)]
    return " and ".join(lines)


def _planned(name: str, plan: Plan, board: Account, currency: str) -> str:
    in_list = any(one.offer.part for one in plan.add)
    price = "" if plan.cost is None else f" for {format_money(plan.cost, currency)}"
    verb = "Buy"
    if plan.cost == 0:
        verb, price = "Put", ", which costs nothing"
    where = _names([one.slot for one in plan.add])
    if any(one.assumed for one in board.positions):
        where += ", if there is one"
    out = ""
    if plan.remove:
        gone = _sizes_text([one.module.size or 0 for one in plan.remove])
        out = f" {gone} in {_names([one.slot for one in plan.remove])} {_come(plan)} out."
    return (
        f"{verb} {shopping_text(plan, board, in_list)}{price}, into {where}: {name} then has "
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


def _look_up(found: Upgrade, key: str) -> str:
    machine = found.machine
    model = " ".join(filter(None, (machine.system.maker, machine.system.model)))
    how = f" ({how_to_find(key, machine.system.os)})" if key in ENTRIES else ""
    return f"look up{f' for {model}' if model else ''}: {MISSING[key]}{how}"


def plan_conditions(found: Upgrade) -> list[str]:
    """What the plan rests on, and what to look up before anything is bought."""
    board = found.board
    if board is None:
        return [_look_up(found, "memory.installed")] if found.answer == UNKNOWN else []
    if found.answer not in (PLAN, UNKNOWN):
        return []
    texts = [_look_up(found, key) for key in board.unknown]
    if found.beyond:
        texts.append(_look_up(found, "memory.position_most"))
    if any(one.assumed for one in board.positions):
        texts.insert(0, "one position is taken to be free: where none is, what is fitted comes out "
                        "and more has to be bought")  # fmt: skip
    if board.server and board.registered is None:
        texts.append("whether the modules are registered is not known: read a label")
    return texts


def plan_notes(found: Upgrade) -> list[str]:
    """What matters about speed, evenness and the modules that come out."""
    plan, board = found.plan, found.board
    if plan is None or board is None:
        return []
    notes = []
    if plan.remove:
        sizes = [one.module.size or 0 for one in plan.remove]
        notes.append(f"into the drawer: {_sizes_text(sizes).removeprefix('The ')}")
    notes += _speed_notes(plan, board, found.listed)
    if found.listed and found.target is not None and plan.total > found.target:
        notes.append(
            f"{format_memory(found.target)} would do; {format_memory(plan.total)} is what costs "
            "least from this list"
        )
    if board.limit is not None and board.limit_why is not None and plan.total > board.limit:
        notes.append(f"only {format_memory(board.limit)} count: {reason_text(board.limit_why)}")
    if plan.spare:
        what = "1 module of a kit is" if plan.spare == 1 else f"{plan.spare} modules of kits are"
        notes.append(f"{what} left over, for a kit is sold whole")
    if plan.uneven and all(position.channel for position in plan.after):
        notes.append(
            "the channels are not filled evenly "
            f"({format_memory(plan.uneven)} apart): part of the memory runs on fewer channels"
        )
    return notes


def _speed_notes(plan: Plan, board: Account, in_list: bool) -> list[str]:
    notes = []
    added = {one.slot for one in plan.add}
    staying = [one.module for one in plan.after if one.module and one.name not in added]
    stay = [module.speed for module in staying if module.speed]
    fitted = least_speed(board)
    new = {one.offer.part: one.offer.speed for one in plan.add if one.offer.speed and in_list}
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


def plan_steps(found: Upgrade) -> list[str]:
    """What has to be done at this machine, in order; no lesson in opening a case."""
    plan, board = found.plan, found.board
    if plan is None or board is None:
        return []
    steps = []
    if plan.remove:
        out = [one.slot for one in plan.remove]
        gone = _sizes_text([one.module.size or 0 for one in plan.remove]).removeprefix("The ")
        steps.append(f"take out {gone} ({_names(out, len(out))})")
    channels: dict[str | None, list[Position]] = {}
    for position in plan.after:
        channels.setdefault(position.channel, []).append(position)
    paired = None not in channels and not plan.uneven and len(plan.add) == len(channels) > 1
    alike = {(one.offer.size, one.offer.part, one.offer.source) for one in plan.add}
    if paired and len(alike) == 1:
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


_SMALL = ("SODIMM", "CSODIMM")
_OUT = {
    True: "Take a module out: spread the clips at its sides until it springs up, then pull it by "
    "its edges.",
    False: "Take a module out: press down the clip at its end, or those at both, then lift it by "
    "its edges.",
}
_IN = {
    True: "Put a module in: notch to key, at a slant until its contacts hardly show; press it down "
    "until both clips click.",
    False: "Put a module in: clips open, notch to key; press both ends straight down until the "
    "clips click.",
}


def hand_steps(found: Upgrade) -> list[str]:
    """What hands do from the last click to the first start; none where nothing is changed."""
    plan, board = found.plan, found.board
    if plan is None or board is None or board.virtual:
        return []
    portable = found.machine.system.shape in SMALL_SHAPES
    small = portable or (board.form or "") in _SMALL
    power = "Shut it down, not to sleep, and unplug it."
    if portable:
        power += (
            " Take the battery out, or switch it off in the firmware's setup where it is fixed."
        )
    steps = [
        power,
        "Open the case, and touch bare metal of it before a module. Hold modules by their edges.",
    ]
    if plan.remove:
        steps.append(_OUT[small])
    if plan.add:
        steps.append(_IN[small])
    total = format_memory(plan.total)
    return [
        *steps,
        f"Close it, plug it in, start it. A first start may take a minute or two; then {total} is "
        "what the firmware's setup and the system show. If not, press the modules in once more.",
    ]
