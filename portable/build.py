"""Builds `dist/tallcheck.exe` and `dist/tallcheck-folder.zip`; run by a Windows Python.

`make portable` runs it under Wine. On Windows itself: `python portable\\build.py`, where the
project and PyInstaller are installed.
"""

import os
import shutil
import subprocess
import sys
from pathlib import Path

from tallcheck import __version__

HERE = Path(__file__).resolve().parent
ROOT = HERE.parent
_VERSION = """VSVersionInfo(
  ffi=FixedFileInfo(filevers=({numbers}), prodvers=({numbers})),
  kids=[
    StringFileInfo([StringTable("040904B0", [
      StringStruct("FileDescription", "Tall Check: will this machine run it?"),
      StringStruct("FileVersion", "{version}"),
      StringStruct("OriginalFilename", "tallcheck.exe"),
      StringStruct("ProductName", "Tall Check"),
      StringStruct("ProductVersion", "{version}"),
    ])]),
    VarFileInfo([VarStruct("Translation", [1033, 1200])]),
  ],
)
"""


def main() -> int:
    """Build both; the exit code is PyInstaller's."""
    work, dist = ROOT / "build" / "portable", ROOT / "dist"
    shutil.rmtree(work, ignore_errors=True)
    work.mkdir(parents=True)
    for name in ("tallcheck.spec", "program.py"):
        shutil.copy(HERE / name, work / name)
    numbers = ", ".join((__version__.split(".") + ["0"] * 4)[:4])
    text = _VERSION.format(numbers=numbers, version=__version__)
    (work / "version.txt").write_text(text, encoding="utf-8")
    words = ["--noconfirm", "--log-level", "WARN", "--distpath", str(dist), "--workpath",
             str(work / "work"), "tallcheck.spec"]  # fmt: skip
    code = subprocess.run([sys.executable, "-m", "PyInstaller", *words], cwd=work).returncode
    if code == 0:
        zipped = shutil.make_archive(str(dist / "tallcheck-folder"), "zip", dist, "tallcheck")
        for path in (dist / "tallcheck.exe", Path(zipped)):
            print(f"wrote {path.name}: {os.path.getsize(path) / 1e6:.1f} MB")
    return code


sys.exit(main())
