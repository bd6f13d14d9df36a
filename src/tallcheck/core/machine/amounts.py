"""A machine's memory as amounts, on numbers and on arrays alike: what follows, what is kept back.

Bytes; NaN is unknown. ``reach`` is the most that a running system shows of what is fitted.
"""

from typing import Any

from msgspec import Struct, structs

from tallcheck.core.values.either import (
    UNKNOWN,
    at_or_above,
    known,
    maximum_of,
    minimum_of,
    or_else,
    pick,
    up_to_step,
)
from tallcheck.core.values.quantities import GIB, MIB

ADDRESSABLE_32 = 4 * GIB
ADDRESSABLE_LARGE = 1 << 40
"""What a 32-bit Arm kernel with large physical addresses manages."""
ADDRESSABLE_PAE = 64 * GIB
HOST_STEP = 128 * MIB
"""The grain in which a host gives memory to a virtual machine."""
MOSTLY = 0.7
"""Share of what is fitted from which on fitted memory is what counts, and not usable memory."""

# A system of 32 bits loses up to about a third of what it can address to devices, so from
# here on "all that is fitted" and "all that it can see" look alike.
_LIMIT_SHARE = 0.65
_SHOWN_32_MOST = 3.5 * GIB
"""What a 32-bit system shows of 4 GB or more, at most, beside what devices take."""

GIVEN, BY_MODULES, BY_USABLE = 0, 1, 2
"""How fitted memory is known."""


def _totals(odds: tuple[int, ...]) -> list[int]:
    return sorted(odd * MIB << n for odd in odds for n in range(44 - odd.bit_length()))


ROUND_TOTALS = _totals((1, 3))
"""What is built where the positions are unknown: 1 or 3 times a power of two."""
_FITTED_TOTALS = _totals((1, 3, 5))


def can_be_fitted(size: Any) -> Any:
    """Whether modules can add up to a size: steps of 512 MB up to 3 GB, whole GB above."""
    return size % pick(size <= 3 * GIB, 512 * MIB, GIB) == 0


class Amounts(Struct):
    """Each a number or an array of them. ``virtual`` is 1 for yes; ``how`` GIVEN and so on."""

    installed: Any = UNKNOWN
    usable: Any = UNKNOWN
    available: Any = UNKNOWN
    ceiling: Any = UNKNOWN
    position_most: Any = UNKNOWN
    addressable: Any = UNKNOWN
    limit: Any = UNKNOWN
    """What a setting at start, or of a group, leaves of it."""
    slots: Any = UNKNOWN
    in_modules: Any = UNKNOWN
    listed: Any = UNKNOWN
    """How many positions are listed."""
    fixed: Any = UNKNOWN
    """1 where the memory of every machine with such a processor is fixed to it."""
    bits: Any = UNKNOWN
    os_bits: Any = UNKNOWN
    virtual: Any = UNKNOWN
    how: Any = GIVEN


def completed(given: Amounts) -> Amounts:
    """The amounts with what follows from the others; nothing that is known is replaced.

    ``bits`` and ``os_bits`` come with what the architectures say of them.
    """
    os_bits = pick(
        known(given.os_bits) ^ True, pick(given.bits == 32, 32.0, UNKNOWN), given.os_bits
    )
    bits = pick((known(given.bits) ^ True) & (os_bits == 64), 64.0, given.bits)
    narrow = (known(given.addressable) ^ True) & (os_bits == 32)
    addressable = pick(narrow, float(ADDRESSABLE_32), given.addressable)
    # positions that are all empty tell of no memory: no machine runs without any
    in_modules = pick(given.in_modules > 0, given.in_modules, UNKNOWN)
    by_modules = or_else(given.installed, in_modules)
    # what is usable under a limit tells nothing of what is fitted
    can = (given.usable > 0) & (at_limit(given.usable, os_bits, addressable) ^ True)
    can = can & (known(given.limit) ^ True) & (_may_be_at_limit(given.usable, os_bits) ^ True)
    by_usable = pick(can, likely_fitted(given.usable, given.virtual), UNKNOWN)
    installed = or_else(by_modules, by_usable)
    shown = minimum_of(addressable, given.limit)
    narrowed = (known(given.usable) ^ True) & (shown < installed)
    how = pick(known(given.installed), GIVEN, pick(known(in_modules), BY_MODULES, BY_USABLE))
    return structs.replace(
        given, os_bits=os_bits, bits=bits, addressable=addressable,
        installed=installed, how=how, usable=pick(narrowed, shown, given.usable),
        slots=or_else(
            or_else(given.slots, given.listed),
            pick((given.fixed == 1) & (given.virtual != 1), 0.0, UNKNOWN),
        ),
    )  # fmt: skip


