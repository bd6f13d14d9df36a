"""Rows: one need held against one reading, met, short or unknown, with the cures when short."""

from collections.abc import Callable
from fnmatch import fnmatchcase
from typing import Any, Literal

from msgspec import Struct

from tallcheck.core.before.cures import GRAVITY
from tallcheck.core.machine.derive import at_limit, complete
from tallcheck.core.machine.instructions import LEVELS, belongs_to_other, enabled, implied
from tallcheck.core.machine.memory import Reach, cures_of_short_memory, reach, usable_share_kept
from tallcheck.core.machine.readings import get, label_of, put
from tallcheck.core.machine.sheet import Machine, Origin
from tallcheck.core.needs.sheet import (
    ABILITY,
    SPECS,
    AllSets,
    ExtraKeys,
    G,
    Generations,
    Interfaces,
    Named,
    Need,
    OneOf,
    P,
)
from tallcheck.core.usage.summary import TIGHT, Figures
from tallcheck.core.values import comparison as c
from tallcheck.core.values import quantities as q
from tallcheck.core.values.comparison import Bound

Status = Literal["met", "short", "unknown"]

BOXED = ("desktop", "tower", "server")
"""Shapes whose processor and graphics can be changed."""


class Row(Struct, frozen=True):
    """One need against one reading. ``ratio`` is have against need, 1 where they are equal."""

    key: str
    strength: str
    source: str
    need: Any
    need_text: str
    have: Any
    have_text: str
    status: Status
    ratio: float | None = None
    cures: tuple[str, ...] = ()
    origin: Origin | None = None
    note: str = ""
    readings: tuple[str, ...] = ()
    """The unknown readings on which an unknown row, or the cures of a short one, rest."""
    worked_out: tuple[str, ...] = ()
    """The worked-out readings that decided the row."""
    otherwise: tuple[str, ...] | None = None
    """The other cures that a short row could have, where a reading is missing."""


class Asked(Struct, frozen=True):
    """A need with the sheet and strength it comes from."""

    need: Need
    source: str
    strength: str


class View(Struct, frozen=True):
    """A machine ready to be held against needs: completed, doubted readings unknown."""

    machine: Machine
    doubted: frozenset[str]
    target: Reach | None
    wanted: int
    """The highest total asked for in bytes: memory figures, or demand with programs' own."""
    own: int
    """What programs want for themselves, on top of what is in use, in bytes."""
    usage: Figures | None = None
    """Memory and cores in use over time, where a log tells."""


def _known(machine: Machine) -> tuple[Machine, frozenset[str]]:
    """The completed machine in which every doubted reading is unknown."""
    doubted: set[str] = set()
    for doubt in machine.doubts:
        doubted |= set(doubt.about)
    machine = complete(machine)
    for key in doubted:
        try:
            machine = put(machine, key, None)
        except (AttributeError, TypeError):
            continue  # a doubt about a part of the sheet that no need is held against
    return machine, frozenset(doubted)


def known_machine(machine: Machine) -> Machine:
    """The machine with what follows worked out, and every doubted reading unknown."""
    return _known(machine)[0]


def wanted_memory(asked: list[Asked]) -> int:
    """The highest whole-machine memory figure asked for, in bytes."""
    figures = [
        a.need.test.limit
        for a in asked
        if a.need.key == "memory"
        and isinstance(a.need.test, Bound)
        and a.need.test.op in (c.AT_LEAST, c.BETWEEN, c.EXACTLY)
    ]
    return max(figures, default=0)


def view_of(machine: Machine, asked: list[Asked], usage: Figures | None = None) -> View:
    """The machine as the rows see it, with the memory total that the needs lead to.

    With a usage log the total leaves a fifth of room above what is wanted in use.
    """
    known, doubted = _known(machine)
    wanted, own = wanted_memory(asked), own_memory(asked)
    in_use = memory_in_use(known, usage)
    if in_use is not None and (own or usage):
        wanted = max(wanted, _demand(in_use + own, usage))
    return View(known, doubted, reach(known, wanted) if wanted else None, wanted, own, usage)


