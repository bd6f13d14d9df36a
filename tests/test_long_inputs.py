"""Long inputs cost in proportion to their length: twice as much is never three times the work."""

import functools
import gc
import time
from collections.abc import Callable
from contextlib import suppress

import pytest

from tallcheck.core.text.page import read_page
from tallcheck.core.text.pasted import read_lines
from tallcheck.core.text.said import read_said
from tallcheck.core.values.errors import InputError
from tests.helpers import VOCABULARY

RATIO_MOST = 3.0
LENGTH = 50_000
TRIVIAL = 0.03
"""Seconds under which a clock tells more of itself than of the work."""

Case = tuple[Callable[[str], object], Callable[[int], str]]


def _page(text: str) -> object:
    return read_page(text, True, VOCABULARY)


def _lines(text: str) -> object:
    return read_lines(text, VOCABULARY)


def _said(key: str) -> Callable[[str], object]:
    return lambda text: read_said(key, text, VOCABULARY)


CASES: dict[str, Case] = {
    "processors": (_lines, lambda n: "CPU: Osier Wand S5 214 CPU @ 2.10GHz\n" * (n // 37)),
    "different": (_lines, lambda n: "".join(f"CPU: Osier S5 {i}\n" for i in range(n // 18))),
    "labels": (_lines, lambda n: "Memory: 8 GB\n" * (n // 13)),
    "one line": (_lines, lambda n: "memory: " + "8 " * (n // 2)),
    "no end": (_lines, lambda n: "a" * n),
    "page": (_page, lambda n: "Memory: 4 GB RAM or more\n" * (n // 25)),
    "page of one line": (_page, lambda n: "4 GB or " * (n // 8)),
    "positions": (_said("memory.modules"), lambda n: "8GB," * (n // 4)),
    "kits": (_said("memory.installed"), lambda n: "2x4GB+" * (n // 6)),
    "brackets": (_said("processor.name"), lambda n: "(" * n),
    "sets": (_said("processor.instructions"), lambda n: "AVX2 " * (n // 5)),
    "system": (_said("system.os"), lambda n: "Merrow 10 " * (n // 10)),
    "drive": (_said("storage.drive"), lambda n: "256 GB free " * (n // 12)),
    "programs": (_said("software"), lambda n: "Fernfolio 4; " * (n // 13)),
    "marks": (_said("memory.installed"), lambda n: "1.000." * (n // 6)),
}  # fmt: skip


def _seconds(read: Callable[[str], object], text: str) -> float:
    """The lesser of two runs, in seconds of this process, each as if it were the first."""
    remembering = [one for one in gc.get_objects() if isinstance(one, functools._lru_cache_wrapper)]
    found = []
    gc.disable()  # what other tests left lying about is not looked over here
    try:
        for _ in range(2):
            for one in remembering:
                one.cache_clear()
            start = time.process_time()
            with suppress(InputError):
                read(text)
            found.append(time.process_time() - start)
    finally:
        gc.enable()
    return min(found)


def _growth(read: Callable[[str], object], make: Callable[[int], str]) -> float:
    """How many times the work twice the length is; 1 where it is too little to tell."""
    whole = _seconds(read, make(LENGTH))
    return whole / _seconds(read, make(LENGTH // 2)) if whole > TRIVIAL else 1.0


@pytest.mark.parametrize("name", CASES)
def test_twice_the_length_is_not_three_times_the_work(name: str) -> None:
    # what else the machine does may spoil a ratio, but not each of three
    assert any(_growth(*CASES[name]) < RATIO_MOST for _ in range(3))
