"""Words with nothing between them, cut into runs that tell something."""

from collections.abc import Callable

from msgspec import Struct

from tallcheck.core.machine.readings import Told

_RUN_MOST = 6
"""Words of which a run is made, at most."""


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


def best_cut(words: list[str], read: Callable[[str], list[Told]]) -> Cut:
    """The way to cut that leaves the fewest words untold, then tells most, then in fewest runs."""
    cuts = [Cut()]
    for start in range(len(words) - 1, -1, -1):
        best = cuts[0].behind(words[start], [])
        for end in range(start + 1, min(start + _RUN_MOST, len(words)) + 1):
            run = " ".join(words[start:end])
            if told := read(run):
                best = max(best, cuts[end - start - 1].behind(run, told), key=_worth)
        cuts.insert(0, best)
    return cuts[0]
