"""What is added from outside: the display, other programs, readings told by hand."""

from collections.abc import Iterable
from typing import Any

from tallcheck.core.machine.names import named_version, versions_of
from tallcheck.core.machine.sheet import Program
from tallcheck.core.needs.key import OTHER, Choice, Evaluation, ExtraKeys, Key, Named, View
from tallcheck.core.values.comparison import AT_LEAST, EXACTLY, Bound, in_range, some_in_range
from tallcheck.core.values.quantities import parse_display


def _evaluate_display(bound: Bound, view: View) -> Evaluation:
    try:
        size = None if view["display"] is None else parse_display(str(view["display"]))
    except ValueError:
        size = None
    if size is None:
        return Evaluation("unknown", None, None, "display", ("display",))
    if bound.op == AT_LEAST:
        met = all(have >= want for have, want in zip(size, bound.limit, strict=True))
    else:
        met = bound.holds(size)
    return Evaluation("met" if met else "short", size, None, "display")


def _display_choices(tests: list[Any], view: View) -> Iterable[Choice]:
    limits = [limit for test in tests for limit in test.limits()]
    widest = tuple(max(limit[side] for limit in limits) for side in (0, 1))
    for width, height in dict.fromkeys((*limits, widest, (1, 1), (99999, 99999))):
        yield Choice({"display": f"{width}x{height}"}, "part")


DISPLAY = Key(
    "display", "display", AT_LEAST, "display", frozenset({"display"}), _evaluate_display,
    _display_choices, "the display", "Width and height, both.", '"1366x768"', steady=True,
)  # fmt: skip

# --- programs ------------------------------------------------------------------------------


def _state(wanted: str, span: str, view: View) -> bool | None:
    versions = versions_of(view["software"], wanted)
    open_ones = not versions and not view["software.complete"]
    for version in versions:
        fits = in_range(version, span)
        if fits:
            return True
        open_ones = open_ones or fits is None
    return None if open_ones else False


def _evaluate_software(test: Named, view: View) -> Evaluation:
    if view["software"] is None:
        return Evaluation("unknown", None, None, "software", ("software",))
    states = {name: _state(name, span, view) for name, span in test.names}
    wrong = {
        name: versions_of(view["software"], name) for name, state in states.items()
        if state is False
    }  # fmt: skip
    unsure = [name for name, state in states.items() if state is None]
    if wrong:
        return Evaluation("short", None, 0.0, "software", (), (), wrong)
    if unsure:
        return Evaluation("unknown", None, None, "software", ("software",), (), unsure)
    return Evaluation("met", list(states), 1.0, "software")


def _software_choices(tests: list[Any], view: View) -> Iterable[Choice]:
    there = view["software"] or ()
    asked = [
        Program(name, some_in_range(span) or "1") for test in tests for name, span in test.names
    ]
    names = {named_version(one.name)[0] for one in asked}
    told = tuple(
        one for one in there
        if one.version is not None or named_version(one.name)[0] not in names
    )  # fmt: skip
    yield Choice({"software": (*there, *asked), "software.complete": True}, "part")
    yield Choice({"software": told, "software.complete": True}, "part")


SOFTWARE = Key(
    "software", "named", "all of", "software", frozenset({"software", "software.complete"}),
    _evaluate_software, _software_choices, "other programs",
    "All of the named programs, in the named ranges of versions; a list that was told may not be "
    "complete.", '["Fernfolio >= 3"]', "all of", steady=True,
)  # fmt: skip

# --- readings told by hand -----------------------------------------------------------------


def _evaluate_extra(test: ExtraKeys, view: View) -> Evaluation:
    have = {key: view.value_of(f"extra.{key}") for key in test.values}
    wrong = [k for k, v in test.values.items() if have[k] is not None and have[k] != v]
    missing = tuple(f"extra.{key}" for key in test.values if have[key] is None)
    if wrong:
        return Evaluation(
            "short", None, 0.0, f"extra.{wrong[0]}", (), (), {k: have[k] for k in wrong}
        )
    if missing:
        return Evaluation("unknown", None, None, missing[0], missing)
    return Evaluation("met", None, 1.0, f"extra.{next(iter(test.values))}")


def _extra_choices(tests: list[Any], view: View) -> Iterable[Choice]:
    values: dict[str, list[Any]] = {}
    for test in tests:
        for key, value in test.values.items():
            values.setdefault(key, []).append(value)
    for key, known in values.items():
        for value in (*known, OTHER):
            yield Choice({f"extra.{key}": value}, "part")
    if len(values) > 1:
        yield Choice({f"extra.{key}": known[0] for key, known in values.items()}, "part")


EXTRA = Key(
    "extra", "extra", EXACTLY, "extra", frozenset(), _evaluate_extra, _extra_choices,
    "other readings", "Told readings with exactly these values.", '{dongle = "green"}', steady=True,
)  # fmt: skip
