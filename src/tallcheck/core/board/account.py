"""The board account: what a machine's memory positions hold and take, and why nothing more if so.

Answers, plans, lists and confirmations all read it, and nothing else says where memory goes.
"""

from collections.abc import Callable
from typing import Any

from msgspec import Struct, structs

from tallcheck.core.board.arranging import Spot
from tallcheck.core.board.models import Offer
from tallcheck.core.machine.locators import channel_of
from tallcheck.core.machine.modules import (
    corrects_errors,
    family,
    form_of,
    is_load_reduced,
    is_registered,
    module_sizes,
    one_form,
    one_type,
    only_soldered,
    position_count,
    running_is_clock,
    soldered,
    type_fits,
    types_of,
    unbuffered,
)
from tallcheck.core.machine.normalized import World, normalized, world_of
from tallcheck.core.machine.sheet import Machine, Module
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.values.quantities import GIB

POSITIONS_MOST = 64
"""More positions than any board that the planner is asked about."""


SOLDERED, NO_POSITION = "soldered", "no position"
"""Why no module can go in."""


class Why(Struct, frozen=True):
    """A reason, as a fact: what it is, and the figures or words that belong to it."""

    what: str
    values: tuple[Any, ...] = ()


class Position(Struct, frozen=True):
    """One memory position: its name and what sits in it (None: free)."""

    name: str
    module: Module | None = None
    fixed: bool = False
    channel: str | None = None
    assumed: bool = False
    """Whether it stands for positions that are not known."""

    @property
    def size(self) -> int:
        """Bytes in the position."""
        return (self.module.size or 0) if self.module else 0


