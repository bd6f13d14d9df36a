"""The decision for each of many machines: the rows of ``check``, folded on arrays.

Readings decide only by comparisons. So for each set of needs that rest on the same readings the
machines fall into few classes (on which side of each threshold a reading lies; which distinct
word it is), and one machine of each class is held against those needs by the very functions that
``check`` uses. What each class allows is then folded over all needs on arrays, by the one
definition of ``core.decision.join``.
"""

from collections.abc import Callable, Iterable, Iterator
from typing import Any

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from tallcheck.core.before.conflicts import Chosen, broken_by_change, impossible
from tallcheck.core.before.cures import GRAVITY
from tallcheck.core.before.decision import (
    EXIT_CODES,
    WITH_MEMORY,
    answers_of,
    context_values,
    join,
    rests_on_shape,
    singles,
    states_of,
)
from tallcheck.core.before.rows import (
    Asked,
    Row,
    View,
    own_memory,
    row_of,
    view_of,
    wanted_memory,
)
from tallcheck.core.fleet.columns import (
    CHUNK,
    Codes,
    Flags,
    Fleet,
    Floats,
    Ints,
    MemoryColumns,
    cut_fleet,
    doubted,
    known_memory,
    next_total,
)
from tallcheck.core.machine.memory import ALL_SIZES, UNIT, built_totals, position_choices
from tallcheck.core.machine.sheet import Machine
from tallcheck.core.needs.sheet import SPECS, G, Generations, Need, P
from tallcheck.core.values.comparison import Bound
from tallcheck.core.values.quantities import MIB

ANSWERS = tuple(EXIT_CODES)
"""The answers by their code in a fleet's arrays."""
STATUSES = ("met", "short", "unknown", "")
"""Statuses by code; the last one: the need does not hold for this machine."""

_TABLE_MOST = 1 << 22

# the readings that a need's row rests on, besides the one it is held against
_BESIDES: dict[str, tuple[str, ...]] = {
    "cores": ("extra.cores_off",),
    "threads": ("extra.threads_off",),
    "generation": ("processor.line", "processor.name"),
    "instructions": (
        "processor.hidden", "processor.level", "processor.architecture", "processor.name",
        "processor.bits", "system.os_bits", "system.architecture",
    ),
    "processor_bits": ("processor.architecture", "system.os_bits", "system.architecture"),
    "os": ("system.os_version",),
    "os_bits": ("system.architecture",),
    "storage": ("storage.size",),
    "storage_data": ("storage.size",),
}  # fmt: skip
_OFF_KEYS = {"extra.cores_off", "extra.threads_off"}
_MEMORY_KEYS = ("memory", "memory_own")
_BITS_KEYS = (
    "processor.bits", "processor.architecture", "system.os_bits", "system.architecture",
)  # fmt: skip


class Judged(Struct):
    """What a fleet comes to. ``classes`` gives for each machine its class of all readings."""

    answers: NDArray[np.int8]
    """The answer's place in ANSWERS, for each machine."""
    statuses: list[NDArray[np.int8]]
    """For each need the status' place in STATUSES, for each machine."""
    targets: Floats
    """The total memory to build in bytes; NaN where no memory row asks for more."""
    classes: Ints
    cures: NDArray[np.uint8]
    """The kinds of cure of a machine's short rows: a bit for each place in GRAVITY."""
    stuck: Flags
    """Where needs conflict, with one another or with what is installed."""
    asked: list[Asked]

    def counts(self) -> dict[str, int]:
        """How many machines get each answer."""
        found = np.bincount(self.answers, minlength=len(ANSWERS))
        return {answer: int(found[at]) for at, answer in enumerate(ANSWERS)}


class _Slice(Struct):
    """Some machines in a row, where they begin, and their memory columns."""

    fleet: Fleet
    start: int
    memory: MemoryColumns

    def codes(self, key: str) -> tuple[Ints, int]:
        words = self.fleet.word(key)
        return words.codes.astype(np.int64) + 1, len(words.values) + 1


# --- classes of readings -------------------------------------------------------------------


