"""The pictures of the documentation show what the commands print today; no screen is needed."""

import importlib.util
import re
from pathlib import Path
from typing import Any

import pytest

from tallcheck.core.decide.trials import EXIT_CODES
from tallcheck.core.messages.note import note
from tallcheck.core.messages.sentence import sentence

ROOT = Path(__file__).parent.parent


def _script(name: str) -> Any:
    spec = importlib.util.spec_from_file_location(name, ROOT / "docs" / f"{name}.py")
    assert spec is not None
    assert spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


PICTURES = _script("pictures")


@pytest.fixture(scope="module")
def garden(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo's data."""
    return Path(PICTURES.garden(tmp_path_factory.mktemp("pictures")))


def test_the_readme_links_just_the_pictures_that_are_drawn() -> None:
    linked = set(re.findall(r"screenshots/([\w-]+)\.png", (ROOT / "README.md").read_text()))
    named = [one.name for one in PICTURES.PICTURES]
    there = {path.stem for path in PICTURES.FOLDER.glob("*.png")}
    assert linked == set(named) == there
    assert len(named) == len(linked) < 20


@pytest.mark.parametrize("picture", PICTURES.PICTURES, ids=lambda one: str(one.name))
def test_a_picture_shows_what_its_command_prints(picture: Any, garden: Path) -> None:
    drawn = PICTURES.DIGESTS.read_text().splitlines()
    text = PICTURES.text_of(picture, garden)
    assert PICTURES.digest(picture, text) in drawn, "draw the pictures again: make pictures"


def test_what_went_wrong_is_never_drawn(garden: Path) -> None:
    wrong = PICTURES.Picture("wrong", "check machines/no-such.machine.json merrow@10", 3)
    with pytest.raises(SystemExit, match="no such file"):
        PICTURES.text_of(wrong, garden)
    with pytest.raises(SystemExit, match="expected 0"):
        PICTURES.text_of(wrong._replace(words="check machines/potting-02.machine.json merrow@10",
                                        code=0), garden)  # fmt: skip


@pytest.mark.parametrize("name", ["manual", "messages"])
def test_pages_that_are_made_say_what_is_so_today(
    name: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("COLUMNS", "200")
    script = _script(name)
    assert script.PAGE.read_text() == script.page(), "write it again: make pages"


def test_every_answer_is_on_the_page_of_what_is_said() -> None:
    script = _script("messages")
    found = [script.answer(one) for one in script.ANSWERS]
    assert {one.verdict.decision.answer for one in found} == set(EXIT_CODES)
    assert any(one.verdict.decision.conflicts for one in found)
    for one in found:
        for said in re.split(r"(?<=[.:;]) ", sentence(one)):
            assert len(said.split()) <= 30, said
        assert "`" not in note([one])


@pytest.mark.parametrize(
    ("page", "words"),
    [
        ("tallcheck.1", "worlds?|trials?|folds?|oracle|mends?"),
        ("messages.md", r"worlds?|trials?|floors?|folds?|rows?|readings?|columns?|rests?\son"),
    ],
)
def test_no_word_is_said_that_only_this_project_knows(page: str, words: str) -> None:
    assert re.findall(rf"(?i)\b(?:{words})\b", (PICTURES.HERE / page).read_text()) == []
