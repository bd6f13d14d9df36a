"""A check as the documented JSON object."""

from typing import Any

from tallcheck.core.decide.decision import Row, Verdict
from tallcheck.core.jobs.check import Check
from tallcheck.core.words.conditions import conditions
from tallcheck.core.words.fixes import fix_text
from tallcheck.core.words.hints import how_to_find
from tallcheck.core.words.rows import (
    have_text,
    have_value,
    need_value,
    note,
    row_need_text,
)
from tallcheck.core.words.sentence import conflict_texts, sentence
from tallcheck.report.plan_json import plan_json


def check_json(result: Check) -> dict[str, Any]:
    """The check as the documented JSON object."""
    verdict = result.verdict
    decision = verdict.decision
    rows = [_row(row, verdict) for row in verdict.rows]
    if result.recommended is not None:
        rows += [_row(row, result.recommended) for row in result.recommended_rows]
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
            "sentence": sentence(result),
            "target_memory": decision.target_memory,
            "fixes": [
                {"kind": fix.kind, "rows": list(fix.rows), "text": fix_text(fix, verdict)}
                for fix in decision.fixes
            ],
            "conditions": conditions(verdict, result.ages, result.usage),
            "conflicts": conflict_texts(result),
            "possible": list(decision.possible),
            "find_out": [
                {"key": key, "how": how_to_find(key, result.machine.system.os)}
                for key in decision.find_out
            ],
            "limiting": decision.limiting,
        },
        "recommended": {"answer": result.recommended.decision.answer}
        if result.recommended
        else None,
        "support": [
            {"release": one.release, "ends": one.ends.isoformat(), "days_left": one.days_left,
             "running": one.running}
            for one in result.support
        ],
        "usage": None if result.usage is None else
        {"finding": result.usage.finding, "sentence": result.usage.sentence},
        "rows": rows,
        "plan": None if result.plan is None else plan_json(result.plan),
    }  # fmt: skip


def _row(row: Row, verdict: Verdict) -> dict[str, Any]:
    asked = row.ask.asked
    return {
        "key": row.key,
        "strength": asked.strength,
        "from": asked.source,
        "need": need_value(asked.need),
        "need_text": row_need_text(row),
        "have": have_value(row),
        "have_text": have_text(row, verdict.world),
        "status": row.status,
        "ratio": None if row.ratio is None else round(row.ratio, 3),
        "fixes": list(row.fixes),
        "origin": {"how": row.origin.how, "from": row.origin.source} if row.origin else None,
        "note": note(row, verdict),
    }