def _demand(figure: int, usage: Figures | None) -> int:
    """The total that a demand asks for: with a log, so that it stays under the mark."""
    return figure if usage is None else int(figure / TIGHT)


def own_memory(asked: list[Asked]) -> int:
    """What all programs want for themselves, added up, in bytes."""
    return sum(
        a.need.test.limit
        for a in asked
        if a.need.key == "memory_own" and isinstance(a.need.test, Bound)
    )


def memory_in_use(machine: Machine, usage: Figures | None = None) -> int | None:
    """Memory in use in bytes: by a log its 95th percentile, else usable less available.

    Where only the fitted memory is known, that stands for the usable: in use is never too low.
    """
    if usage is not None:
        return usage.in_use_p95
    usable, available = usable_or_fitted(machine), machine.memory.available
    if usable is None or available is None:
        return None
    return max(usable - available, 0)


def usable_or_fitted(machine: Machine) -> int | None:
    """Usable memory in bytes, or fitted memory where only that is known."""
    memory = machine.memory
    return memory.usable if memory.usable is not None else memory.installed


# --- cures ---------------------------------------------------------------------------------


def processor_cures(machine: Machine) -> tuple[str, str | None]:
    """The cure of a short processor, and the other one it could be where the shape is unknown."""
    if machine.system.virtual:
        return "setting", None
    if machine.system.shape is None:
        return "processor", "machine"
    return ("processor" if machine.system.shape in BOXED else "machine"), None


def _cures(key: str, machine: Machine) -> tuple[tuple[str, ...], tuple[str, ...] | None]:
    cure = SPECS[key].cure
    if cure == P:
        first, second = processor_cures(machine)
        return (first,), (second,) if second else None
    if cure == G:
        if machine.system.shape is None:
            return ("graphics",), ("machine",)
        return ("graphics" if machine.system.shape in BOXED else "machine",), None
    return (cure,), None


# --- the keys ------------------------------------------------------------------------------


class _Held(Struct):
    """What holding one test against the machine gave."""

    status: Status
    have: Any = None
    have_text: str = "unknown"
    ratio: float | None = None
    note: str = ""
    reading: str = ""
    cures: tuple[str, ...] | None = None
    otherwise: tuple[str, ...] | None = None
    readings: tuple[str, ...] = ()
    worked_out: tuple[str, ...] = ()


def _bits_text(bits: int) -> str:
    return f"{bits}-bit"


def _version_text(version: tuple[int, ...]) -> str:
    text = ".".join(str(part) for part in version)
    return (text if "." in text else f"{text}.0") if version else "none"


def _display_text(size: tuple[int, int]) -> str:
    return f"{size[0]}x{size[1]}"


def _number_text(value: float) -> str:
    return f"{value:g}"


_SHOW: dict[str, Callable[[Any], str]] = {
    "memory": q.format_memory,
    "storage": q.format_storage,
    "clock": q.format_clock,
    "count": _number_text,
    "number": _number_text,
    "bits": _bits_text,
    "share": q.format_share,
    "version": _version_text,
    "ability": lambda rank: ABILITY[rank],
    "display": _display_text,
}
_FINE: dict[str, Callable[[Any], str]] = {
    "memory": lambda size: q.format_memory(size, 3),
    "storage": lambda size: q.format_storage(size, 3),
    "clock": lambda hertz: q.format_clock(hertz, 4),
}


def show_value(kind: str, value: Any) -> str:
    """A value of a kind as people read it, with its unit."""
    return _SHOW[kind](value)


def _apart(kind: str, bound: Bound, value: Any) -> tuple[str, str]:
    """Need and have as text, with more digits where the usual ones would look the same."""
    show = _SHOW[kind]
    need, have = bound.text(show), show(value)
    if need == have and value != bound.limit and kind in _FINE:
        return bound.text(_FINE[kind]), _FINE[kind](value)
    return need, have


