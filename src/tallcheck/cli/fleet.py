"""The decision for each of many machines, what it costs, and what to order."""

import argparse
import datetime
import os
from collections.abc import Callable
from contextlib import suppress
from importlib import import_module
from threading import Thread
from typing import TYPE_CHECKING

from tallcheck.cli.inputs import (
    day_of,
    installed_here,
    parts_of,
    wanted_of,
    wrong_usage,
)
from tallcheck.cli.options import (
    add_have,
    add_models,
    add_need,
    add_needs,
    add_needs_path,
    add_parts,
    parts_heading,
    value,
)
from tallcheck.cli.outputs import add_format, add_save, formats_of, put_out, save_all
from tallcheck.cli.streams import muted, progress, say
from tallcheck.core.decide.asked import Chosen
from tallcheck.core.jobs.check import ensure_stated
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.money import parse_money
from tallcheck.files.vocabulary import vocabulary

if TYPE_CHECKING:
    from tallcheck.core.fleet.columns import Fleet, FleetFile
    from tallcheck.core.fleet.money import Prices
    from tallcheck.core.jobs.fleet_check import FleetTask
    from tallcheck.core.machine.sheet import Machine
    from tallcheck.files.fleet_rows import Theirs

EXAMPLE = """  tallcheck fleet fleet/garden.csv merrow@10
  tallcheck fleet fleet/garden.csv merrow@10 --models parts/garden.models.csv \\
    --parts parts/garden.parts.csv --price machine=640 --price hour=48 --save fleet.html
  tallcheck fleet machines merrow --what-if
  tallcheck fleet inventory.csv merrow@10 --columns name=Host --columns memory=RAM:GB"""

