"""What came of a confirmation as the documented JSON object."""

from typing import Literal

from msgspec import Struct

from tallcheck.core.jobs.check import Check
from tallcheck.core.jobs.confirm import Confirmed
from tallcheck.core.jobs.confirm_modules import Finding
from tallcheck.core.usage.summary import UsageChange


class Redecided(Struct, frozen=True):
    """The answer for some needs, before the work and after it."""

    against: list[str]
    before: str
    after: str


class ConfirmOut(Struct, frozen=True):
    """A confirmation, as ``confirm --format json`` prints it; totals in bytes."""

    tallcheck: Literal["confirm/1"]
    machine: str
    answer: str
    sentence: str
    before: int | None
    after: int | None
    findings: list[Finding]
    changes: list[str]
    decisions: list[Redecided]
    usage: UsageChange | None


def confirm_json(
    found: Confirmed, decisions: list[tuple[Check, Check]], usage: UsageChange | None
) -> ConfirmOut:
    """The findings, what the checks come to, and whether it helped."""
    return ConfirmOut(
        "confirm/1",
        found.machine,
        found.answer,
        found.sentence,
        found.before.fitted if found.before else None,
        found.after.fitted if found.after else None,
        list(found.findings),
        list(found.changes),
        [
            Redecided([chosen.label for chosen in now.against], was.verdict.decision.answer,
                      now.verdict.decision.answer)
            for was, now in decisions
        ],
        usage,
    )  # fmt: skip
