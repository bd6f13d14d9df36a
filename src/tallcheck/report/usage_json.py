"""What a usage log says as the documented JSON object."""

from typing import Literal

from msgspec import Struct, structs

from tallcheck.core.usage.summary import Figures, Usage


class UsageOut(Struct, frozen=True):
    """A finding, as ``usage --format json`` prints it; the log's figures as the core has them."""

    tallcheck: Literal["usage/1"]
    finding: str
    sentence: str
    next: str
    figures: Figures
    problems: tuple[str, ...]
    not_told: tuple[str, ...]
    machine: str | None


def usage_json(found: Usage) -> UsageOut:
    """The finding under its mark."""
    return UsageOut("usage/1", **structs.asdict(found))
