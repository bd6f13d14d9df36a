"""One row explained: the reading and its source, the need, the rule, the fix."""

from tallcheck.core.decide.decision import Row, Verdict
from tallcheck.core.jobs.check import Check
from tallcheck.core.machine.readings import label_of
from tallcheck.core.messages.rows import have_text, note, row_need_text
from tallcheck.core.needs.keys import KEYS
from tallcheck.core.needs.numbers import PROCESSOR_MENDS
from tallcheck.core.values.errors import InputError, nearest
from tallcheck.core.values.quantities import format_share

_BY_SHAPE = (
    "A setting on a virtual machine or where it is only switched off; the processor in a desktop, "
    "tower or server of the x86 family; the machine in any other shape."
)
_ONE_OF = "At least one of the tables must be met, each as a whole."


def why(result: Check, key: str) -> list[tuple[str, str]]:
    """Label and text of each step from reading to fix, for every row of a key. InputError."""
    pairs: list[tuple[Row, Verdict]] = [(row, result.verdict) for row in result.verdict.rows]
    if result.recommended is not None:
        pairs += [(row, result.recommended) for row in result.recommended_rows]
    found = [step for row, verdict in pairs if row.key == key for step in _steps(row, verdict)]
    if not found:
        known = list(dict.fromkeys(row.key for row in result.verdict.rows))
        raise InputError(
            f"found no row '{key}'{nearest(key, known)}", "one of " + ", ".join(known), "--why"
        )
    return found


def _steps(row: Row, verdict: Verdict) -> list[tuple[str, str]]:
    origin, entry = row.origin, row.ask.key
    source = f" ({origin.how}: {origin.source or 'by a person'})" if origin else ""
    steps = [
        ("row", f"{row.key}, {row.ask.asked.strength}"),
        ("need", f"{row_need_text(row)}, asked by {row.ask.asked.source}"),
        ("reading", f"{have_text(row, verdict.world)}{source}"),
        ("status", row.status + _share(row)),
        ("rule", entry.rule if entry is not None else _ONE_OF),
    ]
    text = note(row, verdict)
    if text:
        steps.append(("note", text))
    if row.status == "short":
        steps.append(("fix", ", ".join(row.fixes)))
        if entry is not None and entry.mends >= PROCESSOR_MENDS and entry.name in KEYS:
            steps.append(("fix's rule", _BY_SHAPE))
    if row.answer.missing:
        steps.append(("rests on", ", ".join(label_of(one) for one in row.answer.missing)))
    return steps


def _share(row: Row) -> str:
    """How much of an amount is there; versions, generations and bits are no amounts."""
    amount = row.ask.key is not None and row.ask.key.kind in ("memory", "storage", "clock", "count")
    return f": {format_share(row.ratio)} of what is asked for" if row.ratio and amount else ""
