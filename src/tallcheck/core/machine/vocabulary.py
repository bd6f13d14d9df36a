"""What the trade calls things: names of processors and systems, labels, phrases.

They are data; whoever starts a run reads them from files and hands them in.
"""

from collections.abc import Callable
from functools import cached_property

from msgspec import Struct

from tallcheck.core.machine.names import Count, Line, Models, ModelWord, Namer, Rule
from tallcheck.core.machine.systems import Systems, SystemWord


class Phrases(Struct, frozen=True, forbid_unknown_fields=True):
    """Labels before a value, by the reading they stand for, and words for what is said often."""

    labels: dict[str, str] = {}
    units: dict[str, str] = {}
    """For labels of plain numbers, the unit that these are in."""
    unknown: tuple[str, ...] = ()
    """Ways to say that one does not know."""
    hedges: tuple[str, ...] = ()
    """What people put beside what they are not quite sure of."""
    usable: tuple[str, ...] = ()
    free: tuple[str, ...] = ()
    aside: tuple[str, ...] = ()
    """Labels of lines that tell nothing that a need could ask for."""
    page: tuple[str, ...] = ()
    """Words of a page of requirements that ask for nothing by themselves."""
    words: dict[str, dict[str, str]] = {}
    """For a reading, what people say and the sheet's word for it."""
    senses: dict[str, tuple[str, ...]] = {}
    """Words by what they do to a figure, or by what they count."""
    sections: dict[str, str] = {}
    """Headings, and of which part of a machine the lines below one are."""
    within: dict[str, dict[str, str]] = {}
    """By part: labels that stand for something else below its heading."""
    markers: dict[str, str] = {}
    """Labels of which one is enough to tell of which part the lines beside it are."""
    machines: tuple[str, ...] = ()
    """Headings that people have over the machines' names."""
    totals: tuple[str, ...] = ()
    """What stands in front of a row that is no machine, but a sum of others."""
    levels: dict[str, tuple[str, ...]] = {}
    """Words of the headings of a page of requirements, by level."""
    replies: dict[str, tuple[str, ...]] = {}
    """What a caller says of the call itself: to stop it, to go back, to be told where to look."""
    numbers: dict[str, int] = {}
    """Numbers in words."""


class Vocabulary:
    """The parts, each read when it is first asked for."""

    def __init__(
        self,
        names: Callable[[], tuple[list[Rule], list[Line], list[Count]]] = lambda: ([], [], []),
        systems: Callable[[], list[SystemWord]] = list,
        phrases: Callable[[], Phrases] = Phrases,
        models: Callable[[], list[ModelWord]] = list,
    ) -> None:
        self._names, self._systems, self._phrases = names, systems, phrases
        self._models = models

    @cached_property
    def processors(self) -> Namer:
        """How processors are named."""
        return Namer(*self._names())

    @cached_property
    def systems(self) -> Systems:
        """How systems are named."""
        return Systems(self._systems())

    @cached_property
    def models(self) -> Models:
        """Models of machines of which something is known by name."""
        return Models(self._models())

    @cached_property
    def phrases(self) -> Phrases:
        """Labels and phrases."""
        return self._phrases()
