"""A machine's memory positions as a planner needs them: what sits where, and what fits."""

from msgspec import Struct

from tallcheck.core.before.rows import known_machine
from tallcheck.core.machine.sheet import Machine, Module
from tallcheck.core.upgrade.filling import Spot
from tallcheck.core.upgrade.parts import Offer, family, form_of, registered_by_form, type_fits
from tallcheck.core.values.quantities import GIB, format_memory, format_speed

POSITIONS_MOST = 64
"""More positions than any board that the planner is asked about."""


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


class Board(Struct, frozen=True):
    """What a machine's memory positions hold and take; None and ``unknown`` keys: not known.

    Sizes in bytes, speeds in MT/s. ``runs`` is the speed that the board itself is known to hold
    the modules to.
    """

    positions: tuple[Position, ...]
    type: str | None
    form: str | None
    ecc: bool | None
    registered: bool | None
    runs: int | None
    limit: int | None
    limit_why: str
    position_most: int | None
    unknown: tuple[str, ...]
    server: bool

    @property
    def fitted(self) -> int:
        """Bytes in all positions."""
        return sum(position.size for position in self.positions)

    def spots(self) -> list[Spot]:
        """The positions as the search takes them."""
        return [Spot(one.size, one.channel, one.fixed) for one in self.positions]


def board_of(machine: Machine, other_system: bool = False) -> Board | None:
    """The board of a machine, or None where not even what is fitted is known.

    Doubted readings count as unknown. With ``other_system`` a 64-bit system is taken to replace
    the running one, so that what that one can address limits nothing.
    """
    machine = known_machine(machine)
    memory = machine.memory
    found = _positions(machine)
    if found is None:
        return None
    positions, unknown = found
    fitted = [one.module for one in positions if one.module and one.size]
    # low-power types are soldered: what a position beside them takes is another matter
    types = {
        kind for one in fitted
        if (kind := family(one.type)) and not (one.fixed and kind.startswith("LP"))
    }  # fmt: skip
    forms = {form for one in fitted if not one.fixed and (form := form_of(one.form))}
    told = machine.extra or {}
    types = types or {kind for kind in (family(_word(told.get("memory_type"))),) if kind}
    forms = forms or {form for form in (form_of(_word(told.get("memory_form"))),) if form}
    if not types:
        unknown += ("memory.type",)
    if memory.ceiling is None:
        unknown += ("memory.ceiling",)
    limit, why = _limit(machine, other_system)
    return Board(
        tuple(positions),
        _board_type(types), forms.pop() if len(forms) == 1 else None,
        _agreed([one.ecc for one in fitted]), _agreed([_registered(one) for one in fitted]),
        _board_speed(fitted), limit, why, memory.position_most, unknown,
        machine.system.shape == "server",
    )  # fmt: skip


def _word(value: object) -> str | None:
    return value if isinstance(value, str) and value.strip() else None


def _board_type(types: set[str]) -> str | None:
    """The one type that all fitted modules tell of; a DDR3L beside a DDR3 runs as DDR3."""
    if types == {"DDR3", "DDR3L"}:
        return "DDR3"
    return next(iter(types)) if len(types) == 1 else None


def _registered(module: Module) -> bool | None:
    return module.registered if module.registered is not None else registered_by_form(module.form)


def _agreed(values: list[bool | None]) -> bool | None:
    known = {value for value in values if value is not None}
    return known.pop() if len(known) == 1 else None


def _board_speed(fitted: list[Module]) -> int | None:
    """What the board holds modules to: known where all run slower than the slowest is rated."""
    rated = [one.speed for one in fitted if one.speed]
    running = [one.running for one in fitted if one.running]
    if not rated or len(rated) < len(fitted) or not running:
        return None
    return max(running) if max(running) < min(rated) - 1 else None


def _limit(machine: Machine, other_system: bool) -> tuple[int | None, str]:
    """The most bytes that board, processor and running system take together, and which it is."""
    memory, bits = machine.memory, machine.processor.bits
    limits = []
    if memory.ceiling is not None:
        limits.append((memory.ceiling, f"the board takes {format_memory(memory.ceiling)} at most"))
    if memory.addressable is not None and not (other_system and bits == 64):
        name = f"{machine.system.os_bits}-bit " if machine.system.os_bits else ""
        text = f"the running {name}system addresses {format_memory(memory.addressable)} at most"
        limits.append((memory.addressable, text))
    elif bits == 32:
        limits.append((4 * GIB, "a 32-bit processor addresses 4 GB at most"))
    return min(limits, default=(None, ""))


