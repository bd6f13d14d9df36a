"""Graphics: interfaces and memory, all of one adapter."""

from collections.abc import Iterable
from typing import Any

from tallcheck.core.machine.entries import RuleKey
from tallcheck.core.machine.sheet import Graphics
from tallcheck.core.needs.key import Choice, Evaluation, Interfaces, Key, Status, View
from tallcheck.core.needs.numbers import BOXED, limits_of
from tallcheck.core.values.comparison import AT_LEAST, Bound
from tallcheck.core.values.quantities import parse_version

_MENDS: frozenset[RuleKey] = frozenset({"system.shape", "system.virtual"})
_PLENTY = 1 << 50


def _fix(view: View) -> str:
    if view["system.virtual"]:
        return "setting"
    return "graphics" if view["system.shape"] in BOXED else "machine"


def lacking(test: Interfaces, adapter: Graphics) -> tuple[list[str], bool]:
    """The interfaces that an adapter is known to lack, and whether any is not known."""
    if adapter.api is None:
        return [], True
    offered = {name.lower(): version for name, version in adapter.api.items()}
    lacks, unsure = [], False
    for name, least in test.versions.items():
        if offered and name.lower() not in offered:
            unsure = True  # nobody told of this interface; an empty table tells that there is none
            continue
        try:
            if parse_version(str(offered.get(name.lower(), "none"))) < parse_version(least):
                lacks.append(f"{name} {least}")
        except ValueError:
            unsure = True  # a version that does not read as one is not known
    return lacks, unsure


def _of(test: Any, adapter: Graphics) -> Status:
    if isinstance(test, Bound):
        if adapter.memory is None:
            return "unknown"
        return "met" if test.holds(adapter.memory) else "short"
    lacks, unsure = lacking(test, adapter)
    return "short" if lacks else ("unknown" if unsure else "met")


def _best(tests: tuple[Any, ...], adapters: tuple[Graphics, ...]) -> Graphics:
    """The adapter that meets all tests, or that comes nearest to it."""

    def merit(adapter: Graphics) -> tuple[bool, int, int]:
        found = [_of(test, adapter) for test in tests]
        return "short" not in found, found.count("met"), found.count("unknown")

    return max(adapters, key=merit)


def _evaluate(test: Any, view: View) -> Evaluation:
    adapters = view["graphics"]
    if adapters is None:
        return Evaluation("unknown", None, None, "graphics", ("graphics",))
    if not adapters:
        return Evaluation("short", None, 0.0, "graphics")
    adapter = _best((test, *view.beside), adapters)
    status = _of(test, adapter)
    missing = ("graphics",) if status == "unknown" else ()
    if isinstance(test, Bound):
        ratio = None if adapter.memory is None else test.ratio(adapter.memory)
        return Evaluation(status, adapter.memory, ratio, "graphics", missing)
    lacks, _ = lacking(test, adapter)
    ratio = {"met": 1.0, "short": 0.0}.get(status)
    return Evaluation(status, None, ratio, "graphics", missing, (), lacks)


def _choices(tests: list[Any], view: View) -> Iterable[Choice]:
    every = [*tests, *view.beside]
    api: dict[str, str] = {}
    for test in every:
        for name, least in test.versions.items() if isinstance(test, Interfaces) else ():
            if parse_version(api.get(name.lower(), "none")) < parse_version(least):
                api[name.lower()] = least
    fix = _fix(view)
    adapters = view["graphics"] or ()
    if any(one.api is None or one.memory is None for one in adapters):
        for plenty in (True, False):
            filled = [
                Graphics(
                    one.name,
                    one.memory if one.memory is not None else (_PLENTY if plenty else 0),
                    one.api if one.api is not None else (api if plenty else {}),
                )
                for one in adapters
            ]
            yield Choice({"graphics": tuple(filled)}, fix)
    bounds = [test for test in every if isinstance(test, Bound)]
    for memory in sorted({_PLENTY, 0, *(limit for limit in limits_of(bounds))}):
        yield Choice({"graphics": (Graphics(memory=memory, api=api),)}, fix)
    yield Choice({"graphics": ()}, fix)


GRAPHICS = Key(
    "graphics", "interfaces", AT_LEAST, "graphics", frozenset({"graphics"}), _evaluate, _choices,
    "graphics", "All interfaces, and the graphics memory that is asked for, of one adapter.",
    '{vulkan = "1.2"}', "", _MENDS, steady=True,
)  # fmt: skip
GRAPHICS_MEMORY = Key(
    "graphics_memory", "memory", AT_LEAST, "graphics", frozenset({"graphics"}), _evaluate, _choices,
    "graphics memory", "The memory of the adapter that meets the other graphics needs, too.",
    '"2 GB"', "", _MENDS, steady=True,
)  # fmt: skip
