"""Thirty made logs, and what a technician should be told of each."""

from typing import Any

import numpy as np
import pytest

from tallcheck.core.usage.figures import growth_of, lasting_growth, step_of
from tallcheck.core.usage.finding import judge
from tallcheck.core.usage.log import Log, present_of, weights_of
from tallcheck.core.usage.summary import Step
from tests.helpers import GIB
from tests.laws.lives import LIVES_TOLD, life_log

MINUTES = 1440
MONDAY = 1_762_128_000.0  # 2025-11-03, midnight


def day_log(
    days: int, share: Any, busy: Any = None, total: Any = 8.0, growing: str | None = None,
    **columns: Any,
) -> Log:  # fmt: skip
    """A log of a row a minute; each column may be a function of the hour of the day."""
    at = np.arange(days * MINUTES)
    hour = at / 60 % 24

    def made(value: Any) -> Any:
        found = value(hour, at / MINUTES) if callable(value) else value
        return np.broadcast_to(np.asarray(found, dtype=float), len(at)).copy()

    memory = made(total) * GIB
    found = {"memory_total": memory, "memory_available": memory * (1 - made(share))}
    found |= {name: made(value) for name, value in columns.items()}
    if busy is not None:
        found |= {"cores_busy": made(busy), "core_count": made(4.0)}
    return Log(MONDAY + at * 60.0, 0.0, found, growing=growing)


def office(low: float, high: float) -> Any:
    """One value at night, another from nine to five."""
    return lambda hour, day: np.where((hour >= 9) & (hour < 17), high, low)


def between(first: float, last: float, low: float, high: float) -> Any:
    """Another value between two hours, which may lie around midnight."""

    def made(hour: Any, day: Any) -> Any:
        inside = (hour >= first) & (hour < last)
        if first > last:
            inside = (hour >= first) | (hour < last)
        return np.where(inside, high, low)

    return made


def missing_by_day(hour: Any, day: Any) -> Any:
    """Busy cores that are not told from nine to five on the first of two days."""
    busy = np.where((hour >= 9) & (hour < 17), 1.5, 0.03)
    return np.where((day < 1) & (hour >= 9) & (hour < 17), np.nan, busy)


MB = 1 << 20
WORK = office(0.03, 1.5)
NIGHT_JOB = lambda hour, day: np.where(  # noqa: E731
    (hour >= 1) & (hour < 4), 3.5, np.where((hour >= 9) & (hour < 17), 1.0, 0.03)
)
BUSY_NIGHT = lambda hour, day: np.where((hour >= 9) & (hour < 17), 0.5, 2.5)  # noqa: E731
SAW = lambda hour, day: 0.3 + 0.05 * (day % 7) + 0.02 * (hour > 12)  # noqa: E731
RISE = lambda hour, day: 0.3 + 0.007 * day + 0.02 * np.sin(3 * day)  # noqa: E731
ALL = (0.5, 1.0)

