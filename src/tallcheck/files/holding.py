"""What a file that exists holds: it is not overwritten by what it was not made by."""

import os
import re

from tallcheck.files.inputs import SHEET_MOST
from tallcheck.files.output import OutputError

READ = "a sheet that was read from a machine"
TOLD = "a sheet that somebody told"
NEEDS = "a needs sheet"
LOG = "a usage log"
ROWS = "the rows of a check"
FLEET = "the answers for many machines"
PAGE = "a page of answers"
OTHER = "something else"
"""What bears no mark: texts, pictures, spreadsheets, and all that this tool does not write."""

_JSON = re.compile(rb'"tallcheck"\s*:\s*"(\w+)/\d')
_GATHERED = re.compile(rb'"how"\s*:\s*"read"')
_NEEDS = re.compile(rb'(?m)^\s*tallcheck\s*=\s*"needs/')
_BEGINNING = 1 << 16  # bytes
_HEADS = (
    (LOG, (b"time", b"memory_total", b"memory_available")),
    (ROWS, (b"machine", b"strength", b"key", b"need", b"have", b"status")),
    (FLEET, (b"answer", b"limiting", b"target_memory")),
)  # fmt: skip
"""What stands in the first line of lists, whatever parts it."""


def json_kind(name: str) -> str:
    """The kind of a JSON file with ``"tallcheck": "NAME/1"``."""
    return f"the JSON of a {name}"


def hold_own(path: str, kind: str, force: bool) -> None:
    """Raise OutputError where a file is there that holds another kind of thing, but by force."""
    if force or not os.path.isfile(path) or not os.path.getsize(path):
        return
    try:
        with open(path, "rb") as file:
            found = _kind(file.read(SHEET_MOST))
    except OSError as error:
        raise OutputError(f"cannot be read: {error.strerror}", where=path) from None
    if found != kind:
        raise OutputError(
            f"exists already, and holds {found}", "another file, or --force to overwrite it", path
        )


def _kind(data: bytes) -> str:
    beginning = data[:_BEGINNING]
    name = _JSON.search(beginning)
    if name is not None and name[1] == b"machine":
        return READ if _GATHERED.search(data) else TOLD
    if name is not None:
        return json_kind(name[1].decode())
    if b"Made by Tall Check." in data:
        return PAGE
    if _NEEDS.search(beginning):
        return NEEDS
    head = next((line for line in beginning.splitlines() if line[:1] != b"#"), b"")
    return next((kind for kind, words in _HEADS if all(word in head for word in words)), OTHER)
