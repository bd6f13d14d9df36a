"""What a packed spreadsheet would come to, counted in its parts before a library reads it.

Cells may be far apart, repeat, or all refer to one long text: a kilobyte can ask for gigabytes.
"""

import re
import zipfile
from collections.abc import Iterator
from typing import Any
from xml.parsers import expat

from tallcheck.core.values.errors import InputError
from tallcheck.core.values.plain import whole_number

UNPACKED_MOST = 1 << 29
"""Bytes of a spreadsheet's parts, unpacked."""
CELLS_MOST = 12_000_000
"""Cells from the first to the last one, empty ones between them included."""
CHARACTERS_MOST = 1 << 28
"""Characters of all cells, each as often as it is shown."""
_PIECE = 1 << 18
_REPEATED = 1 << 22
_PICTURES = re.compile(r"(?i)\.(?:png|jpe?g|gif|bmp|tiff?|emf|wmf|svg|bin|vml)$")


def ensure_extent(packed: zipfile.ZipFile) -> None:
    """Raise InputError, which names the part, for a spreadsheet that would come to far too much."""
    names = [one for one in packed.namelist() if not _PICTURES.search(one)]
    budget = _Budget()
    texts: list[int] = []
    for name in names:
        if name.endswith("sharedStrings.xml"):
            texts = _Texts().read(_pieces(packed, name, budget), name)
    for name in names:
        if not name.endswith("sharedStrings.xml"):
            _Sheet(texts).read(_pieces(packed, name, budget), name)


class _Budget:
    """Bytes that may still be unpacked."""

    def __init__(self) -> None:
        self.left = UNPACKED_MOST


def _pieces(packed: zipfile.ZipFile, name: str, budget: _Budget) -> Iterator[bytes]:
    with packed.open(name) as part:
        while piece := part.read(_PIECE):
            budget.left -= len(piece)
            if budget.left < 0:
                raise InputError(f"found more than {UNPACKED_MOST >> 20} MiB unpacked", "far less")
            yield piece


class _Part:
    """One part of a spreadsheet, read as XML; what is no XML is left to the library."""

    sheet = False
    """Whether it is one that holds cells."""

    def read(self, pieces: Iterator[bytes], name: str) -> Any:
        parser = expat.ParserCreate(namespace_separator=" ")
        parser.buffer_text = True
        parser.StartElementHandler = self._begin
        parser.EndElementHandler = self._end
        parser.CharacterDataHandler = self._text
        try:
            for piece in pieces:
                parser.Parse(piece)
            parser.Parse(b"", True)
        except expat.ExpatError as error:
            if self.sheet:
                raise InputError(
                    f"found a sheet that is no XML on line {error.lineno}", "a spreadsheet", name
                ) from None
        except InputError as error:
            raise error.at(name) from None
        return self.found()

    def found(self) -> Any:
        """What was counted."""

    def _begin(self, tag: str, given: dict[str, str]) -> None: ...

    def _end(self, tag: str) -> None: ...

    def _text(self, text: str) -> None: ...


class _Texts(_Part):
    """The shared texts: how many characters each has."""

    def __init__(self) -> None:
        self._lengths: list[int] = []

    def found(self) -> list[int]:
        return self._lengths

    def _begin(self, tag: str, given: dict[str, str]) -> None:
        if tag.rpartition(" ")[2] == "si":
            self._lengths.append(0)

    def _text(self, text: str) -> None:
        if self._lengths:
            self._lengths[-1] += len(text)


class _Sheet(_Part):
    """The cells of a sheet: how far they reach, how often they repeat, what texts they show."""

    def __init__(self, texts: list[int]) -> None:
        self._texts = texts
        self._row = self._column = 0
        self._last_row = self._last_column = 0
        self._shared = self._value = False
        self._characters = 0
        # of a row whose cells repeat: its cells so far, and those up to the last that is not empty
        self._times, self._at, self._filled, self._here = 1, 0, 0, 0
        self._repeats, self._cell = 1, 0
        self._cells = 0

    def _begin(self, tag: str, given: dict[str, str]) -> None:
        name = tag.rpartition(" ")[2]
        if name in ("worksheet", "spreadsheet"):
            self.sheet = True
        if name == "row":
            self._row = whole_number(given.get("r", "")) or self._row + 1
            self._column = 0
        elif name == "c":
            self._place(given.get("r", ""))
            self._shared = given.get("t") == "s"
        elif name in ("v", "t"):
            self._value = True
        elif name == "table-row":
            self._times = _repeats(given, "number-rows-repeated")
            self._at = self._filled = self._here = 0
        elif name in ("table-cell", "covered-table-cell"):
            self._repeats = _repeats(given, "number-columns-repeated")
            # a number stands in an attribute, and perhaps in no text
            self._cell = int(any(key.rpartition(" ")[2] == "value-type" for key in given))

    def _place(self, place: str) -> None:
        """Where a cell stands: ``AB12``, or behind the one before it."""
        match = re.fullmatch(r"\$?([A-Za-z]{1,4})\$?([0-9]{1,9})", place)
        column = self._column + 1
        if match:
            column = 0
            for letter in match[1].upper():
                column = column * 26 + ord(letter) - 64
            self._row = int(match[2])
        self._column = column
        self._last_row = max(self._last_row, self._row)
        self._last_column = max(self._last_column, column)
        if self._last_row * self._last_column > CELLS_MOST:
            raise InputError(
                f"found cells as far as row {self._last_row:,} and column {self._last_column:,}",
                f"at most {CELLS_MOST:,} cells", place,
            )  # fmt: skip

    def _text(self, text: str) -> None:
        self._cell += len(text)
        if not self._value:
            return
        length = len(text)
        if self._shared:
            at = whole_number(text.strip())
            length = self._texts[at] if at is not None and 0 <= at < len(self._texts) else 0
        self._count(length)

    def _count(self, characters: int) -> None:
        self._characters += characters
        if self._characters > CHARACTERS_MOST:
            raise InputError(f"found more than {CHARACTERS_MOST:,} characters", "far fewer")

    def _end(self, tag: str) -> None:
        name = tag.rpartition(" ")[2]
        if name in ("v", "t"):
            self._value = False
        elif name in ("table-cell", "covered-table-cell"):
            self._at += self._repeats
            if self._cell:
                self._filled = self._at
                self._here += self._cell * self._repeats
        elif name == "table-row" and self._filled:
            self._cells += self._filled * self._times
            if self._cells > CELLS_MOST:
                raise InputError(
                    f"found cells that repeat to {self._cells:,}", f"at most {CELLS_MOST:,}"
                )
            self._count(self._here * self._times)


def _repeats(given: dict[str, str], name: str) -> int:
    """How often a row or cell repeats; what no sheet has is as bad as the most."""
    text = next((value for key, value in given.items() if key.rpartition(" ")[2] == name), "1")
    number = whole_number(text)
    return _REPEATED if number is None else max(min(number, _REPEATED), 1)
