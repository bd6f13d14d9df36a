"""Draws every picture of the documentation anew, from the demo's data: ``make pictures``.

One table says which picture shows which command, with which exit code, at which size. A command
that ends otherwise, or whose output has a traceback or an error in it, is refused. Beside the
pictures, ``digests.txt`` keeps a digest of each command's text, so that a test without a screen
notices a picture that is older than what it shows.
"""

import hashlib
import os
import shlex
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import NamedTuple

HERE = Path(__file__).parent
FOLDER = HERE / "screenshots"
DIGESTS = FOLDER / "digests.txt"
DAY = "2026-11-24"
TALLCHECK = os.path.join(os.path.dirname(sys.executable), "tallcheck")
NEEDED = {"Xvfb": "xvfb", "xterm": "xterm", "import": "imagemagick", "gs": "ghostscript",
          "chromium": "chromium", "soffice": "libreoffice-calc"}  # fmt: skip
"""Programs, and Debian's packages that hold them."""
REFUSED = ("Traceback", "error:")


class Picture(NamedTuple):
    """One picture: its name, the command's words, the exit code it must have, its size.

    ``size`` counts columns and rows of a terminal, pixels of a page; a chart has its own. ``shot``
    is the file that the command saves and the picture shows; without one it shows the terminal.
    ``printed``: so many of its pages on paper, beside each other. ``made``: a program of this
    folder that shows the same of a machine that is made up, where the command reads this one.
    """

    name: str
    words: str
    code: int
    size: tuple[int, int] = (100, 40)
    shot: str = ""
    printed: int = 0
    made: str = ""

    @property
    def command(self) -> list[str]:
        """The program that is run, and its words."""
        if self.made:
            return [sys.executable, str(HERE / self.made)]
        return [TALLCHECK, *shlex.split(self.words)]


_GARDEN = (
    f"fleet fleet/garden.csv merrow@10 --on {DAY} --models parts/garden.models.csv "
    "--parts parts/garden.parts.csv --price machine=640 --price hour=48 --price storage=55 "
    "--price system=95 --budget 4000 --what-if"
)
_HERBARIUM = (
    f"check machines/herbarium-01.machine.json merrow@10 --on {DAY} --parts parts/garden.parts.csv"
)
PICTURES = (
    Picture("check", f"check machines/potting-02.machine.json merrow@10 --on {DAY} "
            "--parts parts/garden.parts.csv", 10, (100, 40)),
    Picture("show", "show machines/potting-02.machine.json", 0, (100, 42)),
    Picture("machine-page", "show after/potting-02.machine.json --save machine.html", 0,
            (1280, 1100), "machine.html"),
    Picture("side-by-side", "show machines/potting-02.machine.json "
            "machines/map-room-03.machine.json", 0, (100, 44)),
    Picture("live", "show here --live", 0, (100, 18), made="live.py"),
    Picture("undecided", f"check machines/glasshouse-05.machine.json merrow@10 --on {DAY}", 14,
            (100, 34)),
    Picture("releases", f"check machines/potting-02.machine.json merrow --on {DAY}", 10, (100, 12)),
    Picture("conflict", f"check machines/pump-house-06.machine.json merrow@10 --on {DAY}", 12,
            (100, 36)),
    Picture("usage", "usage usage/short-nine-to-five.usage.csv", 0, (100, 34)),
    Picture("usage-plot", "usage usage/short-nine-to-five.usage.csv --plot usage-plot.png", 0,
            shot="usage-plot.png"),
    Picture("upgrade", "upgrade machines/orchid-house-08.machine.json --to 16GB "
            "--parts parts/garden.parts.csv", 0, (100, 44)),
    Picture("confirm", "confirm machines/potting-02.machine.json after/potting-02.machine.json "
            "merrow@10", 0, (100, 28)),
    Picture("fleet", _GARDEN, 0, (110, 64)),
    Picture("fleet-chart", f"{_GARDEN} --save fleet-chart.png", 0, shot="fleet-chart.png"),
    Picture("fleet-report", f"{_GARDEN} --save fleet.html", 0, (1280, 1250), "fleet.html"),
    Picture("fleet-print", f"{_GARDEN} --by 2028-03-01 --save paper.html", 0, shot="paper.html",
            printed=2),
    Picture("workbook", f"{_GARDEN} --save fleet.xlsx", 0, shot="fleet.xlsx", printed=3),
    Picture("report", f"{_HERBARIUM} --save answer.html", 10, (1280, 1100), "answer.html"),
    Picture("height-chart", f"{_HERBARIUM} --save height-chart.png", 10, shot="height-chart.png"),
)  # fmt: skip


def environment(folder: Path) -> dict[str, str]:
    """Where nothing of this machine shows: no settings, one width, one time zone."""
    return {
        **os.environ, "HOME": str(folder), "XDG_CONFIG_HOME": str(folder), "COLUMNS": "100",
        "TZ": "UTC", "LANG": "C.UTF-8", "TERM": "xterm-256color", "PYTHONUTF8": "1",
    }  # fmt: skip


def garden(folder: Path) -> Path:
    """The demo's data, in a new folder."""
    subprocess.run([TALLCHECK, "demo", "garden", "--quiet"], cwd=folder, check=True)
    return folder / "garden"


def text_of(picture: Picture, folder: Path) -> str:
    """What the command prints; ends the program where that is not as it should be."""
    ran = subprocess.run(
        picture.command, cwd=folder, env=environment(folder.parent),
        capture_output=True, check=False,
    )  # fmt: skip
    text = ran.stdout.decode() + ran.stderr.decode()
    if ran.returncode != picture.code or any(word in text for word in REFUSED):
        raise SystemExit(
            f"{picture.name}: exit code {ran.returncode}, expected {picture.code}:\n{text}"
        )
    return text


