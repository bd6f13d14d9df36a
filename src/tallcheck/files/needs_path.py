"""Finding a needs sheet: an existing file first, else a name on the needs path."""

import os

from tallcheck.core.values.errors import InputError, nearest
from tallcheck.files.config import portable_folder, settings

ENDING = ".needs.toml"
DEMO_FOLDER = os.path.join(os.path.dirname(os.path.dirname(__file__)), "data", "demo", "needs")


def needs_folders(extra: list[str]) -> list[str]:
    """The folders of the needs path, in order; the demo's samples come last."""
    from_environment = os.environ.get("TALLCHECK_NEEDS_PATH", "").split(os.pathsep)
    configured = [os.path.expanduser(folder) for folder in settings("needs_path").needs_path]
    beside = portable_folder()
    folders = [*extra, *from_environment, *configured, os.curdir, "needs"]
    folders += [os.path.join(beside, "needs")] if beside else []
    folders.append(DEMO_FOLDER)
    return [folder for folder in folders if folder and os.path.isdir(folder)]


def sheets_on(folders: list[str]) -> dict[str, str]:
    """The sheets on the needs path, name to file; the first folder that has a name wins."""
    found: dict[str, str] = {}
    for folder in folders:
        for name in sorted(os.listdir(folder)):
            if name.endswith(ENDING):
                found.setdefault(name.removesuffix(ENDING).lower(), os.path.join(folder, name))
    return found


def split_release(word: str) -> tuple[str, str | None]:
    """``NAME@RELEASE`` at its last ``@``."""
    name, at, release = word.rpartition("@")
    return (name, release) if at and name else (word, None)


def find_needs(word: str, folders: list[str]) -> tuple[str, str | None, bool]:
    """The file, the release and whether it is a sample, for a NEEDS word. Raises InputError."""
    if word == "-" or os.path.isfile(word):
        return word, None, False
    name, release = split_release(word)
    if name == "-" or os.path.isfile(name):
        return name, release, False
    on_path = sheets_on(needs_folders(folders))
    path = on_path.get(name.lower())
    if path is None and release is None:  # "merrow 10", as it is said
        said, _, last = name.rpartition(" ")
        path = on_path.get(said.strip().lower())
        release = last if path is not None else None
    if path is None:
        looks_like_file = name.endswith(".toml") or "/" in name or "\\" in name
        what = "no such file" if looks_like_file else "no such file or sheet on the needs path"
        hint = nearest(name, list(on_path))
        raise InputError(f"{what}{hint}", "a needs sheet or " + ", ".join(on_path), word)
    return path, release, os.path.dirname(path) == DEMO_FOLDER
