"""The note for the person whose machine it is: plain words, and no command of ours."""

from tallcheck.core.decide.decision import Verdict
from tallcheck.core.decide.fixes import Fix
from tallcheck.core.jobs.check import Check
from tallcheck.core.machine.entries import ENTRIES
from tallcheck.core.machine.readings import label_of
from tallcheck.core.messages.conditions import conditions
from tallcheck.core.messages.fixes import fix_text
from tallcheck.core.messages.hints import how_to_find
from tallcheck.core.messages.rows import key_name
from tallcheck.core.messages.sentence import (
    conflict_texts,
    newest_that_runs,
    short_in_use,
    wanted_text,
)
from tallcheck.core.messages.values import capital, listed, total_text
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
    rests = conditions(result.verdict, result.ages)
    if rests:
        lines += ["This rests on what we know so far:"]
        lines += [f"- {text}" for text in rests] + [""]
    asked = [key for key in decision.find_out if not _told_by_name(key, decision.find_out)]
    questions = [_question(key, result) for key in asked[:_ASKED_MOST]]
    if questions:
        lines += ["Could you find this out?", *questions, ""]
    virtual = result.verdict.world.get("system.virtual") and decision.answer in (
        "memory-alone", "memory-plus", "not-memory",
    )  # fmt: skip
    lines.append(_VIRTUAL if virtual else _NEXT[decision.answer])
    return "".join(f"{printable(line)}\n" for line in lines)


def _told_by_name(key: str, found: tuple[str, ...]) -> bool:
    """Whether the processor's name, which is asked for as well, often tells a reading."""
    return "processor.name" in found and "processor.name" in ENTRIES[key].follows


_ASKED_MOST = 3
"""Readings that one note asks for."""


def _question(key: str, result: Check) -> str:
    how = how_to_find(key, result.machine.system.os)
    where = "" if "`" in how else f": {how}"
    return f"- {capital(label_of(key))}{where}."


def _answer(result: Check) -> str:
    verdict = result.verdict
    decision = verdict.decision
    memory = "more memory"
    if decision.target_memory is not None:
        memory = f"more memory ({total_text(decision.target_memory)} in all)"
    others = [_fix(one, verdict) for one in decision.fixes if one.kind != "memory"]
    if decision.conflicts:
        return f"Not as things are: {conflict_texts(result)[0]}."
    short = " In use, though, its memory is short." if short_in_use(result) else ""
    if decision.answer == "ready":
        return f"Yes. It meets everything that is asked for, just as it is.{short}"
    if decision.answer == "memory-alone":
        return f"Yes, with {memory}. Nothing else has to change."
    if decision.answer == "memory-plus":
        return f"Not yet. What it needs: {memory}, and also {listed(others)}."
    if decision.answer == "not-memory":
        return f"Not yet, and more memory would not help. What it needs: {listed(others)}."
    if decision.answer == "replace":
        rows = decision.fixes[0].rows if decision.fixes else ()
        return (
            "No. This computer cannot be upgraded far enough "
            f"({listed([key_name(key) for key in rows])})."
        )
    return "We cannot say yet."


def _fix(fix: Fix, verdict: Verdict) -> str:
    bits = fix.changes.get("system.os_bits")
    if fix.kind == "system":
        return f"a {bits}-bit operating system" if bits else "another operating system"
    return _FIXES.get(fix.kind) or f"to {fix_text(fix, verdict)}"
