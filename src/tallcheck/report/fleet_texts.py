"""What is said of a fleet, as plain tables and sentences for every form of output."""

from collections import Counter
from typing import Any

import numpy as np

from tallcheck.core.decide.decision import Verdict
from tallcheck.core.fleet.columns import FleetFile
from tallcheck.core.fleet.judged import ANSWERS
from tallcheck.core.fleet.money import quarter_end
from tallcheck.core.jobs.fleet_check import FleetCheck
from tallcheck.core.machine.entries import ENTRIES
from tallcheck.core.machine.readings import label_of
from tallcheck.core.messages.conditions import before_buying, conditions, look_ups
from tallcheck.core.messages.fixes import fix_text
from tallcheck.core.messages.fleet import first_conflict
from tallcheck.core.messages.hints import how_to_find
from tallcheck.core.messages.plans import plan_sentence, shopping_text
from tallcheck.core.messages.rows import key_name
from tallcheck.core.messages.values import count_text
from tallcheck.core.values.money import format_money
from tallcheck.core.values.quantities import format_memory
from tallcheck.report.formats import Table

MEANS = {
    "ready": "every need is met as it is",
    "memory-alone": "memory, and nothing else, is short",
    "memory-plus": "memory is short, and something else is too",
    "not-memory": "something else than memory is short",
    "replace": "the machine cannot be given what is short",
    "undecided": "a missing reading decides it",
}
_NAMES_MOST = 8


def money(found: FleetCheck, hundredths: float) -> str:
    """Money as people read it; a dash where it is not known."""
    if np.isnan(hundredths):
        return "not known"
    return format_money(int(hundredths), found.currency)


def answers_table(found: FleetCheck) -> Table:
    """The counts for each answer, and what they cost."""
    counts = found.judged.counts()
    total = max(len(found.fleet), 1)
    rows = []
    for at, answer in enumerate(ANSWERS):
        row = [answer, str(counts[answer]), f"{100 * counts[answer] / total:.0f} %"]
        if found.costs is not None:
            row.append(_cost_of(found, found.judged.answers == at, answer))
        rows.append((*row, MEANS[answer]))
    cost = ("cost",) if found.costs is not None else ()
    return Table(
        "Answers", ("answer", "machines", "share", *cost, "means"), tuple(rows),
        (1, 2, *((3,) if cost else ())),
    )  # fmt: skip


def _cost_of(found: FleetCheck, here: Any, answer: str) -> str:
    assert found.costs is not None
    if answer in ("ready", "undecided") or not here.any():
        return ""
    costs = found.costs.whole[here]
    unknown = int(np.isnan(costs).sum())
    if unknown == len(costs):
        return "not known"
    text = format_money(int(np.nansum(costs)), found.currency)
    return f"{text} + {unknown} unpriced" if unknown else text


def prices_note(found: FleetCheck) -> str:
    """Which prices are missing, and whether work is counted."""
    if found.costs is None:
        return ""
    parts = []
    for kind, count in found.costs.missing.items():
        what = "memory" if kind == "memory" else kind
        parts.append(f"{what} for {count_text(count, 'machine')}")
    text = f"Not in these sums, for there is no price: {', '.join(parts)}." if parts else ""
    if not found.task.prices.hour:
        text += " Work is not counted: no price for an hour is given."
    return text.strip()


def deadlines_table(found: FleetCheck) -> Table | None:
    """What to spend by when."""
    if not found.deadlines:
        return None
    unit = f", {found.currency}" if found.currency else ""
    rows = []
    for one in found.deadlines:
        known = one.unknown < one.machines
        cost = format_money(one.cost) if known else "not known"
        monthly = format_money(one.monthly) if known and one.monthly is not None else ""
        ends = "" if one.ends is None else f"{'ended ' if one.ended else ''}{one.ends}"
        rows.append((
            one.release or "not known", ends, "" if one.months is None else str(one.months),
            str(one.machines), cost, str(one.unknown), monthly,
        ))  # fmt: skip
    return Table(
        "By when",
        ("runs now", "support ends", "months", "machines", f"cost{unit}", "unpriced",
         f"a month{unit}"),
        tuple(rows), (2, 3, 4, 5, 6), quarter_text(found),
    )  # fmt: skip