def likely_fitted(usable: Any, virtual: Any = UNKNOWN) -> Any:
    """The total that is likely fitted where ``usable`` bytes can be used.

    The smallest total of 1, 3 or 5 times a power of two at or above it; on a virtual machine,
    where that is more than a tenth above, the next 128 MiB.
    """
    total = at_or_above(_FITTED_TOTALS, usable)
    return pick((virtual == 1) & (total > usable * 1.1), up_to_step(usable, HOST_STEP), total)


def least_fitted(usable: float, addressable: float) -> float:
    """The least that can be fitted where so much is usable, of what a system can address."""
    return float(likely_fitted(usable)) if at_limit(usable, 32, addressable) else usable


def limit_32(usable: Any) -> Any:
    """What a system addresses if it is a 32-bit one, which is more where it manages more."""
    return pick(usable > ADDRESSABLE_32, float(ADDRESSABLE_PAE), float(ADDRESSABLE_32))


def at_limit(usable: Any, os_bits: Any, addressable: Any) -> Any:
    """Whether a 32-bit system uses about all it can address, so that more may be fitted."""
    return (os_bits == 32) & (usable > _LIMIT_SHARE * or_else(addressable, float(ADDRESSABLE_32)))


def _may_be_at_limit(usable: Any, os_bits: Any) -> Any:
    """Whether a system whose bits are not known shows what a 32-bit one would, of 4 GB or more."""
    below = (usable > _LIMIT_SHARE * ADDRESSABLE_32) & (usable <= _SHOWN_32_MOST)
    return below & (known(os_bits) ^ True)


class Use(Struct):
    """How much of what is fitted counts: what the system shows at most, and what is kept back."""

    reach: Any
    """The most that the running system shows; NaN without a limit."""
    kept: Any
    """What firmware, graphics and the kernel keep, whatever the total."""
    frees: Any
    """Whether so much is kept back that a setting must be keeping it."""
    addressable: Any = UNKNOWN
    """What the system can address; NaN: all."""
    limit: Any = UNKNOWN
    """An absolute limit that only a setting lifts; NaN: none."""

    @property
    def shown(self) -> Any:
        """The most that is shown as things are set."""
        return minimum_of(self.reach, self.limit)

    @property
    def can_free(self) -> Any:
        """Whether a setting gives more to use."""
        return self.frees | known(self.limit)

    def usable(self, total: Any) -> Any:
        """What is usable of a total."""
        return maximum_of(minimum_of(total, self.shown) - self.kept, 0.0)

    def counted(self, total: Any) -> Any:
        """What a whole-machine figure is held against."""
        return counted(total, self.usable(total), minimum_of(self.addressable, self.limit))

    def freed(self) -> "Use":
        """The same once what a setting keeps back is free, and a limit lifted."""
        return structs.replace(self, kept=pick(self.frees, 0.0, self.kept), limit=UNKNOWN)


def use_of(have: Amounts) -> Use:
    """How memory counts on the machine as it runs."""
    full = at_limit(have.usable, have.os_bits, have.addressable) & (known(have.limit) ^ True)
    reach = pick(full, have.usable, have.addressable)
    shown = minimum_of(have.installed, minimum_of(reach, have.limit))
    kept = pick(known(have.usable) & known(have.installed), shown - have.usable, 0.0)
    kept = maximum_of(kept, 0.0)
    return Use(reach, kept, kept > (1 - MOSTLY) * shown, have.addressable, have.limit)


def counted(total: Any, usable: Any, reach: Any) -> Any:
    """What counts of memory: the least of fitted and ``reach``, where most of that is usable.

    ``reach`` is what the running system can address, and no more than an absolute limit.
    """
    least = minimum_of(total, reach)
    return pick(usable < MOSTLY * least, usable, least)


def brought_to(have: Amounts, total: Any) -> tuple[Any, Any]:
    """What is usable and available once so much is fitted: what is kept, and in use, stays."""
    use = use_of(have)
    shown = (known(have.usable) | (use.shown < total)) & known(have.installed)
    usable = pick(shown, use.usable(total), have.usable)
    before = or_else(have.usable, have.installed)
    left = have.available + pick(shown, usable, total) - before
    return usable, pick(left < 0, 0.0, left)


def use_under(now: Use, addressable: Any) -> Use:
    """How memory counts once another system runs, which can address so much (NaN: all)."""
    return Use(addressable, now.kept, now.frees, addressable, now.limit)
