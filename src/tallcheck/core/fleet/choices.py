"""Ways to bring a machine's memory to its target: what goes in, and what comes out for others."""

from collections import Counter
from collections.abc import Iterator
from itertools import combinations_with_replacement, product

from msgspec import Struct

from tallcheck.core.board.account import Account
from tallcheck.core.board.models import Offer
from tallcheck.core.machine.modules import (
    corrects_errors,
    family,
    form_of,
    is_load_reduced,
    is_registered,
)
from tallcheck.core.machine.sheet import Module

_OPEN_MOST = 8  # positions up to which every way to reach the target is a choice
_CHOICES_MOST = 400
USED = "used"
Sizes = tuple[int, ...]


class Kind(Struct, frozen=True):
    """A module as another board sees it."""

    size: int
    type: str | None
    form: str | None
    ecc: bool | None
    registered: bool | None
    load_reduced: bool | None = None

    def offer(self) -> Offer:
        """The same as an offer that costs nothing."""
        return Offer(
            USED, self.size, self.type, self.form, ecc=self.ecc, registered=self.registered,
            load_reduced=self.load_reduced, price=0,
        )  # fmt: skip


class Choice(Struct, frozen=True):
    """One way to bring a make-up to its target: the sizes that go in, the modules that come out."""

    add: Sizes
    out: tuple[Kind, ...]


def kind_of_module(module: Module) -> Kind:
    """What counts of a module for another board."""
    return Kind(
        module.size or 0, family(module.type), form_of(module.form), corrects_errors(module),
        is_registered(module), is_load_reduced(module),
    )  # fmt: skip


def choices_of(board: Account, target: int, sizes: list[int]) -> tuple[list[Choice], bool]:
    """Every way to the target that is not worse than another; and whether all were looked at.

    What is not needed for the target comes out, for it may be worth more in another machine;
    what no other machine takes goes back in the end.
    """
    fixed = sum(one.size for one in board.positions if one.fixed)
    slots = [one for one in board.positions if not one.fixed]
    there = [one.module for one in slots if one.module is not None and one.size]
    sold = [size for size in sizes if board.position_most is None or size <= board.position_most]
    complete = len(slots) <= _OPEN_MOST
    found: dict[Choice, None] = {}
    for count in range(1, min(len(slots), _OPEN_MOST) + 1):
        for add in combinations_with_replacement(sold, count):
            most = fixed + sum(add) + sum(one.size or 0 for one in there)
            if most < target or fixed + sum(add) - min(add) >= target:
                continue
            spare = float("inf") if board.limit is None else board.limit - fixed - sum(add)
            for kept in _kept(there, len(slots) - count, spare):
                staying = [one.size or 0 for one in kept]
                total = fixed + sum(add) + sum(staying)
                if total < target or total - min((*add, *staying)) >= target:
                    continue  # too little, or one fewer would do, bought or kept
                found[Choice(add, _missing(there, kept))] = None
            if len(found) > _CHOICES_MOST:
                return list(found), False
    return list(found), complete


def _kept(there: list[Module], room: int, spare: float) -> Iterator[list[Module]]:
    """What can stay in ``room`` positions and ``spare`` bytes, each make-up of sizes once."""
    groups: dict[int, list[Module]] = {}
    for one in there:
        groups.setdefault(one.size or 0, []).append(one)
    for counts in product(*(range(len(ones) + 1) for ones in groups.values())):
        free = room - sum(counts)
        left = spare - sum(size * count for size, count in zip(groups, counts, strict=True))
        if free >= 0 and left >= 0:
            yield [
                one for count, ones in zip(counts, groups.values(), strict=True)
                for one in ones[:count]
            ]  # fmt: skip


def _missing(there: list[Module], kept: list[Module]) -> tuple[Kind, ...]:
    left = Counter(map(kind_of_module, there)) - Counter(map(kind_of_module, kept))
    return tuple(sorted(left.elements(), key=repr))


def kind_text(kind: Kind) -> str:
    from tallcheck.core.values.quantities import format_memory

    return " ".join(filter(None, (format_memory(kind.size), kind.type, kind.form)))
