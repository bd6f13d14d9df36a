"""Inputs from anyone: one clear error, no traceback, no hang, nothing lost."""

import json
import os
import shlex
import subprocess
import sys
from pathlib import Path

import pytest

from tallcheck.cli import FULL
from tallcheck.core.values.text import json_text
from tests.helpers import demo_machine, linux_tree, run, tar_of

SHEET = '{"tallcheck": "machine/1", "name": "x", %s}'
NEEDS = 'tallcheck = "needs/1"\ntitle = "x"\nkind = "program"\n[minimum]\n%s\n'
POSITIONS = json.dumps([{"slot": str(at), "size": 1 << 30} for at in range(2000)])

SHEETS: list[tuple[str | bytes, str]] = [
    ("[" * 100_000 + "]" * 100_000, "nested too deeply"),
    (SHEET % '"extra": {"a": %s}' % ("[" * 5000 + "]" * 5000), "nested too deeply"),
    (SHEET % f'"memory": {{"installed": {"9" * 5000}}}', "too many digits"),
    (SHEET % f'"memory": {{"installed": {"9" * 4000}}}', "of at most"),
    (SHEET % '"memory": {"installed": NaN}', "found NaN"),
    (SHEET % '"memory": {"installed": 1e400}', "found inf; expected a number"),
    (SHEET % '"memory": {"installed": 0}', "memory.installed: found 0"),
    (SHEET % '"processor": {"cores": 0}', "cores: found 0; expected a whole number of at"),
    (SHEET % '"processor": {"clock": 0}', "processor.clock: found 0"),
    (SHEET % '"memory": {"swap": -1}', "memory.swap: found -1"),
    (SHEET % '"memory": {}, "memory": {"installed": 8}', "the key 'memory' twice"),
    (SHEET % '"system": {"shape": "tower "}', "nearest known: 'tower'"),
    (SHEET % '"system": {"shape": 3}', "system.shape: found 3"),
    (SHEET % f'"memory": {{"modules": {POSITIONS}}}', "memory.modules: "),
    (SHEET % '"memory": {"slots": 100000}', "of at most 1024"),
    ('{"tallcheck": "machine/1", "name": "M\xfcller"}'.encode("latin-1"),
     "looks like a Windows code"),
    ('{"tallcheck": "machine/1"}'.encode("utf-16-le"), "looks like UTF-16 without its mark"),
    (bytes(range(1, 256)) * 20, "no text at all"), ("", "found no JSON"),
]  # fmt: skip


@pytest.mark.parametrize(("content", "text"), SHEETS)
def test_sheets(tmp_path: Path, content: str | bytes, text: str) -> None:
    path = tmp_path / "x.machine.json"
    path.write_bytes(content if isinstance(content, bytes) else content.encode())
    ran = run("check", str(path), "--need", "memory=4GB")
    assert ran.code == 3
    assert text in ran.err
    assert "x.machine.json" in ran.err
    assert "Traceback" not in ran.err
    assert "`" not in ran.err  # no library's words


@pytest.mark.parametrize(
    ("line", "text"),
    [("cores = " + "9" * 6000, "too many digits"),
     ("software = " + "[" * 3000, "nested too deeply"),
     ("cores = 1\ncores = 2", "no TOML"), ("cores = 9e999", "cores"),
     ('architecture = "x86-46"', "found \"x86-46\", nearest known: 'x86-64'")],
)  # fmt: skip
def test_needs_sheets(tmp_path: Path, line: str, text: str) -> None:
    (tmp_path / "x.needs.toml").write_text(NEEDS % line)
    for words in (["check", demo_machine("potting-02"), "x.needs.toml"],
                  ["needs", "validate", "x.needs.toml"]):  # fmt: skip
        ran = run(*words, cwd=tmp_path)
        assert ran.code != 0
        assert text in ran.err + ran.out
        assert "Traceback" not in ran.err


LISTS: list[tuple[str | bytes, str]] = [
    ('name,memory\na,8 GB\n"b,8 GB\nc,8 GB\nd,8 GB\n',
     "line 3: found a quote that is not closed and takes in the 2 lines after it"),
    ("name," + ",".join(f"c{at}" for at in range(5000)) + "\nx\n", "found 5001 columns"),
    ("name,memory\n" + "a" * 100_000 + ",8 GB\n", "line 2: found a cell of more than"),
    ("name,memory,memory\na,1,2\n", "twice"),
]  # fmt: skip


@pytest.mark.parametrize(("content", "text"), LISTS)
def test_lists(tmp_path: Path, content: str, text: str) -> None:
    (tmp_path / "f.csv").write_text(content)
    ran = run("fleet", "f.csv", "merrow@10", cwd=tmp_path)
    assert (ran.code, text in ran.err) == (3, True), ran.err
    assert "Traceback" not in ran.err


