"""Needs that share readings, held and tried together: what they can come to in all worlds.

Where a reading is unknown, each of its values is a world of its own, down to worlds in which
nothing that these needs rest on is unknown. In each, every trial is made: a change passes where
some value that it can bring about meets all needs of the group.
"""

from collections.abc import Iterator
from functools import cached_property
from itertools import combinations, product
from typing import Any

from tallcheck.core.decide.asked import OF_KIND, OF_MEMORY, OF_SYSTEM, SHARED_UNKNOWNS, Requirement
from tallcheck.core.decide.changes import (
    COUNTS,
    MEMORY,
    NO_CHANGE,
    Change,
    Fill,
    Goal,
    System,
    fills,
    joined,
    missing_memory,
    variable,
    weight,
    with_most,
    with_system,
    with_total,
)
from tallcheck.core.decide.evaluation import Answer, evaluate, evaluate_all, own_memory, view_of
from tallcheck.core.decide.trials import ANOTHER, NOTHING, REST, SETTINGS, Trial, Trials, on_another
from tallcheck.core.machine.normalized import World
from tallcheck.core.machine.readings import keys
from tallcheck.core.needs.counts import counts_agree
from tallcheck.core.needs.key import KINDS, Choice, Key, View
from tallcheck.core.values.comparison import AT_LEAST

_HUBS = frozenset(SHARED_UNKNOWNS)
_WORLDS_MOST = 2048
_TRIED_MOST = 500
ANY_TOTAL = 4 << 30
"""Stands for a total of which nothing is known and on which nothing rests."""
_ALLOWED: dict[int, frozenset[str]] = {
    NOTHING: frozenset(),
    SETTINGS: frozenset({"setting"}),
    REST: frozenset({"setting", "processor", "graphics", "storage", "part"}),
    ANOTHER: frozenset(KINDS) - {"system"},
}

_PLACES: dict[str, int] = {key: at for at, key in enumerate(keys())}
Case = tuple[tuple[tuple[str, int], ...], World]
"""Which value was taken for each unknown reading, by number; and the world that it gives."""


