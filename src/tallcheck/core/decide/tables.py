"""Truth tables as whole numbers: one bit for each combination of the values of some variables.

Each variable has a few values, by number. The bit of a combination stands where a number of as
many digits, one a variable, the first one lowest, has its value; so ``&``, ``|`` and complement
work on all combinations at once.
"""

from collections.abc import Iterable, Sequence
from math import prod


class Space:
    """All combinations of some variables, each of so many values."""

    def __init__(self, sizes: Sequence[int]) -> None:
        self.sizes = list(sizes)
        self.strides = [prod(self.sizes[:at]) for at in range(len(self.sizes))]
        self.width = prod(self.sizes)
        self.every = (1 << self.width) - 1
        """The table that is true of all combinations."""
        self._single: dict[tuple[int, int], int] = {}

    def where(self, at: int, values: Iterable[int]) -> int:
        """The table that is true where a variable has one of some values."""
        found = 0
        for value in values:
            found |= self._where(at, value)
        return found

    def _where(self, at: int, value: int) -> int:
        if (at, value) not in self._single:
            stride = self.strides[at]
            if value:
                found = self._where(at, 0) << value * stride
            else:
                found = self._repeated((1 << stride) - 1, stride * self.sizes[at])
            self._single[at, value] = found
        return self._single[at, value]

    def _repeated(self, block: int, width: int) -> int:
        """A pattern over and over, as often as it goes into the whole."""
        found = block
        while width * 2 <= self.width:
            found |= found << width
            width *= 2
        left = self.width - width  # less than what is there
        return found | (found & ((1 << left) - 1)) << width if left else found

    def moved(self, table: int, at: int, moves: Sequence[Iterable[int]]) -> int:
        """True where one of the values that a variable can move to from its own makes it true."""
        stride, low = self.strides[at], self._where(at, 0)
        slices: dict[int, int] = {}
        found = 0
        for value, reached in enumerate(moves):
            there = 0
            for other in reached:
                if other not in slices:
                    slices[other] = table >> other * stride & low
                there |= slices[other]
            found |= there << value * stride
        return found

    def bears(self, table: int, at: int, values: int) -> bool:
        """Whether the table differs between the first ``values`` of a variable."""
        stride, low = self.strides[at], self._where(at, 0)
        return len({table >> value * stride & low for value in range(values)}) > 1

    def first(self, table: int) -> list[int]:
        """The values of the first combination of which a table is true."""
        place = (table & -table).bit_length() - 1
        return [
            place // stride % size for stride, size in zip(self.strides, self.sizes, strict=True)
        ]
