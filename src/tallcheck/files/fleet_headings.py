"""Which reading stands under which heading of somebody's list."""

from msgspec import Struct

from tallcheck.core.machine.readings import SHORT_NAMES, keys, kind_of, resolve_key
from tallcheck.core.values.errors import InputError
from tallcheck.files.fleet_columns import CLOCK_UNITS, UNITS

_TEXT_KINDS = ("text", "flag", "sets", "modules", "software")


class Theirs(Struct, frozen=True):
    """Somebody else's heading for a reading, and the unit of its plain numbers."""

    heading: str
    unit: str = ""


def parse_headings(texts: list[str]) -> dict[str, Theirs]:
    """``name=theirs`` or ``memory=theirs:GB`` by dotted key. Raises InputError."""
    found: dict[str, Theirs] = {}
    for part in texts:
        ours, equals, theirs = part.partition("=")
        if not equals or not theirs:
            raise InputError(f"found '{part}'", "KEY=THEIRS or KEY=THEIRS:UNIT", "--columns")
        key = ours.strip()
        try:
            key = key if key == "name" else resolve_key(key)
        except InputError as error:
            raise error.at("--columns") from None
        heading, colon, unit = theirs.rpartition(":")
        known = CLOCK_UNITS if key != "name" and kind_of(key) == "clock" else UNITS
        if colon and unit.upper() in known:
            found[key] = Theirs(heading.strip(), unit.upper())
        else:
            found[key] = Theirs(theirs.strip())
    return found


def is_text(key: str) -> bool:
    """Whether a reading is of words, so that ``9`` stays a word and is no number."""
    return key == "name" or kind_of(key) in _TEXT_KINDS


def key_of(name: str, headings: dict[str, Theirs]) -> str | None:
    """The reading under a heading; None where it is none."""
    for key, theirs in headings.items():
        if theirs.heading == name:
            return key
    if name.strip().lower() == "name":
        return None if "name" in headings else "name"
    key = SHORT_NAMES.get(name.strip().lower(), name.strip().lower())
    if key in headings:
        return None
    return key if key in keys() or (key.startswith("extra.") and len(key) > 6) else None
