"""The note for the person whose machine it is: plain words, and no command of ours."""

from tallcheck.core.decide.decision import Verdict
from tallcheck.core.decide.fixes import Fix
from tallcheck.core.jobs.check import Check
from tallcheck.core.machine.entries import ENTRIES
from tallcheck.core.machine.readings import TOLD_BY_NAME, label_of
from tallcheck.core.messages.conditions import before_buying, conditions_of, look_ups
from tallcheck.core.messages.fixes import fix_text
from tallcheck.core.messages.hints import read_out
from tallcheck.core.messages.plans import shopping_text
from tallcheck.core.messages.sentence import (
    because,
    conflict_texts,
    newest_that_runs,
    short_in_use,
    wanted_text,
    why_replace,
)
from tallcheck.core.messages.values import capital, listed, total_text, with_article
from tallcheck.core.values.money import format_money
from tallcheck.core.values.quantities import format_memory
from tallcheck.core.values.text import printable

_NEXT = {
    "ready": "Nothing has to be bought or changed.",
    "memory-alone": "What happens next: we look for memory that fits, and put it in.",
    "memory-plus": "What happens next: we work out what the changes cost, and ask you before "
    "anything is ordered.",
    "not-memory": "What happens next: we look into what can be changed, and come back to you.",
    "replace": "What happens next: we talk with you about another computer.",
    "undecided": "What happens next: once we know that, we look again.",
}
_VIRTUAL = "What happens next: we change its settings; nothing has to be bought."
_FIXES = {
    "machine": "a newer computer",
    "processor": "a newer processor",
    "graphics": "another graphics card",
}
"""Fixes that have plainer words for whose machine it is than their own."""


def note(results: list[Check]) -> str:
    """A short text: what was checked, the answer, what it rests on, what happens next."""
    result = results[0]
    name = result.machine.name
    decision = result.verdict.decision
    wanted = wanted_text(result)
    lines = [f"We checked whether your computer ({name}) can run {wanted}.", ""]
    lines += [_answer(result), ""]
    if result.would_install:
        lines += [f"As it is, {wanted} would install, without its publisher's support.", ""]
    if len(results) > 1:
        lines += [newest_that_runs(results), ""]
    lines += _rests(result)
    asked = list(decision.find_out)
    if "processor.name" in asked:  # which often tells these as well
        asked = [key for key in asked if key not in TOLD_BY_NAME]
    questions = [_question(key, result) for key in asked[:_ASKED_MOST]]
    if questions:
        lines += ["Could you find this out?", *questions, ""]
    virtual = result.verdict.world.get("system.virtual") and decision.answer in (
        "memory-alone", "memory-plus", "not-memory",
    )  # fmt: skip
    lines.append(_VIRTUAL if virtual else _planned(result) or _NEXT[decision.answer])
    return "".join(f"{printable(line)}\n" for line in lines)


_ASKED_MOST = 3
"""Readings that one note asks for."""


def _question(key: str, result: Check) -> str:
    """What to find out, and where that stands on the person's own system."""
    system, label = result.machine.system.os, capital(with_article(label_of(key)))
    how = read_out(key, system)
    if "`" in how:
        return f"- {label}."
    if not system and "windows" in ENTRIES[key].ask:
        how = f"on Windows, {how[:1].lower()}{how[1:]}"
    return f"- {label}: {how}" + ("" if how[-1] in ".?" else ".")


def _rests(result: Check) -> list[str]:
    """What the answer rests on; what we look up ourselves is one sentence."""
    found = look_ups(result.verdict)
    own = before_buying(found)
    texts = conditions_of(result)
    rest = [f"- {text}" for text in texts if text not in own]
    lines = ["We assume, as far as we know so far:", *rest, ""] if rest else []
    if found:
        lines += [f"Before anything is bought, we look up: {'; '.join(found)}.", ""]
    return lines


def _planned(result: Check) -> str:
    """What is bought and done, where a list has it; nothing else."""
    found = result.plan
    if found is None or found.plan is None or found.board is None or not found.listed:
        return ""
    if result.verdict.decision.answer != "memory-alone":
        return ""
    cost = found.plan.cost
    price = "" if not cost else f" for {format_money(cost, found.currency)}"
    get = "put in" if cost == 0 else "buy and put in"
    what = shopping_text(found.plan, found.board, True)
    return f"What happens next: we {get} {what}{price}."


def _answer(result: Check) -> str:
    verdict = result.verdict
    decision = verdict.decision
    memory = "more memory"
    if decision.target_memory is not None:
        memory = f"more memory ({total_text(decision.target_memory)} in all)"
    others = [_fix(one, verdict) for one in decision.fixes if one.kind != "memory"]
    short = [row for row in verdict.rows if row.status == "short"]
    if decision.conflicts:
        return f"Not as things are: {conflict_texts(result)[0]}."
    in_use = " In use, though, its memory is short." if short_in_use(result) else ""
    if decision.answer == "ready":
        return f"Yes. It meets everything that is asked for, just as it is.{in_use}"
    if decision.answer == "memory-alone":
        fitted = verdict.world.get("memory.installed")
        now = "" if fitted is None else f" It has {format_memory(fitted)} now."
        return f"Yes, with {memory}.{now} Nothing else has to change."
    if decision.answer == "memory-plus":
        return f"Not yet. What it needs: {memory}, and also {listed(others)}."
    if decision.answer == "not-memory":
        return (
            f"Not yet, and more memory would not help: {because(short, verdict, plain=True)}. "
            f"What it needs: {listed(others)}.{_memory_enough(verdict)}"
        )
    if decision.answer == "replace":
        why = f"{why_replace(verdict, plain=True)}. That cannot be changed on this computer."
        return f"No: {why}{_memory_enough(verdict)}"
    return "We cannot say yet." + (
        f" Short so far: {because(short, verdict, plain=True)}." if short else ""
    )


def _memory_enough(verdict: Verdict) -> str:
    """That memory is not what is short, where it was asked for and is known."""
    fitted = verdict.world.get("memory.installed")
    rows = [row.status for row in verdict.rows if row.key == "memory"]
    if fitted is None or not rows or {*rows} != {"met"}:
        return ""
    return f" Its {format_memory(fitted)} of memory are enough."


def _fix(fix: Fix, verdict: Verdict) -> str:
    bits = fix.changes.get("system.os_bits")
    if fix.kind == "system":
        return f"a {bits}-bit operating system" if bits else "another operating system"
    return _FIXES.get(fix.kind) or f"to {fix_text(fix, verdict)}"