def _positions(machine: Machine) -> tuple[list[Position], tuple[str, ...]] | None:
    """The positions and the readings missing to be sure of them."""
    memory = machine.memory
    modules = _sized(machine)
    if modules is not None:
        free = min(max((memory.slots or 0) - len(modules), 0), POSITIONS_MOST)
        modules = [*modules, *[Module(size=0)] * free]
        unknown = () if memory.slots is not None else ("memory.slots",)
        return [_position(module, at) for at, module in enumerate(modules)], unknown
    if memory.installed is None:
        return None
    block = Module(size=memory.installed)
    if memory.slots == 1:
        return [Position("the only position", block)], ()
    # the usual case is assumed and said: what is fitted stays, one position is free
    missing = ("memory.modules",) if memory.slots else ("memory.slots", "memory.modules")
    kept = Position("what is fitted", block, fixed=True, assumed=True)
    return [kept, Position("a free slot", assumed=True)], missing


def _sized(machine: Machine) -> list[Module] | None:
    """The modules, each with its size: one unknown size follows from the total."""
    memory = machine.memory
    if memory.modules is None:
        return None
    missing = [at for at, one in enumerate(memory.modules) if one.size is None]
    if not missing:
        return list(memory.modules)
    if len(missing) > 1 or memory.installed is None:
        return None
    rest = memory.installed - sum(one.size or 0 for one in memory.modules)
    if rest < 0:
        return None
    from msgspec import structs

    modules = list(memory.modules)
    modules[missing[0]] = structs.replace(modules[missing[0]], size=rest)
    return modules


def _position(module: Module, at: int) -> Position:
    name = module.slot or f"position {at + 1}"
    return Position(name, module if module.size else None, bool(module.fixed), module.channel)


def why_not_usable(offer: Offer, board: Board, priced: bool) -> str:
    """Why a module of a parts list cannot go into a board, or nothing where it can."""
    kind, form = family(offer.type), form_of(offer.form)
    if offer.stock == 0:
        return "none is in stock"
    if priced and offer.price is None:
        return "its price is not known"
    if board.type is None:
        return "the type of memory that the board takes is not known"
    if kind is None:
        return "the list does not say its type"
    if not type_fits(board.type, kind):
        return f"{kind}, and the board takes {board.type}"
    if board.form is not None and form != board.form:
        return f"{form or 'of unknown form'}, and the board takes {board.form}"
    if board.position_most is not None and offer.size > board.position_most:
        return f"a position takes {format_memory(board.position_most)} at most"
    if board.limit is not None and offer.size > board.limit:
        return board.limit_why
    return _why_not_kind(offer, board)


def _why_not_kind(offer: Offer, board: Board) -> str:
    """Registered and unbuffered modules do not work side by side, and ECC wants all of a kind."""
    stated = offer.registered
    registered = stated if stated is not None else registered_by_form(offer.form)
    fitted = board.registered
    if fitted is True and registered is not True:
        return "not said to be registered, and what is fitted is"
    if registered and not fitted:
        known = "is not" if fitted is False else "is not known to be"
        return f"registered, and what is fitted {known}"
    if board.ecc is True and offer.ecc is not True:
        return "not said to be ECC, and what is fitted is"
    if offer.ecc and not board.ecc:
        known = "is not" if board.ecc is False else "is not known to be"
        return f"ECC, and what is fitted {known}"
    return ""


def kind_text(size: int, board: Board, least_speed: int | None) -> str:
    """A module in kinds: ``8 GB DDR4 SODIMM, 2400 MT/s or faster``."""
    words = [format_memory(size), board.type or "of the type that is fitted", board.form or ""]
    if board.registered:
        words.append("registered")
    if board.ecc:
        words.append("ECC")
    text = " ".join(filter(None, words))
    return text + (f", {format_speed(least_speed)} or faster" if least_speed else "")
