"""A check as Markdown, as CSV, and as a note for the person whose machine it is."""

import csv
import io
import re

from tallcheck.core.before.rows import Row
from tallcheck.core.jobs.check import Check
from tallcheck.core.machine.readings import label_of
from tallcheck.core.values.quantities import format_memory
from tallcheck.core.values.text import guarded, printable
from tallcheck.core.words.sentence import key_name, listed, newest_that_runs

# --- Markdown ------------------------------------------------------------------------------


def escaped(text: str) -> str:
    """Untrusted text with everything that Markdown or HTML would read as markup escaped."""
    return re.sub(r"([\\`*_{}\[\]()#+!|<>&~])", r"\\\1", printable(text))


def _table(header: list[str], rows: list[list[str]]) -> list[str]:
    lines = ["| " + " | ".join(header) + " |", "|" + "---|" * len(header)]
    return lines + ["| " + " | ".join(escaped(cell) for cell in row) + " |" for row in rows]


def markdown(results: list[Check]) -> str:
    """The check, or the check of each release, as Markdown."""
    first = results[0]
    if len(results) == 1:
        return "\n".join(_one_markdown(first)) + "\n"
    lines = [f"# {escaped(first.machine.name)}", "", escaped(newest_that_runs(results)), ""]
    lines += _table(
        ["release", "answer", "limited by"],
        [[r.against[0].label, r.verdict.decision.answer, limit_text(r)] for r in results],
    )
    for result in results:
        lines += ["", *_one_markdown(result, "##")]
    return "\n".join(lines) + "\n"


def _one_markdown(result: Check, heading: str = "#") -> list[str]:
    decision = result.verdict.decision
    names = listed([one.label for one in result.against]) or "what was asked for"
    lines = [f"{heading} {escaped(result.machine.name)} against {escaped(names)}", ""]
    lines += [f"**{decision.answer}** — {escaped(result.sentence)}", ""]
    for title, texts in sections(result):
        lines += [f"{heading}# {title}", "", *(f"- {escaped(text)}" for text in texts), ""]
    rows = [*result.verdict.rows, *result.recommended_rows]
    lines += _table(
        ["need", "strength", "asked", "there", "status", "cure", "note", "from"],
        [
            [r.key, r.strength, r.need_text, r.have_text, r.status,
             ", ".join(r.cures) if r.status == "short" else "", r.note, origin_text(r)]
            for r in rows
        ],
    )  # fmt: skip
    return lines


def sections(result: Check) -> list[tuple[str, list[str]]]:
    """Everything beside the rows, by title; empty ones left out."""
    decision = result.verdict.decision
    doubts = [f"{one.text} ({', '.join(one.about)})" for one in result.machine.doubts]
    found = [f"{label_of(one.key)}: {one.how}" for one in decision.find_out]
    everything = [
        ("Conflicts", list(decision.conflicts)),
        ("The upgrade", _upgrade_texts(result)),
        ("In doubt", doubts),
        ("What this rests on", list(decision.conditions)),
        ("What would settle it, most telling first", found),
        ("Support", [one.text for one in result.support]),
    ]
    return [(title, texts) for title, texts in everything if texts]


def _upgrade_texts(result: Check) -> list[str]:
    """The plan, what matters about it, and the other plans."""
    if result.plan is None:
        return []
    from tallcheck.core.upgrade.plan import alternative_texts

    return [result.plan.sentence, *result.plan.notes, *alternative_texts(result.plan)]


def origin_text(row: Row) -> str:
    """Where a row's reading is from."""
    if row.origin is None:
        return ""
    return f"{row.origin.how}: {row.origin.source}" if row.origin.source else row.origin.how


def limit_text(result: Check) -> str:
    """What limits a machine, or what would have to be found out."""
    decision = result.verdict.decision
    if decision.conflicts:
        return decision.conflicts[0]
    row = next((r for r in result.verdict.rows if r.key == decision.limiting), None)
    if row is None:
        found = decision.find_out
        return f"unknown: {label_of(found[0].key)}" if found else "-"
    return f"{row.key}: {row.have_text}, {row.need_text} asked"


# --- CSV -----------------------------------------------------------------------------------

_COLUMNS = ("machine", "from", "strength", "key", "need", "have", "status", "ratio", "cures",
            "origin", "note", "answer")  # fmt: skip


def csv_text(results: list[Check]) -> str:
    """One line for each row of each check."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(_COLUMNS)
    for result in results:
        for row in (*result.verdict.rows, *result.recommended_rows):
            ratio = "" if row.ratio is None else f"{row.ratio:.3f}"
            cells = [
                result.machine.name, row.source, row.strength, row.key, row.need_text,
                row.have_text, row.status, ratio, " ".join(row.cures), origin_text(row), row.note,
                result.verdict.decision.answer,
            ]  # fmt: skip
            writer.writerow([guarded(cell) for cell in cells])
    return out.getvalue()


# --- the note ------------------------------------------------------------------------------

_NEXT = {
    "ready": "Nothing has to be bought or changed.",
    "memory-alone": "What happens next: we look for memory that fits, and put it in.",
    "memory-plus": "What happens next: we work out what the changes cost, and ask you before "
    "anything is ordered.",
    "other": "What happens next: we look into what can be changed, and come back to you.",
    "replace": "What happens next: we talk with you about another computer.",
    "undecided": "What happens next: we need one more piece of information before we can say.",
}

_PLAIN_CURES = {
    "machine": "a newer computer",
    "processor": "a newer processor",
    "graphics": "another graphics card",
    "system": "a 64-bit operating system",
    "setting": "a change in its settings",
    "storage": "more or other storage",
    "part": "something it lacks now",
}


def note(results: list[Check]) -> str:
    """A short text in plain language: what was checked, the answer, what happens next."""
    result = results[0]
    name = printable(result.machine.name)
    wanted = printable(listed([one.label for one in result.against]) or "what was asked for")
    decision = result.verdict.decision
    lines = [f"We checked whether your computer ({name}) can run {wanted}.", ""]
    lines += [_plain_answer(result, wanted), ""]
    if len(results) > 1:
        lines += [printable(newest_that_runs(results)), ""]
    if decision.find_out:
        first = decision.find_out[0]
        lines += [f"Could you find this out? {label_of(first.key)} ({first.how}).".capitalize(), ""]
    lines.append(_NEXT[decision.answer])
    return "\n".join(lines) + "\n"


def _plain_answer(result: Check, wanted: str) -> str:
    decision = result.verdict.decision
    memory = "more memory"
    if decision.target_memory is not None:
        memory = f"more memory ({format_memory(decision.target_memory)} in all)"
    others = [_PLAIN_CURES[one.kind] for one in decision.cures if one.kind in _PLAIN_CURES]
    if decision.conflicts:
        return f"Not as things are: {printable(decision.conflicts[0])}."
    if decision.answer == "ready":
        return "Yes. It meets everything that is asked for, just as it is."
    if decision.answer == "memory-alone":
        return f"Yes, with {memory}. Nothing else has to change."
    if decision.answer == "memory-plus":
        return f"Not yet. It needs {memory}, and also {listed(others)}."
    if decision.answer == "other":
        return f"Not yet, and more memory would not help. It needs {listed(others)}."
    if decision.answer == "replace":
        short = [key_name(row.key) for row in result.verdict.rows if "machine" in row.cures
                 and row.status == "short"]  # fmt: skip
        return f"No. This computer cannot be upgraded far enough ({listed(short)})."
    return "We cannot say yet."
