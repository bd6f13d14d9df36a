"""Machine sheets and needs sheets: strict in, plain out, one clear error for bad input."""

from contextlib import suppress
from pathlib import Path
from typing import Any

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tallcheck.core.values.errors import InputError
from tallcheck.files.sheets import machine_from, machine_json, needs_from, schema
from tests.helpers import DEMO, GIB, VOCABULARY, demo_machine, machine, run

START = '{"tallcheck": "machine/1", "name": "x"'
NEEDS = 'tallcheck = "needs/1"\ntitle = "Merrow"\nkind = "operating system"\n'


@pytest.mark.parametrize(
    ("sheet", "parts"),
    [
        ("", ["no JSON"]),
        ("{", ["no JSON"]),
        ("[1]", ["object"]),
        ('"x"', ["object"]),
        ('{"name": "x"}', ["machine/1"]),
        ('{"tallcheck": "machine/2", "name": "x"}', ["machine/2"]),
        ('{"tallcheck": "machine/1"}', ["'name'", "missing"]),
        (START + ', "memry": {}}', ["'memry'", "nearest known: 'memory'"]),
        (START + ', "memory": {"instaled": 4}}', ["memory", "'instaled'", "'installed'"]),
        (START + ', "memory": {"modules": [{"sice": 4}]}}', ["modules[", "'sice'", "'size'"]),
        (START + ', "memory": {"installed": "lots"}}', ["memory.installed", '"lots"', "unit"]),
        (START + ', "memory": {"installed": "8"}}', ["without a unit"]),
        (START + ', "memory": {"slots": -1}}', ["memory.slots"]),
        (START + ', "memory": {"installed": 1.5}}', ["memory.installed"]),
        (START + ', "memory": 4}', ["memory"]),
        (START + ', "system": {"shape": "brick"}}', ["system.shape"]),
        (START + ', "processor": {"instructions": ["AVX22"]}}', ["AVX22", "AVX2"]),
        (START + ', "display": "wide"}', ["display", "1920x1080"]),
        ("[" * 100_000, ["JSON"]),
    ],
)
def test_bad_machine_sheets_name_what_is_wrong(sheet: str, parts: list[str]) -> None:
    with pytest.raises(InputError) as caught:
        machine_from(sheet.encode(), "x.machine.json")
    for part in ["x.machine.json", *parts]:
        assert part in str(caught.value)


@pytest.mark.parametrize(
    ("toml", "parts"),
    [
        ("", ["empty sheet"]),
        ("[[[", ["no TOML", "line 1"]),
        ('title = "x"', ["'tallcheck'", "missing"]),
        (NEEDS, ["without needs"]),
        (NEEDS + '[minimum]\nmemory = "lots"', ["minimum.memory", '"lots"']),
        (NEEDS + "[minimum]\nmemory = 8", ["minimum.memory", "without a unit"]),
        (NEEDS + '[minimum]\nmemroy = "8 GB"', ["minimum", "'memroy'", "'memory'"]),
        (NEEDS + '[minimum]\ncores = "plenty"', ["minimum.cores"]),
        (NEEDS + "[minimum]\ncores = true", ["minimum.cores"]),
        (NEEDS + "[minimum]\ncores = nan", ["minimum.cores"]),
        (NEEDS + "[minimum]\ninstructions = [1]", ["minimum.instructions"]),
        (NEEDS + '[minimum]\nfirmware = "uefa"', ["minimum.firmware", "uefi"]),
        (NEEDS + '[[release]]\nname = "1"\n[[release]]\nname = "1"', ["release[0]"]),
        (NEEDS + '[[release]]\nname = "1"\nminimum.cores = 1\n[[release]]\nname = "1"\n'
         "minimum.cores = 1", ["'1' twice"]),
        (NEEDS + '[[minimum.also]]\ncores = 2', ["also[0]", "when"]),
        (NEEDS + '[[minimum.also]]\nwhen = {"system.shap" = "notebook"}', ["system.shape"]),
        (NEEDS + "[[minimum.any]]", ["any[0]", "empty"]),
        (NEEDS + "[minimum]\ngeneration = {X = true}", ["minimum.generation"]),
        (NEEDS + 'read_on = "yesterday"\n[minimum]\ncores = 1', ["read_on"]),
    ],
)  # fmt: skip
def test_bad_needs_sheets_name_what_is_wrong(toml: str, parts: list[str]) -> None:
    with pytest.raises(InputError) as caught:
        needs_from(toml.encode(), "merrow.needs.toml", VOCABULARY)
    for part in ["merrow.needs.toml", *parts]:
        assert part in str(caught.value)


