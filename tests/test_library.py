"""What `import tallcheck` offers: the answers of the commands, nothing loaded before it is used."""

import subprocess
import sys
from pathlib import Path

import pyarrow as pa
import pytest

import tallcheck
from tests.helpers import DEMO, demo_machine, run

MACHINES = sorted(path.name.split(".")[0] for path in Path(DEMO, "machines").iterdir())
TABLE = pa.table({
    "name": ["a", None, "c", "d"], "RAM": ["4 GB", "8 GB", "16 GB", None],
    "cores": [4, 4, 2, None], "own": ["x", "y", "=1", None],
})  # fmt: skip


@pytest.mark.parametrize("name", MACHINES)
def test_a_check_is_that_of_the_command(name: str) -> None:
    needs = tallcheck.read_needs("merrow@10")
    found = tallcheck.check(tallcheck.read_machine(demo_machine(name)), needs).verdict.decision
    ran = run("check", demo_machine(name), "merrow@10", "--format", "json").json()["decision"]
    answers = (ran["answer"], ran["answer"], ran["target_memory"])
    # the command also asks what the machine's own programs want
    assert (found.answer, ran["answer"], found.target_memory) == answers or ran["conflicts"]


def test_a_plan_and_a_capture() -> None:
    machine = tallcheck.read_machine(Path(DEMO, "captures", "glasshouse-07"))
    assert machine.name == "glasshouse-07"
    plan = tallcheck.plan_upgrade(tallcheck.read_machine(demo_machine("potting-02")), 8 << 30).plan
    assert plan is not None
    assert [one.offer.size for one in plan.add] == [4 << 30]


def test_a_table_keeps_its_rows_and_gets_the_answers() -> None:
    needs = tallcheck.read_needs("merrow@10")
    found = tallcheck.judge_table(TABLE, needs)
    assert found.column_names[:4] == TABLE.column_names
    assert [found[name].to_pylist() for name in TABLE.column_names] == [
        TABLE[name].to_pylist() for name in TABLE.column_names
    ]
    assert found["memory_status"].to_pylist() == ["short", None, "met", "unknown"]
    assert found["answer"].to_pylist()[1] is None
    for batch in (TABLE.to_batches()[0], TABLE.slice(2), TABLE.slice(0, 0)):
        assert tallcheck.judge_table(batch, needs).schema == found.schema
    halves = [tallcheck.judge_table(part, needs) for part in (TABLE.slice(0, 2), TABLE.slice(2))]
    assert pa.concat_tables(halves) == found


def test_what_cannot_be_read_is_an_input_error(tmp_path: Path) -> None:
    (tmp_path / "x.json").write_text("{")
    with pytest.raises(tallcheck.InputError, match=r"x.json: found no JSON"):
        tallcheck.read_machine(tmp_path / "x.json")
    with pytest.raises(tallcheck.InputError, match="expected one of: 10, 9, 6"):
        tallcheck.read_needs("merrow@11")
    with pytest.raises(tallcheck.InputError, match="no column 'name'"):
        tallcheck.judge_table(pa.table({"x": [1]}), tallcheck.read_needs("merrow@10"))
    with pytest.raises(AttributeError, match="nonsense"):
        _ = tallcheck.nonsense


def test_names_are_imported_when_they_are_asked_for() -> None:
    code = (
        "import sys, tallcheck\n"
        "assert not [name for name in sys.modules if name.startswith('tallcheck.')]\n"
        "for name in tallcheck.__all__: getattr(tallcheck, name)\n"
        "assert not {'numpy', 'pyarrow', 'rich', 'argparse'} & {*sys.modules}\n"
    )
    subprocess.run([sys.executable, "-c", code], check=True)
