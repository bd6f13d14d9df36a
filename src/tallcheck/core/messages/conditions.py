"""What an answer rests on, and one row explained: reading, source, need, rule, fix."""

from tallcheck.core.board.totals import CEILING, POSITIONS
from tallcheck.core.decide.decision import Row, Verdict
from tallcheck.core.decide.trials import REPLACE
from tallcheck.core.jobs.check import Age, Check
from tallcheck.core.machine.amounts import limit_32
from tallcheck.core.machine.derive import BY_LIST
from tallcheck.core.machine.readings import kind_of, label_of
from tallcheck.core.messages.plans import MISSING
from tallcheck.core.messages.remarks import may_be_off, no_more, note
from tallcheck.core.messages.rows import have_text, row_need_text
from tallcheck.core.messages.values import listed, show_value, span
from tallcheck.core.needs.keys import KEYS
from tallcheck.core.needs.numbers import PROCESSOR_MENDS
from tallcheck.core.usage.summary import Usage
from tallcheck.core.values.errors import InputError, nearest
from tallcheck.core.values.quantities import format_memory, format_share

_SWITCHED = {
    "security_module": "the security module",
    "firmware": "the other firmware mode",
    "secure_boot": "secure boot",
}


_MOST = "memory.ceiling"

LOG_OF_WHOM = "the usage log does not tell of which machine it is"


def conditions(
    verdict: Verdict, ages: tuple[Age, ...] = (), usage: Usage | None = None
) -> list[str]:
    """Everything that an answer rests on and that a look or a question could change."""
    found = [text for row in verdict.rows for text in _of_row(row, verdict)]
    found += [
        f"{_SWITCHED[row.key]} may only be switched off: look in the firmware's settings; where it "
        "is not there either, the machine lacks it"
        for row in verdict.rows
        if row.key in _SWITCHED and may_be_off(row, verdict.world)
    ]
    moment = any(row.key == "memory_own" and row.status != "unknown" for row in verdict.rows)
    if moment and verdict.usage is None:
        found.append(
            "memory in use is that of one moment (usable less available); a usage log would tell "
            "the habit"
        )
    if usage is not None and usage.machine is None:
        found.append(LOG_OF_WHOM)
    found += _of_target(verdict) + _of_the_most(verdict)
    if verdict.decision.wide:
        found.append(
            "too much is unknown to try every combination: one of the answers named may turn out "
            "not to be possible"
        )
    found += [_age_text(age) for age in ages]
    return list(dict.fromkeys(found))


def conditions_of(result: Check) -> list[str]:
    """Those of a whole check: what an older machine does not tell, and room to grow, too."""
    found = conditions(result.verdict, result.ages, result.usage)
    older = result.older
    if older is None:
        return found
    if older.untold:
        names = ", ".join(map(label_of, older.untold))
        found.append(f"not compared, for {older.name} does not tell it: {names}")
    return found + [
        f"less room to grow: {label_of(key)} {_shown(key, here)}, of {older.name} "
        f"{_shown(key, most)}"
        for key, most, here in older.grows
    ]


def _shown(key: str, value: int) -> str:
    return show_value(kind_of(key), value)


def _of_row(row: Row, verdict: Verdict) -> list[str]:
    if row.ask.asked.need.incomparable:
        return [f"{row.key} is not judged: {row.ask.asked.need.incomparable}"]
    if row.status == "unknown":
        return []
    keys = list(row.answer.evaluation.worked_out)
    if row.origin is not None and row.origin.how == "worked out":
        keys.append(row.answer.evaluation.reading)
    texts = []
    for key in dict.fromkeys(keys):
        origin = verdict.machine.origins.get(key)
        if origin is not None and origin.source == BY_LIST:
            continue  # a sum is as sure as its parts
        if key == "storage.size":
            text = "the size of the system volume stands for the drive's, which is not known"
        elif key == "processor.instructions":
            by = note(row, verdict).removeprefix("worked out: ")
            text = f"instruction sets are worked out ({by})"
        elif row.answer.evaluation.worked_out and key in row.answer.evaluation.worked_out:
            text = f"{row.key} is worked out from {label_of(key)}"
        else:
            text = f"{label_of(key)} is worked out"
            text += f" from {origin.source}" if origin and origin.source else ""
        texts.append(text)
    return texts


