"""Needs sheets from the command line: list, show, new, validate; and calls by telephone."""

import json
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tallcheck.core.text.needs_sheet import line_of, lines_of, problems
from tests.helpers import GIB, VOCABULARY, demo_machine, run

HEAD = 'tallcheck = "needs/1"\ntitle = "Plan"\nkind = "program"\n'
SOURCE = 'source = "https://example.org"\nread_on = 2026-09-01\n'


def test_list_shows_each_sheet_its_releases_and_where(tmp_path: Path) -> None:
    (tmp_path / "needs").mkdir()
    (tmp_path / "needs" / "merrow.needs.toml").write_text(HEAD + "[minimum]\ncores = 2\n")
    (tmp_path / "needs" / "broken.needs.toml").write_text("[[[")
    ran = run("needs", "list", cwd=tmp_path)
    assert ran.code == 3
    lines = {line.split()[0]: line for line in ran.out.splitlines()}
    assert "Plan: one release" in lines["merrow"]  # the nearer folder wins
    assert "(sample)" in lines["fernfolio"]
    assert "no TOML" in lines["broken"]
    assert run("needs", "list", "x").code == 2


def test_the_needs_path_is_told_set_or_configured(tmp_path: Path) -> None:
    for name in ("told", "set", "configured"):
        (tmp_path / name).mkdir()
        (tmp_path / name / f"{name}.needs.toml").write_text(HEAD + "[minimum]\ncores = 2\n")
    (tmp_path / "config.toml").write_text(f'needs_path = ["{tmp_path}/configured"]\n')
    env = {"TALLCHECK_CONFIG": str(tmp_path), "TALLCHECK_NEEDS_PATH": str(tmp_path / "set")}
    out = run("needs", "list", "--needs-path", str(tmp_path / "told"), env=env).out
    assert [line.split()[0] for line in out.splitlines()][:3] == ["told", "set", "configured"]
    (tmp_path / "config.toml").write_text("needs_paths = 4\n")
    ran = run("needs", "list", env=env)
    assert ran.code == 3
    assert "config.toml" in ran.err


def test_show_prints_every_strength() -> None:
    out = run("needs", "show", "merrow@10", "gatepenny").out
    for part in ("floor", "minimum", "recommended", "supported until 2032-05-31", "provisional",
                 "where shape of the machine is notebook", "x86-64-v2"):  # fmt: skip
        assert part in out
    assert "Merrow 9" not in out


def test_a_sheet_from_scratch_is_sound_and_checks(tmp_path: Path) -> None:
    words = ["needs", "new", "Gatepenny 2", "memory=4GB", "cores=2..8", "instructions=AVX2,SSE4.2",
             "architecture=x86-64,arm64", 'generation={"Osier Wand" = 4}', "recommended.memory=8GB",
             "release=2", "support_ends=2030-01-31", "source=https://example.org", "publisher=x",
             "-o", "g.needs.toml"]  # fmt: skip
    assert run(*words, cwd=tmp_path).code == 0
    assert run(*words, cwd=tmp_path).code == 4  # never written over
    ran = run("needs", "validate", "g.needs.toml", cwd=tmp_path)
    assert (ran.code, ran.out) == (0, "g.needs.toml: sound\n")
    ran = run("check", demo_machine("map-room-03"), "g.needs.toml@2", cwd=tmp_path)
    assert ran.code == 0
    template = run("needs", "new", "Plan", "--system").out
    assert 'kind = "operating system"' in template
    assert "# instructions" in template


@pytest.mark.parametrize(
    ("words", "part"),
    [
        (["memory=8"], "without a unit"),
        (["memroy=8GB"], "'memory'"),
        (["memory"], "KEY=VALUE"),
        (["best.memory=8GB"], "unknown key"),
        (["read_on=soon"], "a date"),
        (["generation={"], "TOML"),
    ],
)
def test_a_new_sheet_is_not_made_of_nonsense(words: list[str], part: str) -> None:
    ran = run("needs", "new", "Plan", *words)
    assert ran.code == 3
    assert part in ran.err
    assert ran.out == ""


BAD = """\
tallcheck = "needs/1"
title = "Plan"
kind = "programme"
sauce = "x"

[[release]]
name = "2"
[release.minimum]
memory = "lots"
memroy = "8 GB"
cores = 2

[[release]]
name = "1"
[release.minimum]
clock = "2"
[[release.minimum.also]]
display = "wide"
"""


def test_validate_says_every_problem_at_once_with_its_line(tmp_path: Path) -> None:
    (tmp_path / "bad.needs.toml").write_text(BAD)
    ran = run("needs", "validate", "bad.needs.toml", cwd=tmp_path)
    assert ran.code == 3
    lines = {line.split(": ")[1] for line in ran.out.splitlines()}
    assert {"line 3", "line 4", "line 9", "line 10", "line 16"} <= lines
    assert "nearest known: 'memory'" in ran.out
    assert "'source'" in ran.out


