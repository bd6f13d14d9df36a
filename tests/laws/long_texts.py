"""Twice the text is never much more than twice the work, whoever reads it and whatever it is of."""

import functools
import gc
from collections.abc import Callable
from contextlib import suppress
from typing import Any

from hypothesis import strategies as st

import tallcheck.files  # noqa: F401  the vocabulary is read by it
from tallcheck.cli.inputs import needs_of
from tallcheck.core.machine.readings import keys
from tallcheck.core.needs.keys import KEYS
from tallcheck.core.text.lexicon import lexicon_of
from tallcheck.core.text.page import read_page
from tallcheck.core.text.pasted import read_lines
from tallcheck.core.text.said import parse_told, read_said
from tallcheck.core.values.errors import InputError
from tests.helpers import VOCABULARY
from tests.laws.law import Law
from tests.laws.work import TooMuchError, counted

KINDS = {
    "space": " ",
    "tab": "\t",
    "digit": "1",
    "dot": ".",
    "dash": "-",
    "comma": ",",
    "slash": "/",
    "open": "(",
    "close": ")",
    "quote": '"',
    "letter": "a",
    "capital": "A",
    "mark": "\u00ae",
    "sign": "=",
    "bracket": "[",
    "colon": ":",
    "x": "x",
    "plus": "+",
    "semicolon": ";",
    "bar": "|",
    "star": "*",
}
READERS: dict[str, Callable[[str], Any]] = {
    **{f"have {key}": functools.partial(read_said, key, vocabulary=VOCABULARY) for key in keys()},
    **{f"need {key}": lambda text, key=key: needs_of(f"{key}={text}") for key in KEYS},  # type: ignore[misc]
    "told": lambda text: parse_told(text, VOCABULARY),
    "pasted": lambda text: read_lines(text, VOCABULARY),
    "pasted label": lambda text: read_lines("CPU: " + text, VOCABULARY),
    "page": lambda text: read_page(text, True, VOCABULARY),
    "page label": lambda text: read_page("Memory: " + text, False, VOCABULARY),
}
LENGTH = 80
RATIO_MOST, TRIVIAL, ABSURD = 2.7, 12_000, 20_000_000
"""Work twice the length may be, work that is too little to tell, and work that is a hang."""


def work_of(reader: str, text: str) -> int:
    """The counted work of reading a text, as if it were the first."""
    for one in _remembering():
        one.cache_clear()
    with counted(ABSURD) as work, suppress(InputError, TooMuchError):
        READERS[reader](text)
    return work.steps


@functools.cache
def _remembering() -> list[Any]:
    for read in READERS.values():
        with suppress(InputError):
            read("8 GB")  # what it needs is imported by now
    return [
        one
        for one in gc.get_objects()
        if isinstance(one, functools._lru_cache_wrapper)
        and (getattr(one, "__module__", "") or "").startswith("tallcheck")
        and one is not lexicon_of  # which is put in order once, whatever is read
    ]


def _text(drawn: dict[str, Any], length: int) -> str:
    run = "".join(KINDS[kind] for kind in drawn["kinds"])
    return str(drawn["before"] + run * (length // len(run)) + drawn["behind"])


def _holds(drawn: dict[str, Any]) -> None:
    half, whole = (work_of(drawn["reader"], _text(drawn, many * LENGTH)) for many in (1, 2))
    assert whole < ABSURD, f"{whole:,} steps"
    assert whole <= max(RATIO_MOST * half, TRIVIAL), f"{half:,} steps, and {whole:,} for twice"


LONG_TEXTS = Law(
    "long texts",
    "Twice a run of some characters is at most about twice the work, whoever reads it.",
    st.fixed_dictionaries(
        {
            "reader": st.sampled_from(sorted(READERS)),
            "kinds": st.lists(st.sampled_from(sorted(KINDS)), min_size=1, max_size=3, unique=True),
            "before": st.sampled_from(["", "8 ", "i5-", "Merrow 10 "]),
            "behind": st.sampled_from(["", "x", " GB"]),
        }
    ),
    _holds,
)
