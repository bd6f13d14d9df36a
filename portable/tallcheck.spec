# One program to carry: the plain installation, made by PyInstaller. `onedir` starts faster, as it
# need not unpack itself; both are built from the same analysis.
from importlib.metadata import files

from PyInstaller.utils.hooks import collect_data_files, collect_submodules

FULL = ["numpy", "scipy", "matplotlib", "pyarrow", "jinja2", "PIL", "tkinter",
        "python_calamine", "xlsxwriter"]
# what a compiled library imports by a name that no source of it holds
HIDDEN = [str(one).partition(".")[0] for one in files("tomli") or () if "__mypyc" in str(one)]

analysis = Analysis(
    ["program.py"],
    datas=collect_data_files("tallcheck"),
    hiddenimports=[*collect_submodules("tallcheck"), *HIDDEN],
    excludes=FULL,
)
code = PYZ(analysis.pure)
common = {"name": "tallcheck", "console": True, "upx": False, "version": "version.txt"}
one_file = EXE(code, analysis.scripts, analysis.binaries, analysis.datas, **common)
starter = EXE(code, analysis.scripts, exclude_binaries=True, **common)
COLLECT(starter, analysis.binaries, analysis.datas, name="tallcheck", upx=False)
