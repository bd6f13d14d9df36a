"""Sizes, clocks, speeds, shares and durations: parse what people type, print what they read.

Bytes, hertz, MT/s, shares of one and seconds inside. ``GB`` is binary for memory (the trade
sells modules so) and decimal for storage (the trade sells drives so); ``GiB`` is always binary.
"""

import re

from tallcheck.core.values.errors import InputError

KIB = 1 << 10
MIB = 1 << 20
GIB = 1 << 30
TIB = 1 << 40

_BLANKS = frozenset("'\u2019\u00a0\u202f ")
"""What stands between thousands."""
_MOST = (1 << 63) - 1  # what a signed 64-bit field holds; no machine comes near
_NUMBER = re.compile(
    r"\s*(\d+(?:[.,]\d+|['\u2019\u00a0\u202f ]\d{3}(?!\d))*)\s*([^\d\s.,].*?)?\s*", re.DOTALL
)

_WORDS = {
    "": ("", "b", "byte", "bytes"),
    "k": ("k", "kb", "kbyte", "kbytes", "kilobyte", "kilobytes"),
    "m": ("m", "mb", "mo", "meg", "megs", "mega", "mbyte", "mbytes", "megabyte", "megabytes"),
    "g": (
        "g",
        "gb",
        "go",
        "gig",
        "gigs",
        "giga",
        "gbyte",
        "gbytes",
        "gigabyte",
        "gigabytes",
        "gigaoctet",
        "gigaoctets",
        "gigas",
        "gigabyte(s)",
    ),
    "t": ("t", "tb", "to", "tera", "tbyte", "tbytes", "terabyte", "terabytes"),
}
_BINARY_WORDS = {power: (f"{power}ib", f"{power}i", f"{power}io") for power in "kmgt"}
_POWERS = {"": 0, "k": 1, "m": 2, "g": 3, "t": 4}


def _size_units(base: int) -> dict[str, int]:
    units = {word: base ** _POWERS[p] for p, words in _WORDS.items() for word in words if word}
    units |= {w: 1024 ** _POWERS[p] for p, words in _BINARY_WORDS.items() for w in words}
    return units


_MEMORY_UNITS = _size_units(1024)
STORAGE_UNITS = _size_units(1000)
_CLOCK_UNITS = {"hz": 1, "khz": 10**3, "mhz": 10**6, "ghz": 10**9}
_SPEED_UNITS = {"mt/s": 1, "mts": 1, "mhz": 1, "gt/s": 1000, "gts": 1000}
_DURATION_UNITS = {
    "ms": 0.001,
    "s": 1.0, "sec": 1.0, "second": 1.0, "seconds": 1.0,
    "m": 60.0, "min": 60.0, "minute": 60.0, "minutes": 60.0,
    "h": 3600.0, "hour": 3600.0, "hours": 3600.0,
    "d": 86400.0, "day": 86400.0, "days": 86400.0,
    "w": 604800.0, "week": 604800.0, "weeks": 604800.0,
}  # fmt: skip

MEMORY_EXPECTED = 'a size with a unit, such as "8 GB" or "512 MiB"'
STORAGE_EXPECTED = 'a size with a unit, such as "256 GB" or "1 TB"'
CLOCK_EXPECTED = 'a clock with a unit, such as "2.1 GHz" or "800 MHz"'
SPEED_EXPECTED = 'a memory speed, such as "3200 MT/s"'
SHARE_EXPECTED = 'a share, such as "80 %" or 0.8'
DURATION_EXPECTED = 'a duration with a unit, such as "5s" or "8h"'
COUNT_EXPECTED = "a whole number, such as 4"


Range = tuple[int, int]
_MEMORY_RANGE = (64 * MIB, 64 * TIB)
_STORAGE_RANGE = (8 * 10**9, 10**15)
FREE_RANGE = (10**9, 10**15)
_CLOCK_RANGE = (10 * 10**6, 10 * 10**9)
"""What is plausible, where a mark before three digits can be read in two ways."""


