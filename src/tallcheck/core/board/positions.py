"""A machine's memory positions as a planner needs them: what sits where, and what fits."""

from typing import Any

from msgspec import Struct, structs

from tallcheck.core.board.arranging import Spot
from tallcheck.core.board.models import Offer
from tallcheck.core.machine.modules import (
    corrects_errors,
    family,
    form_of,
    is_load_reduced,
    is_registered,
    one_form,
    one_type,
    position_count,
    running_is_clock,
    soldered,
    type_fits,
    types_of,
)
from tallcheck.core.machine.normalized import normalized
from tallcheck.core.machine.sheet import Machine, Module
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.values.quantities import GIB

POSITIONS_MOST = 64
"""More positions than any board that the planner is asked about."""


_SMALL = ("notebook", "tablet")
"""Shapes that take no full-size module."""


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
    load_reduced: bool | None
    runs: int | None
    limit: int | None
    limit_why: Why | None
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


def board_of(machine: Machine, vocabulary: Vocabulary, other_system: bool = False) -> Board | None:
    """The board of a machine, or None where not even what is fitted is known.

    Doubted readings count as unknown. With ``other_system`` a 64-bit system is taken to replace
    the running one, so that what that one can address limits nothing.
    """
    machine = normalized(machine, vocabulary).machine
    memory = machine.memory
    found = _positions(machine)
    if found is None:
        return None
    positions, unknown = found
    fitted = [one.module for one in positions if one.module and one.size]
    open_ones = [one for one in memory.modules or [] if not soldered(one)]
    told = machine.extra or {}
    kind = one_type(types_of(open_ones)) or family(_word(told.get("memory_type")))
    told_form = any(one.form for one in open_ones)
    form = one_form(open_ones) if told_form else form_of(_word(told.get("memory_form")))
    if machine.system.shape in _SMALL and form in (None, "DIMM"):
        # firmware calls all of them DIMM; no full-size module goes into such a case
        form, unknown = "SODIMM", (*unknown, "memory.form")
    if kind is None:
        unknown += ("memory.type",)
    if memory.ceiling is None:
        unknown += ("memory.ceiling",)
    limit, why = _limit(machine, other_system)
    return Board(
        tuple(positions), kind, form,
        _agreed([corrects_errors(one) for one in fitted]),
        _agreed([is_registered(one) for one in fitted]),
        _agreed([is_load_reduced(one) for one in fitted]),
        _board_speed(fitted), limit, why, memory.position_most, unknown,
        machine.system.shape == "server",
    )  # fmt: skip


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


def _limit(machine: Machine, other_system: bool) -> tuple[int | None, Why | None]:
    """The most bytes that board, processor and running system take together, and which it is."""
    memory, bits = machine.memory, machine.processor.bits
    limits: list[tuple[int, Why]] = []
    if memory.ceiling is not None:
        limits.append((memory.ceiling, Why("ceiling", (memory.ceiling,))))
    if memory.addressable is not None and not (other_system and bits == 64):
        bits_now = machine.system.os_bits
        limits.append((memory.addressable, Why("system", (bits_now, memory.addressable))))
    elif bits == 32:
        limits.append((4 * GIB, Why("processor")))
    return min(limits, key=lambda one: one[0], default=(None, None))


def _positions(machine: Machine) -> tuple[list[Position], tuple[str, ...]] | None:
    """The positions and the readings missing to be sure of them."""
    memory = machine.memory
    modules = _sized(machine)
    if modules is not None:
        found = [_position(module, at) for at, module in enumerate(modules)]
        if memory.slots is None:
            # a free position is assumed and said, unless one is listed or nothing can come out
            if all(one.size and not one.fixed for one in found):
                found.append(Position("a free slot", assumed=True))
            return found, ("memory.slots",)
        free = min(max(position_count(modules, memory.slots) - len(modules), 0), POSITIONS_MOST)
        count = len(found)
        found += [_position(Module(size=0), count + at) for at in range(free)]
        return found, ()
    if memory.installed is None:
        return None
    block = Module(size=memory.installed)
    if memory.slots == 0:
        return [Position("what is fitted", block, fixed=True)], ()
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
    modules = list(memory.modules)
    modules[missing[0]] = structs.replace(modules[missing[0]], size=rest)
    return modules


def _position(module: Module, at: int) -> Position:
    name = module.slot or f"position {at + 1}"
    return Position(name, module if module.size else None, soldered(module), module.channel)


def why_not_usable(offer: Offer, board: Board, priced: bool) -> Why | None:
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


def _why_not_kind(offer: Offer, board: Board) -> Why | None:
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
