"""The user's configuration folder, and the settings file in it."""

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
