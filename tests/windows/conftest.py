"""The program under Wine, as the tests call it."""

import os
import subprocess
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.helpers import Ran

ROOT = Path(__file__).parents[2]
HOME = ROOT / ".venv-windows"
PYTHON = HOME / "python" / "cp311" / "python.exe"
WINE = {"WINEPREFIX": str(HOME / "prefix"), "WINEDEBUG": "-all", "WINEPATH": ""}
Run = Callable[..., Ran]


def wine(*words: str, cwd: Path, stdin: bytes = b"", env: dict[str, str] | None = None) -> Ran:
    """Run a Windows program; the standard streams are pipes."""
    found = subprocess.run(
        ["wine", *words], cwd=cwd, input=stdin, capture_output=True, timeout=300, check=False,
        env={**os.environ, **WINE, **(env or {})},
    )  # fmt: skip
    return Ran(found.returncode, found.stdout.decode(), found.stderr.decode())


@pytest.fixture
def run(tmp_path: Path) -> Run:
    """Run `tallcheck` with some words, in the test's folder."""

    def call(*words: str, stdin: bytes = b"", env: dict[str, str] | None = None) -> Ran:
        return wine(str(PYTHON), "-m", "tallcheck", *words, cwd=tmp_path, stdin=stdin, env=env)

    return call


@pytest.fixture(autouse=True)
def _prepared() -> None:
    """What could not be set up skips these tests."""
    if not (HOME / "ready").exists():
        pytest.skip("a Windows Python under Wine is not installed")
