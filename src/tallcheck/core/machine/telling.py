"""What somebody tells of a machine, put on its sheet: it is true, and what followed follows again.

The order in which several readings are told makes no difference.
"""

from collections.abc import Callable, Iterable
from typing import Any

from msgspec import structs

from tallcheck.core.machine.agreeing import adapters_told, agreed, sized
from tallcheck.core.machine.amounts import ADDRESSABLE_32, Use, completed, use_of, use_under
from tallcheck.core.machine.derive import BY_LIST, amounts_of, complete
from tallcheck.core.machine.doubts import broken_rules, numbers_of
from tallcheck.core.machine.modules import bytes_in, one_form, one_type, soldered, types_of
from tallcheck.core.machine.names import stated_clock
from tallcheck.core.machine.normalized import normalized
from tallcheck.core.machine.readings import (
    Told,
    drop_worked_out,
    get,
    kind_of,
    label_of,
    put,
    put_all,
)
from tallcheck.core.machine.sheet import Doubt, Kit, Machine, Module, Origin
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.values.either import UNKNOWN
from tallcheck.core.values.kinds import KINDS

_FIRST = (
    "processor.architecture", "processor.bits", "system.os", "system.os_bits",
    "system.architecture", "memory.modules", "memory.installed", "memory.usable",
)  # fmt: skip
"""What other readings follow from comes before them."""
_KEPT = ("processor.bits", "memory.modules")
"""What a told system or total does not make unknown: the machine has it all the same."""
_OF_THE_NAME = ("processor.maker", "processor.line", "processor.generation")
_OF_THE_SYSTEM = ("system.os_version", "system.family", "system.kernel")


def _told_twice(key: str, values: list[Any]) -> str:
    show = KINDS[kind_of(key)].show
    shown = [show(one) if isinstance(one, int | float | str) else "a list" for one in values]
    return f"{label_of(key)} was told more than once: {' and '.join(map(str, shown))}"


def tell_all(
    machine: Machine, told: Iterable[Told], vocabulary: Vocabulary, source: str = ""
) -> Machine:
    """The machine with told readings: doubts about them and what was worked out from them go.

    A second value that contradicts the first is a doubt.
    """
    values: dict[str, Any] = {}
    twice: dict[str, list[Any]] = {}
    those = _with_adapters_once(_with_plain_versions(machine, told, vocabulary))
    # the clock that a processor's own name states is the maker's; what screens show is measured
    names = (str(one.value) for one in those if one.key == "processor.name")
    stated = next(filter(None, map(stated_clock, names)), None)
    for one in those:
        if one.key == "processor.clock" and stated is not None:
            values[one.key] = stated
        elif one.key not in values:
            values[one.key] = one.value
        elif (both := agreed(one.key, values[one.key], one.value)) is not None:
            values[one.key] = both
        else:
            others = twice.setdefault(one.key, [values[one.key]])
            others += [] if one.value in others else [one.value]
    if not values:
        return machine
    virtual = values.get("system.virtual", machine.system.virtual)
    if virtual and "memory.usable" in values and "memory.installed" not in values:
        # whatever is told of a virtual machine's memory is what its host gives it
        values["memory.installed"] = values.pop("memory.usable")
    machine = _without_doubts(machine, values)
    order = [key for key in _FIRST if key in values] + [key for key in values if key not in _FIRST]
    for key in order:
        machine = _TELLERS.get(key, _tell)(machine, key, values, Origin("told", source), vocabulary)
    machine = _without_contradicted(machine, values, vocabulary)
    doubts = [
        Doubt([key], _told_twice(key, values), [
            {key: value} for value in values if isinstance(value, int | float | str)
        ]) for key, values in twice.items()
    ]  # fmt: skip
    return structs.replace(machine, doubts=[*machine.doubts, *doubts]) if doubts else machine


def _with_adapters_once(told: list[Told]) -> list[Told]:
    """The same, with all adapters that are told as one list."""
    some = [at for at, one in enumerate(told) if one.key == "graphics" and one.value]
    if len(some) < 2:
        return told
    every = Told("graphics", adapters_told([one for at in some for one in told[at].value]))
    rest = set(some[1:])
    return [every if at == some[0] else one for at, one in enumerate(told) if at not in rest]


def _with_plain_versions(
    machine: Machine, those: Iterable[Told], vocabulary: Vocabulary
) -> list[Told]:
    """The same, with versions as people say them where they are told as the system counts."""
    told = list(those)
    if not any(one.key == "system.os_version" for one in told):
        return told
    name = next((one.value for one in told if one.key == "system.os"), machine.system.os)
    plain = vocabulary.systems.plain_version
    return [
        Told(one.key, plain(name, one.value)) if one.key == "system.os_version" else one
        for one in told
    ]  # fmt: skip


