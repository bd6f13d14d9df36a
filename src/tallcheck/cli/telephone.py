"""A telephone call: ask only what can still change the answer, and stop when it is settled."""

import sys

from msgspec import Struct

from tallcheck.cli.streams import tell
from tallcheck.core.jobs.check import Check, Task, check
from tallcheck.core.machine.entries import ENTRIES
from tallcheck.core.machine.normalized import normalized
from tallcheck.core.machine.readings import TOLD_BY_NAME, Told, get, keys, kind_of, label_of
from tallcheck.core.machine.sheet import Machine
from tallcheck.core.machine.telling import tell_all
from tallcheck.core.messages.hints import read_out
from tallcheck.core.messages.values import told_text
from tallcheck.core.text.items import items_of
from tallcheck.core.text.said import is_unknown, read_said, read_statement
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.kinds import KINDS
from tallcheck.core.values.text import fold
from tallcheck.files.vocabulary import vocabulary

_SYSTEM = "system.os"
_ASKED_MOST = 3
"""Times that a question is asked while other things are answered."""


class Call(Struct):
    """How a call went: the machine as far as it was told, and the last check."""

    machine: Machine
    result: Check


def _next(result: Check, skipped: set[str]) -> str | None:
    """The reading to ask for next: the most telling one that a person can tell."""
    found = result.verdict.decision.find_out
    return next((key for key in found if key in keys() and key not in skipped), None)


class _StopError(Exception):
    """The caller stops, or the input ends."""


class _BackError(Exception):
    """The caller wants the question before once more."""


def hold_call(machine: Machine, task: Task) -> Call:
    """Ask on standard error, read answers line by line from standard input, until settled.

    ``back`` asks the question before once more, ``how?`` tells where to look, ``quit`` stops.
    """
    skipped: set[str] = set()
    asked: list[str] = []
    before: list[tuple[Machine, set[str], list[str]]] = []
    tell("Enter alone passes a question; back, how? and quit are answers, too.")
    while True:
        result = check(machine, task, vocabulary())
        key = _next(result, skipped)
        if key is None:
            return Call(machine, result)
        if machine.system.os is None and _SYSTEM not in skipped:
            key = _SYSTEM  # where to look differs from system to system
        try:
            told = _ask(key, machine)
        except _StopError:
            return Call(machine, result)
        except _BackError:
            if before:
                machine, skipped, asked = before.pop()
            continue
        before.append((machine, set(skipped), list(asked)))
        if told:
            _repeat(machine, told)
            machine = tell_all(machine, told, vocabulary(), "the caller, by telephone")
        answered = any(one.key == key for one in told)
        often = asked.count(key) >= (1 if answered else _ASKED_MOST - 1)
        if not told or often or key in TOLD_BY_NAME:
            skipped.add(key)  # what was passed is not asked for again
        asked.append(key)


def _repeat(machine: Machine, told: list[Told]) -> None:
    """Say what a told reading was before, where it changes."""
    for one in told:
        origin, old = machine.origins.get(one.key), get(machine, one.key)
        if origin is not None and origin.how == "told" and old not in (None, one.value):
            tell(f"  before: {told_text(Told(one.key, old))}; now: {told_text(one)}")


def _ask(key: str, machine: Machine) -> list[Told]:
    """What a person tells for a reading; nothing for "don't know"."""
    example = ENTRIES[key].example or KINDS[kind_of(key)].example
    where = f"  where: {read_out(key, machine.system.os)}"
    tell(f"{label_of(key)}?" + (f"  (such as {example})" if example else ""))
    tell(where)
    replies = vocabulary().phrases.replies
    while True:
        sys.stderr.write("> ")
        sys.stderr.flush()
        line = sys.stdin.readline() if sys.stdin is not None else ""
        said = fold(line)
        if not line or said in replies.get("quit", ()):
            raise _StopError
        if said in replies.get("back", ()):
            raise _BackError
        if said in replies.get("how", ()):
            tell(where)
            continue
        if is_unknown(line, vocabulary()):
            return []
        try:
            return _understood(key, line.strip(), machine)
        except InputError as error:
            tell(f"  not understood: {error.found}; expected {error.expected or example}")


_FIGURE = {*"snhZ ,.;"}
"""Senses of a text that has a figure, and no word that is known for what it is of."""


def _understood(key: str, text: str, machine: Machine) -> list[Told]:
    """What an answer tells, of what was asked or of what it plainly is. Raises InputError."""
    try:
        told = read_said(key, text, vocabulary())
        _refuse_implausible(told, text, machine)
    except InputError:
        said = read_statement(text, vocabulary(), key)
        told = said.told
        # a figure alone says not what it is of, so it changes nothing that was told before
        figure = {one.code for one in items_of(text, vocabulary())} <= _FIGURE
        known = any(get(machine, one.key) is not None for one in told if one.key != key)
        if not told or said.left or (figure and known):
            raise
        other = next((one.key for one in told if one.key != key), key)
        if all(one.key != key for one in told):
            tell(f"  that is the {label_of(other)}: taken for it")
    shown = ", ".join(told_text(one) for one in told)
    tell(f"  understood: {shown}")
    return told


def _refuse_implausible(told: list[Told], text: str, machine: Machine) -> None:
    """Refuse what no machine has: it would only be a doubt. Raises InputError."""
    before = {tuple(one.about) for one in normalized(machine, vocabulary()).doubts}
    for one in normalized(tell_all(machine, told, vocabulary(), ""), vocabulary()).doubts:
        if tuple(one.about) not in before:
            raise InputError(f'found "{text}": {one.text}', "a likely value")
