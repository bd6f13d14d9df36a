"""Charts, pages and texts of fleets and machines: the figures in them are the real ones."""

import re
import xml.etree.ElementTree as ET
from pathlib import Path
from typing import Any

import pytest

from tallcheck.cli.completion import _need_keys, _needs, _sheet_keys
from tallcheck.core.decide.asked import Chosen
from tallcheck.core.fleet.columns import FleetFile
from tallcheck.core.fleet.money import Prices
from tallcheck.core.jobs.check import Task, check
from tallcheck.core.jobs.fleet_check import FleetCheck, FleetTask, check_fleet, counts_only
from tallcheck.core.messages.fleet import fleet_sentence
from tallcheck.core.values.text import guarded, printable
from tallcheck.files.config import DEMO_FOLDER
from tallcheck.files.fleet_file import read_fleet
from tallcheck.files.sheets import read_needs
from tallcheck.files.table import parts_list
from tallcheck.report import fleet_texts as t
from tallcheck.report.charts import fleet_figure, height_chart, height_figure
from tallcheck.report.fleet_view import fleet_lines, fleet_markdown
from tallcheck.report.fleet_work import budget_names, budget_text, order_table
from tallcheck.report.pages import fleet_html, machine_html
from tallcheck.report.picture import inline
from tallcheck.report.plain import Page, as_text
from tests.helpers import DEMO, VOCABULARY, demo_machine, machine, run

MERROW = read_needs(f"{DEMO_FOLDER}/merrow.needs.toml", VOCABULARY)
MERROW_10 = (Chosen(MERROW, MERROW.releases[0]),)
ROWS = """name,memory,modules,cores,clock,processor_bits,instructions,storage,storage_free,shape,os,os_version
a,8 GB,"8GB,-",4,2.1 GHz,64,x86-64-v2,256 GB,60 GB,notebook,Merrow,9
b,4 GB,"4GB,-",4,2.1 GHz,64,x86-64-v2,256 GB,60 GB,notebook,Merrow,9
c,4 GB,"4GB,-",4,2.1 GHz,64,x86-64-v2,256 GB,6 GB,notebook,Merrow,6
d,8 GB,"8GB,-",4,2.1 GHz,64,x86-64-v2,256 GB,6 GB,desktop,Merrow,9
e,2 GB,2GB*,4,2.1 GHz,64,x86-64-v2,256 GB,60 GB,tablet,Merrow,6
f,8 GB,"8GB,-",4,2.1 GHz,64,,256 GB,60 GB,notebook,Merrow,9
"""  # noqa: E501
KINDS = ("ready", "memory-alone", "memory-plus", "not-memory", "replace", "undecided")


@pytest.fixture
def file(tmp_path: Path) -> FleetFile:
    """Six machines, one for each answer."""
    path = tmp_path / "f.csv"
    path.write_text(ROWS)
    return read_fleet(str(path), {}, False, VOCABULARY)


def judged(file: FleetFile, **task: Any) -> FleetCheck:
    """The fleet held against Merrow 10."""
    return check_fleet(file.fleet, FleetTask(MERROW_10, **task))


def test_one_machine_for_each_answer(file: FleetFile) -> None:
    found = judged(file)
    assert found.judged.counts() == dict.fromkeys(KINDS, 1)
    assert fleet_sentence(found) == (
        "Of 6 machines, 1 is ready for Merrow 10; 1 needs memory and nothing else, 1 needs memory "
        "and more, 1 needs another change, 1 has to be replaced and 1 cannot be judged yet."
    )
    assert [found.limiting(at) for at in range(6)] == [
        "", "memory", "storage_free", "storage_free", "memory", ""
    ]  # fmt: skip
    ((key, count),) = found.settling
    assert (key, count) == ("processor.name", 1)


def test_texts_without_money_and_with(file: FleetFile) -> None:
    plain = judged(file)
    assert plain.costs is None
    assert t.answers_table(plain).head == ("answer", "machines", "share", "means")
    assert order_table(plain) is None
    assert t.curve_table(plain) is None
    assert t.machine_row(plain, 1) == (
        "b", "memory", "bring the memory to 6 GB", "", "not known: most "
        "memory the board takes",
    )  # fmt: skip
    assert t.machine_row(plain, 4)[2] == "replace the machine"
    assert t.machine_row(plain, 5)[4] == "find out: processor's name, instruction sets"
    prices = Prices({"machine": 50000}, 4000, {}, "EUR")
    priced = judged(
        file, prices=prices, parts=parts_list(f"{DEMO}/parts/garden.parts.csv", VOCABULARY)
    )
    rows = {row[0]: row for row in t.answers_table(priced).rows}
    assert rows["replace"][3] == "580.00 EUR"
    assert rows["not-memory"][3] == "not known"
    assert "storage for 2 machines" in t.prices_note(priced)
    assert "memory for 2 machines" in t.prices_note(priced)


