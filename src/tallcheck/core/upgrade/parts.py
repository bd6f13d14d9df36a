"""Memory modules that can be bought or lie in a drawer, and which of them a board takes."""

import re

from msgspec import Struct

from tallcheck.core.values.errors import InputError
from tallcheck.core.values.quantities import GIB, MIB, format_memory

SIZE_MOST = 1024 * GIB
_FAMILY = re.compile(r"(LP)?DDR([2-5]?)(L?)(X?)")
_FORMS = {
    "UDIMM": "DIMM", "RDIMM": "DIMM", "LRDIMM": "DIMM", "DIMM": "DIMM", "CUDIMM": "DIMM",
    "SODIMM": "SODIMM", "CSODIMM": "SODIMM",
}  # fmt: skip
_REGISTERED = ("RDIMM", "LRDIMM")


class Offer(Struct, frozen=True):
    """One entry of a parts list. Size in bytes, speed in MT/s, price in hundredths.

    None is unknown; of an unknown stock any number can be had.
    """

    part: str
    size: int
    type: str | None = None
    form: str | None = None
    speed: int | None = None
    ecc: bool | None = None
    registered: bool | None = None
    price: int | None = None
    stock: int | None = None
    source: str = ""


class PartsList(Struct, frozen=True):
    """Modules that can be had, and the one currency of their prices."""

    offers: tuple[Offer, ...]
    currency: str = ""

    @property
    def priced(self) -> bool:
        """Whether any price is known, so that cost can be compared."""
        return any(offer.price is not None for offer in self.offers)


class Model(Struct, frozen=True):
    """What machines of one make and model take. Sizes in bytes; None is unknown."""

    maker: str
    model: str
    ceiling: int | None = None
    slots: int | None = None
    position_most: int | None = None
    type: str | None = None
    form: str | None = None
    source: str = ""


def check_module_size(size: int) -> None:
    """Raise InputError for a size that no memory module has.

    Modules hold 1 or 3 times a power of two (JEDEC 21C annexes), from 16 MB on.
    """
    odd = size
    while odd and odd % 2 == 0:
        odd //= 2
    if odd not in (1, 3) or not 16 * MIB <= size <= SIZE_MOST:
        raise InputError(
            f"found {format_memory(size, 3)}, a size that no module has",
            "1 or 3 times a power of two, such as 8 GB or 24 GB",
        )


def family(kind: str | None) -> str | None:
    """``DDR4`` out of ``DDR4 SDRAM``; upper case where it is no such type; None if unknown."""
    if kind is None:
        return None
    found = _FAMILY.search(kind.upper())
    return found[0] if found else kind.strip().upper()


def form_of(form: str | None) -> str | None:
    """``SODIMM`` out of ``SO-DIMM`` and the like; None if unknown."""
    if form is None:
        return None
    word = _form_word(form)
    return _FORMS.get(word, word)


def _form_word(form: str) -> str:
    return form.upper().replace("-", "").replace(" ", "").replace("_", "")


def registered_by_form(form: str | None) -> bool | None:
    """What the name of a form says of its kind: RDIMM and LRDIMM are registered, UDIMM is not."""
    word = _form_word(form or "")
    if word in _REGISTERED:
        return True
    return False if word in ("UDIMM", "CUDIMM") else None


def type_fits(board: str, part: str) -> bool:
    """Whether a module type works where ``board`` is what is fitted.

    DDR3L runs at the 1.5 V of DDR3 too (JESD79-3-1), not the other way about.
    """
    return part == board or (board == "DDR3" and part == "DDR3L")
