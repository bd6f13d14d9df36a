"""The needs sheet: what one operating system or program asks for, release by release."""

import datetime
from typing import Any

from msgspec import Struct

from tallcheck.core.needs.key import Key, OneOf, Test, View
from tallcheck.core.needs.keys import KEYS
from tallcheck.core.values.comparison import Bound


class Condition(Struct, frozen=True):
    """Under what a need holds: a key and its test, or a reading and what it must be."""

    name: str
    """As written: a need's key, or a dotted reading."""
    test: Any
    text: str
    """The value as written."""

    @property
    def key(self) -> Key | None:
        """The need's key, where it is one."""
        return KEYS.get(self.name)

    @property
    def totals(self) -> Key | None:
        """The key by whose totals more memory ends it; None where memory does not bear on it.

        Nobody takes away what a machine has for a need not to hold, so nothing else ends it.
        """
        of_memory = self.name in ("memory.installed", "memory.usable")
        key = KEYS["memory"] if of_memory and isinstance(self.test, Bound) else self.key
        return key if key is not None and key.totals is not None else None

    def named(self) -> frozenset[str]:
        """The readings that it looks at."""
        return self.key.named(self.test) if self.key is not None else frozenset({self.name})

    def holds(self, view: View) -> tuple[bool | None, tuple[str, ...]]:
        """Whether it holds; None, and the missing readings, where that is unknown."""
        if self.key is not None:
            evaluation = self.key.evaluate(self.test, view)
            return {"met": True, "short": False}.get(evaluation.status), evaluation.missing
        value = view.value_of(self.name)
        if value is None:
            return None, (self.name,)
        if isinstance(self.test, Bound):
            return self.test.holds(value), ()
        if isinstance(self.test, OneOf):
            return (str(value).lower() in self.test.words) != self.test.refused, ()
        return bool(value == self.test), ()

    def values(self) -> list[Any]:
        """Values of the reading, one for each outcome."""
        if isinstance(self.test, Bound):
            return [v for one in self.test.limits() for v in (max(one - 1, 0), one, one + 1)]
        if isinstance(self.test, OneOf):
            return [*self.test.words, "another"]
        return [True, False]


class Need(Struct, frozen=True):
    """One thing asked for: a key and its test; or, with ``any``, one of several tables."""

    key: str
    test: Test | None = None
    when: tuple[Condition, ...] = ()
    alternatives: tuple[tuple["Need", ...], ...] = ()
    incomparable: str = ""
    """Why no reading can be held against it: the row is unknown and decides nothing."""


class Release(Struct, frozen=True):
    """One release: its needs at each strength; an absent strength is None."""

    name: str
    support_ends: datetime.date | None
    floor: tuple[Need, ...] | None
    minimum: tuple[Need, ...] | None
    recommended: tuple[Need, ...] | None
    bits: int | None = None
    """Of the system itself, where the sheet says it."""


class NeedsSheet(Struct, frozen=True):
    """What one operating system or program asks for; releases as in the sheet."""

    title: str
    kind: str
    publisher: str | None
    source: str | None
    read_on: datetime.date | None
    provisional: bool
    releases: tuple[Release, ...]


def needs_at(release: Release, strength: str) -> tuple[Need, ...] | None:
    """The needs of a release at a strength, or None where it states none.

    ``recommended`` is the minimum overlaid with its own keys; ``floor`` stands alone.
    """
    if strength == "floor":
        return release.floor
    if strength == "minimum" or release.recommended is None:
        return release.minimum if strength == "minimum" else None
    own = {(need.key, need.when) for need in release.recommended}
    kept = [need for need in release.minimum or () if (need.key, need.when) not in own]
    order = {(need.key, need.when): at for at, need in enumerate(release.minimum or ())}
    merged = [*kept, *release.recommended]
    merged.sort(key=lambda need: order.get((need.key, need.when), len(order)))
    return tuple(merged)
