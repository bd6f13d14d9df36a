"""One row explained: the reading and its source, the need, the rule, the cure."""

from tallcheck.core.before.rows import Row
from tallcheck.core.jobs.check import Check
from tallcheck.core.machine.readings import label_of
from tallcheck.core.values.errors import InputError, nearest

_RULES = {
    "memory": "Fitted memory counts, unless the system can use less than 70 % of it; then usable "
    "memory does. It is short of memory if the total to build exceeds what is fitted, of a system "
    "if the running one cannot address that total, of a machine if board or processor cannot take "
    "it, and of a setting if fitted memory is kept back.",
    "memory_own": "What programs want for themselves adds up, on top of what is in use.",
    "cores": "Physical cores of all sockets that the system runs; threads are not cores.",
    "threads": "Logical processors that the system runs.",
    "clock": "The nominal clock counts, not the highest and not that of the moment.",
    "generation": "Generations count within the line that the publisher names.",
    "processors": "The processor's name must fit one of the publisher's names or patterns.",
    "instructions": "All sets must be there. In a list that was read, what is not there is "
    "missing; in a told one it is unknown, unless a set that is there brings it.",
    "processor_bits": "What the processor can do, whatever system runs on it.",
    "architecture": "What the processor runs natively; x86-64 also runs x86.",
    "os_bits": "What the running system is built for, and no other unless it says so.",
    "os": "One of the named systems, in the named range of versions.",
    "storage": "The whole drive that holds the system; its volume stands in where it is unknown.",
    "storage_free": "Free room on the volume that holds the system.",
    "security_module": "The version that the system sees; often it is only switched off.",
    "firmware": "The mode in which the machine was started.",
    "secure_boot": "Able is enough where the publisher asks for able.",
    "display": "Width and height, both.",
    "software": "All of the named programs, in the named ranges of versions.",
    "extra": "Told readings with exactly these values.",
}
_BY_SHAPE = (
    "A setting on a virtual machine or where it is only switched off; the processor in a desktop, "
    "tower or server; the machine in any other shape."
)
_PROCESSOR = ("cores", "threads", "clock", "generation", "processors", "instructions")


def why(result: Check, key: str) -> list[tuple[str, str]]:
    """Label and text of each step from reading to cure, for every row of a key. InputError."""
    rows = [row for row in (*result.verdict.rows, *result.recommended_rows) if row.key == key]
    if not rows:
        known = list(dict.fromkeys(row.key for row in result.verdict.rows))
        raise InputError(
            f"found no row '{key}'{nearest(key, known)}", "one of " + ", ".join(known), "--why"
        )
    steps: list[tuple[str, str]] = []
    for row in rows:
        steps += _steps(row)
    return steps


def _steps(row: Row) -> list[tuple[str, str]]:
    origin = row.origin
    source = f" ({origin.how}: {origin.source or 'by a person'})" if origin else ""
    steps = [
        ("row", f"{row.key}, {row.strength}"),
        ("need", f"{row.need_text}, asked by {row.source}"),
        ("reading", f"{row.have_text}{source}"),
        ("status", row.status + (f", {row.ratio:.2f} of the need" if row.ratio else "")),
        ("rule", _RULES.get(row.key.split(" or ")[0], "The reading must meet the need.")),
    ]
    if row.note:
        steps.append(("note", row.note))
    if row.status == "short":
        cure = ", ".join(row.cures)
        if row.otherwise:
            cure += f"; or {', '.join(row.otherwise)}"
        steps.append(("cure", cure))
        if row.key in _PROCESSOR:
            steps.append(("cure's rule", _BY_SHAPE))
    if row.readings:
        steps.append(("rests on", ", ".join(label_of(key) for key in row.readings)))
    return steps
