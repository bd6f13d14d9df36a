"""The operating system: its name, version and bits."""

import re
from collections.abc import Iterable
from typing import Any, Final

from tallcheck.core.needs.key import Choice, Evaluation, Key, View
from tallcheck.core.needs.numbers import plain
from tallcheck.core.needs.tests import OTHER, Named, OneOf
from tallcheck.core.values.comparison import EXACTLY
from tallcheck.core.values.versions import in_range, some_in_range

_OS: Final = "system.os"
_VERSION: Final = "system.os_version"


def _evaluate_os(test: Named, view: View) -> Evaluation:
    name = view[_OS]
    family = view["system.family"]
    if name is None and family is None:
        return Evaluation("unknown", None, None, _OS, (_OS,))
    version, kernel = view[_VERSION], view["system.kernel"]
    have = (name or family, version)
    missing: list[str] = []
    systems = test.systems
    for wanted, span in test.names:
        if name is not None and systems.same(wanted, name):
            reading, fits = _VERSION, in_range(version, span)
        elif family is not None and systems.family(wanted) == family and systems.is_family(wanted):
            reading, fits = "system.kernel", in_range(kernel, span)
        elif name is None:
            reading, fits = _OS, None
        else:
            continue
        if fits:
            return Evaluation("met", have, None, _OS)
        if fits is None:
            missing.append(reading)
    if missing:
        return Evaluation("unknown", have, None, _OS, tuple(dict.fromkeys(missing)))
    return Evaluation("short", have, None, _OS)


def _os_choices(tests: list[Any], view: View) -> Iterable[Choice]:
    spans = {(name, span) for test in tests for name, span in test.names}
    if view[_OS] is None:
        for name, span in sorted(spans):
            version = some_in_range(span)
            yield Choice({_OS: name, _VERSION: version, "system.family": None}, "system")
        yield Choice({_OS: OTHER, _VERSION: None, "system.family": None}, "system")
        return
    ends = {end for _, span in spans for end in re.findall(r"\d[\w.]*", span)}
    near = {some_in_range(span) for _, span in spans if span} | ends | {"0", "99999"}
    for version in sorted(filter(None, near)):
        yield Choice({_VERSION: version}, "system")
        yield Choice({"system.kernel": version}, "system")


OS = Key(
    "os", "named", "one of", _OS,
    frozenset({_OS, _VERSION, "system.family", "system.kernel"}), _evaluate_os, _os_choices,
    "the operating system",
    "One of the named systems, in the named range of versions; a family such as Linux is met by "
    "any of it, its versions by the kernel's.", '["Merrow >= 9"]', "one of", steady=True,
)  # fmt: skip


def _bits_choices(tests: list[Any], view: View) -> Iterable[Choice]:
    return [Choice({"system.os_bits": bits}, "system") for bits in (32, 64)]


OS_BITS = Key(
    "os_bits", "bits", EXACTLY, "system.os_bits", frozenset({"system.os_bits"}),
    plain("system.os_bits"), _bits_choices, "the system's bits",
    "What the running system is built for, and no other unless it says so.",
    "32", 'no other; a 32-bit program that also runs under 64: ">= 32"',
)  # fmt: skip


def _evaluate_wanted(test: OneOf, view: View) -> Evaluation:
    running = view["system.wanted"]
    return Evaluation("met" if running in test.words else "short", running, None, "system.wanted")


WANTED = Key(
    "wanted system", "named", "one of", "system.wanted", frozenset({"system.wanted"}),
    _evaluate_wanted, lambda tests, view: (), "the wanted system",
    "It is the one that is installed.", "",
)  # fmt: skip
"""No key of a sheet: that a wanted operating system is the one that runs."""
