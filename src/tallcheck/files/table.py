"""Small CSV files that people keep by hand: parts lists and models lists."""

import csv
import io
import re
from collections.abc import Iterator
from typing import Any

from msgspec import Struct

from tallcheck.core.board.models import Model, Offer, PartsList
from tallcheck.core.machine.modules import check_module_size
from tallcheck.core.machine.names import model_key
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.text.module_lists import module_named
from tallcheck.core.text.plain_values import flag_said
from tallcheck.core.text.said import is_unknown, module_size_said, size_said
from tallcheck.core.values.errors import InputError, nearest
from tallcheck.core.values.money import is_written, parse_price
from tallcheck.core.values.plain import mended, text_of
from tallcheck.core.values.quantities import parse_count, parse_speed
from tallcheck.core.values.text import fold, unguarded
from tallcheck.files.inputs import HEADER_WITHIN, SPREADSHEETS, delimiter_of, read, shown

PARTS_COLUMNS = (
    "part", "type", "form", "size", "speed", "ecc", "registered", "price", "currency", "stock",
    "source",
)  # fmt: skip
MODELS_COLUMNS = (
    "maker", "model", "ceiling", "slots", "position_most", "type", "form", "source",
)  # fmt: skip
_TEXT = "description"
"""A column in which a shop says all of a module in a line."""
_TELLING = ("part", _TEXT, "size", "type", "speed")
"""Columns whose words may tell what others leave open."""


OF_PARTS = "parts."
"""What stands before our name of a column, where another's heading is told."""


def parse_parts_heading(text: str) -> tuple[str, str]:
    """``parts.price=THEIRS``: our name of a column, and their heading. Raises InputError."""
    ours, equals, theirs = text.partition("=")
    name, known = ours.strip().removeprefix(OF_PARTS), [*PARTS_COLUMNS, _TEXT]
    if not equals or not theirs.strip() or OF_PARTS + name not in ours or name not in known:
        raise InputError(
            f"found '{text}'{nearest(name, known)}",
            f"{OF_PARTS}NAME=THEIRS, NAME out of {', '.join(known)}",
        )
    return OF_PARTS + name, theirs.strip()


def parts_list(
    path: str, vocabulary: Vocabulary, theirs: dict[str, str] | None = None
) -> PartsList:
    """A parts list: its sound rows, and what is wrong with the others.

    ``theirs`` are headings by our names for them. Raises InputError that names file, line and
    column where no row is sound.
    """
    offers: list[Offer] = []
    faults: list[InputError] = []
    currency = ""
    ours = {fold(said): name for said, name in vocabulary.phrases.words["offer"].items()}
    for name, heading in (theirs or {}).items():
        ours = {said: known for said, known in ours.items() if known != name}
        ours[fold(heading)] = name
    columns = _Columns((*PARTS_COLUMNS, _TEXT), (("size", _TEXT),), ours, faults)
    for place, row in _rows(path, columns):
        reader = _Cells(place, row, vocabulary)
        try:
            offer, named = _offer(reader, row)
            if offer.price is not None and named and currency not in ("", named):
                raise InputError(
                    f"found the currency '{named}' beside '{currency}'",
                    "one currency in the list", f"{place}, currency",
                )  # fmt: skip
        except InputError as error:
            faults.append(error)
            continue
        currency = named if offer.price is not None and named else currency
        offers.append(offer)
    if faults and not offers:
        raise faults[0]
    return PartsList(tuple(offers), currency, tuple(map(str, faults)))


