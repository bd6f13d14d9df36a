"""Memory and storage: what is fitted, own, in use over time; drive, free space, volumes, kind.

A whole-machine figure is held against what is fitted, or against usable memory where too small a
share of it is usable. What programs want for themselves is held against usable memory less what
is in use.
"""

from collections.abc import Iterable
from math import ceil
from typing import Any, Final

from tallcheck.core.machine.amounts import MOSTLY, Use, counted, least_fitted
from tallcheck.core.machine.entries import RuleKey
from tallcheck.core.needs.key import Choice, Evaluation, Key, View, evaluate_word, word_choices
from tallcheck.core.needs.numbers import around, evaluate_number, limits_of, plain, plain_choices
from tallcheck.core.values.comparison import AT_LEAST, AT_MOST, EXACTLY, Bound
from tallcheck.core.values.either import UNKNOWN
from tallcheck.core.values.quantities import format_share

INSTALLED: Final = "memory.installed"
USABLE: Final = "memory.usable"
AVAILABLE: Final = "memory.available"
ADDRESSABLE: Final = "memory.addressable"
LIMIT: Final = "memory.limit"
LEAST: Final = "memory.least"
_FITTED: frozenset[RuleKey] = frozenset({INSTALLED, USABLE, ADDRESSABLE, LIMIT, LEAST})


def _evaluate(bound: Bound, view: View) -> Evaluation:
    installed, usable = view[INSTALLED], view[USABLE]
    reach, by_reach = min(
        ((view[key], key) for key in (ADDRESSABLE, LIMIT) if view[key] is not None),
        default=(None, ADDRESSABLE),
    )
    known = [UNKNOWN if one is None else float(one) for one in (installed, usable, reach)]
    if installed is not None:
        value = int(counted(*known))
        by = USABLE if value == usable != installed else INSTALLED
        return evaluate_number(bound, value, by, detail=(installed, usable))
    if bound.op == AT_LEAST and reach is not None and reach < bound.limit:
        return evaluate_number(bound, reach, by_reach, detail=(None, usable))
    least = _least(view)
    if least is not None and bound.op == AT_LEAST:
        value = int(counted(least, *known[1:]))
        if value >= bound.limit:  # more may be fitted than the system shows
            return evaluate_number(bound, value, USABLE, detail=(None, usable))
    return Evaluation("unknown", usable, None, INSTALLED, (INSTALLED,), (), (None, usable))


def _least(view: View) -> float | None:
    """The least that is fitted where it is not known: what this or another system shows of it."""
    usable, addressable = view[USABLE], view[ADDRESSABLE]
    if usable is None or addressable is None:
        return view[LEAST] if usable is None else float(usable)
    return least_fitted(float(usable), float(addressable))


def _choices(tests: list[Any], view: View) -> Iterable[Choice]:
    usable = view[USABLE] or 0
    # usable counts once it is under that share of what is fitted
    edges = [*limits_of(tests), *([usable, ceil(usable / MOSTLY)] if usable else [])]
    for value in around(edges, int(_least(view) or 1)):
        yield Choice({INSTALLED: value}, "memory" if value > (view[INSTALLED] or 0) else "setting")


def _totals(bound: Bound, view: View, use: Use) -> Iterable[float]:
    steps = (0,) if bound.op == AT_LEAST else (0, 1)
    for limit in bound.limits():
        for step in steps:
            yield limit + step
            if use.kept:
                yield limit + use.kept + step
    if use.kept:
        yield ceil(use.kept / (1 - MOSTLY))


MEMORY = Key(
    "memory", "memory", AT_LEAST, INSTALLED, _FITTED, _evaluate, _choices, "memory",
    "What is fitted counts, as far as the system can address it, unless it can use less than "
    f"{format_share(MOSTLY)} of that; then usable memory does. Short, it takes more memory, a "
    "system that can address it, or a setting that gives back what is kept from use.",
    '"8 GB"', 'whole machine; also ">= 8 GB", "<= 4 GB", "2..8 GB"', totals=_totals,
)  # fmt: skip

# --- what programs want for themselves -----------------------------------------------------


def in_use(view: View) -> float | None:
    """Memory in use in bytes: by a log its 95th percentile, else usable less available."""
    logged = view["usage.in_use"]
    if logged is not None:
        return float(logged)
    total, available = _total(view), view[AVAILABLE]
    return None if total is None or available is None else max(total - available, 0)


def _total(view: View) -> float | None:
    usable: float | None = view[USABLE]
    installed: float | None = view[INSTALLED]
    return installed if usable is None else usable


def _evaluate_own(bound: Bound, view: View) -> Evaluation:
    total, used = _total(view), in_use(view)
    logged = view["usage.in_use"] is not None
    if not logged and view[AVAILABLE] is not None:
        room = max(view[AVAILABLE] - view.others, 0)
    elif total is None or used is None:
        missing = (INSTALLED,) if total is None else (AVAILABLE,)
        return Evaluation("unknown", None, None, AVAILABLE, missing)
    else:
        room = max(total - used - view.others, 0)
    return evaluate_number(bound, int(room), "usage.in_use" if logged else AVAILABLE, detail=used)


