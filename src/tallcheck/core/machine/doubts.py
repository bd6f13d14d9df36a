"""Contradictions: readings that cannot all be true, found the same for one machine and for many.

Each rule compares numbers, of which any may be unknown (NaN: no comparison holds), so that it
stands once for a number and for an array.
"""

from collections.abc import Callable
from typing import Any

from msgspec import Struct

from tallcheck.core.machine.amounts import BY_USABLE, completed
from tallcheck.core.machine.derive import amounts_of, bits_by_line, bits_by_system
from tallcheck.core.machine.modules import in_positions, one_type, soldered, types_of
from tallcheck.core.machine.readings import get
from tallcheck.core.machine.sheet import Doubt, Machine, Module
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.values.either import UNKNOWN, known, or_else, pick
from tallcheck.core.values.quantities import (
    GIB,
    MIB,
    format_clock,
    format_memory,
    format_storage,
)

Numbers = Callable[[str], Any]
"""A reading's number by its key: NaN, or NaN in an array, where it is unknown."""

_MEMORY_MOST, _SERVER_MOST = 1024 * GIB, 64 * 1024 * GIB
_MEMORY_LEAST = 64 * MIB
_DRIVE_LEAST, _DRIVE_MOST = 2 * 10**9, 2 * 10**14
_CLOCK_LEAST, _CLOCK_MOST = 10**6, 10**10


class Rule(Struct, frozen=True):
    """One contradiction: the keys it is about, when it is there, and how it is said."""

    about: tuple[str, ...]
    reads: tuple[str, ...]
    broken: Callable[[Numbers], Any]
    text: str
    """With the keys of ``reads`` in braces, by place."""
    against: tuple[str, ...] = ()
    """What else is in the contradiction: nobody who tells one of these need be wrong."""
    values: tuple[tuple[tuple[str, str | float], ...], ...] = ()
    """What may be so: keys, each with the number that it then has or where that is read."""


def _most_memory(r: Numbers) -> Any:
    return pick(r("server") == 1, float(_SERVER_MOST), float(_MEMORY_MOST))


def _too_much(r: Numbers) -> Any:
    return r("fitted") > _most_memory(r)


def _too_little(r: Numbers) -> Any:
    return r("fitted") < _MEMORY_LEAST


def _sane(r: Numbers) -> Any:
    return (_too_much(r) | _too_little(r)) ^ True


def _unlike(r: Numbers) -> Any:
    given, summed = r("memory.installed"), r("memory.in_modules")
    return known(given) & known(summed) & (given != summed) & _sane(r)


