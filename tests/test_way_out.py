"""One hostile word in every text that comes in: nothing of it comes out as what it would be."""

import csv
import io
import json
import re
import zipfile
from html.parser import HTMLParser
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import pytest
from markdown_it import MarkdownIt

from tests.helpers import call, demo_machine

WORD = (
    "\x1b[31mred\x07\x9b2J \u202edne\u2066 <img src=x onerror=go()> | a`b`*c* ![p](http://q) "
    "\r\n=1+1 $\\frac\u2028 {{7*7}} &amp;"
)
FREE = {
    "name", "slot", "maker", "part", "channel", "bank", "model", "os", "os_version", "kernel",
    "version", "date", "mount", "text", "line", "from", "type", "form",
}  # fmt: skip
RAW = re.compile("[\x00-\x08\x0b-\x1f\x7f-\x9f\u061c\u200b-\u200f\u2028-\u202e\u2060-\u2069\ufeff]")


def _hostile(value: Any, key: str = "") -> Any:
    """A machine sheet with the word behind every text that is free."""
    if isinstance(value, dict):
        return {name: _hostile(one, name) for name, one in value.items()}
    if isinstance(value, list):
        return [_hostile(one, key) for one in value]
    return value + WORD if isinstance(value, str) and key in FREE else value


def _machine(name: str, **more: Any) -> str:
    raw = json.loads(Path(demo_machine(name)).read_text()) | more
    raw["notes"] = [WORD]
    raw["doubts"] = [{"about": ["memory.ceiling"], "text": WORD}]
    raw["extra"] = {"dongle" + WORD: WORD}
    raw["graphics"] = [{"name": WORD, "memory": 1 << 30, "api": {WORD: "1.2"}}]
    raw["software"] = [{"name": "Fernfolio" + WORD, "version": WORD}, {"name": WORD}]
    found = _hostile(raw)
    found["processor"]["caches"] = {WORD: {"size": 1 << 20, "count": 1}}
    found["processor"]["cores_by_kind"] = {WORD: 4}
    return json.dumps(found)


def _needs() -> str:
    word = json.dumps(WORD)
    level = f"""
memory = "12 GB"
cores = 40
generation = {{{word} = 5}}
processors = [{word}]
os = [{word}]
software = [{word}]
extra = {{{word} = {word}}}
graphics = {{{word} = "1.2"}}
[[minimum.also]]
when = {{"system.model" = {word}}}
display = "1366x768"
"""
    return (
        f'tallcheck = "needs/1"\ntitle = {word}\nkind = "program"\npublisher = {word}\n'
        f"source = {word}\n[minimum]{level}"
    )


def _system() -> str:
    word = json.dumps(WORD)
    return (
        f'tallcheck = "needs/1"\ntitle = {word}\nkind = "operating system"\n'
        f"[[release]]\nname = {word}\nsupport_ends = 2032-05-31\n"
        f'[release.minimum]\nmemory = "6 GB"\n'
        f'[[release]]\nname = {json.dumps("2" + WORD)}\n[release.minimum]\nmemory = "3 GB"\n'
    )


def _table(head: list[str], *rows: list[str]) -> str:
    out = io.StringIO()
    csv.writer(out, lineterminator="\n").writerows([head, *rows])
    return out.getvalue()