def test_sizes_may_be_text_and_are_written_as_numbers() -> None:
    sheet = machine(
        memory={"installed": "12 GB", "modules": [{"size": "8gb", "speed": "3200 MHz"}]},
        processor={"clock": "2,1 GHz"},
        storage=[{"drive": "256 GB"}],
    )
    again = msgspec.json.decode(machine_json(sheet))
    assert again["memory"]["installed"] == 12 * GIB
    assert again["memory"]["modules"][0] == {"size": 8 * GIB, "speed": 3200}
    assert again["processor"]["clock"] == 2_100_000_000
    assert again["storage"][0]["drive"] == 256 * 10**9


def test_absent_is_unknown_and_zero_empty_and_none_are_known() -> None:
    sheet = machine(memory={"swap": 0, "modules": []}, firmware={"security_module": "none"})
    again = machine_from(machine_json(sheet), "again")
    assert again == sheet
    assert again.memory.swap == 0
    assert again.memory.modules == []
    assert again.memory.installed is None


@pytest.mark.parametrize("path", sorted(Path(DEMO).rglob("*.machine.json")), ids=lambda p: p.name)
def test_demo_sheets_read_back_to_themselves(path: Path) -> None:
    sheet = machine_from(path.read_bytes(), path.name)
    assert machine_from(machine_json(sheet), path.name) == sheet


JSON = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=8),
    lambda inner: st.lists(inner, max_size=3)
    | st.dictionaries(
        st.sampled_from(["memory", "modules", "size", "processor", "storage", "clock", "caches",
                         "L1d", "graphics", "origins", "how", "doubts", "x"]), inner, max_size=3),
    max_leaves=12,
)  # fmt: skip


SECTIONS = ["memory", "processor", "storage", "graphics", "origins", "doubts", "software", "extra"]


@given(st.dictionaries(st.sampled_from(SECTIONS), JSON))
def test_any_json_is_a_sheet_or_one_clear_error(sections: dict[str, Any]) -> None:
    with suppress(InputError):
        assert machine(**sections).name == "bench"


def test_schemas_know_every_key(tmp_path: Path) -> None:
    ran = run("schema", "needs")
    assert ran.code == 0
    keys = ran.json()["$defs"]["LevelTable"]["properties"]
    assert {"memory", "instructions", "any", "also", "cores_use"} <= set(keys)
    found = schema("machine")["$defs"]["Memory"]["properties"]
    assert "string" in str(found["installed"])


def test_files_and_standard_input(tmp_path: Path) -> None:
    big = tmp_path / "big.json"
    with big.open("wb") as file:
        file.truncate(1 << 30)
    odd = tmp_path / "odd.json"
    odd.write_bytes(b'{"tallcheck": "\xff"}')
    for name, part in ((str(big), "MiB"), (str(odd), "UTF-8"), ("no.json", "no such file")):
        ran = run("check", name, "--need", "memory=4GB")
        assert ran.code == 3, ran.err
        assert part in ran.err
        assert "Traceback" not in ran.err
    sheet = Path(demo_machine("potting-02")).read_bytes()
    assert run("check", "-", "merrow@10", stdin=sheet).code == 10
