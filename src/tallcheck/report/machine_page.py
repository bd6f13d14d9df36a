"""The page of one machine: each check, what it rests on, and every reading."""

from typing import Any

from tallcheck.core.board.account import Position
from tallcheck.core.jobs.check import Check
from tallcheck.core.messages.plans import (
    alternative_texts,
    counted,
    plan_conditions,
    plan_notes,
    plan_sentence,
    plan_steps,
)
from tallcheck.core.messages.sentence import (
    headline,
    newest_that_runs,
    releases_of,
    sentence,
    wanted_text,
)
from tallcheck.core.upgrade.plan import Upgrade
from tallcheck.core.values.money import format_money
from tallcheck.core.values.quantities import format_memory, format_speed
from tallcheck.report.formats import TO_DO, limit_text, sections
from tallcheck.report.height_chart import AXIS, MOST, TICKS, bars_of
from tallcheck.report.picture import rendered
from tallcheck.report.rows import ShownRow, plain_rows, recommended_rows
from tallcheck.report.show_view import flat
from tallcheck.report.tables import Table
from tallcheck.report.upgrade_view import rejected_texts

_FIRST = ("Conflicts", "In doubt", "What would settle it, most telling first")


def machine_html(results: list[Check]) -> str:
    """The page of one check, or of several releases of one system, newest first."""
    first = results[0]
    several = len(results) > 1
    readings = Table("", ("reading", "value", "from"), tuple(flat(first.machine)))
    return rendered("machine.html", {
        "title": f"{first.machine.name}: {headline(first)}",
        "checks": [_one(result) for result in results],
        "several": several,
        "releases": _releases(results) if several else None,
        "readings": readings,
    })  # fmt: skip


def _releases(results: list[Check]) -> Table:
    rows = tuple(
        (release.label, one.verdict.decision.answer, limit_text(one))
        for release, one in zip(releases_of(results), results, strict=True)
    )
    return Table("", ("release", "answer", "limited by"), rows, (), newest_that_runs(results))


def _one(result: Check) -> dict[str, Any]:
    decision = result.verdict.decision
    texts = sections(result)
    wanted = wanted_text(result)
    name = result.machine.name
    others = recommended_rows(result)
    first = _FIRST if result.plan is not None else (*_FIRST, TO_DO)  # a plan is drawn below
    bars, notes = bars_of(result)
    return {
        "name": name, "wanted": wanted, "answer": decision.answer,
        "sentence": sentence(result),
        "first": [one for one in texts if one[0] in first],
        "last": [one for one in texts if one[0] not in (*_FIRST, TO_DO)],
        "chart": {
            "title": f"Height chart of {name}: {decision.answer}", "bars": bars, "notes": notes,
            "most": MOST, "ticks": TICKS, "axis": AXIS,
        },
        "rows": _rows("What is asked for, and what is there", plain_rows(result)),
        "recommended": _rows("What is recommended", others) if others else None,
        "plan": _plan(result.plan) if result.plan is not None else None,
    }  # fmt: skip


def _rows(title: str, rows: list[ShownRow]) -> Table:
    cells = tuple(
        (row.key, row.need_text, row.have_text, row.status,
         row.fix_text, row.note, row.origin_text)
        for row in rows
    )  # fmt: skip
    head = ("what", "asked", "there", "status", "fix", "note", "where that comes from")
    return Table(title, head, cells)


def _plan(found: Upgrade) -> dict[str, Any]:
    boards = []
    if found.board is not None:
        boards.append((f"Now: {format_memory(found.board.fitted)}",
                       _positions(found.board.positions, set())))  # fmt: skip
    shopping = []
    if found.plan is not None and found.board is not None:
        new = {one.slot for one in found.plan.add}
        after = _positions(found.plan.after, new)
        boards.append((f"After: {format_memory(found.plan.total)}", after))
        for count, text, price in counted(found.plan, found.board, found.listed):
            money = ""
            if found.plan.cost is not None and price is not None:
                money = f": {format_money(price * count, found.currency)}"
            shopping.append(f"{count} × {text}{money}")
    lists = [
        ("Worth knowing", plan_notes(found)), ("The plan rests on", plan_conditions(found)),
        ("Other plans", alternative_texts(found)),
        ("Not usable here", rejected_texts(found, True)),
    ]  # fmt: skip
    return {
        "sentence": plan_sentence(found), "boards": boards, "shopping": shopping,
        "steps": plan_steps(found), "lists": lists,
    }  # fmt: skip


def _positions(positions: tuple[Position, ...], new: set[str]) -> list[dict[str, str]]:
    found = []
    for one in positions:
        module = one.module
        what = []
        if module is not None and one.size:
            what = [module.type or "", module.form or "",
                    format_speed(module.speed) if module.speed else ""]  # fmt: skip
        soldered = ", soldered" if one.fixed and not one.assumed else ""
        kind = "new" if one.name in new else ("" if one.size else "free")
        found.append({
            "name": f"{one.name}: new" if one.name in new else one.name, "kind": kind,
            "size": format_memory(one.size) + soldered if one.size else "free",
            "what": " ".join(filter(None, what)),
        })  # fmt: skip
    return found
