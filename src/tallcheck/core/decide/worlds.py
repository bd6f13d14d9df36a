"""All needs over all worlds: what they can come to together, and what would settle it.

What each group of needs can come to is a set of outcomes, each the trials that all its needs pass.
Groups share no reading but the hubs, so for each value of those the sets fold by pairwise AND.
"""

from collections.abc import Collection, Iterable
from functools import cached_property
from itertools import product
from typing import Any

from msgspec import Struct

from tallcheck.core.decide.asked import (
    SHARED_UNKNOWNS,
    Asked,
    Chosen,
    Requirement,
    asked_by_installed,
    bits_of,
    requirements_of,
    stays_wanted,
    wanted_systems,
)
from tallcheck.core.decide.changes import System, can_run, with_system, with_usage
from tallcheck.core.decide.evaluation import evaluate
from tallcheck.core.decide.grouping import tried
from tallcheck.core.decide.groups import Group
from tallcheck.core.decide.outcomes import Outcomes
from tallcheck.core.decide.trials import (
    ANOTHER,
    CONFLICT,
    EXIT_CODES,
    NOT_MEMORY,
    UNDECIDED,
    Trials,
    fits_system,
    is_narrow,
    trials_of,
)
from tallcheck.core.decide.tried import Tried
from tallcheck.core.machine.derive import BITS_OF, USUAL
from tallcheck.core.machine.normalized import POSSIBLE, Normalized, World, world_of
from tallcheck.core.usage.summary import Figures

Masks = frozenset[int]
SharedUnknowns = tuple[tuple[str, Any], ...]
"""A value for each unknown hub."""


def fold(sets: Iterable[Masks], start: Masks) -> Masks:
    """Every AND of one outcome of each set."""
    found = start
    for masks in sets:
        found = frozenset(one & other for one in found for other in masks)
    return found


class Branch(Struct):
    """One value for each unknown hub, the worlds of each group there, and their outcomes."""

    hubs: SharedUnknowns
    world: World
    able: int
    """The trials whose system the machine can run."""
    outcomes: list[tuple[Tried, Outcomes]]
    """What each group can come to."""

    @property
    def wide(self) -> bool:
        """Whether there may be outcomes among these that cannot be."""
        return any(one.wide for _, one in self.outcomes)

    def masks(self) -> Masks:
        """What all groups come to."""
        return fold((one.masks for _, one in self.outcomes), frozenset({self.able}))

    def where(self, reading: str, value: str | int) -> Masks:
        """The same where a reading has a value."""
        return fold((one.where(reading, value) for _, one in self.outcomes), frozenset({self.able}))


def branches(groups: list[Tried], world: World, trials: Trials) -> list[Branch]:
    """One branch for each value of the unknown hubs on which something rests."""
    asks = [ask for group in groups for ask in group.asks]
    found = []
    for hubs in hub_values(asks, world, trials):
        there = with_hubs(world, hubs)
        outcomes = [one for group in groups for one in group.outcomes(there)]
        found.append(Branch(hubs, there, able(trials, there), outcomes))
    return found


def bears(hub: str, group: Group) -> bool:
    """Whether a hub bears on what a group can come to."""
    shown = group.memory and hub == "system.os_bits"  # what the system can address
    return hub in group.reads or hub in group.mends or shown


def able(trials: Trials, world: World) -> int:
    """The trials whose system can run: on this machine's processor, or on another machine."""
    there = [world, *(with_system(world, one) for one in trials.systems)]
    runs = [System(world.get("system.os_bits")), *trials.systems]
    mask = 0
    for at, trial in enumerate(trials.all):
        if trial.hardware == ANOTHER:
            good = fits_system(there[trial.system], trial.architecture)
        else:
            good = can_run(runs[trial.system], world)
        mask |= good << at
    return mask


def with_hubs(world: World, hubs: SharedUnknowns) -> World:
    """The world where the unknown hubs have some values."""
    found = world | dict(hubs)
    bits = dict(hubs).get("system.os_bits")
    if bits is not None:
        wanted = world.get("system.wanted")
        found = with_system(found | {"system.os_bits": None}, System(bits, wanted=wanted))
    return found