def test_months_to_spend_in(file: FleetFile) -> None:
    import datetime

    prices = Prices({"machine": 50000, "storage": 6000}, None, {}, "EUR")
    found = judged(file, prices=prices, on=datetime.date(2026, 11, 25))
    table = t.deadlines_table(found)
    assert table is not None
    assert [row[:4] for row in table.rows] == [
        ("Merrow 6", "2027-03-31", "4", "2"), ("Merrow 9", "2028-01-31", "14", "3")
    ]  # fmt: skip
    assert table.rows[0][4:] == ("500.00", "1", "125.00")
    assert "no price for an hour" in t.prices_note(found)


def test_quiet_counts_need_no_details(file: FleetFile) -> None:
    found = counts_only(file.fleet, FleetTask(MERROW_10))
    assert found.details is None
    assert fleet_sentence(found) == fleet_sentence(judged(file))


@pytest.mark.parametrize("width", [60, 80, 120])
def test_the_view_keeps_within_the_page(file: FleetFile, width: int) -> None:
    found = judged(file, prices=Prices({"machine": 50000}, 4000, {}, "EUR"))
    text = as_text(fleet_lines(found, file, Page(width, True)))
    assert max(map(len, text.splitlines())) <= width
    for name in "bcdef":
        assert re.search(rf"^  {name} ", text, re.MULTILINE)


def test_markdown_has_every_machine_and_escapes(file: FleetFile) -> None:
    found = judged(file)
    text = fleet_markdown(found, file)
    for kind in KINDS:
        assert f"## {kind}: 1" in text
    assert "| storage\\_free" not in text  # needs have names for people here
    assert text.count("\n| ") > 12


# --- charts --------------------------------------------------------------------------------


def checked(name: str) -> Any:
    """A demo machine held against Merrow 10."""
    from tallcheck.cli.inputs import machine_of

    return check(machine_of(demo_machine(name), []), Task(MERROW_10), VOCABULARY)


@pytest.mark.parametrize("name", ["potting-02", "glasshouse-05", "ticket-desk-04", "seedbank-01"])
def test_heights_are_the_ratios(name: str) -> None:
    result = checked(name)
    (axes,) = height_figure(result).axes
    bars = [bar.get_height() for bar in axes.patches]
    rows = result.verdict.rows
    assert len(bars) == len(rows)
    for height, row in zip(bars, rows, strict=True):
        if row.status == "unknown":
            assert height == 1
        elif row.ratio is not None:
            assert height == pytest.approx(min(row.ratio, 2.25))
        else:
            assert height == (1 if row.status == "met" else 0)
    texts = [text.get_text() for text in axes.texts]
    page = re.search(r"<svg.*?</svg>", machine_html([result]), re.DOTALL)
    assert page is not None
    drawn = [float(one) for one in re.findall(r'<rect.*? height="([\d.]+)"', page[0])]
    assert drawn == pytest.approx([bar * drawn[0] / bars[0] for bar in bars])
    assert page[0].count(">?</text>") == texts.count("?")
    assert "asked for" in [label.get_text() for label in axes.get_yticklabels()]
    assert sum(text == "?" for text in texts) == sum(row.status == "unknown" for row in rows)


def test_pictures_are_the_same_for_the_same_machine() -> None:
    result = checked("potting-02")
    for kind in ("png", "svg"):
        assert height_chart(result, kind) == height_chart(result, kind)
    assert height_chart(result, "png")[:4] == b"\x89PNG"


def test_inline_charts_are_labelled_and_take_the_pages_colours() -> None:
    result = checked("potting-02")
    text = inline(height_figure(result), 'a "chart" <of> & more')
    root = ET.fromstring(text)
    assert root.get("role") == "img"
    assert root.get("aria-label") == 'a "chart" <of> & more'
    assert root.get("width") is None
    assert root.get("viewBox")
    assert "currentColor" in text
    assert "<image" not in text
    words = [element.text for element in root.iter() if element.tag.endswith("text")]
    assert "4 GB" in words


def test_the_fleets_chart_shows_counts_curve_and_table(file: FleetFile) -> None:
    releases = tuple((Chosen(MERROW, one),) for one in MERROW.releases)
    prices = Prices({"machine": 50000, "storage": 6000}, 4000, {}, "EUR")
    found = judged(file, prices=prices, releases=releases, budget=20000,
                   parts=parts_list(f"{DEMO}/parts/garden.parts.csv", VOCABULARY))  # fmt: skip
    figure = fleet_figure(found, True)
    answers, curve, table = figure.axes
    assert [bar.get_width() for bar in answers.patches] == [1] * 6
    line = curve.lines[0]
    assert found.curve is not None
    assert line.get_ydata()[-1] == found.curve.ready[-1]
    assert line.get_xdata()[-1] == found.curve.spent[-1] / 100
    assert (
        budget_text(found) == "With 200.00 EUR, 1 more machine can be made ready, for 100.00 EUR."
    )
    assert budget_names(found) == ["d"]
    assert found.what_if is not None
    texts = [text.get_text() for text in table.texts]
    assert len(texts) == len(found.what_if.totals) * 3
    assert texts[0].startswith(f"{found.what_if.ready[0][0]} ready")
    bare = fleet_figure(judged(file), False)
    assert len(bare.axes) == 1