def _hold_memory(need: Need, view: View) -> _Held:
    bound, machine = need.test, view.machine
    assert isinstance(bound, Bound)
    memory = machine.memory
    installed, usable = memory.installed, memory.usable
    if installed is None and usable is None:
        return _Held("unknown", reading="memory.installed", readings=("memory.installed",))
    note, reading = "", "memory.installed"
    if installed is None:
        # more may be fitted than a 32-bit system shows
        assert usable is not None
        known = bound.op == c.AT_LEAST and usable >= bound.limit
        note = "the system shows only what it can use; more may be fitted"
        return _Held(
            "met" if known else "unknown", usable, f"{q.format_memory(usable)} or more",
            bound.ratio(usable) if known else None, note, "memory.usable",
            readings=() if known else ("memory.installed",),
        )  # fmt: skip
    have = installed
    if usable_share_kept(machine):
        assert usable is not None
        have, reading = usable, "memory.usable"
        note = f"{q.format_memory(installed)} is fitted, but the system can use only this"
    elif usable is not None and q.format_memory(usable) != q.format_memory(installed):
        narrow = machine.system.os_bits == 32 and at_limit(usable, 32, memory.addressable)
        keeps = "the 32-bit system cannot reach" if narrow else "firmware, graphics and system keep"
        note = (
            f"{q.format_memory(usable)} usable is {q.format_memory(installed)} fitted: "
            f"{keeps} the rest"
        )
    _, have_text = _apart("memory", bound, have)
    held = _Held(
        "met" if bound.holds(have) else "short", have, have_text, bound.ratio(have), note, reading
    )
    if held.status == "short":
        _cure_memory(held, bound, view)
    return held


def _cure_memory(held: _Held, bound: Bound, view: View) -> None:
    if bound.op in (c.AT_MOST, c.NOT) or (
        bound.op in (c.EXACTLY, c.BETWEEN) and held.have > bound.limits()[-1]
    ):
        held.cures = ("setting",)  # a program's upper bound: less is to be shown to it
        return
    wanted = max(view.wanted, bound.limit)
    known = view.target is not None and wanted <= view.wanted
    target = view.target if known and view.target else reach(view.machine, wanted)
    found = cures_of_short_memory(view.machine, target, wanted)
    held.cures = _ordered(found.cures)
    if found.unsure:
        held.readings += (found.unsure,)
        held.otherwise = _ordered(found.otherwise)
    if found.why:
        held.note = "; ".join([*found.why, *([held.note] if held.note else [])])


def memory_held(machine: Machine) -> int | None:
    """What a memory need is held against: fitted, or usable where much of it is kept back."""
    memory = machine.memory
    if usable_share_kept(machine) or memory.installed is None:
        return memory.usable
    return memory.installed


def _hold_own_memory(need: Need, view: View) -> _Held:
    """The room beside what is in use and what the other programs want for themselves."""
    bound, machine = need.test, view.machine
    assert isinstance(bound, Bound)
    in_use, total = memory_in_use(machine, view.usage), memory_held(machine)
    reading = "memory.available"
    if in_use is None or total is None:
        missing: tuple[str, ...] = () if total is not None else ("memory.installed",)
        if machine.memory.available is None:
            missing += (reading,)
        return _Held("unknown", reading=reading, readings=missing)
    room = total - in_use - (view.own - bound.limit)
    when = "at the moment of the reading" if view.usage is None else "95 % of the time, or less"
    note = f"{q.format_memory(in_use)} was in use {when}"
    have_text = q.format_memory(max(room, 0)) + " of room"
    held = _Held(
        "met" if bound.holds(room) else "short", max(room, 0), have_text,
        bound.ratio(max(room, 0)), note, reading,
    )  # fmt: skip
    if held.status == "short":
        _cure_memory(held, Bound(c.AT_LEAST, _demand(in_use + view.own, view.usage)), view)
    return held


def _ordered(cures: frozenset[str] | set[str]) -> tuple[str, ...]:
    return tuple(cure for cure in GRAVITY if cure in cures)


def _plain_value(key: str, machine: Machine) -> Any:
    """A reading in the form its test compares: versions as tuples, abilities as ranks."""
    spec = SPECS[key]
    value = get(machine, spec.reading) if spec.reading != "storage.data" else _data_size(machine)
    if value is None:
        return None
    try:
        if spec.kind == "version":
            return q.parse_version(str(value))
        if spec.kind == "display":
            return q.parse_display(str(value))
    except ValueError:
        return None  # a reading that does not read as one is not known
    return ABILITY.index(value) if spec.kind == "ability" else value


