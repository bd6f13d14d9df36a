"""Usage logs: CSV into arrays, with all that was wrong named and counted."""

import os
import re
from typing import Any

import numpy as np
import pandas as pd

from tallcheck.core.usage.finding import Log
from tallcheck.core.values.errors import InputError, nearest
from tallcheck.core.values.quantities import parse_memory
from tallcheck.files.usage_writer import COLUMNS, EXTRA

_SIZES = frozenset(COLUMNS[1:7])
_NUMBERS = (*COLUMNS[1:], "drive_stall")
_COUNTERS = ("swapped_in", "swapped_out")
_UNITS = {"B": 1, "KB": 1 << 10, "MB": 1 << 20, "GB": 1 << 30, "%": 0.01}
_ZONE = re.compile(r"(?:Z|[+-]\d\d:?\d\d)$")


class _Problems:
    """What was wrong, by kind, with counts."""

    def __init__(self) -> None:
        self.texts: list[str] = []

    def add(self, count: int, text: str) -> None:
        if count:
            self.texts.append(f"{count} {'row' if count == 1 else 'rows'} {text}")


def parse_columns(texts: list[str]) -> dict[str, tuple[str, float]]:
    """``name=theirs`` or ``name=theirs:MB`` by our name: their heading and factor. InputError."""
    found: dict[str, tuple[str, float]] = {}
    for part in (one for text in texts for one in text.split(",")):
        ours, equals, theirs = part.strip().partition("=")
        known = [*COLUMNS, *EXTRA]
        if not equals or ours not in known:
            raise InputError(
                f"found '{part.strip()}'{nearest(ours, known)}", "NAME=THEIRS or NAME=THEIRS:UNIT",
                "--columns",
            )  # fmt: skip
        heading, colon, unit = theirs.rpartition(":")
        if colon and unit.upper() not in _UNITS:
            raise InputError(f"found the unit '{unit}'", ", ".join(_UNITS), f"--columns {ours}")
        found[ours] = (heading, _UNITS[unit.upper()]) if colon else (theirs, 1.0)
    return found


def read_log(path: str, columns: dict[str, tuple[str, float]]) -> Log:
    """A usage log in order of time; rows that are not sound are counted. Raises InputError."""
    problems = _Problems()
    theirs = {heading: (ours, factor) for ours, (heading, factor) in columns.items()}
    frame = _read(path, theirs, problems)
    renamed = {heading: ours for heading, (ours, _) in theirs.items()}
    frame = frame.rename(columns=lambda name: renamed.get(name.strip(), name.strip()))
    time, offset = _times(frame.pop("time"), path, problems)
    arrays = {}
    for name in _NUMBERS:
        if name in frame.columns:
            factor = columns.get(name, ("", 1.0))[1]
            arrays[name] = _numbers(name, frame.pop(name), factor, problems)
    sound = _sound(time, arrays, problems)
    programs = frame["programs"] if "programs" in frame.columns else None
    if not sound.any():
        raise InputError(
            "found no sound row" + (f": {'; '.join(problems.texts)}" if problems.texts else ""),
            "rows with a time, memory_total and memory_available", path,
        )  # fmt: skip
    order = _order(time, sound, problems)
    if order is not None:
        time = time[order]
        arrays = {name: values[order] for name, values in arrays.items()}
        offset = offset if isinstance(offset, float) else offset[order]
        programs = programs.iloc[order] if programs is not None else None
    growing = _growing(programs, arrays, time) if programs is not None else None
    return Log(time, offset, arrays, tuple(problems.texts), growing)