# --- pages ---------------------------------------------------------------------------------


def _tags(page: str, tag: str) -> list[str]:
    return re.findall(rf"<{tag}\b[^>]*>(.*?)</{tag}>", page, re.DOTALL)


def test_the_page_of_a_machine_has_the_answer_first_and_every_reading() -> None:
    result = checked("potting-02")
    page = machine_html([result])
    plain = re.sub(r"<svg.*?</svg>", "", page, flags=re.DOTALL)
    assert plain.index("memory-alone</span>") < plain.index("<table>")
    for row in result.verdict.rows:
        assert f">{row.key}<" in plain
    from tallcheck.report.show_view import flat

    for key, value, origin in flat(result.machine):
        assert f">{key}<" in plain
        assert value.replace("&", "&amp;") in plain
        assert origin.replace("&", "&amp;") in plain
    assert "<script" not in page
    assert page.count("<h1>") == 1


def test_the_page_of_several_releases_begins_with_the_newest() -> None:
    from tallcheck.cli.inputs import machine_of

    sheet = machine_of(demo_machine("ticket-desk-04"), [])
    results = [check(sheet, Task((Chosen(MERROW, one),)), VOCABULARY) for one in MERROW.releases]
    page = machine_html(results)
    heads = _tags(page, "h1")
    assert [head.rpartition(" ")[2] for head in heads] == ["10", "9", "6"]
    assert "Merrow 6" in _tags(page, "table")[0]


def test_the_page_of_a_fleet_reads_without_its_script(file: FleetFile) -> None:
    file.remarks.append("a <remark> & more")
    page = fleet_html(judged(file), file)
    body = page.partition("<script>")[0]
    table = next(one for one in _tags(body, "table") if "<caption>" in one)
    names = re.findall(r'<th scope="row">(\w)</th>', table)
    assert sorted(names) == list("abcdef")
    assert names[-1] == "a"  # what is ready comes last
    assert '<div class="filter" hidden>' in body
    assert "a &lt;remark&gt; &amp; more" in body
    assert page.count("<script>") == 1
    for label in ("Find", "Answer"):
        assert f"<label>{label}" in body


def test_pages_say_where_a_table_was_cut(file: FleetFile, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("tallcheck.report.pages._ROWS_MOST", 2)
    assert "2 of 6 machines" in fleet_html(judged(file), file)


# --- safe text, completion -----------------------------------------------------------------


@pytest.mark.parametrize(
    ("text", "safe"),
    [("=1+1", "'=1+1"), ("-5", "'-5"), ("@x", "'@x"), ("+3", "'+3"), ("a=1", "a=1"), ("", ""),
     ("\x1b[31m=x", " [31m=x"), ("\t=x", "' =x"), (" @x", "' @x"), ("\uff1dx", "'\uff1dx")],
)  # fmt: skip
def test_cells_are_no_formulas(text: str, safe: str) -> None:
    assert guarded(text) == safe
    assert printable(text).isprintable()


def test_completion_of_needs_releases_and_keys(monkeypatch: pytest.MonkeyPatch) -> None:
    assert {"merrow", "fernfolio"} <= set(_needs("m"))
    assert _needs("merrow@") == ["merrow@10", "merrow@9", "merrow@6"]
    assert "memory.installed=" in _sheet_keys("")
    assert {"memory=", "cores=", "generation="} <= set(_need_keys(""))


@pytest.mark.parametrize(
    ("line", "expected"),
    [("tallcheck fl", "fleet"), ("tallcheck upgrade x --fo", "--for"),
     ("tallcheck fleet x merrow@1", "merrow@10"),
     ("tallcheck check here --have shape=n", "shape=notebook"),
     ("tallcheck fleet x --price mac", "machine="), ("tallcheck check here --need memory_o",
                                                   "memory_own=")],
)  # fmt: skip
def test_the_shell_is_answered(tmp_path: Path, line: str, expected: str) -> None:
    out = tmp_path / "answer"
    env = {
        "_ARGCOMPLETE": "1", "_ARGCOMPLETE_SHELL": "bash", "COMP_LINE": line, "IFS": "\x0b",
        "COMP_POINT": str(len(line)), "_ARGCOMPLETE_STDOUT_FILENAME": str(out),
    }  # fmt: skip
    run(env=env)
    assert expected in [one.strip() for one in out.read_text().split("\x0b")]


def test_a_fleet_of_one_bare_machine_is_not_judged() -> None:
    from tests.test_fleet_money import sheets

    fleet = sheets(machine())
    found = check_fleet(fleet, FleetTask(MERROW_10))
    assert found.judged.counts()["undecided"] == 1
    file = FleetFile(fleet, [], [], [], None, False)
    text = as_text(fleet_lines(found, file, Page(80)))
    assert "1 cannot be judged yet" in " ".join(text.split())
