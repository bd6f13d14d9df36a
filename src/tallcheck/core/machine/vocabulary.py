"""What the trade calls things: names of processors and systems, labels, phrases.

They are data, read from files once, when first asked for; core itself holds none.
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


class Sources(Struct, frozen=True):
    """Where each part comes from."""

    names: Callable[[], tuple[list[Rule], list[Line]]] = lambda: ([], [])
    systems: Callable[[], list[SystemWord]] = list
    phrases: Callable[[], Phrases] = Phrases


class Vocabulary:
    """The parts, each read when it is first asked for."""

    def __init__(self, sources: Sources) -> None:
        self._sources = sources

    @cached_property
    def processors(self) -> Namer:
        """How processors are named."""
        return Namer(*self._sources.names())

    @cached_property
    def systems(self) -> Systems:
        """How systems are named."""
        return Systems(self._sources.systems())

    @cached_property
    def phrases(self) -> Phrases:
        """Labels and phrases."""
        return self._sources.phrases()


_USED: list[Vocabulary] = [Vocabulary(Sources())]


def use_vocabulary(sources: Sources) -> None:
    """From where the vocabulary comes from now on."""
    _USED[0] = Vocabulary(sources)


def vocabulary() -> Vocabulary:
    """The vocabulary in use."""
    return _USED[0]
