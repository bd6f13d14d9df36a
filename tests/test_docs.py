"""The documentation holds: its commands run, its lists are complete, its links lead somewhere."""

import importlib.util
import re
import shlex
from pathlib import Path

import pytest

from tallcheck import cli
from tallcheck.cli import COMMANDS
from tallcheck.core.decide.trials import EXIT_CODES
from tallcheck.core.fleet.money import HOURS, PRICED
from tallcheck.core.jobs import confirm
from tallcheck.core.machine.readings import SHORT_NAMES
from tallcheck.files.config import Settings
from tallcheck.files.table import MODELS_COLUMNS, PARTS_COLUMNS
from tests.helpers import call, run

ROOT = Path(__file__).parent.parent
DOCS = ROOT / "docs"
PAGES = [ROOT / "README.md", *sorted(DOCS.glob("*.md"))]


def commands(page: Path) -> list[str]:
    """The commands of a page's indented blocks, continuation lines joined."""
    blocks = re.findall(r"(?:^    .+\n)+", page.read_text(), flags=re.MULTILINE)
    found = []
    for block in blocks:
        text = "\n".join(line[4:] for line in block.splitlines())
        found += [re.sub(r"\\\n\s*", "", one) for one in re.split(r"(?<!\\)\n", text)]
    return [one for one in found if one.startswith("tallcheck ")]


CODES = {
    "check machines/potting-02": 10, "check machines/glasshouse-05": 14,
    "check machines/pump-house-06": 12, "check machines/herbarium-01": 10,
}  # fmt: skip


@pytest.fixture(scope="module")
def garden(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder with the demo's data."""
    folder = tmp_path_factory.mktemp("docs")
    assert call("demo", "garden", "--quiet", cwd=folder).code == 0
    return folder / "garden"


def test_every_command_of_the_tutorial_does_what_it_says(garden: Path) -> None:
    seen = 0
    for command in commands(DOCS / "tutorial.md"):
        if command.startswith(("tallcheck demo", "tallcheck describe")):
            continue
        line, _, output = command.partition(" > ")
        words = shlex.split(line)[1:]
        ran = call(*words, cwd=garden)
        if output:
            (garden / output).write_text(ran.out)
        told = next((code for start, code in CODES.items() if start in command), 0)
        expected = 0 if "--have" in command else told
        assert ran.code == expected, (command, ran.err)
        assert all(
            one.startswith("wrote ") or " not understood" in one for one in ran.err.splitlines()
        )
        seen += 1
    assert seen >= 9
    for name in ("garden.html", "garden.png", "answer.html", "answer.png", "plan.json"):
        assert (garden / name).stat().st_size > 500


def test_the_readme_runs_as_it_stands(tmp_path: Path) -> None:
    assert call("demo", "--quiet", cwd=tmp_path).code == 0
    folder, seen = tmp_path / "tallcheck-demo", 0
    for command in commands(ROOT / "README.md"):
        line, _, output = re.sub(r"\s+#.*", "", command).partition(" > ")
        if "|" in line or "--ssh" in line:
            continue  # another machine
        line = line.replace("--every 5s --for 8h", "--every 0.2s --for 0.6s")
        ran = call(*shlex.split(line)[1:], cwd=folder)
        assert ran.code in (0, *EXIT_CODES.values()), (command, ran.err)
        if output:
            (folder / output).write_text(ran.out)
        seen += 1
    assert seen >= 30
    for name in ("here.json", "answer.md", "usage.png", "office.xlsx", "page.needs.toml"):
        assert (folder / name).stat().st_size > 200


def test_the_fleet_command_of_the_readme_writes_page_and_picture(garden: Path) -> None:
    (command,) = [one for one in commands(ROOT / "README.md") if "--save garden.png" in one]
    ran = call(*shlex.split(command)[1:], cwd=garden)
    assert ran.code == 0
    assert all(one.startswith("wrote ") for one in ran.err.splitlines())
    for part in ("To order", "By when", "With 4,000.00 EUR", "Faults in the list"):
        assert part in ran.out


@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.name)
def test_links_lead_somewhere(page: Path) -> None:
    for target in re.findall(r"\]\(([^)#]+)\)", page.read_text()):
        if not target.startswith("http"):
            assert (page.parent / target).exists(), target


def test_pictures_are_few_and_all_shown() -> None:
    pictures = sorted(path.name for path in (DOCS / "screenshots").glob("*.png"))
    assert len(pictures) < 20
    readme = (ROOT / "README.md").read_text()
    assert [name for name in pictures if f"docs/screenshots/{name}" not in readme] == []


def test_exit_codes_are_all_documented() -> None:
    text = (DOCS / "exit-codes.md").read_text()
    for answer, code in {**EXIT_CODES, **confirm.EXIT_CODES}.items():
        row = next(line for line in text.splitlines() if line.startswith(f"| {code} |"))
        assert f"`{answer}`" in row