def hub_values(asks: list[Requirement], world: World, trials: Trials) -> list[SharedUnknowns]:
    """Every consistent choice of values for the unknown hubs that matter."""
    unknown = [
        hub
        for hub in SHARED_UNKNOWNS
        if world.get(hub) is None and _matters(hub, asks, trials, world)
    ]
    choices = [[(hub, value) for value in _values(hub, asks)] for hub in unknown]
    found = [one for one in product(*choices) if _consistent(world | dict(one))]
    return found or [()]


def _consistent(world: World) -> bool:
    if any(
        not any(all(world.get(hub) in (None, one[hub]) for hub in SHARED_UNKNOWNS if hub in one)
                for one in each)
        for each in world.get(POSSIBLE, ())
    ):  # fmt: skip
        return False  # by none of the sources of a doubt
    bits, running = world.get("processor.bits"), world.get("system.os_bits")
    own = BITS_OF.get(str(world.get("processor.architecture")))
    if bits is not None and own is not None and bits != own:
        return False
    if bits is None or running is None or world.get("system.wanted") is not None:
        return True  # a system that is only to be installed tells nothing of the processor
    return bool(running <= bits)


def _matters(hub: str, asks: list[Requirement], trials: Trials, world: World) -> bool:
    if hub == "system.shape":
        rests = not world.get("system.virtual")
        return any(hub in ask.reads() or (rests and hub in ask.mends()) for ask in asks)
    names = {one.key.name for ask in asks for one in ask.singles() if one.key}
    conditions = {key for ask in asks for one in ask.when for key in one.named()}
    if hub in conditions:
        return True
    if hub == "processor.bits":
        return bool(trials.systems) or "processor_bits" in names
    if hub == "processor.architecture":
        return "architecture" in names
    program = {one.key.name for ask in asks for one in ask.singles() if one.key and one.program}
    return "os_bits" in names or bool(program & {"processor_bits", "architecture"})


def _values(hub: str, asks: list[Requirement]) -> list[Any]:
    if hub.endswith("bits"):
        return [32, 64]
    shapes = hub == "system.shape"
    found: dict[Any, None] = dict.fromkeys(("desktop", "notebook") if shapes else USUAL)
    for ask in asks:
        for condition in ask.when:
            if condition.name == hub:
                found |= dict.fromkeys(condition.values())
        for one in ask.singles():
            if one.key is not None and one.key.reading == hub:
                found |= dict.fromkeys(one.test.words)
    return list(found)


# --- answers -------------------------------------------------------------------------------


def answers_of(masks: Masks, trials: Trials) -> list[str]:
    """The outcomes of some masks, in the order of the exit codes, conflicts last."""
    found = {trials.outcome(mask) for mask in masks}
    return [one for one in (*EXIT_CODES, CONFLICT) if one in found]


def as_answers(outcomes: Iterable[str]) -> tuple[str, ...]:
    """Outcomes as the answers that are shown: a conflict is one that memory does not help."""
    found = {NOT_MEMORY if one == CONFLICT else one for one in outcomes}
    return tuple(one for one in EXIT_CODES if one in found)


def ranked(found: list[Branch], trials: Trials, order: list[str]) -> tuple[str, ...]:
    """The unknown readings that would help to settle the answer, the most telling first.

    By how many answers are left on average once one is known; those that settle nothing for
    themselves only where nothing does.
    """
    values: dict[str, list[Any]] = {}
    for branch in found:
        for hub, value in branch.hubs:
            values.setdefault(hub, [])
            if value not in values[hub]:
                values[hub].append(value)
        for _, outcomes in branch.outcomes:
            for reading, numbers in outcomes.readings().items():
                known = values.setdefault(reading, [])
                known += [at for at in numbers if at not in known]
    everything = len(as_answers(answers_of(_union(b.masks() for b in found), trials)))
    scores = {}
    for reading, known in values.items():
        if reading.startswith("publisher."):
            continue  # only the publisher can say: no reading settles it
        counts = [
            len(as_answers(answers_of(_where(found, reading, value), trials))) for value in known
        ]
        scores[reading] = sum(counts) / len(counts)
    useful = [key for key, score in scores.items() if score < everything] or list(scores)
    places = {key: at for at, key in reversed(list(enumerate(order)))}
    return tuple(sorted(useful, key=lambda key: (scores[key], places.get(key, len(order)))))


