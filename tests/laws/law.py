"""What a law is, and how it is tried: Hypothesis draws plain values, and shrinks what fails."""

import json
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from hypothesis import HealthCheck, Phase, given, seed, settings
from hypothesis.strategies import SearchStrategy
from msgspec import Struct

KEPT = Path(__file__).parent / "kept.jsonl"
"""What once failed, a line each: a law's name and what was drawn."""

LEAST = 10
"""Draws between two looks at the clock, at least: a draw of some laws takes seconds."""


class Law(Struct, frozen=True):
    """One law: what it says in a sentence, what it draws, and what must hold of that."""

    name: str
    says: str
    draws: SearchStrategy[Any]
    """Values of JSON, so that a line repeats what was drawn."""
    holds: Callable[[Any], None]
    """Raises where the law does not hold."""


class Tried(Struct):
    """How a law fared: how often it was tried, and what failed, as small as could be found."""

    runs: int = 0
    seconds: float = 0.0
    drawn: Any = None
    fault: BaseException | None = None

    def line(self, law: Law) -> str:
        """The line that repeats the failure."""
        return json.dumps({"law": law.name, "drawn": self.drawn})


def tried(law: Law, seconds: float, number: int, most: int = 1 << 30) -> Tried:
    """A law under fresh draws for some seconds, or so many of them."""
    found = Tried()
    start = time.perf_counter()
    while found.seconds < seconds and found.runs < most and found.fault is None:
        fit = (seconds - found.seconds) / (found.seconds / found.runs) if found.runs else 0
        count = min(max(round(fit), LEAST), 100)
        _some(law, found, number + found.runs, min(count, most - found.runs))
        found.seconds = time.perf_counter() - start
    return found


def _some(law: Law, found: Tried, number: int, count: int) -> None:
    @seed(number)
    @settings(
        max_examples=count,
        deadline=None,
        database=None,
        derandomize=False,
        phases=(Phase.generate, Phase.shrink),
        suppress_health_check=list(HealthCheck),
    )
    @given(law.draws)
    def one(drawn: Any) -> None:
        found.runs += 1
        found.drawn = drawn
        law.holds(drawn)

    try:
        one()
    except Exception as error:  # whatever it is, the law does not hold
        found.fault = error


def kept() -> list[tuple[str, Any]]:
    """The law and what was drawn, of each line that was kept."""
    lines = KEPT.read_text().splitlines() if KEPT.exists() else []
    read = (json.loads(line) for line in lines if line.strip())
    return [(one["law"], one["drawn"]) for one in read]