RULES = (
    Rule(("processor.cores", "processor.threads"), ("processor.cores", "processor.threads"),
         lambda r: r("processor.threads") < r("processor.cores"),
         "{0} cores and {1} threads cannot both be true: most likely they are swapped", (),
         ((("processor.cores", "processor.cores"),), (("processor.threads", "processor.threads"),),
          (("processor.cores", "processor.threads"), ("processor.threads", "processor.cores")))),
    Rule(("processor.cores",), ("processor.cores", "extra.firmware_cores"),
         lambda r: r("processor.cores") + or_else(r("extra.cores_off"), 0.0)
         > r("extra.firmware_cores"),
         "the system counts {0} cores, the firmware {1}", (),
         ((("processor.cores", "processor.cores"),),
          (("processor.cores", "extra.firmware_cores"),))),
    Rule(("processor.threads",), ("processor.threads", "extra.firmware_threads"),
         lambda r: r("processor.threads") + or_else(r("extra.threads_off"), 0.0)
         > r("extra.firmware_threads"),
         "the system counts {0} threads, the firmware {1}", (),
         ((("processor.threads", "processor.threads"),),
          (("processor.threads", "extra.firmware_threads"),))),
    Rule(("memory.installed", "memory.usable"), ("memory.usable", "fitted"),
         lambda r: (r("memory.usable") > r("fitted")) & _sane(r),
         "{0} usable is more than the {1} fitted", (),
         ((("memory.installed", "fitted"),), (("memory.usable", "memory.usable"),))),
    Rule(("memory.addressable",), ("memory.usable", "memory.addressable"),
         lambda r: (r("memory.usable") > r("memory.addressable")) & (r("system.os_bits") != 32),
         "{0} usable is more than the {1} that the system is said to address"),
    Rule(("system.os_bits", "memory.addressable"), ("memory.usable", "memory.addressable"),
         lambda r: (r("memory.usable") > r("memory.addressable")) & (r("system.os_bits") == 32),
         "{0} usable is more than the {1} that a 32-bit system addresses: has it 64?"),
    Rule(("memory.limit",), ("memory.usable", "memory.limit"),
         lambda r: r("memory.usable") > r("memory.limit"),
         "{0} usable is more than the limit of {1} that is set"),
    Rule(("memory.installed", "memory.modules"), ("memory.installed", "memory.in_modules"), _unlike,
         "{0} fitted is not what the modules add up to ({1})", (),
         ((("memory.installed", "memory.installed"),),
          (("memory.installed", "memory.in_modules"),))),
    Rule(("memory.slots",), ("memory.slots", "memory.listed"),
         lambda r: r("memory.slots") < r("memory.listed"),
         "the listed positions ({1}) are more than there are said to be ({0})"),
    Rule(("memory.modules",), ("memory.types",), lambda r: r("memory.types") > 1,
         "modules of {0} types are said to sit on one board, which takes only one"),
    Rule(("processor.bits", "system.os_bits"), ("system.os_bits", "processor.bits"),
         lambda r: (r("processor.bits") == 32) & (r("system.os_bits") == 64),
         "a {0}-bit system cannot run on a {1}-bit processor", (),
         tuple((("processor.bits", bits), ("system.os_bits", bits)) for bits in (32.0, 64.0))),
    Rule(("processor.bits",), ("processor.bits", "processor.line_bits"),
         lambda r: known(r("processor.bits")) & known(r("processor.line_bits"))
         & (r("processor.bits") != r("processor.line_bits")),
         "{0} bits are told of a processor whose line has {1}: are they the system's?"),
    Rule(("system.os_bits", "system.os_version"), ("system.os_bits", "system.own_bits"),
         lambda r: known(r("system.os_bits")) & known(r("system.own_bits"))
         & (r("system.os_bits") != r("system.own_bits")),
         "{0} bits are told of a system whose version comes with {1} only"),
    Rule(("memory.available",), ("memory.available",),
         lambda r: r("memory.available") > or_else(r("memory.usable"), r("fitted")),
         "{0} available is more than the machine has"),
    Rule(("storage.free",), ("storage.free", "storage.room"),
         lambda r: r("storage.free") > r("storage.room"),
         "{0} free is more than the {1} there is", ("storage.size", "storage.drive")),
    Rule(("memory.ceiling",), ("fitted", "memory.ceiling"),
         lambda r: (r("memory.ceiling") < r("fitted")) & _sane(r),
         "{0} is fitted, and the board is said to take {1}"),
    Rule(("memory.ceiling",), ("memory.usable", "memory.ceiling"),
         lambda r: (r("memory.ceiling") < r("memory.usable")) & (known(r("fitted")) ^ True),
         "{0} can be used, and the board is said to take {1}"),
    Rule(("memory.position_most",), ("memory.largest", "memory.position_most"),
         lambda r: r("memory.largest") > r("memory.position_most"),
         "a module of {0} is fitted, and a position is said to take {1}"),
    Rule(("memory.position_most",), ("fitted", "memory.room"),
         lambda r: (r("fitted") > r("memory.room")) & _sane(r),
         "{0} is fitted, and the positions are said to take {1} in all"),
    Rule(("memory.installed",), ("fitted",), _too_much,
         "{0} fitted is more than such a machine takes: most likely MB were meant"),
    Rule(("memory.installed",), ("fitted",), _too_little,
         "{0} fitted is less than any system here runs with: most likely GB were meant"),
    Rule(("storage.drive",), ("storage.drive",),
         lambda r: (r("storage.drive") < _DRIVE_LEAST) | (r("storage.drive") > _DRIVE_MOST),
         "a drive of {0} is not likely: look at the unit"),
    Rule(("processor.clock",), ("processor.clock",),
         lambda r: (r("processor.clock") < _CLOCK_LEAST) | (r("processor.clock") > _CLOCK_MOST),
         "a clock of {0} is not likely: look at the unit"),
)  # fmt: skip
"""Every rule; a fleet numbers its doubts by their places."""