def test_a_quote_within_a_cell_is_no_open_one(tmp_path: Path) -> None:
    (tmp_path / "f.csv").write_text('name,memory,screen\na,8 GB,24" wide\nb,8 GB,plain\n')
    assert "Of 2 machines" in run("fleet", "f.csv", "merrow@10", cwd=tmp_path).out


def test_a_deep_line_of_json_is_left_out_and_named(tmp_path: Path) -> None:
    deep = '{"name": "a", "memory": ' + "[" * 5000 + "]" * 5000 + "}"
    (tmp_path / "f.jsonl").write_text(deep + '\n{"name": "b", "memory": "8 GB"}\n')
    ran = run("fleet", "f.jsonl", "merrow@10", cwd=tmp_path)
    assert ran.code == 0
    assert "Of 1 machine," in ran.out
    assert "line 1" in ran.out


@pytest.mark.parametrize(
    "words",
    [["check", "PIPE", "merrow@10"], ["show", "PIPE"], ["fleet", "PIPE", "merrow@10"],
     ["fleet", "PIPE.parquet", "merrow@10"], ["usage", "PIPE"], ["gather", "--from", "PIPE"],
     ["upgrade", demo_machine("potting-02"), "--to", "8GB", "--parts", "PIPE"],
     ["describe", "x", "--text", "PIPE"], ["show", "/dev/zero"]],
)  # fmt: skip
def test_what_is_no_file_is_refused_at_once(tmp_path: Path, words: list[str]) -> None:
    for name in ("PIPE", "PIPE.parquet"):
        os.mkfifo(tmp_path / name)
    ran = run(*words, cwd=tmp_path)
    assert ran.code == 3
    assert "found a pipe" in ran.err or "found a device" in ran.err


@pytest.mark.parametrize(
    ("words", "code", "text"),
    [(["--save", "sheet.json", "--force"], 4, "is an input"),
     (["--save", "sheet.json"], 4, "exists already"),
     (["--save", "link.json", "--force"], 4, "is an input"),
     (["--save", "no/x.json"], 4, "no such folder"),
     (["--save", "a.md", "--save", "folder.csv"], 4, "is a folder")],
)  # fmt: skip
def test_nothing_is_written_over_an_input(
    tmp_path: Path, words: list[str], code: int, text: str
) -> None:
    sheet = tmp_path / "sheet.json"
    sheet.write_bytes(Path(demo_machine("potting-02")).read_bytes())
    (tmp_path / "link.json").symlink_to(sheet)
    (tmp_path / "folder.csv").mkdir()
    ran = run("check", "sheet.json", "merrow@10", *words, cwd=tmp_path)
    assert (ran.code, text in ran.err) == (code, True)
    assert sheet.read_bytes() == Path(demo_machine("potting-02")).read_bytes()
    assert not (tmp_path / "a.md").exists()  # what cannot all be saved is not begun


def test_a_link_is_followed(tmp_path: Path) -> None:
    (tmp_path / "real.md").write_text("old")
    (tmp_path / "link.md").symlink_to("real.md")
    ran = run("check", demo_machine("potting-02"), "merrow@10", "--save", "link.md", cwd=tmp_path)
    assert ran.code == 10
    assert (tmp_path / "link.md").is_symlink()
    assert "Merrow" in (tmp_path / "real.md").read_text()


_PLAIN = {
    "gather --from t.tar -o a.json": 0, "check {sheet} merrow@10": 10,
    "check {sheet} merrow@10 --save a.json --save a.csv": 10,
    "show {sheet}": 0, "show {sheet} {sheet}": 0, "show here --once": 0,
    "upgrade {sheet} --to 16GB": 0, "confirm {sheet} {sheet}": 16, "needs show merrow@10": 0,
    "describe x ram=8GB": 0, "record -o l.usage.csv --every 1s --for 1s": 0, "kit linux": 0,
    "fleet x.csv merrow@10": 5, "usage l.usage.csv": 5, "check {sheet} merrow@10 --save a.html": 5,
}  # fmt: skip


@pytest.fixture
def plain(tmp_path: Path) -> dict[str, str]:
    """An environment in which nothing of the full installation can be imported."""
    for name in FULL:
        (tmp_path / f"{name}.py").write_text(f"raise ModuleNotFoundError('no', name='{name}')")
    return {"PYTHONPATH": str(tmp_path)}