def _sides(values: Floats, limits: Iterable[float]) -> tuple[Ints, int]:
    """For each value between or on which limits it lies; unknown ones last."""
    edges = sorted(set(limits))
    count = 2 * len(edges) + 2
    if len(edges) <= 16:
        found = np.zeros(len(values), dtype=np.int8)
        for edge in edges:
            found += values >= edge
            found += values > edge
        found[np.isnan(values)] = count - 1
        return found.astype(np.int64), count
    code = np.searchsorted(edges, values) + np.searchsorted(edges, values, side="right")
    return np.where(np.isnan(values), count - 1, code), count


def _combined(parts: list[tuple[Ints, int]], size: int) -> tuple[Ints, int]:
    """Several codes as one, in mixed radix."""
    code, count = np.zeros(size, dtype=np.int64), 1
    for one, many in parts:
        code = code * many + one
        count *= many
    return code, count


def _narrow(bits: Floats) -> tuple[Ints, int]:
    """0 unknown, 1 for 32, 2 for anything else."""
    return np.where(np.isnan(bits), 0, np.where(bits == 32, 1, 2)), 3


def _flag(values: Flags) -> tuple[Ints, int]:
    return values.astype(np.int64), 2


def readings_of(need: Need) -> set[str]:
    """The readings that a need's row, or its cures, rest on."""
    found = {key for key, _ in need.when}
    for one in singles([need]):
        spec = SPECS[one.key]
        found |= {spec.reading, *_BESIDES.get(one.key, ()), *(key for key, _ in one.when)}
        if spec.cure in (P, G):
            found |= {"system.shape", "system.virtual"}
        if one.key == "extra":
            found |= {f"extra.{key}" for key in getattr(one.test, "values", {})}
    return found


def _shared(need: Need) -> set[str]:
    """The readings by which needs belong together: one that is unknown ties their rows."""
    found = {key for key, _ in need.when}
    for one in singles([need]):
        found |= {SPECS[one.key].reading, *(key for key, _ in one.when)}
        found |= {"memory"} if one.key in _MEMORY_KEYS else set()
        found |= {"processor.instructions"} if one.key == "generation" else set()
    return found - {"system.shape"}


def _together(asked: list[Asked]) -> list[list[int]]:
    """The needs in sets that share no reading with one another."""
    sets: list[tuple[set[str], list[int]]] = []
    for at, one in enumerate(asked):
        keys, members = _shared(one.need), [at]
        apart = []
        for other, others in sets:
            if other & keys:
                keys, members = keys | other, others + members
            else:
                apart.append((other, others))
        sets = [*apart, (keys, members)]
    return [sorted(members) for _, members in sets]


def _limits_of(asked: list[Asked]) -> dict[str, set[float]]:
    """The thresholds of each reading of numbers."""
    found: dict[str, set[float]] = {}
    for need in singles([one.need for one in asked]):
        reading, test = SPECS[need.key].reading, need.test
        if isinstance(test, Bound) and isinstance(test.limit, int | float):
            found.setdefault(reading, set()).update(map(float, test.limits()))
            if need.key == "storage":
                found.setdefault("storage.size", set()).update(map(float, test.limits()))
        elif isinstance(test, Generations):
            found.setdefault(reading, set()).update(float(v or 0) for v in test.lines.values())
    for one in asked:
        for key, value in one.need.when:
            if isinstance(value, int | float) or str(value).isdigit():
                found.setdefault(key, set()).add(float(value))
    return found


class _Coded(Struct):
    """The class of each machine of a slice: a code under ``count``.

    Where values have to be tried, no threshold tells machines apart: those of ``tried`` are in
    one class only where their ``rows`` are the same.
    """

    code: Ints
    count: int
    tried: Flags | None = None
    rows: Floats | None = None


def _coder(
    asked: list[Asked], every: list[Asked], doubts: Ints, targets: Floats
) -> Callable[[_Slice], _Coded]:
    """What gives the class of the readings that some needs rest on; it notes the ``targets``.

    ``doubts`` are all combinations of doubts that the fleet has.
    """
    keys = sorted(set().union(*(readings_of(one.need) for one in asked)))
    limits = _limits_of(asked)
    memory = any(need.key in _MEMORY_KEYS for need in singles([one.need for one in asked]))
    memory_code = _memory_coder(asked, every, targets) if memory else None

    def code(part: _Slice) -> _Coded:
        there = [key for key in keys if not (memory and key in _OF_MEMORY)]
        parts = _reading_codes(part, there, limits, doubts)
        for key in _OFF_KEYS & set(keys) & part.fleet.words.keys():
            # what is only switched off counts with what is on
            what = key.removeprefix("extra.").removesuffix("_off")
            off = part.fleet.words[key].mapped(_as_number)
            reading = f"processor.{what}"
            parts.append(_sides(part.fleet.number(reading) + off, limits.get(reading, ())))
        tried = rows = None
        if memory_code is not None:
            more, tried, rows = memory_code(part)
            parts += more
        found, count = _combined(parts, len(part.fleet))
        return _Coded(found, count, tried, rows)

    return code


