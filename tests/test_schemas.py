"""Every JSON that a command prints is what its schema says, and every schema is one."""

from pathlib import Path
from typing import Any

import pytest
from jsonschema import Draft202012Validator

from tests.helpers import DEMO, call, demo_machine

PARTS = str(Path(DEMO, "parts", "garden.parts.csv"))
MACHINES = [demo_machine(path.name.split(".")[0]) for path in Path(DEMO, "machines").iterdir()]
POTTING, AFTER = demo_machine("potting-02"), str(Path(DEMO, "after", "potting-02.machine.json"))


@pytest.fixture(scope="module")
def demo(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo's folder, with its logs and lists."""
    folder = tmp_path_factory.mktemp("demo") / "d"
    call("demo", str(folder), "--quiet")
    return folder


def _valid(which: str, found: Any) -> None:
    schema = call("schema", which).json()
    Draft202012Validator.check_schema(schema)
    errors = [error.message for error in Draft202012Validator(schema).iter_errors(found)]
    assert errors == []


def _json(*words: str, cwd: Path | None = None) -> Any:
    return call(*words, "--format", "json", cwd=cwd).json()


def test_checks_and_machine_sheets() -> None:
    for machine in MACHINES:
        _valid("check", _json("check", machine, "merrow@10", "--parts", PARTS))
    _valid("check", _json("check", MACHINES[0], "merrow"))
    _valid("check", _json("check", POTTING, "--at-least", AFTER, "--need", "os=Merrow >= 9"))
    _valid("machine", call("gather").json())
    _valid("machine", call("describe", "x", "memory=8GB", "modules=4GB,4GB").json())


@pytest.mark.parametrize(
    "words", [["--to", "16GB"], ["--to", "most", "--parts", PARTS], ["--for", "merrow@10"]]
)
def test_plans(words: list[str]) -> None:
    for machine in MACHINES:
        _valid("plan", _json("upgrade", machine, *words))


def test_fleets(demo: Path) -> None:
    prices = ["--price", "machine=640", "--price", "hour=48", "--budget", "4000", "--what-if"]
    words = ["--parts", PARTS, "--models", "parts/garden.models.csv", *prices]
    _valid("fleet", _json("fleet", "fleet/garden.csv", "merrow@10", *words, cwd=demo))
    _valid("fleet", _json("fleet", "machines", "merrow@10", cwd=demo))


def test_usage_and_confirmations(demo: Path) -> None:
    logs = sorted((demo / "usage").iterdir())
    for log in logs:
        _valid("usage", _json("usage", str(log)))
    _valid("confirm", _json("confirm", POTTING, AFTER, "merrow@10"))
    both = [str(demo / "usage" / f"{name}.usage.csv") for name in ("swapping", "after-the-upgrade")]
    _valid("confirm", _json("confirm", POTTING, AFTER, "--usage", *both))
    _valid("confirm", _json("confirm", POTTING, POTTING))


def test_what_is_no_output_is_refused_by_its_schema() -> None:
    found = _json("check", POTTING, "merrow@10")
    schema = Draft202012Validator(call("schema", "check").json())
    for broken in (
        found | {"tallcheck": "check/2"},
        found | {"rows": [{}]},
        {"tallcheck": "check/1"},
    ):
        assert not schema.is_valid(broken)
