"""What people see: bars, sentences, widths; and what memory a board can be built to."""

import io
import itertools
import zipfile
from collections import Counter
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tallcheck.core.board.account import account_of
from tallcheck.core.board.totals import cheapest_total
from tallcheck.core.jobs.check import Task, check
from tallcheck.core.machine.modules import module_sizes
from tallcheck.core.machine.normalized import normalized, world_of
from tallcheck.core.messages.rows import key_name
from tallcheck.core.messages.sentence import sentence
from tallcheck.core.messages.values import listed
from tallcheck.core.needs.sheet import Need
from tallcheck.core.text.needs_written import parse_test
from tallcheck.core.values.text import printable
from tallcheck.gather.source import capture_from
from tallcheck.report.check_view import bar, cut, view_lines
from tallcheck.report.plain import Page, as_text, wrap
from tallcheck.report.show_view import sheet_lines
from tests.helpers import GIB, VOCABULARY, linux_tree, machine, run, tar_of

MARK = 8


@given(st.one_of(st.none(), st.floats(0, 100)), st.sampled_from(["met", "short", "unknown"]))
def test_a_bar_reaches_its_mark_exactly_where_the_need_is_met(
    ratio: float | None, status: str
) -> None:
    if ratio is not None and status == "met":
        ratio += 1
    drawn = bar(ratio, status)
    assert len(drawn) == 12
    if ratio is None and status != "unknown":
        assert not drawn.strip()
        return
    assert drawn[MARK] == "│"
    below = drawn[:MARK]
    if status == "met":
        assert below == "█" * MARK
    elif status == "unknown":
        assert "█" not in drawn
    elif (ratio or 0) < 1:
        assert below.endswith("·")


@given(st.text(max_size=60), st.integers(1, 40))
def test_cut_text_keeps_to_its_columns_and_is_printable(text: str, width: int) -> None:
    short = cut(text, width)
    assert len(short) <= width
    assert short == printable(short)


@given(st.text(max_size=300), st.integers(30, 120))
def test_wrapped_text_keeps_to_the_page_and_loses_no_word(text: str, width: int) -> None:
    lines = wrap(text, width, "    ", first="  - ")
    assert all(len("".join(piece for piece, _ in line)) <= width for line in lines)
    seen = "".join(as_text(lines).split())
    assert seen.removeprefix("-") in ("".join(printable(text).split()), "") or (
        seen == "-" + "".join(printable(text).split())
    )


def result(sections: dict[str, Any], needs: dict[str, Any]) -> Any:
    """A check of some needs without a sheet."""
    instead = tuple(Need(key, parse_test(key, value, VOCABULARY)) for key, value in needs.items())
    return check(machine(**sections), Task(instead=instead), VOCABULARY)


NOTE = {"shape": "notebook", "os_bits": 64}
SENTENCES = [
    ({"memory": {"installed": "8 GB"}}, {"memory": "8 GB"}, "is ready for", ""),
    ({"memory": {"installed": "4 GB"}, "system": NOTE}, {"memory": "8 GB"},
     "A memory upgrade alone is enough", "8 GB"),
    ({"memory": {"installed": "4 GB"}, "system": {"os_bits": 32}, "processor": {"bits": 64}},
     {"memory": "8 GB"}, "Memory alone is not enough", "install a 64-bit operating system"),
    ({"memory": {"installed": "8 GB", "usable": "3 GB"}}, {"memory": "4 GB"},
     "Buying memory does not help", "give back the memory"),
    ({"memory": {"installed": "4 GB"}, "system": {"virtual": True}}, {"memory": "8 GB"},
     "A memory upgrade alone", "8 GB"),
    ({"memory": {"installed": "4 GB", "ceiling": "4 GB"}}, {"memory": "8 GB"},
     "must be replaced", "the board takes 4 GB at most"),
    ({"memory": {"slots": 1, "modules": [{"size": "4 GB", "fixed": True}]}}, {"memory": "8 GB"},
     "must be replaced", "soldered"),
    ({"system": NOTE}, {"cores": 4}, "cannot be judged", "Find out first: cores"),
    ({"system": NOTE, "processor": {"cores": 2}}, {"cores": 4, "clock": "2 GHz"},
     "must be replaced", "cores is 2, and 4 is asked for"),
    ({"system": {"virtual": True}, "processor": {"cores": 2}}, {"cores": 4},
     "More memory would not help", "settings on the host"),
]  # fmt: skip


@pytest.mark.parametrize(("sections", "needs", "says", "why"), SENTENCES)
def test_the_sentence_can_be_read_out(
    sections: dict[str, Any], needs: dict[str, Any], says: str, why: str
) -> None:
    text = sentence(result(sections, needs))
    assert says in text
    assert why in text
    assert text.endswith(".")
    assert "None" not in text


@pytest.mark.parametrize("width", [60, 80, 120])
@pytest.mark.parametrize(("sections", "needs"), [one[:2] for one in SENTENCES])
def test_views_keep_to_any_width(
    sections: dict[str, Any], needs: dict[str, Any], width: int
) -> None:
    found = result(sections, needs)
    lines = view_lines([found], [], Page(width, True))
    lines += sheet_lines(found.machine, Page(width, True))
    assert all(len(line) <= width for line in as_text(lines).splitlines())