def _reading_codes(
    part: _Slice, keys: list[str], limits: dict[str, set[float]], doubts: Ints
) -> list[tuple[Ints, int]]:
    """The codes of the doubts and of some readings."""
    fleet = part.fleet
    parts = [(np.searchsorted(doubts, fleet.doubts).astype(np.int64), len(doubts))]
    for key in keys:
        if key in fleet.words:
            parts.append(part.codes(key))
        elif key in fleet.numbers:
            bits = key in ("processor.bits", "system.os_bits")
            parts.append(_sides(fleet.number(key), (16, 32, 64) if bits else limits.get(key, ())))
    return parts


def _as_number(value: Any) -> float:
    return float(value) if isinstance(value, int) else float("nan")


# --- memory --------------------------------------------------------------------------------


def wanted_totals(memory: MemoryColumns, wanted: int, own: int) -> Floats:
    """The highest total asked for of each machine: figures, or use with programs' own."""
    figure = np.full(len(memory.installed), float(wanted))
    if not own:
        return figure
    in_use = in_use_of(memory)
    return np.where(np.isnan(in_use), figure, np.maximum(figure, in_use + own))


def in_use_of(memory: MemoryColumns) -> Floats:
    """Memory in use at the moment of the reading; NaN unknown."""
    held = np.where(np.isnan(memory.usable), memory.installed, memory.usable)
    return np.asarray(np.maximum(held - memory.available, 0))


def kept_of(memory: MemoryColumns) -> Flags:
    """Where so little of what is fitted is usable that usable counts."""
    return np.asarray(memory.usable < 0.7 * memory.installed)


def held_of(memory: MemoryColumns) -> Floats:
    """What memory is held against: ``rows.memory_held`` on arrays."""
    usable_counts = kept_of(memory) | np.isnan(memory.installed)
    return np.asarray(np.where(usable_counts, memory.usable, memory.installed))


def room_of(memory: MemoryColumns, own: int, limit: float) -> Floats:
    """The room of one program beside what is in use and what the others want of ``own`` bytes."""
    return np.asarray(held_of(memory) - in_use_of(memory) - (own - limit))


def targets_of(fleet: Fleet, memory: MemoryColumns, wanted: Floats) -> Floats:
    """The total to build for each machine, NaN where it cannot be: ``memory.reach`` on arrays."""
    fitted, ceiling, slots = memory.installed, memory.ceiling, memory.slots
    same = bool(len(wanted)) and bool((wanted == wanted[0]).all())
    total = np.broadcast_to(next_total(wanted[:1] if same else wanted, (1, 3)), wanted.shape)
    total = np.where(ceiling < total, ceiling, total)  # positions unknown: the round total
    total = np.where(np.isnan(slots), total, np.nan)
    _fill_built(fleet, memory, wanted[0] if same else wanted, total)
    total = np.where(wanted > ceiling, np.nan, total)
    step = 128 * MIB
    total = np.where(memory.virtual == 1, np.ceil(wanted / step) * step, total)
    total = np.where(wanted <= fitted, fitted, total)
    return np.asarray(np.where(wanted > 0, total, np.nan))