@pytest.fixture(scope="module")
def desk(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A folder of inputs with the word in all of them."""
    folder = tmp_path_factory.mktemp("hostile")
    (folder / "m.machine.json").write_text(_machine("potting-02"))
    (folder / "after.machine.json").write_text(_machine("potting-02"))
    (folder / "needs").mkdir()
    (folder / "needs" / "word.needs.toml").write_text(_needs())
    (folder / "needs" / "system.needs.toml").write_text(_system())
    (folder / "needs" / "broken.needs.toml").write_text(f"title = {json.dumps(WORD)}\n")
    parts = ["part", "type", "form", "size", "speed", "price", "currency", "stock", "source"]
    (folder / "p.csv").write_text(_table(
        parts, [WORD, "DDR4", "SODIMM", "8 GB", "3200", "22", "EUR", "", WORD],
        [WORD + "2", "DDR4" + WORD, "SODIMM" + WORD, "8 GB", "3200", "1", "EUR", "", WORD],
        ["bad", "DDR4", "SODIMM", WORD, "3200", "22", WORD, "", WORD],
    ))  # fmt: skip
    (folder / "models.csv").write_text(_table(
        ["maker", "model", "ceiling", "slots", "source"],
        ["Tolland & Pike" + WORD, "Satchel 14" + WORD, "8 GB", "2", WORD],
    ))  # fmt: skip
    rows = [
        [f"m{at}{WORD}", size, "2", WORD, WORD] for at, size in enumerate(("4 GB", "8 GB", WORD))
    ]
    (folder / "f.csv").write_text(
        _table(["name", "memory", "cores", "os", "own" + WORD.replace("\r\n", " ")], *rows)
    )
    (folder / "f.jsonl").write_text("".join(
        json.dumps({"name": f"m{at}{WORD}", "memory": "4 GB", "own" + WORD: WORD}) + "\n"
        for at in range(3)
    ) + WORD + "\n")  # fmt: skip
    (folder / "page.txt").write_text(f"Minimum\nMemory: 8 GB\n{WORD}\nProcessor: {WORD}\n")
    with (folder / "log.csv").open("w") as log:
        log.write(f"# machine: potting-02{WORD.replace(chr(10), '').replace(chr(13), '')}\n")
        log.write("time,memory_total,memory_available,cores_busy,core_count,programs\n")
        for at in range(400):
            moment = f"2026-11-24T{9 + at // 60:02}:{at % 60:02}:00Z"
            program = WORD.replace("\n", "")
            log.write(f'{moment},4016046080,400000000,1.5,4,"{program}=3000000000"\n')
    return folder


CHECK = ["check", "m.machine.json", "system", "--parts", "p.csv", "--models", "models.csv"]
FLEET = ["fleet", "f.csv", "system@2" + WORD, "--parts", "p.csv", "--what-if", "--price",
         "hour=40", "--budget", "900"]  # fmt: skip
COMMANDS = {
    "show": ["show", "m.machine.json"], "find": ["show", "m.machine.json", "--find", "e"],
    "verbose": [*CHECK, "--verbose"], "check": CHECK,
    "program": ["check", "m.machine.json", "word"],
    "told": ["check", "m.machine.json", "--need", f"os={WORD}", "--have", f"model={WORD}"],
    "why": ["check", "m.machine.json", "word", "--why", "processors"],
    "note": [*CHECK, "--format", "note"], "json": [*CHECK, "--format", "json"],
    "markdown": [*CHECK, "--format", "markdown"], "csv": [*CHECK, "--format", "csv"],
    "at least": ["check", "m.machine.json", "--at-least", "after.machine.json"],
    "program markdown": ["check", "m.machine.json", "word", "--format", "markdown"],
    "upgrade": ["upgrade", "m.machine.json", "--to", "12GB", "--parts", "p.csv"],
    "upgrade json": ["upgrade", "m.machine.json", "--to", "12GB", "--parts", "p.csv", "--format",
                     "json"],
    "upgrade most": ["upgrade", "m.machine.json", "--to", "most"],
    "fleet": FLEET, "fleet verbose": [*FLEET, "--verbose"],
    "fleet json": [*FLEET, "--format", "json"],
    "lines": ["fleet", "f.jsonl", "word", "--verbose"],
    "confirm": ["confirm", "m.machine.json", "after.machine.json", "system@2" + WORD],
    "usage": ["usage", "log.csv", "--verbose"],
    "needs list": ["needs", "list"], "needs show": ["needs", "show", "system"],
    "needs show program": ["needs", "show", "word"],
    "needs new": ["needs", "new", WORD, f"publisher={WORD}", "memory=4GB"],
    "needs page": ["needs", "new", WORD, "--text", "page.txt"],
    "needs validate": ["needs", "validate", "needs/word.needs.toml", "needs/broken.needs.toml"],
    "needs keys": ["needs", "keys", WORD], "describe": ["describe", WORD, "memory=8GB"],
    "describe page": ["describe", WORD, "--text", "page.txt"],
    "told wrong": ["describe", "x", f"memory={WORD}"], "no file": ["check", WORD, WORD],
    "no option": ["check", "--" + WORD], "no command": [WORD],
    "no release": ["check", "m.machine.json", "system@" + WORD],
    "no sheet": ["fleet", "f.csv", "word", "--sheet", WORD],
    "no column": ["fleet", "f.csv", "word", "--columns", f"memory={WORD}"],
    "no host": ["gather", "--ssh", WORD, "-o", "x"], "no day": [*CHECK, "--on", WORD],
}  # fmt: skip


def _printed(text: str) -> None:
    found = RAW.search(text)
    assert found is None, (
        f"raw {found[0]!r} in {text[max(found.start() - 80, 0) : found.end() + 20]!r}"
    )


@pytest.mark.parametrize("name", COMMANDS)
def test_nothing_raw_is_printed(desk: Path, name: str) -> None:
    ran = call(*COMMANDS[name], cwd=desk)
    assert ran.code in (0, 2, 3, 10, 11, 12, 13, 14, 15, 16), ran.err
    assert "Traceback" not in ran.err
    _printed(ran.out)
    _printed(ran.err)
    if "json" in name:
        json.loads(ran.out)
    if "markdown" in name:
        _markdown(ran.out)
    if name == "csv":
        _csv(ran.out)


def _markdown(text: str) -> None:
    """No markup but what is ours: headings, lists, strong words and tables."""
    ours = ("heading", "paragraph", "inline", "bullet_list", "list_item", "table", "thead", "tbody",
            "tr", "th", "td", "ordered_list", "hr")  # fmt: skip
    widths = []
    for token in MarkdownIt("commonmark", {"html": True}).enable("table").parse(text):
        kind = token.type.removesuffix("_open").removesuffix("_close")
        assert kind in ours, (kind, token.content)
        for inner in token.children or ():
            assert inner.type in ("text", "strong_open", "strong_close", "softbreak",
                                  "text_special"), (inner.type, token.content)  # fmt: skip
        if token.type == "tr_open":
            widths.append(0)
        elif token.type in ("th_open", "td_open"):
            widths[-1] += 1
    _printed(text)


def _csv(text: str) -> None:
    rows = list(csv.reader(io.StringIO(text, newline="")))
    assert len({len(row) for row in rows}) == 1
    for cell in (cell for row in rows for cell in row):
        assert cell.lstrip()[:1] not in ("=", "@", "+") or not cell.strip()
        _printed(cell)


class _Tags(HTMLParser):
    def __init__(self) -> None:
        super().__init__()
        self.tags: set[str] = set()
        self.names: set[str] = set()

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.tags.add(tag)
        self.names |= {name for name, _ in attrs}
        for _, value in attrs:
            _printed(value or "")

    def handle_data(self, data: str) -> None:
        _printed(data)


def _html(text: str) -> None:
    tags = _Tags()
    tags.feed(text)
    assert not tags.tags & {"img", "iframe", "object"}, tags.tags
    assert not any(name.startswith("on") for name in tags.names)
    assert text.count("{{7*7}}") > 1
    assert not any("red" in script for script in re.findall(r"(?s)<script.*?</script>", text))
    _printed(text)


SAVED = {
    "check": (CHECK, ("a.html", "a.md", "a.csv", "a.json", "a.txt", "a.svg", "a.png")),
    "program": (["check", "m.machine.json", "word"], ("b.html", "b.md", "b.csv", "b.svg")),
    "fleet": (FLEET, ("c.html", "c.md", "c.csv", "c.xlsx", "c.jsonl", "c.parquet", "c.svg",
                      "c.png")),
    "usage": (["usage", "log.csv", "--plot", "u.svg"], ()),
}  # fmt: skip


@pytest.mark.parametrize("name", SAVED)
def test_nothing_raw_is_saved(desk: Path, name: str) -> None:
    words, files = SAVED[name]
    ran = call(*words, *(word for file in files for word in ("--save", file)), "--quiet", cwd=desk)
    assert ran.code in (0, 10, 11, 12, 13, 14), ran.err
    for file in (*files, *(("u.svg",) if name == "usage" else ())):
        path = desk / file
        looked = {".html": _html, ".md": _markdown, ".csv": _csv, ".txt": _printed,
                  ".json": _json, ".jsonl": _json_lines, ".svg": _svg}.get(path.suffix)  # fmt: skip
        if looked is not None:
            looked(path.read_text())
        elif path.suffix == ".xlsx":
            _workbook(path)
        else:
            assert path.stat().st_size > 1000


def _json(text: str) -> None:
    json.loads(text)
    _printed(text)


def _json_lines(text: str) -> None:
    for line in text.splitlines():
        json.loads(line)
    _printed(text)


def _svg(text: str) -> None:
    for one in ElementTree.fromstring(text).iter():
        assert one.tag.rpartition("}")[2] not in ("img", "image", "script")
        _printed(one.text or "")
    _printed(text)


def _workbook(path: Path) -> None:
    with zipfile.ZipFile(path) as packed:
        for name in packed.namelist():
            text = packed.read(name).decode()
            assert "<f>" not in text
            for one in ElementTree.fromstring(text).iter():
                _printed(one.text or "")
