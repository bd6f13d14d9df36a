"""Telling and replacing readings: what follows from them goes, and what-if stays consistent."""

from pathlib import Path
from typing import Any, get_args

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tallcheck.core.machine.derive import complete
from tallcheck.core.machine.entries import READINGS, Fact, ReadingKey
from tallcheck.core.machine.normalized import normalized
from tallcheck.core.machine.readings import (
    NEVER_ZERO,
    SHORT_NAMES,
    drop_worked_out,
    get,
    keys,
    label_of,
    put,
    resolve_key,
)
from tallcheck.core.machine.telling import tell_all
from tallcheck.core.messages.hints import how_to_find
from tallcheck.core.needs.keys import KEYS
from tallcheck.core.text.said import parse_told, value_said
from tallcheck.core.values.errors import InputError
from tallcheck.files.output import OutputError, write
from tests.helpers import GIB, VOCABULARY, machine, run


@pytest.mark.parametrize(
    ("told", "key", "value"),
    [
        ("memory=8GB", "memory.installed", 8 * GIB),
        ("memory.ceiling=32 GB", "memory.ceiling", 32 * GIB),
        ("storage=256GB", "storage.drive", 256 * 10**9),
        ("clock=2,1 GHz", "processor.clock", 2_100_000_000),
        ("os_bits=32-bit", "system.os_bits", 32),
        ("virtual=no", "system.virtual", False),
        ("shape=Notebook", "system.shape", "notebook"),
        ("display=1920 x 1080", "display", "1920x1080"),
        ("security_module=TPM 2.0", "firmware.security_module", "2.0"),
        ("instructions=avx2; -sse4a", "processor.instructions", ["AVX2", "-SSE4a"]),
        ("extra.valve_bus=yes", "extra.valve_bus", "yes"),
        ("graphics_memory=2GB", "graphics.memory", 2 * GIB),
    ],
)
def test_what_is_told_is_found_on_the_sheet(told: str, key: str, value: Any) -> None:
    (found,) = parse_told(told, VOCABULARY)
    assert (found.key, found.value) == (key, value)
    sheet = tell_all(machine(), [found], VOCABULARY, "by a person")
    assert get(sheet, key) == value
    assert sheet.origins[key].how == "told"


def test_modules_and_programs_told_as_lists() -> None:
    sheet = tell_all(machine(), parse_told("modules=8GB*,4GB,-", VOCABULARY), VOCABULARY)
    assert [(m.size, m.fixed) for m in sheet.memory.modules or []] == [
        (8 * GIB, True), (4 * GIB, None), (0, None),
    ]  # fmt: skip
    assert (sheet.memory.installed, sheet.memory.slots) == (12 * GIB, 3)
    sheet = tell_all(machine(), parse_told("software=Fernfolio 3.2; Mail", VOCABULARY), VOCABULARY)
    assert [(one.name, one.version) for one in sheet.software or []] == [
        ("Fernfolio", "3.2"), ("Mail", None),
    ]  # fmt: skip


@pytest.mark.parametrize(
    "key", [key for key in keys() if key not in ("memory.modules", "software")]
)
def test_every_key_can_be_put_got_labelled_and_found_out(key: str) -> None:
    sheet = put(machine(), key, "x")
    assert get(sheet, key) == "x"
    assert get(put(sheet, key, None), key) in (None, [])
    assert label_of(key)
    for system in (None, "Windows", "Linux", "macOS", "Merrow"):
        assert how_to_find(key, system)


def test_short_names_lead_to_keys_and_wrong_ones_to_the_nearest() -> None:
    for name, key in SHORT_NAMES.items():
        assert resolve_key(name) == key
        assert key in keys()
    with pytest.raises(InputError, match="'memory'"):
        resolve_key("memmory")
    with pytest.raises(InputError, match="model"):
        value_said("system.model", "  ", VOCABULARY)


