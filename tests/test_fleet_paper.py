"""What of a list of machines goes on paper and into a workbook: by when, the work, the order."""

import datetime
import io
import re
import shutil
import subprocess
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from python_calamine import CalamineWorkbook

from tallcheck.core.fleet.columns import FleetFile
from tallcheck.core.fleet.models import with_models
from tallcheck.core.fleet.money import Prices
from tallcheck.core.jobs.fleet_check import FleetCheck, FleetTask, check_fleet
from tallcheck.files.fleet_file import read_fleet
from tallcheck.files.table import models_list, parts_list
from tallcheck.report.fleet_result import result_bytes
from tallcheck.report.fleet_work import budget_text, by_text, due_of, jobs
from tallcheck.report.pages import fleet_html
from tests.helpers import DEMO, VOCABULARY, call
from tests.test_pages import MERROW_10

PRICES = Prices({"machine": 64000, "storage": 5500, "system": 9500}, 4800, {}, "EUR")
ON = datetime.date(2026, 11, 24)


@pytest.fixture(scope="module")
def garden(tmp_path_factory: pytest.TempPathFactory) -> FleetFile:
    """The demo's list."""
    folder = tmp_path_factory.mktemp("demo")
    assert call("demo", "garden", "--quiet", cwd=folder).code == 0
    file = read_fleet(str(folder / "garden/fleet/garden.csv"), {}, True, VOCABULARY)
    with_models(file.fleet, models_list(f"{DEMO}/parts/garden.models.csv", VOCABULARY))
    return file


def judged(file: FleetFile, bare: bool = False, **task: Any) -> FleetCheck:
    """The list held against Merrow 10, with parts and prices unless bare."""
    if not bare:
        task |= {"prices": PRICES,
                 "parts": parts_list(f"{DEMO}/parts/garden.parts.csv", VOCABULARY)}  # fmt: skip
    return check_fleet(file.fleet, FleetTask(MERROW_10, on=ON, **task), every=True)


def _answers(found: FleetCheck, places: Any) -> set[str]:
    return {found.judged.answer(at) for at in places}


@pytest.mark.parametrize("day", ["2027-03-31", "2027-04-01", "2028-01-31", "2032-05-31"])
def test_by_a_day_only_what_loses_its_support_is_done(garden: FleetFile, day: str) -> None:
    by = datetime.date.fromisoformat(day)
    found, whole = judged(garden, by=by), judged(garden)
    due = due_of(found)
    assert due is not None
    ends = [one.ends for one in jobs(found)]
    assert ends
    assert all(end is not None and end <= by for end in ends)
    wanted = [one for one in jobs(whole) if one.ends is not None and one.ends <= by]
    assert due.machines == len(ends) == len(wanted)
    assert {one.machine for one in jobs(found)} == {one.machine for one in wanted}
    assert str(due.machines) in by_text(found)
    assert set(found.works) <= {one.machine for one in wanted}


def test_what_is_not_known_is_not_claimed(garden: FleetFile) -> None:
    day = datetime.date(2027, 3, 31)
    bare = judged(garden, bare=True, by=day, budget=50000)
    assert "there are no prices" in by_text(bare)
    assert budget_text(bare) == "What 500.00 buys is not known, for there are no prices."
    never = judged(garden, by=datetime.date(2026, 1, 1))
    assert by_text(never).startswith("By 2026-01-01, nothing has to be done for want of support.")
    assert not len(never.todo)
    assert by_text(judged(garden)) == ""


def test_all_kinds_of_work_stand_in_one_list_givers_first(garden: FleetFile) -> None:
    found = judged(garden)
    todo = jobs(found)
    assert _answers(found, found.todo) >= {"memory-alone", "memory-plus", "not-memory", "replace"}
    place = {one.machine: at for at, one in enumerate(todo)}
    for machine, givers in found.works.items():
        assert all(place[giver] < place[machine] for giver in givers.after)
    free = [one for one in todo if one.machine not in found.works]
    days = [one.ends or datetime.date.max for one in free]
    assert all(one <= other for one, other in pairwise(days))
    steps = {one.machine: one.steps for one in todo}
    assert all(steps.values())
    for machine, work in found.works.items():
        assert ("take out" in steps[machine][0]) == bool(work.take_out)
        assert sum("put in" in one for one in steps[machine]) == 1
    replaced = [at for at in steps if found.judged.answer(at) == "replace"]
    assert {steps[at] for at in replaced} == {("replace the machine",)}


