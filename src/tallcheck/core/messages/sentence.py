"""The decision in words: a sentence that can be read out over the telephone."""

from tallcheck.core.board.account import account_of
from tallcheck.core.board.totals import cheapest_total
from tallcheck.core.decide.asked import Chosen
from tallcheck.core.decide.decision import Row, Verdict, limit_rank
from tallcheck.core.jobs.check import Check
from tallcheck.core.machine.instructions import LEVELS
from tallcheck.core.machine.readings import label_of
from tallcheck.core.messages.conflicts import conflict_text
from tallcheck.core.messages.fixes import fix_text
from tallcheck.core.messages.remarks import may_be_off, why_no_more
from tallcheck.core.messages.rows import have_text, key_name, need_text
from tallcheck.core.messages.values import capital, count_text, listed, total_text, with_article
from tallcheck.core.usage.summary import TIGHT
from tallcheck.core.values.quantities import format_memory

_NAMED = 3  # reasons that are read out; the rows have the others
_SETS_NAMED = 3


def headline(result: Check) -> str:
    """The answer in capitals, with what a usage log says against it."""
    decision = result.verdict.decision
    text = decision.answer.replace("-plus", " and more").replace("-", " ").upper()
    if decision.conflicts:
        text = "CONFLICT"
    if not short_in_use(result):
        return text
    enough = _enough_in_use(result)
    would_do = f"; {format_memory(enough)} would do" if enough is not None else ""
    return f"{text}, but memory is short in use{would_do}"


def short_in_use(result: Check) -> bool:
    """Whether a usage log finds memory short that the answer does not bring."""
    usage, world = result.usage, result.verdict.world
    if usage is None or usage.finding != "short" or _brings_memory(result):
        return False
    demand, fitted = usage.figures.demand, world.get("memory.installed")
    return demand is None or fitted is None or fitted < demand / TIGHT


def _brings_memory(result: Check) -> bool:
    return any(fix.kind == "memory" for fix in result.verdict.decision.fixes)


def _enough_in_use(result: Check) -> int | None:
    """The total that leaves a fifth free above what is in use, as it can be built."""
    demand, world = result.usage.figures.demand if result.usage else None, result.verdict.world
    if demand is None:
        return None
    return cheapest_total(account_of(world.get), demand / TIGHT, world.get("memory.ceiling")).bytes


def wanted_text(result: Check) -> str:
    """``Merrow 10 and Fernfolio``, or what was asked for."""
    names = [chosen.label for chosen in result.against]
    names += [f"all that {result.older.name} has"] if result.older is not None else []
    return listed(names) or "what was asked for"


def _every_need(result: Check) -> str:
    named = bool(result.against or result.older)
    return f"every need of {wanted_text(result)}" if named else "all that was asked for"


def sentence(result: Check) -> str:
    """The answer in one to three sentences: the machine's name, what it was held against, why."""
    text = _answer(result)
    if result.would_install:
        text += f" As it is, {wanted_text(result)} would install, without the publisher's support."
    return text + _in_use(result)


def _answer(result: Check) -> str:
    verdict, name, wanted = result.verdict, result.machine.name, wanted_text(result)
    decision = verdict.decision
    if decision.conflicts:
        return _conflict(result)
    if decision.answer == "ready":
        return f"{name} is ready for {wanted}: it meets every need as it is."
    if decision.answer == "memory-alone":
        return (
            f"A memory upgrade alone is enough: {_bring(verdict, name)} and it meets "
            f"{_every_need(result)}."
        )
    fixes = [fix_text(fix, verdict) for fix in decision.fixes if fix.kind != "memory"]
    if decision.answer == "memory-plus":
        return (
            f"Memory alone is not enough for {wanted}: {_bring(verdict, name)}, "
            f"and also {listed(fixes) or 'make other changes'}."
        )
    if decision.answer == "replace":
        return f"{name} must be replaced for {wanted}: {why_replace(verdict)}."
    if decision.answer == "not-memory":
        short = [row for row in verdict.rows if row.status == "short"]
        memory_too = any(row.key == "memory" for row in short)
        what = "Buying memory does not help" if memory_too else "More memory would not help"
        tail = f" What to do: {listed(fixes)}." if fixes else ""
        return f"{name} does not meet {wanted}. {what}: {because(short, verdict)}.{tail}"
    return _undecided(result)


def conflict_texts(result: Check) -> list[str]:
    """Every conflict, as a sentence without its full stop."""
    return [
        conflict_text(one, result.verdict, result.against)
        for one in result.verdict.decision.conflicts
    ]


def _conflict(result: Check) -> str:
    """The conflict leads."""
    texts = conflict_texts(result)
    more = len(texts) - 1
    text = capital(texts[0]) + "."
    if more:
        text += f" {more} more {'conflict is' if more == 1 else 'conflicts are'} listed below."
    if result.verdict.decision.answer == "undecided":
        text += " Besides, a reading is missing."
    return text


def _bring(verdict: Verdict, machine: str) -> str:
    target = verdict.decision.target_memory
    if target is None:
        return f"add memory to {machine}"
    return f"bring {machine} to {total_text(target)}"


def why_replace(verdict: Verdict, plain: bool = False) -> str:
    """Why a machine is replaced, as part of a sentence; ``plain``: without names of sets."""
    grave = verdict.decision.fixes[0].rows if verdict.decision.fixes else ()
    rows = [row for row in verdict.rows if row.status == "short" and row.key in grave]
    bits = verdict.world.get("processor.bits")
    system = any(row.key in ("processor_bits", "os_bits") for row in rows)
    if bits == 32 and (system or any(row.key == "memory" for row in rows)):
        return "the processor runs 32-bit systems only"
    return because(rows or list(verdict.rows), verdict, plain)