def _data_size(machine: Machine) -> int | None:
    if machine.storage is None:
        return None
    sizes = [volume.size for volume in machine.storage if not volume.external]
    return None if None in sizes else max((size or 0 for size in sizes), default=0)


def _hold_bound(need: Need, view: View) -> _Held:
    bound, key, machine = need.test, need.key, view.machine
    assert isinstance(bound, Bound)
    spec = SPECS[key]
    value = _plain_value(key, machine)
    reading = spec.reading
    worked_out: tuple[str, ...] = ()
    if key == "storage" and value is None and (volume := get(machine, "storage.size")) is not None:
        value, reading, worked_out = volume, "storage.size", ("storage.size",)
    if value is None:
        return _Held("unknown", reading=reading, readings=(reading,))
    met = (
        all(have >= want for have, want in zip(value, bound.limit, strict=True))
        if spec.kind == "display" and bound.op == c.AT_LEAST
        else bound.holds(value)
    )
    numeric = isinstance(value, int | float) and spec.kind not in ("ability", "bits")
    _, have_text = _apart(spec.kind, bound, value)
    held = _Held(
        "met" if met else "short", value, have_text, bound.ratio(value) if numeric else None,
        _note(key, machine, met), reading, worked_out=worked_out,
    )  # fmt: skip
    if spec.kind in ("version", "display", "ability"):
        held.have = have_text
    if not met:
        _switched_off(key, bound, held, machine)
    return held


def _switched_off(key: str, bound: Bound, held: _Held, machine: Machine) -> None:
    """Cores that are only switched off, and virtualization that is, need a setting, no more."""
    if key in ("cores", "threads"):
        off = (machine.extra or {}).get(f"{key}_off")
        if isinstance(off, int) and bound.holds(held.have + off):
            held.cures = ("setting",)
            held.note = f"{off} more {key} are there, switched off"
    elif key == "virtualization" and held.have == "able":
        held.cures = ("setting",)
        held.note = "the processor can; it is switched off in the firmware"


def _note(key: str, machine: Machine, met: bool) -> str:
    """What people commonly misread in this row, where this machine invites it."""
    processor, system = machine.processor, machine.system
    if key == "cores" and processor.threads and processor.threads != processor.cores:
        return f"threads are not cores: {processor.threads} threads on {processor.cores} cores"
    if key == "threads" and processor.cores and processor.threads != processor.cores:
        return f"{processor.cores} cores run {processor.threads} threads"
    if key == "clock" and processor.clock_most:
        return f"the nominal clock; the highest is {q.format_clock(processor.clock_most)}"
    if key == "processor_bits" and system.os_bits and system.os_bits != processor.bits:
        return (
            f"a {system.os_bits}-bit system runs on this {processor.bits}-bit processor: "
            "two different things"
        )
    if key == "os_bits" and processor.bits and system.os_bits != processor.bits:
        return f"the processor has {processor.bits} bits; the running system has {system.os_bits}"
    if key == "storage" and (drive := get(machine, "storage.drive")):
        binary = drive / q.GIB
        if drive >= 100 * 10**9:
            return f"a system that counts in GiB shows {binary:.0f} for it; nothing is missing"
    if key == "storage" and get(machine, "storage.drive") is None:
        return "the volume that holds the system; the drive may be larger"
    if key in ("security_module", "secure_boot", "firmware") and not met:
        return "often only switched off: look in the firmware's settings first"
    return ""


_WILD = frozenset("*?[")


def _hold_words(need: Need, view: View) -> _Held:
    test, key, machine = need.test, need.key, view.machine
    assert isinstance(test, OneOf)
    reading = SPECS[key].reading
    value = get(machine, reading)
    if value is None:
        return _Held("unknown", reading=reading, readings=(reading,))
    folded = str(value).lower()
    if key == "processors":
        # a list may name thousands of processors: plain names first, patterns only then
        found = folded in test.words or any(
            fnmatchcase(folded, pattern) for pattern in test.words if set(pattern) & _WILD
        )
    else:
        runs = {folded, "x86"} if folded == "x86-64" else {folded}
        found = bool(runs & set(test.words)) if not test.refused else folded in test.words
    met = found != test.refused
    return _Held(
        "met" if met else "short", value, str(value), None, _note(key, machine, met), reading
    )


