"""A machine sheet in the making: readings put on it one by one, each with its origin."""

import re
from typing import Any

from msgspec import structs

from tallcheck.core.machine.entries import ReadingKey, Unasked
from tallcheck.core.machine.readings import put
from tallcheck.core.machine.sheet import (
    SHEET_FORMAT,
    Doubt,
    Graphics,
    Machine,
    Origin,
    Program,
    Volume,
)
from tallcheck.core.machine.vocabulary import Vocabulary

_TEXT_MOST = 4096


class Draft:
    """Collects readings, notes and doubts. A value of None leaves a reading unknown."""

    def __init__(self, name: str, gathered: str | None, vocabulary: Vocabulary) -> None:
        self.vocabulary = vocabulary
        self.machine = Machine(SHEET_FORMAT, name, gathered)
        self.limit = ""
        """What is known to keep memory from the system."""

    def read(self, key: ReadingKey | Unasked, value: Any, source: str) -> None:
        """A reading from the system."""
        self._put(key, value, Origin("read", source))

    def forget(self, key: ReadingKey | Unasked) -> None:
        """A reading that is of another machine."""
        self.machine = put(self.machine, key, None)

    def work_out(self, key: ReadingKey | Unasked, value: Any, source: str) -> None:
        """A reading worked out from others."""
        self._put(key, value, Origin("worked out", source))

    def _put(self, key: ReadingKey | Unasked, value: Any, origin: Origin) -> None:
        if isinstance(value, str):
            value = clean(value)
        if value is not None and value != "":
            self.machine = put(self.machine, key, value, origin)

    def storage(self, volumes: list[Volume], source: str) -> None:
        """All storage volumes."""
        self._whole("storage", volumes, source)

    def graphics(self, adapters: list[Graphics], source: str) -> None:
        """All graphics adapters."""
        self._whole("graphics", adapters, source)

    def programs(self, listed: str | None, source: str) -> None:
        """Installed programs from lines of ``name<TAB>version``; without any they stay unknown."""
        pairs = [line.split("\t", 1) for line in (listed or "").splitlines() if "\t" in line]
        found = [Program(clean(name), clean(version) or None) for name, version in pairs]
        if found:
            self._whole("software", sorted(found, key=lambda one: one.name), source)

    def _whole(self, key: str, values: Any, source: str) -> None:
        origins = self.machine.origins | {key: Origin("read", source)}
        self.machine = structs.replace(self.machine, origins=origins, **{key: values})

    @staticmethod
    def clean(text: str) -> str:
        """Text from a machine, fit for a sheet."""
        return clean(text)

    def extra(self, key: str, value: Any) -> None:
        """A reading that has no key of its own."""
        self.machine = put(self.machine, f"extra.{key}", value)

    def note(self, text: str) -> None:
        """A remark that casts no doubt."""
        self.machine = structs.replace(self.machine, notes=[*self.machine.notes, clean(text)])

    def doubt(self, about: list[str], text: str) -> None:
        """Readings that cannot all be true."""
        doubts = [*self.machine.doubts, Doubt(about, clean(text))]
        self.machine = structs.replace(self.machine, doubts=doubts)


def clean(text: str) -> str:
    """Text from a machine without control characters and within the sheet's length."""
    return "".join(ch if ch.isprintable() else " " for ch in text).strip()[:_TEXT_MOST]


HOME, REMOVABLE = "home volume", "removable"

_HOME = re.compile(r"(?:^|/)(?:home|Users)/[^/]|^/root(?:/|$)|^/run/user/")
_REMOVABLE = re.compile(r"^/(?:run/)?media/|^/Volumes/")


def volume_name(mount: str) -> str:
    """The mount point, or what kind it is where people name it.

    Places under people's folders are ``home volume``; those of removable media, which carry
    their owners' labels, ``removable``.
    """
    if _HOME.search(mount):
        return HOME
    return REMOVABLE if _REMOVABLE.search(mount) else mount
