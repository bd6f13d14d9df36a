"""The decision: from the rows' cures to one answer, and to what would settle an open one.

Of the union of cures only three facts matter: is memory in it, is the machine in it, is
anything else. So a set of possible states is eight bits, and rows fold into it one by one.
"""

from collections.abc import Iterable, Iterator
from functools import lru_cache
from itertools import product
from typing import Any

from msgspec import Struct, structs

from tallcheck.core.before.rows import (
    Asked,
    Row,
    View,
    gravity,
    memory_held,
    row_of,
    usable_or_fitted,
    view_of,
)
from tallcheck.core.machine.memory import Reach
from tallcheck.core.machine.readings import keys, label_of, put
from tallcheck.core.machine.sheet import Machine, Origin
from tallcheck.core.needs.sheet import ABILITY, SPECS, Generations, Need
from tallcheck.core.usage.summary import Figures
from tallcheck.core.values.comparison import Bound
from tallcheck.core.values.quantities import format_memory
from tallcheck.core.words.hints import how_to_find

EXIT_CODES = {
    "ready": 0, "memory-alone": 10, "memory-plus": 11, "other": 12, "replace": 13, "undecided": 14,
}  # fmt: skip

MEMORY, MACHINE, ELSE = 1, 2, 4
_TRIALS_MOST = 4096  # combinations of hypothetical readings tried together


# --- the fold ------------------------------------------------------------------------------


def effect(cures: Iterable[str]) -> int:
    """What cures add to the three facts: a number of three bits, 0 for a met row."""
    facts = 0
    for cure in cures:
        facts |= {"memory": MEMORY, "machine": MACHINE}.get(cure, ELSE)
    return facts


def join(states: Any, added: Any) -> Any:
    """Every union of a state of ``states`` with one of ``added``, each a set of eight bits.

    Bit n stands for the state whose three facts read as the number n. Works alike on whole
    numbers and on arrays of them.
    """
    joined = 0 * states
    for one in range(8):
        for other in range(8):
            joined |= ((states >> one) & (added >> other) & 1) << (one | other)
    return joined


_join = lru_cache(maxsize=None)(join)
"""The same for whole numbers: there are only 256 sets of states."""


def answer_of(state: int) -> str:
    """The answer to a state of the three facts."""
    if state & MACHINE:
        return "replace"
    if state & MEMORY:
        return "memory-plus" if state & ELSE else "memory-alone"
    return "other" if state else "ready"


def answers_of(states: int) -> list[str]:
    """The answers that a set of possible states allows, in the order of the exit codes."""
    found = {answer_of(state) for state in range(8) if states >> state & 1}
    return [answer for answer in EXIT_CODES if answer in found]


# --- what unknown readings could be --------------------------------------------------------


def _around(limits: Iterable[int | float], least: float = 0) -> list[int | float]:
    """One value for each interval between limits, the limits themselves included."""
    values = {v for limit in limits for v in (limit - 1, limit, limit + 1) if v >= least}
    return sorted(values)


_NUMERIC = ("memory", "storage", "clock", "count", "share", "number")


