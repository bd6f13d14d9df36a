"""What the trade calls things: names of processors and systems, labels, phrases.

They are data; whoever starts a run reads them from files and hands them in.
"""

from collections.abc import Callable
from functools import cached_property

from msgspec import Struct

from tallcheck.core.machine.naming import Line, Namer, Rule
from tallcheck.core.machine.systems import Systems, SystemWord


class Phrases(Struct, frozen=True, forbid_unknown_fields=True):
    """Labels before a value, by the reading they stand for, and words for what is said often."""

    labels: dict[str, str] = {}
    units: dict[str, str] = {}
    """For labels of plain numbers, the unit that these are in."""
    unknown: tuple[str, ...] = ()
    """Ways to say that one does not know."""
    usable: tuple[str, ...] = ()
    free: tuple[str, ...] = ()
    aside: tuple[str, ...] = ()
    """Labels of lines that tell nothing that a need could ask for."""
    page: tuple[str, ...] = ()
    """Words of a page of requirements that ask for nothing by themselves."""
    words: dict[str, dict[str, str]] = {}
    """For a reading, what people say and the sheet's word for it."""


class Vocabulary:
    """The parts, each read when it is first asked for."""

    def __init__(
        self,
        names: Callable[[], tuple[list[Rule], list[Line]]] = lambda: ([], []),
        systems: Callable[[], list[SystemWord]] = list,
        phrases: Callable[[], Phrases] = Phrases,
    ) -> None:
        self._names, self._systems, self._phrases = names, systems, phrases

    @cached_property
    def processors(self) -> Namer:
        """How processors are named."""
        return Namer(*self._names())

    @cached_property
    def systems(self) -> Systems:
        """How systems are named."""
        return Systems(self._systems())

    @cached_property
    def phrases(self) -> Phrases:
        """Labels and phrases."""
        return self._phrases()
