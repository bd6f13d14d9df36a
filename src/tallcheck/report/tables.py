"""A table as every form of output takes it."""

from msgspec import Struct


class Table(Struct, frozen=True):
    """A table with its heading; ``numbers`` are the columns that stand to the right."""

    title: str
    head: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    numbers: tuple[int, ...] = ()
    note: str = ""
