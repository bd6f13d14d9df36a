"""What is known of the machines of a fleet: doubts, and memory with what follows worked out."""

from collections.abc import Callable
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tallcheck.core.fleet.columns import Flags, Fleet, Floats, in_chunks
from tallcheck.core.machine.amounts import Amounts, completed
from tallcheck.core.machine.derive import (
    BITS_OF,
    bits_by_line,
    bits_by_system,
    fixed_by_line,
)
from tallcheck.core.machine.doubts import RULES, largest, type_count
from tallcheck.core.machine.modules import bytes_in, in_positions
from tallcheck.core.machine.normalized import LIMITS
from tallcheck.core.machine.sheet import Kit
from tallcheck.core.values.either import UNKNOWN, minimum_of, or_else, pick

# --- readings that cannot all be true ------------------------------------------------------

_LISTED = ("memory.ceiling", "memory.slots", "memory.position_most")
DOUBTS: tuple[tuple[str, ...], ...] = (
    *(rule.about for rule in RULES), *((key,) for key in _LISTED),
)  # fmt: skip
"""The keys that each doubt is about: those of the rules, then what a models list says otherwise."""
LISTED_BITS = {key: len(RULES) + at for at, key in enumerate(_LISTED)}


def find_doubts(fleet: Fleet) -> NDArray[np.uint32]:
    """The doubts that each machine's own readings give cause for, as bits of DOUBTS."""
    found = in_chunks(fleet, lambda part, _: _doubts_in(part))
    return np.concatenate([np.empty(0, dtype=np.uint32), *found])


def _doubts_in(fleet: Fleet) -> NDArray[np.uint32]:
    numbers = Numbers(fleet)
    found = np.zeros(len(fleet), dtype=np.uint32)
    for bit, rule in enumerate(RULES):
        if numbers.any(rule.reads):
            with np.errstate(invalid="ignore"):
                found |= np.asarray(rule.broken(numbers)).astype(np.uint32) << np.uint32(bit)
    return found


class Numbers:
    """The numbers of the machines' own readings, as the rules of doubt ask for them."""

    def __init__(self, fleet: Fleet) -> None:
        self._fleet = fleet
        modules = fleet.word("memory.modules")
        raw = raw_memory(fleet)
        self._own: dict[str, Any] = {
            "fitted": np.where(raw.how == 2, np.nan, raw.installed),
            "memory.in_modules": raw.in_modules,
            "memory.listed": modules.mapped(in_positions),
            "memory.types": modules.mapped(type_count),
            "memory.largest": modules.mapped(largest),
            "memory.room": raw.slots * raw.position_most,
            "server": fleet.word("system.shape").mapped(lambda word: float(word == "server")),
            "processor.line_bits": line_bits(fleet),
            "system.own_bits": system_bits(fleet),
            "storage.room": minimum_of(fleet.number("storage.size"), fleet.number("storage.drive")),
            "memory.usable": raw.usable,
            "memory.addressable": raw.addressable,
            "processor.bits": raw.bits,
            "system.os_bits": raw.os_bits,
        }

    def __call__(self, key: str) -> Any:
        if key in self._own:
            return self._own[key]
        if key in self._fleet.words:
            return self._fleet.words[key].mapped(as_number)
        return self._fleet.number(key)

    def any(self, keys: tuple[str, ...]) -> bool:
        """Whether all of some numbers are known of any machine."""
        return all(bool((~np.isnan(self(key))).any()) for key in keys)


def line_bits(fleet: Fleet) -> Floats:
    """The bits that all processors of each machine's line have; NaN where none is known."""
    by_name = fleet.word("processor.name").mapped(
        lambda name: bits_by_line(name, None, fleet.vocabulary)
    )
    by_line = fleet.word("processor.line").mapped(
        lambda line: bits_by_line(None, line, fleet.vocabulary)
    )
    return np.asarray(or_else(by_line, by_name))


def fixed_memory(fleet: Fleet) -> Floats:
    """1 where all such machines have their memory fixed, by processor or by model, 0 else."""
    by_name = fleet.word("processor.name").mapped(
        lambda name: fixed_by_line(name, None, fleet.vocabulary)
    )
    by_line = fleet.word("processor.line").mapped(
        lambda line: fixed_by_line(None, line, fleet.vocabulary)
    )
    found = np.asarray(pick(by_name == 1, by_name, by_line))
    makers, models = fleet.word("system.maker"), fleet.word("system.model")
    for code, maker in ((-1, None), *enumerate(makers.values)):
        if fleet.vocabulary.models.knows(maker):  # of few makers, however many machines
            own = models.mapped(partial(fleet.vocabulary.models.fixed, maker))
            found = np.where((makers.codes == code) & (own == 1), 1.0, found)
    return found