def _scaled(
    text: str,
    units: dict[str, int],
    expected: str,
    bare: int | None = None,
    plausible: Range | None = None,
) -> int:
    """``text`` as a whole number of the smallest unit, rounded half up, in exact arithmetic."""
    match = _NUMBER.fullmatch(text)
    if not match:
        raise InputError(f'found "{text.strip()}"', expected)
    number, unit = match.groups()
    factor = units.get(unit.lower().rstrip(".")) if unit else bare
    if factor is None and not unit and not number.strip("0.,"):
        return 0  # of nothing there is as much in every unit
    if factor is None:
        without = "without a unit" if not unit else f"with the unnamed unit '{unit}'"
        raise InputError(f'found "{text.strip()}" {without}', expected)
    values = [_whole(one, factor, text, expected) for one in numbers_of(number)]
    if len(values) > 1 and plausible is not None:
        values = [one for one in values if plausible[0] <= one <= plausible[1]] or values
        if factor <= MIB and plausible == _MEMORY_RANGE:
            values = values[:1]  # nobody writes thousandths of a megabyte
    if not values:
        raise InputError(f'found "{text.strip()}"', expected)
    if len(values) > 1:
        raise InputError(
            f'found "{text.strip()}", where the mark could stand for thousands or for a fraction',
            expected,
        )
    return values[0]


def numbers_of(text: str) -> list[tuple[str, str]]:
    """What a written number can mean, each as whole digits and fraction digits.

    Marks of thousands and both decimal marks are taken; one mark with three digits behind it, and
    at most three before it, can be either.
    """
    if text.isdecimal():
        return [(text, "")]
    if not _BLANKS.isdisjoint(text):
        text = re.sub(r"(?<=\d)['\u2019\u00a0\u202f ](?=\d{3}(?!\d))", "", text)
    parts = re.split(r"([.,])", text)
    groups, marks = parts[0::2], parts[1::2]
    if not marks:
        return [(groups[0], "")]
    threes = all(len(one) == 3 for one in groups[1:]) and 0 < len(groups[0]) <= 3
    if len(marks) > 1:
        if len(set(marks)) == 1:
            return [("".join(groups), "")] if threes else []
        last = len(set(marks[:-1])) == 1 and marks[-1] != marks[0]
        inner = all(len(one) == 3 for one in groups[1:-1])
        return [("".join(groups[:-1]), groups[-1])] if last and inner else []
    if threes and groups[0] != "0":
        return [("".join(groups), ""), (groups[0], groups[1])]
    return [(groups[0], groups[1])]


def _whole(number: tuple[str, str], factor: int, text: str, expected: str) -> int:
    whole, fraction = number
    if len(whole) + len(fraction) > 40:
        raise InputError(f"found a number of {len(whole) + len(fraction)} digits", expected)
    digits, scale = int(whole + fraction), 10 ** len(fraction)
    value: int = (2 * digits * factor + scale) // (2 * scale)
    if value > _MOST:
        raise InputError(f'found "{text.strip()}", more than any machine has', expected)
    if digits and not value:
        raise InputError(f'found "{text.strip()}", too little to be anything but zero', expected)
    return value


def parse_memory(text: str) -> int:
    """A memory size in bytes; ``GB`` and ``GiB`` are both binary. Raises InputError."""
    return _scaled(text, _MEMORY_UNITS, MEMORY_EXPECTED, plausible=_MEMORY_RANGE)


def parse_storage(text: str, plausible: Range = _STORAGE_RANGE) -> int:
    """A storage size in bytes; ``GB`` is decimal, ``GiB`` binary. Raises InputError."""
    return _scaled(text, STORAGE_UNITS, STORAGE_EXPECTED, plausible=plausible)


def parse_clock(text: str) -> int:
    """A clock in Hz. Raises InputError."""
    return _scaled(text, _CLOCK_UNITS, CLOCK_EXPECTED, plausible=_CLOCK_RANGE)


def parse_speed(text: str) -> int:
    """A memory speed in MT/s; ``MHz`` on a label means MT/s, as does no unit. InputError."""
    return _scaled(text, _SPEED_UNITS, SPEED_EXPECTED, bare=1)


def parse_count(text: str) -> int:
    """A whole number, zero or more. Raises InputError."""
    match = re.fullmatch(r"\s*([0-9]{1,9})\s*", text)
    if not match:
        raise InputError(f'found "{text.strip()}"', COUNT_EXPECTED)
    return int(match[1])


