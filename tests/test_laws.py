"""The laws over generated things: what once failed, and some draws of each."""

import threading
from collections.abc import Callable

import pytest

from tests.laws import LAWS
from tests.laws.law import LEAST, Law, kept, tried

BY_NAME = {law.name: law for law in LAWS}


def _deep(what: Callable[[], None]) -> None:
    """Run something on a thread with a large stack, for the matcher that counts goes deep."""
    faults: list[BaseException] = []

    def run() -> None:
        try:
            what()
        except BaseException as error:
            faults.append(error)

    before = threading.stack_size(256 << 20)
    thread = threading.Thread(target=run)
    thread.start()
    threading.stack_size(before)
    thread.join()
    if faults:
        raise faults[0]


@pytest.mark.parametrize("at", range(len(kept())))
def test_what_once_failed_holds(at: int) -> None:
    name, drawn = kept()[at]
    _deep(lambda: BY_NAME[name].holds(drawn))


@pytest.mark.parametrize("law", LAWS, ids=lambda law: law.name)
def test_each_law_holds_for_some_draws(law: Law) -> None:
    def some() -> None:
        found = tried(law, 10, 1, 100)
        assert found.runs >= LEAST
        if found.fault is not None:
            raise AssertionError(found.line(law)) from found.fault

    _deep(some)