@pytest.mark.parametrize("words", _PLAIN)
def test_the_plain_installation(tmp_path: Path, plain: dict[str, str], words: str) -> None:
    (tmp_path / "t.tar").write_bytes(tar_of(linux_tree()))
    ran = run(*words.format(sheet=demo_machine("potting-02")).split(), cwd=tmp_path, env=plain)
    assert (ran.code, "pip install 'tall-check[full]'" in ran.err) == (
        _PLAIN[words], _PLAIN[words] == 5
    )  # fmt: skip


def test_the_plain_installation_gathers_on_every_system(plain: dict[str, str]) -> None:
    code = "import tallcheck.gather.windows, tallcheck.gather.macos, tallcheck.gather.linux"
    subprocess.run([sys.executable, "-c", code], env={**os.environ, **plain}, check=True)


@pytest.mark.parametrize("told", ["memory=0GB", "cores=0", "threads=0", "clock=0GHz", "sockets=0"])
def test_a_zero_where_none_can_be_is_a_fault_through_every_door(tmp_path: Path, told: str) -> None:
    ran = run("check", demo_machine("potting-02"), "merrow@10", "--have", told)
    assert (ran.code, "found 0" in ran.err) == (2, True)
    key, _, value = told.partition("=")
    (tmp_path / "f.csv").write_text(f"name,{key}\na,{value}\nb,7{value[1:]}\n")
    out = " ".join(run("fleet", "f.csv", "merrow@10", cwd=tmp_path).out.split())
    assert "taken as unknown (1 row: line 2 a)" in out


def test_the_full_installation_has_no_pandas(tmp_path: Path) -> None:
    (tmp_path / "pandas.py").write_text("raise ModuleNotFoundError('no pandas', name='pandas')")
    (tmp_path / "f.csv").write_text("name,memory\na,8 GB\nb,2 GB\n")
    saves = [word for ending in ("csv", "parquet", "jsonl", "html") for word in
             ("--save", f"o.{ending}")]  # fmt: skip
    ran = run("fleet", "f.csv", "--need", "memory=4GB", "--price", "memory=9", *saves,
              cwd=tmp_path, env={"PYTHONPATH": str(tmp_path)})  # fmt: skip
    assert ran.code == 0
    assert all(one.startswith("wrote ") for one in ran.err.splitlines())


_SHOWN = "gr\u00fcn \u690d\u7269"
_ODD = "a\u202eb\u200bc\u0085d\u2028e\U000e0041f\x7fg"


def test_json_escapes_what_a_terminal_would_act_on(tmp_path: Path) -> None:
    sheet = json.loads(Path(demo_machine("potting-02")).read_text())
    sheet["name"] = _ODD + _SHOWN
    (tmp_path / "x.json").write_text(json.dumps(sheet))
    for words in (("check", "x.json", "merrow@10"), ("upgrade", "x.json", "--to", "8GB"),
                  ("confirm", "x.json", "x.json")):  # fmt: skip
        ran = run(*words, "--format", "json", cwd=tmp_path)
        assert all(ch == "\n" or ch.isprintable() for ch in ran.out), words
        assert _SHOWN in ran.out
        assert ran.json()["machine"] == _ODD + _SHOWN
    assert json.loads(json_text([_ODD])) == [_ODD]


def test_a_page_without_a_script_forbids_scripts(tmp_path: Path) -> None:
    run("check", demo_machine("potting-02"), "merrow@10", "--save", "one.html", cwd=tmp_path)
    (tmp_path / "f.csv").write_text("name,memory\na,8 GB\n")
    run("fleet", "f.csv", "merrow@10", "--save", "many.html", cwd=tmp_path)
    one, many = ((tmp_path / name).read_text() for name in ("one.html", "many.html"))
    assert ("<script" in one, "script-src" in one) == (False, False)
    assert ("<script" in many, "script-src" in many) == (True, True)
    assert "default-src 'none'" in one


_NAMES = ("Ines", "Odile", "bramble-stick", "Jo Tansy")
_MOUNTS = (
    "/dev/sda1 / ext4 rw 0 0\n/dev/sda2 /home/Ines/music ext4 rw,subvol=/@/home/Ines 0 0\n"
    "/dev/sdb1 /media/Odile/bramble-stick vfat rw,uid=1000 0 0\n"
    "/dev/sdc1 /run/media/Odile/Jo\\040Tansy exfat rw 0 0\n/dev/sdd1 /srv/plants ext4 rw 0 0\n"
)
_DF = (
    "Filesystem 1024-blocks Used Available Capacity Mounted on\n"
    "/dev/sda1 100000000 1 60000000 1% /\n/dev/sda2 50000000 1 2 1% /home/Ines/music\n"
    "/dev/sdb1 8000000 1 2 1% /media/Odile/bramble-stick\n"
    "/dev/sdc1 8000000 1 2 1% /run/media/Odile/Jo Tansy\n/dev/sdd1 9000000 1 2 1% /srv/plants\n"
)