def quarter_text(found: FleetCheck) -> str:
    """What has to be bought in this quarter, and what the rest costs a month."""
    if not found.deadlines:
        return ""
    last = quarter_end(found.deadlines[0].on)
    now = [one for one in found.deadlines if one.this_quarter]
    text = f"By {last}, the end of this quarter, nothing has to be bought for want of support."
    if now:
        count = count_text(sum(one.machines for one in now), "machine")
        unknown = sum(one.unknown for one in now)
        text = (
            f"To be bought this quarter, by {last}: "
            f"{format_money(sum(one.cost for one in now), found.currency)}"
            f", for {count} whose system's support has ended or ends by then"
            f"{f', without the {unknown} that have no price' if unknown else ''}."
        )
    later = sum(one.monthly or 0 for one in found.deadlines if not one.this_quarter)
    if later:
        what = "the rest" if now else "it"
        text += f" Spread evenly until support ends, {what} costs {format_money(later)}"
        text += f" {found.currency} a month at first.".replace("  ", " ")
    return text


def curve_table(found: FleetCheck, points: int = 6) -> Table | None:
    """Machines ready against money, at some points of the curve."""
    curve = found.curve
    if curve is None or not len(curve.order):
        return None
    already = found.judged.counts()["ready"]
    total = len(found.fleet)
    rows = [(format_money(0, found.currency), str(already), f"{100 * already / total:.0f} %")]
    steps = np.unique(np.linspace(0, len(curve.order) - 1, points).round().astype(int))
    for at in steps.tolist():
        ready = curve.ready[at]
        share = f"{100 * ready / total:.0f} %"
        rows.append((format_money(curve.spent[at], found.currency), str(ready), share))
    return Table(
        "Machines ready against money spent, cheapest first", ("spent", "ready", "share"),
        tuple(rows), (0, 1, 2), _curve_note(found),
    )  # fmt: skip


def _curve_note(found: FleetCheck) -> str:
    how = "Modules as in the order above" if found.solved is not None else "Each machine for itself"
    return f"{how}, work counted where an hour is priced."


def what_if_table(found: FleetCheck) -> Table | None:
    """Ready machines by memory total and release."""
    table = found.what_if
    if table is None:
        return None
    rows = []
    for total, ready in zip(table.totals, table.ready, strict=True):
        label = "as it is" if total is None else f"at least {format_memory(total)}"
        rows.append((label, *(str(count) for count in ready)))
    return Table(
        "What if: machines ready", ("memory", *table.releases), tuple(rows),
        tuple(range(1, len(table.releases) + 1)),
        f"Of {table.machines}; a machine that cannot be brought to a total has the largest one "
        "that it can.",
    )  # fmt: skip


# --- one machine ---------------------------------------------------------------------------


def machine_row(found: FleetCheck, at: int) -> tuple[str, ...]:
    """Name, limiting need, what to do, cost, and what it rests on or would settle it."""
    judged = found.judged
    answer = ANSWERS[judged.answers[at]]
    limit = found.limiting(at)
    cost = ""
    if found.costs is not None and answer not in ("ready", "undecided"):
        cost = money(found, found.paid[at])
    return (
        str(found.fleet.names[at]), key_name(limit) if limit else "", _to_do(found, at), cost,
        _rests(found, at, answer),
    )  # fmt: skip


def _to_do(found: FleetCheck, at: int) -> str:
    answer = ANSWERS[found.judged.answers[at]]
    if answer in ("ready", "undecided") or found.judged.stuck[at]:
        return ""
    return "; ".join(fix_texts(found, at).values())


def fix_texts(found: FleetCheck, at: int) -> dict[str, str]:
    """What makes a machine ready, by the kind of fix, what comes before the memory first."""
    verdict = found.verdict(at)
    texts = {fix.kind: fix_text(fix, verdict) for fix in reversed(verdict.decision.fixes)}
    if "memory" in texts:
        texts["memory"] = _memory_to_do(found, at) or texts["memory"]
    return texts


def _memory_to_do(found: FleetCheck, at: int) -> str:
    """The modules that go in: by the order, else by the machine's own plan."""
    plans = found.plans
    if at in found.works:
        counts = Counter(
            f"{format_memory(one.size)} {one.offer.part if one.offer else 'used'}"
            for one in found.works[at].put_in
        )
        return " and ".join(f"{n} × {what}" for what, n in counts.items())
    if plans is not None and plans.makeup[at] >= 0:
        upgrade = plans.found[plans.makeup[at]]
        if upgrade.plan is not None and upgrade.board is not None:
            return shopping_text(upgrade.plan, upgrade.board, upgrade.listed)
        return plan_sentence(upgrade).rstrip(".")
    target = found.target(at)
    return "" if np.isnan(target) else f"memory to {format_memory(int(target))}"


