"""Words with nothing between them, cut into runs that tell something."""

from collections.abc import Callable

from msgspec import Struct

from tallcheck.core.machine.readings import Told

_RUN_MOST = 6
"""Words of which a run is made, at most."""
_MODEL_MOST, _MISSED_MOST = 6, 2
"""Words that tell nothing: of a machine's model in front, and of those behind it."""


class Cut(Struct, frozen=True):
    """Words, cut into runs; ``missed`` is how many of the words tell nothing."""

    runs: list[tuple[str, list[Told]]] = []
    missed: int = 0

    def keys(self) -> set[str]:
        """What the runs tell."""
        return {one.key for _, told in self.runs for one in told}

    def behind(self, run: str, told: list[Told]) -> "Cut":
        """This behind one more run; words that tell nothing stay together."""
        runs, missed = self.runs, self.missed + (0 if told else len(run.split()))
        if not told and runs and not runs[0][1]:
            run, runs = f"{run} {runs[0][0]}", runs[1:]
        return Cut([(run, told), *runs], missed)


def _worth(cut: Cut) -> tuple[int, int, int]:
    return -cut.missed, len(cut.keys()), -len(cut.runs)


def best_cut(words: list[str], read: Callable[[str], list[Told]]) -> Cut | None:
    """The way to cut that leaves the fewest words untold, then tells most, then in fewest runs.

    None for what is no list of what a machine has: too many words tell nothing.
    """
    cuts = [Cut()]
    for start in range(len(words) - 1, -1, -1):
        best = cuts[0].behind(words[start], [])
        for end in range(start + 1, min(start + _RUN_MOST, len(words)) + 1):
            run = " ".join(words[start:end])
            if told := read(run):
                best = max(best, cuts[end - start - 1].behind(run, told), key=_worth)
        cuts.insert(0, best)
        if start >= _MODEL_MOST and min(one.missed for one in cuts[:_RUN_MOST]) > _MISSED_MOST:
            return None  # whatever stands before
    before = 0 if cuts[0].runs[0][1] else len(cuts[0].runs[0][0].split())
    listed = before <= _MODEL_MOST and cuts[0].missed - before <= _MISSED_MOST
    return cuts[0] if listed else None
