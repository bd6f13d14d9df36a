"""Clusters: requirements and conditions that read the same readings, one variable of the tables.

Of a world a cluster says in which states its unknown readings may be, and of each state what a
trial can make of it: which of its atoms are met then.
"""

from bisect import bisect_left, bisect_right
from collections.abc import Collection, Iterable, Iterator
from itertools import product
from typing import Any

from msgspec import Struct
from msgspec.msgpack import encode

from tallcheck.core.board.account import account_of
from tallcheck.core.decide.asked import (
    OF_KIND,
    OF_MEMORY,
    OF_SYSTEM,
    SHARED_UNKNOWNS,
    Requirement,
)
from tallcheck.core.decide.atoms import Atom, Met, atoms_of, by_view, readings_of, shared_by
from tallcheck.core.decide.changes import (
    COUNTS,
    NO_CHANGE,
    Change,
    Fill,
    System,
    fills,
    joined,
    missing_memory,
    variable,
    with_most,
    with_system,
)
from tallcheck.core.decide.evaluation import own_memory, passes, view_of
from tallcheck.core.decide.trials import ANOTHER, REST, SETTINGS, Kept, Trial, kinds_of, on_another
from tallcheck.core.machine.normalized import POSSIBLE, World
from tallcheck.core.machine.readings import keys
from tallcheck.core.needs.counts import counts_agree, tied_counts
from tallcheck.core.needs.key import Choice, Evaluation, Key, View
from tallcheck.core.needs.sheet import Condition
from tallcheck.core.values.comparison import AT_LEAST, Bound

_STATES_MOST = 2048
_REMEMBERED_MOST = 1 << 12
ANY_TOTAL = 4 << 30
"""Stands for a total of which nothing is known and on which nothing rests."""
_HUBS = frozenset(SHARED_UNKNOWNS)
_PLACES: dict[str, int] = {key: at for at, key in enumerate(keys())}

Options = dict[tuple[Met, tuple[str, ...]], Change]
"""Changes by what is met after them and the kinds of fix that they take."""


class State(Struct, frozen=True):
    """One way in which the unknown readings may be: the values taken, and the readings."""

    taken: dict[str, str | int]
    """By reading, by number: the same where it comes to the same; by itself, where in doubt."""
    readings: World
    doubts: frozenset[int] = frozenset()
    """The doubts that are settled in it, by number."""


def tried_world(world: World, trial: Trial, systems: list[System]) -> World:
    """The world once a trial's system runs, on the machine that the trial is about."""
    if trial.system:
        world = with_system(world, systems[trial.system - 1])
    return on_another(world, trial.architecture) if trial.hardware == ANOTHER else world


def within(options: Options, trial: Trial) -> Options:
    """The changes that a trial allows."""
    allowed = kinds_of(trial)
    return {key: one for key, one in options.items() if allowed.issuperset(key[1])}


def clusters_of(asks: list[Requirement]) -> list["Cluster"]:
    """The atoms of some requirements by what they share: a reading, or what changes it."""
    parts: list[tuple[set[str], dict[int, Atom]]] = []
    for ask in asks:
        for atom in atoms_of(ask):
            names, atoms = shared_by(atom, ask), {id(atom): atom}
            apart = []
            for other, others in parts:
                if other & names:
                    names, atoms = names | other, others | atoms
                else:
                    apart.append((other, others))
            parts = [*apart, (names, atoms)]
    return [Cluster(list(atoms.values()), asks) for _, atoms in parts]


def _doubt_about(missing: str | None, world: World, state: State) -> int | None:
    """A doubt about a missing reading whose sources gave values, by number; None where none is."""
    return next((
        at for at, each in enumerate(world.get(POSSIBLE, ()))
        if at not in state.doubts and any(missing in one for one in each)
    ), None)  # fmt: skip