_TOLD_BY_MODULES = ("memory.modules", "memory.slots", "memory.type", "memory.form")
"""What whoever looks at the modules sees."""


def look_ups(verdict: Verdict) -> list[str]:
    """What is not known of the board and can be looked up by who buys for it."""
    decision = verdict.decision
    if decision.target_memory is None:
        return []
    unknown = decision.unknown_memory
    if "memory.modules" in unknown:
        unknown = ("memory.modules", *(key for key in unknown if key not in _TOLD_BY_MODULES))
    differ = _differing(verdict)
    return [MISSING[key] + (differ if key == _MOST else "") for key in unknown]


def before_buying(found: list[str]) -> list[str]:
    """All of them as one condition."""
    return [f"look up before buying: {'; '.join(found)}"] if found else []


def _of_target(verdict: Verdict) -> list[str]:
    decision = verdict.decision
    goal = decision.goal
    if goal is None:
        return []
    found = before_buying(look_ups(verdict))
    if goal.lower:
        open_ones = [key for row in verdict.rows for key in row.answer.missing]
        found.append(
            f"{format_memory(goal.lower)} may do; it depends on "
            f"{listed(list(dict.fromkeys(map(label_of, open_ones))))}"
        )
    system = any(fix.kind == "system" for fix in decision.fixes)
    limit = float(limit_32(verdict.world.get("memory.usable") or 0))
    if verdict.world.get("system.os_bits") is None and goal.total > limit and not system:
        found.append(
            "the bits of the running system are not known: a 32-bit one cannot address more than "
            f"{format_memory(int(limit))}"
        )
    return found


def _differing(verdict: Verdict) -> str:
    """That sources differ on the most memory; nothing where they do not."""
    if verdict.world.get(_MOST) is None:
        return ""
    said = {one[_MOST] for each in verdict.known.doubts for one in each.values if _MOST in one}
    sizes = [format_memory(one) for one in sorted(map(int, said))]
    return f" (sources differ: {', '.join(sizes)})" if sizes else ""


_LIMITS = {
    CEILING: (_MOST, "the most memory the board takes"),
    POSITIONS: ("memory.position_most", "the largest module that a position takes"),
}


def _of_the_most(verdict: Verdict) -> list[str]:
    """Where a machine is replaced for the most that its board takes: who says so."""
    if verdict.decision.answer != REPLACE:
        return []
    short = [row for row in verdict.rows if row.status == "short"]
    whys = dict.fromkeys(no_more(row, verdict.world) for row in short)
    said = [(*_LIMITS[why], verdict.world.get(_LIMITS[why][0])) for why in whys if why in _LIMITS]
    return [_who_says(key, label, most, verdict) for key, label, most in said if most is not None]


def _who_says(key: str, label: str, most: int, verdict: Verdict) -> str:
    origin, told = verdict.machine.origins.get(key), "was told"
    if origin is not None and origin.how == "read":
        told = "is what its firmware says"
    elif origin is not None and origin.source and not origin.source.startswith("by "):
        told = f"is from the {origin.source}"
    return f"{label} ({format_memory(most)}) {told}: look it up before the machine is replaced"


def _age_text(age: Age) -> str:
    if age.read_on is None:
        return f"the needs of {age.label} are provisional: they may still change"
    return (
        f"the needs of {age.label} were read on {age.read_on}, {span(age.days)} ago: look whether "
        "the publisher has changed them"
    )


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
            f"found no requirement '{key}'{nearest(key, known)}",
            "one of " + ", ".join(known),
            "--why",
        )
    return found


def _steps(row: Row, verdict: Verdict) -> list[tuple[str, str]]:
    origin, entry = row.origin, row.ask.key
    source = f" ({origin.how}: {origin.source or 'by a person'})" if origin else ""
    steps = [
        ("requirement", f"{row.key}, {row.ask.asked.strength}"),
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
        steps.append(("depends on", ", ".join(label_of(one) for one in row.answer.missing)))
    return steps


def _share(row: Row) -> str:
    """How much of an amount is there; versions, generations and bits are no amounts."""
    amount = row.ask.key is not None and row.ask.key.kind in ("memory", "storage", "clock", "count")
    return f": {format_share(row.ratio)} of what is asked for" if row.ratio and amount else ""
