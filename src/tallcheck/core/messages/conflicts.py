"""Conflicts in words: which needs exclude one another, and which release would lift it."""

from tallcheck.core.decide.asked import Asked, Chosen, requirements_of
from tallcheck.core.decide.changes import System, with_system
from tallcheck.core.decide.decision import Conflict, Verdict
from tallcheck.core.decide.evaluation import evaluate
from tallcheck.core.jobs.check import HERE
from tallcheck.core.messages.rows import key_name, need_text
from tallcheck.core.messages.values import listed
from tallcheck.core.needs.key import OneOf
from tallcheck.core.needs.sheet import Release, needs_at
from tallcheck.core.needs.system import WANTED
from tallcheck.core.values.comparison import AT_MOST, EXACTLY, Bound
from tallcheck.core.values.quantities import parse_version


def conflict_text(conflict: Conflict, verdict: Verdict, against: tuple[Chosen, ...]) -> str:
    """One conflict as a sentence without its full stop."""
    between = conflict.between
    wanted = [one for one in between if one.need.key == WANTED.name]
    others = [one for one in between if one.need.key != WANTED.name]
    if len(wanted) > 1 and not others:
        return f"{' and '.join(one.source for one in wanted)} cannot both be installed"
    if verdict.system is not None and others and all(_of_system(one) for one in others):
        return "; ".join(_against_system(one, verdict, against) for one in others)
    here = [
        f"{key_name(one.need.key)} ({need_text(one.need)})" for one in others if one.source == HERE
    ]
    texts = [f"{listed(here)} {'is' if len(here) == 1 else 'are'} asked for"] if here else []
    texts += [f"{one.source} asks for {_asked(one)}" for one in others if one.source != HERE]
    texts += [f"{one.source} is to be installed" for one in wanted]
    count = len(others) + len(wanted)
    if count == 1:
        return f"{texts[0]}, which no change and no other machine meets"
    whole = f"{' and '.join(texts)}: no machine meets {'both' if count == 2 else 'all of it'}"
    own = [one.chosen for one in others if one.chosen is not None]
    return f"{whole}; {_what_gives(own[0], verdict, System(64))}" if own else whole


def _asked(one: Asked) -> str:
    return f"{one.need.key} {need_text(one.need)}"


def _of_system(one: Asked) -> bool:
    return one.need.key in ("os", "os_bits", "architecture", "processor_bits")


def _against_system(one: Asked, verdict: Verdict, against: tuple[Chosen, ...]) -> str:
    """A program that the wanted system would break, and what would lift it."""
    system = verdict.system
    assert system is not None
    own = ", which is installed here," if one.unseen else ""
    kind = f"a {system.bits}-bit system" if system.bits else "a system"
    chosen = one.chosen or next((c for c in against if c.label == one.source), None)
    lift = f": {_what_gives(chosen, verdict, system)}" if chosen is not None else ""
    return f"{one.source}{own} {_runs(one)}, and {system.wanted} is {kind}{lift}"


def _runs(one: Asked) -> str:
    test = one.need.test
    if one.need.key == "os_bits" and isinstance(test, Bound) and test.op in (EXACTLY, AT_MOST):
        return f"runs under {test.limit}-bit systems only"
    if one.need.key == "os":
        return f"runs under {need_text(one.need)}"
    if isinstance(test, OneOf):
        return f"is built for {need_text(one.need)}"
    return f"asks for {_asked(one)}"


def _what_gives(chosen: Chosen, verdict: Verdict, system: System) -> str:
    world = with_system(verdict.world, system)
    fitting = [
        one.name
        for one in chosen.sheet.releases
        if one is not chosen.release
        and needs_at(one, "minimum") is not None
        and _taken(one, chosen, world)
    ]
    if fitting:
        return f"{chosen.sheet.title} {max(fitting, key=_version)} would lift it"
    return f"no release of {chosen.sheet.title} that is known would lift it"


def _taken(release: Release, chosen: Chosen, world: dict[str, object]) -> bool:
    asked = [
        Asked(need, chosen.label, "minimum", chosen.sheet.kind)
        for need in release.minimum or ()
        if need.key in ("os", "os_bits", "architecture") and not need.when
    ]
    return all(evaluate(ask, world).status != "short" for ask in requirements_of(asked))


def _version(name: str) -> tuple[int, ...]:
    try:
        return parse_version(name)
    except ValueError:
        return ()