def _offer(reader: "_Cells", row: dict[str, str]) -> tuple[Offer, str]:
    """One row's offer, and the currency of its price. Raises InputError."""
    said, pack = module_named(" ".join(row.get(name, "") for name in _TELLING))
    size = said.size
    if row.get("size"):
        size, pack = reader.take("size", reader.module_size) or (None, 1)
    if size is None:
        raise InputError("found no size", "the module's size, such as 8 GB", reader.at("size"))
    try:
        check_module_size(size)
    except InputError as error:
        raise error.at(reader.at("size")) from None
    price, written = reader.take("price", reader.price) or (None, "")
    named = row.get("currency", "").upper() or written
    if written and not is_written(named, written):
        raise InputError(f"found {written}", f"the row's currency, {named}", reader.at("price"))
    offer = Offer(
        row.get("part") or row.get(_TEXT) or f"line {reader.line}", size,
        said.type or row.get("type") or None, row.get("form") or said.form,
        said.speed or reader.take("speed", parse_speed), reader.flag("ecc", said.ecc),
        reader.flag("registered", said.registered), price,
        reader.take("stock", reader.stock), row.get("source", ""), pack,
    )  # fmt: skip
    return offer, named


def models_list(path: str, vocabulary: Vocabulary) -> dict[tuple[str, str], Model]:
    """A models list by maker and model. Raises InputError that names file, line and column."""
    models: dict[tuple[str, str], Model] = {}
    for place, row in _rows(path, _Columns(MODELS_COLUMNS, (("model",),))):
        reader = _Cells(place, row, vocabulary)
        if not row.get("model"):
            raise InputError("found no model", "the model's name", f"{place}, model")
        model = Model(
            row.get("maker", ""), row["model"], reader.take("ceiling", reader.memory_size),
            reader.take("slots", parse_count), reader.take("position_most", reader.memory_size),
            row.get("type") or None, row.get("form") or None, row.get("source", ""),
        )  # fmt: skip
        key = model_key(model.maker, model.model)
        if key in models:
            raise InputError(
                f"found '{model.maker} {model.model}' a second time", "each model once", place
            )
        models[key] = model
    return models


class _Cells:
    """One row's cells, read with errors that name file, line and column."""

    def __init__(self, place: str, row: dict[str, str], vocabulary: Vocabulary) -> None:
        self._place, self._row, self.vocabulary = place, row, vocabulary
        self.line = place.rpartition(" ")[2]

    def at(self, name: str) -> str:
        """Where a cell stands."""
        return f"{self._place}, {name}"

    def module_size(self, cell: str) -> tuple[int, int]:
        """The size of a module, and how many come as one kit. Raises InputError."""
        try:
            return module_size_said(cell, self.vocabulary)
        except InputError:
            said, pack = module_named(cell)
            if said.size is None or (said.type is None and said.form is None):
                raise
            return said.size, pack  # among words of what it is

    def flag(self, name: str, else_: bool | None) -> bool | None:
        """A yes or a no; where the cell is empty, what else tells it. Raises InputError."""
        told = self.take(name, lambda cell: flag_said(name, cell, self.vocabulary)[0].value)
        return else_ if told is None else bool(told)

    def price(self, cell: str) -> tuple[int, str] | None:
        """A price, or a word that stands for one; None for one that has to be asked for."""
        word = self.vocabulary.phrases.words["price"].get(fold(cell))
        if word is not None:
            return (0, "") if word == "0" else None
        return parse_price(cell)

    def stock(self, cell: str) -> int | None:
        """How many there are; of more than some, these; None for any number. Raises InputError."""
        word = self.vocabulary.phrases.words["stock"].get(fold(cell))
        if word is not None:
            return int(word) if word.isdecimal() else None
        counted = re.fullmatch(r"[>~\u2265]?\s*(\d{1,9})\s*(?:\+|[^\W\d]{1,12}\.?)?", cell.strip())
        return parse_count(counted[1] if counted else cell)

    def memory_size(self, cell: str) -> int:
        """One size of memory. Raises InputError."""
        return size_said("memory", cell, self.vocabulary)

    def take(self, name: str, parse: Any) -> Any:
        """The parsed cell, or None where it is empty."""
        cell = self._row.get(name, "")
        if not cell or is_unknown(cell, self.vocabulary):
            return None
        try:
            return parse(cell)
        except InputError as error:
            raise error.at(self.at(name)) from None