class _Sets(Struct):
    there: list[str] = []
    by: dict[str, str] = {}
    hidden: list[str] = []
    absent: list[str] = []
    unknown: list[str] = []


def _sort_sets(names: tuple[str, ...], machine: Machine) -> _Sets:
    """The sets that levels and names stand for, by what is known of each."""
    processor = machine.processor
    origin = machine.origins.get("processor.instructions")
    complete_list = bool(origin and origin.how == "read" and processor.instructions is not None)
    told = processor.instructions or []
    absent = {name[1:] for name in told if name.startswith("-")}
    given = {name for name in told if not name.startswith("-")}
    levels = list(LEVELS)
    level = -1
    if not complete_list and processor.level:
        level = levels.index(processor.level)
    by_level = set(LEVELS[levels[level]]) if level >= 0 else set()
    by_set = implied(given | by_level, processor.architecture)
    there = enabled(given, processor.bits) | by_level
    found = _Sets()
    for name in names:
        if level >= 0 and name in levels:
            (found.there if levels.index(name) <= level else found.absent).append(name)
            continue
        for single in LEVELS.get(name, (name,)):
            if single in there and single not in absent:
                found.there.append(single)
            elif single in (processor.hidden or ()):
                found.hidden.append(single)
            elif belongs_to_other(single, processor.architecture) or single in absent:
                found.absent.append(single)
            elif single in by_set:
                if complete_list:
                    found.hidden.append(single)
                else:
                    found.there.append(single)
                    found.by[single] = by_set[single]
            else:
                (found.absent if complete_list else found.unknown).append(single)
    return found


def _hold_sets(need: Need, view: View) -> _Held:
    test, machine = need.test, view.machine
    assert isinstance(test, AllSets)
    reading = "processor.instructions"
    found = _sort_sets(test.names, machine)
    have: list[str] = list(dict.fromkeys(found.there))
    missing = [f"no {name}" for name in dict.fromkeys(found.absent)]
    hidden = [f"{name} hidden" for name in dict.fromkeys(found.hidden)]
    unknown = [f"{name}?" for name in dict.fromkeys(found.unknown)]
    short_text = ", ".join(missing + hidden)
    by = [f"{name} (comes with {source})" for name, source in found.by.items()]
    note = f"worked out: {', '.join(by)}" if by else ""
    worked = (reading,) if by else ()
    if found.absent or found.hidden:
        held = _Held("short", have, short_text, 0.0, note, reading, worked_out=worked)
        if not found.absent:
            held.cures = ("setting",)
            held.note = "the processor has it; the system or the host does not offer it"
        elif found.hidden:
            first, second = processor_cures(machine)
            held.cures = _ordered({first, "setting"})
            held.otherwise = _ordered({second, "setting"}) if second else None
        return held
    if found.unknown:
        text = ", ".join(unknown) if len(unknown) <= 3 else "unknown"
        return _Held("unknown", have, text, None, note, reading, readings=(reading,))
    text = ", ".join(have) if len(have) <= 3 else "all there"
    return _Held("met", have, text, 1.0, note, reading, worked_out=worked)


def _hold_generation(need: Need, view: View) -> _Held:
    test, machine = need.test, view.machine
    assert isinstance(test, Generations)
    line, generation = machine.processor.line, machine.processor.generation
    reading = "processor.generation"
    if line is None:
        return _Held("unknown", reading=reading, readings=(reading,))
    text = f"{line}, generation {generation if generation is not None else 'unknown'}"
    if line not in test.lines:
        if "*" in test.lines:
            return _Held("short", generation, f"{line}: not taken", 0.0, "", reading)
        note = f"the publisher says nothing of {line}"
        return _Held("unknown", generation, text, None, note, reading, readings=(reading,))
    least = test.lines[line]
    if least is None:
        return _Held("short", generation, f"{line}: not taken", 0.0, "", reading)
    if generation is None:
        return _Held("unknown", None, text, None, "", reading, readings=(reading,))
    met = generation >= least
    ratio = generation / least if least else None
    return _Held("met" if met else "short", generation, text, ratio, "", reading)