def _fill_built(fleet: Fleet, memory: MemoryColumns, wanted: Any, total: Floats) -> None:
    """Totals that the positions can be filled to, where these are known.

    ``wanted`` for each machine, or one number for all.
    """
    size = len(total)
    words = fleet.word("memory.modules")
    codes = np.where(doubted(fleet, "memory.modules"), -1, words.codes).astype(np.int64)
    # what has its target is left out, so that few fillings have to be tried
    todo = ~np.isnan(memory.slots) & ~(wanted <= memory.installed) & (memory.virtual != 1)
    todo &= ~(wanted > memory.ceiling)
    if not todo.any():
        return
    sold = np.array(ALL_SIZES, dtype=np.float64)
    largest = np.full(size, len(sold), dtype=np.int64)
    told = ~np.isnan(memory.position_most)
    largest[told] = np.searchsorted(sold, memory.position_most[told], side="right")
    slots = np.minimum(np.nan_to_num(memory.slots), 4096).astype(np.int64)
    width = int(slots.max()) + 1
    key = ((codes + 1) * width + slots) * (len(sold) + 1) + largest
    keys = key[todo]
    found = np.full(len(keys), np.nan)
    single = np.ndim(wanted) == 0
    table = np.full(int(keys.max()) + 1, np.nan)
    for one in np.flatnonzero(np.bincount(keys)):
        rest, most = divmod(int(one), len(sold) + 1)
        code, count = divmod(rest, width)
        modules = words.values[code - 1] if code else []
        if len(modules) >= count and all(module.fixed for module in modules):
            continue
        choices = position_choices(modules, count, int(sold[most - 1]) if most else 0)
        here = keys == one if not single else None
        asked = np.atleast_1d(wanted if single else wanted[todo][here])
        highest = int(asked.max()) + max(max(each) for each in choices)
        totals = _as_sizes(built_totals(choices, highest))
        at = np.searchsorted(totals, np.ceil(asked / UNIT) * UNIT)
        built = np.where(at < len(totals), totals[np.minimum(at, len(totals) - 1)], np.nan)
        if single:
            table[one] = built[0]
        else:
            found[here] = built
    built = table[keys] if single else found
    total[todo] = np.where(built > memory.ceiling[todo], np.nan, built)