def _union(sets: Iterable[Masks]) -> Masks:
    return frozenset(mask for one in sets for mask in one)


def _where(found: list[Branch], reading: str, value: Any) -> Masks:
    """What can be where a reading has a value: a hub's own, or a group's by number."""
    if reading in SHARED_UNKNOWNS:
        return _union(b.masks() for b in found if dict(b.hubs).get(reading, value) == value)
    return _union(branch.where(reading, value) for branch in found)


class Requirements:
    """Needs in groups, under the trials that they call for.

    ``built_for``: the architectures of the systems on the machines that they are put to;
    ``many``: these are many.
    """

    def __init__(
        self, asks: list[Requirement], wanted: bool, built_for: Collection[str], many: bool = False
    ) -> None:
        self.asks, self._many = asks, many
        self._wanted, self._built_for = wanted, built_for
        self._under: dict[bool, tuple[Trials, list[Tried]]] = {}

    def under(self, narrow: bool) -> tuple[Trials, list[Tried]]:
        """The trials and the groups; ``narrow`` as in ``trials_of``."""
        if narrow not in self._under:
            trials = trials_of(self.asks, self._wanted, narrow, self._built_for)
            self._under[narrow] = (trials, tried(self.asks, trials, self._many))
        return self._under[narrow]


class Problem:
    """Needs held against one machine: a question, and the world it is held in."""

    def __init__(
        self,
        machine: Normalized,
        asked: list[Asked],
        against: tuple[Chosen, ...] = (),
        installed: tuple[Chosen, ...] = (),
        usage: Figures | None = None,
        question: Requirements | None = None,
    ) -> None:
        self.known = machine
        world = world_of(machine)
        if usage is not None:
            with_usage(world, usage)
        unseen = _met_today(asked_by_installed(installed, against), world)
        wanted = wanted_systems(against)
        self.system = _wanted_system(wanted[0], world) if wanted else None
        if self.system is not None:
            world = with_system(world, self.system)
            unseen += [stays_wanted(one) for one in wanted]
        self.world, self.usage = world, usage
        if question is None:
            built_for = filter(None, [world.get("system.architecture")])
            question = Requirements(
                requirements_of([*asked, *unseen]), "system.wanted" in world, tuple(built_for)
            )
        self.asks = question.asks
        self.trials, self.groups = question.under(is_narrow(self.asks, world))

    @cached_property
    def branches(self) -> list[Branch]:
        """The worlds that the machine may be in."""
        return branches(self.groups, self.world, self.trials)

    @cached_property
    def outcomes(self) -> list[str]:
        """What these come to."""
        return answers_of(_union(one.masks() for one in self.branches), self.trials)

    @cached_property
    def possible(self) -> tuple[str, ...]:
        """The answers that it may be."""
        return as_answers(self.outcomes)

    @property
    def answer(self) -> str:
        """The one answer that it is, or that it is open."""
        return self.possible[0] if len(self.possible) == 1 else UNDECIDED

    @property
    def conflict(self) -> bool:
        """Whether needs exclude one another in some world."""
        return CONFLICT in self.outcomes


def _met_today(asked: list[Asked], world: World) -> list[Asked]:
    return [
        one for one, ask in zip(asked, requirements_of(asked), strict=True)
        if evaluate(ask, world).status == "met"
    ]  # fmt: skip


def _wanted_system(chosen: Chosen, world: World) -> System:
    bits = bits_of(chosen.release)
    if bits is None:
        bits = world.get("processor.bits")
    return System(bits, chosen.sheet.title, chosen.release.name or None, chosen.label)
