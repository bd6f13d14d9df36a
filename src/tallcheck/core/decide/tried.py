"""A group of needs under some trials: each result made once for all worlds alike in what it reads.

A rule sees nothing but the readings that it named, so worlds with the same values of those come
to the same; many machines, and many trials of one, share them.
"""

from bisect import bisect_left, bisect_right
from collections.abc import Callable
from itertools import product
from typing import Any

from msgspec.msgpack import encode

from tallcheck.core.decide.asked import Requirement
from tallcheck.core.decide.changes import Change
from tallcheck.core.decide.edges import edges_of
from tallcheck.core.decide.evaluation import Answer
from tallcheck.core.decide.groups import Group
from tallcheck.core.decide.outcomes import Outcomes, outcomes_of
from tallcheck.core.decide.trials import Trial, Trials
from tallcheck.core.machine.normalized import POSSIBLE, World

_REMEMBERED_MOST = 1 << 16


class Tried:
    """A group of needs under some trials."""

    def __init__(self, group: Group, trials: Trials, many: bool = False) -> None:
        """``many``: worth the while of finding out which numbers come to the same."""
        self.group, self.trials = group, trials
        self.asks, self.places = group.asks, group.places
        self._reads = (*sorted(group.rests_on), POSSIBLE)
        self._many = many
        self._edges = edges_of(group) if many else {}
        self._found: dict[Any, Any] = {}
        self._alone: dict[int, Tried] = {}

    def _seen(self, world: World) -> bytes:
        """The world as far as the group reads it."""
        return encode([world.get(key) for key in self._reads])

    def _alike(self, world: World) -> bytes:
        """The world as far as what the group can come to rests on it: numbers by their edges."""
        if not self._edges:
            return self._seen(world)
        values = []
        for key in self._reads:
            value = world.get(key)
            if isinstance(value, int | float) and key in self._edges:
                edges = self._edges[key]
                value = (bisect_left(edges, value), bisect_right(edges, value))
            values.append(value)
        return encode(values)

    def _once(self, key: Any, make: Callable[[], Any]) -> Any:
        """What was made for a key, made now where it was not."""
        if key in self._found:
            return self._found[key]
        made = make()
        if len(self._found) < _REMEMBERED_MOST:
            self._found[key] = made
        return made

    def evaluate(self, world: World) -> list[Answer]:
        """The needs held against a world."""
        return list(self._once((None, self._seen(world)), lambda: self.group.evaluate(world)))

    def answers(self, world: World) -> list[Answer]:
        """The same; of what is in doubt, what all values come to, by the worst of them."""
        found = self.evaluate(world)
        unknown = {key for one in found if one.status == "unknown" for key in one.missing}
        doubts = [
            each for each in world.get(POSSIBLE, ()) if any(unknown & one.keys() for one in each)
        ]
        if not doubts:
            return found
        worlds = [
            world | {key: one[key] for one in some for key in one} for some in product(*doubts)
        ]
        for at, ways in enumerate(zip(*map(self.evaluate, worlds), strict=True)):
            if found[at].status == "unknown" and len({one.status for one in ways}) == 1:
                found[at] = min(ways, key=lambda one: one.evaluation.ratio or 0.0)
        return found

    def outcomes(self, world: World) -> list[tuple["Tried", Outcomes]]:
        """What the group can come to, or what each of the parts can into which it was taken.

        They are those of any machine alike in what the group reads.
        """
        return list(self._once(self._alike(world), lambda: [
            (self if one is self.group else Tried(one, self.trials), outcomes)
            for one, outcomes in outcomes_of(self.group, world, self.trials, self._once)
        ]))  # fmt: skip

    def solve(self, trial: Trial, world: World) -> Change | None:
        """The least that a trial has to change for all needs to be met; None where it cannot."""
        systems = self.trials.systems
        found: Change | None = self._once(
            (trial, self._seen(world)), lambda: self.group.solve(trial, world, systems)
        )
        return found

    def alone(self, ask: Requirement) -> "Tried":
        """One of its needs for itself."""
        if len(self.asks) == 1:
            return self
        at = self.asks.index(ask)
        if at not in self._alone:
            self._alone[at] = Tried(Group([ask], [0]), self.trials, self._many)
        return self._alone[at]