class Group:
    """Needs that share readings."""

    def __init__(self, asks: list[Requirement], places: list[int]) -> None:
        self.asks, self.places = asks, places
        entries = [key for ask in asks for key in ask.entries()]
        self.singles = [one for ask in asks for one in ask.singles() if one.key is not None]
        """Each ask, or in its place those of its tables."""
        self.memory = any(key.totals is not None for key in entries)
        """Whether memory can bear on it."""
        self.reads = frozenset(key for ask in asks for key in ask.reads())
        self.mends = frozenset(name for key in entries for name in key.mends)
        self.rests_on = self.reads | self.mends | (OF_MEMORY if self.memory else frozenset())
        """All readings on which anything of it rests."""
        self.of_system = self.memory or bool(self.reads & OF_SYSTEM)
        """Whether the system that runs bears on it."""
        self.of_kind = bool(self.reads & OF_KIND)
        """Whether the architecture of another machine bears on it."""
        self._bare = all(key.totals for key in entries)
        """Whether of this machine's hardware only memory bears on it, which a trial names."""

    @cached_property
    def _by_key(self) -> list[tuple[Key, list[Any], frozenset[str], tuple[Any, ...], bool]]:
        """For each key its tests, all readings that its choices may look at, and what is beside."""
        found: dict[str, list[Requirement]] = {}
        for one in self.singles:
            assert one.key is not None
            found.setdefault(one.key.name, []).append(one)
        return [
            (asks[0].key, [one.test for one in asks],
             frozenset().union(*(one.named for one in asks)) | asks[0].key.mends,
             tuple(test for one in asks for test in one.beside),
             any(one.program for one in asks))
            for asks in found.values() if asks[0].key is not None
        ]  # fmt: skip

    def evaluate(self, world: World) -> list[Answer]:
        """The needs held against a world."""
        return evaluate_all(self.asks, world)

    def _choices(self, world: World, only: set[str] | None = None) -> Iterator[tuple[str, Choice]]:
        own = own_memory(self.asks, world)
        for key, tests, named, beside, program in self._by_key:
            if only is not None and key.name not in only:
                continue
            asked = sum(test.limits()[-1] for test in tests) if key.name == "memory_own" else own
            view = View(world, named, max(own - asked, 0), beside, program)
            for choice in key.choices(tests, view):
                yield key.name, choice

    # --- worlds ---

    def cases(self, world: World) -> list[Case]:
        """The worlds that the unknown readings allow, as far as these needs rest on them."""
        found: list[Case] = []
        todo: list[Case] = [((), world)]
        while todo:
            taken, here = todo.pop()
            missing = self._missing(here, {key for key, _ in taken})
            values = self._values(missing, here) if missing else []
            if not values or len(found) + len(todo) > _WORLDS_MOST:
                found.append((taken, here))
                continue
            assert missing is not None
            todo += [((*taken, (missing, at)), here | value) for at, value in enumerate(values)]
        return found

    def _missing(self, world: World, taken: set[str]) -> str | None:
        answers = self.evaluate(world)
        open_ones = {
            key
            for answer in answers
            if answer.status in ("unknown", "short")
            for key in answer.missing
            if key not in taken
        }
        if open_ones:
            # in the sheet's order, so that the order of the needs makes no difference
            return min(open_ones, key=lambda key: (_PLACES.get(key, len(_PLACES)), key))
        if self.memory and any(
            answer.status == "short" and any(key.totals for key in ask.entries())
            for ask, answer in zip(self.asks, answers, strict=True)
        ):
            return missing_memory(world, taken)
        return None

    def _values(self, missing: str, world: World) -> list[World]:
        """What an unknown reading could be: a value for each outcome that rests on it."""
        if missing == "memory.slots":
            count = len(world["memory.modules"])
            return [{missing: count}, {missing: count + 1}]
        if missing == "memory.available" and world.get("memory.installed") is not None:
            world = world | with_most(world)
        found = [
            choice.changes for _, choice in self._choices(world)
            if choice.changes.get(missing) is not None and not choice.anew
        ]  # fmt: skip
        for ask in self.asks:
            for condition in ask.when:
                if condition.key is None and condition.name == missing:
                    found += [{missing: value} for value in condition.values()]
                elif condition.key is not None and missing in condition.named():
                    view = View(world, condition.named() | condition.key.mends)
                    found += [
                        choice.changes for choice in condition.key.choices([condition.test], view)
                        if choice.changes.get(missing) is not None and not choice.anew
                    ]  # fmt: skip
        if missing == "memory.installed" and not found:
            found = [{missing: world.get("memory.usable") or ANY_TOTAL}]
        if any(key.steady and missing in key.reads for key, *_ in self._by_key):
            return self._unlike(found, world)
        distinct: dict[str, World] = {repr(one): one for one in found}
        return list(distinct.values())

    def _unlike(self, values: list[World], world: World) -> list[World]:
        """One value for each outcome that they have for the needs, the first."""
        found: dict[Any, World] = {}
        for one in values:
            there = world | one
            own = own_memory(self.asks, there)
            answers = [evaluate(single, there, own) for single in self.singles]
            answers += [evaluate(ask, there, own) for ask in self.asks if ask.when]
            found.setdefault(tuple((a.status, a.missing) for a in answers), one)
        return list(found.values())

    # --- trials ---

    def mask(self, world: World, trials: Trials) -> int:
        """The trials that all needs of the group pass in a world."""
        apart = not self.of_kind and (not trials.systems or not self.of_system)
        if apart and all(answer.passes for answer in self.evaluate(world)):
            return trials.every  # whatever else may be changed
        found = 0
        done: dict[Any, bool] = {}
        cases = trials.alike(self.of_system, self.of_kind, self.memory, self._bare)
        for case, trial, bits in cases:
            system, hardware, memory, kind = case
            passed = (not kind and _passed_with_less(done, system, hardware, memory)) or (
                self.solve(trial, world, trials.systems) is not None
            )
            done[case] = passed
            if passed:
                found |= bits
        return found

    def solve(self, trial: Trial, world: World, systems: list[System]) -> Change | None:
        """The least that a trial has to change for all needs to be met; None where it cannot."""
        if trial.system:
            world = with_system(world, systems[trial.system - 1])
        if trial.hardware == ANOTHER:
            world = on_another(world, trial.architecture)
        answers = self.evaluate(world)
        if all(answer.passes for answer in answers):
            return NO_CHANGE
        if trial.hardware == NOTHING and not trial.memory:
            return None
        return self._search(trial, world, answers)

    def goal_of(
        self, trial: Trial, world: World, systems: list[System], change: Change
    ) -> Goal | None:
        """The goal of a change with the least total that would do, whatever can be built."""
        if change.goal is None:
            return None
        if trial.system:
            world = with_system(world, systems[trial.system - 1])
        for fill in self._fills(trial, world):
            if fill.goal.total != change.goal.total or not {*fill.kinds} <= {*change.kinds}:
                continue
            floor = with_total(world, fill.goal.least, fill.use)
            if all(one.passes for one in self.evaluate(world | change.changes | floor)):
                return fill.goal
        return Goal(change.goal.total, change.goal.total)

    def _search(self, trial: Trial, world: World, answers: list[Answer]) -> Change | None:
        failing = {
            key.name for ask, answer in zip(self.asks, answers, strict=True)
            if not answer.passes for key in ask.entries()
        }  # fmt: skip
        failing |= {"cores", "threads"} if failing & {"cores", "threads"} else set()
        options: dict[str, list[Change]] = {}
        allowed = _ALLOWED[trial.hardware]
        for name, choice in self._choices(world, failing - MEMORY) if allowed else ():
            # what the hubs are is for the trial itself to say
            if choice.kind in allowed and not _HUBS & choice.changes.keys():
                options.setdefault(name, []).append(Change(choice.changes, (choice.kind,)))
        options = {name: self._distinct(each, world) for name, each in options.items()}
        if self.memory:
            # of several edges that one total reaches, any stands for it
            fills = {(one.kinds, one.goal.total): one for one in self._fills(trial, world)}
            options["memory"] = [
                Change(one.changes, one.kinds, one.goal) for one in fills.values()
            ]  # fmt: skip
        return self._least(options, world)

    def _distinct(self, options: list[Change], world: World) -> list[Change]:
        """One option for each outcome that they have, the first; all where there is but one way."""
        if len(options) < 3 or not any(ask.tables or ask.when for ask in self.asks):
            return options
        found: dict[Any, Change] = {}
        for one in options:
            there = world | one.changes
            own = own_memory(self.asks, there)
            statuses = [evaluate(single, there, own).status for single in self.singles]
            whole = [evaluate(ask, there, own).status for ask in self.asks if ask.when]
            found.setdefault((one.kinds, *statuses, *whole), one)
        return list(found.values())

    def _fills(self, trial: Trial, world: World) -> Iterator[Fill]:
        own = own_memory(self.asks, world)
        turns = [
            (one.key, one.test, view_of(one, world, own))
            for one in self.singles if one.key and one.key.totals is not None
        ]  # fmt: skip
        less = any(key.name == "memory" and test.op != AT_LEAST for key, test, _ in turns)
        turns += [
            (key, one.test, View(world, key.reads))
            for ask in self.asks for one in ask.when if (key := one.totals) is not None
        ]  # fmt: skip
        another = trial.hardware == ANOTHER
        settings = trial.hardware >= SETTINGS
        return fills(world, turns, own, trial.memory, settings, settings and less, another)

    def _least(self, options: dict[str, list[Change]], world: World) -> Change | None:
        """Of all choices that meet the needs the one with the fewest and lightest changes.

        Once a table is picked for each need that has several, every reading is mended for itself.
        """
        found: list[tuple[Any, Change]] = []
        for picked in product(*(self._ways(ask) for ask in self.asks)):
            required = [one for way in picked for one in way]
            change = self._mended(required, options, world)
            if change is not None:
                found.append((weight(change), change))
        if not found and self._can_flip(options):
            return self._tried(options, world)
        return min(found, key=lambda entry: entry[0])[1] if found else None

    def _can_flip(self, options: dict[str, list[Change]]) -> bool:
        """Whether a change can bear on whether a need holds at all."""
        conditions = {key for ask in self.asks for one in ask.when for key in one.named()}
        return any(conditions & one.changes.keys() for each in options.values() for one in each)

    def _ways(self, ask: Requirement) -> list[list[Requirement]]:
        """What has to be met for one need: itself, or all of one of its tables.

        A need that holds only where something is so may also be left unmet.
        """
        ways = [list(table) for table in ask.tables] or [[ask] if ask.key is not None else []]
        return [*ways, []] if ask.when else ways

    def _mended(
        self, required: list[Requirement], options: dict[str, list[Change]], world: World
    ) -> Change | None:
        """The lightest change that meets some single needs; None where there is none."""
        own = own_memory(self.asks, world)
        by_variable: dict[str, list[Requirement]] = {}
        for one in required:
            assert one.key is not None
            by_variable.setdefault(variable(one.key.name), []).append(one)
        changes: list[Change] = []
        for name, singles in by_variable.items():
            if all(evaluate(one, world, own).passes for one in singles):
                continue
            choices = self._options_for(name, options)
            good = (
                one
                for one in sorted(choices, key=weight)
                if self._can_be(world | one.changes)
                and all(evaluate(single, world | one.changes, own).passes for single in singles)
            )
            change = next(good, None)
            if change is None:
                return None
            changes.append(change)
        whole = joined(tuple(changes))
        there = world | whole.changes
        return whole if all(answer.passes for answer in self.evaluate(there)) else None

    def _options_for(self, name: str, options: dict[str, list[Change]]) -> list[Change]:
        if name == "graphics":
            return options.get(name, []) + options.get("graphics_memory", [])
        if name != COUNTS:
            return options.get(name, [])
        cores, threads = options.get("cores", []), options.get("threads", [])
        both = [joined(pair) for pair in product(cores, threads)]
        return [*cores, *threads, *both]

    def _tried(self, options: dict[str, list[Change]], world: World) -> Change | None:
        """The same by trying every combination: where a change bears on whether a need holds."""
        names = [name for name in options if options[name]]
        tried = 0
        for count in range(1, len(names) + 1):
            found: list[tuple[Any, Change]] = []
            for picked in combinations(names, count):
                for each in product(*(options[name] for name in picked)):
                    tried += 1
                    if tried > _TRIED_MOST:
                        return min(found, key=lambda entry: entry[0])[1] if found else None
                    whole = joined(each)
                    changed = world | whole.changes
                    if self._can_be(changed) and all(one.passes for one in self.evaluate(changed)):
                        found.append((weight(whole), whole))
            if found:
                return min(found, key=lambda entry: entry[0])[1]
        return None

    def _can_be(self, world: World) -> bool:
        if not {"processor.cores", "processor.threads"} <= self.reads:
            return True
        both = {one.key.name for one in self.singles if one.key} >= {"cores", "threads"}
        return not both or counts_agree(
            world.get("processor.cores"), world.get("processor.threads")
        )


def _passed_with_less(done: dict[Any, bool], system: int, hardware: int, memory: bool) -> bool:
    """Whether a trial that may change less passes: then so does one that may change more."""
    return any(
        done.get((system, less, m, ""), False)
        for less in range(min(hardware, REST) + 1)
        for m in ((False, True) if memory or hardware == ANOTHER else (False,))
    )
