"""The operating system and the firmware: version, bits; mode, secure boot, security module."""

import re
from collections.abc import Iterable
from typing import Any, Final

from tallcheck.core.needs.key import (
    OTHER,
    Choice,
    Evaluation,
    Key,
    Named,
    OneOf,
    View,
    evaluate_word,
    word_choices,
)
from tallcheck.core.needs.numbers import BOXED, PROCESSOR_MENDS, plain, processor_fix
from tallcheck.core.needs.processor import evaluate_ability
from tallcheck.core.values.comparison import AT_LEAST, EXACTLY, Bound, in_range, some_in_range
from tallcheck.core.values.kinds import ABILITY
from tallcheck.core.values.quantities import OFF, parse_module_version

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


_MODULE: Final = "firmware.security_module"


def _version(view: View) -> tuple[int, ...] | None:
    text = view[_MODULE]
    try:
        return None if text is None else parse_module_version(str(text))
    except ValueError:
        return None  # a reading that does not read as a version is not known


def _evaluate_module(bound: Bound, view: View) -> Evaluation:
    version = _version(view)
    if version is None:
        return Evaluation("unknown", None, None, _MODULE, (_MODULE,))
    off = view[_MODULE] == OFF
    status: Any = "met" if bound.holds(version) else "short"
    return Evaluation(status, OFF if off else version, None, _MODULE)


def _module_choices(tests: list[Any], view: View) -> Iterable[Choice]:
    """A module that the running system does not see may only be switched off."""
    fix = "setting"
    if view[_MODULE] == "none" and view["firmware.looked_at"] and not view["system.virtual"]:
        fix = "part" if view["system.shape"] in BOXED else "machine"
    versions = {limit for test in tests for limit in test.limits()} | {(), (0,), (99,)}
    for version in sorted(versions):
        text = ".".join(map(str, version)) or "none"
        yield Choice({_MODULE: text}, fix if version else "setting")


SECURITY_MODULE = Key(
    "security_module", "version", AT_LEAST, _MODULE, frozenset({_MODULE}), _evaluate_module,
    _module_choices, "the security module",
    "The version that the system sees; often one is only switched off in the firmware, so that "
    "there is none for sure only where somebody looked there.", '"2.0"', "",
    frozenset({"firmware.looked_at", "system.shape", "system.virtual"}),
)  # fmt: skip
FIRMWARE = Key(
    "firmware", "words", EXACTLY, "firmware.mode", frozenset({"firmware.mode"}),
    evaluate_word("firmware.mode"), word_choices("firmware.mode", "setting"), "the firmware mode",
    "The mode in which the machine was started.", '"uefi"', steady=True,
)  # fmt: skip


def _boot_choices(tests: list[Any], view: View) -> Iterable[Choice]:
    none = view["firmware.secure_boot"] == "none"
    for word in ABILITY:
        kind = processor_fix(view) if none and word != "none" else "setting"
        yield Choice({"firmware.secure_boot": word}, kind)


SECURE_BOOT = Key(
    "secure_boot", "ability", AT_LEAST, "firmware.secure_boot",
    frozenset({"firmware.secure_boot"}), evaluate_ability("firmware.secure_boot"), _boot_choices,
    "secure boot", "Able is enough where the publisher asks for able.", '"able"', 'or "on"',
    PROCESSOR_MENDS,
)  # fmt: skip
