"""Turning the words of a command line into machines and needs."""

import datetime
import os
import re
from collections.abc import Iterable
from contextlib import suppress
from typing import TYPE_CHECKING, Any

from tallcheck.cli.streams import tell
from tallcheck.core.decide.asked import Chosen
from tallcheck.core.jobs.check import installed_programs, picked
from tallcheck.core.machine.names import named_version
from tallcheck.core.machine.readings import Told
from tallcheck.core.machine.sheet import Machine
from tallcheck.core.needs.sheet import Need, NeedsSheet
from tallcheck.core.text.needs_written import parse_test
from tallcheck.core.values.errors import InputError, nearest
from tallcheck.core.values.quantities import format_memory
from tallcheck.files.config import (
    config_folder,
    find_needs,
    needs_folders,
    settings,
    sheets_on,
    split_release,
)
from tallcheck.files.sheets import read_needs
from tallcheck.files.vocabulary import vocabulary
from tallcheck.library import read_machine

HERE = "here"
"""What stands for the machine that this runs on."""

_NEARLY = 1.02  # totals are rounded here and there

if TYPE_CHECKING:
    from tallcheck.core.board.models import PartsList
    from tallcheck.core.usage.summary import Usage


def machine_of(word: str, told: list[Told], models: str | None = None) -> Machine:
    """The machine a MACHINE word names, filled from a models list, with what ``--have`` tells.

    Raises InputError.
    """
    if word == HERE and not os.path.exists(word):
        from tallcheck.gather import gather_here

        machine = gather_here(vocabulary())
    else:
        hint = nearest(word, [HERE]) if word.isalpha() and not os.path.exists(word) else ""
        if hint:
            raise InputError(
                f"found no machine '{word}'{hint}", "a sheet, a capture, '-' or 'here'"
            )
        machine = read_machine(word)
    if models:
        from tallcheck.core.board.models import with_model
        from tallcheck.files.table import models_list

        machine = with_model(machine, models_list(models, vocabulary()))
    if told:
        from tallcheck.core.machine.telling import tell_all

        machine = tell_all(machine, told, vocabulary(), "--have")
    return machine


def needs_of(text: str) -> Need:
    """A need told by ``--need KEY=VALUE``. Raises InputError."""
    from tallcheck.core.text.needs_written import need_said

    key, value = need_said(text, vocabulary())
    try:
        return Need(key, parse_test(key, value, vocabulary()))
    except InputError as error:
        raise error.at(key) from None


def parts_of(path: str | None, columns: Iterable[tuple[str, Any]]) -> "PartsList | None":
    """The parts list that ``--parts`` or else the settings name, if any. Raises InputError.

    ``columns`` are another's headings, those of the list of parts among them.
    """
    if path is None:
        kept = settings("parts").parts
        if not kept:
            return None
        path = os.path.join(config_folder(), os.path.expanduser(kept))
    from tallcheck.files.table import OF_PARTS, parts_list

    theirs = {
        key.removeprefix(OF_PARTS): heading for key, heading in columns if key.startswith(OF_PARTS)
    }
    found = parts_list(path, vocabulary(), theirs)
    for fault in found.faults:
        tell(f"tallcheck: left out: {fault}")
    return found


def usage_of(path: str | None, machine: Machine, told: list[Told]) -> "Usage | None":
    """What the usage log that ``--usage`` names says, if any. Raises InputError.

    A log of another machine is refused; memory that ``--have`` tells is no other machine.
    """
    if path is None:
        return None
    from tallcheck.core.usage.finding import judge
    from tallcheck.files.usage_log import read_log

    kept = settings("tight", "full")
    log = read_log(path, {})
    usage = judge(log, kept.tight, kept.full)
    ensure_log_of(path, usage.machine, None if told else usage.figures.total, machine)
    return usage


def ensure_log_of(path: str, name: str | None, total: int | None, machine: Machine) -> None:
    """Raises InputError where a usage log's name or total cannot be of a machine."""
    if name is not None and name.casefold() != machine.name.casefold():
        raise InputError(f"found a log of {name}", f"one of {machine.name}", path)
    fitted, usable = machine.memory.installed, machine.memory.usable
    more = fitted is not None and total is not None and total > _NEARLY * fitted
    less = usable is not None and total is not None and total * 2 < usable
    if more or (less and not machine.system.virtual):
        raise InputError(
            f"found a log of a machine with {format_memory(total or 0)}",
            f"one of {machine.name}, which has {format_memory(fitted or usable or 0)}", path,
        )  # fmt: skip


def day_of(text: str) -> datetime.date:
    """The day that ``--on`` names. Raises InputError."""
    try:
        return datetime.date.fromisoformat(text)
    except ValueError:
        raise InputError(f'found "{text}"', "a date such as 2026-11-24") from None


def wrong_usage(text: str) -> SystemExit:
    """Wrong usage that argparse cannot see: the message is printed, the exit code is 2."""
    tell(f"tallcheck: error: {text}")
    return SystemExit(2)


def installed_here(machine: Machine, folders: list[str]) -> tuple[Chosen, ...]:
    """The machine's own programs whose needs sheets are on the needs path.

    A sheet that does not read is left out here: it was not asked for.
    """
    if not machine.software:
        return ()
    on_path = sheets_on(needs_folders(folders))
    names = {named_version(program.name)[0] for program in machine.software}
    sheets = []
    for name, path in on_path.items():
        if any(one.startswith(name) for one in names):
            with suppress(InputError):
                sheets.append(read_needs(path, vocabulary()))
    return tuple(installed_programs(machine, sheets))


class Wanted:
    """A needs sheet named on the command line, and the release chosen there, if any."""

    def __init__(self, word: str, folders: list[str]) -> None:
        path, release, self.sample = find_needs(word, folders)
        self.sheet: NeedsSheet = read_needs(path, vocabulary())
        try:
            self.releases = picked(self.sheet, release)
        except InputError as error:
            raise error.at(split_release(word)[0]) from None

    def newest(self) -> Chosen:
        """The chosen release, or the newest."""
        return Chosen(self.sheet, self.releases[0])


def wanted_of(words: list[str], folders: list[str]) -> list[Wanted]:
    """The sheets that words name; a number behind a name is its release, as in ``merrow 10``."""
    named: list[str] = []
    for word in words:
        if named and re.fullmatch(r"\d[\w.]*", word) and not os.path.exists(word):
            named[-1] += f" {word}"
        else:
            named.append(word)
    return [Wanted(word, folders) for word in named]