CASES: list[tuple[str, Log, str, tuple[str, ...]]] = [
    ("quiet", day_log(2, 0.4, WORK), "ample", ("More would change nothing", "Leave memory")),
    ("short by day", day_log(2, office(0.3, 0.92), WORK), "short", ("100 % of the hours", "12 GB")),
    ("night job busier than the day", day_log(2, office(0.3, 0.92), NIGHT_JOB), "short", ()),
    ("busy night", day_log(2, office(0.4, 0.92), BUSY_NIGHT), "short", ("8 h of the usual day",)),
    ("busy all the time", day_log(2, 0.9, 2.0), "short", ("alike all the time",)),
    ("cores not told", day_log(2, office(0.3, 0.92)), "short",
     ("usual day", "How busy the cores are is unknown")),
    ("cores not told for a day", day_log(2, office(0.3, 0.92), missing_by_day), "short",
     ("16 hours",)),
    ("a nightly batch alone", day_log(3, between(1, 6, 0.4, 0.95), NIGHT_JOB), "ample",
     ("At night a job fills memory", "nobody waits")),
    ("a batch around midnight", day_log(3, between(22, 4, 0.4, 0.95), WORK), "ample",
     ("At night",)),
    ("a night shift", day_log(3, between(21, 6, 0.3, 0.95), between(21, 6, 0.03, 1.5)), "short",
     ()),
    ("three tight hours a day", day_log(3, between(9, 12, 0.4, 0.9), WORK), "near", ("37.5 %",)),
    ("five tight hours a day", day_log(3, between(9, 14, 0.4, 0.9), WORK), "short", ()),
    ("a spike", day_log(2, between(12, 12.2, 0.4, 0.97), WORK), "ample", ()),
    ("tight and swapping", day_log(2, office(0.4, 0.85), WORK, swapped_in=office(0, 60 * MB)),
     "short", ("reads pages back",)),
    ("thrashing at 70 %", day_log(2, office(0.3, 0.7), WORK, swapped_in=office(0, 60 * MB)),
     "short", ("though 70 %", "12 GB")),
    ("thrashing at 78 %", day_log(2, office(0.3, 0.78), WORK,
                                   swapped_in=between(9, 10.5, 0, 60 * MB)), "short", ("19 %",)),
    ("a little swap", day_log(2, 0.5, WORK, swapped_in=office(0, MB)), "ample", ()),
    ("swapping at night only", day_log(3, 0.7, WORK, swapped_in=between(1, 5, 0, 60 * MB)),
     "ample", ("At night",)),
    ("stalls at 75 %", day_log(2, 0.75, WORK, memory_stall=office(0, 0.3)), "short",
     ("wait for memory",)),
    ("swap is not told", day_log(2, 0.5, WORK), "ample", ("Swapping is unknown on this log",)),
    ("upgraded at noon", day_log(4, lambda h, d: np.where(d < 2, 0.9, 0.45), WORK,
                                 lambda h, d: np.where(d < 2, 4.0, 8.0)), "ample",
     ("Until 2025-11-05 it had 4 GB, which was short", "with 8 GB")),
    ("upgraded an hour ago", day_log(2, 0.5, WORK, lambda h, d: np.where(d < 1.96, 4.0, 8.0)),
     "too brief", ("Until 2025-11-04", "Record a working day")),
    ("a balloon", day_log(2, 0.5, WORK, lambda h, d: np.where(h % 2 < 1, 4.0, 8.0)), "ample", ()),
    ("a leak and short", day_log(2, office(0.3, 0.9), WORK, growing="mapper"), "short",
     ("mapper, grows without end", "more memory only puts that off", "Have mapper looked at")),
    ("a leak in ample memory", day_log(2, 0.4, WORK, growing="mapper"), "ample",
     ("mapper, grows without end", "Have mapper looked at")),
    ("the drive", day_log(2, 0.4, WORK, drive_stall=0.4), "ample",
     ("wait for the drive 40 %", "Look at the drive")),
    ("all cores full", day_log(2, 0.4, office(0.03, 3.95)), "ample",
     ("All 4 cores are full 100 %", "Look at the processor")),
    ("one core full", day_log(2, 0.4, office(0.03, 1.1), busiest_core=office(0.03, 0.99)), "ample",
     ("One core alone is full", "Look at the processor")),
    ("growth for eight weeks", day_log(56, RISE, WORK), "ample", ("Use grows by about",)),
    ("one step", day_log(28, lambda h, d: np.where(d < 12, 0.3, 0.6) + 0.01 * np.sin(3 * d), WORK),
     "ample", ("On 2025-11-15 use rose by about 2.4 GB at once",)),
    ("a restart every week", day_log(56, SAW, WORK), "ample", ()),
    ("half an hour", Log(MONDAY + np.arange(30) * 60.0, 0.0,
                         {"memory_total": np.full(30, 8.0 * GIB),
                          "memory_available": np.full(30, GIB * 1.0)}), "too brief",
     ("30 min in use", "Record a working day")),
]  # fmt: skip


@pytest.mark.parametrize(("made", "finding", "parts"), [case[1:] for case in CASES],
                         ids=[case[0] for case in CASES])  # fmt: skip
