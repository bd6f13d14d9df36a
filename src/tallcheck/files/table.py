"""Small CSV files that people keep by hand: parts lists and models lists."""

import csv
import io
from collections.abc import Iterator
from typing import Any

from tallcheck.core.board.models import Model, Offer, PartsList
from tallcheck.core.machine.modules import check_module_size
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.text.said import is_unknown, module_size_said, size_said
from tallcheck.core.values.errors import InputError, nearest
from tallcheck.core.values.money import parse_price
from tallcheck.core.values.plain import text_of
from tallcheck.core.values.quantities import parse_count, parse_speed
from tallcheck.core.values.text import unguarded
from tallcheck.files.inputs import SPREADSHEETS, delimiter_of, read, shown

PARTS_COLUMNS = (
    "part", "type", "form", "size", "speed", "ecc", "registered", "price", "currency", "stock",
    "source",
)  # fmt: skip
MODELS_COLUMNS = (
    "maker", "model", "ceiling", "slots", "position_most", "type", "form", "source",
)  # fmt: skip
_FLAGS = {"yes": True, "true": True, "1": True, "no": False, "false": False, "0": False}


def parts_list(path: str, vocabulary: Vocabulary) -> PartsList:
    """A parts list: its sound rows, and what is wrong with the others.

    Raises InputError that names file, line and column where no row is sound.
    """
    offers: list[Offer] = []
    faults: list[InputError] = []
    currency = ""
    for place, row in _rows(path, PARTS_COLUMNS, ("part", "size")):
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
    size, pack = reader.take("size", reader.module_size) or (None, 1)
    if size is None:
        raise InputError("found no size", "the module's size, such as 8 GB", reader.at("size"))
    try:
        check_module_size(size)
    except InputError as error:
        raise error.at(reader.at("size")) from None
    price, written = reader.take("price", parse_price) or (None, "")
    named = row.get("currency", "").upper() or written
    if written and named != written:
        raise InputError(f"found {written}", f"the row's currency, {named}", reader.at("price"))
    offer = Offer(
        row.get("part") or f"line {reader.line}", size, row.get("type") or None,
        row.get("form") or None, reader.take("speed", parse_speed),
        reader.take("ecc", _flag), reader.take("registered", _flag), price,
        reader.take("stock", parse_count), row.get("source", ""), pack,
    )  # fmt: skip
    return offer, named


def models_list(path: str, vocabulary: Vocabulary) -> dict[tuple[str, str], Model]:
    """A models list by maker and model. Raises InputError that names file, line and column."""
    from tallcheck.core.machine.models import model_key

    models: dict[tuple[str, str], Model] = {}
    for place, row in _rows(path, MODELS_COLUMNS, ("model",)):
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


def _flag(cell: str) -> bool:
    found = _FLAGS.get(cell.strip().lower())
    if found is None:
        raise InputError(f'found "{cell}"', "yes or no")
    return found


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
        return module_size_said(cell, self.vocabulary)

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


def _rows(
    path: str, known: tuple[str, ...], needed: tuple[str, ...]
) -> Iterator[tuple[str, dict[str, str]]]:
    """Where each row stands, and its cells by column. Raises InputError."""
    if path.lower().endswith(SPREADSHEETS):
        yield from _sheet_rows(path, known, needed)
        return
    content = text_of(read(path), shown(path))
    start = next((line for line in content.splitlines() if line and line[:1] != "#"), "")
    reader = csv.reader(
        io.StringIO(content, newline=""), delimiter=delimiter_of(start), skipinitialspace=True
    )
    columns: list[str] = []
    try:
        for cells in reader:
            if not any(cells) or cells[0].startswith("#"):
                continue
            place = f"{shown(path)}, line {reader.line_num}"
            if not columns:
                columns = _header([cell.strip().lower() for cell in cells], known, needed, place)
                continue
            if len(cells) > len(columns):
                raise InputError(
                    f"found {len(cells)} cells", f"at most the header's {len(columns)}", place
                )
            yield place, dict(zip(columns, (unguarded(cell.strip()) for cell in cells),
                                  strict=False))  # fmt: skip
    except csv.Error as error:
        raise InputError(f"found no CSV: {error}", "a header and rows", shown(path)) from None
    if not columns:
        raise InputError("found no header", "a line with " + ",".join(known), shown(path))


def _sheet_rows(
    path: str, known: tuple[str, ...], needed: tuple[str, ...]
) -> Iterator[tuple[str, dict[str, str]]]:
    """The same of the first table of a spreadsheet that has the columns that are needed."""
    from tallcheck.files.spreadsheet import spreadsheet

    found = spreadsheet(path, None, lambda row: {*needed} <= {cell.lower() for cell in row})
    heading = f"{shown(path)}, sheet '{found.sheet}'"
    columns = _header([cell.lower() for cell in found.header], known, needed, heading)
    for line, row in zip(found.lines, found.rows, strict=True):
        cells = ("" if cell is None else str(cell) for cell in row)
        yield f"{heading}, line {line}", dict(zip(columns, cells, strict=True))


def _header(
    columns: list[str], known: tuple[str, ...], needed: tuple[str, ...], place: str
) -> list[str]:
    for column in columns:
        if column not in known:
            raise InputError(
                f"found the unknown column '{column}'{nearest(column, list(known))}",
                "columns out of " + ",".join(known), place,
            )  # fmt: skip
    for column in needed:
        if column not in columns:
            raise InputError(f"found no column '{column}'", "it in the header", place)
    if len(set(columns)) < len(columns):
        raise InputError("found a column twice", "each column once", place)
    return columns
