"""Data flows one way: core imports no other room, and a command imports only what it uses."""

import ast
import importlib
import re
import subprocess
import sys
from functools import cache
from pathlib import Path

import pytest

from tests.helpers import demo_machine

SOURCE = Path(__file__).parent.parent / "src" / "tallcheck"
MAY_IMPORT = {
    "core": {"core"},
    "gather": {"core", "gather", "data"},
    "files": {"core", "files", "data"},
    "report": {"core", "report", "data"},
    "data": set(),
}
_FACTS = {"values", "machine", "needs", "usage"}
INSIDE = {
    "values": {"values"},
    "machine": {"values", "machine"},
    "board": {"values", "machine", "board"},
    "needs": {"values", "machine", "needs"},
    "text": {"values", "machine", "needs", "text"},
    "usage": {"values", "machine", "usage"},
    "upgrade": {"values", "machine", "board", "upgrade"},
    "decide": {*_FACTS, "board", "decide"},
    "fleet": {*_FACTS, "board", "upgrade", "decide", "fleet"},
    "jobs": {*_FACTS, "board", "text", "upgrade", "decide", "fleet", "jobs"},
    "messages": {*_FACTS, "board", "text", "upgrade", "decide", "fleet", "jobs", "messages"},
}
"""What each room of the core may import."""
NOT_PURE = {"os", "sys", "io", "pathlib", "time", "subprocess", "socket", "random", "platform"}


@cache
def imported(path: Path) -> set[str]:
    names: set[str] = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            names |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            names.add(node.module)
    return names


@pytest.mark.parametrize("room", MAY_IMPORT)
def test_rooms_import_one_way(room: str) -> None:
    for path in (SOURCE / room).rglob("*.py"):
        for name in imported(path):
            parts = name.split(".")
            if parts[0] == "tallcheck" and len(parts) > 1:
                assert parts[1] in MAY_IMPORT[room], f"{path.name} imports {name}"


@pytest.mark.parametrize("room", INSIDE)
def test_rooms_of_the_core_import_one_way(room: str) -> None:
    for path in (SOURCE / "core" / room).rglob("*.py"):
        for name in imported(path):
            parts = name.split(".")
            if parts[:2] == ["tallcheck", "core"] and len(parts) > 2:
                assert parts[2] in INSIDE[room], f"{room}/{path.name} imports {name}"


@cache
def _used() -> dict[str, set[str]]:
    """By room the modules that the code of other rooms imports, or resolves by name."""
    found: dict[str, set[str]] = {room: set() for room in INSIDE}
    for path in SOURCE.rglob("*.py"):
        names = set()
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.ImportFrom) and node.module:
                names |= {f"{node.module}.{alias.name}" for alias in node.names}
                names.add(node.module)
            elif isinstance(node, ast.Constant) and isinstance(node.value, str):
                resolved = re.match(r"(?:tallcheck\.)?(core\.\w+\.\w+):", node.value)
                names |= {f"tallcheck.{resolved[1]}"} if resolved else set()
        for room in INSIDE:
            if path.parent == SOURCE / "core" / room:
                continue
            parts = (name.removeprefix(f"tallcheck.core.{room}.") for name in names
                     if name.startswith(f"tallcheck.core.{room}."))  # fmt: skip
            found[room] |= {one.partition(".")[0] for one in parts}
    return found


@pytest.mark.parametrize("room", INSIDE)
def test_each_room_says_what_others_may_use(room: str) -> None:
    package = importlib.import_module(f"tallcheck.core.{room}")
    assert package.__doc__
    assert set(package.__all__) == _used()[room]


def test_every_room_of_the_core_is_listed() -> None:
    rooms = {path.name for path in (SOURCE / "core").iterdir() if path.is_dir()}
    assert rooms - {"__pycache__"} == set(INSIDE)


