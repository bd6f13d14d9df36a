"""Gathering from other machines: a sheet for each, several at once, and an end for each of them."""

import argparse
import os
import re
from concurrent.futures import FIRST_COMPLETED, Future, ThreadPoolExecutor, wait
from threading import Event

from msgspec import Struct

from tallcheck.cli import BAD_INPUT, INTERRUPTED
from tallcheck.cli.inputs import wrong_usage
from tallcheck.cli.kit import script_path
from tallcheck.cli.streams import progress, say, tell
from tallcheck.core.machine.sheet import SHEET_ENDING
from tallcheck.core.messages.values import count_text
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.plain import text_of
from tallcheck.files.inputs import SHEET_MOST, read
from tallcheck.files.output import READ, OutputError, ended_in_order, ensure_own, write
from tallcheck.files.sheets import machine_from, machine_json
from tallcheck.files.vocabulary import vocabulary

_AT_ONCE = 8
_NAME_MOST = 200
"""Characters of a host's name: with the ending, a file's name is no longer than any system has."""


class Host(Struct):
    """One host that was named, and what became of it."""

    host: str
    place: str
    """Where it was named: an option, or a file and a line."""
    path: str = ""
    made: bool = False
    there: bool = False
    """Its sheet was there already."""
    fault: str = ""
    """Why there is no sheet."""


def gather_hosts(args: argparse.Namespace) -> int:
    """A sheet for each host in the folder ``-o``; 3 where any host failed."""
    if not args.output:
        raise wrong_usage("--ssh and --hosts write a folder of sheets; expected -o FOLDER")
    if args.tree or args.name:
        raise wrong_usage("--from and --name are of one machine, and --ssh and --hosts of several")
    hosts = hosts_of(args)
    with open(script_path(args.system), "rb") as file:
        script = file.read()
    try:
        os.makedirs(args.output, exist_ok=True)
    except OSError as error:
        raise OutputError(f"cannot be made: {error.strerror}", where=args.output) from None
    for one in hosts:
        _look(one, args)
    missing = [one for one in hosts if not one.fault and not one.there]
    from tallcheck.gather import remote

    ended = Event()
    try:
        with ended_in_order():
            _gather_all(missing, script, args, ended)
    except KeyboardInterrupt:
        for one in missing:
            if not one.made:
                one.fault = one.fault or remote.INTERRUPTED
    _tell(hosts, args)
    if ended.is_set():
        tell("tallcheck: interrupted")
        return INTERRUPTED
    return BAD_INPUT if any(one.fault for one in hosts) else 0


def _look(one: Host, args: argparse.Namespace) -> None:
    """Whether a sheet of the host is there, or something else in its place."""
    one.path = os.path.join(args.output, _file_name(one.host))
    if one.fault or not os.path.lexists(one.path):
        return
    try:
        if os.path.isdir(one.path):
            raise OutputError("is a folder", "a place for the sheet", one.path)
        ensure_own(one.path, READ, args.force)
        if not args.again:
            with open(one.path, "rb") as file:  # no input, for it may be written over
                machine_from(file.read(SHEET_MOST), one.path)
            one.there = True
    except OutputError as error:
        one.fault = str(error)
    except (InputError, OSError):
        pass  # a sheet that does not read is made anew


def _gather_all(missing: list[Host], script: bytes, args: argparse.Namespace, ended: Event) -> None:
    """Each host's sheet, or its fault. An interrupt sets ``ended``, and is raised again."""
    pool = ThreadPoolExecutor(_AT_ONCE)
    try:
        with progress(args, len(missing)) as step:
            running: set[Future[Host]] = {
                pool.submit(_gather, one, script, args, ended) for one in missing
            }
            while running:
                done, running = wait(running, return_when=FIRST_COMPLETED)
                for future in done:
                    step(future.result().host)
    except BaseException:
        ended.set()
        raise
    finally:
        pool.shutdown(cancel_futures=True)


def _gather(one: Host, script: bytes, args: argparse.Namespace, ended: Event) -> Host:
    from tallcheck.gather import gather
    from tallcheck.gather.remote import capture_of
    from tallcheck.gather.source import capture_from

    try:
        data = capture_of(one.host, script, args.system, args.within, ended)
        write(
            one.path,
            machine_json(gather(capture_from(data), _name(one.host), vocabulary=vocabulary())),
        )
        one.made = True
    except InputError as error:
        one.fault = str(error)
    except Exception as error:  # a fault of ours with one host hides none of the others
        one.fault = f"a fault of tallcheck itself: {type(error).__name__}: {error}"
    return one


def _tell(hosts: list[Host], args: argparse.Namespace) -> None:
    """A line for each host, and the sum of them."""
    for one in hosts:
        if one.fault:
            place = "" if one.place == "--ssh" else f"{one.place}: "
            tell(f"tallcheck: {place}{one.host}: {one.fault}")
        elif not args.quiet:
            what = "there already" if one.there else f"wrote {one.path}"
            say(f"{one.host}: {what}")
    if args.quiet:
        return
    there = sum(one.there for one in hosts)
    failed = [one.host for one in hosts if one.fault]
    said = f"wrote {count_text(sum(one.made for one in hosts), 'sheet')} to {args.output}"
    if there:
        said += f"; {there} {'was' if there == 1 else 'were'} there already (--again reads all)"
    if failed:
        said += f"; {len(failed)} failed: {', '.join(failed)}"
    say(said)


def hosts_of(args: argparse.Namespace) -> list[Host]:
    """All hosts, each once; one that cannot be is a fault. Raises InputError where none can."""
    told = [Host(host, "--ssh") for host in args.ssh or ()]
    if args.hosts is not None:
        lines = text_of(read(args.hosts), args.hosts).splitlines()
        told += [
            Host(line.strip(), f"{args.hosts}, line {number}")
            for number, line in enumerate(lines, 1)
            if line.strip() and not line.startswith("#")
        ]
    by_name: dict[str, Host] = {}
    for one in told:
        by_name.setdefault(one.host, one)
    hosts = [*by_name.values()]
    if not hosts:
        raise InputError("found no host", "one on each line", args.hosts or "--ssh")
    names: dict[str, str] = {}
    for one in hosts:
        if fault := _fault(one.host, names):
            one.fault = str(fault)
    if all(one.fault for one in hosts):
        raise InputError(hosts[0].fault, where=hosts[0].place)
    return hosts


def _fault(host: str, names: dict[str, str]) -> InputError | None:
    """What keeps a host from being asked: no such name, or one whose sheet another has."""
    if not _name(host) or len(host.split()) != 1 or not host.isprintable():
        return InputError(f"found '{host[:80]}'", "the name of a host")
    if len(host) > _NAME_MOST:
        return InputError(f"found {len(host)} characters", f"at most {_NAME_MOST} of a host's name")
    other = names.setdefault(_file_name(host).lower(), host)
    if other != host:
        return InputError(f"found '{other}' and '{host}', which have one name",
                          "a name of its own for each sheet")  # fmt: skip
    return None


def _name(host: str) -> str:
    """The machine's name: the host's, without the user."""
    return re.sub(r"[^\w.-]", "-", host.rpartition("@")[2]).strip(".-")


def _file_name(host: str) -> str:
    return f"{_name(host)}{SHEET_ENDING}"
