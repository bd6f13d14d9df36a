"""Firmware: its mode, secure boot, and the security module."""

from collections.abc import Iterable
from typing import Any, Final

from tallcheck.core.needs.key import Choice, Evaluation, Key, View
from tallcheck.core.needs.numbers import PROCESSOR_MENDS, processor_fix
from tallcheck.core.needs.processor import evaluate_ability
from tallcheck.core.needs.tests import evaluate_word, word_choices
from tallcheck.core.values.comparison import AT_LEAST, EXACTLY, Bound
from tallcheck.core.values.kinds import ABILITY
from tallcheck.core.values.quantities import parse_version

_MODULE: Final = "firmware.security_module"


def _version(view: View) -> tuple[int, ...] | None:
    text = view[_MODULE]
    try:
        return None if text is None else parse_version(str(text))
    except ValueError:
        return None  # a reading that does not read as a version is not known


def _evaluate_module(bound: Bound, view: View) -> Evaluation:
    version = _version(view)
    if version is None:
        return Evaluation("unknown", None, None, _MODULE, (_MODULE,))
    return Evaluation("met" if bound.holds(version) else "short", version, None, _MODULE)


def _module_choices(tests: list[Any], view: View) -> Iterable[Choice]:
    none = _version(view) == ()
    versions = {limit for test in tests for limit in test.limits()} | {(), (0,), (99,)}
    for version in sorted(versions):
        text = ".".join(map(str, version)) or "none"
        yield Choice({_MODULE: text}, "part" if none and version else "setting")


SECURITY_MODULE = Key(
    "security_module", "version", AT_LEAST, _MODULE, frozenset({_MODULE}), _evaluate_module,
    _module_choices, "the security module",
    "The version that the system sees; often another one is only switched off in the firmware.",
    '"2.0"',
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
