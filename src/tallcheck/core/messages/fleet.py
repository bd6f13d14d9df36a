"""A fleet in words: the sentence, the verdict on one machine in short."""

import numpy as np

from tallcheck.core.decide.decision import Verdict
from tallcheck.core.fleet.judged import ANSWERS
from tallcheck.core.fleet.models import Matched
from tallcheck.core.fleet.placing import In, Out, Work
from tallcheck.core.jobs.fleet_check import FleetCheck
from tallcheck.core.messages.conflicts import conflict_text
from tallcheck.core.messages.values import count_text, listed
from tallcheck.core.values.money import format_money
from tallcheck.core.values.quantities import format_memory

_TEXTS = {
    "memory-alone": "{} need memory and nothing else",
    "memory-plus": "{} need memory and more",
    "not-memory": "{} need another change",
    "replace": "{} have to be replaced",
    "undecided": "{} cannot be judged yet",
}


def wanted_of(found: FleetCheck) -> str:
    """``Merrow 10 and Fernfolio 4``."""
    return listed([chosen.label for chosen in found.task.against]) or "what was asked for"


def fleet_sentence(found: FleetCheck) -> str:
    """The counts in a sentence, with what memory alone costs where that is known."""
    counts = found.judged.counts()
    total = len(found.fleet)
    rest = [
        _agreeing(text.format(counts[answer]), counts[answer])
        for answer, text in _TEXTS.items()
        if counts[answer]
    ]
    are = "is" if counts["ready"] == 1 else "are"
    text = f"Of {count_text(total, 'machine')}, {counts['ready']} {are} ready for "
    text += wanted_of(found) + (f"; {listed(rest)}." if rest else ".")
    if found.costs is not None and counts["memory-alone"]:
        alone = found.costs.whole[found.judged.answers == ANSWERS.index("memory-alone")]
        money = format_money(int(np.nansum(alone)), found.currency)
        unknown = int(np.isnan(alone).sum())
        if unknown < len(alone):
            text += f" What needs memory alone costs {money}"
            text += f" ({unknown} without a price)." if unknown else "."
    return text


_MODELS_NAMED = 4


def models_text(matched: Matched, total: int) -> str:
    """How many machines a models list knows, and why it does not know the others."""
    text = f"{matched.count} of {total} machines are on the models list"
    if matched.unnamed:
        text += f"; {matched.unnamed} {'have' if matched.unnamed > 1 else 'has'} no model told"
    if matched.others:
        named = [f"'{one}'" for one in matched.others[:_MODELS_NAMED]]
        more = len(matched.others) - len(named)
        text += f"; not on it: {', '.join(named)}" + (f" and {more} more" if more else "")
    return text


def _agreeing(text: str, count: int) -> str:
    if count != 1:
        return text
    return text.replace(" need ", " needs ").replace(" have ", " has ")


def first_conflict(found: FleetCheck, verdict: Verdict) -> str:
    """The first conflict of one machine, in words."""
    return conflict_text(verdict.decision.conflicts[0], verdict, found.task.against)


def out_text(found: FleetCheck, work: Work) -> str:
    """``4 GB in A1, for potting-02; 2 GB in B1, into the drawer``."""
    return "; ".join(_out(found, one) for one in work.take_out)


def _out(found: FleetCheck, one: Out) -> str:
    where = "into the drawer" if one.into is None else f"for {found.fleet.names[one.into]}"
    return f"{format_memory(one.size)} in {one.slot}, {where}"


def in_text(found: FleetCheck, work: Work) -> str:
    """``8 GB LM-S4-8 into A1, from Larkmoor; 4 GB into B1, out of potting-02``."""
    return "; ".join(_in(found, one) for one in work.put_in)


def _in(found: FleetCheck, one: In) -> str:
    if one.offer is None:
        giver = found.fleet.names[one.giver or 0]
        return f"{format_memory(one.size)} into {one.slot}, out of {giver} ({one.giver_slot})"
    source = f", from {one.offer.source}" if one.offer.source else ""
    return f"{format_memory(one.size)} {one.offer.part} into {one.slot}{source}"
