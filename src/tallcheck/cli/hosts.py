"""Gathering from other machines: a sheet for each, several at once, a line for each that failed."""

import argparse
import os
import re
import sys
from concurrent.futures import ThreadPoolExecutor, as_completed

from tallcheck.cli import BAD_INPUT
from tallcheck.cli.inputs import wrong_usage
from tallcheck.cli.progress import progress
from tallcheck.core.machine.sheet import SHEET_ENDING
from tallcheck.core.values.errors import InputError
from tallcheck.core.values.text import printable
from tallcheck.core.words.lists import count_text
from tallcheck.files.holding import READ, hold_own
from tallcheck.files.inputs import read, text
from tallcheck.files.kit import script_path
from tallcheck.files.output import OutputError, write
from tallcheck.files.sheets import machine_json

_AT_ONCE = 8


def gather_hosts(args: argparse.Namespace) -> int:
    """A sheet for each host in the folder ``-o``; 3 where any host failed."""
    if not args.output:
        raise wrong_usage("--ssh and --hosts write a folder of sheets; expected -o FOLDER")
    if args.tree or args.name:
        raise wrong_usage("--from and --name are of one machine, and --ssh and --hosts of several")
    hosts = _hosts(args)
    with open(script_path(args.system), "rb") as file:
        script = file.read()
    try:
        os.makedirs(args.output, exist_ok=True)
    except OSError as error:
        raise OutputError(f"cannot be made: {error.strerror}", where=args.output) from None
    paths = {host: os.path.join(args.output, _file_name(host)) for host in hosts}
    missing = [host for host in hosts if args.again or not os.path.exists(paths[host])]
    for host in missing:
        hold_own(paths[host], READ, args.force)
    failed: dict[str, str] = {}
    with progress(args, len(missing)) as step, ThreadPoolExecutor(_AT_ONCE) as pool:
        running = {
            pool.submit(_gather, host, script, args.system, args.within, paths[host]): host
            for host in missing
        }
        for done in as_completed(running):
            host = running[done]
            step(host)
            try:
                done.result()
            except OutputError:
                raise
            except InputError as error:
                failed[host] = str(error)
    for host in missing:
        if host in failed:
            print(printable(f"tallcheck: {host}: {failed[host]}"), file=sys.stderr)
    if not args.quiet:
        print(printable(_summary(len(missing) - len(failed), hosts, missing, failed, args.output)))
    return BAD_INPUT if failed else 0


def _summary(
    made: int, hosts: list[str], missing: list[str], failed: dict[str, str], folder: str
) -> str:
    said = f"wrote {count_text(made, 'sheet')} to {folder}"
    there = len(hosts) - len(missing)
    if there:
        said += f"; {there} {'was' if there == 1 else 'were'} there already (--again reads all)"
    return said + (f"; {len(failed)} failed" if failed else "")


def _gather(host: str, script: bytes, system: str, seconds: float, path: str) -> None:
    from tallcheck.gather import gather
    from tallcheck.gather.remote import capture_of
    from tallcheck.gather.source import capture_from

    source = capture_from(capture_of(host, script, system, seconds))
    write(path, machine_json(gather(source, _name(host))))


def _hosts(args: argparse.Namespace) -> list[str]:
    """All hosts, each once. Raises InputError."""
    told = list(args.ssh or ())
    if args.hosts is not None:
        lines = text(read(args.hosts), args.hosts).splitlines()
        told += [line.strip() for line in lines if line.strip() and not line.startswith("#")]
    hosts = list(dict.fromkeys(told))
    if not hosts:
        raise InputError("found no host", "one on each line", args.hosts or "--ssh")
    names: dict[str, str] = {}
    for host in hosts:
        if not _name(host) or len(host.split()) != 1 or not host.isprintable():
            raise InputError(f"found '{printable(host)}'", "the name of a host", "--ssh")
        other = names.setdefault(_file_name(host).lower(), host)
        if other != host:
            raise InputError(f"found '{other}' and '{host}', which have one name",
                             "a name of its own for each sheet", "--ssh")  # fmt: skip
    return hosts


def _name(host: str) -> str:
    """The machine's name: the host's, without the user."""
    return re.sub(r"[^\w.-]", "-", host.rpartition("@")[2]).strip(".-")


def _file_name(host: str) -> str:
    return f"{_name(host)}{SHEET_ENDING}"
