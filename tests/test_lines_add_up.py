"""No row of a list is lost: what was read, what was left out and what is blank are all lines."""

import re
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tallcheck.files.fleet_file import read_fleet
from tallcheck.files.table import models_list, parts_list
from tallcheck.files.usage_log import read_log
from tests.helpers import VOCABULARY

GOOD, LEFT_OUT, PASSED_OVER = range(3)
FLEET = (
    "name,memory,cores",
    [("m-1,8 GB,4", GOOD), ("m-2,lots,4", GOOD), ("#x,8 GB,2", PASSED_OVER), ("", PASSED_OVER),
     ("  ", PASSED_OVER), (",8 GB,2", LEFT_OUT), ("m-3,8 GB", LEFT_OUT), ("m,1 GB,2,3", LEFT_OUT),
     ('"a, b",8 GB,2', GOOD)],
)  # fmt: skip
PARTS = (
    "part,type,form,size,price",
    [("A,DDR4,DIMM,8 GB,10", GOOD), ("B,DDR4,DIMM,eight,10", LEFT_OUT), ("# of old", PASSED_OVER),
     ("", PASSED_OVER), ("C,DDR4,DIMM,8 GB,cheap", LEFT_OUT), ("D,DDR4,DIMM", LEFT_OUT)],
)  # fmt: skip
T, M = "2026-11-2{}T09:00:{:02}Z", "8589934592,4294967296"
USAGE = (
    "time,memory_total,memory_available",
    [(f"T,{M}", GOOD), (f"soon,{M}", LEFT_OUT), ("T,8589934592,", LEFT_OUT),
     ("T,1,2,3", LEFT_OUT), ("T,1,9", LEFT_OUT), ("# a note", PASSED_OVER), ("", PASSED_OVER)],
)  # fmt: skip


def lines_of(kinds: list[tuple[str, int]]) -> Any:
    """Some rows of a list."""
    return st.lists(st.sampled_from(kinds), min_size=1, max_size=14)


def write(path: Path, head: str, rows: list[tuple[str, int]]) -> tuple[int, int]:
    """Write a list; how many rows are good, and how many are to be left out."""
    path.write_text("\n".join([head, *(line for line, _ in rows)]) + "\n")
    kinds = [kind for _, kind in rows]
    return kinds.count(GOOD), kinds.count(LEFT_OUT)


SLOW = settings(suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None)


@SLOW
@given(rows=lines_of(FLEET[1]))
def test_of_a_fleet(rows: list[tuple[str, int]], tmp_path: Path) -> None:
    good, left_out = write(tmp_path / "f.csv", FLEET[0], rows)
    found = read_fleet(str(tmp_path / "f.csv"), {}, False, VOCABULARY)
    assert (len(found.fleet), len(found.unreadable)) == (good, left_out)
    named = [*found.fleet.lines.tolist(), *(line for line, _ in found.unreadable)]
    wanted = [at for at, (_, kind) in enumerate(rows, 2) if kind != PASSED_OVER]
    assert sorted(named) == wanted


@SLOW
@given(rows=lines_of(PARTS[1]))
def test_of_a_parts_list(rows: list[tuple[str, int]], tmp_path: Path) -> None:
    good, left_out = write(tmp_path / "p.csv", PARTS[0], [*rows, ("Z,DDR4,DIMM,8 GB,1", GOOD)])
    found = parts_list(str(tmp_path / "p.csv"), VOCABULARY)
    assert (len(found.offers), len(found.faults)) == (good, left_out)


@SLOW
@given(rows=lines_of(USAGE[1]))
def test_of_a_usage_log(rows: list[tuple[str, int]], tmp_path: Path) -> None:
    timed = [(re.sub("^T", T.format(5, at), line), kind) for at, (line, kind) in enumerate(rows)]
    last = (T.format(6, 0) + f",{M}", GOOD)
    good, left_out = write(tmp_path / "u.csv", USAGE[0], [*timed, last])
    found = read_log(str(tmp_path / "u.csv"), {})
    told = sum(int(text.split()[0]) for text in found.problems)
    assert (len(found.time), told) == (good, left_out)


def test_of_a_models_list(tmp_path: Path) -> None:
    path = tmp_path / "m.csv"
    path.write_text("maker,model,slots\n# old\nA,b,2\n\nA,c,x\n")
    with pytest.raises(Exception, match="line 5"):
        models_list(str(path), VOCABULARY)