def in_range(version: str | None, span: str) -> bool | None:
    """Whether a version lies in a range; None where that cannot be told."""
    if not span:
        return True
    if version is None:
        return None
    from packaging.specifiers import InvalidSpecifier, SpecifierSet
    from packaging.version import InvalidVersion

    try:
        return SpecifierSet(span).contains(version, prereleases=True)
    except (InvalidSpecifier, InvalidVersion):
        return None


def _hold_named(need: Need, view: View) -> _Held:
    test, machine = need.test, view.machine
    assert isinstance(test, Named)
    reading = SPECS[need.key].reading
    if need.key == "os":
        name, version = machine.system.os, machine.system.os_version
        if name is None:
            return _Held("unknown", reading=reading, readings=(reading,))
        found = [
            in_range(version, span) if name.lower() == wanted.lower() else False
            for wanted, span in test.names
        ]
        text = f"{name} {version or '(version unknown)'}"
        if any(found):
            return _Held("met", text, text, None, "", reading)
        if None in found:
            return _Held("unknown", text, text, None, "", reading, readings=("system.os_version",))
        return _Held("short", text, text, None, "", reading)
    if machine.software is None:
        return _Held("unknown", reading=reading, readings=(reading,))
    have = {program.name.lower(): program.version for program in machine.software}
    states = {
        wanted: in_range(have[wanted.lower()], span) if wanted.lower() in have else False
        for wanted, span in test.names
    }
    missing = [name for name, state in states.items() if state is False]
    unsure = [name for name, state in states.items() if state is None]
    if missing:
        return _Held("short", None, f"not there: {', '.join(missing)}", 0.0, "", reading)
    if unsure:
        text = f"version unknown: {', '.join(unsure)}"
        return _Held("unknown", None, text, None, "", reading, readings=(reading,))
    return _Held("met", list(states), "all there", 1.0, "", reading)


def _hold_interfaces(need: Need, view: View) -> _Held:
    test, machine = need.test, view.machine
    assert isinstance(test, Interfaces)
    adapters = machine.graphics
    if adapters is None:
        return _Held("unknown", reading="graphics", readings=("graphics",))
    short: list[str] = []
    unsure: list[str] = []
    for name, least in test.versions.items():
        states: list[bool | None] = []
        for adapter in adapters:
            if adapter.api is None:
                states.append(None)
            else:
                offered = {k.lower(): v for k, v in adapter.api.items()}.get(name.lower(), "none")
                try:
                    states.append(q.parse_version(offered) >= q.parse_version(least))
                except ValueError:
                    states.append(None)
        if not any(states):
            (unsure if None in states else short).append(f"{name} {least}")
    if short:
        return _Held("short", None, f"no {', '.join(short)}", 0.0, "", "graphics")
    if unsure:
        return _Held("unknown", reading="graphics", readings=("graphics",))
    return _Held("met", list(test.versions), "all there", 1.0, "", "graphics")


def _hold_extra(need: Need, view: View) -> _Held:
    test, told = need.test, view.machine.extra or {}
    assert isinstance(test, ExtraKeys)
    wrong = [key for key, value in test.values.items() if key in told and told[key] != value]
    missing = [key for key in test.values if key not in told]
    if wrong:
        text = ", ".join(f"{key}: {told[key]}" for key in wrong)
        return _Held("short", None, text, 0.0, "", "extra")
    if missing:
        readings = tuple(f"extra.{key}" for key in missing)
        return _Held("unknown", reading="extra", readings=readings)
    return _Held("met", None, "as asked", 1.0, "", "extra")


_OF_USAGE = {"memory_use": "median", "cores_use": "cores_median"}


