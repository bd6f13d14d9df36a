"""What fuzzing once found stays mended, and every door takes odd bytes with one clear error."""

import importlib.util
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

ROOT = Path(__file__).parent.parent
_SPEC = importlib.util.spec_from_file_location("doors", ROOT / "fuzz" / "doors.py")
assert _SPEC is not None
assert _SPEC.loader is not None
DOORS: Any = importlib.util.module_from_spec(_SPEC)
_SPEC.loader.exec_module(DOORS)
KEPT = sorted(path for path in DOORS.CORPUS.rglob("*") if path.is_file())


@pytest.mark.parametrize("path", KEPT, ids=lambda path: f"{path.parent.name}/{path.name}")
def test_what_once_failed_does_not(path: Path) -> None:
    DOORS.through(path.parent.name, path.read_bytes())


@pytest.mark.parametrize("door", DOORS.DOORS)
def test_sound_seeds_cut_anywhere_are_no_fault(door: str) -> None:
    for seed in DOORS.seeds(door):
        for cut in range(0, len(seed), max(len(seed) // 12, 1)):
            DOORS.through(door, seed[:cut])


@settings(max_examples=150, deadline=None)
@given(st.sampled_from(sorted(DOORS.DOORS)), st.binary(max_size=300))
def test_odd_bytes_are_one_clear_error(door: str, data: bytes) -> None:
    DOORS.through(door, data)
