"""The labels that people put before a value: built in, and the user's own."""

import os

import msgspec

from tallcheck.core.machine.readings import resolve_key
from tallcheck.core.machine.told_text import SYSTEM_TYPE, fold
from tallcheck.core.values.errors import InputError
from tallcheck.files.config import config_folder
from tallcheck.files.inputs import read, text

_DATA = os.path.join(os.path.dirname(os.path.dirname(__file__)), "data")
NAME = "labels.toml"


class _LabelFile(msgspec.Struct, forbid_unknown_fields=True):
    labels: dict[str, str] = {}


def label_table() -> dict[str, str]:
    """Folded labels to dotted keys; the user's replace the built-in ones. Raises InputError."""
    table: dict[str, str] = {}
    for folder in (_DATA, config_folder()):
        path = os.path.join(folder, NAME)
        if os.path.isfile(path):
            table |= _read(path)
    return table


def _read(path: str) -> dict[str, str]:
    import tomllib

    try:
        found = msgspec.convert(tomllib.loads(text(read(path), path)), _LabelFile).labels
        return {
            fold(label): key if key == SYSTEM_TYPE else resolve_key(key)
            for label, key in found.items()
        }
    except (tomllib.TOMLDecodeError, msgspec.ValidationError) as error:
        raise InputError(f"found no labels: {error}", "a [labels] table", path) from None
    except InputError as error:
        raise error.at(path) from None
