"""Usage over time: is memory what is short, in real use, and what is to be done?

Memory that is used is memory doing its work. Only a machine that is short all the time, under its
ordinary programs, or that swaps, gains from more. So the hours of use are found from the log and
judged, and a quiet night dilutes nothing.
"""

import datetime

from tallcheck.core.machine.amounts import ROUND_TOTALS, likely_fitted
from tallcheck.core.usage.figures import figures_of
from tallcheck.core.usage.log import HOUR, Log, present_of
from tallcheck.core.usage.summary import FULL, TIGHT, Figures, Step, Stretch, Usage
from tallcheck.core.values.either import at_or_above
from tallcheck.core.values.quantities import format_duration, format_memory, format_share

BRIEF = 2 * HOUR
"""Less time in use than this tells nothing of a habit."""
_SOME = 0.05  # share of the time from which pressure on tight memory is no accident
_OFTEN = 0.1  # the same, however much is in use
_CUT_OFF = 0.25  # share of the tight time with hardly anything left that is no accident
_HOURS_A_DAY = 4 * HOUR
_FIRST_DAY = datetime.date(1970, 1, 1).toordinal()
_NIGHT = (20, 7)  # hours by the log's clock
_NOTABLE = 0.2  # share of the time from which the drive or the cores are worth a word


def judge(log: Log, tight: float = TIGHT, full: float = FULL) -> Usage:
    """The finding of a log with its sentence, what to do, and every figure behind it.

    Where the machine's memory changed, the time since is judged, and the time before told.
    """
    present, before = present_of(log)
    figures = figures_of(present, tight, full)
    finding, why = _finding(figures, tight)
    sentence = _sentence(finding, why, figures)
    if figures.apart is not None and not figures.apart.of_job:
        other, _ = _finding(figures_of(present, tight, full, people=False), tight)
        sentence += _either(figures.apart, finding, other)
    if before is not None:
        sentence += _before(before, present, tight, full)
    not_told = _not_told(present)
    return Usage(
        finding, sentence, _next(finding, figures), figures, log.problems, not_told, log.machine
    )


def _finding(figures: Figures, tight: float) -> tuple[str, str]:
    above, mark = figures.above_tight, format_share(tight)
    swapping, stalled = figures.swapping or 0.0, figures.stalled or 0.0
    usual = format_share(figures.median)
    if figures.used_seconds < BRIEF:
        return "too brief", ""
    if (figures.swapping_tight or 0.0) > _SOME:
        share = format_share(figures.swapping_tight or 0.0)
        return "short", (
            f"it is tight and reads pages back from swap during {share} of the hours of use"
        )
    if swapping > _OFTEN:
        return "short", (
            f"pages are read back from swap during {format_share(swapping)} of the hours of use, "
            f"though {usual} of memory is the usual use"
        )
    if stalled > _OFTEN or (stalled > _SOME and above > _SOME):
        return (
            "short",
            f"programs wait for memory during {format_share(stalled)} of the hours of use",
        )
    if above > 0.5:
        spent = f"during {format_share(above)} of the hours of use"
        return _full(figures, f"it is more than {mark} full {spent}")
    if figures.tight_a_day >= _HOURS_A_DAY:
        spent = f"for {format_duration(figures.tight_a_day)} of the usual day"
        return _full(figures, f"it is more than {mark} full {spent}")
    if figures.p95.value > tight:
        return "near", f"it passes {mark} during {format_share(above, 1)} of the hours of use"
    return (
        "ample",
        f"in use it takes no more than {format_share(figures.p95.value)} for 95 % of the time",
    )


def _full(figures: Figures, why: str) -> tuple[str, str]:
    """Whether full memory is short: where so little is left that what is in use is cut off."""
    if figures.full_of_tight > _CUT_OFF:
        return "short", why
    return "near", f"{why}, and nothing shows that anybody waits for it"


def _sentence(finding: str, why: str, figures: Figures) -> str:
    if finding == "too brief":
        return (
            f"The log is too brief to tell a habit: {format_duration(figures.used_seconds)} in "
            "use; a whole working day would do."
        )
    text = {
        "short": "Memory is short in use",
        "near": "Memory comes near its limit, but is not short",
        "ample": "Memory is ample",
    }[finding]
    said = [f"{text}: {why}."]
    if figures.apart is not None and figures.apart.of_job:
        said.append(_of_job(figures.apart))
    if figures.growing_program:
        puts_off = "fills any memory" if finding == "ample" else "more memory only puts that off"
        said.append(f"One program, {figures.growing_program}, grows without end: {puts_off}.")
    elif finding == "short":
        said.append(f"What it would have wanted: {format_memory(figures.demand)}.")
    elif finding == "ample":
        said.append("More would change nothing.")
    if figures.holders and finding != "ample":
        held = [f"{name} ({format_memory(size)})" for name, size in figures.holders]
        said.append(f"While it is tight, most is held by {', '.join(held)}.")
    if figures.growth:
        said.append(f"Use grows by about {format_memory(int(figures.growth.value))} a week.")
    if figures.step:
        said.append(_of_step(figures.step))
    said += [text for _, text in _elsewhere(finding, figures)]
    return " ".join(said)