def parse_share(text: str) -> float:
    """A share from 0 to 1, from ``80 %`` or ``0.8``. Raises InputError."""
    parts = re.fullmatch(r"\s*(\d+(?:[.,]\d+)?)\s*(%?)\s*", text)
    value = float(parts[1].replace(",", ".")) / (100 if parts[2] else 1) if parts else -1.0
    if not 0 <= value <= 1:
        raise InputError(f'found "{text.strip()}"', SHARE_EXPECTED)
    return value


def parse_duration(text: str) -> float:
    """A duration in seconds, more than none. Raises InputError."""
    match = re.fullmatch(r"\s*(\d+(?:[.,]\d+)?)\s*([a-z]+)\s*", text.lower())
    unit = _DURATION_UNITS.get(match[2]) if match else None
    if not match or unit is None:
        raise InputError(f'found "{text.strip()}"', DURATION_EXPECTED)
    seconds = float(match[1].replace(",", ".")) * unit
    if not 0 < seconds < 1e10:
        raise InputError(f'found "{text.strip()}"', DURATION_EXPECTED)
    return seconds


def parse_version(text: str) -> tuple[int, ...]:
    """``2.0`` as (2,): trailing zeros make no difference. ``none`` is (). InputError."""
    text = text.strip().lower()
    if text == "none":
        return ()
    if not re.fullmatch(r"\d{1,9}(\.\d{1,9})*", text):
        raise InputError(f'found "{text}"', 'a version, such as "2.0"')
    parts = [int(part) for part in text.split(".")]
    while len(parts) > 1 and not parts[-1]:
        parts.pop()
    return tuple(parts)


OFF = "off"
"""A security module that is there and switched off, whatever its version."""


def parse_module_version(text: str) -> tuple[int, ...]:
    """The version of a security module that a system sees: of one that is off, (). InputError."""
    return () if text.strip().lower() == OFF else parse_version(text)


def parse_display(text: str) -> tuple[int, int]:
    """``1920x1080`` as (1920, 1080). Raises InputError."""
    match = re.fullmatch(r"\s*(\d{1,6})\s*[x×*]\s*(\d{1,6})\s*", text.lower())
    if not match:
        raise InputError(f'found "{text.strip()}"', 'a display size, such as "1920x1080"')
    return int(match[1]), int(match[2])


def _in_units(value: int, steps: list[tuple[int, str]], places: int) -> str:
    """``value`` in the largest unit of which it is at least one, after rounding."""
    factor, unit = next((step for step in steps if round(value / step[0], places) >= 1), steps[-1])
    number = f"{value / factor:.{places}f}"
    return f"{number.rstrip('0').rstrip('.') if '.' in number else number} {unit}"


_MEMORY_STEPS = [(TIB, "TB"), (GIB, "GB"), (MIB, "MB"), (KIB, "KB"), (1, "bytes")]
_STORAGE_STEPS = [(10**12, "TB"), (10**9, "GB"), (10**6, "MB"), (10**3, "KB"), (1, "bytes")]
_CLOCK_STEPS = [(10**9, "GHz"), (10**6, "MHz"), (10**3, "kHz"), (1, "Hz")]


def format_memory(size: int, places: int = 1) -> str:
    """Bytes as binary ``8 GB``, as the trade writes memory."""
    return _in_units(size, _MEMORY_STEPS, places)


def format_storage(size: int, places: int = 1) -> str:
    """Bytes as decimal ``256 GB``, as the trade writes storage."""
    return _in_units(size, _STORAGE_STEPS, places)


def format_clock(hertz: int, places: int = 2) -> str:
    """Hz as ``2.1 GHz``."""
    return _in_units(hertz, _CLOCK_STEPS, places)


def format_speed(speed: int) -> str:
    """MT/s as ``3200 MT/s``."""
    return f"{speed} MT/s"


def format_share(share: float, places: int = 0) -> str:
    """A share of one as ``80 %``."""
    return f"{share * 100:.{places}f} %"


def format_duration(seconds: float) -> str:
    """Seconds in the two largest units that are not zero: ``1 h 30 min``."""
    whole = round(seconds)
    if whole < 1:
        return f"{seconds:.1f} s"
    parts = []
    for factor, unit in ((86400, "d"), (3600, "h"), (60, "min"), (1, "s")):
        count, whole = divmod(whole, factor)
        if count:
            parts.append(f"{count} {unit}")
    return " ".join(parts[:2])