def _as_sizes(reached: int) -> Floats:
    raw = reached.to_bytes(reached.bit_length() // 8 + 1, "little")
    bits = np.unpackbits(np.frombuffer(raw, dtype=np.uint8), bitorder="little")
    return np.flatnonzero(bits).astype(np.float64) * UNIT


_MemoryCode = tuple[list[tuple[Ints, int]], Flags | None, Floats | None]
_OF_MEMORY = ("memory.installed", "memory.available", "processor.bits", "system.os_bits")


def _memory_coder(
    asked: list[Asked], every: list[Asked], targets: Floats
) -> Callable[[_Slice], _MemoryCode]:
    """The class of the memory readings: sides of thresholds, and how target and limits compare."""
    wanted, own = wanted_memory(every), own_memory(every)
    needs = list(singles([one.need for one in asked]))
    figures = [n.test for n in needs if n.key == "memory" and isinstance(n.test, Bound)]
    owns = [n.test for n in needs if n.key == "memory_own" and isinstance(n.test, Bound)]
    limits = {float(limit) for bound in figures for limit in bound.limits()}
    near = {limit + step for limit in limits for step in (-1, 0, 1)}

    def code(part: _Slice) -> _MemoryCode:
        memory = part.memory
        asks = wanted_totals(memory, wanted, own)
        target = targets_of(part.fleet, memory, asks)
        targets[part.start : part.start + len(target)] = target
        total = np.where(np.isnan(target), asks, target)
        parts = [
            _sides(held_of(memory), limits), _flag(kept_of(memory)),
            _flag(np.isnan(memory.installed)), _flag(np.isnan(memory.usable)),
            _flag(np.isnan(target)),
            _flag(total > memory.installed), _flag(total > memory.addressable),
            _sides(np.where(np.isnan(memory.installed), total, np.nan), near),
            _narrow(memory.os_bits), _narrow(memory.bits), _narrow(memory.virtual * 32),
        ]  # fmt: skip
        tried = np.isnan(memory.installed) & ~np.isnan(memory.usable)
        if owns:
            in_use = in_use_of(memory)
            parts.append(_flag(np.isnan(in_use)))
            for bound in owns:
                room = room_of(memory, own, float(bound.limit))
                parts.append(_sides(room, map(float, bound.limits())))
            tried |= np.isnan(in_use)
        return (parts, tried, _rows(memory, part, tried)) if tried.any() else (parts, None, None)

    return code


def _rows(memory: MemoryColumns, part: _Slice, which: Flags) -> Floats:
    modules, _ = part.codes("memory.modules")
    columns = [
        memory.installed, memory.usable, memory.available, memory.ceiling, memory.addressable,
        memory.position_most, memory.slots, modules.astype(np.float64),
    ]  # fmt: skip
    return np.nan_to_num(np.stack([column[which] for column in columns], axis=1), nan=-1.0)


# --- the fold ------------------------------------------------------------------------------


def _slices(fleet: Fleet) -> Iterator[_Slice]:
    for start in range(0, max(len(fleet), 1), CHUNK):
        part = cut_fleet(fleet, start, start + CHUNK)
        yield _Slice(part, start, known_memory(part))


class _Numbering:
    """Dense numbers for codes as they turn up, with the first machine that has each."""

    def __init__(self) -> None:
        self.examples: list[int] = []
        self._table: Codes | None = None
        self._numbers: dict[Any, int] = {}

    def number(self, coded: _Coded, start: int) -> Codes:
        """The number of each machine's class."""
        if coded.tried is not None and coded.rows is not None:
            keys = np.column_stack([coded.code[coded.tried].astype(np.float64), coded.rows])
            found = np.empty(len(coded.code), dtype=np.int32)
            places = np.flatnonzero(coded.tried) + start
            found[coded.tried] = self._by_rows(keys, places)
            rest = ~coded.tried
            found[rest] = self._by_code(coded.code[rest], coded.count, np.flatnonzero(rest) + start)
            return found
        return self._by_code(coded.code, coded.count, np.arange(start, start + len(coded.code)))

    def _by_code(self, code: Ints, count: int, places: Ints) -> Codes:
        if count > _TABLE_MOST:
            codes, first, inverse = np.unique(code, return_index=True, return_inverse=True)
            return self._numbered(codes.tolist(), places[first])[inverse.reshape(-1)]
        if self._table is None:
            self._table = np.full(count, -1, dtype=np.int32)
        found = self._table[code]
        new = found < 0
        if new.any():
            codes, first = np.unique(code[new], return_index=True)
            self._table[codes] = np.arange(len(codes), dtype=np.int32) + len(self.examples)
            self.examples += places[new][first].tolist()
            found = self._table[code]
        return found

    def _by_rows(self, keys: Floats, places: Ints) -> Codes:
        rows, first, inverse = np.unique(keys, axis=0, return_index=True, return_inverse=True)
        return self._numbered(map(tuple, rows.tolist()), places[first])[inverse.reshape(-1)]

    def _numbered(self, keys: Iterable[Any], places: Ints) -> Codes:
        numbers = np.empty(len(places), dtype=np.int32)
        for at, (key, place) in enumerate(zip(keys, places.tolist(), strict=True)):
            known = self._numbers.get(key)
            if known is None:
                known = self._numbers[key] = len(self.examples)
                self.examples.append(place)
            numbers[at] = known
        return numbers


class _Part(Struct):
    """Needs that share readings, and what each class of those readings comes to."""

    at: list[int]
    """Which of all needs they are."""
    asked: list[Asked]
    ids: Codes
    examples: list[int]
    states: NDArray[np.uint8]
    """By class, choice of shape and choice of bits (0: as it is)."""
    rows: list[list[Row | None]]
    """By class, the rows of these needs."""


class _Judge:
    """One fleet held against one list of needs."""

    def __init__(
        self, fleet: Fleet, asked: list[Asked], against: tuple[Chosen, ...],
        installed: Callable[[Machine], tuple[Chosen, ...]] | None,
    ) -> None:  # fmt: skip
        self.fleet, self.asked, self.against, self.installed = fleet, asked, against, installed
        self.needs = [one.need for one in asked]
        self.shapes = [None, *context_values("system.shape", self.needs)]
        self.bits = [None, *context_values("processor.bits", self.needs)]
        self.targets = np.full(len(fleet), np.nan)
        self._views: dict[int, View] = {}

    def view(self, at: int) -> View:
        """One machine as the rows see it, with the target that all needs lead to."""
        if at not in self._views:
            self._views[at] = view_of(self.fleet.machine(at), self.asked)
        return self._views[at]

    def parts(self) -> tuple[list[_Part], Codes, list[int]]:
        """The needs in sets, each with its classes; and the classes of what surrounds them."""
        sets = _together(self.asked)
        doubts = np.flatnonzero(np.bincount(self.fleet.doubts))
        coders = [
            _coder([self.asked[at] for at in members], self.asked, doubts, self.targets)
            for members in sets
        ]
        coders.append(self._surroundings(doubts))
        size = len(self.fleet)
        numberings = [_Numbering() for _ in coders]
        ids = [np.empty(size, dtype=np.int32) for _ in coders]
        for part in _slices(self.fleet):
            for coder, numbering, found in zip(coders, numberings, ids, strict=True):
                if self.fleet.sheets is not None:
                    whole = np.arange(part.start, part.start + len(part.fleet))
                    coded = _Coded(whole, size + 1)
                else:
                    coded = coder(part)
                numbers = numbering.number(coded, part.start)
                found[part.start : part.start + len(numbers)] = numbers
        parts = [
            self._part(members, ids[at], numberings[at].examples)
            for at, members in enumerate(sets)
        ]  # fmt: skip
        return parts, ids[-1], numberings[-1].examples

    def _surroundings(self, doubts: Ints) -> Callable[[_Slice], _Coded]:
        """The class of the readings on which cures and conflicts rest, of whatever need."""
        keys = ["system.shape", "system.virtual", *_BITS_KEYS]
        if self.may_conflict():
            keys += ["system.os", "system.os_version", "software"]

        def code(part: _Slice) -> _Coded:
            parts = _reading_codes(part, keys, {}, doubts)
            return _Coded(*_combined(parts, len(part.fleet)))

        return code

    def may_conflict(self) -> bool:
        """Whether programs are wanted or installed, which a new system could break."""
        if any(chosen.sheet.kind == "program" for chosen in self.against):
            return True
        sheets = self.fleet.sheets or ()
        return "software" in self.fleet.words or any(sheet.software for sheet in sheets)

    def _part(self, members: list[int], ids: Codes, examples: list[int]) -> _Part:
        asked = [self.asked[at] for at in members]
        states = np.empty((len(examples), len(self.shapes), len(self.bits)), dtype=np.uint8)
        every = []
        for one, at in enumerate(examples):
            view = self.view(at)
            rows = [row_of(need, view) for need in asked]
            every.append(rows)
            states[one] = states_of(asked, rows, view)
            machine = view.machine
            for s, shape in enumerate(self.shapes if machine.system.shape is None else [None]):
                for b, bits in enumerate(self.bits if machine.processor.bits is None else [None]):
                    if shape is not None or bits is not None:
                        states[one, s, b] = states_of(asked, rows, view, shape=shape, bits=bits)
        return _Part(members, asked, ids, examples, states, every)


def judge_fleet(
    fleet: Fleet,
    asked: list[Asked],
    against: tuple[Chosen, ...] = (),
    installed: Callable[[Machine], tuple[Chosen, ...]] | None = None,
) -> Judged:
    """The answer, the status of every need and the memory target of every machine of a fleet.

    ``against`` are the chosen releases that the needs come from, and ``installed`` gives a
    machine's own programs whose needs are known: both only for conflicts.
    """
    judge = _Judge(fleet, asked, against, installed)
    parts, around, examples = judge.parts()
    ids = [part.ids for part in parts]
    counts = [len(part.examples) for part in parts]
    classes, first = _classes([*ids, around], [*counts, len(examples)])
    bits = [np.array([_cure_bits(rows) for rows in part.rows], dtype=np.uint8) for part in parts]
    cures = np.zeros(len(first), dtype=np.uint8)
    for part, own in zip(parts, bits, strict=True):
        cures |= own[part.ids[first]]
    stuck = _conflicting(judge, cures, around[first], examples)
    answers = _answers(judge, parts, around[first], examples, first, stuck)
    statuses: list[NDArray[np.int8]] = [np.empty(0, dtype=np.int8)] * len(asked)
    asks = np.zeros(len(fleet), dtype=bool)
    for part in parts:
        table = np.array([[_status(row) for row in rows] for rows in part.rows], dtype=np.int8)
        table = table.reshape(len(part.rows), len(part.at))
        for column, at in enumerate(part.at):
            statuses[at] = table[:, column][part.ids]
        wants = [_asks_memory(rows) for rows in part.rows]
        if any(wants):
            asks |= np.array(wants, dtype=bool)[part.ids]
    found = answers[classes]
    asks &= found != ANSWERS.index("replace")
    if fleet.sheets is not None:
        for at in np.flatnonzero(asks).tolist():
            target = judge.view(at).target
            judge.targets[at] = (target.total if target else None) or np.nan
    targets = np.where(asks, judge.targets, np.nan)
    return Judged(found, statuses, targets, classes, cures[classes], stuck[classes], asked)


def _status(row: Row | None) -> int:
    return STATUSES.index(row.status if row is not None else "")


def _cure_bits(rows: list[Row | None]) -> int:
    kinds = {cure for row in rows if row and row.status == "short" for cure in row.cures}
    return sum(1 << GRAVITY.index(kind) for kind in kinds)


def _asks_memory(rows: list[Row | None]) -> bool:
    return any(row and row.status != "met" and "memory" in row.cures for row in rows)


def _classes(ids: list[Codes], counts: list[int]) -> tuple[Ints, Ints]:
    """The class of all readings of each machine, and the first machine of each class."""
    code, count = ids[0].astype(np.int64), max(counts[0], 1)
    for one, many in zip(ids[1:], counts[1:], strict=True):
        code, count = code * max(many, 1) + one, count * max(many, 1)
        if count > 1 << 16:
            code, count = dense(code, count)
    code, count = dense(code, count)
    return code, first_of(code, count)


def first_of(code: Ints, count: int) -> Ints:
    """The first place at which each of ``count`` codes stands."""
    first = np.full(count, len(code), dtype=np.int64)
    np.minimum.at(first, code, np.arange(len(code)))
    return first


def dense(code: Ints, count: int) -> tuple[Ints, int]:
    """The codes that occur, numbered anew without gaps, and how many there are."""
    if count > _TABLE_MOST:
        found, inverse = np.unique(code, return_inverse=True)
        return inverse.reshape(-1), len(found)
    present = np.flatnonzero(np.bincount(code, minlength=count))
    table = np.zeros(count, dtype=np.int64)
    table[present] = np.arange(len(present))
    return table[code], len(present)


def _answers(
    judge: _Judge, parts: list[_Part], around: Codes, examples: list[int], first: Ints,
    stuck: Flags,
) -> NDArray[np.int8]:  # fmt: skip
    """The answer of each class: all needs folded, over every choice of what cures rest on."""
    machines = [judge.view(at).machine for at in examples]
    shape_open = np.array(
        [
            one.system.shape is None and rests_on_shape(judge.needs, one.system.virtual)
            for one in machines
        ],
        dtype=bool,
    )[around]
    bits_open = np.zeros(len(first), dtype=bool)
    for part in parts:
        rests = [
            any(row and "processor.bits" in row.readings for row in rows) for rows in part.rows
        ]
        bits_open |= np.array(rests, dtype=bool)[part.ids[first]]
    bits_open &= np.array([one.processor.bits is None for one in machines], dtype=bool)[around]
    states = np.zeros(len(first), dtype=np.uint8)
    for s in range(1, len(judge.shapes)):
        for b in range(1, len(judge.bits)):
            at_s, at_b = np.where(shape_open, s, 0), np.where(bits_open, b, 0)
            branch = np.ones(len(first), dtype=np.uint8)
            for part in parts:
                branch = join(branch, part.states[part.ids[first], at_s, at_b])
            states |= branch
    table = np.array(
        [[_answer(one, False) for one in range(256)], [_answer(one, True) for one in range(256)]],
        dtype=np.int8,
    )
    return np.asarray(table[stuck.astype(np.int64), states])


def _answer(states: int, conflict: bool) -> int:
    possible = set(answers_of(states))
    if conflict:
        possible = {"other" if one in WITH_MEMORY else one for one in possible}
    return ANSWERS.index(possible.pop() if len(possible) == 1 else "undecided")


def _conflicting(
    judge: _Judge, cures: NDArray[np.uint8], around: Codes, examples: list[int]
) -> Flags:
    """Which classes have a conflict: between needs, or with what is installed."""
    if impossible(judge.asked):
        return np.ones(len(cures), dtype=bool)
    stuck = np.zeros(len(cures), dtype=bool)
    if not judge.may_conflict():
        return stuck
    # of the kinds of cure, only a new system can break a program
    system = (cures >> GRAVITY.index("system") & 1).astype(bool)
    for at, example in enumerate(examples):
        machine = judge.fleet.machine(example)
        own = list(judge.installed(machine)) if judge.installed is not None else []
        for kinds in (set(), {"system"}):
            if broken_by_change(machine, judge.against, own, kinds):
                stuck |= (around == at) & (system == bool(kinds))
    return stuck
