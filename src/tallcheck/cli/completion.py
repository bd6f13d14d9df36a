"""Shell completion: commands, options, names of needs sheets and keys of readings."""

import argparse
from importlib import import_module
from typing import Any

from tallcheck.cli.options import parser_for


def complete(commands: dict[str, str]) -> None:
    """Answer the shell that asks for completions, and exit; nothing where none asks."""
    import argcomplete

    parser = argparse.ArgumentParser(prog="tallcheck", allow_abbrev=False)
    choices = parser.add_subparsers()
    for name in commands:
        own = parser_for(name, import_module(f"tallcheck.cli.{name}"))
        added = choices.add_parser(name, parents=[own], add_help=False)
        for action in added._actions:  # argparse has no public list of them
            _add_completer(action)
    argcomplete.autocomplete(parser)


def _add_completer(action: Any) -> None:
    metavar = action.metavar if isinstance(action.metavar, str) else ""
    if metavar == "NEEDS":
        action.completer = _needs
    elif metavar.startswith("KEY=") and action.option_strings == ["--need"]:
        action.completer = _need_keys
    elif metavar.startswith("KEY="):
        action.completer = _sheet_keys


def _needs(prefix: str, **_: Any) -> list[str]:
    """Files, the names on the needs path, and after a name's @ its releases."""
    from argcomplete.completers import FilesCompleter

    from tallcheck.core.values.errors import InputError
    from tallcheck.files.needs_path import needs_folders, sheets_on
    from tallcheck.files.sheets import read_needs

    on_path = sheets_on(needs_folders([]))
    name, at, _release = prefix.partition("@")
    if at and name.lower() in on_path:
        try:
            sheet = read_needs(on_path[name.lower()])
        except InputError:
            return []
        return [f"{name}@{release.name}" for release in sheet.releases if release.name]
    files = FilesCompleter(allowednames=(".toml",))(prefix)
    return [*on_path, *files]


def _sheet_keys(prefix: str, **_: Any) -> list[str]:
    from tallcheck.core.machine.readings import SHORT_NAMES, keys

    return [f"{key}=" for key in (*SHORT_NAMES, *keys())]


def _need_keys(prefix: str, **_: Any) -> list[str]:
    from tallcheck.core.needs.keys import KEYS

    return [f"{key}=" for key in KEYS]
