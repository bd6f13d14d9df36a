"""The user's configuration folder and settings file, and the needs path."""

import os
import sys

import msgspec

from tallcheck.core.values.errors import InputError, closest, nearest
from tallcheck.core.values.plain import toml_of
from tallcheck.files.inputs import read

NAME = "config.toml"
_PORTABLE = "tallcheck.portable"
_EXPECTED = {
    "needs_path": 'a list of folders, such as ["~/needs"]', "parts": "the name of a parts list",
    "currency": 'a word, such as "EUR"', "prices": "an amount for each kind, as in machine = 640",
    "hours": "hours for each kind, as in memory = 0.5", "tight": "a share, such as 0.8",
    "full": "a share, such as 0.9",
}  # fmt: skip
"""What each key of the settings file holds."""


class Settings(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What the settings file may hold."""

    needs_path: list[str] = []
    parts: str = ""
    """The parts list that is used where --parts names none."""
    currency: str = ""
    prices: dict[str, float | int] = {}
    """In units of the currency, for each kind of fix, and for an hour's work."""
    hours: dict[str, float | int] = {}
    """Hours of work for each kind of fix."""
    tight: float = 0.8
    """The share of memory in use from which a usage log is called tight."""
    full: float = 0.9

    def prices_in_hundredths(self) -> dict[str, int]:
        """The prices in hundredths of the currency."""
        return {kind: round(price * 100) for kind, price in self.prices.items()}


def portable_folder() -> str | None:
    """The folder of the portable program, where it is told to keep everything beside itself."""
    beside = os.path.dirname(sys.executable)
    frozen = getattr(sys, "frozen", False)
    return beside if frozen and os.path.exists(os.path.join(beside, _PORTABLE)) else None


def config_folder() -> str:
    """The folder for the user's own files.

    ``TALLCHECK_CONFIG``, else beside the portable program, else the platform's.
    """
    told = os.environ.get("TALLCHECK_CONFIG")
    if told:
        return told
    if beside := portable_folder():
        return beside
    from platformdirs import user_config_dir

    return user_config_dir("tallcheck")


def settings(*keys: str) -> Settings:
    """The settings under some keys, the others as they are by default. Raises InputError.

    Faults in what is not asked for stop nothing.
    """
    path = os.path.join(config_folder(), NAME)
    found = Settings()
    if not os.path.lexists(path):
        return found
    raw = toml_of(read(path), ", ".join(_EXPECTED), path)
    known = list(_EXPECTED)
    for key in raw:
        if key not in known and closest(key, known) in (None, *keys):
            raise InputError(
                f"found the unknown key '{key}'{nearest(key, known)}", ", ".join(known), path
            )
    for key in keys:
        if key in raw:
            found = msgspec.structs.replace(found, **{key: _value(key, raw[key], path)})
    _check(found, path)
    return found


def _value(key: str, value: object, path: str) -> object:
    try:
        return getattr(msgspec.convert({key: value}, Settings), key)
    except msgspec.ValidationError:
        raise InputError(f"found {str(value)[:40]!r}", _EXPECTED[key], f"{path}, {key}") from None


def _check(found: Settings, path: str) -> None:
    """Raise InputError for what the types alone do not tell."""
    from tallcheck.core.fleet.money import HOURS, PRICED

    for name, table, known in (
        ("prices", found.prices, (*PRICED, "hour")), ("hours", found.hours, tuple(HOURS)),
    ):  # fmt: skip
        for kind, value in table.items():
            if kind not in known:
                raise InputError(
                    f"found the unknown kind '{kind}'{nearest(kind, list(known))}",
                    "one of " + ", ".join(known), f"{path}, {name}",
                )  # fmt: skip
            if not 0 <= value < 1e9:
                raise InputError(f"found {value}", "zero or more", f"{path}, {name}.{kind}")
    if not 0 < found.tight < found.full <= 1:
        raise InputError(
            f"found tight = {found.tight} and full = {found.full}", "shares, tight below full", path
        )


ENDING = ".needs.toml"
DEMO_FOLDER = os.path.join(os.path.dirname(os.path.dirname(__file__)), "data", "demo", "needs")


def needs_folders(extra: list[str]) -> list[str]:
    """The folders of the needs path, in order; the demo's samples come last."""
    from_environment = os.environ.get("TALLCHECK_NEEDS_PATH", "").split(os.pathsep)
    configured = [os.path.expanduser(folder) for folder in settings("needs_path").needs_path]
    beside = portable_folder()
    folders = [*extra, *from_environment, *configured, os.curdir, "needs"]
    folders += [os.path.join(beside, "needs")] if beside else []
    folders.append(DEMO_FOLDER)
    return [folder for folder in folders if folder and os.path.isdir(folder)]


def sheets_on(folders: list[str]) -> dict[str, str]:
    """The sheets on the needs path, name to file; the first folder that has a name wins."""
    found: dict[str, str] = {}
    for folder in folders:
        for name in sorted(os.listdir(folder)):
            if name.endswith(ENDING):
                found.setdefault(name.removesuffix(ENDING).lower(), os.path.join(folder, name))
    return found


def split_release(word: str) -> tuple[str, str | None]:
    """``NAME@RELEASE`` at its last ``@``."""
    name, at, release = word.rpartition("@")
    return (name, release) if at and name else (word, None)


def find_needs(word: str, folders: list[str]) -> tuple[str, str | None, bool]:
    """The file, the release and whether it is a sample, for a NEEDS word. Raises InputError."""
    if word == "-" or os.path.isfile(word):
        return word, None, False
    name, release = split_release(word)
    if name == "-" or os.path.isfile(name):
        return name, release, False
    on_path = sheets_on(needs_folders(folders))
    path = on_path.get(name.lower())
    if path is None and release is None:  # "merrow 10", as it is said
        said, _, last = name.rpartition(" ")
        path = on_path.get(said.strip().lower())
        release = last if path is not None else None
    if path is None:
        looks_like_file = name.endswith(".toml") or "/" in name or "\\" in name
        what = "no such file" if looks_like_file else "no such file or sheet on the needs path"
        hint = nearest(name, list(on_path))
        raise InputError(f"{what}{hint}", "a needs sheet or " + ", ".join(on_path), word)
    return path, release, os.path.dirname(path) == DEMO_FOLDER
