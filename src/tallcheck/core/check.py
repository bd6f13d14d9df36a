"""A whole check: a machine against the chosen releases of several needs sheets."""

import datetime
from typing import Any

from msgspec import Struct

from tallcheck.core.decision import Verdict, decide
from tallcheck.core.errors import InputError
from tallcheck.core.machine import Machine
from tallcheck.core.needs import Need, NeedsSheet, Release, needs_at
from tallcheck.core.rows import Asked, Row, row_of
from tallcheck.core.sentence import listed, sentence

LEVELS = ("floor", "minimum", "recommended")


class Chosen(Struct, frozen=True):
    """One release of one needs sheet, as it is held against a machine."""

    sheet: NeedsSheet
    release: Release

    @property
    def label(self) -> str:
        """``Merrow 10``."""
        return f"{self.sheet.title} {self.release.name}".strip()


class Check(Struct, frozen=True):
    """What came of a check at one level, and what the recommended level would come to."""

    machine: Machine
    level: str
    against: tuple[Chosen, ...]
    verdict: Verdict
    sentence: str
    recommended: Verdict | None
    recommended_rows: tuple[Row, ...]


def _replaced(asked: list[Asked], instead: list[Need]) -> list[Asked]:
    """The needs with some keys replaced in every sheet, and added once where none had them."""
    if not instead:
        return asked
    keys = {need.key for need in instead}
    kept = [one for one in asked if one.need.key not in keys]
    return kept + [Asked(need, "asked for here", "minimum") for need in instead]


def _asked_at(against: tuple[Chosen, ...], level: str) -> list[Asked] | None:
    """Every need of every sheet at a level; None where no sheet states that level."""
    asked: list[Asked] = []
    stated = False
    for chosen in against:
        needs = needs_at(chosen.release, level)
        stated = stated or needs is not None
        if needs is None and level == "recommended":
            needs = needs_at(chosen.release, "minimum")
        asked += [Asked(need, chosen.label, level) for need in needs or ()]
    return asked if stated else None


def check(machine: Machine, against: tuple[Chosen, ...], level: str, instead: list[Need]) -> Check:
    """Hold a machine against releases at a level; ``instead`` replaces keys in every sheet.

    Raises InputError where a release states nothing at that level.
    """
    for chosen in against:
        if needs_at(chosen.release, level) is None:
            stated = [name for name in LEVELS if needs_at(chosen.release, name) is not None]
            raise InputError(
                f"{chosen.label} states no {level} needs", "the level " + " or ".join(stated)
            )
    asked = _replaced(_asked_at(against, level) or [], instead)
    verdict = decide(machine, asked)
    higher = _asked_at(against, "recommended") if level == "minimum" else None
    recommended: Verdict | None = None
    extra_rows: tuple[Row, ...] = ()
    if higher is not None:
        all_higher = _replaced(higher, instead)
        recommended = decide(machine, all_higher)
        plain = {(one.need, one.source) for one in asked}
        extra_rows = tuple(
            row
            for one in all_higher
            if (one.need, one.source) not in plain
            and (row := row_of(one, recommended.view)) is not None
        )
    wanted = listed([chosen.label for chosen in against]) or "what was asked for"
    text = sentence(verdict, machine.name, wanted)
    if level == "minimum" and verdict.decision.answer not in ("ready", "undecided"):
        text += _floor(machine, against, instead)
    return Check(machine, level, against, verdict, text, recommended, extra_rows)


def _floor(machine: Machine, against: tuple[Chosen, ...], instead: list[Need]) -> str:
    """What the sentence adds where the minimum is not met but every floor is."""
    if not against or any(chosen.release.floor is None for chosen in against):
        return ""
    asked = _replaced(_asked_at(against, "floor") or [], instead)
    if decide(machine, asked).decision.answer != "ready":
        return ""
    names = listed([chosen.label for chosen in against])
    return f" As it is, {names} would install, without the publisher's support."


def newest_first(sheet: NeedsSheet) -> list[Release]:
    """The releases of a sheet by when their support ends, latest first; undated as listed."""
    dated = any(release.support_ends for release in sheet.releases)
    if not dated:
        return list(reversed(sheet.releases))
    return sorted(sheet.releases, key=lambda r: r.support_ends or datetime.date.min, reverse=True)


def check_json(result: Check) -> dict[str, Any]:
    """The check as the documented JSON object."""
    decision = result.verdict.decision
    rows = [*result.verdict.rows, *result.recommended_rows]
    return {
        "tallcheck": "check/1",
        "machine": result.machine.name,
        "level": result.level,
        "against": [
            {"title": one.sheet.title, "release": one.release.name, "kind": one.sheet.kind}
            for one in result.against
        ],
        "decision": {
            "answer": decision.answer,
            "sentence": result.sentence,
            "target_memory": decision.target_memory,
            "cures": [
                {"kind": cure.kind, "rows": list(cure.rows), "text": cure.text}
                for cure in decision.cures
            ],
            "conditions": list(decision.conditions),
            "conflicts": list(decision.conflicts),
            "possible": list(decision.possible),
            "find_out": [{"key": one.key, "how": one.how} for one in decision.find_out],
            "limiting": decision.limiting,
        },
        "recommended": {"answer": result.recommended.decision.answer}
        if result.recommended
        else None,
        "rows": [_row_json(row) for row in rows],
        "plan": None,
    }


def _row_json(row: Row) -> dict[str, Any]:
    cures = dict.fromkeys((*row.cures, *(row.otherwise or ())))
    return {
        "key": row.key,
        "strength": row.strength,
        "from": row.source,
        "need": row.need,
        "need_text": row.need_text,
        "have": row.have,
        "have_text": row.have_text,
        "status": row.status,
        "ratio": None if row.ratio is None else round(row.ratio, 3),
        "cures": list(cures),
        "origin": {"how": row.origin.how, "from": row.origin.source} if row.origin else None,
        "note": row.note,
    }
