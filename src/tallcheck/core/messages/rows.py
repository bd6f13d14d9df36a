"""Rows in words: what is asked, what is there, and what people commonly misread in it."""

from collections.abc import Callable
from typing import Any

from tallcheck.core.decide.asked import Requirement
from tallcheck.core.decide.decision import Row
from tallcheck.core.decide.evaluation import Answer
from tallcheck.core.machine.normalized import World
from tallcheck.core.messages.values import apart, bound_text, range_text, show_value
from tallcheck.core.needs.key import (
    AllSets,
    ExtraKeys,
    Generations,
    Interfaces,
    Named,
    OneOf,
)
from tallcheck.core.needs.keys import KEYS
from tallcheck.core.needs.sheet import Need
from tallcheck.core.values import quantities as q
from tallcheck.core.values.comparison import AT_LEAST, EXACTLY, Bound

_FEW = 3  # sets or words that are named one by one


def key_name(key: str) -> str:
    """What a key is called in a sentence; several keys of one row are joined by "or"."""
    parts = key.split(" or ")
    return " or ".join(KEYS[part].label if part in KEYS else part for part in parts)


def need_text(need: Need) -> str:
    """What a need asks for."""
    test = need.test
    if isinstance(test, Bound):
        text = bound_text(KEYS[need.key].kind, test)
        only = test.op == EXACTLY and need.key == "os_bits"
        return f"{show_value('bits', test.limit)} only" if only else text
    if isinstance(test, OneOf):
        joined = " or ".join(test.words[:_FEW]) + (" or …" if len(test.words) > _FEW else "")
        return f"not {joined}" if test.refused else joined
    if isinstance(test, AllSets):
        return ", ".join(test.names)
    if isinstance(test, Generations):
        names = {line: "other line" if line == "*" else line for line in test.lines}
        return ", ".join(
            f"no {names[line]}" if number is None else f"{names[line]} {number}"
            for line, number in test.lines.items()
        )
    if isinstance(test, Named):
        named = (f"{name} {range_text(span)}".strip() for name, span in test.names)
        return (", " if test.every else " or ").join(named)
    if isinstance(test, Interfaces):
        return ", ".join(f"{name} {version}" for name, version in test.versions.items())
    if isinstance(test, ExtraKeys):
        return ", ".join(f"{key}: {value}" for key, value in test.values.items())
    return " or ".join(
        " and ".join(f"{n.key} {need_text(n)}" for n in one) for one in need.alternatives
    )


def need_value(need: Need) -> Any:
    """What a need asks for, as JSON has it: a number or a list where it is one, else text."""
    test = need.test
    if isinstance(test, Bound):
        plain = test.op == AT_LEAST and isinstance(test.limit, int | float)
        return test.limit if plain and KEYS[need.key].kind != "ability" else need_text(need)
    if isinstance(test, AllSets):
        return list(test.names)
    if isinstance(test, OneOf) and not test.refused:
        return list(test.words)
    return need_text(need)


def row_need_text(row: Row) -> str:
    """What a row's need asks for, with more digits where have and need would look the same."""
    need, have = row.ask.asked.need, row.answer.evaluation.have
    test = need.test
    if isinstance(test, Bound) and test.op != EXACTLY and isinstance(have, int | float):
        return apart(KEYS[need.key].kind, test, have)[0]
    return need_text(need)


def have_value(row: Row) -> Any:
    """What a row found, as JSON has it."""
    have = row.answer.evaluation.have
    if row.status == "unknown" and row.key != "memory":
        have = have if isinstance(have, list) else None
    if isinstance(have, tuple):
        return have_text_of(row.ask, row.answer, {})
    return have


def have_text(row: Row, world: World) -> str:
    """What a row found."""
    if row.ask.asked.need.incomparable:
        return "not comparable"
    return have_text_of(row.ask, row.answer, world)


