"""Memory modules that can be bought or lie in a drawer, and what models take."""

from msgspec import Struct


class Offer(Struct, frozen=True):
    """One entry of a parts list. Size in bytes, speed in MT/s, price in hundredths.

    None is unknown; of an unknown stock any number can be had. Of a kit, which is sold whole,
    ``size`` is that of one module, ``pack`` their number, ``price`` and ``stock`` those of the kit.
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
    pack: int = 1


class PartsList(Struct, frozen=True):
    """Modules that can be had, the one currency of their prices, and rows that were left out."""

    offers: tuple[Offer, ...]
    currency: str = ""
    faults: tuple[str, ...] = ()

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