def _without_doubts(machine: Machine, values: dict[str, Any]) -> Machine:
    about = set(values) | {
        part for key in values if (part := key.partition(".")[0]) in ("storage", "graphics")
    }
    kept = [doubt for doubt in machine.doubts if not about & set(doubt.about)]
    return structs.replace(machine, doubts=kept)


def _without_contradicted(
    machine: Machine, values: dict[str, Any], vocabulary: Vocabulary
) -> Machine:
    """What contradicts a told reading, and was not told, is not known any more."""
    for rule in broken_rules(numbers_of(complete(machine, vocabulary), vocabulary)):
        between = (*rule.about, *rule.against)
        if any(key in values for key in between):
            for key in between:
                if key not in values and key not in _KEPT:
                    machine = put(machine, key, None)
    return machine


def _tell(
    machine: Machine, key: str, values: dict[str, Any], origin: Origin, vocabulary: Vocabulary
) -> Machine:
    return put(drop_worked_out(machine, key), key, values[key], origin)


# --- the system ----------------------------------------------------------------------------


def _tell_system(
    machine: Machine, key: str, values: dict[str, Any], origin: Origin, vocabulary: Vocabulary
) -> Machine:
    """Another name: its version, family and kernel are other ones, too."""
    old = machine.system.os
    machine = _tell(machine, key, values, origin, vocabulary)
    if old is not None and str(old).lower() != str(values[key]).lower():
        for other in _OF_THE_SYSTEM:
            if other not in values:
                machine = put(machine, other, None)
    return machine


def _tell_name(
    machine: Machine, key: str, values: dict[str, Any], origin: Origin, vocabulary: Vocabulary
) -> Machine:
    """Another processor's name: its line and generation are what that name tells."""
    machine = _tell(machine, key, values, origin, vocabulary)
    for other in _OF_THE_NAME:
        if other not in values:
            machine = put(machine, other, None)
    return machine


def _tell_bits(
    machine: Machine, key: str, values: dict[str, Any], origin: Origin, vocabulary: Vocabulary
) -> Machine:
    """Other bits of the system: what it addresses and shows of the memory is another matter."""
    old = normalized(machine, vocabulary).machine
    machine = _tell(machine, key, values, origin, vocabulary)
    bits = values[key]
    if old.system.os_bits == bits:
        return machine
    for other in ("memory.addressable", "system.architecture"):
        if other not in values:
            machine = put(machine, other, None)
    if old.memory.usable is None or old.memory.installed is None:
        return machine
    limit = float(ADDRESSABLE_32) if bits == 32 else UNKNOWN
    use = use_under(use_of(completed(amounts_of(old, vocabulary))), limit)
    return _with_total(machine, old, old.memory.installed, use, "the told bits of the system")


# --- memory --------------------------------------------------------------------------------


def _tell_total(
    machine: Machine, key: str, values: dict[str, Any], origin: Origin, vocabulary: Vocabulary
) -> Machine:
    """Other memory: its modules are unknown, what is kept from use and what is in use stay."""
    old = normalized(machine, vocabulary).machine
    total = values[key]
    listed = [one.size for one in machine.memory.modules or []]
    summed = None if None in listed else sum(one or 0 for one in listed)
    same = summed is None or total in (old.memory.installed, summed)
    if "memory.modules" not in values and not same:
        machine = _with_other_modules(machine)
    machine = _other_total(machine, old, total, "the told memory", vocabulary)
    return put(machine, key, total, origin)


def _with_other_modules(machine: Machine) -> Machine:
    """The machine with modules that are not known, of the type and form that its board takes."""
    modules = [one for one in machine.memory.modules or [] if not soldered(one)]
    kinds = {"type": one_type(types_of(modules)), "form": one_form(modules)}
    machine = put(machine, "memory.modules", None)
    for name, kind in kinds.items():
        key = f"extra.memory_{name}"
        if kind is not None and get(machine, key) is None:
            machine = put(machine, key, kind, Origin("worked out", "the modules that were there"))
    return machine


def _tell_usable(
    machine: Machine, key: str, values: dict[str, Any], origin: Origin, vocabulary: Vocabulary
) -> Machine:
    """More usable than was known to be fitted: then there is other memory."""
    fitted = normalized(machine, vocabulary).machine.memory.installed
    machine = _tell(machine, key, values, origin, vocabulary)
    told = "memory.installed" in values or "memory.modules" in values
    if told or fitted is None or values[key] <= fitted:
        return machine
    return put(_with_other_modules(machine), "memory.installed", None)