class Account(Struct, frozen=True):
    """What a machine's memory positions hold and take; None and ``unknown`` keys: not known.

    Sizes in bytes, speeds in MT/s. ``runs`` is the speed that the board itself is known to hold
    the modules to.
    """

    positions: tuple[Position, ...]
    """Those that are known; where modules are not, what is fitted and a free one stand for them."""
    listed: bool
    """Whether the positions are known one by one."""
    slots: int | None
    """How many positions are counted, with or without soldered ones; None where none are."""
    closed: Why | None
    """Why no module can go in."""
    virtual: bool
    type: str | None
    form: str | None
    ecc: bool | None
    registered: bool | None
    load_reduced: bool | None
    runs: int | None
    ceiling: int | None
    """The most in all, as far as board and maker say."""
    position_most: int | None
    sizes: tuple[int, ...]
    """Sizes of module that exist for it, smallest first."""
    unknown: tuple[str, ...]
    server: bool
    limit: int | None = None
    """The most that board, processor and running system take together."""
    limit_why: Why | None = None

    @property
    def fitted(self) -> int:
        """Bytes in all positions."""
        return sum(position.size for position in self.positions)

    @property
    def full_and_soldered(self) -> bool:
        """Whether all that is told is soldered, so that nothing says that more can be fitted."""
        return self.listed and self.slots is None and self.closed is not None

    @property
    def known_largest(self) -> int | None:
        """The largest module that the board is known to take; None where positions are not.

        That is what a position holds today, or what each must hold for the board's ceiling.
        """
        if self.position_most is not None or not self.listed:
            return self.position_most
        fitted = max((one.size for one in self.positions if not one.assumed), default=0)
        return max(fitted, (self.ceiling or 0) // max(len(self.positions), 1))

    def spots(self) -> list[Spot]:
        """The positions as the search takes them."""
        return [Spot(one.size, one.channel, one.fixed) for one in self.positions]


Reading = Callable[[str], Any]
"""Hands out a reading by its key; None where it is not known."""


def account_of(get: Reading) -> Account:
    """The account of some readings, of one machine or of a world; doubted ones count as unknown."""
    slots, virtual = get("memory.slots"), bool(get("system.virtual"))
    modules = get("memory.modules")
    if modules is None:
        modules = _told_soldered(get)
    sized = _sized(modules, get("memory.installed"))
    likely = sum(one.size is None for one in modules or ()) > 1
    positions = _positions(sized, slots, get("memory.installed"), bool(get("memory.fixed")))
    fitted = [one.module for one in positions if one.module and one.size] if sized else []
    open_ones = [one for one in sized or [] if not soldered(one)]
    shape, most = get("system.shape"), get("memory.position_most")
    kind, form, taken = _kind_of(open_ones, fitted, get, shape)
    registered = _agreed([is_registered(one) for one in fitted])
    ecc = _agreed([corrects_errors(one) for one in fitted])
    plain = unbuffered(fitted) or (
        registered is None and not ecc and shape not in (None, "server", "tower")
    )
    return Account(
        tuple(positions), sized is not None, slots,
        Why("virtual") if virtual else _closed(sized, positions, slots), virtual,
        kind, form, ecc, registered,
        _agreed([is_load_reduced(one) for one in fitted]), _board_speed(fitted),
        get("memory.ceiling"), most,
        tuple(size for size in module_sizes(kind, plain) if most is None or size <= most),
        _unknown(get, sized is not None and not likely, taken), shape == "server",
    )  # fmt: skip


def _told_soldered(get: Reading) -> list[Module] | None:
    """What is fitted, where it is told to be of a type that is only ever soldered; else None."""
    kind, installed = _word(get("extra.memory_type")), get("memory.installed")
    if installed is None or not only_soldered(kind, _word(get("extra.memory_form"))):
        return None
    return [Module(size=installed, type=kind)]


def account_of_machine(
    machine: Machine, vocabulary: Vocabulary, other_system: bool = False
) -> Account | None:
    """The account of a machine, or None where not even what is fitted is known.

    With ``other_system`` a 64-bit system is taken to replace the running one, so that what that
    one can address limits nothing.
    """
    world = world_of(normalized(machine, vocabulary))
    found = account_of(world.get)
    if not found.listed and world.get("memory.installed") is None:
        return None
    limit, why = _limit(world, other_system)
    return structs.replace(found, limit=limit, limit_why=why)


def _unknown(get: Reading, listed: bool, taken: list[str]) -> tuple[str, ...]:
    """The readings without which it is not known what goes where, and how much; ``taken`` too."""
    slots, found = get("memory.slots"), []
    if slots is None:
        found.append("memory.slots")
    if not listed and slots not in (0, 1):
        found.append("memory.modules")
    found += taken
    if get("memory.ceiling") is None:
        found.append("memory.ceiling")
    return tuple(found)


def _closed(sized: list[Module] | None, positions: list[Position], slots: int | None) -> Why | None:
    """Why no module can go in or out; None where one can."""
    if slots == 0 and not positions:
        return Why(NO_POSITION)
    if not positions or any(not one.fixed for one in positions):
        return None
    return Why(SOLDERED if sized else NO_POSITION)


_FORM_BY_SHAPE = {
    "notebook": "SODIMM", "mini": "SODIMM", "all-in-one": "SODIMM",
    "tower": "DIMM", "server": "DIMM",
}  # fmt: skip
"""The form that cases of a shape take, where nothing else tells."""
SMALL_SHAPES = ("notebook", "tablet")
"""Shapes that take no full-size module, whatever their firmware calls what is fitted."""


def _kind_of(
    open_ones: list[Module], fitted: list[Module], get: Reading, shape: str | None
) -> tuple[str | None, str | None, list[str]]:
    """Type and form of the modules that go in, and which of the two is only taken to be so."""
    taken: list[str] = []
    told = _word(get("extra.memory_type"))
    sold = not only_soldered(told, _word(get("extra.memory_form")))
    kind = one_type(types_of(open_ones)) or (family(told) if sold else None)
    if kind is None:
        beside = {family(one.type) for one in fitted if not only_soldered(one.type, one.form)}
        kind = beside.pop() if len(beside) == 1 else None
        taken.append("memory.type" if kind is None else "memory.type beside")
    formed = any(one.form for one in open_ones)
    form = one_form(open_ones) if formed else form_of(_word(get("extra.memory_form")))
    wrong = form == "DIMM" and shape in SMALL_SHAPES
    if shape in _FORM_BY_SHAPE and (wrong or (form is None and not formed)):
        form = _FORM_BY_SHAPE[shape]
        taken.append("memory.form")
    return kind, form, taken


def _word(value: object) -> str | None:
    return value if isinstance(value, str) and value.strip() else None


def _agreed(values: list[bool | None]) -> bool | None:
    known_ones = {value for value in values if value is not None}
    return known_ones.pop() if len(known_ones) == 1 else None


def _board_speed(fitted: list[Module]) -> int | None:
    """What the board holds modules to: known where all run slower than the slowest is rated."""
    rated = [one.speed for one in fitted if one.speed]
    running = [one.running for one in fitted if one.running and not running_is_clock(one)]
    if not rated or len(rated) < len(fitted) or not running:
        return None
    return max(running) if max(running) < min(rated) - 1 else None


def _limit(world: World, other_system: bool) -> tuple[int | None, Why | None]:
    """The most bytes that board, processor and running system take together, and which it is."""
    ceiling, addressable = world.get("memory.ceiling"), world.get("memory.addressable")
    bits = world.get("processor.bits")
    limits: list[tuple[int, Why]] = []
    if ceiling is not None:
        limits.append((ceiling, Why("ceiling", (ceiling,))))
    if addressable is not None and not (other_system and bits == 64):
        limits.append((addressable, Why("system", (world.get("system.os_bits"), addressable))))
    elif bits == 32:
        limits.append((4 * GIB, Why("processor")))
    return min(limits, key=lambda one: one[0], default=(None, None))


def _positions(
    modules: list[Module] | None, slots: int | None, installed: int | None, fixed: bool
) -> list[Position]:
    """The positions, as far as they are known; ``fixed``: such machines have all of it soldered."""
    if modules is not None and fixed:
        return [
            structs.replace(_position(module, at), fixed=True)
            for at, module in enumerate(modules)
            if module.size
        ]
    if modules is not None:
        found = [_position(module, at) for at, module in enumerate(modules)]
        if slots is None:
            # a free position is assumed and said, unless one is listed or nothing can come out
            if all(one.size and not one.fixed for one in found):
                found.append(Position("a free slot", assumed=True))
            return found
        free = min(max(position_count(modules, slots) - len(modules), 0), POSITIONS_MOST)
        count = len(found)
        return found + [_position(Module(size=0), count + at) for at in range(free)]
    if installed is None:
        return []
    block = Module(size=installed)
    if slots == 0:
        return [Position("what is fitted", block, fixed=True)]
    if slots == 1:
        return [Position("the only position", block)]
    # the usual case is assumed and said: one position is free, whatever holds what is fitted
    kept = Position("what is fitted", block, assumed=True)
    return [kept, Position("a free slot", assumed=True)]


def _sized(modules: list[Module] | None, installed: int | None) -> list[Module] | None:
    """The modules, each with its size: of one it follows from the total, of more it is likely."""
    if modules is None:
        return None
    missing = [at for at, one in enumerate(modules) if one.size is None]
    if not missing:
        return list(modules)
    rest = (installed or 0) - sum(one.size or 0 for one in modules)
    shares = _shared(rest, len(missing))
    found = list(modules)
    for at, size in zip(missing, shares, strict=False):
        found[at] = structs.replace(found[at], size=size)
    return found if shares else None


def _shared(total: int, count: int) -> list[int]:
    """A total as that many modules, as nearly alike as what is built; none where it is no such."""
    if count == 1 and total > 0:
        return [total]
    shares = [1 << bit for bit in range(29, max(total, 1).bit_length()) if total >> bit & 1]
    if not 0 < len(shares) <= count or sum(shares) != total:
        return []
    while len(shares) < count:
        shares.sort()
        half = shares.pop() // 2
        shares += [half, half]
    return sorted(shares, reverse=True)


def _position(module: Module, at: int) -> Position:
    name = module.slot or f"position {at + 1}"
    channel = module.channel or channel_of(module.slot, module.bank)
    return Position(name, module if module.size else None, soldered(module), channel)


def why_not_usable(offer: Offer, board: Account, priced: bool) -> Why | None:
    """Why a module of a parts list cannot go into a board; None where it can."""
    kind, form = family(offer.type), form_of(offer.form)
    if offer.stock == 0:
        return Why("no stock")
    if priced and offer.price is None:
        return Why("no price")
    if board.type is None:
        return Why("board type unknown")
    if kind is None:
        return Why("type unknown")
    if not type_fits(board.type, kind):
        return Why("type", (kind, board.type))
    if board.form is not None and form != board.form:
        return Why("form", (form, board.form))
    if board.position_most is not None and offer.size > board.position_most:
        return Why("position", (board.position_most,))
    if board.limit is not None and offer.size > board.limit:
        return board.limit_why
    return _why_not_kind(offer, board)


def _why_not_kind(offer: Offer, board: Account) -> Why | None:
    """Registered and unbuffered modules do not work side by side, and ECC wants all of a kind."""
    registered, fitted = is_registered(offer), board.registered
    if fitted is True and registered is not True:
        return Why("not registered")
    if registered and not fitted:
        return Why("registered", (fitted,))
    reduced = is_load_reduced(offer)
    if board.load_reduced is True and reduced is not True:
        return Why("not load-reduced")
    if reduced and not board.load_reduced:
        return Why("load-reduced", (board.load_reduced,))
    if board.ecc is True and offer.ecc is not True:
        return Why("not ECC")
    if offer.ecc and not board.ecc:
        return Why("ECC", (board.ecc,))
    return None