@pytest.mark.parametrize("parts", [True, False])
def test_a_budget_does_what_it_pays_for(garden: FleetFile, parts: bool) -> None:
    prices = Prices({"machine": 64000, "memory": 3000, "storage": 5500}, 4800, {}, "EUR")
    task: dict[str, Any] = {"budget": 60000, "by": datetime.date(2028, 1, 31)}
    found = judged(garden, not parts, **(task if parts else {**task, "prices": prices}))
    todo = jobs(found)
    assert found.within is not None
    assert found.within.spent <= 60000
    assert len(todo) == len(found.within.work) + len(found.within.others) > 3
    assert sum(one.cost for one in todo) == pytest.approx(found.within.spent)
    assert f"{len(todo)} of them can be made ready" in budget_text(found)


def test_the_workbook_has_answer_order_work_and_machines(garden: FleetFile, tmp_path: Path) -> None:
    found = judged(garden, budget=200000)
    data = result_bytes(found, garden, ".xlsx")
    book = CalamineWorkbook.from_filelike(io.BytesIO(data))
    assert book.sheet_names == ["Answer", "Order", "Work", "Machines"]
    sheets = {name: book.get_sheet_by_name(name).to_python() for name in book.sheet_names}
    counts = {row[0]: row[1] for row in sheets["Answer"][1:7]}
    assert counts == found.judged.counts()
    head, *work = sheets["Work"]
    assert len(work) == len(found.todo)
    assert isinstance(work[0][head.index("support ends")], datetime.date)
    assert isinstance(work[0][head.index("cost EUR")], float)
    head, *machines = sheets["Machines"]
    targets = [row[head.index("target_memory, GB")] for row in machines]
    assert found.fixes is not None
    assert [one or None for one in targets] == [
        None if np.isnan(one) else one / (1 << 30) for one in found.fixes.targets
    ]
    path = tmp_path / "again.xlsx"
    path.write_bytes(data)
    file = read_fleet(str(path), {}, True, VOCABULARY)
    with_models(file.fleet, models_list(f"{DEMO}/parts/garden.models.csv", VOCABULARY))
    again = judged(file)
    assert again.judged.counts() == found.judged.counts()


def test_the_page_is_for_who_decides_then_for_who_works(garden: FleetFile) -> None:
    page = fleet_html(judged(garden, budget=200000, by=datetime.date(2028, 1, 31)), garden)
    parts = ("By 2028-01-31", "With 2,000.00 EUR", "By when", 'class="sheet"', ">To order<",
             "Work, in this order", "☐", 'class="sheet wide"', '<h2 id="machines">')  # fmt: skip
    places = [page.index(part) for part in parts]
    assert places == sorted(places)
    # a column of the list's own stands for itself on the screen, in one with the others on paper
    assert '<th scope="col" class="own">room</th>' in page
    assert '<td class="carried">room D22</td>' in page


@pytest.mark.skipif(shutil.which("chromium") is None, reason="a page is printed by chromium")
def test_a_list_with_an_offices_own_columns_is_printed(garden: FleetFile, tmp_path: Path) -> None:
    assert garden.table is not None
    few = 60
    rows = [",".join([f"m{at}", "4 GB", "2", "Merrow", "6", *["stands under the bench"] * 10])
            for at in range(few)]  # fmt: skip
    heads = ",".join(f"own {at}" for at in range(10))
    (tmp_path / "office.csv").write_text(
        f"name,memory,cores,os,os_version,{heads}\n" + "\n".join(rows) + "\n"
    )
    file = read_fleet(str(tmp_path / "office.csv"), {}, True, VOCABULARY)
    page = tmp_path / "office.html"
    page.write_text(fleet_html(judged(file), file))
    subprocess.run(
        ["chromium", "--headless", "--no-sandbox", "--disable-gpu", "--no-pdf-header-footer",
         f"--print-to-pdf={tmp_path}/office.pdf", page.as_uri()],
        check=True, capture_output=True, timeout=120,
    )  # fmt: skip
    pages = len(re.findall(rb"/Type /Page\b", (tmp_path / "office.pdf").read_bytes()))
    assert 3 <= pages <= few // 5
