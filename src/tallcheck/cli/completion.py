"""Shell completion: commands, options, names of needs sheets and keys of readings."""

import argparse
from importlib import import_module
from typing import Any

from tallcheck.cli.options import parser_for, parts_of
from tallcheck.files.vocabulary import vocabulary


def complete(commands: dict[str, str]) -> None:
    """Answer the shell that asks for completions, and exit; nothing where none asks."""
    import argcomplete

    argcomplete.autocomplete(whole_parser(commands))


def whole_parser(commands: dict[str, str]) -> argparse.ArgumentParser:
    """All commands in one parser, each option with what completes it."""
    parser = argparse.ArgumentParser(prog="tallcheck", allow_abbrev=False)
    choices = parser.add_subparsers()
    for name in commands:
        module = import_module(f"tallcheck.cli.{name}")
        if parts := parts_of(module):
            within = choices.add_parser(name, help=commands[name]).add_subparsers()
            for part in parts:
                _add(within, part, parser_for(name, module, part))
        else:
            _add(choices, name, parser_for(name, module))
    return parser


def _add(choices: Any, name: str, own: argparse.ArgumentParser) -> None:
    added = choices.add_parser(
        name, parents=[own], add_help=False, usage=own.usage, description=own.description,
        epilog=own.epilog, help=own.description, formatter_class=own.formatter_class,
    )  # fmt: skip
    for action in added._actions:  # argparse has no public list of them
        _add_completer(action)


def _add_completer(action: Any) -> None:
    metavar = action.metavar if isinstance(action.metavar, str) else ""
    if metavar == "NEEDS":
        action.completer = _needs
    elif metavar.startswith("KEY=") and action.option_strings == ["--need"]:
        action.completer = _need_keys
    elif metavar.startswith("KEY="):
        action.completer = _sheet_keys
    elif metavar.startswith("KIND="):
        action.completer = _prices


def _needs(prefix: str, **_: Any) -> list[str]:
    """Files, the names on the needs path, and after a name's @ its releases."""
    from argcomplete.completers import FilesCompleter

    from tallcheck.core.values.errors import InputError
    from tallcheck.files.config import needs_folders, sheets_on
    from tallcheck.files.sheets import read_needs

    on_path = sheets_on(needs_folders([]))
    name, at, _release = prefix.partition("@")
    if at and name.lower() in on_path:
        try:
            sheet = read_needs(on_path[name.lower()], vocabulary())
        except InputError:
            return []
        return [f"{name}@{release.name}" for release in sheet.releases if release.name]
    files = FilesCompleter(allowednames=(".toml",))(prefix)
    return [*on_path, *files]


def _sheet_keys(prefix: str, **_: Any) -> list[str]:
    from tallcheck.core.machine.readings import SHORT_NAMES, keys

    key, equals, _value = prefix.partition("=")
    if equals:
        return [f"{key}={value}" for value in _values(key)]
    return [f"{key}=" for key in (*SHORT_NAMES, *keys())]


def _values(key: str) -> list[str]:
    """The words that a reading can be, where the sheet allows only some."""
    from typing import get_args, get_type_hints

    from tallcheck.core.machine.readings import resolve_key
    from tallcheck.core.machine.sheet import Machine
    from tallcheck.core.values.errors import InputError

    try:
        group, _, name = resolve_key(key).partition(".")
    except InputError:
        return []
    part = get_type_hints(Machine)[group]
    inside = [part, *get_args(part), *(two for one in get_args(part) for two in get_args(one))]
    kind = next((one for one in inside if hasattr(one, "__struct_fields__")), None)
    hint = get_type_hints(kind).get(name) if kind is not None else None
    return [str(value) for one in get_args(hint) for value in get_args(one)]


def _prices(prefix: str, **_: Any) -> list[str]:
    from tallcheck.core.fleet.money import PRICED

    return [f"{kind}=" for kind in (*PRICED, "hour")]


def _need_keys(prefix: str, **_: Any) -> list[str]:
    from tallcheck.core.needs.keys import KEYS

    return [f"{key}=" for key in KEYS]