def _trials(reading: str, needs: list[Need], machine: Machine) -> list[tuple[Any, ...]]:
    """Hypothetical values of a reading that stand for all it could be, as one-tuples.

    Empty where the reading cannot be tried: its rows then stand for both outcomes.
    """
    if reading in CONTEXTS:
        return [(value,) for value in context_values(reading, needs)]
    if reading == "system.os_bits":
        return [(32,), (64,)]
    if reading not in keys():
        return []  # a reading that is no single value on the sheet
    tests = [n for n in singles(needs) if SPECS[n.key].reading == reading]
    bounds = [n.test for n in tests if isinstance(n.test, Bound)]
    if reading == "processor.generation":
        lines = [n.test.lines for n in tests if isinstance(n.test, Generations)]
        line = machine.processor.line
        if line is None or not all(line in table for table in lines):
            return []
        return [(v,) for v in _around(table[line] or 0 for table in lines)]
    if not bounds:
        return []
    kind = SPECS[tests[0].key].kind
    limits = [limit for bound in bounds for limit in bound.limits()]
    if kind == "ability":
        return [(word,) for word in ABILITY]
    if reading == "memory.available":
        memory, total = machine.memory, memory_held(machine)
        usable = usable_or_fitted(machine)
        if usable is None or total is None:
            return []
        # programs' own figures add up; beyond the room, what the machine can be given counts
        own = sum(limits)
        edges = [total, *filter(None, (memory.ceiling, memory.addressable))]
        return [(v,) for v in _around([0, *(max(own + usable - edge, 0) for edge in edges)])]
    if kind in _NUMERIC and reading == "memory.installed":
        usable = machine.memory.usable or 0
        # usable counts once it is under 70 % of what is fitted
        edges = [*limits, *([usable, -(-usable * 10 // 7)] if usable else [])]
        return [(v,) for v in _around(edges, least=usable)]
    return [(v,) for v in _around(limits)] if kind in _NUMERIC else []


def singles(needs: Iterable[Need]) -> Iterator[Need]:
    """Each need, or in its place the needs of all its alternatives."""
    for need in needs:
        if need.alternatives:
            for alternative in need.alternatives:
                yield from alternative
        else:
            yield need


CONTEXTS = ("system.shape", "processor.bits")
"""Readings on which cures rest: where one is missing, every choice of it is followed."""


class _Group(Struct):
    """Unknown rows that rest on the same readings, and what they can come to together."""

    readings: tuple[str, ...]
    cases: list[tuple[dict[str, int], int]]
    """For each combination tried: which trial of each reading, and the states it allows."""

    def states(self, reading: str = "", trial: int = 0) -> int:
        states = 0
        for tried, outcome in self.cases:
            if reading not in tried or tried[reading] == trial:
                states |= outcome
        return states


def _options(row: Row | None) -> int:
    """The states that one row allows: met, its cures, or its other cures."""
    if row is None or row.status == "met":
        return 1
    states = 1 << effect(row.cures)
    if row.status == "unknown":
        states |= 1
    if row.otherwise is not None:
        states |= 1 << effect(row.otherwise)
    return states


def _groups(asked: list[Asked], rows: list[Row | None], view: View) -> list[_Group]:
    """The unknown rows, grouped by the readings they share."""
    members: list[tuple[set[str], list[Asked]]] = []
    for one, row in zip(asked, rows, strict=True):
        if row is None or row.status != "unknown" or not row.readings:
            continue
        readings, together = set(row.readings), [one]
        apart = []
        for other, others in members:
            if other & readings:
                readings |= other
                together = others + together
            else:
                apart.append((other, others))
        members = [*apart, (readings, together)]
    return [_group(tuple(sorted(readings)), together, view) for readings, together in members]


def _group(readings: tuple[str, ...], asked: list[Asked], view: View) -> _Group:
    needs = [one.need for one in asked]
    trials = {reading: _trials(reading, needs, view.machine) for reading in readings}
    tried = [reading for reading in readings if trials[reading]]
    count = 1
    for reading in tried:
        count *= len(trials[reading])
    if not tried or count > _TRIALS_MOST:
        return _untried(readings, asked, view)
    cases: dict[tuple[int, ...], tuple[dict[str, int], int]] = {}
    for picks in product(*(range(len(trials[reading])) for reading in tried)):
        machine = view.machine
        for reading, pick in zip(tried, picks, strict=True):
            machine = put(machine, reading, trials[reading][pick][0], Origin("told"))
        hypothetical = structs.replace(view, machine=machine)
        states = 1
        for one in asked:
            states = _join(states, _options(row_of(one, hypothetical)))
        cases[picks] = (dict(zip(tried, picks, strict=True)), states)
    return _Group(readings, list(cases.values()))


def _untried(readings: tuple[str, ...], asked: list[Asked], view: View) -> _Group:
    """Rows whose reading has no order to try values in: all met, or each short."""
    options = [_options(row_of(one, view)) for one in asked]
    states = 1
    for option in options:
        states = _join(states, option)
    # what settles it is the reading as a whole: taken as good, or as bad as it can be
    worst = 1
    for option in options:
        worst = _join(worst, option & ~1 or 1)
    cases: list[tuple[dict[str, int], int]] = [({readings[0]: 0}, 1), ({readings[0]: 1}, worst)]
    rest = states & ~(1 | worst)
    if rest:
        cases.append(({readings[0]: 2}, rest))
    return _Group(readings, cases)


class _Branch(Struct):
    """What can be, for one choice of the readings on which cures rest."""

    context: dict[str, Any]
    states: int
    groups: list[_Group]

    def fold(self, reading: str = "", trial: int = 0) -> int:
        states = self.states
        for group in self.groups:
            states = _join(states, group.states(reading, trial))
        return states


def _branches(asked: list[Asked], rows: list[Row | None], view: View) -> list[_Branch]:
    """One branch for each choice of shape and bits, where a cure rests on one that is missing."""
    needs = [one.need for one in asked]
    open_keys = [key for key in CONTEXTS if _rests_on(key, rows, needs, view)]
    choices = [context_values(key, needs) for key in open_keys]
    return [
        _branch(asked, rows, view, dict(zip(open_keys, picks, strict=True)))
        for picks in product(*choices)
    ]


def _branch(
    asked: list[Asked], rows: list[Row | None], view: View, context: dict[str, Any]
) -> _Branch:
    """What can be where the readings of ``context`` are as it says; ``rows`` hold without it."""
    if context:
        machine = view.machine
        for key, value in context.items():
            machine = put(machine, key, value, Origin("told"))
        view = structs.replace(view, machine=machine)
        rows = [row_of(one, view) for one in asked]
    states = 1
    for row in rows:
        if row is not None and (row.status != "unknown" or not row.readings):
            states = _join(states, _options(row))
    return _Branch(context, states, _groups(asked, rows, view))


def context_values(key: str, needs: list[Need]) -> list[Any]:
    """The values that stand for all that a reading of CONTEXTS could be."""
    if key == "processor.bits":
        return [32, 64]
    named = {str(value) for need in needs for name, value in need.when if name == key}
    return sorted(named | {"desktop", "notebook"})


def states_of(asked: list[Asked], rows: list[Row | None], view: View, **context: Any) -> int:
    """The states that some needs allow together, with the given ``shape`` and ``bits`` if any."""
    keys_of = {"shape": "system.shape", "bits": "processor.bits"}
    given = {keys_of[name]: value for name, value in context.items() if value is not None}
    return _branch(asked, rows, view, given).fold()


def rests_on_shape(needs: list[Need], virtual: bool | None) -> bool:
    """Whether an unknown shape leaves open what some needs come to."""
    cures = {SPECS[n.key].cure for n in singles(needs)}
    conditional = any(key == "system.shape" for need in needs for key, _ in need.when)
    return conditional or (not virtual and bool(cures & {"P", "G"}))


def _rests_on(key: str, rows: list[Row | None], needs: list[Need], view: View) -> bool:
    if key == "system.shape":
        system = view.machine.system
        return system.shape is None and rests_on_shape(needs, system.virtual)
    return view.machine.processor.bits is None and any(
        row is not None and key in row.readings for row in rows
    )


# --- the decision --------------------------------------------------------------------------


class Finding(Struct, frozen=True):
    """A reading that would help to settle the answer, and how to get it on that system."""

    key: str
    how: str


class Cure(Struct, frozen=True):
    """One kind of change, the rows that ask for it, and what it comes to."""

    kind: str
    rows: tuple[str, ...]
    text: str


class Decision(Struct, frozen=True):
    """The answer drawn from all the rows, and what it rests on."""

    answer: str
    target_memory: int | None
    cures: tuple[Cure, ...]
    conditions: tuple[str, ...]
    conflicts: tuple[str, ...]
    possible: tuple[str, ...]
    find_out: tuple[Finding, ...]
    limiting: str | None

    @property
    def exit_code(self) -> int:
        """The exit code of the answer."""
        return EXIT_CODES[self.answer]


class Verdict(Struct, frozen=True):
    """A decision with the rows it was drawn from and the machine as they saw it."""

    decision: Decision
    rows: tuple[Row, ...]
    view: View


WITH_MEMORY = ("ready", "memory-alone", "memory-plus")
"""The answers that a conflict turns into ``other``."""


def decide(
    machine: Machine,
    asked: list[Asked],
    conflicts: tuple[str, ...] = (),
    usage: Figures | None = None,
) -> Verdict:
    """Hold a machine against all that is asked, and draw the decision from the rows.

    With ``conflicts``, what memory alone would settle becomes ``other``. ``usage`` is what a log
    says of memory and cores in use.
    """
    view = view_of(machine, asked, usage)
    every = [row_of(one, view) for one in asked]
    found = [row for row in every if row is not None]
    branches = _branches(asked, every, view)
    states = 0
    for branch in branches:
        states |= branch.fold()
    possible = answers_of(states)
    if conflicts:
        settled = {"other" if one in WITH_MEMORY else one for one in possible}
        possible = [one for one in EXIT_CODES if one in settled]
    answer = possible[0] if len(possible) == 1 else "undecided"
    target = view.target
    decision = Decision(
        answer,
        _target(target, found, answer),
        _cures_of(found, view),
        _conditions(found, view),
        conflicts,
        tuple(possible),
        _find_out(branches, found, machine) if answer == "undecided" else (),
        _limiting(found),
    )
    return Verdict(decision, tuple(found), view)


def _target(target: Reach | None, rows: list[Row], answer: str) -> int | None:
    """The total to build: only where some memory row asks for more than is there."""
    asks = any("memory" in row.cures for row in rows if row.status != "met")
    return target.total if target is not None and asks and answer != "replace" else None


def _limiting(rows: list[Row]) -> str | None:
    """The short row with the gravest cure, then the smallest ratio, then the first."""
    short = [row for row in rows if row.status == "short"]
    if not short:
        return None
    return min(short, key=lambda row: (gravity(row.cures), row.ratio or 0.0)).key


_CURE_TEXTS = {
    "machine": "replace the machine",
    "processor": "change the board or its processor",
    "graphics": "change the graphics card",
    "system": "install another operating system",
    "setting": "change a setting",
    "storage": "fit more or other storage",
    "part": "add what is missing",
    "memory": "fit more memory",
}


def _cures_of(rows: list[Row], view: View) -> tuple[Cure, ...]:
    by_kind: dict[str, list[str]] = {}
    for row in rows:
        for kind in row.cures if row.status == "short" else ():
            by_kind.setdefault(kind, []).append(row.key)
    cures = []
    for kind, text in _CURE_TEXTS.items():
        if kind not in by_kind:
            continue
        if kind == "memory" and view.target is not None and view.target.total is not None:
            text = f"bring the memory to {format_memory(view.target.total)}"
            if view.machine.system.virtual:
                text += " on the host: a virtual machine has no modules to buy"
        elif kind == "system" and any(row.key == "memory" for row in rows):
            text = "install a 64-bit operating system" if by_kind[kind] == ["memory"] else text
        elif kind == "setting" and view.machine.system.virtual:
            text = "change the virtual machine's settings on the host"
        cures.append(Cure(kind, tuple(dict.fromkeys(by_kind[kind])), text))
    return tuple(cures)


_SWITCHED = {
    "security_module": "the security module",
    "firmware": "the other firmware mode",
    "secure_boot": "secure boot",
}
MISSING_TEXTS = {
    "memory.type": "the type of memory that the machine takes is not known",
    "memory.ceiling": "the most memory the board takes is not known",
    "memory.slots": "the number of memory positions, and of free ones, is not known",
    "memory.modules": "which modules sit in the positions is not known",
}


def _conditions(rows: list[Row], view: View) -> tuple[str, ...]:
    conditions: list[str] = []
    for row in rows:
        if row.status == "unknown" and not row.readings:
            conditions.append(f"{row.key} is not judged: {row.note}")
        for key in row.worked_out:
            origin = view.machine.origins.get(key)
            if key == "storage.size":
                text = "the size of the system volume stands for the drive's, which is not known"
            elif key == "processor.instructions":
                text = f"instruction sets are worked out ({row.note.removeprefix('worked out: ')})"
            else:
                text = f"{label_of(key)} is worked out"
                text += f" from {origin.source}" if origin and origin.source else ""
            conditions.append(text)
    for row in rows:
        if row.status == "short" and row.key in _SWITCHED and "setting" in row.cures:
            conditions.append(
                f"{_SWITCHED[row.key]} is only switched off: look in the firmware's settings; "
                "where it is not there either, the machine lacks it"
            )
    if view.usage is None and any(
        row.key == "memory_own" and row.status != "unknown" for row in rows
    ):
        conditions.append(
            "memory in use is that of one moment (usable less available); a usage log would tell "
            "the habit"
        )
    memory_short = any(r.status == "short" and "memory" in r.cures for r in rows)
    if memory_short and view.target is not None and view.target.total is not None:
        conditions += [
            f"{MISSING_TEXTS[key]}: look it up before buying" for key in view.target.unknown
        ]
        if view.machine.system.os_bits is None and view.target.total > _LIMIT_32:
            conditions.append(
                "the bits of the running system are not known: a 32-bit one cannot address more "
                f"than {format_memory(_LIMIT_32)}"
            )
    return tuple(dict.fromkeys(conditions))


_LIMIT_32 = 4 << 30


def _find_out(branches: list[_Branch], rows: list[Row], machine: Machine) -> tuple[Finding, ...]:
    """The missing readings, the one that settles most first: fewest answers left on average."""
    scores: dict[str, float] = {}
    for key in dict.fromkeys(key for branch in branches for key in branch.context):
        values = list(dict.fromkeys(branch.context[key] for branch in branches))
        scores[key] = _average(
            _joined(branch.fold() for branch in branches if branch.context[key] == value)
            for value in values
        )
    for key in dict.fromkeys(k for b in branches for g in b.groups for k in g.readings):
        trials = sorted(
            {tried[key] for b in branches for g in b.groups for tried, _ in g.cases if key in tried}
        )
        scores[key] = _average(
            _joined(branch.fold(key, trial) for branch in branches) for trial in trials
        )
    order = [key for row in rows for key in row.readings]
    everything = len(answers_of(_joined(branch.fold() for branch in branches)))
    useful = {key for key, score in scores.items() if score < everything} or set(scores)
    ranked = sorted(
        useful, key=lambda key: (scores[key], order.index(key) if key in order else len(order))
    )
    return tuple(Finding(key, how_to_find(key, machine.system.os)) for key in ranked)


def _joined(states: Iterable[int]) -> int:
    found = 0
    for one in states:
        found |= one
    return found


def _average(states: Iterable[int]) -> float:
    counts = [len(answers_of(one)) for one in states]
    return sum(counts) / len(counts) if counts else float("inf")