def _tell_modules(
    machine: Machine, key: str, values: dict[str, Any], origin: Origin, vocabulary: Vocabulary
) -> Machine:
    """Told modules are the memory; where only their number is told, what is fitted stays."""
    old = normalized(machine, vocabulary).machine
    modules = values[key]
    if not sized(modules) and _filled(modules) == _filled(machine.memory.modules or []):
        return machine
    machine = drop_worked_out(machine, key)
    readings = of_modules(modules, "memory.slots" in values, origin)
    if not sized(modules) and _filled(modules) == 1:
        total = values.get("memory.installed", machine.memory.installed)
        only = [structs.replace(one, size=total) if one.size is None else one for one in modules]
        readings[key] = only, Origin("worked out", "the one position in use has it all")
    elif "memory.installed" in readings:
        machine = _other_total(machine, old, int(bytes_in(modules)), "the told modules", vocabulary)
    return put_all(machine, readings)


def of_modules(
    modules: list[Module], counted: bool, origin: Origin
) -> dict[str, tuple[Any, Origin | None]]:
    """What a told list of modules says, by reading; ``counted``: the positions are told, too."""
    worked, total = Origin("worked out", BY_LIST), bytes_in(modules)
    sized = total == total
    found: dict[str, tuple[Any, Origin | None]] = {
        "memory.modules": (
            list(modules), origin if sized else Origin("worked out", "the positions in use")
        )
    }  # fmt: skip
    if not counted and not isinstance(modules, Kit):
        found["memory.slots"] = (len(modules), worked)
    if sized:
        # positions that are all empty tell of none, and no machine runs without memory
        found["memory.installed"] = (int(total), worked) if total else (None, None)
    return found


def _filled(modules: list[Module]) -> int:
    return sum(one.size != 0 for one in modules)


def _other_total(
    machine: Machine, old: Machine, total: int, what: str, vocabulary: Vocabulary
) -> Machine:
    memory = old.memory
    machine = drop_worked_out(machine, "memory.installed")
    if memory.installed is None or memory.installed == total:
        return machine
    if memory.usable is None:
        return _with_available(machine, memory.available, total - memory.installed, what)
    use = use_of(completed(amounts_of(old, vocabulary)))
    return _with_total(machine, old, total, use, what)


def _with_total(machine: Machine, old: Machine, total: int, use: Use, what: str) -> Machine:
    usable = int(use.usable(float(total)))
    more = usable - (old.memory.usable or 0)
    machine = _with_available(machine, old.memory.available, more, what)
    return put(machine, "memory.usable", usable, _less_kept(what))


def _with_available(machine: Machine, available: int | None, more: int, what: str) -> Machine:
    if available is None:
        return machine
    return put(machine, "memory.available", max(available + more, 0), _less_kept(what))


def _less_kept(what: str) -> Origin:
    return Origin("worked out", f"{what}, less what was kept from use before")


# --- instruction sets ----------------------------------------------------------------------


def _tell_sets(
    machine: Machine, key: str, values: dict[str, Any], origin: Origin, vocabulary: Vocabulary
) -> Machine:
    """Told sets and levels replace the list, and what was hidden."""
    level, sets = level_and_sets(values[key])
    machine = _tell_level(
        machine, "processor.level", {"processor.level": level}, origin, vocabulary
    )
    return put(machine, key, sets, origin)


def level_and_sets(names: Iterable[str]) -> tuple[str | None, list[str] | None]:
    """The highest level among some told sets and levels, and the sets; None where none is."""
    levels = {name for name in names if name.startswith("x86-64")}
    return max(levels, default=None), [name for name in names if name not in levels] or None


def _tell_level(
    machine: Machine, key: str, values: dict[str, Any], origin: Origin, vocabulary: Vocabulary
) -> Machine:
    machine = drop_worked_out(machine, "processor.instructions")
    if "processor.instructions" not in values:
        machine = put(machine, "processor.instructions", None)
    machine = put(machine, "processor.hidden", None)
    return put(machine, key, values[key], origin)


_Teller = Callable[[Machine, str, dict[str, Any], Origin, Vocabulary], Machine]
_TELLERS: dict[str, _Teller] = {
    "processor.name": _tell_name,
    "system.os": _tell_system,
    "system.os_bits": _tell_bits,
    "memory.installed": _tell_total,
    "memory.usable": _tell_usable,
    "memory.modules": _tell_modules,
    "processor.instructions": _tell_sets,
    "processor.level": _tell_level,
}
