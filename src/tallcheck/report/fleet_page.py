"""The page of a fleet: the counts, the money, the order, and a list of the machines."""

from tallcheck.core.decide.trials import EXIT_CODES
from tallcheck.core.fleet.columns import FleetFile
from tallcheck.core.jobs.fleet_check import FleetCheck
from tallcheck.core.messages.fleet import fleet_sentence, wanted_of
from tallcheck.core.messages.values import count_text
from tallcheck.report import fleet_texts as t
from tallcheck.report.fleet_chart import fleet_figure
from tallcheck.report.fleet_work import (
    budget_names,
    budget_text,
    by_text,
    order_table,
    work_table,
)
from tallcheck.report.picture import inline, rendered

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
        "own": own, "machines": machines,
        "doubts": t.doubt_texts(found, file, True), "faults": t.fault_texts(file, True),
        "unreadable": t.unreadable_texts(file), "remarks": file.remarks,
    })  # fmt: skip
