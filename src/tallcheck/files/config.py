"""The user's configuration folder, and the settings file in it."""

import os

import msgspec

from tallcheck.core.errors import InputError
from tallcheck.files.inputs import read, text

NAME = "config.toml"


class Settings(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What the settings file may hold."""

    needs_path: list[str] = []


def config_folder() -> str:
    """The folder for the user's own files: ``TALLCHECK_CONFIG``, else the platform's."""
    told = os.environ.get("TALLCHECK_CONFIG")
    if told:
        return told
    from platformdirs import user_config_dir

    return user_config_dir("tallcheck")


def settings() -> Settings:
    """The settings; the defaults where there is no file. Raises InputError."""
    import tomllib

    path = os.path.join(config_folder(), NAME)
    if not os.path.isfile(path):
        return Settings()
    try:
        return msgspec.convert(tomllib.loads(text(read(path), path)), Settings)
    except (tomllib.TOMLDecodeError, msgspec.ValidationError) as error:
        raise InputError(f"found no settings: {error}", 'needs_path = ["FOLDER"]', path) from None
