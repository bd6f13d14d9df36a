"""CIM objects of Windows as JSON: classes by name, and their values."""

import datetime
import re
from typing import Any

from tallcheck.core.values.errors import InputError
from tallcheck.core.values.plain import json_of, whole_number
from tallcheck.gather.draft import Draft
from tallcheck.gather.source import Source


def _decoded(data: bytes) -> str:
    """JSON text in UTF-8 or UTF-16, with or without a mark."""
    for mark, encoding in ((b"\xff\xfe", "utf-16-le"), (b"\xfe\xff", "utf-16-be")):
        if data.startswith(mark):
            return data[2:].decode(encoding, "replace")
    if data[1:2] == b"\0" and data[:1] != b"\0":
        return data.decode("utf-16-le", "replace")
    if data[:1] == b"\0" and len(data) > 1:
        return data.decode("utf-16-be", "replace")
    return data.decode("utf-8-sig", "replace")


_EPOCH = datetime.date(1970, 1, 1)
_DAYS_MOST = 700_000
"""Within this many days of the epoch there is a date in every calendar of ours."""


class Cim:
    """The classes of a capture: each a list of objects; what does not read is a note."""

    def __init__(self, source: Source, draft: Draft) -> None:
        self._source = source
        self._draft = draft

    def load(self, name: str) -> Any:
        """A JSON file's content, or None where it is absent or does not read."""
        data = self._source.read(f"{name}.json")
        if data is None:
            return None
        try:
            return json_of(_decoded(data), "JSON")
        except InputError:
            if data.strip(b"\0 \r\n\xff\xfe\xef\xbb\xbf"):
                self._draft.note(f"{name}.json is no JSON and was left out")
                return None
            return []

    def objects(self, name: str) -> list[dict[str, Any]] | None:
        """The objects of a class; one object stands for a list of one."""
        found = self.load(name)
        if found is None:
            return None
        return [one for one in unwrapped(found) if isinstance(one, dict)]

    def table(self, name: str) -> dict[str, Any]:
        """A JSON file's table, or an empty one."""
        found = self.load(name)
        return found if isinstance(found, dict) else {}

    def first(self, name: str) -> dict[str, Any]:
        """The first object of a class, or an empty one."""
        return next(iter(self.objects(name) or []), {})


def unwrapped(found: Any) -> list[Any]:
    """The objects in what a shell wrote: alone, in a list, in a list within one, or wrapped."""
    if isinstance(found, list):
        return [one for entry in found for one in unwrapped(entry)]
    if isinstance(found, dict) and isinstance(found.get("value"), list) and len(found) <= 2:
        return unwrapped(found["value"])  # {"value": [...], "Count": n}
    return [found]


def number(table: dict[str, Any], key: str) -> int | None:
    """A property as a whole number, zero or more; 64-bit ones may be written as text."""
    value = table.get(key)
    if isinstance(value, dict):
        value = value.get("value")
    if isinstance(value, str):
        value = whole_number(value.strip())
    if isinstance(value, bool) or not isinstance(value, int | float):
        return None
    return int(value) if 0 <= value < 1 << 63 else None


def text(table: dict[str, Any], key: str) -> str | None:
    value = table.get(key)
    return value.strip() or None if isinstance(value, str) else None


def words(table: dict[str, Any], key: str) -> str:
    """A property as text with single blanks, empty where there is none."""
    return " ".join((text(table, key) or "").split())


def cim_date(value: Any) -> str | None:
    """A date as either shell writes it, as ``YYYY-MM-DD``: ``/Date(ms)/`` or ISO 8601."""
    if isinstance(value, dict):
        value = value.get("value") or value.get("DateTime")
    if not isinstance(value, str):
        return None
    ticks = re.fullmatch(r"/Date\((-?\d{1,15})(?:[+-]\d{4})?\)/", value)
    if ticks:
        days = int(ticks[1]) // 86_400_000
        return (_EPOCH + datetime.timedelta(days)).isoformat() if abs(days) < _DAYS_MOST else None
    iso = re.match(r"\d{4}-\d{2}-\d{2}", value)
    packed = re.match(r"(\d{4})(\d{2})(\d{2})\d{6}", value)
    if packed:
        return f"{packed[1]}-{packed[2]}-{packed[3]}"
    return iso[0] if iso else None
