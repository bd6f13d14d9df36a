"""What one key of a needs sheet knows, and what a need can ask of a reading.

A rule reads through a view that raises on any reading that its entry did not name, so the list of
what a rule reads stands once, in the entry, and is true.
"""

from collections.abc import Callable, Collection, Iterable
from typing import Any, Literal

from msgspec import Struct

from tallcheck.core.machine.amounts import Use
from tallcheck.core.machine.entries import ReadingKey, RuleKey
from tallcheck.core.machine.names import Namer
from tallcheck.core.machine.normalized import World
from tallcheck.core.machine.systems import Systems
from tallcheck.core.values.comparison import Bound

Status = Literal["met", "short", "unknown"]

KINDS = (
    "machine", "processor", "graphics", "system", "setting", "storage", "part", "memory",
)  # fmt: skip
"""Kinds of fix, gravest first."""


class NotNamedError(LookupError):
    """A rule read what its entry does not name: a fault of the rule."""


class View:
    """The readings that a rule named, and what stands beside its need.

    ``others`` is what other programs want for themselves, in bytes; ``beside`` the other tests
    that the same graphics adapter must meet.
    """

    __slots__ = ("_named", "_world", "beside", "others", "program")

    def __init__(
        self,
        world: World,
        named: Collection[str],
        others: int = 0,
        beside: tuple[Any, ...] = (),
        program: bool = False,
    ) -> None:
        self._world, self._named = world, named
        self.others, self.beside, self.program = others, beside, program

    def __getitem__(self, reading: RuleKey) -> Any:
        """The reading, or None where it is unknown."""
        return self.value_of(reading)

    def value_of(self, reading: str) -> Any:
        """The same of a reading whose name is made as it runs."""
        if reading not in self._named:
            raise NotNamedError(reading)
        return self._world.get(reading)


class Evaluation(Struct, frozen=True):
    """What holding one need against a machine gave.

    ``have`` is the value that was held; ``ratio`` have against need, 1 where they are equal.
    """

    status: Status
    have: Any = None
    ratio: float | None = None
    reading: str = ""
    """The reading that decided."""
    missing: tuple[str, ...] = ()
    """The readings without which it is unknown."""
    worked_out: tuple[str, ...] = ()
    """Readings that stood in for others, or followed from them here."""
    detail: Any = None
    """What the words about it need beyond the value."""


class Choice(Struct, frozen=True):
    """Readings as a change would leave them, and the kind of fix that does it.

    ``anew``: only as a change; what is known of the machine says that it is not so now.
    """

    changes: dict[str, Any]
    kind: str
    anew: bool = False


class Key(Struct, frozen=True):
    """One key of a needs sheet.

    ``bare`` is what a bare value means. ``reading`` is what the key is held against, ``reads`` all
    that the rule may look at (``extra`` names its own by the test), ``mends`` what its fix rests on
    besides. ``choices`` gives, for all tests on the key, values of its reading: at least one for
    each outcome the tests can have. Where the reading is unknown they are what it could be; where
    it is short, what it could become, each with the kind of fix. ``totals`` is for memory alone:
    the totals in bytes at which a test turns.
    """

    name: str
    kind: str
    bare: str
    reading: str
    reads: frozenset[RuleKey]
    evaluate: Callable[[Any, View], Evaluation]
    choices: Callable[[list[Any], View], Iterable[Choice]]
    label: str
    """What the key is called in a sentence."""
    rule: str
    """How it is held, in a sentence or two."""
    example: str
    """A value as a needs sheet has it, in TOML."""
    remark: str = ""
    mends: frozenset[RuleKey] = frozenset()
    steady: bool = False
    """Whether a short reading takes the same fix whatever its value."""
    totals: Callable[[Any, View, Use], Iterable[float]] | None = None

    def named(self, test: Any) -> frozenset[str]:
        """All readings that holding a test may look at."""
        if self.name == "extra":
            return frozenset(f"extra.{key}" for key in test.values)
        return frozenset(self.reads)


class OneOf(Struct, frozen=True):
    """One of these words; with ``refused``, none of them."""

    words: tuple[str, ...]
    refused: bool = False
    lines: tuple[str, ...] = ()
    """Those words that name a whole line of processors, of which any will do."""


class AllSets(Struct, frozen=True):
    """All of these instruction sets or levels, by canonical name."""

    names: tuple[str, ...]


class Generations(Struct, frozen=True):
    """At least this generation of its own line; ``"*"`` speaks of every other line."""

    lines: dict[str, int | None]
    namer: Namer
    """How processors are named."""


class Named(Struct, frozen=True):
    """Names with version ranges: one of them, or ``every`` one of them."""

    names: tuple[tuple[str, str], ...]
    systems: Systems
    """How systems are named."""
    every: bool = False


class Interfaces(Struct, frozen=True):
    """Graphics interfaces, each with the least version."""

    versions: dict[str, str]


class ExtraKeys(Struct, frozen=True):
    """Told keys and the value each must have."""

    values: dict[str, Any]


Test = Bound | OneOf | AllSets | Generations | Named | Interfaces | ExtraKeys


OTHER = "another"
"""Stands for any word that no need names."""


def evaluate_word(reading: ReadingKey) -> Any:
    """How a word is held against the words that are asked for."""

    def evaluate(test: OneOf, view: View) -> Evaluation:
        word = view[reading]
        if word is None:
            return Evaluation("unknown", None, None, reading, (reading,))
        met = (str(word).lower() in test.words) != test.refused
        return Evaluation("met" if met else "short", word, None, reading)

    return evaluate


def word_choices(reading: str, kind: str) -> Any:
    """The words that are asked for, and another."""

    def choices(tests: list[Any], view: View) -> Iterable[Choice]:
        words = dict.fromkeys(word for test in tests for word in test.words)
        return [Choice({reading: word}, kind) for word in (*words, OTHER)]

    return choices