def _own_choices(tests: list[Any], view: View) -> Iterable[Choice]:
    total = _total(view)
    wanted = sum(test.limits()[-1] for test in tests) + view.others
    if total is None:
        used = view["usage.in_use"] or 0
        for value in around([wanted + used], 1):
            yield Choice({INSTALLED: value}, "memory")
        return
    # short by less than what can be fitted, or by more: both have to be tried
    gains = [0, *(most - total for most in (view["memory.most"], view["memory.most_shown"])
                  if most is not None and most < float("inf"))]  # fmt: skip
    for value in around([0, *(max(wanted - gain, 0) for gain in gains)], 0, total):
        yield Choice({AVAILABLE: int(value)}, "memory")


def _own_totals(bound: Bound, view: View, use: Use) -> Iterable[float]:
    used = in_use(view)
    if used is not None:
        for limit in bound.limits():
            yield used + view.others + limit + use.kept


MEMORY_OWN = Key(
    "memory_own", "memory", AT_LEAST, AVAILABLE,
    _FITTED | {AVAILABLE, "usage.in_use"}, _evaluate_own, _own_choices,
    "memory of its own",
    "What programs want for themselves adds up, on top of what is in use; it is held against "
    "usable memory.", '"2 GB"', "what the program wants for itself, on top of what is in use",
    frozenset({"memory.most", "memory.most_shown"}), totals=_own_totals,
)  # fmt: skip

# --- memory in use over time ---------------------------------------------------------------


def _evaluate_use(bound: Bound, view: View) -> Evaluation:
    share = view["usage.memory_use"]
    if share is None:
        return Evaluation("unknown", None, None, "usage.memory_use", ("usage.memory_use",))
    return evaluate_number(bound, round(share, 4), "usage.memory_use")


def _use_choices(tests: list[Any], view: View) -> Iterable[Choice]:
    limits = limits_of(tests)
    values = {0.0, 1.0, *limits, *(max(one - 0.001, 0) for one in limits),
              *(min(one + 0.001, 1) for one in limits)}  # fmt: skip
    return [Choice({"usage.memory_use": value}, "memory") for value in sorted(values)]


def _use_totals(bound: Bound, view: View, use: Use) -> Iterable[float]:
    share, usable = view["usage.memory_use"], _total(view)
    if share is not None and usable is not None:
        for limit in bound.limits():
            if limit > 0:
                yield ceil(share * usable / limit) + use.kept


MEMORY_USE = Key(
    "memory_use", "share", AT_MOST, "usage.memory_use",
    _FITTED | {"usage.memory_use"}, _evaluate_use, _use_choices, "memory in use",
    "The share of memory in use, the median over the hours of use of a usage log; the same use "
    "over more memory is a smaller share.", '"80 %"', "sustained", totals=_use_totals,
)  # fmt: skip


def _storage_fix(view: View, value: Any) -> str:
    return "storage"


def _evaluate_drive(bound: Bound, view: View) -> Evaluation:
    drive, volume = view["storage.drive"], view["storage.size"]
    if drive is not None:
        return evaluate_number(bound, drive, "storage.drive")
    if volume is not None:
        return evaluate_number(bound, volume, "storage.size", worked_out=("storage.size",))
    return Evaluation("unknown", None, None, "storage.drive", ("storage.drive",))


STORAGE = Key(
    "storage", "storage", AT_LEAST, "storage.drive",
    frozenset({"storage.drive", "storage.size"}), _evaluate_drive,
    plain_choices("storage.drive", _storage_fix), "storage",
    "The whole drive that holds the system; its volume stands in where the drive is not known.",
    '"64 GB"', "the whole drive", steady=True,
)  # fmt: skip
STORAGE_FREE = Key(
    "storage_free", "storage", AT_LEAST, "storage.free", frozenset({"storage.free"}),
    plain("storage.free"), plain_choices("storage.free", _storage_fix), "free storage",
    "Free room on the volume that holds the system.", '"20 GB"', "on the system volume",
    steady=True,
)  # fmt: skip
STORAGE_DATA = Key(
    "storage_data", "storage", AT_LEAST, "storage.data", frozenset({"storage.data"}),
    plain("storage.data"), plain_choices("storage.data", _storage_fix), "storage for data",
    "The largest volume that is not on an external drive.", '"500 GB"', "any built-in volume",
    steady=True,
)  # fmt: skip


STORAGE_KIND = Key(
    "storage_kind", "words", EXACTLY, "storage.kind", frozenset({"storage.kind"}),
    evaluate_word("storage.kind"), word_choices("storage.kind", "storage"), "the kind of drive",
    "What kind of drive holds the system: solid or spinning.", '"solid"', steady=True,
)  # fmt: skip