def test_telling_of_one_volume_or_adapter_leaves_the_others() -> None:
    there = machine(
        storage=[{"mount": "D:", "size": 10**12}, {"mount": "C:", "size": 10**11, "system": True}],
        graphics=[{"name": "one", "memory": GIB}, {"name": "two", "memory": GIB}],
    )
    told = tell_all(
        there,
        parse_told("storage_free=20GB", VOCABULARY) + parse_told("graphics_memory=4GB", VOCABULARY),
        VOCABULARY,
    )
    assert [(one.mount, one.free) for one in told.storage or []] == [
        ("D:", None), ("C:", 20 * 10**9),
    ]  # fmt: skip
    assert [(one.name, one.memory) for one in told.graphics or []] == [
        ("one", 4 * GIB), ("two", GIB),
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("sections", "told", "expected"),
    [
        # what was worked out from a told reading goes, and is worked out anew
        ({"system": {"os_bits": 32}}, "os_bits=64", {"memory.addressable": None}),
        ({"memory": {"usable": "3.8 GB"}}, "memory.usable=7.7GB", {"memory.installed": 8 * GIB}),
        ({"processor": {"architecture": "x86"}}, "architecture=x86-64", {"processor.bits": 64}),
        # another amount fitted: what is kept from use and what is in use stay the same
        ({"memory": {"installed": "4 GB", "usable": "3.5 GB", "available": "1 GB"}}, "memory=8GB",
         {"memory.usable": int(7.5 * GIB), "memory.available": 5 * GIB}),
        ({"memory": {"installed": "4 GB", "usable": "3 GB"}, "system": {"os_bits": 32}},
         "memory=8GB", {"memory.usable": 3 * GIB}),
        # an unknown amount is filled in, and nothing else changes
        ({"memory": {"usable": "3.2 GB"}, "system": {"os_bits": 32}}, "memory=8GB",
         {"memory.usable": int(3.2 * GIB) + 1}),
        ({"memory": {"installed": "4 GB", "modules": [{"size": "4 GB"}]}}, "memory=8GB",
         {"memory.modules": None}),
        ({"memory": {"installed": "4 GB", "modules": [{"size": "4 GB"}]}}, "memory=4GB",
         {"memory.installed": 4 * GIB}),
    ],
)  # fmt: skip
def test_telling_keeps_the_sheet_consistent(
    sections: dict[str, Any], told: str, expected: dict[str, Any]
) -> None:
    sheet = complete(
        tell_all(
            complete(machine(**sections), VOCABULARY),
            parse_told(told, VOCABULARY),
            VOCABULARY,
        ),
        VOCABULARY,
    )
    for key, value in expected.items():
        found = get(sheet, key)
        assert found == value or (found is not None and abs(found - value) <= 2), key


@given(st.sampled_from(["system.os_bits", "memory.usable", "processor.name", "memory.modules"]))
def test_dropping_what_was_worked_out_keeps_what_was_read(key: str) -> None:
    sheet = complete(machine(memory={"usable": "7.7 GB"}, system={"os_bits": 32},
                             origins={"memory.usable": {"how": "read", "from": "x"}}),
                     VOCABULARY)  # fmt: skip
    found = drop_worked_out(sheet, key)
    assert found.memory.usable == sheet.memory.usable
    assert complete(found, VOCABULARY).memory == sheet.memory


@pytest.mark.parametrize(
    ("told", "sets", "doubted"),
    [
        (["avx2=yes", "SSE 4.2=yes", "avx-512f=no"], ["AVX2", "SSE4.2", "-AVX512F"], 0),
        (["instructions=AVX2", "instructions=AVX2,AES"], ["AVX2", "AES"], 0),
        (["avx2=yes", "avx=?"], ["AVX2"], 0),
        (["avx2=yes", "avx2=no", "avx2=no"], ["AVX2"], 1),
    ],
)
def test_sets_are_told_in_parts(told: list[str], sets: list[str], doubted: int) -> None:
    sheet = tell_all(
        machine(),
        [one for text in told for one in parse_told(text, VOCABULARY)],
        VOCABULARY,
    )
    assert sheet.processor.instructions == sets
    assert len(sheet.doubts) == doubted


def test_told_sets_replace_the_list_and_a_told_level_stands_beside_it() -> None:
    read = {"processor.instructions": {"how": "read", "from": "x"}}
    sheet = machine(processor={"instructions": ["SSE2"], "bits": 64}, origins=read)
    more = tell_all(sheet, parse_told("instructions=AVX2,-SSE2", VOCABULARY), VOCABULARY)
    assert more.processor.instructions == ["AVX2", "-SSE2"]
    assert more.origins["processor.instructions"].how == "told"
    level = tell_all(machine(), parse_told("instructions=x86-64-v2 AVX", VOCABULARY), VOCABULARY)
    assert (level.processor.level, level.processor.instructions) == ("x86-64-v2", ["AVX"])