_WHOLE = ("processor.cores", "processor.threads", "memory.slots", "memory.listed", "memory.types",
          "processor.bits", "processor.line_bits", "system.os_bits", "system.own_bits",
          "extra.firmware_cores", "extra.firmware_threads")  # fmt: skip


def _shown(key: str, value: float) -> str:
    if key in _WHOLE:
        return str(int(value))
    if key.startswith("storage."):
        return format_storage(int(value))
    return format_clock(int(value)) if key == "processor.clock" else format_memory(int(value), 2)


def doubt_of(rule: Rule, numbers: Numbers) -> Doubt:
    """The doubt that a broken rule gives cause for."""
    texts = [_shown(key, float(numbers(key))) for key in rule.reads]
    values = [
        {key: int(numbers(one) if isinstance(one, str) else one) for key, one in each}
        for each in rule.values
    ]
    return Doubt(list(rule.about), rule.text.format(*texts), values)  # type: ignore[arg-type]


def type_count(modules: list[Module] | None) -> float:
    """How many types the modules that can come out are of; those that go together count as one."""
    types = types_of([one for one in modules or [] if one.size and not soldered(one)])
    return 1.0 if one_type(types) is not None else float(len(types))


def largest(modules: list[Module] | None) -> float:
    """The size of the largest module that can come out; NaN where none is known."""
    sizes = [one.size for one in modules or [] if one.size and not soldered(one)]
    return float(max(sizes)) if sizes else UNKNOWN


def numbers_of(machine: Machine, vocabulary: Vocabulary) -> Numbers:
    """The numbers of one machine's own readings."""
    raw = completed(amounts_of(machine, vocabulary))
    worked_out = machine.origins.get("memory.installed")
    by_usable = raw.how == BY_USABLE or (
        machine.memory.installed is not None
        and worked_out is not None
        and worked_out.how == "worked out"
        and machine.memory.modules is None
    )
    own: dict[str, float] = {
        "fitted": UNKNOWN if by_usable else raw.installed,
        "memory.in_modules": raw.in_modules,
        "memory.listed": float(in_positions(machine.memory.modules)),
        "memory.types": type_count(machine.memory.modules),
        "memory.largest": largest(machine.memory.modules),
        "memory.room": raw.slots * raw.position_most,
        "server": float(machine.system.shape == "server"),
        "processor.line_bits": bits_by_line(
            machine.processor.name, machine.processor.line, vocabulary
        ),
        "system.own_bits": bits_by_system(machine.system.os, machine.system.os_version, vocabulary),
    }

    def number(key: str) -> float:
        if key not in own:
            own[key] = told(key)
        return own[key]

    def told(key: str) -> float:
        if key == "storage.room":
            found = [get(machine, name) for name in ("storage.size", "storage.drive")]
            return min((float(one) for one in found if one is not None), default=UNKNOWN)
        value = get(machine, key)
        return float(value) if isinstance(value, int | float) else UNKNOWN

    return number


def broken_rules(numbers: Numbers) -> list[Rule]:
    """The contradictions that some numbers give cause for."""
    return [rule for rule in RULES if rule.broken(numbers)]


def doubts_of(machine: Machine, vocabulary: Vocabulary) -> list[Doubt]:
    """Readings of a machine that cannot all be true."""
    numbers = numbers_of(machine, vocabulary)
    found = [doubt_of(rule, numbers) for rule in broken_rules(numbers)]
    odd = [
        one.mount or "a volume"
        for one in machine.storage or []
        if one.free is not None and one.size is not None and one.free > one.size
    ]
    if odd and not any("storage.free" in one.about for one in found):
        text = f"more is free on {', '.join(odd)} than there is"
        found.append(Doubt(["storage"], text))
    return found