def _read(path: str, theirs: dict[str, tuple[str, float]], problems: _Problems) -> pd.DataFrame:
    """The file as a frame; a row that is still being written is left out."""
    wanted = {*COLUMNS, *EXTRA, *theirs}
    torn = _torn(path)
    options: dict[str, Any] = {
        "comment": "#", "skipinitialspace": True, "on_bad_lines": "skip", "low_memory": True,
        "usecols": lambda name: name.strip() in wanted,
    }  # fmt: skip
    headings = _headings(path, theirs)
    try:
        frame = pd.read_csv(path, parse_dates=[headings["time"]], date_format="ISO8601", **options)
    except (ValueError, OSError, UnicodeDecodeError):
        try:
            frame = pd.read_csv(path, **options)
        except (ValueError, OSError, UnicodeDecodeError) as again:
            raise InputError(
                f"found no CSV: {str(again).splitlines()[0][:120]}", "a usage log", path
            ) from None
    if torn and len(frame):
        frame = frame.iloc[:-1]
        problems.add(1, "at the end torn or still being written, left out")
    if not len(frame):
        raise InputError("found no row", "a header and rows", path)
    return frame


def _headings(path: str, theirs: dict[str, tuple[str, float]]) -> dict[str, str]:
    """The file's heading for each of our names. Raises InputError where a needed one is missing."""
    try:
        first = pd.read_csv(path, comment="#", skipinitialspace=True, nrows=0).columns
    except FileNotFoundError:
        raise InputError("cannot be read: no such file or directory", where=path) from None
    except (ValueError, OSError, UnicodeDecodeError) as error:
        text = str(error).splitlines()[0][:120] if str(error) else "nothing that reads as one"
        raise InputError(f"found no CSV: {text}", "a usage log", path) from None
    found = {theirs.get(str(name).strip(), (str(name).strip(),))[0]: str(name) for name in first}
    for needed in ("time", "memory_total", "memory_available"):
        if needed not in found:
            raise InputError(
                f"found no column '{needed}' among {', '.join(map(str, first[:8]))}",
                "it, or --columns to tell which one it is", path,
            )  # fmt: skip
    return found


def _torn(path: str) -> bool:
    """Whether the last line has no end, so that it may not be whole."""
    try:
        with open(path, "rb") as file:
            file.seek(0, os.SEEK_END)
            if not file.tell():
                return False
            file.seek(-1, os.SEEK_END)
            return file.read(1) != b"\n"
    except OSError:
        return False


def _times(
    column: "pd.Series[Any]", path: str, problems: _Problems
) -> tuple[np.ndarray[Any, Any], Any]:
    """Seconds since 1970 (NaN where none), and seconds east of Greenwich."""
    if isinstance(column.dtype, pd.DatetimeTZDtype):
        first = column.iloc[0]
        east = first.utcoffset().total_seconds() if first is not pd.NaT else 0.0
        missing = column.isna().to_numpy()
        problems.add(int(missing.sum()), "without a time that reads as one")
        seconds = column.dt.tz_convert("UTC").dt.tz_localize(None).to_numpy("datetime64[ms]")
        return np.where(missing, np.nan, seconds.astype("int64") / 1000.0), float(east)
    if pd.api.types.is_datetime64_any_dtype(column.dtype):
        raise InputError(
            "found times without a zone", "RFC 3339 times with one, such as 2026-11-24T09:00:00Z",
            path,
        )  # fmt: skip
    texts = column.astype("string").str.strip()
    zoned = texts.str.contains(_ZONE.pattern, regex=True).fillna(False).to_numpy(dtype=bool)
    parsed = pd.to_datetime(texts, errors="coerce", utc=True, format="ISO8601")
    missing = parsed.isna().to_numpy()
    problems.add(int((~missing & ~zoned).sum()), "whose time has no zone")
    problems.add(int(missing.sum()), "without a time that reads as one")
    if not (zoned & ~missing).any():
        raise InputError(
            "found no time with a zone", "RFC 3339 times, such as 2026-11-24T09:00:00Z", path
        )
    seconds = parsed.dt.tz_localize(None).to_numpy("datetime64[ms]").astype("int64") / 1000.0
    parts = texts.str.extract(r"([+-])(\d\d):?(\d\d)$")
    east = (
        pd.to_numeric(parts[1]).fillna(0) * 3600 + pd.to_numeric(parts[2]).fillna(0) * 60
    ) * np.where((parts[0].fillna("+") == "-").to_numpy(dtype=bool), -1, 1)
    return np.where(zoned & ~missing, seconds, np.nan), east.to_numpy(dtype=float)


