"""Needs held against one machine: the asks, the world they are held in, groups and trials."""

from collections.abc import Collection

from tallcheck.core.decide.asked import (
    Asked,
    Chosen,
    Requirement,
    asked_by_installed,
    bits_of,
    requirements_of,
    stays_wanted,
    wanted_systems,
)
from tallcheck.core.decide.changes import System, with_system, with_usage
from tallcheck.core.decide.evaluation import evaluate
from tallcheck.core.decide.grouping import tried
from tallcheck.core.decide.trials import Trials, is_narrow, trials_of
from tallcheck.core.decide.tried import Tried
from tallcheck.core.machine.normalized import Normalized, World, world_of
from tallcheck.core.usage.summary import Figures


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
