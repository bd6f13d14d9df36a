"""The one kind of error that bad input raises, in any room."""


class InputError(ValueError):
    """An input that cannot be used: where it was, what was found, what was expected.

    ``where`` is a key or a line; the reader of a file puts the file's name before it.
    """

    def __init__(self, found: str, expected: str = "", where: str = "") -> None:
        self.found = found
        self.expected = expected
        self.where = where
        super().__init__(str(self))

    def at(self, place: str) -> "InputError":
        """The same error with ``place`` (a file, a key) put before where it was."""
        where = f"{place}: {self.where}" if self.where else place
        return InputError(self.found, self.expected, where)

    def __str__(self) -> str:
        where, found = _short(self.where), _short(self.found)
        text = f"{where}: {found}" if where else found
        return f"{text}; expected {self.expected}" if self.expected else text


_PART_MOST = 400
"""Characters of each part of an error that are shown."""


def _short(text: str) -> str:
    return text if len(text) <= _PART_MOST else f"{text[:_PART_MOST]}…"


def closest(word: str, known: list[str]) -> str | None:
    """The known word most like ``word``, if any is."""
    from difflib import get_close_matches

    return next(iter(get_close_matches(word, known, n=1, cutoff=0.5)), None)


def nearest(word: str, known: list[str]) -> str:
    """``", nearest known: 'x'"`` for the known word most like ``word``, or nothing."""
    close = closest(word, known)
    return "" if close is None else f", nearest known: '{close}'"