def _numbers(
    name: str, column: "pd.Series[Any]", factor: float, problems: _Problems
) -> np.ndarray[Any, Any]:
    """A column as numbers; text among them is counted and missing."""
    if pd.api.types.is_numeric_dtype(column.dtype):
        values = column.to_numpy(dtype=float)
    else:
        read = {text: _one(name, text) for text in column.dropna().unique()}
        values = column.map(read).to_numpy(dtype=float)
        problems.add(
            int((np.isnan(values) & column.notna().to_numpy()).sum()),
            f"with text where {name} should be a number",
        )
    if factor != 1.0:
        values = values * factor
    low = values < 0
    if low.any():
        values = np.where(low, np.nan, values)
        what = "whose counter ran backwards (a restart)" if name in _COUNTERS else "below zero"
        problems.add(int(low.sum()), f"with {name} {what}")
    infinite = np.isinf(values)
    return np.where(infinite, np.nan, values) if infinite.any() else values


def _one(name: str, text: Any) -> float:
    try:
        return float(text)
    except (TypeError, ValueError):
        pass
    try:
        return float(parse_memory(str(text))) if name in _SIZES else float("nan")
    except InputError:
        return float("nan")


def _sound(
    time: np.ndarray[Any, Any], arrays: dict[str, np.ndarray[Any, Any]], problems: _Problems
) -> np.ndarray[Any, Any]:
    total, available = arrays["memory_total"], arrays["memory_available"]
    missing = np.isnan(total) | np.isnan(available) | (total == 0)
    more = available > total
    problems.add(int((missing & ~np.isnan(time)).sum()), "without memory_total or memory_available")
    problems.add(int(more.sum()), "with more memory available than there is")
    sound: np.ndarray[Any, Any] = ~(np.isnan(time) | missing | more)
    return sound


def _order(
    time: np.ndarray[Any, Any], sound: np.ndarray[Any, Any], problems: _Problems
) -> np.ndarray[Any, Any] | None:
    """The rows to keep in order of time, the last of those with one time; None for all as is."""
    every = bool(sound.all())
    steps = np.diff(time)
    if every and bool((steps > 0).all()):
        return None
    kept = np.flatnonzero(sound)
    order = kept[np.argsort(time[kept], kind="stable")]
    moved = int((np.diff(time[kept]) < 0).sum())
    problems.add(moved, "out of the order of time, put in order")
    last = np.append(np.diff(time[order]) > 0, True)
    problems.add(int((~last).sum()), "with a time that another has, left out")
    ordered: np.ndarray[Any, Any] = order[last]
    return ordered


def _growing(
    programs: "pd.Series[Any]", arrays: dict[str, np.ndarray[Any, Any]], time: np.ndarray[Any, Any]
) -> str | None:
    """A program that explains most of the growth of memory in use, or None."""
    if len(time) < 20:
        return None
    in_use = arrays["memory_total"] - arrays["memory_available"]
    fifth = len(time) // 5
    grown = float(np.median(in_use[-fifth:]) - np.median(in_use[:fifth]))
    if grown < 0.1 * float(np.median(arrays["memory_total"])):
        return None
    first, last = _holders(programs.iloc[:fifth]), _holders(programs.iloc[-fifth:])
    growth = {name: size - first.get(name, 0.0) for name, size in last.items()}
    name = max(growth, key=lambda one: growth[one], default=None)
    return name if name is not None and growth[name] > 0.6 * grown else None


def _holders(programs: "pd.Series[Any]") -> dict[str, float]:
    """The median size of each program, from ``name=bytes;name=bytes``."""
    sizes: dict[str, list[float]] = {}
    for text in programs.dropna().astype(str):
        for part in text.split(";"):
            name, equals, size = part.rpartition("=")
            if equals and size.isdecimal():
                sizes.setdefault(name, []).append(float(size))
    return {name: float(np.median(values)) for name, values in sizes.items()}