class Cluster:
    """Requirements and conditions that share readings."""

    def __init__(self, atoms: list[Atom], whole: list[Requirement]) -> None:
        """``whole``: the requirements of the group, for what programs want for themselves."""
        self.atoms = atoms
        self.singles = [one for one in atoms if isinstance(one, Requirement)]
        self.conditions = [one for one in atoms if isinstance(one, Condition)]
        self._own = [one for one in whole if one.key is not None and one.key.name == "memory_own"]
        entries = [one.key for one in self.singles] + [one.totals for one in self.conditions]
        self.memory = any(key is not None and key.totals is not None for key in entries)
        """Whether memory can bear on it."""
        reads = frozenset().union(
            *map(readings_of, atoms), *(readings_of(when) for one in self._own for when in one.when)
        )
        self.of_system = self.memory or bool(reads & OF_SYSTEM)
        self.of_kind = bool(reads & OF_KIND)
        mends = frozenset().union(*(key.mends for key in entries if key is not None))
        rests_on = reads | mends | (OF_MEMORY if self.memory else frozenset())
        self._rests_on = (*sorted(rests_on), POSSIBLE)
        self._known: dict[tuple[bool, bytes], Options] = {}
        """Options made once for all worlds alike in what they rest on."""
        self._reads = sorted(reads)
        self._met: dict[bytes, Met] = {}
        """What is met, once for all worlds alike in what is read."""
        self._bare = all(key is not None and key.totals is not None for key in entries)
        self.all_met: Met = (1 << len(atoms)) - 1
        self._by_key = self._entries()
        self._alike = by_view(atoms)
        self._edges = self._turning()

    def _entries(self) -> list[tuple[Key, list[Any], frozenset[str], tuple[Any, ...], bool]]:
        """For each key its tests, all readings that its choices may look at, and what is beside."""
        found: dict[str, list[Requirement]] = {}
        for one in self.singles:
            assert one.key is not None
            found.setdefault(one.key.name, []).append(one)
        tests = {name: [one.test for one in asks] for name, asks in found.items()}
        if {"cores", "threads"} <= tests.keys():
            cores, threads = tied_counts(tests["cores"], tests["threads"])
            tests["cores"] += cores
            tests["threads"] += threads
        return [
            (asks[0].key, tests[name],
             frozenset().union(*(one.named for one in asks)) | asks[0].key.mends,
             tuple(test for one in asks for test in one.beside),
             any(one.program for one in asks))
            for name, asks in found.items() if asks[0].key is not None
        ]  # fmt: skip

    def _turning(self) -> dict[str, list[Any]]:
        """The values of numbers at which outcomes turn; of memory all values count."""
        found: dict[str, set[Any]] = {}
        for one in () if self.memory else self.atoms:
            if isinstance(one.test, Bound):
                reading = one.key.reading if one.key is not None else next(iter(readings_of(one)))
                found.setdefault(reading, set()).update(one.test.limits())
        return {reading: sorted(limits) for reading, limits in found.items()}

    def own(self, world: World) -> int:
        """What all programs want for themselves, in bytes."""
        return own_memory(self._own, world) if self._own else 0

    def met(self, world: World) -> Met:
        """The atoms that are met in a world."""
        seen = encode([world.get(key) for key in self._reads])
        if seen not in self._met:
            if len(self._met) >= _REMEMBERED_MOST:
                self._met.clear()
            self._met[seen] = self._evaluated(world)
        return self._met[seen]

    def _evaluated(self, world: World) -> Met:
        found = sum(bits for _, one, bits in self._evaluations(world) if passes(one))
        for at, atom in enumerate(self.atoms):
            if isinstance(atom, Condition) and atom.holds(View(world, atom.named()))[0] is False:
                found |= 1 << at
        return found

    def _evaluations(self, world: World) -> Iterator[tuple[Key, Evaluation, Met]]:
        """Its requirements held against a world, those that ask the same at once."""
        own = self.own(world)
        for one, tests in self._alike:
            assert one.key is not None
            view = view_of(one, world, own)
            for test, bits in tests:
                yield one.key, one.key.evaluate(test, view), bits

    def _choices(self, world: World) -> Iterator[tuple[Key, Choice]]:
        own = self.own(world)
        for key, tests, named, beside, program in self._by_key:
            asked = sum(test.limits()[-1] for test in tests) if key.name == "memory_own" else own
            view = View(world, named, max(own - asked, 0), beside, program)
            for choice in key.choices(tests, view):
                yield key, choice

    def kept(self, case: Kept) -> Kept:
        """What counts of a trial for it."""
        system, hardware, memory, kind = case
        hardware = SETTINGS if hardware == REST and self._bare else hardware
        return (system if self.of_system else 0, hardware, memory and self.memory,
                kind if self.of_kind else "")  # fmt: skip

    def seen(self, world: World) -> bytes:
        """The world as far as the cluster rests on it."""
        return encode([world.get(key) for key in self._rests_on])

    # --- states ---

    def states(self, world: World) -> list[State]:
        """The states that the unknown readings allow, one for each outcome that rests on them."""
        found: list[State] = []
        todo = [State({}, {})]
        while todo:
            state = todo.pop()
            here = world | state.readings
            missing = self._missing(here, state.taken)
            doubt = _doubt_about(missing, here, state)
            if doubt is not None:
                todo += [
                    State(state.taken | {key: repr({key: value}) for key, value in one.items()},
                          state.readings | one, state.doubts | {doubt})
                    for one in here[POSSIBLE][doubt]
                ]  # fmt: skip
                continue
            values = self._values(missing, here) if missing else []
            if missing is None or not values or len(found) + len(todo) > _STATES_MOST:
                found.append(self._by_edges(state))
                continue
            todo += [
                State(state.taken | {missing: at}, state.readings | value, state.doubts)
                for at, value in enumerate(values)
            ]
        return list({tuple(one.taken.items()): one for one in found}.values())

    def _by_edges(self, state: State) -> State:
        """The same with numbers by where they lie between edges: there they come to the same."""
        taken: dict[str, str | int] = dict(state.taken)
        for reading in taken.keys() & self._edges.keys():
            value, edges = state.readings[reading], self._edges[reading]
            if isinstance(value, int | float):
                taken[reading] = bisect_left(edges, value) + bisect_right(edges, value)
        return State(taken, state.readings, state.doubts)

    def _missing(self, world: World, taken: Collection[str]) -> str | None:
        unknown: set[str] = set()
        short = False
        for key, one, _ in self._evaluations(world):
            if one.status != "met":
                unknown.update(one.missing)
            short = short or (one.status == "short" and key.totals is not None)
        for condition in self.conditions:
            unknown.update(condition.holds(View(world, condition.named()))[1])
        unknown.difference_update(taken)
        if unknown:
            # in the sheet's order, so that the order of the needs makes no difference
            return min(unknown, key=lambda key: (_PLACES.get(key, len(_PLACES)), key))
        return missing_memory(world, set(taken)) if short else None

    def _values(self, missing: str, world: World) -> list[World]:
        """What an unknown reading could be: a value for each outcome that rests on it."""
        if missing == "memory.slots":
            count = len(account_of(world.get).positions)
            return [{missing: count}, {missing: count + 1}]
        if missing == "memory.available" and world.get("memory.installed") is not None:
            world = world | with_most(world)
        choices = [choice for _, choice in self._choices(world)]
        found: list[World] = []
        for condition in self.conditions:
            if condition.key is None and condition.name == missing:
                found += [{missing: value} for value in condition.values()]
            elif condition.key is not None and missing in condition.named():
                view = View(world, condition.named() | condition.key.mends)
                choices += condition.key.choices([condition.test], view)
        found = [
            one.changes for one in choices if one.changes.get(missing) is not None and not one.anew
        ] + found  # fmt: skip
        if missing == "memory.installed" and not found:
            found = [{missing: world.get("memory.usable") or ANY_TOTAL}]
        if any(key.steady and missing in key.reads for key, *_ in self._by_key):
            return self._unlike(found, world)
        return list({repr(one): one for one in found}.values())

    def _unlike(self, values: list[World], world: World) -> list[World]:
        """One value for each outcome that they have, the first."""
        found: dict[Any, World] = {}
        for one in values:
            there = world | one
            answers = [(each.status, each.missing) for _, each, _ in self._evaluations(there)]
            holds = [c.holds(View(there, c.named()))[0] for c in self.conditions]
            found.setdefault((*answers, *holds), one)
        return list(found.values())

    # --- what can be made of it ---

    def options(self, world: World, another: bool) -> Options:
        """What can be changed, by what is met then and the kinds of fix; each the lightest.

        ``another``: on another machine. To change nothing is among them, first.
        """
        seen = another, self.seen(world)
        if seen not in self._known:
            if len(self._known) >= _REMEMBERED_MOST:
                self._known.clear()
            self._known[seen] = self._options(world, another)
        return self._known[seen]

    def _options(self, world: World, another: bool) -> Options:
        start = self.met(world)
        found: Options = {(start, ()): NO_CHANGE}
        for ways in self._ways(world, start, another):
            for change in list(found.values()):
                for way in ways:
                    whole = joined((change, way)) if change.kinds else way
                    there = world | whole.changes
                    key = self.met(there), whole.kinds
                    if key not in found or whole.total < found[key].total:
                        found[key] = whole
        return found

    def _ways(self, world: World, start: Met, another: bool) -> Iterator[list[Change]]:
        """For each thing that is changed for itself the ways to change it, where it is short."""
        short: set[str] = set()
        for at, atom in enumerate(self.atoms):
            if start >> at & 1:
                continue
            key = atom.key if isinstance(atom, Requirement) else atom.totals
            if key is not None:
                short.add(variable(key.name))
        ways: dict[str, list[Change]] = {}
        for entry, choice in self._choices(world) if short - {"memory"} else ():
            name = variable(entry.name)
            # what the hubs are is for the trial itself to say
            if name in short - {"memory"} and not _HUBS & choice.changes.keys():
                name = entry.name if name == COUNTS else name
                ways.setdefault(name, []).append(Change(choice.changes, (choice.kind,)))
        if {"cores", "threads"} <= ways.keys():
            yield self._counts(ways.pop("cores"), ways.pop("threads"), world)
        yield from ways.values()
        if "memory" in short:
            yield [
                Change(one.changes, tuple(sorted({*one.kinds})), one.goal)
                for one in self.fills(world, another)
            ]

    def _counts(self, cores: list[Change], threads: list[Change], world: World) -> list[Change]:
        """The ways to change cores and threads to what a machine can have, one for each outcome."""
        kind = world.get("processor.architecture")
        by_outcome = self._by_outcome(cores, world), self._by_outcome(threads, world)
        both = [
            next((joined((c, t)) for c in some for t in others if counts_agree(
                c.changes["processor.cores"], t.changes["processor.threads"], kind
            )), None)
            for some, others in product(*by_outcome)
        ]  # fmt: skip
        one = [way for way in (*cores, *threads) if _can_be(world | way.changes)]
        return [
            *(each[0] for each in self._by_outcome(one, world)),
            *(way for way in both if way is not None),
        ]

    def _by_outcome(self, ways: list[Change], world: World) -> list[list[Change]]:
        """Those together that come to the same by the same kinds of fix."""
        found: dict[tuple[Met, tuple[str, ...]], list[Change]] = {}
        for one in ways:
            found.setdefault((self.met(world | one.changes), one.kinds), []).append(one)
        return list(found.values())

    def fills(self, world: World, another: bool) -> Iterable[Fill]:
        """The ways to change the memory, the least total first."""
        own = self.own(world)
        turns = [
            (one.key, one.test, view_of(one, world, own))
            for one in self.singles if one.key and one.key.totals is not None
        ]  # fmt: skip
        less = any(key.name == "memory" and test.op != AT_LEAST for key, test, _ in turns)
        turns += [
            (key, one.test, View(world, key.reads))
            for one in self.conditions if (key := one.totals) is not None
        ]  # fmt: skip
        return fills(world, turns, own, less, another)


def _can_be(world: World) -> bool:
    cores, threads = world.get("processor.cores"), world.get("processor.threads")
    return counts_agree(cores, threads, world.get("processor.architecture"))