def _rests(found: FleetCheck, at: int, answer: str) -> str:
    verdict = found.verdict(at)
    decision = verdict.decision
    if decision.conflicts:
        return first_conflict(found, verdict)
    if answer == "undecided":
        return "find out: " + ", ".join(label_of(key) for key in decision.find_out[:3])
    return "; ".join(_short_conditions(verdict))


def _short_conditions(verdict: Verdict) -> list[str]:
    """Conditions in a word or two; that a reading was worked out stands in the saved tables."""
    missing = verdict.decision.unknown_memory if verdict.decision.target_memory else ()
    own = before_buying(look_ups(verdict))
    texts = [text for text in conditions(verdict) if " worked out" not in text and text not in own]
    return [
        *(f"not known: {label_of(key)}" for key in missing if key in ENTRIES),
        *(text.partition(":")[0] for text in texts),
    ]


MACHINE_HEAD = ("machine", "limited by", "to do", "cost", "assumptions")


def machines_by_answer(found: FleetCheck) -> list[tuple[str, Any]]:
    """For each answer the machines that get it, in the fleet's order."""
    return [
        (answer, np.flatnonzero(found.judged.answers == at)) for at, answer in enumerate(ANSWERS)
    ]


# --- faults --------------------------------------------------------------------------------


def settling_texts(found: FleetCheck) -> list[str]:
    """What would settle the undecided, the reading that settles most machines first."""
    return [
        f"{label_of(key)}: comes first for {count_text(count, 'machine')} "
        f"({how_to_find(key, None)})"
        for key, count in found.settling
    ]


def fault_texts(file: FleetFile, everything: bool = False) -> list[str]:
    """Cells that did not read, those of one kind together, with their lines."""
    texts = []
    for fault in file.faults:
        count = len(fault.rows)
        where = places(file, fault.rows, everything)
        what = fault.text if fault.column == "name" else f"{fault.text}; taken as unknown"
        texts.append(f"{fault.column}: {what} ({count_text(count, 'row')}: {where})")
    return texts


def places(file: FleetFile, rows: Any, everything: bool = False) -> str:
    """Where machines stand: ``line 4 (potting-31), line 9 (potting-32) and 3 more``."""
    shown = rows if everything else rows[:_NAMES_MOST]
    names = []
    for at in shown:
        name = str(file.fleet.names[int(at)])
        line = int(file.fleet.lines[int(at)])
        names.append(f"line {line} {name}" if file.by_line else name)
    more = len(rows) - len(shown)
    return ", ".join(names) + (f" and {more} more" if more else "")


def doubt_texts(found: FleetCheck, file: FleetFile, everything: bool = False) -> list[str]:
    """Readings that cannot all be true, and are taken as unknown."""
    texts: dict[str, None] = {}
    for about, where in _doubts(found):
        shown = where if everything else where[:5]
        for at, doubts in zip(shown, found.doubts_of(shown), strict=True):
            here = f"line {int(file.fleet.lines[at])} " if file.by_line else ""
            texts |= {f"{here}{found.fleet.names[at]}: {one.text}": None for one in doubts}
        if len(where) > len(shown):
            left = len(where) - len(shown)
            texts[f"{about}: {count_text(left, 'more machine')} likewise"] = None
    return list(texts)


def _doubts(found: FleetCheck) -> list[tuple[str, list[int]]]:
    """What doubts are about, and the machines that give cause for them."""
    if found.fleet.sheets is None:
        return [
            (" and ".join(label_of(key) for key in about), where.tolist())
            for about, where in found.doubts()
        ]
    by_label: dict[str, list[int]] = {}
    for at, doubts in enumerate(found.doubts_of(list(range(len(found.fleet))))):
        for doubt in doubts:
            by_label.setdefault(" and ".join(map(label_of, doubt.about)), []).append(at)
    return list(by_label.items())


def unreadable_texts(file: FleetFile) -> list[str]:
    """Rows that were left out, each with its line and the reason."""
    label = "line" if file.by_line else "file"
    return [f"{label} {line}: {reason}" for line, reason in file.unreadable]