def _through_kit(function: str, content: str) -> str:
    """What a filter of the kit leaves of a text."""
    kit = run("kit", "linux").out
    start = kit.index("hide_names() {")
    filters = kit[start : kit.index("date -u", start)]
    ran = subprocess.run(["sh", "-c", f"{filters}\n{function}"], input=content, text=True,
                         capture_output=True, check=True)  # fmt: skip
    return ran.stdout


def test_mapped_volumes_are_called_by_their_numbers(tmp_path: Path) -> None:
    names = {"dm-0": "Ines--vg-ro.o+t", "dm-1": "luks-x/y$"}
    for number, name in names.items():
        (tmp_path / number / "dm").mkdir(parents=True)
        (tmp_path / number / "dm" / "name").write_text(f"{name}\n")
    where = f"mapped={shlex.quote(str(tmp_path))}; "
    mounts = _through_kit(f"{where} real_mounts", "".join(
        f"/dev/mapper/{name} {mount} ext4 rw 0 0\n"
        for name, mount in zip(names.values(), ("/", "/srv"), strict=True)
    ) + "/dev/mapper/Ines--vg-roXo+t /var ext4 rw 0 0\n")  # fmt: skip
    assert mounts == (
        "/dev/mapper/dm-0 / ext4 rw 0 0\n/dev/mapper/dm-1 /srv ext4 rw 0 0\n"
        "/dev/mapper/Ines--vg-roXo+t /var ext4 rw 0 0\n"
    )
    space = _through_kit(f"{where} hide_names_of_df", "/dev/mapper/luks-x/y$  9 1 2 1% /home/Jo\n")
    assert space == "/dev/mapper/dm-1  9 1 2 1% /home/-\n"
    swaps = _through_kit(f"{where} swap_lines", "/home/Ines/swap file 8 1 -2\n/dev/dm-1 p 8 1 -2\n")
    assert swaps == "/home/- file 8 1 -2\n/dev/dm-1 p 8 1 -2\n"
    tree = linux_tree() | {
        "proc/mounts": mounts, "sys/block/dm-0/dm/name": "dm-0\n", "sys/block/dm-0/size": "9\n",
        "sys/block/dm-0/dm/uuid": "CRYPT-",
    }  # fmt: skip
    (tmp_path / "kit.tar").write_bytes(tar_of(tree))
    first = run("gather", "--from", "kit.tar", cwd=tmp_path).json()["storage"][0]
    assert (first["mount"], first["encrypted"]) == ("/", True)


def test_no_person_is_named_in_a_capture_or_on_a_sheet(tmp_path: Path) -> None:
    mounts = _through_kit("real_mounts", _MOUNTS)
    space = _through_kit("hide_names_of_df", _DF)
    assert not any(name in mounts + space for name in _NAMES)
    assert "/srv/plants" in mounts
    assert "/srv/plants" in space
    for name, (first, second) in {"raw": (_MOUNTS, _DF), "kit": (mounts, space)}.items():
        (tmp_path / f"{name}.tar").write_bytes(
            tar_of(linux_tree() | {"proc/mounts": first, "df": second})
        )
        sheet = run("gather", "--from", f"{name}.tar", cwd=tmp_path).out
        assert not any(one in sheet for one in _NAMES), name
        for shown in ('"removable"', '"home volume"', '"/srv/plants"'):
            assert shown in sheet


@pytest.mark.parametrize(
    ("listed", "content", "part"),
    [
        ("../secret.txt", "x", "a file beside the sheet"), ("/etc/hosts.txt", "x", "beside"),
        ("C:\\\\x.txt", "x", "beside"), ("link.txt", None, "beside"),
        ("names.txt", "x" * 300, "no processor's name"), ("names.txt", "a\x1b[31m", "no processor"),
    ],
)  # fmt: skip
def test_a_needs_sheet_reads_nothing_outside_its_folder(
    tmp_path: Path, listed: str, content: str | None, part: str
) -> None:
    folder = tmp_path / "needs"
    folder.mkdir()
    (tmp_path / "secret.txt").write_text("password")
    (folder / "link.txt").symlink_to(tmp_path / "secret.txt")
    (folder / "names.txt").write_text(content or "")
    (folder / "x.needs.toml").write_text(
        'tallcheck = "needs/1"\ntitle = "X"\nkind = "program"\n[minimum]\n'
        f'processors = "{listed}"\n'
    )
    ran = run("check", demo_machine("potting-02"), "x.needs.toml", cwd=folder)
    assert (ran.code, part in ran.err, "password" in ran.err) == (3, True, False)