class _Columns(Struct):
    """The columns of a list, and what becomes of others."""

    known: tuple[str, ...]
    needed: tuple[tuple[str, ...], ...]
    """Of each of these one has to be there."""
    words: dict[str, str] = {}
    """Other headings for a column."""
    faults: list[InputError] | None = None
    """Where what cannot be used is told, and passed over; None: it is an error."""

    def pass_over(self, error: InputError) -> None:
        """Tell what is passed over. Raises the error where nothing may be."""
        if self.faults is None:
            raise error
        self.faults.append(error)

    def named(self, heading: str) -> str:
        """Our name of a column, or theirs as it is compared."""
        word = fold(re.sub(r"[(\[].*", "", heading).strip(" :*"))
        return self.words.get(word, word)

    def are_in(self, cells: list[str]) -> bool:
        """Whether a row of cells has the headings that are needed."""
        there = {self.named(cell) for cell in cells}
        return all(there & {*some} for some in self.needed)

    def header(self, cells: list[str], place: str) -> list[str]:
        """The columns by our names; one that is not used keeps theirs. Raises InputError."""
        found: list[str] = []
        for cell in cells:
            column = self.named(cell)
            if column in found and column != fold(cell):
                # another word for what is there; of a second name the words may tell more
                text = column == "part" and _TEXT in self.known and _TEXT not in found
                column = _TEXT if text else fold(cell)
            if column in found and column in self.known:
                raise InputError("found a column twice", "each column once", place)
            if column not in self.known and (column or self.faults is None):
                self.pass_over(InputError(
                    f"found the unknown column '{column}'{nearest(column, list(self.known))}",
                    "columns out of " + ",".join(self.known), place,
                ))  # fmt: skip
            found.append(column)
        for some in self.needed:
            named = _TEXT in some and "part" in found  # whose words may tell it
            if not named and not {*some} & {*found}:
                raise InputError(f"found no column '{some[0]}'", "it in the header", place)
        return found


def _rows(path: str, columns: _Columns) -> Iterator[tuple[str, dict[str, str]]]:
    """Where each row stands, and its cells by column. Raises InputError."""
    if path.lower().endswith(SPREADSHEETS):
        yield from _sheet_rows(path, columns)
        return
    content = text_of(mended(read(path), shown(path))[0], shown(path))
    above, start = _header_of(content.splitlines(), columns)
    reader = csv.reader(
        io.StringIO(content, newline=""), delimiter=delimiter_of(start), skipinitialspace=True
    )
    header: list[str] = []
    try:
        for cells in reader:
            if reader.line_num <= above or not any(cells) or cells[0].startswith("#"):
                continue
            place = f"{shown(path)}, line {reader.line_num}"
            if not header:
                header = columns.header(cells, place)
            elif len(cells) > len(header):
                columns.pass_over(InputError(
                    f"found {len(cells)} cells", f"at most the header's {len(header)}", place
                ))  # fmt: skip
            else:
                yield place, dict(zip(header, (unguarded(cell.strip()) for cell in cells),
                                      strict=False))  # fmt: skip
    except csv.Error as error:
        raise InputError(f"found no CSV: {error}", "a header and rows", shown(path)) from None
    if not header:
        raise InputError("found no header", "a line with " + ",".join(columns.known), shown(path))


def _header_of(lines: list[str], columns: _Columns) -> tuple[int, str]:
    """How many lines stand above the header, and that: titles and dates may be there."""
    there = [
        (at, line) for at, line in enumerate(lines[:HEADER_WITHIN]) if line[:1] not in ("", "#")
    ]
    for at, line in there:
        if columns.are_in([cell.strip('" ') for cell in line.split(delimiter_of(line))]):
            return at, line
    return there[0] if there else (0, "")


def _sheet_rows(path: str, columns: _Columns) -> Iterator[tuple[str, dict[str, str]]]:
    """The same of the first table of a spreadsheet that has the columns that are needed."""
    from tallcheck.files.spreadsheet import spreadsheet

    found = spreadsheet(path, None, columns.are_in)
    heading = f"{shown(path)}, sheet '{found.sheet}'"
    header = columns.header(found.header, heading)
    for line, row in zip(found.lines, found.rows, strict=True):
        cells = ("" if cell is None else str(cell) for cell in row)
        yield f"{heading}, line {line}", dict(zip(header, cells, strict=True))