def test_settings_keys_and_kinds_are_all_documented() -> None:
    text = (DOCS / "settings.md").read_text()
    for field in Settings.__struct_fields__:
        assert field in text
    fleet = (DOCS / "fleet.md").read_text()
    for kind in PRICED:
        assert f"`{kind}`" in fleet
    hours = re.search(r"Hours for each kind of fix.*?\n\n", fleet, re.DOTALL)
    assert hours is not None
    for kind in HOURS:
        assert kind in hours[0]


def test_columns_of_all_lists_are_documented() -> None:
    fleet, upgrade = (DOCS / "fleet.md").read_text(), (DOCS / "upgrade.md").read_text()
    for name in SHORT_NAMES:
        assert f"`{name}`" in fleet
    for name in (*PARTS_COLUMNS, *MODELS_COLUMNS):
        assert name in upgrade


def test_commands_are_all_named_in_the_readme() -> None:
    text = (ROOT / "README.md").read_text()
    for name in COMMANDS:
        if name != "schema":
            assert f"tallcheck {name}" in text or f"make {name}" in text, name


# examples that need a telephone call, another machine, hours, or a list of one's own
_ELSEWHERE = (" here", "describe potting-05 --for", "kit linux", "potting-02.tar",
              "record -o", "x.csv", "inventory.csv", "demo", "gather -o")  # fmt: skip


@pytest.mark.parametrize("command", COMMANDS)
def test_the_examples_of_help_run_on_the_demo(command: str, garden: Path) -> None:
    text = call(command, "--help").out.partition("example:")[2]
    joined = re.sub(r"\\\n\s*", "", text)
    lines = [line.strip() for line in joined.splitlines()]
    for line in lines:
        if not line.startswith("tallcheck ") or any(word in line for word in _ELSEWHERE):
            continue
        told, _, output = line.partition(" > ")
        ran = call(*shlex.split(told)[1:], cwd=garden)
        if output:
            (garden / output).write_text(ran.out)
        assert ran.code in (0, 10), (line, ran.err)
        assert all(
            one.startswith("wrote ") or " not understood" in one for one in ran.err.splitlines()
        )


@pytest.mark.parametrize("command", COMMANDS)
def test_help_fits_a_screen_and_has_an_example(command: str) -> None:
    ran = run(command, "--help", env={"COLUMNS": "100"})
    assert ran.code == 0
    assert len(ran.out.splitlines()) <= 44
    assert max(map(len, ran.out.splitlines())) <= 100
    assert f"tallcheck {command}" in ran.out.partition("example")[2]


def test_each_command_within_needs_has_its_own_help() -> None:
    said = call("needs", "new", "--help").out
    assert "TITLE" in said
    assert "--needs-path" not in said
    assert "tallcheck needs validate" not in said
    refused = call("needs", "validate", "x", "--text", "y")
    assert (refused.code, "needs validate does not take" in refused.err) == (2, True)
    assert "--needs-path" in call("needs", "list", "--help").out


@pytest.mark.parametrize("command", COMMANDS)
def test_the_usage_is_one_line(command: str) -> None:
    ran = run(command, "--wrong", env={"COLUMNS": "80"})
    usage, *rest = ran.err.splitlines()
    assert ran.code == 2
    assert usage.startswith(f"usage: tallcheck {command}")
    assert rest[0].startswith(f"tallcheck {command}: error:")


def test_what_needs_more_than_is_installed_is_told_apart(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("tallcheck.cli.find_spec", lambda name: None)
    said = cli._top_parser().format_help()
    assert "\n  fleet " not in said
    assert "with the full installation also: usage, fleet" in said


def test_a_saved_page_is_opened(garden: Path) -> None:
    words = ("show", "machines/potting-02.machine.json", "--open", "--quiet")
    refused = call(*words, cwd=garden)
    assert (refused.code, "--save FILE.html" in refused.err) == (2, True)
    page = garden / "a page.html"
    ran = run(*words, "--save", page.name, cwd=garden, env={"BROWSER": "echo"})
    assert ran.out.strip() == page.resolve().as_uri()


@pytest.mark.parametrize(
    ("unpacked", "processes", "alone"),
    [("/tmp/m", 2, True), ("/tmp/m", 3, False), ("/stick/_internal", 1, True),
     ("/stick/_internal", 2, False), ("/tmp/m", 0, False)],
)  # fmt: skip
def test_a_double_click_is_told_from_a_command_window(
    unpacked: str, processes: int, alone: bool, monkeypatch: pytest.MonkeyPatch
) -> None:
    spec = importlib.util.spec_from_file_location("carried", ROOT / "portable" / "program.py")
    assert spec is not None
    assert spec.loader is not None
    program = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(program)
    monkeypatch.setattr(program, "console_processes", lambda: processes)
    monkeypatch.setattr(program.sys, "_MEIPASS", unpacked, raising=False)
    monkeypatch.setattr(program.sys, "executable", "/stick/tallcheck.exe")
    assert program.opened_alone() == alone