def test_no_circle_between_modules_of_the_core() -> None:
    graph = {
        ".".join(path.relative_to(SOURCE.parent).with_suffix("").parts): imported(path)
        for path in (SOURCE / "core").rglob("*.py")
    }
    done: set[str] = set()

    def visit(name: str, above: tuple[str, ...]) -> None:
        assert name not in above, " -> ".join((*above, name))
        if name not in done:
            for other in graph[name] & graph.keys():
                visit(other, (*above, name))
            done.add(name)

    for name in graph:
        visit(name, ())


def test_modules_are_short() -> None:
    long = [path.name for path in SOURCE.rglob("*.py") if len(path.read_text().splitlines()) > 400]
    assert long == []


def test_core_reaches_nothing_outside() -> None:
    for path in (SOURCE / "core").rglob("*.py"):
        assert not {name.split(".")[0] for name in imported(path)} & NOT_PURE, path.name
        calls = {
            node.func.id
            for node in ast.walk(ast.parse(path.read_text()))
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Name)
        }
        assert "open" not in calls, path.name


@pytest.mark.parametrize(
    ("words", "forbidden"),
    [
        (["--version"], {"msgspec", "json", "tomli", "tallcheck.core"}),
        (
            ["check", demo_machine("potting-02"), "merrow@10"],
            {"numpy", "pandas", "scipy", "matplotlib", "jinja2", "rich", "tarfile"},
        ),
    ],
)
def test_a_command_imports_only_what_it_uses(words: list[str], forbidden: set[str]) -> None:
    ran = subprocess.run(
        [sys.executable, "-X", "importtime", "-m", "tallcheck", *words],
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    modules = {line.rsplit("|", 1)[-1].strip() for line in ran.stderr.splitlines()}
    assert not modules & forbidden


_CORE_ALONE = """
import json, sys, tomllib
import msgspec
from tallcheck.core.decide.asked import Chosen, asked_at
from tallcheck.core.decide.decision import decide
from tallcheck.core.machine.normalized import normalized
from tallcheck.core.machine.names import Line, Rule
from tallcheck.core.machine.sheet import Machine
from tallcheck.core.machine.systems import SystemWord
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.text.needs_sheet import from_table

data, rooms = sys.argv[1], sys.argv[2:]
for room in rooms:
    __import__(f"tallcheck.{room}")

def tables(name, key, kind):
    files = (f"{data}/{name}", f"{data}/demo/{name}")
    found = [tomllib.loads(open(path, encoding="utf-8").read()).get(key, []) for path in files]
    return msgspec.convert([one for many in found for one in many], list[kind])

def names():
    return (tables("processors.toml", "rule", Rule), tables("processors.toml", "line", Line))

vocabulary = Vocabulary(names, lambda: tables("systems.toml", "system", SystemWord))
machine = json.load(open(f"{data}/demo/machines/potting-02.machine.json"))
sheet = tomllib.loads(open(f"{data}/demo/needs/merrow.needs.toml", encoding="utf-8").read())
needs = from_table(sheet, vocabulary)
(release,) = [one for one in needs.releases if one.name == "10"]
against = (Chosen(needs, release),)
there = normalized(msgspec.convert(machine, Machine), vocabulary)
found = decide(there, asked_at(against, "minimum"), against).decision
print(found.answer, found.target_memory, [one.key for one in there.doubts])
others = [one for one in sys.modules if one.startswith("tallcheck.") and ".core" not in one]
assert rooms or not others
"""


@pytest.mark.parametrize("rooms", [(), ("files.vocabulary", "gather", "report.structures", "cli")])
def test_core_answers_alone_as_with_all_rooms(rooms: tuple[str, ...]) -> None:
    """Nothing is global: what else is imported changes no answer."""
    ran = subprocess.run(
        [sys.executable, "-c", _CORE_ALONE, str(SOURCE / "data"), *rooms],
        capture_output=True, text=True, check=True,
    )  # fmt: skip
    assert ran.stdout.split()[:2] == ["memory-alone", str(8 << 30)]
