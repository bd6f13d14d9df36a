"""What the entries for ordered values share: values around edges, what a range settles, fixes."""

from collections.abc import Callable, Iterable
from typing import Any

from tallcheck.core.machine.entries import ReadingKey, RuleKey
from tallcheck.core.needs.key import Choice, Evaluation, View
from tallcheck.core.values.comparison import AT_LEAST, EXACTLY, NOT, Bound

BOXED = ("desktop", "tower", "server")
"""Shapes whose processor and graphics can be changed."""

PROCESSOR_MENDS: frozenset[RuleKey] = frozenset(
    {"system.shape", "system.virtual", "processor.architecture"}
)


def shape_for_fixes(shape: Any) -> str:
    """One shape for all that every fix treats alike."""
    return BOXED[0] if shape in BOXED else "notebook"


def processor_fix(view: View) -> str:
    """The fix of a short processor: a setting of a virtual machine, the processor, the machine."""
    if view["system.virtual"]:
        return "setting"
    family = view["processor.architecture"] in (None, "x86", "x86-64")
    return "processor" if family and view["system.shape"] in BOXED else "machine"


def around(limits: Iterable[float], least: float = 0, most: float = float("inf")) -> list[Any]:
    """One value for each interval between limits, the limits themselves included."""
    values = {v for limit in limits for v in (limit - 1, limit, limit + 1)}
    values |= {one for one in (least, most) if 0 < one < float("inf")}
    return sorted(value for value in values if least <= value <= most)


def nearest_first(values: list[Any], have: float | None) -> list[Any]:
    """Values by how little they change what is there."""
    return values if have is None else sorted(values, key=lambda value: abs(value - have))


def limits_of(tests: list[Any]) -> list[Any]:
    """The values at which bounds turn."""
    return [limit for test in tests for limit in test.limits()]


def settled(bound: Bound, least: float, most: float) -> bool | None:
    """Whether a bound holds for all values of a range, or for none; None where that is open."""
    found = {bound.holds(value) for value in around(bound.limits(), least, most)}
    return found.pop() if len(found) == 1 else None


def evaluate_number(bound: Bound, value: Any, reading: str, **more: Any) -> Evaluation:
    """A known number held against a bound."""
    return Evaluation(
        "met" if bound.holds(value) else "short", value, bound.ratio(value), reading, **more
    )


def evaluate_range(bound: Bound, least: float, most: float, reading: str, by: str) -> Evaluation:
    """An unknown number of which another reading gives the range."""
    holds = settled(bound, least, most)
    if holds is None:
        return Evaluation("unknown", None, None, reading, (reading,))
    edge = most if not holds or bound.op not in (AT_LEAST, EXACTLY, NOT) else least
    ratio = None if bound.op in (EXACTLY, NOT) else bound.ratio(edge)
    status: Any = "met" if holds else "short"
    return Evaluation(status, edge, ratio, by, (), (by,), ("range", least, most))


def plain(reading: ReadingKey) -> Callable[[Any, View], Evaluation]:
    """How a reading of numbers is held that nothing else bears on."""

    def evaluate(bound: Bound, view: View) -> Evaluation:
        value = view[reading]
        if value is None:
            return Evaluation("unknown", None, None, reading, (reading,))
        return evaluate_number(bound, value, reading)

    return evaluate


def plain_choices(
    reading: ReadingKey, fix: Callable[[View, Any], str]
) -> Callable[[list[Any], View], Iterable[Choice]]:
    """Values around the edges, each with the fix that brings it about."""

    def choices(tests: list[Any], view: View) -> Iterable[Choice]:
        values = nearest_first(around(limits_of(tests)), view[reading])
        return [Choice({reading: value}, fix(view, value)) for value in values]

    return choices