def _hold_use(need: Need, view: View) -> _Held:
    """Sustained use: the median over the hours of use."""
    bound, spec = need.test, SPECS[need.key]
    assert isinstance(bound, Bound)
    value = getattr(view.usage, _OF_USAGE[need.key]) if view.usage is not None else None
    if value is None:
        return _Held("unknown", reading=spec.reading, readings=(spec.reading,))
    text = f"{value:.1f}" if spec.kind == "number" else show_value(spec.kind, value)
    held = _Held(
        "met" if bound.holds(value) else "short", round(value, 4), text, bound.ratio(value),
        "sustained: the median over the hours of use", spec.reading,
    )  # fmt: skip
    if held.status == "short" and need.key == "memory_use" and view.wanted:
        _cure_memory(held, Bound(c.AT_LEAST, view.wanted), view)
    return held


def _holder(need: Need) -> Callable[[Need, View], _Held]:
    if need.key == "memory":
        return _hold_memory
    if need.key == "memory_own":
        return _hold_own_memory
    if need.key in _OF_USAGE:
        return _hold_use
    return _HOLDERS[type(need.test)]


_HOLDERS: dict[type, Callable[[Need, View], _Held]] = {
    Bound: _hold_bound,
    OneOf: _hold_words,
    AllSets: _hold_sets,
    Generations: _hold_generation,
    Named: _hold_named,
    Interfaces: _hold_interfaces,
    ExtraKeys: _hold_extra,
}


# --- need as text and as JSON --------------------------------------------------------------


def need_text(need: Need) -> str:
    """What a need asks for, as people read it."""
    test = need.test
    if isinstance(test, Bound):
        show = _SHOW[SPECS[need.key].kind]
        text = test.text(show)
        if test.op == c.EXACTLY and need.key == "os_bits":
            return f"{show(test.limit)}, no other"
        return text
    if isinstance(test, OneOf):
        joined = " or ".join(test.words[:3]) + (" or …" if len(test.words) > 3 else "")
        return f"not {joined}" if test.refused else joined
    if isinstance(test, AllSets):
        return ", ".join(test.names)
    if isinstance(test, Generations):
        return "; ".join(
            f"{'others' if line == '*' else line} {number if number is not None else 'no'}"
            for line, number in test.lines.items()
        )
    if isinstance(test, Named):
        joint = ", " if test.every else " or "
        return joint.join(f"{name} {span}".strip() for name, span in test.names)
    if isinstance(test, Interfaces):
        return ", ".join(f"{name} {version}" for name, version in test.versions.items())
    if isinstance(test, ExtraKeys):
        return ", ".join(f"{key}: {value}" for key, value in test.values.items())
    return " or ".join(
        " and ".join(f"{n.key} {need_text(n)}" for n in one) for one in need.alternatives
    )


def _need_value(need: Need) -> Any:
    test = need.test
    if isinstance(test, Bound):
        plain = test.op == c.AT_LEAST and isinstance(test.limit, int | float)
        return test.limit if plain and SPECS[need.key].kind != "ability" else need_text(need)
    if isinstance(test, AllSets):
        return list(test.names)
    if isinstance(test, OneOf) and not test.refused:
        return list(test.words)
    return need_text(need)


# --- a row ---------------------------------------------------------------------------------


def when_holds(need: Need, machine: Machine) -> tuple[bool | None, tuple[str, ...]]:
    """Whether the readings under which a need holds are so; None and the missing ones else."""
    missing = []
    for key, wanted in need.when:
        value = get(machine, key)
        if value is None:
            missing.append(key)
        elif str(value).lower() != str(wanted).lower():
            return False, ()
    return (None, tuple(missing)) if missing else (True, ())


def row_of(asked: Asked, view: View) -> Row | None:
    """The row of one need; None where it does not hold for this machine."""
    need = asked.need
    holds, missing = when_holds(need, view.machine)
    if holds is False:
        return None
    row = _any_row(asked, view) if need.alternatives else _single_row(asked, view)
    if holds is None and row.status != "met":
        text = " and ".join(f"{label_of(key)} is {value}" for key, value in need.when)
        cures = row.cures or _cures(need.key, view.machine)[0]
        return _with(
            row, status="unknown", cures=cures, readings=(*missing, *row.readings),
            note=f"asked for only where {text}",
        )  # fmt: skip
    return row


