"""The decision in words: a sentence that can be read out over the telephone."""

from typing import TYPE_CHECKING

from tallcheck.core.before.decision import Decision, Verdict
from tallcheck.core.before.rows import Row, gravity
from tallcheck.core.values.quantities import format_memory

if TYPE_CHECKING:
    from tallcheck.core.jobs.check import Check

_NAMES = {
    "memory": "memory",
    "memory_own": "memory of its own",
    "cores": "cores",
    "threads": "threads",
    "clock": "the clock",
    "generation": "the processor's generation",
    "processors": "the processor",
    "instructions": "instruction sets",
    "processor_bits": "the processor's bits",
    "architecture": "the architecture",
    "virtualization": "virtualization",
    "os": "the operating system",
    "os_bits": "the system's bits",
    "storage": "storage",
    "storage_free": "free storage",
    "storage_data": "storage for data",
    "storage_kind": "the kind of drive",
    "security_module": "the security module",
    "firmware": "the firmware mode",
    "secure_boot": "secure boot",
    "graphics": "graphics",
    "graphics_memory": "graphics memory",
    "display": "the display",
    "software": "other programs",
    "memory_use": "memory in use",
    "cores_use": "cores in use",
    "extra": "other readings",
}


def key_name(key: str) -> str:
    """What a key is called in a sentence; several keys of one row are joined by "or"."""
    return " or ".join(_NAMES.get(part, part) for part in key.split(" or "))


def listed(words: list[str]) -> str:
    """``a``, ``a and b``, ``a, b and c``."""
    return " and ".join(", ".join(words).rsplit(", ", 1)) if words else ""


def sentence(verdict: Verdict, machine: str, wanted: str) -> str:
    """The answer in one or two sentences: the machine's name, what it was held against, why."""
    decision, rows = verdict.decision, list(verdict.rows)
    if decision.conflicts:
        return _conflict(decision, machine, wanted)
    short = [row for row in rows if row.status == "short"]
    if decision.answer == "ready":
        return f"{machine} is ready for {wanted}: it meets every need as it is."
    if decision.answer == "memory-alone":
        return (
            f"A memory upgrade alone is enough: {_bring(decision, machine)} "
            f"and it meets every need of {wanted}."
        )
    if decision.answer == "memory-plus":
        others = listed(
            [cure.text for cure in decision.cures if cure.kind != "memory"] or ["other changes"]
        )
        return (
            f"Memory alone is not enough for {wanted}: {_bring(decision, machine)}, "
            f"and also {others}."
        )
    if decision.answer == "replace":
        grave = [row for row in short if "machine" in (*row.cures, *(row.otherwise or ()))]
        target = verdict.view.target
        why_not = target.why_not if target is not None else ""
        return f"{machine} must be replaced for {wanted}: {_because(grave or short, why_not)}."
    if decision.answer == "other":
        memory_too = any(row.key == "memory" for row in short)
        what = "buying memory does not help" if memory_too else "memory is not what is short"
        cures = listed([cure.text for cure in decision.cures])
        tail = f" What would: {cures}." if cures else ""
        return f"{machine} does not meet {wanted}, and {what}: {_because(short)}.{tail}"
    return _undecided(decision, rows, machine, wanted)


def _conflict(decision: Decision, machine: str, wanted: str) -> str:
    """The conflict leads; what memory would do comes after it, if at all."""
    first = decision.conflicts[0]
    more = len(decision.conflicts) - 1
    text = f"{first[:1].upper()}{first[1:]}."
    if more:
        text += f" {more} more {'conflict is' if more == 1 else 'conflicts are'} listed below."
    if decision.answer == "replace":
        return f"{text} Besides, {machine} must be replaced for {wanted}."
    if decision.answer == "undecided":
        return f"{text} Besides, a reading is missing for {wanted}."
    cures = listed([cure.text for cure in decision.cures])
    return text + (f" Besides, {machine} needs: {cures}." if cures else "")


def _bring(decision: Decision, machine: str) -> str:
    if decision.target_memory is None:
        return f"add memory to {machine}"
    return f"bring {machine} to {format_memory(decision.target_memory)}"


def _because(rows: list[Row], why_no_memory: str = "") -> str:
    parts = []
    for row in sorted(rows, key=lambda row: gravity(row.cures))[:3]:
        reason = f"{key_name(row.key)}: {row.have_text}, {row.need_text} asked"
        parts.append(reason)
        if row.key == "memory" and why_no_memory:
            parts[-1] += f", and {why_no_memory}"
    more = len(rows) - 3
    return "; ".join(parts) + (f"; and {more} more" if more > 0 else "")


_POSSIBLE = {
    "ready": "ready as it is",
    "memory-alone": "in need of memory alone",
    "memory-plus": "in need of memory and more",
    "other": "in need of something other than memory",
    "replace": "to be replaced",
}


def _undecided(decision: Decision, rows: list[Row], machine: str, wanted: str) -> str:
    may = " or ".join(_POSSIBLE[answer] for answer in decision.possible)
    from tallcheck.core.machine.readings import label_of

    text = f"{machine} cannot be judged for {wanted} yet: it may be {may}."
    if decision.find_out:
        text += f" Find out first: {label_of(decision.find_out[0].key)}."
    short = [row for row in rows if row.status == "short"]
    if short:
        text += f" Short so far: {_because(short)}."
    return text


def newest_that_runs(results: "list[Check]") -> str:
    """The sentence over the releases: the newest that runs as it is, and with memory alone."""
    name = results[0].machine.name
    title = results[0].against[0].sheet.title
    by_answer: dict[str, str] = {}
    for result in results:
        by_answer.setdefault(result.verdict.decision.answer, result.against[0].label)
    ready, memory = by_answer.get("ready"), by_answer.get("memory-alone")
    if ready and ready == results[0].against[0].label:
        return f"{ready}, the newest there is, runs on {name} as it is."
    parts = []
    if memory:
        parts.append(f"with memory alone, the newest that runs on {name} is {memory}")
    if ready:
        parts.append(f"as it is, {'the newest is' if memory else f'{name} runs'} {ready}")
    if not parts:
        return (
            f"No release of {title} runs on {name} as it is or with memory alone, as far as known."
        )
    text = "; ".join(parts)
    return text[:1].upper() + text[1:] + "."
