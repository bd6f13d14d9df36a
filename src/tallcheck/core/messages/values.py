"""Values as people read them, each kind with its unit, and reasons of the board."""

import re
from functools import partial
from typing import Any

from tallcheck.core.board.account import Why
from tallcheck.core.jobs.check import Support
from tallcheck.core.machine.entries import ENTRIES
from tallcheck.core.machine.readings import Told, kind_of, label_of
from tallcheck.core.values import quantities as q
from tallcheck.core.values.comparison import Bound
from tallcheck.core.values.kinds import KINDS
from tallcheck.core.values.quantities import format_memory


def show_value(kind: str, value: Any) -> str:
    """A value of a kind, with its unit; what has no unit as it is."""
    return KINDS[kind].show(value)


def bound_text(kind: str, bound: Bound) -> str:
    """What a bound asks for."""
    return bound.text(KINDS[kind].show)


def apart(kind: str, bound: Bound, value: Any) -> tuple[str, str]:
    """Need and have as text, with more digits where the usual ones would look the same."""
    need, have = bound_text(kind, bound), show_value(kind, value)
    if need == have and value != bound.limit and KINDS[kind].fine:
        return bound.text(partial(finely, kind)), finely(kind, value)
    return need, have


def finely(kind: str, value: Any, digits: int | None = None) -> str:
    """A value with more digits than the usual ones, where its kind has such."""
    entry = KINDS[kind]
    return entry.show(value) if entry.fine is None else entry.fine(value, digits or entry.digits)


_TOLD = {
    "extra.os_edition": "edition {}", "extra.os_release": "release {}",
    "extra.os_build": "build {}",
}  # fmt: skip


def told_text(told: Told) -> str:
    """A told reading as it was understood: ``8 GB fitted``."""
    kind, value = kind_of(told.key), told.value
    if isinstance(value, list):
        shown = " ".join(map(str, value)) if kind == "sets" else f"{len(value)} listed"
        return f"{label_of(told.key)}: {shown}"
    text = finely(kind, value, 2)
    form = ENTRIES[told.key].told if told.key in ENTRIES else _TOLD.get(told.key, "")
    if form:
        return form.format(text)
    return f"{label_of(told.key)} {text}"


def total_text(total: int) -> str:
    """A total to build, to the step in which a host gives memory: ``8 GB``, ``4.25 GB``."""
    return q.format_memory(total, 3)


def listed(words: list[str], joint: str = "and") -> str:
    """``a``, ``a and b``, ``a, b and c``."""
    return f" {joint} ".join(", ".join(words).rsplit(", ", 1)) if words else ""


def count_text(count: int, what: str) -> str:
    """``1 machine``, ``3 machines``."""
    return f"{count} {what}{'' if count == 1 else 's'}"


def capital(text: str) -> str:
    """The text as a sentence begins."""
    return text[:1].upper() + text[1:]


_RANGES = {">=": "{} or later", "<=": "{} or earlier", ">": "later than {}", "<": "before {}",
           "==": "{}", "!=": "not {}"}  # fmt: skip


def range_text(span: str) -> str:
    """A range of versions as people say it: ``>=9`` is ``9 or later``."""
    parts = [re.fullmatch(r"(>=|<=|==|!=|>|<)\s*([\w.]+)", one.strip()) for one in span.split(",")]
    if not all(parts):
        return span
    return " and ".join(_RANGES[one[1]].format(one[2]) for one in parts if one is not None)


def with_article(label: str) -> str:
    """A label in a sentence: what is of something, or the most of its kind, has an article."""
    genitive = "'s " in label or " of " in f" {label}" or label.startswith("most ")
    return f"the {label}" if genitive else label


def span(days: int) -> str:
    """Days in words that fit their number."""
    if days < 60:
        return f"{days} {'day' if days == 1 else 'days'}"
    months = round(days / 30.44)
    if months < 24:
        return f"{months} months"
    years, rest = divmod(months, 12)
    return f"{years} years" + (f" {rest} months" if rest else "")


def support_text(one: Support) -> str:
    """``Merrow 9, which runs now, is supported until 2028-01-31 (14 months from now)``."""
    which = f"{one.release}, which runs now," if one.running else one.release
    if one.days_left < 0:
        return f"{which} has had no support since {one.ends} ({span(-one.days_left)})"
    return f"{which} is supported until {one.ends} ({span(one.days_left)} from now)"


_REASONS = {
    "ceiling": "the board takes {} at most",
    "system": "the running {}system addresses {} at most",
    "processor": "a 32-bit processor addresses 4 GB at most",
    "soldered": "its memory is soldered and no position is free",
    "no position": "it has no position for a module",
    "no stock": "none is in stock",
    "no price": "its price is not known",
    "board type unknown": "the type of memory that the board takes is not known",
    "type unknown": "the list does not say its type",
    "type": "{}, and the board takes {}",
    "form": "{}, and the board takes {}",
    "position": "a position takes {} at most",
    "not registered": "not said to be registered, and what is fitted is",
    "registered": "registered, and what is fitted {}",
    "not load-reduced": "not said to be load-reduced (LRDIMM), and what is fitted is",
    "load-reduced": "load-reduced (LRDIMM), and what is fitted {}",
    "not ECC": "not said to be ECC, and what is fitted is",
    "ECC": "ECC, and what is fitted {}",
}


def reason_text(why: Why) -> str:
    """A reason in words."""
    values = list(why.values)
    if why.what in ("ceiling", "position"):
        return _REASONS[why.what].format(format_memory(values[-1]))
    if why.what == "system":
        bits = f"{values[0]}-bit " if values[0] else ""
        return _REASONS["system"].format(bits, format_memory(values[1]))
    if why.what == "form":
        return _REASONS["form"].format(values[0] or "of unknown form", values[1])
    if why.what in ("registered", "load-reduced", "ECC"):
        return _REASONS[why.what].format(
            "is not" if values[0] is False else "is not known to be"
        )  # fmt: skip
    return _REASONS[why.what].format(*values)