def digest(picture: Picture, text: str) -> str:
    """A line of ``digests.txt``: the picture's name, and the digest of command and text."""
    content = f"{picture.words}\n{picture.size}\n{text}"
    return f"{picture.name} {hashlib.sha256(content.encode()).hexdigest()}"


def _terminal(picture: Picture, folder: Path, out: Path) -> None:
    """The command in a terminal window, which takes a picture of itself."""
    columns, rows = picture.size
    command = f"tallcheck {picture.words}"
    script = folder.parent / "shot.sh"
    script.write_text(
        f"printf '$ %s\\n' {shlex.quote(command)}\n"
        # of a long view the beginning, in colour: through a terminal of its own, then cut
        f"script -qec {shlex.quote(shlex.join(picture.command))} /dev/null | "
        f"head -n {rows - 3}\n"
        'printf "\\033[?25l"\nsleep 0.5\n'
        f'import -silent -window "$WINDOWID" {shlex.quote(str(out))}\n'
    )
    font = [
        "-tn",
        "xterm-256color",
        "-fa",
        "DejaVu Sans Mono",
        "-fs",
        "10",
        "-bg",
        "#fdfdf8",
        "-fg",
        "#22262a",
    ]
    settings = environment(folder.parent) | {"COLUMNS": str(columns)}
    with _screen() as display:
        subprocess.run(
            ["xterm", *font, "-geometry", f"{columns}x{rows}+0+0", "-b", "8", "+sb", "-e", "bash",
             str(script)], cwd=folder, env=settings | {"DISPLAY": display}, check=True, timeout=120,
        )  # fmt: skip


class _screen:  # noqa: N801 - reads as the statement that it is
    """A screen that nobody sees."""

    def __enter__(self) -> str:
        read, write = os.pipe()
        self._server = subprocess.Popen(
            ["Xvfb", "-displayfd", str(write), "-screen", "0", "1600x1400x24"], pass_fds=[write],
            stderr=subprocess.DEVNULL,
        )  # fmt: skip
        os.close(write)
        with os.fdopen(read) as told:
            return f":{told.readline().strip()}"

    def __exit__(self, *_: object) -> None:
        self._server.terminate()
        self._server.wait()


def _browser(folder: Path, *words: str) -> None:
    """What a browser without a window does with a page."""
    subprocess.run(
        ["chromium", "--headless", "--no-sandbox", "--disable-gpu", "--disable-quic",
         "--no-first-run", "--disable-background-networking", "--disable-component-update",
         "--disable-sync", "--hide-scrollbars", f"--user-data-dir={folder.parent / 'browser'}",
         *words],
        check=True, timeout=120, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
    )  # fmt: skip


def _page(picture: Picture, folder: Path, out: Path) -> None:
    """The top of a page, or the first of its pages, or of a workbook's, on paper."""
    page, (width, height) = folder / picture.shot, picture.size
    if not picture.printed:
        _browser(folder, f"--window-size={width},{height}", f"--screenshot={out}", page.as_uri())
        return
    paper, sheets = page.with_suffix(".pdf"), folder / "paper-%d.png"
    if page.suffix == ".xlsx":
        subprocess.run(["soffice", "--headless", "--convert-to", "pdf", page], cwd=folder,
                       env=environment(folder.parent), check=True, timeout=180,
                       stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)  # fmt: skip
    else:
        _browser(folder, "--no-pdf-header-footer", f"--print-to-pdf={paper}", page.as_uri())
    subprocess.run(
        ["gs", "-q", "-dBATCH", "-dNOPAUSE", "-sDEVICE=png16m", "-r168", "-dTextAlphaBits=4",
         "-dGraphicsAlphaBits=4", f"-dLastPage={picture.printed}", f"-sOutputFile={sheets}", paper],
        check=True, timeout=120,
    )  # fmt: skip
    subprocess.run(
        ["convert", *(str(sheets) % at for at in range(1, picture.printed + 1)), "+append",
         "-resize", "50%", out],
        check=True, timeout=60,
    )  # fmt: skip


def draw(picture: Picture, folder: Path, out: Path) -> str:
    """Draw one picture into a file; its line of the digests."""
    text = text_of(picture, folder)
    if not picture.shot:
        _terminal(picture, folder, out)
    elif picture.shot.endswith((".html", ".xlsx")):
        _page(picture, folder, out)
    else:
        shutil.copy(folder / picture.shot, out)
    if not out.is_file() or out.stat().st_size < 2000:
        raise SystemExit(f"{picture.name}: nothing was drawn")
    return digest(picture, text)


def main() -> None:
    """Draw all; the old pictures go only once every new one is there."""
    missing = [package for program, package in NEEDED.items() if not shutil.which(program)]
    if missing:
        raise SystemExit(f"missing programs: apt-get install {' '.join(missing)} fonts-dejavu")
    began = time.monotonic()
    with tempfile.TemporaryDirectory() as place:
        data, drawn = garden(Path(place)), Path(place) / "drawn"
        drawn.mkdir()
        lines = []
        for picture in PICTURES:
            lines.append(draw(picture, data, drawn / f"{picture.name}.png"))
            print(f"{picture.name}.png", flush=True)
        (drawn / DIGESTS.name).write_text("\n".join(lines) + "\n")
        shutil.rmtree(FOLDER, ignore_errors=True)
        shutil.copytree(drawn, FOLDER)
    print(f"{len(PICTURES)} pictures in {time.monotonic() - began:.0f} s")


if __name__ == "__main__":
    main()