_EVERY = {"csv", "xlsx", "jsonl", "parquet", "markdown"}
"""Formats in which every machine has its row."""
_WHOLE = _EVERY | {"html"}
"""Formats that show the list's own columns, too."""
_DRAWN = {"html", "png", "svg"}
"""Formats with the table over all releases."""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of this command."""
    parser.add_argument(
        "machines", metavar="MACHINES",
        help="CSV, .xlsx, .ods, JSON Lines, Parquet, or a folder of sheets and captures",
    )  # fmt: skip
    add_needs(parser)
    add_have(parser)
    add_need(parser)
    parser.add_argument(
        "--sheet", metavar="NAME", help="the spreadsheet's sheet; else the one that tells most"
    )
    parser.add_argument(
        "--columns", action="append", default=[], metavar="KEY=THEIRS[:UNIT]",
        type=value(_heading),
        help="another's heading for a reading, and the unit of plain numbers; of the parts list "
             "parts.NAME=THEIRS",
    )  # fmt: skip
    add_parts(parser)
    add_models(parser)
    parser.add_argument(
        "--price", action="append", default=[], metavar="KIND=AMOUNT", type=value(_price),
        help="of machine, processor, graphics, system, storage, part, hour (work), or memory "
             "where no list prices it",
    )  # fmt: skip
    parser.add_argument(
        "--budget", metavar="AMOUNT", type=value(parse_money),
        help="which machines to do with this much",
    )  # fmt: skip
    parser.add_argument(
        "--by", metavar="DATE", type=value(day_of),
        help="only machines whose system's support ends by this day",
    )  # fmt: skip
    parser.add_argument(
        "--what-if", action="store_true", help="ready machines by memory total and release"
    )
    parser.add_argument(
        "--on", metavar="DATE", type=value(day_of), help="count the months of support from this day"
    )
    add_needs_path(parser)
    add_format(parser, "fleet")
    add_save(parser, "fleet")


def run(args: argparse.Namespace) -> int:
    """Read, judge, print, save. The exit code is 0 whatever the answers are."""
    formats = formats_of(args, "fleet")
    saved = {one.name for one in formats}
    if not args.needs and not args.need:
        raise wrong_usage("found nothing to hold the machines against; expected NEEDS or --need")
    task = _task(args, saved)
    steps = 3 + bool(args.parts and args.budget) + len(args.save) + bool(args.what_if)
    with progress(args, steps) as step:
        step(f"reading {os.path.basename(args.machines)}")
        file = _read(args, bool(saved & _WHOLE))
        from tallcheck.core.jobs.fleet_check import check_fleet, counts_only
        from tallcheck.core.messages.fleet import fleet_sentence

        if args.quiet and not args.save and args.format == "text":
            with muted():
                counts = counts_only(file.fleet, task)
            say(fleet_sentence(counts))
            return 0
        every = bool(saved & _EVERY)
        with muted():
            found = check_fleet(file.fleet, task, step, every or args.verbose)
        parts = {"found": found, "file": file}
        save_all(args, formats, parts, step)
    put_out(args, "fleet", parts)
    return 0


def _heading(text: str) -> "tuple[str, Theirs | str]":
    from tallcheck.files.fleet_rows import parse_heading
    from tallcheck.files.table import OF_PARTS

    return parts_heading(text) if text.startswith(OF_PARTS) else parse_heading(text)


def _read(args: argparse.Namespace, keep: bool) -> "FleetFile":
    """The fleet, filled from the models list and by the naming rules, doubts found.

    ``keep``: with its own table, beside which the answers are saved.
    """
    from tallcheck.core.fleet.known import find_doubts
    from tallcheck.files.fleet_file import read_fleet

    if args.parts:
        Thread(target=_solver).start()  # imported while the list is read
    file = read_fleet(
        args.machines,
        {key: theirs for key, theirs in args.columns if not isinstance(theirs, str)},
        keep or bool(args.have),
        vocabulary(),
        _captured,
        args.sheet,
    )
    if not len(file.fleet):
        where, why = (file.unreadable or [(0, "")])[0]
        line = f"line {where}: " if file.by_line else ""
        left = f"; {line}{why}" if why else ""
        raise InputError(f"found no machine{left}", "at least one", args.machines)
    fleet: Fleet = file.fleet
    if args.models:
        from tallcheck.core.fleet.models import with_models
        from tallcheck.core.messages.fleet import models_text
        from tallcheck.files.table import models_list

        matched = with_models(fleet, models_list(args.models, vocabulary()))
        file.remarks.append(models_text(matched, len(fleet)))
    if args.have:
        from tallcheck.core.fleet.models import with_told

        file.fleet = fleet = with_told(fleet, args.have, "--have")
    if fleet.sheets is None:
        fleet.doubts = fleet.doubts | find_doubts(fleet)
    return file


def _solver() -> None:
    """Import what the order for all is solved with; where it is not there, its use says so."""
    with suppress(ImportError):
        import_module("scipy.optimize")


def _captured(path: str) -> "Machine":
    from tallcheck.gather import gather_from

    return gather_from(path, vocabulary())


def _task(args: argparse.Namespace, saved: set[str]) -> "FleetTask":
    from tallcheck.core.jobs.fleet_check import FleetTask

    wanted = wanted_of(args.needs, args.needs_path)
    against = tuple(one.newest() for one in wanted)
    ensure_stated(against, args.level)
    releases: list[tuple[Chosen, ...]] = []
    several = next((one for one in wanted if len(one.sheet.releases) > 1), None)
    if args.what_if or saved & _DRAWN:
        chosen = several.sheet.releases if several is not None else (None,)
        for release in chosen:
            releases.append(tuple(
                Chosen(one.sheet, release) if one is several and release is not None
                else one.newest() for one in wanted
            ))  # fmt: skip
    parts = parts_of(args.parts, args.columns)
    return FleetTask(
        against, args.level, tuple(args.need),
        _installed(args.needs_path), parts,
        _prices(args.price, parts.currency if parts else ""), args.budget,
        args.on or datetime.date.today(), tuple(releases), args.by,
    )  # fmt: skip


def _installed(folders: list[str]) -> "Callable[[Machine], tuple[Chosen, ...]]":
    """What gives a machine's own programs whose needs are known; each set is looked up once."""
    known: dict[tuple[tuple[str, str | None], ...], tuple[Chosen, ...]] = {}

    def installed(machine: "Machine") -> tuple[Chosen, ...]:
        programs = tuple((one.name, one.version) for one in machine.software or ())
        if programs not in known:
            known[programs] = installed_here(machine, folders)
        return known[programs]

    return installed


def _price(text: str) -> tuple[str, int]:
    """A kind and its price in hundredths. Raises InputError."""
    from tallcheck.core.fleet.money import PRICED

    kind, equals, amount = text.partition("=")
    if not equals or kind not in (*PRICED, "hour"):
        raise InputError(
            f'found "{text}"', "KIND=AMOUNT with one of " + ", ".join((*PRICED, "hour"))
        )
    return kind, parse_money(amount)


def _prices(told: list[tuple[str, int]], currency: str) -> "Prices":
    """The prices of the settings, and over them those of the command line."""
    from tallcheck.core.fleet.money import Prices
    from tallcheck.files.config import settings

    kept = settings("prices", "hours", "currency")
    kinds = {**kept.prices_in_hundredths(), **dict(told)}
    hour = kinds.pop("hour", None)
    if currency and kept.currency and currency != kept.currency:
        raise InputError(
            f"found the currency '{currency}' in the parts list beside '{kept.currency}'",
            "one currency", "config.toml",
        )  # fmt: skip
    return Prices(kinds, hour, dict(kept.hours), currency or kept.currency)