@pytest.mark.parametrize(
    ("body", "part"),
    [
        (
            SOURCE + "[minimum]\nmemory = '4 GB'\n[recommended]\nmemory = '2 GB'",
            "below the minimum",
        ),
        (SOURCE + "[minimum]\nmemory = '8 MB'", "MB or GB"),
        ("read_on = 2026-09-01\n[minimum]\ncores = 2", "no source"),
        ("source = 'x'\n[minimum]\ncores = 2", "no reading date"),
        (SOURCE + "[minimum]\nstorage = '8 GB'\nstorage_free = '20 GB'", "other way round"),
        (SOURCE + "[minimum]\nstorage = '<= 8 GB'", "upper bound"),
        (SOURCE + "[minimum]\nos_bits = 32", "is that meant"),
        (SOURCE + "[minimum]\nos_bits = 32\nmemory = '8 GB'", "can address"),
        (SOURCE + "[minimum]\ncores = 8\nthreads = 4", "more cores than threads"),
        (SOURCE + "[minimum]\ncores = 4\nthreads = 4", "sound\n"),
        (SOURCE + "[minimum]\nstorage = '20 GB'\nstorage_free = '20 GB'", "sound\n"),
        (SOURCE + "[minimum]\nos_bits = '>= 32'\nmemory = '4 GB'", "sound\n"),
    ],
)
def test_validate_warns_of_what_is_rarely_meant(tmp_path: Path, body: str, part: str) -> None:
    (tmp_path / "plan.needs.toml").write_text(HEAD + body)
    ran = run("needs", "validate", "plan.needs.toml", cwd=tmp_path)
    assert ran.code == 0
    assert part in ran.out


TOML = st.recursive(
    st.booleans() | st.integers() | st.floats() | st.text(max_size=6),
    lambda inner: st.lists(inner, max_size=2)
    | st.dictionaries(
        st.sampled_from(["memory", "also", "any", "when", "name", "minimum", "generation", "os"]),
        inner, max_size=3),
    max_leaves=8,
)  # fmt: skip


@given(
    st.dictionaries(
        st.sampled_from(["tallcheck", "title", "kind", "release", "minimum", "x"]), TOML
    )
)
def test_reviewing_any_table_ends_and_finds_something(raw: dict[str, object]) -> None:
    found = problems(raw, VOCABULARY)
    assert found or raw.get("tallcheck") == "needs/1"


def test_places_are_found_in_the_text() -> None:
    lines = lines_of(BAD)
    assert line_of("release[0].minimum.memroy", lines) == 10
    assert line_of("release[1].minimum.also[0].when", lines) == 17
    assert line_of("nowhere", lines) is None


# --- a telephone call ------------------------------------------------------------------------


def _call(answers: str, *words: str) -> tuple[int, dict[str, object], str]:
    ran = run("describe", "bench", *words, "--for", "merrow@10", stdin=answers.encode())
    return ran.code, json.loads(ran.out), ran.err


KNOWN = ["memory=8GB", "cores=4", "clock=2GHz", "processor_bits=64", "storage=256GB",
         "storage_free=99GB", "shape=notebook"]  # fmt: skip


def test_a_call_asks_only_what_can_change_the_answer() -> None:
    code, sheet, heard = _call("Osier Wand S5 214\n", "os=Merrow 9", *KNOWN)
    assert code == 0
    assert heard.count("where:") == 1
    assert "\nprocessor's name?" in heard
    assert sheet["processor"]["level"] == "x86-64-v3"  # type: ignore[index]
    # nothing is asked where the answer is settled, whatever else is missing
    code, _, heard = _call("", "memory=8GB", "processor_bits=32", "shape=notebook")
    assert (code, heard.count("where:")) == (13, 0)


def test_a_call_takes_dont_know_and_asks_again_what_it_did_not_understand() -> None:
    # which system it is comes first, for where to look differs
    code, sheet, heard = _call("Merrow 9\ndon't know\nAVX2 MOVBE LAHF\n", *KNOWN)
    assert heard.splitlines()[1].startswith("operating system?")
    assert code == 14
    assert "instruction sets?" in heard
    others = [one for one in KNOWN if "memory" not in one]
    code, sheet, heard = _call("Merrow 9\nlots\n12 GB\n", *others, "instructions=x86-64-v3")
    assert "not understood" in heard
    assert sheet["memory"]["installed"] == 12 * GIB  # type: ignore[index]


def test_a_call_that_breaks_off_keeps_what_was_told() -> None:
    code, sheet, heard = _call("8 GB\n")
    assert code == 14
    assert sheet["memory"] == {"installed": 8 * GIB}
    assert heard.rstrip().splitlines()[-1].startswith("undecided: bench cannot be judged") or (
        "undecided: bench" in heard
    )