def have_text_of(ask: Requirement, answer: Answer, world: World) -> str:
    """What holding a need found, in words."""
    if ask.tables:
        table = ask.tables[answer.table]
        pairs = zip(table, answer.parts, strict=True)
        return "; ".join(have_text_of(one, part, world) for one, part in pairs)
    if ask.key is None:
        return "unknown"
    maker = _HAVE.get(ask.key.name)
    if maker is not None:
        return maker(answer, world)
    evaluation = answer.evaluation
    if (
        isinstance(evaluation.detail, tuple)
        and evaluation.detail
        and evaluation.detail[0] == "range"
    ):
        _, least, most = evaluation.detail
        edge = f"at least {show_value(ask.key.kind, least)}"
        if most < float("inf") and (evaluation.have != least or answer.status == "short"):
            edge = f"at most {show_value(ask.key.kind, most)}"
        return edge
    if evaluation.have is None:
        return "unknown"
    if evaluation.have == "able" and answer.status == "short":
        return "off"
    if isinstance(ask.test, Bound) and isinstance(evaluation.have, int | float):
        return apart(ask.key.kind, ask.test, evaluation.have)[1]
    return show_value(ask.key.kind, evaluation.have)


def _memory(answer: Answer, world: World) -> str:
    have = answer.evaluation.have
    if have is None:
        return "unknown"
    if answer.evaluation.detail[0] is None:
        return f"{q.format_memory(have)} or more"
    return q.format_memory(have)


def _known(show: Callable[[Any], str]) -> Callable[[Answer, World], str]:
    """What shows a figure where there is one."""
    return lambda answer, _: (
        "unknown" if answer.evaluation.have is None else show(answer.evaluation.have)
    )


def _sets(answer: Answer, world: World) -> str:
    found = answer.evaluation.detail
    if found is None:
        return "unknown"
    if answer.status == "short":
        missing = [f"no {name}" for name in dict.fromkeys(found.absent)]
        hidden = [f"{name} hidden" for name in dict.fromkeys(found.hidden)]
        return ", ".join(missing + hidden)
    if answer.status == "unknown":
        unknown = list(dict.fromkeys(found.unknown))
        return ", ".join(f"{one}?" for one in unknown) if len(unknown) <= _FEW else "unknown"
    have = answer.evaluation.have
    return ", ".join(have) if len(have) <= _FEW else "all there"


def _generation(answer: Answer, world: World) -> str:
    line = world.get("processor.line")
    if line is None:
        return "unknown"
    if answer.evaluation.detail == "not taken":
        return f"{line}, which is not taken"
    have = answer.evaluation.have
    return f"{line}, generation {have if have is not None else 'unknown'}"


def _system(answer: Answer, world: World) -> str:
    if answer.evaluation.have is None:
        return "unknown"
    name, version = answer.evaluation.have
    return f"{name} {version or '(version unknown)'}"


def _software(answer: Answer, world: World) -> str:
    if answer.status == "met":
        return "all there"
    detail = answer.evaluation.detail
    if not detail:
        return "unknown"
    if answer.status == "unknown":
        return f"not known: {', '.join(detail)}"
    return ", ".join(
        " ".join([name, *filter(None, versions)]) if any(versions) else f"no {name}"
        for name, versions in detail.items()
    )


def _graphics(answer: Answer, world: World) -> str:
    if answer.status == "short":
        lacks = answer.evaluation.detail
        return f"no {', '.join(lacks)}" if lacks else "none"
    return "all there" if answer.status == "met" else "unknown"


def _extra(answer: Answer, world: World) -> str:
    if answer.status == "short":
        return ", ".join(f"{key}: {value}" for key, value in answer.evaluation.detail.items())
    return "as asked" if answer.status == "met" else "unknown"


_HAVE = {
    "memory": _memory, "memory_own": _known(lambda have: f"{q.format_memory(have)} of room"),
    "memory_use": _known(q.format_share), "cores_use": _known("{:.1f}".format),
    "instructions": _sets, "generation": _generation, "os": _system, "software": _software,
    "graphics": _graphics, "extra": _extra,
    "security_module": _known(lambda have: have if have == q.OFF else show_value("version", have)),
}  # fmt: skip