def _with(row: Row, **changes: Any) -> Row:
    from msgspec import structs

    return structs.replace(row, **changes)


def _single_row(asked: Asked, view: View) -> Row:
    need, machine = asked.need, view.machine
    if need.incomparable:
        return Row(
            need.key, asked.strength, asked.source, _need_value(need), need_text(need), None,
            "not comparable", "unknown", note=need.incomparable,
        )  # fmt: skip
    held = _holder(need)(need, view)
    cures, otherwise = held.cures, held.otherwise
    if (held.status == "short" and cures is None) or held.status == "unknown":
        cures, otherwise = _cures(need.key, machine)
    origin = machine.origins.get(held.reading)
    if held.reading.startswith("usage."):
        origin = Origin("read", "the usage log") if view.usage is not None else None
    elif origin is None and held.reading.startswith("storage."):
        origin = machine.origins.get("storage")
    if origin is None and held.status != "unknown":
        origin = Origin("told")
    if need.key == "memory_own" and view.usage is not None:
        origin = Origin("read", "the usage log")
    readings = held.readings
    if held.status == "short" and otherwise and not readings:
        readings = ("system.shape",)
    worked_out = held.worked_out
    if origin and origin.how == "worked out" and held.status != "unknown":
        worked_out += (held.reading,)
    note = held.note
    if held.reading in view.doubted:
        note = "the reading is in doubt: see the doubts above"
    bound = need.test
    text = need_text(need)
    if isinstance(bound, Bound) and held.have is not None and need.key in _SIZED:
        text = _apart(SPECS[need.key].kind, bound, held.have)[0]
        if bound.op == c.EXACTLY:
            text = need_text(need)
    return Row(
        need.key, asked.strength, asked.source, _need_value(need), text, held.have,
        held.have_text, held.status, held.ratio, cures or (), origin, note, readings, worked_out,
        otherwise,
    )  # fmt: skip


_SIZED = ("memory", "clock", "storage", "storage_free", "storage_data", "graphics_memory")


def gravity(cures: tuple[str, ...]) -> int:
    """How grave the gravest of some cures is: 0 for a machine, rising as it gets lighter."""
    return min((GRAVITY.index(cure) for cure in cures), default=len(GRAVITY))


def _any_row(asked: Asked, view: View) -> Row:
    """A row that at least one of several tables must meet: cured as its least grave one."""
    need = asked.need
    tables = [
        [_single_row(Asked(one, asked.source, asked.strength), view) for one in alternative]
        for alternative in need.alternatives
    ]
    statuses = [_all_of(rows) for rows in tables]
    best = max(range(len(tables)), key=lambda at: gravity(_union(tables[at])))
    at = next((n for n, s in enumerate(statuses) if s == "met"), best)
    status: Status = "met" if "met" in statuses else _all_unmet(statuses)
    rows = tables[at]
    readings = tuple(
        dict.fromkeys(key for table in tables for row in table for key in row.readings)
    )
    otherwise = _union(rows, other=True)
    cures = () if status == "met" else _union(rows)
    return Row(
        need.key, asked.strength, asked.source, need_text(need), need_text(need), None,
        "; ".join(row.have_text for row in rows), status,
        1.0 if status == "met" else (0.0 if status == "short" else None),
        cures, rows[0].origin, f"one of {len(tables)} ways is enough",
        readings if status != "met" else (),
        tuple(key for row in rows for key in row.worked_out),
        otherwise if otherwise != cures and status == "short" else None,
    )  # fmt: skip


def _all_of(rows: list[Row]) -> Status:
    if any(row.status == "short" for row in rows):
        return "short"
    return "unknown" if any(row.status == "unknown" for row in rows) else "met"


def _all_unmet(statuses: list[Status]) -> Status:
    return "unknown" if "unknown" in statuses else "short"


def _union(rows: list[Row], other: bool = False) -> tuple[str, ...]:
    found: set[str] = set()
    for row in rows:
        if row.status != "met":
            found |= set(row.otherwise if other and row.otherwise is not None else row.cures)
    return _ordered(found)