def test_what_a_technician_is_told(made: Log, finding: str, parts: tuple[str, ...]) -> None:
    found = judge(made)
    told = " ".join([found.sentence, found.figures.use, found.next, *found.not_told])
    assert (found.finding, [part for part in parts if part not in told]) == (finding, []), told
    for said in ("grows by about", "at once"):
        assert (said in told) == any(said in part for part in parts)


def test_samples_stand_for_their_own_time() -> None:
    # every five seconds for an hour, then every minute for nine: the hour weighs a tenth
    time = np.concatenate([np.arange(720) * 5.0, 3600 + np.arange(540) * 60.0])
    shares = np.concatenate([np.full(720, 0.95), np.full(540, 0.4)])
    total = np.full(len(time), 8.0 * GIB)
    columns = {"memory_total": total, "memory_available": total * (1 - shares),
               "swapped_in": np.full(len(time), 10.0 * MB)}  # fmt: skip
    found = judge(Log(MONDAY + 8 * 3600 + time, 0.0, columns)).figures
    assert found.above_tight == pytest.approx(0.1, abs=0.002)
    assert found.median == pytest.approx(0.4)
    # ten megabytes in five seconds are swapping, in a minute they are not
    assert found.swapping == pytest.approx(0.1, abs=0.002)
    weights = weights_of(np.array([0.0, 5, 10, 15, 7215, 7220, 7225]))
    assert weights.tolist() == [5.0] * 7


def test_growth_is_what_goes_on() -> None:
    days = np.arange(60)
    steady = 0.2 * np.arange(60) + np.sin(np.arange(60) * 2.0)
    assert growth_of(steady, days) is not None
    assert growth_of(np.where(np.arange(60) < 20, 0.0, 9.0) + np.sin(np.arange(60.0)), days) is None
    assert growth_of(-steady, days) is None
    assert growth_of(steady[:15], days[:15]) is None
    stepped = np.where(days < 20, 9.0, 3.0) + np.sin(days * 2.0) / 2
    assert step_of(stepped, days, 1.0) == Step(20, -6)
    # nor is a slope a step, or what two days differ by, or less than counts, or the last days
    for values, least in ((steady, 1.0), (np.sin(days * 2.0), 1.0), (stepped, 7.0)):
        assert step_of(values, days, least) is None
    assert step_of(stepped[:24], days[:24], 1.0) is None
    assert lasting_growth([1, 2, 3, 4, 5, 6]) == 5
    assert lasting_growth([1, 5, 5, 5, 5, 5]) == 0
    assert lasting_growth([1, 6, 2, 6, 2, 6]) == 0


def test_a_total_that_changes_splits_the_log() -> None:
    made = day_log(2, 0.5, WORK, lambda h, d: np.where(d < 1, 4.0, 8.0))
    present, before = present_of(made)
    assert before is not None
    assert (len(present.time), len(before.time)) == (MINUTES, MINUTES)
    assert present_of(day_log(1, 0.5))[1] is None


def test_who_waits_is_mostly_told() -> None:
    draws = [
        {"life": life, "days": 5 + seed, "step": (60, 120, 300)[seed % 3], "zone": zone,
         "seed": seed}
        for life in LIVES_TOLD for seed in range(6) for zone in (0, 9)
    ]  # fmt: skip
    said = [judge(life_log(one)).sentence for one in draws]
    assert sum("cannot be told" in one for one in said) <= len(said) // 20


def test_an_evening_that_may_be_a_job_is_left_open() -> None:
    # every day the same to the minute: nothing but the clock tells
    log = day_log(3, between(19, 23, 0.4, 0.96), lambda hour, day: np.where(
        ((hour >= 9) & (hour < 17)) | ((hour >= 19) & (hour < 23)), 1.5, 0.03))  # fmt: skip
    found = judge(log)
    assert found.finding == "short"
    assert "Between 19:00 and 23:00 it is pressed" in found.sentence
    assert "memory is ample. Ask who works at it" in found.sentence
    assert found.figures.apart is not None
    assert [found.figures.apart.has(hour) for hour in (18, 19, 22, 23)] == [
        False,
        True,
        True,
        False,
    ]