@pytest.mark.parametrize(
    ("words", "text"),
    [([], ""), (["a"], "a"), (["a", "b"], "a and b"), (["a", "b", "c"], "a, b and c")],
)
def test_words_in_a_row(words: list[str], text: str) -> None:
    assert listed(words) == text
    assert key_name("generation or processors") == "the processor's generation or the processor"


# --- what a board can be built to ------------------------------------------------------------


Places = list[tuple[int, bool, str | None]]
"""For each position GiB in it, whether they are soldered, its channel."""


def _even(picked: list[int], places: Places) -> bool:
    """Whether the channels hold the same; where they are not known, whether all are pairs."""
    sums: Counter[str | None] = Counter()
    for size, (_, _, channel) in zip(picked, places, strict=True):
        sums[channel] += size
    if None in sums:
        return all(count % 2 == 0 for count in Counter(filter(None, picked)).values())
    return len(sums) > 1 and len(set(sums.values())) == 1


def _by_trial(places: Places, wanted: int, ceiling: int, largest: int) -> int | None:
    """The total of the cheapest of all ways to fill the positions, in GiB."""
    sold = [size // GIB for size in module_sizes("DDR4") if size // GIB <= largest]
    ways = [
        [(size, 0)] if fixed else [(0, 0), (size, 0), *((one, one) for one in sold)]
        for size, fixed, _ in places
    ]
    ranked: dict[bool, list[tuple[int, int, int]]] = {False: [], True: []}
    for way in itertools.product(*ways):
        picked = [size for size, _ in way]
        bought = [new for _, new in way if new]
        if bought and wanted <= sum(picked) <= ceiling:
            rank = (sum(bought), len(bought), -sum(picked))
            ranked[False].append(rank)
            if _even(picked, places):
                ranked[True].append(rank)
    if not ranked[False]:
        return None
    plain, even = min(ranked[False]), min(ranked[True], default=None)
    worth = 1 if None in [channel for *_, channel in places] else 1.5
    return -(even if even is not None and even[0] <= worth * plain[0] else plain)[2]


@given(
    st.lists(
        st.tuples(st.sampled_from([0, 4, 8, 16]), st.booleans(), st.sampled_from("AB")),
        min_size=1, max_size=4,
    ),
    st.booleans(),
    st.integers(1, 80),
    st.sampled_from([16, 32, 64]),
    st.sampled_from([8, 16, 64]),
)  # fmt: skip
@settings(deadline=None)
def test_the_total_is_that_of_the_cheapest_of_all_fillings(
    drawn: list[tuple[int, bool, str]], channels: bool, wanted: int, ceiling: int, largest: int
) -> None:
    places = [(size, fixed and size > 0, name if channels else None) for size, fixed, name in drawn]
    fitted = sum(size for size, *_ in places)
    if wanted <= fitted or fitted > ceiling:
        return
    modules = [
        {"size": size * GIB, "fixed": fixed, "channel": channel,
         **({"type": "DDR4"} if size else {})}
        for size, fixed, channel in places
    ]  # fmt: skip
    if not any(size and not fixed for size, fixed, _ in places):
        return  # neither an empty board nor a soldered module tells the type of the others
    memory = {"installed": fitted * GIB, "slots": len(places), "modules": modules,
              "ceiling": ceiling * GIB, "position_most": largest * GIB}  # fmt: skip
    world = world_of(normalized(machine(memory=memory), VOCABULARY))
    if "memory.modules" not in world or "memory.position_most" not in world:
        return  # a module larger than a position takes is a doubt
    found = cheapest_total(account_of(world.get), wanted * GIB, ceiling * GIB).bytes or 0
    assert found == (_by_trial(places, wanted, ceiling, largest) or 0) * GIB


# --- captures as people send them ------------------------------------------------------------


def _zip_of(files: dict[str, bytes | str], prefix: str = "") -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        for path, content in files.items():
            archive.writestr(prefix + path, content)
    return buffer.getvalue()


@pytest.mark.parametrize(
    "data",
    [
        tar_of(linux_tree(), "potting-02/"),
        tar_of(linux_tree(), "./potting-02/"),
        _zip_of(linux_tree()),
        _zip_of(linux_tree(), "potting-02/"),
    ],
)
def test_a_folder_around_a_capture_makes_no_difference(data: bytes, tmp_path: Path) -> None:
    assert capture_from(data).read("proc/meminfo")
    (tmp_path / "x.zip").write_bytes(data)
    assert run("gather", "--from", "x.zip", cwd=tmp_path).json()["processor"]["cores"] == 2


@pytest.mark.parametrize(
    ("data", "part"),
    [
        (_zip_of({"../x": "y"}), "leads out"),
        (_zip_of({"a\\..\\..\\x": "y"}), "leads out"),
        (_zip_of({"big": b"\0" * (65 << 20)}), "MiB at most"),
        (_zip_of(linux_tree())[:500], "zip"),
        (_zip_of({}), "tar"),
    ],
)
def test_bad_zips_are_one_clear_error(data: bytes, part: str, tmp_path: Path) -> None:
    (tmp_path / "x.zip").write_bytes(data)
    ran = run("gather", "--from", "x.zip", cwd=tmp_path)
    assert ran.code == 3
    assert part in ran.err
    assert "Traceback" not in ran.err
