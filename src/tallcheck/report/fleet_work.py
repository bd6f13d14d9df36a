"""What is ordered for a fleet and who does what: the order, the work list, the budget."""

import datetime

import numpy as np
from msgspec import Struct

from tallcheck.core.fleet.judged import UNDECIDED
from tallcheck.core.fleet.transfers import Solved
from tallcheck.core.jobs.fleet_check import FleetCheck
from tallcheck.core.messages.fleet import in_text, out_text
from tallcheck.core.messages.plans import offer_text
from tallcheck.core.messages.values import capital, count_text
from tallcheck.core.values.money import format_money
from tallcheck.report.fleet_texts import fix_texts, money
from tallcheck.report.formats import Table


def order_table(found: FleetCheck) -> Table | None:
    """The modules to order, those of the budget where there is one."""
    solved = found.order
    if solved is None or not len(solved.transfers):
        return None
    rows = tuple(
        (str(one.count), offer_text(one.offer), format_money(one.offer.price or 0, found.currency),
         format_money(one.cost, found.currency), one.offer.source)
        for one in solved.orders
    )  # fmt: skip
    return Table(
        "To order", ("count", "part", "each", "together", "from"), rows, (0, 2, 3),
        order_note(found, solved),
    )  # fmt: skip


def order_note(found: FleetCheck, solved: Solved) -> str:
    """What the common order costs, saves, and rests on."""
    count = count_text(len(solved.work), "machine")
    text = f"{format_money(solved.cost, found.currency)} for the memory of {count}."
    if solved.reused:
        one = solved.reused == 1
        text += (
            f" {solved.reused} module{' that comes' if one else 's that come'} out of one machine "
            f"go{'es' if one else ''} into another."
        )
    if found.task.budget is None:
        text += _apart(found, solved)
    text += " Proven best." if solved.gap < 1e-9 and not solved.restricted else ""
    if solved.gap >= 1e-9:
        text += f" At most {100 * solved.gap:.2g} % above the best: the time for proving ran out."
    if solved.restricted:
        text += f" For {count_text(solved.restricted, 'machine')} only some ways were tried."
    if solved.undone and found.task.budget is None:
        text += f" {count_text(solved.undone, 'machine')} cannot be served from this list's stock."
    if solved.left:
        text += " Left in the drawer: " + ", ".join(f"{n} × {kind}" for kind, n in solved.left)
        text += "."
    return text


def _apart(found: FleetCheck, solved: Solved) -> str:
    """What it would be machine by machine, where that differs."""
    apart = format_money(solved.apart, found.currency)
    if solved.apart_undone > solved.undone:
        more = count_text(solved.apart_undone - solved.undone, "machine")
        return f" Machine by machine it would be {apart}, and {more} less could be served."
    if solved.apart > solved.cost:
        saved = format_money(solved.apart - solved.cost, found.currency)
        return f" That is {saved} less than machine by machine ({apart})."
    return ""


class Due(Struct, frozen=True):
    """What has to be done by a day, for support of what runs there ends by then."""

    by: datetime.date
    machines: int
    cost: float | None
    """In units of the currency, of those whose cost is known; None where none is."""
    unpriced: int
    undecided: int
    not_known: int
    """Machines that something is done to, and whose end of support is not known."""


def due_of(found: FleetCheck) -> Due | None:
    """What has to be done by the day that was asked for; None where none was."""
    day, support = found.task.by, found.support
    if day is None or support is None:
        return None
    answers = found.judged.answers
    wants = found.judged.wanting
    here = np.full(len(wants), np.nan) if found.costs is None else found.costs.whole
    costs = here[found.due & wants]
    unpriced = int(np.isnan(costs).sum())
    return Due(
        day, len(costs), float(np.nansum(costs)) / 100 if unpriced < len(costs) else None, unpriced,
        int((found.due & (answers == UNDECIDED)).sum()),
        int((wants & np.isinf(support.days)).sum()),
    )  # fmt: skip


