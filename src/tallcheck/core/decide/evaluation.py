"""Needs held against a world: met, short, unknown, or not asked of this machine at all."""

from collections.abc import Iterable

from msgspec import Struct

from tallcheck.core.decide.asked import Requirement
from tallcheck.core.machine.normalized import World
from tallcheck.core.needs.key import Evaluation, View

ABSENT = "absent"


class Answer(Struct):
    """One need held against one world; ``status`` is ABSENT where it does not hold there.

    ``missing`` are the unknown readings that it rests on; of a short need with several tables those
    on which it rests whether a change could meet one of them.
    """

    status: str
    evaluation: Evaluation
    missing: tuple[str, ...] = ()
    parts: tuple["Answer", ...] = ()
    """Of a need with several tables: the answers of the one that counts."""
    table: int = -1

    @property
    def passes(self) -> bool:
        """Whether nothing is left to do about it."""
        return self.status == ABSENT or passes(self)


def passes(found: Answer | Evaluation) -> bool:
    """Whether nothing is left to do: met, or what no reading can tell."""
    return found.status == "met" or (found.status == "unknown" and not found.missing)


_NOT_EVALUATED = Evaluation("unknown")


def view_of(ask: Requirement, world: World, own: int) -> View:
    """What an ask sees of a world; ``own`` is what all programs want for themselves."""
    others = own
    if not ask.nested and ask.key is not None and ask.key.name == "memory_own":
        others -= ask.test.limits()[-1]
    return View(world, ask.named, others, ask.beside, ask.program)


def evaluate(ask: Requirement, world: World, own: int = 0) -> Answer:
    """One need held against a world."""
    unsure: list[str] = []
    for condition in ask.when:
        holds, missing = condition.holds(View(world, condition.named()))
        if holds is False:
            return Answer(ABSENT, _NOT_EVALUATED)
        if holds is None:
            unsure += missing
    if ask.tables:
        answer = _evaluate_tables(ask, world, own)
    elif ask.key is None:
        return Answer("unknown", _NOT_EVALUATED)
    else:
        answer = evaluate_single(ask, world, own)
    if unsure and answer.status != "met":
        return Answer(
            "unknown", answer.evaluation, (*unsure, *answer.missing), answer.parts, answer.table
        )
    return answer


def evaluate_single(ask: Requirement, world: World, own: int) -> Answer:
    """One need on one key, whatever it holds under."""
    assert ask.key is not None
    evaluation = ask.key.evaluate(ask.test, view_of(ask, world, own))
    return Answer(evaluation.status, evaluation, evaluation.missing)


def _evaluate_tables(ask: Requirement, world: World, own: int) -> Answer:
    """At least one of several tables: the first that is met, or the one nearest to it."""
    tables = [tuple(evaluate(one, world, own) for one in table) for table in ask.tables]
    statuses = [_of_all(table) for table in tables]
    if "met" in statuses:
        at = statuses.index("met")
        status = "met"
    else:
        status = "unknown" if "unknown" in statuses else "short"
        at = statuses.index(status)
    missing: Iterable[str] = ()
    if status != "met":
        missing = (key for table in tables for answer in table for key in answer.missing)
    parts = tables[at]
    worked = tuple(key for one in parts for key in one.evaluation.worked_out)
    ratio = {"met": 1.0, "short": 0.0}.get(status)
    evaluation = Evaluation(status, None, ratio, parts[0].evaluation.reading, (), worked)  # type: ignore[arg-type]
    return Answer(status, evaluation, tuple(dict.fromkeys(missing)), parts, at)


def _of_all(answers: tuple[Answer, ...]) -> str:
    statuses = {answer.status for answer in answers}
    return "short" if "short" in statuses else ("unknown" if "unknown" in statuses else "met")


def own_memory(asks: list[Requirement], world: World) -> int:
    """What all programs want for themselves, added up, in bytes; of those that ask here."""
    return sum(
        ask.test.limits()[-1]
        for ask in asks
        if ask.key is not None
        and ask.key.name == "memory_own"
        and all(
            condition.holds(View(world, condition.named()))[0] is not False
            for condition in ask.when
        )
    )


def _own_alone(asks: list[Requirement]) -> int:
    one = asks[0]
    return one.test.limits()[-1] if one.key is not None and one.key.name == "memory_own" else 0


def evaluate_all(asks: list[Requirement], world: World) -> list[Answer]:
    """Needs that share readings, held together."""
    own = own_memory(asks, world) if len(asks) > 1 else _own_alone(asks)
    return [evaluate(ask, world, own) for ask in asks]