def system_bits(fleet: Fleet) -> Floats:
    """The bits that all of each machine's system and version have; NaN where they differ."""
    names, versions = fleet.word("system.os"), fleet.word("system.os_version")
    found = np.full(len(fleet), np.nan)
    for code, name in enumerate(names.values):
        if fleet.vocabulary.systems.has_wide(name):  # of few names, however many there are
            own = versions.mapped(partial(bits_by_system, name, vocabulary=fleet.vocabulary))
            found = np.where(names.codes == code, own, found)
    return found


def as_number(value: Any) -> float:
    """A word as a number; NaN where it is none."""
    return float(value) if isinstance(value, int | float) else UNKNOWN


def doubted(fleet: Fleet, key: str) -> Flags:
    """Which machines have a doubt about a reading."""
    bits = sum(1 << bit for bit, about in enumerate(DOUBTS) if key in about)
    return np.asarray((fleet.doubts & np.uint32(bits)) != 0)


# --- memory, with what follows worked out --------------------------------------------------


def raw_memory(fleet: Fleet) -> Amounts:
    """The memory of every machine as told, completed, doubts not yet counted."""
    return _completed(fleet, lambda key, column: column)


def known_memory(fleet: Fleet) -> Amounts:
    """The memory of every machine as it is known: doubted readings are unknown."""
    if not fleet.doubts.any():
        return raw_memory(fleet)
    gone = {key: doubted(fleet, key) for about in DOUBTS for key in about}
    most = _listed_most(fleet)

    def known(key: str, column: Floats) -> Floats:
        if key in most:
            column = np.where(gone[key], most[key], column)
        else:
            column = np.where(gone[key], np.nan, column) if key in gone else column
        return column

    found = _completed(fleet, known)
    # what is doubted is not worked out from anything else either
    for key in ("memory.installed", "memory.usable", "memory.addressable", "memory.slots",
                "processor.bits", "system.os_bits"):  # fmt: skip
        name = key.partition(".")[2]
        setattr(found, name, known(key, getattr(found, name)))
    return found


def _listed_most(fleet: Fleet) -> dict[str, Floats]:
    """Limits of the board that a models list says otherwise: the most that some source allows.

    NaN where no list does, and where more is fitted than any source allows.
    """
    found = {}
    for key, fitted in LIMITS.items():
        if key in fleet.listed:
            numbers = Numbers(fleet)
            listed = fleet.listed[key].mapped(as_number)
            most = np.where(np.isnan(listed), np.nan, np.fmax(fleet.number(key), listed))
            found[key] = np.where(most < numbers(fitted), np.nan, most)
    return found


def _completed(fleet: Fleet, known: Callable[[str, Floats], Floats]) -> Amounts:
    def number(key: str) -> Floats:
        return known(key, fleet.number(key))

    def bits(key: str, architecture: str) -> Floats:
        told = fleet.number(key)
        by_word = fleet.word(architecture).mapped(lambda word: BITS_OF.get(word, np.nan))
        return known(key, np.where(np.isnan(told), by_word, told))

    processor_bits = or_else(bits("processor.bits", "processor.architecture"),
                             known("processor.bits", line_bits(fleet)))  # fmt: skip
    wide = known("system.os", known("system.os_version", system_bits(fleet)))
    os_bits = or_else(bits("system.os_bits", "system.architecture"), known("system.os_bits", wide))
    modules = fleet.word("memory.modules")
    summed = modules.mapped(bytes_in)
    listed = modules.mapped(lambda value: UNKNOWN if isinstance(value, Kit) else float(len(value)))
    given = Amounts(
        number("memory.installed"), number("memory.usable"), number("memory.available"),
        number("memory.ceiling"), number("memory.position_most"), number("memory.addressable"),
        number("memory.limit"), number("memory.slots"), known("memory.modules", summed),
        known("memory.slots", known("memory.modules", listed)),
        fixed_memory(fleet),
        processor_bits,
        os_bits,
        fleet.word("system.virtual").mapped(float),
    )  # fmt: skip
    with np.errstate(invalid="ignore"):
        return completed(given)