# --- outputs ---------------------------------------------------------------------------------


def test_an_output_is_whole_or_not_there(tmp_path: Path) -> None:
    path = tmp_path / "x.json"
    write(str(path), "one")
    path.chmod(0o640)
    write(str(path), b"two")
    assert path.read_text() == "two"
    assert path.stat().st_mode & 0o777 == 0o640
    for bad in (tmp_path / "no" / "x", tmp_path):
        with pytest.raises(OutputError, match="cannot be written"):
            write(str(bad), "x")
    assert [one.name for one in tmp_path.iterdir()] == ["x.json"]
    write("/dev/null", "x")


def test_a_reader_that_goes_away_is_no_traceback(tmp_path: Path) -> None:
    import subprocess

    from tests.helpers import COMMAND, demo_machine

    command = f"{COMMAND} show {demo_machine('potting-02')} --all | head -n 1"
    ran = subprocess.run(["sh", "-c", command], capture_output=True, text=True, check=False)
    assert ran.stdout.startswith("name")
    assert "Traceback" not in ran.stderr


def test_the_config_folder_is_the_users(tmp_path: Path) -> None:
    ran = run("needs", "list", env={"TALLCHECK_CONFIG": "", "HOME": str(tmp_path)})
    assert ran.code == 0


@pytest.mark.parametrize("key", sorted({*keys(), *NEVER_ZERO}))
def test_a_sheet_refuses_the_zeros_that_are_refused_when_told(key: str) -> None:
    section, _, name = key.partition(".")
    if section not in ("memory", "processor") or name in ("modules", "caches"):
        return
    try:
        machine(**{section: {name: 0}})
        refused = False
    except InputError as error:
        refused = "of at least 1" in str(error) or key == "processor.bits"
    assert refused == (key in NEVER_ZERO)


@pytest.mark.parametrize(
    ("memory", "bits", "about"),
    [
        ({"usable": "7.6 GB"}, 32, ["system.os_bits", "memory.addressable"]),
        ({"usable": "7.6 GB", "addressable": "4 GB"}, 64, ["memory.addressable"]),
        ({"usable": "7.6 GB", "addressable": "64 GB"}, 32, None),  # by physical address extension
        ({"usable": "3.5 GB"}, 32, None),
        ({"usable": "4 GB"}, 32, None),
    ],
)
def test_more_cannot_be_used_than_the_system_addresses(
    memory: dict[str, Any], bits: int, about: list[str] | None
) -> None:
    found = normalized(machine(memory=memory, system={"os_bits": bits}), vocabulary=VOCABULARY)
    assert [one.about for one in found.doubts] == ([about] if about else [])
    for key in about or ():
        assert get(found.machine, key) is None


@pytest.mark.parametrize(
    ("sections", "said"),
    [
        ({"memory": {"installed": "4 GB", "slots": 2, "modules": [{"size": "8 GB"}]}},
         "4 GB fitted is not what the modules add up to (8 GB)"),
        ({"memory": {"installed": "8 GB", "slots": 2, "modules": [{"size": "4 GB"}]}},
         "8 GB fitted is not what the modules add up to (4 GB)"),
        ({"processor": {"clock": "24 GHz"}}, "a clock of 24 GHz is not likely: look at the unit"),
        ({"storage": [{"drive": "256 MB", "system": True}]},
         "a drive of 256 MB is not likely: look at the unit"),
        ({"memory": {"slots": 1, "modules": [{"size": "4 GB"}, {"size": 0}]}},
         "the listed positions (2) are more than there are said to be (1)"),
    ],
)  # fmt: skip
def test_a_doubt_says_both_sides_with_their_units(sections: dict[str, Any], said: str) -> None:
    assert said in [
        one.text for one in normalized(machine(**sections), vocabulary=VOCABULARY).doubts
    ]


def test_every_reading_has_one_entry_and_every_need_reads_what_there_is() -> None:
    assert [one.key for one in READINGS] == list(get_args(ReadingKey))
    known = {*get_args(ReadingKey), *get_args(Fact)}
    for key in KEYS.values():
        assert key.reads <= known, key.name
        assert key.mends <= known, key.name