def by_text(found: FleetCheck) -> str:
    """What has to be done by a day; of support that is not known, nothing is claimed."""
    due = due_of(found)
    if due is None:
        return ""
    text = f"By {due.by}, nothing has to be done for want of support."
    if due.machines:
        have, runs = ("has", "it runs") if due.machines == 1 else ("have", "they run")
        text = f"By {due.by}, {count_text(due.machines, 'machine')} {have} to be done, for support "
        text += f"of what {runs} ends by then. {_due_cost(due, found.currency)}"
    if due.undecided:
        text += f" {capital(count_text(due.undecided, 'more machine'))} cannot be judged yet."
    if due.not_known:
        text += f" Of {due.not_known} more it is not known when support ends: they are not counted."
    return text


def _due_cost(due: Due, currency: str) -> str:
    if due.cost is None:
        return "What that costs is not known: there are no prices."
    rest = f", without the {due.unpriced} that have no price" if due.unpriced else ""
    return f"That costs {format_money(round(due.cost * 100), currency)}{rest}."


def budget_text(found: FleetCheck) -> str:
    """What the budget does."""
    within, budget = found.within, found.task.budget
    if budget is None:
        return ""
    amount = format_money(budget, found.currency)
    if found.costs is None:
        return f"What {amount} buys is not known, for there are no prices."
    if within is None:
        return f"With {amount}, no machine can be made ready."
    done = len(within.work) + len(within.others)
    gap = "" if within.gap < 1e-9 else f" (at most {100 * within.gap:.2g} % from the best)"
    spent = format_money(within.spent, found.currency)
    machines = count_text(done, "more machine") if found.task.by is None else f"{done} of them"
    return f"With {amount}, {machines} can be made ready, for {spent}{gap}."


def budget_names(found: FleetCheck) -> list[str]:
    """The machines that the budget makes ready."""
    if found.within is None:
        return []
    places = sorted({*(one.machine for one in found.within.work), *found.within.others})
    return [str(found.fleet.names[at]) for at in places]


# --- the work list ---------------------------------------------------------------------------


class Job(Struct, frozen=True):
    """What is done at one machine: each step in turn, by when, and what it costs."""

    machine: int
    steps: tuple[str, ...]
    ends: datetime.date | None
    """The last day of support of what runs there."""
    cost: float
    """Hundredths; NaN where it is not known."""


def jobs(found: FleetCheck, most: int | None = None) -> list[Job]:
    """All kinds of work, in the order in which it can be done; the first ``most`` of it."""
    support = found.support
    return [
        Job(at, _steps(found, at), support.end(at) if support else None, float(found.paid[at]))
        for at in found.todo[:most].tolist()
    ]


def _steps(found: FleetCheck, at: int) -> tuple[str, ...]:
    texts, work = fix_texts(found, at), found.works.get(at)
    if work is None:
        return tuple(texts.values())
    before = [text for kind, text in texts.items() if kind != "memory"]
    out = [f"take out {out_text(found, work)}"] if work.take_out else []
    return (*out, f"put in {in_text(found, work)}", *before)


def work_table(found: FleetCheck, most: int | None = None) -> Table | None:
    """Machine by machine what is done, with a box to tick."""
    todo = jobs(found, most)
    if not todo:
        return None
    head, numbers = ["order", "done", "machine", "what to do"], [0]
    columns = [
        [str(number) for number in range(1, len(todo) + 1)], ["☐"] * len(todo),
        [str(found.fleet.names[one.machine]) for one in todo],
        ["; ".join(one.steps) for one in todo],
    ]  # fmt: skip
    if any(one.ends for one in todo):
        head.append("support ends")
        columns.append([str(one.ends or "") for one in todo])
    if found.costs is not None:
        numbers.append(len(head))
        head.append("cost")
        columns.append([money(found, one.cost) for one in todo])
    return Table(
        "Work, in this order", tuple(head), tuple(zip(*columns, strict=True)), tuple(numbers),
        _work_note(found, len(todo)),
    )  # fmt: skip


def _work_note(found: FleetCheck, shown: int) -> str:
    left = len(found.todo) - shown
    text = f"{count_text(left, 'more machine')} in a saved .csv or .xlsx. " if left else ""
    if found.order is not None and found.order.reused:
        text += "In this order a machine that gives a module is done before the one that gets it."
    return text.strip()


def work_texts(found: FleetCheck, most: int | None = None) -> list[str]:
    """The same as a sentence for each machine."""
    return [
        f"{number}. {found.fleet.names[one.machine]}: {'; '.join(one.steps)}"
        for number, one in enumerate(jobs(found, most), 1)
    ]
