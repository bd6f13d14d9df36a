"""A telephone call: ask only what can still change the answer, and stop when it is settled."""

import sys
from typing import Any

from msgspec import Struct

from tallcheck.cli.inputs import tell_all
from tallcheck.core.jobs.check import Check, Task, check
from tallcheck.core.machine.readings import Told, get, keys, kind_of, label_of, parse_value
from tallcheck.core.machine.sheet import Machine
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.text import printable
from tallcheck.core.words.hints import how_to_find

_DONT_KNOW = ("", "?", "don't know", "dont know", "do not know", "no idea", "unknown", "skip")
_NAME = "processor.name"
_BY_NAME = ("processor.generation", "processor.instructions", "processor.line")
_EXAMPLES = {
    "memory": "8 GB", "storage": "256 GB", "clock": "2.1 GHz", "count": "4", "bits": "64",
    "flag": "yes", "sets": "AVX2 SSE4.2",
}  # fmt: skip


class Call(Struct):
    """How a call went: the machine as far as it was told, and the last check."""

    machine: Machine
    result: Check


def _next(result: Check, machine: Machine, skipped: set[str]) -> str | None:
    """The reading to ask for next: the most telling one that a person can tell."""
    for key in result.verdict.decision.find_out:
        # few callers know instruction sets or generations, but the name often tells them
        if key in _BY_NAME and get(machine, _NAME) is None and _NAME not in skipped:
            return _NAME
        if key in keys() and key not in skipped:
            return key
    return None


def hold_call(machine: Machine, task: Task) -> Call:
    """Ask on standard error, read answers line by line from standard input, until settled."""
    skipped: set[str] = set()
    while True:
        result = check(machine, task)
        key = _next(result, machine, skipped)
        if key is None:
            return Call(machine, result)
        value = _ask(key, machine)
        if value is None:
            skipped.add(key)
            continue
        machine = tell_all(machine, [Told(key, value)], "the caller, by telephone")
        if key in _BY_NAME:
            skipped.add(key)  # a partial list may leave it open: it is not asked for twice


def _ask(key: str, machine: Machine) -> Any:
    """The value a person gives for a reading; None for "don't know" or the end of the input."""
    example = _EXAMPLES.get(kind_of(key), "")
    _say(f"{label_of(key)}?" + (f"  (such as {example})" if example else ""))
    _say(f"  where: {how_to_find(key, machine.system.os)}")
    while True:
        sys.stderr.write("> ")
        sys.stderr.flush()
        line = sys.stdin.readline()
        if not line or line.strip().lower() in _DONT_KNOW:
            return None
        try:
            return parse_value(key, line.strip())
        except InputError as error:
            _say(f"  not understood: {printable(str(error))}")


def _say(text: str) -> None:
    sys.stderr.write(text + "\n")
