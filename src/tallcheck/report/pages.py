"""The pages: of one machine with each check and every reading, and of a fleet."""

from typing import Any

from tallcheck.core.board.account import Position
from tallcheck.core.decide.trials import EXIT_CODES
from tallcheck.core.fleet.columns import FleetFile
from tallcheck.core.jobs.check import Check
from tallcheck.core.jobs.fleet_check import FleetCheck
from tallcheck.core.messages.fleet import fleet_sentence, wanted_of
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
from tallcheck.core.messages.values import count_text
from tallcheck.core.upgrade.plan import Upgrade
from tallcheck.core.values.money import format_money
from tallcheck.core.values.quantities import format_memory, format_speed
from tallcheck.report import fleet_texts as t
from tallcheck.report.charts import AXIS, MOST, TICKS, bars_of, fleet_figure
from tallcheck.report.fleet_work import (
    budget_names,
    budget_text,
    by_text,
    order_table,
    work_table,
)
from tallcheck.report.formats import (
    TO_DO,
    ShownRow,
    Table,
    limit_text,
    plain_rows,
    recommended_rows,
    sections,
)
from tallcheck.report.picture import inline, rendered
from tallcheck.report.show_view import flat
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
        ("Worth knowing", plan_notes(found)), ("Assumptions of the plan", plan_conditions(found)),
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


_ROWS_MOST = 5000
"""More machines than a browser shows with ease; a table file has them all."""


def fleet_html(found: FleetCheck, file: FleetFile) -> str:
    """The page of a fleet."""
    places = [
        at for answer, where in t.machines_by_answer(found) if answer != "ready"
        for at in where.tolist()
    ]  # fmt: skip
    places += t.machines_by_answer(found)[0][1].tolist()
    shown = places[:_ROWS_MOST]
    caption = f"{len(shown)} of {len(places)} machines, those that need something first."
    own = file.own if file.table is not None else []
    cells = [file.table[name].cast("string").to_pylist() for name in own]
    machines = []
    for at in shown:
        name, limit, to_do, cost, rests = t.machine_row(found, at)
        carried = [(head, column[at] or "") for head, column in zip(own, cells, strict=True)]
        machines.append((name, found.judged.answer(at), carried, (limit, to_do, cost, rests)))
    count = len(file.unreadable)
    left = f"{count_text(count, 'row')} could not be read: see the end of the page."
    return rendered("fleet.html", {
        "title": f"{wanted_of(found)}: {len(found.fleet)} machines", "wanted": wanted_of(found),
        "count": len(found.fleet), "sentence": fleet_sentence(found), "left": left if count else "",
        "by": by_text(found), "budget": budget_text(found),
        "budget_names": ", ".join(budget_names(found)),
        "answers": t.answers_table(found), "note": t.prices_note(found),
        "chart": inline(fleet_figure(found, False), fleet_sentence(found)),
        "deadlines": t.deadlines_table(found), "order": order_table(found),
        "work": work_table(found, _ROWS_MOST),
        "more": [t.curve_table(found, 11), t.what_if_table(found)],
        "settling": t.settling_texts(found), "answer_names": tuple(EXIT_CODES), "caption": caption,
        "own": own, "heads": t.MACHINE_HEAD[1:], "machines": machines,
        "doubts": t.doubt_texts(found, file, True), "faults": t.fault_texts(file, True),
        "unreadable": t.unreadable_texts(file), "remarks": file.remarks,
    })  # fmt: skip
