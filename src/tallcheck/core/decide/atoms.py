"""Atoms: what requirements are made of, each met or not in a world for itself."""

from typing import Any

from tallcheck.core.decide.asked import SHARED_UNKNOWNS, Requirement
from tallcheck.core.decide.changes import variable
from tallcheck.core.needs.sheet import Condition

Atom = Requirement | Condition
"""What a table is made of: a requirement for itself, or a condition, which is met once it ends."""
Met = int
"""Which atoms of a cluster are met, a bit each."""


def atoms_of(ask: Requirement) -> list[Atom]:
    """What a requirement is made of."""
    return [*(one for one in ask.singles() if one.key is not None), *ask.when]


def readings_of(atom: Atom) -> frozenset[str]:
    return atom.named if isinstance(atom, Requirement) else atom.named()


def shared_by(atom: Atom, ask: Requirement) -> set[str]:
    """What an atom shares with others: readings but for the hubs, all memory as one."""
    names = {*readings_of(atom)}
    if isinstance(atom, Requirement) and atom.key is not None:
        names.add(variable(atom.key.name))
    elif ask.key is not None and ask.key.name == "memory_own":
        names.add("memory")  # what is asked for together hangs on it
    if any(name.startswith("memory.") for name in names):
        names.add("memory")
    return names - frozenset(SHARED_UNKNOWNS) or names


def by_view(atoms: list[Atom]) -> list[tuple[Requirement, list[tuple[Any, Met]]]]:
    """One requirement for all that see the same of a world, with each test and its bits."""
    found: dict[Any, tuple[Requirement, list[tuple[Any, Met]]]] = {}
    for at, atom in enumerate(atoms):
        if not isinstance(atom, Requirement) or atom.key is None:
            continue
        seen: Any = (atom.key.name, atom.named, repr(atom.beside), atom.program)
        if atom.key.name == "memory_own":
            seen = *seen, atom.nested, atom.test.limits()[-1]  # what is left to others
        tests = found.setdefault(seen, (atom, []))[1]
        same = next((n for n, (test, _) in enumerate(tests) if test == atom.test), None)
        if same is None:
            tests.append((atom.test, 1 << at))
        else:
            tests[same] = (atom.test, tests[same][1] | 1 << at)
    return list(found.values())
