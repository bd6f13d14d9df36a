"""What is ordered for a fleet and who does what: the order, the work list, the budget."""

from tallcheck.core.fleet.judged import ANSWERS
from tallcheck.core.fleet.transfers import Solved
from tallcheck.core.jobs.fleet_check import FleetCheck
from tallcheck.core.messages.fixes import fix_text
from tallcheck.core.messages.fleet import in_text, out_text
from tallcheck.core.messages.plans import offer_text
from tallcheck.core.messages.values import count_text
from tallcheck.core.values.money import format_money
from tallcheck.report.tables import Table


def order_table(found: FleetCheck) -> Table | None:
    """The modules to order, those of the budget where there is one."""
    solved = found.order
    if solved is None:
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


def budget_text(found: FleetCheck) -> str:
    """What the budget does."""
    within, budget = found.within, found.task.budget
    if budget is None:
        return ""
    if within is None:
        return f"With {format_money(budget, found.currency)}, no machine can be made ready."
    done = len(within.work) + len(within.others)
    gap = "" if within.gap < 1e-9 else f" (at most {100 * within.gap:.2g} % from the best)"
    spent = format_money(within.spent, found.currency)
    start = f"With {format_money(budget, found.currency)}, {count_text(done, 'more machine')}"
    return f"{start} can be made ready, for {spent}{gap}."


def budget_names(found: FleetCheck) -> list[str]:
    """The machines that the budget makes ready."""
    if found.within is None:
        return []
    places = sorted({*(one.machine for one in found.within.work), *found.within.others})
    return [str(found.fleet.names[at]) for at in places]


# --- the work list ---------------------------------------------------------------------------


def work_table(found: FleetCheck) -> Table | None:
    """Machine by machine what comes out and what goes in, givers before those that receive."""
    if found.order is None or not found.order.work:
        return None
    rows: tuple[tuple[str, ...], ...] = tuple(
        (str(number), str(found.fleet.names[one.machine]), out_text(found, one) or "nothing",
         in_text(found, one), _besides(found, one.machine))
        for number, one in enumerate(found.order.work, 1)
    )  # fmt: skip
    head: tuple[str, ...] = ("", "machine", "take out", "put in", "besides")
    if not any(row[-1] for row in rows):
        head, rows = head[:-1], tuple(row[:-1] for row in rows)
    return Table(
        "Who gets what, in this order", head, rows, (0,),
        "In this order a machine that gives a module is done before the one that gets it.",
    )  # fmt: skip


def work_texts(found: FleetCheck) -> list[str]:
    """The same as a sentence for each machine."""
    texts = []
    for number, one in enumerate(found.order.work if found.order else (), 1):
        gone = f"take out {out_text(found, one)}; " if one.take_out else ""
        name = found.fleet.names[one.machine]
        texts.append(f"{number}. {name}: {gone}put in {in_text(found, one)}")
    return texts


def _besides(found: FleetCheck, at: int) -> str:
    """The other changes that the machine wants."""
    if ANSWERS[found.judged.answers[at]] != "memory-plus":
        return ""
    verdict = found.verdict(at)
    fixes = verdict.decision.fixes
    return "; ".join(fix_text(fix, verdict) for fix in fixes if fix.kind != "memory")