def _of_step(step: Step) -> str:
    day = datetime.date.fromordinal(_FIRST_DAY + step.day).isoformat()
    how = "rose" if step.size > 0 else "fell"
    return (
        f"On {day} use {how} by about {format_memory(abs(step.size))} at once, and has stayed so: "
        "ask what was changed that day."
    )


def _of_job(apart: Stretch) -> str:
    when, hours = str(apart), ""
    if apart.first >= _NIGHT[0] or apart.first < _NIGHT[1]:
        when, hours = "At night", f" ({when[:1].lower()}{when[1:]})"
    return (
        f"{when} a job fills memory{hours}; nobody waits for it, so the rest of the day alone is "
        "judged."
    )


def _either(apart: Stretch, finding: str, other: str) -> str:
    """What is said where it cannot be told whether people or a job press memory."""
    if other in (finding, "too brief"):
        return ""
    return (
        f" {apart} it is pressed, and whether somebody works then cannot be told: if only a job "
        f"runs, nobody waits and memory {_IS[other]}. Ask who works at it in those hours."
    )


def _elsewhere(finding: str, figures: Figures) -> list[tuple[str, str]]:
    """What else people wait for: where to look, and the sentence that says so."""
    found = []
    drive, every, one = figures.drive_stall, figures.all_cores_full, figures.one_core_full
    if finding != "short" and drive is not None and drive > _NOTABLE:
        share = format_share(drive)
        found.append(("the drive", f"Programs wait for the drive {share} of the time."))
    if every is not None and every > _NOTABLE:
        count, share = figures.core_count, format_share(every)
        found.append(("the processor", f"All {count} cores are full {share} of the time."))
    elif one is not None and one > _NOTABLE:
        found.append(
            (
                "the processor",
                f"One core alone is full {format_share(one)} of the time: faster cores would "
                "help, more would not.",
            )
        )
    return found


def _before(before: Log, present: Log, tight: float, full: float) -> str:
    """What is told of the time with other memory."""
    figures = figures_of(before, tight, full)
    finding, _ = _finding(figures, tight)
    local = float(present.local()[0])
    day = datetime.datetime.fromtimestamp(local, datetime.UTC).date().isoformat()
    was = "" if finding == "too brief" else f", which {_WAS[finding]}"
    return (
        f" Until {day} it had {format_memory(figures.total)}{was}; the time since is judged, with "
        f"{format_memory(int(present.columns['memory_total'][-1]))}."
    )


_IS = {"short": "is short", "near": "only comes near its limit", "ample": "is ample"}
_WAS = {"short": "was short", "near": "came near its limit", "ample": "was ample"}


def _enough(figures: Figures) -> str:
    """The total that leaves a fifth free above what was wanted, where positions are unknown."""
    fitted = int(likely_fitted(float(figures.total)))
    wanted = max(figures.demand / TIGHT + fitted - figures.total, fitted + 1.0)
    return format_memory(int(at_or_above(ROUND_TOTALS, wanted)))


def _next(finding: str, figures: Figures) -> str:
    if finding == "too brief":
        return "Record a working day: tallcheck record -o here.usage.csv --for 8h"
    if figures.growing_program:
        return f"Have {figures.growing_program} looked at, then record again."
    if finding == "short":
        enough = _enough(figures)
        plan = f"tallcheck upgrade MACHINE --to {enough.replace(' ', '')}"
        return f"Bring it to {enough}, the next total with a fifth to spare. The modules: {plan}"
    places = [place for place, _ in _elsewhere(finding, figures)]
    if places:
        return f"Look at {' and '.join(places)}; leave memory as it is."
    if finding == "near" and figures.growth:
        enough = _enough(figures)
        return f"At this growth it will be short: plan for {enough}, and record again in a month."
    if finding == "near":
        return "Buy nothing now; record again when its work changes, or in three months."
    return "Leave memory as it is."


def _not_told(log: Log) -> tuple[str, ...]:
    """What the log does not tell, as sentences."""
    silent = (
        ("swapped_in", "Swapping is unknown on this log."),
        ("memory_stall", "How long programs wait for memory is unknown on this log."),
        ("cores_busy", "How busy the cores are is unknown on this log."),
    )
    return tuple(text for name, text in silent if log.get(name) is None)