def because(rows: list[Row], verdict: Verdict, plain: bool = False) -> str:
    """What is short among some rows, what limits most first, as part of a sentence."""
    short = sorted((row for row in rows if row.status == "short"), key=limit_rank)
    parts = [_reason(row, verdict, plain) for row in short[:_NAMED]]
    more = len(short) - _NAMED
    others = f"{count_text(more, 'other requirement')} {'is' if more == 1 else 'are'} not met"
    return "; ".join(parts) + (f"; {others}" if more > 0 else "")


def _reason(row: Row, verdict: Verdict, plain: bool) -> str:
    if row.key == "instructions" and plain:
        return "the processor is without instruction sets that are asked for"
    if row.key == "instructions" and row.answer.evaluation.detail:
        return _lacking(row)
    need = need_text(row.ask.asked.need)
    if row.ask.tables:
        return f"none of these is met: {need}"
    have, asked = _there(row, verdict), f"{need} is asked for"
    if have == f"there is no {need}":
        return f"{asked} and is not there"
    more = why_no_more(row, verdict.world)
    return f"{have}, {asked}, and {more}" if more else f"{have}, and {asked}"


_OF_BITS = "'s bits"


def _there(row: Row, verdict: Verdict) -> str:
    """What is there in place of what is asked for, as part of a sentence."""
    found, name = have_text(row, verdict.world), key_name(row.key)
    if found == "none":
        shows = "the system shows" if may_be_off(row, verdict.world) else "there is"
        return f"{shows} no {name.removeprefix('the ')}"
    if found.startswith("no "):
        return f"there is {found}"
    if row.answer.evaluation.detail == "system":
        return f"the system is {'' if name.endswith(_OF_BITS) else 'built for '}{found}"
    if row.key == "generation":
        return f"the processor is of the line {found}"
    return f"{name.removesuffix(_OF_BITS)} is {found}"


def _lacking(row: Row) -> str:
    """Which instruction sets a short row misses, as part of what was asked for."""
    found, asked = row.answer.evaluation.detail, need_text(row.ask.asked.need)
    missing = list(dict.fromkeys([*found.absent, *found.hidden]))
    what = f"the instruction set{'s' if len(missing) > 1 else ''} {listed(missing)}"
    what = listed(missing) if LEVELS.keys() & {*missing} else what
    if len(missing) > _SETS_NAMED:
        rest = len(missing) - _SETS_NAMED
        what = (
            f"{len(missing)} instruction sets: {', '.join(missing[:_SETS_NAMED])} and {rest} more"
        )
    if not found.absent:
        return f"{what} {'is' if len(missing) == 1 else 'are'} hidden from the system"
    of = "" if asked in missing or ", " in asked else f", and {asked} is asked for"
    return f"the processor lacks {what}{of}"


_MAY_NEED = {
    "memory-alone": "more memory",
    "memory-plus": "memory and other changes",
    "not-memory": "changes other than memory",
}


def _undecided(result: Check) -> str:
    verdict = result.verdict
    decision = verdict.decision
    needs = [_MAY_NEED[answer] for answer in decision.possible if answer in _MAY_NEED]
    may = [
        *["be ready as it is"] * ("ready" in decision.possible),
        *[f"need {listed(needs, 'or')}"] * bool(needs),
        *["have to be replaced"] * ("replace" in decision.possible),
    ]
    text = f"{result.machine.name} cannot be judged for {wanted_text(result)} yet."
    text += f" It may {listed(may, 'or')}."
    if decision.find_out:
        text += f" Find out first: {with_article(label_of(decision.find_out[0]))}."
        more = len(decision.find_out) - 1
        others = "Something else" if more == 1 else f"{more} other things"
        text += f" {others} may matter, too." if more else ""
    if any("publisher.generation" in row.answer.missing for row in verdict.rows):
        line = verdict.world.get("processor.line")
        text += f" The publisher alone can tell whether it takes {line}, which it does not name."
    short = [row for row in verdict.rows if row.status == "short"]
    if short:
        text += f" Short so far: {because(short, verdict)}."
    return text


def _in_use(result: Check) -> str:
    """What the sentence adds where a usage log tells how memory is used."""
    usage = result.usage
    if usage is None:
        return ""
    if usage.finding == "short" and not short_in_use(result):
        return ""
    if usage.finding == "ample":
        return (
            "" if _brings_memory(result) else " In use, memory is ample: more would change nothing."
        )
    if usage.finding == "too brief":
        return " The usage log is too brief to tell a habit."
    return f" {usage.sentence}"


def releases_of(results: list[Check]) -> list[Chosen]:
    """The release that each of several checks is of: of what else is asked, all have the same."""
    both = zip(results[0].against, results[-1].against, strict=True)
    at = next((at for at, (one, other) in enumerate(both) if one != other), 0)
    return [result.against[at] for result in results]


def newest_that_runs(results: list[Check]) -> str:
    """The sentence over the releases: the newest that runs as it is, and with memory alone."""
    name = results[0].machine.name
    releases = releases_of(results)
    title = releases[0].sheet.title
    by_answer: dict[str, str] = {}
    for release, result in zip(releases, results, strict=True):
        by_answer.setdefault(result.verdict.decision.answer, release.label)
    ready, memory = by_answer.get("ready"), by_answer.get("memory-alone")
    if ready and ready == releases[0].label:
        return f"{ready}, the newest there is, can run on {name} as it is."
    parts = []
    if memory:
        parts.append(f"with memory alone, the newest that can run on {name} is {memory}")
    if ready:
        parts.append(f"as it is, {'the newest is' if memory else f'{name} can run'} {ready}")
    if not parts:
        return (
            f"No release of {title} can run on {name} as it is or with memory alone, as far as "
            "known."
        )
    return capital("; ".join(parts)) + "."
