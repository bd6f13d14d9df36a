"""Needs as publishers print them: pages, lists of processors, generations, names to review."""

from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tallcheck.core.needs.keys import KEYS
from tallcheck.core.text.needs_written import key_called
from tallcheck.core.text.page import read_page
from tests.helpers import GIB, VOCABULARY, call, demo_machine

BULLETS = """\
System requirements
• Processor: 1 GHz or faster with 2 or more cores on a compatible 64-bit processor
• RAM: 4 GB RAM (8 GB recommended)
• Storage: 64 GB or larger storage device
• System firmware: UEFI, Secure Boot capable
• TPM: Trusted Platform Module (TPM) version 2.0
• Display: 1366 x 768
• Internet connection: needed for updates
"""
COLUMNS = """\
                 Minimum                          Recommended
OS               Windows 10 version 22H2 or later (64-bit)    Windows 11
Processor        Intel Core i5, 8th generation or newer     6 cores, 3.0 GHz
Memory           8 GB RAM                         16 GB RAM
Graphics         DirectX 12, 2 GB VRAM            4 GB VRAM
Disk space       20 GB                            40 GB
"""
PROSE = """\
Minimum requirements:
- requires AVX2
- at least 20 GB of free disk space
- Windows 10/11 64-bit or macOS 12 or later or Linux
- 2.4 GHz quad-core processor
| Memory | 4 GB |
Recommended:
- 16 GB of memory
- OpenGL 3.3
- a good mood
"""
# page, whether of a system, minimum, recommended, lines not understood
PAGES: list[tuple[str, bool, dict[str, Any], dict[str, Any], list[int]]] = [
    (BULLETS, True,
     {"clock": "1 GHz", "cores": 2, "processor_bits": 64, "memory": "4 GB", "storage": "64 GB",
      "firmware": "uefi", "secure_boot": "able", "security_module": "2.0", "display": "1366x768"},
     {"memory": "8 GB"}, [8]),
    (COLUMNS, False,
     {"os": ["Windows >= 10"], "os_bits": 64, "generation": {"Core": 8}, "memory": "8 GB",
      "graphics": {"d3d": "12"}, "graphics_memory": "2 GB", "storage_free": "20 GB"},
     {"os": ["Windows >= 11"], "cores": 6, "clock": "3 GHz", "memory": "16 GB",
      "graphics_memory": "4 GB", "storage_free": "40 GB"}, []),
    (PROSE, False,
     {"instructions": ["AVX2"], "storage_free": "20 GB", "os_bits": 64, "clock": "2.4 GHz",
      "os": ["Windows >= 10", "macOS >= 12", "Linux"], "cores": 4, "memory": "4 GB"},
     {"memory": "16 GB", "graphics": {"opengl": "3.3"}}, [10]),
    ("4 GB of system memory\n64-bit CPU and operating system\nMerrow 9 or later\n", False,
     {"memory": "4 GB", "processor_bits": 64, "os_bits": 64, "os": ["Merrow >= 9"]}, {}, []),
    ("OS: Brackenwold 4.5 or later\nMemory: 4 GB", False,
     {"os": ["Brackenwold >= 4.5"], "memory": "4 GB"}, {}, []),
    ("Brackenwold 4.5 or later\nMemory: 4 GB", False, {"memory": "4 GB"}, {}, [1]),
    ("Systemvoraussetzungen\nProzessor: mindestens 4 Kerne, 2,5 GHz\nFestplatte: 50 GB freier "
     "Speicherplatz\nArbeitsspeicher: mindestens 8 GB, empfohlen 16 GB", False,
     {"cores": 4, "clock": "2.5 GHz", "storage_free": "50 GB", "memory": "8 GB"},
     {"memory": "16 GB"}, []),
    ("Configuration minimale :\n- M\u00e9moire vive : 4 Go\n- Espace disque : 3 Go\n"
     "Configuration recommand\u00e9e :\n- M\u00e9moire vive : 8 Go", False,
     {"memory": "4 GB", "storage_free": "3 GB"}, {"memory": "8 GB"}, []),
    ("It wants 1 gigahertz (GHz) or faster, 4 gigabytes (GB) of RAM and 64 gigabytes of storage",
     True, {"clock": "1 GHz", "memory": "4 GB", "storage": "64 GB"}, {}, []),
    ("Memory: 4 GB\nMemory: 8 GB", False, {"memory": "4 GB"}, {}, [2]),
    ("macOS Ventura or later\n8 GB unified memory\nNot supported: 32-bit systems", False,
     {"os": ["macOS >= 13"], "memory": "8 GB"}, {}, [3]),
    ("CPU: 2 vCPU (4 vCPU recommended)\nLinux kernel 4.18 or later, x86_64 or arm64", False,
     {"threads": 2, "os": ["Linux >= 4.18"], "architecture": ["x86-64", "arm64"]},
     {"threads": 4}, []),
    ("OS: Windows\u00ae 10 (32-bit or 64-bit)\nCPU: 1 GHz or faster x86- or x64-bit processor",
     False, {"os": ["Windows >= 10"], "clock": "1 GHz"}, {}, []),
    ("CPU: Osier Wand S5 214 @ 3.3 GHz\nDirectX: Version 11\n2+ cores, 4+ GB RAM, 10+ GB disk",
     False, {"graphics": {"d3d": "11"}, "cores": 2, "memory": "4 GB", "storage_free": "10 GB"},
     {}, [1]),
    ("RAM: minimum of 2 GB; 4 GB recommended for 64-bit", False, {"memory": "2 GB"},
     {"memory": "4 GB"}, [1]),
    # of processors that will do, all or none
    ("Requires Intel 6th generation or AMD Ryzen 2000 series or later", False,
     {"generation": {"Core": 6, "Ryzen": 2}}, {}, []),
    ("CPU: Intel Core 8th gen or newer, AMD Ryzen 3000 or newer", False,
     {"generation": {"Core": 8, "Ryzen": 3}}, {}, []),
    ("CPU: 64-bit, 2 cores, 2 GHz\n64-bit, 4 GB RAM", False,
     {"processor_bits": 64, "cores": 2, "clock": "2 GHz", "memory": "4 GB"}, {}, [2]),
    # of adapters by name what each has is not asked for
    ("Graphics: GTX 770 2GB / R9 280 3GB\nRAM: 4 GB", False, {"memory": "4 GB"}, {}, [1]),
    ("CPU: Core i5 6th gen or Ryzen 5\nRAM: 4 GB", False, {"memory": "4 GB"}, {}, [1]),
    ("We recommend 4 cores and 16 GB RAM; above that, 8 cores", False, {},
     {"cores": 4, "memory": "16 GB"}, [1]),
    ("10 Go d'espace disque\n64 GB or larger storage device", False, {"storage_free": "10 GB"}, {},
     [2]),
    ("OS: Windows 7 SP1 / 8.1 / 10", False, {"os": ["Windows >= 7"]}, {}, []),
    # levels on a line, before it, behind it, and of one clause
    ("Minimum \u2013 8 GB RAM, 20 GB free disk\nRecommended \u2013 16 GB RAM, 40 GB SSD", False,
     {"memory": "8 GB", "storage_free": "20 GB"},
     {"memory": "16 GB", "storage_free": "40 GB", "storage_kind": "solid"}, []),
    ("Recommended: 3 GHz. Minimum: 2 GHz.", False, {"clock": "2 GHz"}, {"clock": "3 GHz"}, []),
    ("RAM: 4 GB / 8 GB (minimum/recommended)\nCores: 2 / 4", False,
     {"memory": "4 GB", "cores": 2}, {"memory": "8 GB", "cores": 4}, []),
    ("GPU: DirectX 11 compatible, 1 GB VRAM (2 GB recommended)", False,
     {"graphics": {"d3d": "11"}, "graphics_memory": "1 GB"}, {"graphics_memory": "2 GB"}, []),
    ("Requires TPM 2.0; UEFI recommended", False, {"security_module": "2.0"},
     {"firmware": "uefi"}, []),
    # what asks for nothing, or for one of two
    ("Supports up to 128 GB of RAM and 64 cores. Requires 2 GB RAM.", False,
     {"memory": "2 GB"}, {}, [1]),
    ("OpenGL 4.1 or Vulkan 1.1, 2 GB VRAM", False, {"graphics_memory": "2 GB"}, {}, [1]),
    ("two 8-core processors, 32 GB hard disk", False, {"cores": 16, "storage_free": "32 GB"}, {},
     []),
    ("OS: Ubuntu 22.04 or Debian 12\nKernel 5.10 or newer", False,
     {"os": ["Ubuntu >= 22.04", "Debian GNU/Linux >= 12"]}, {}, [2]),
    ("Memory[1]: 8 GB (16 GB for 4K)\n[1] More is better for 8 GB files.", False,
     {"memory": "8 GB"}, {}, [1, 2]),
    ("8 GB RAM; 16 GB for 1080p", False, {"memory": "8 GB"}, {}, [1]),
    ("Minimum;Recommended\nRAM;8 GB;16 GB\nCPU;4 cores;8 cores", False,
     {"memory": "8 GB", "cores": 4}, {"memory": "16 GB", "cores": 8}, []),
    ("8 GB RAM minimum / 16 GB RAM recommended", False, {"memory": "8 GB"}, {"memory": "16 GB"},
     []),
    ("Client requirements\nRAM: 4 GB\nServer requirements\nRAM: 32 GB\nCPU: 8 cores", False,
     {"memory": "4 GB"}, {}, [4, 5]),
    ("System requirements\nRAM: 4 GB\nHardware requirements\nCPU: 8 cores", False,
     {"memory": "4 GB", "cores": 8}, {}, []),
    ("<h2>Needs</h2><ul><li>RAM: 8 GB</li><li>CPU: 4 cores</li></ul>", False,
     {"memory": "8 GB", "cores": 4}, {}, []),
    ("OS: Windows 7 or 10 (32- or 64-bit)", False, {"os": ["Windows >= 7"]}, {}, []),
    ("minimum: 4 threads, 6 gb ram. recommended: 8 threads, 12 gb ram;", False,
     {"threads": 4, "memory": "6 GB"}, {"threads": 8, "memory": "12 GB"}, []),
    ("OS: Windows Server 2019 32-bit or 64-bit", False, {"os": ["Windows Server >= 2019"]}, {}, []),
]  # fmt: skip


@pytest.mark.parametrize(("text", "system", "minimum", "better", "left"), PAGES)
def test_pages(
    text: str, system: bool, minimum: dict[str, Any], better: dict[str, Any], left: list[int]
) -> None:
    page = read_page(text, system, VOCABULARY)
    assert page.levels == {"minimum": minimum, "recommended": better}
    assert [number for number, _ in page.left] == left


def test_a_page_of_which_nothing_is_understood_asks_for_nothing(tmp_path: Path) -> None:
    ran = call(
        "needs", "new", "Wattle", "--text", "-", cwd=tmp_path, stdin=b"Call us for a quote.\n"
    )
    assert ran.code == 0
    assert "Call us for a quote" in ran.out
    assert [line for line in ran.out.splitlines() if line.startswith("memory")] == []


def test_a_system_does_not_ask_for_itself() -> None:
    text = "Merrow 10 requires 4 GB of RAM. It replaces Windows 7 and newer."
    assert read_page(text, True, VOCABULARY, "Merrow").levels["minimum"]["os"] == ["Windows >= 7"]
    assert read_page(text, False, VOCABULARY, "Wattle").levels["minimum"]["os"][0] == "Merrow >= 10"


@given(st.text(max_size=200) | st.lists(st.sampled_from(PROSE.split()), max_size=30).map(" ".join))
def test_any_page_is_read_or_handed_back(text: str) -> None:
    page = read_page(text, False, VOCABULARY)
    assert set(page.levels["minimum"]) <= set(KEYS)


@pytest.mark.parametrize(("text", "words"), [(BULLETS, ["--system"]), (COLUMNS, []), (PROSE, [])])
def test_a_page_becomes_a_sheet_that_reads(tmp_path: Path, text: str, words: list[str]) -> None:
    (tmp_path / "page.txt").write_text(text, encoding="utf-8")
    ran = call("needs", "new", "Wattle", "--text", "page.txt", "-o", "w.needs.toml", *words,
              cwd=tmp_path)  # fmt: skip
    assert ran.code == 0
    sheet = (tmp_path / "w.needs.toml").read_text(encoding="utf-8")
    for line in ran.err.splitlines():
        assert line.split("not understood: ")[1] in sheet
    assert call("needs", "validate", "w.needs.toml", cwd=tmp_path).code == 0
    assert call("needs", "show", "w.needs.toml", cwd=tmp_path).code == 0


def test_releases_and_tables_on_the_command_line(tmp_path: Path) -> None:
    ran = call("needs", "new", "Wattle", "--system", "release=9", "memory=4GB", "release=10",
              "memory=6GB", "support_ends=2031-01-01", 'generation=Osier Wand:5,*:none',
              "-o", "w.needs.toml", cwd=tmp_path)  # fmt: skip
    assert ran.code == 0
    shown = call("needs", "show", "w.needs.toml", cwd=tmp_path).out
    assert shown.index("Wattle 10") < shown.index("Wattle 9")
    assert "2031-01-01" in shown
    assert call("needs", "new", "W", "generation=Osier Wand").code == 3


# --- the rule that publishers print ---------------------------------------------------------

RULE = {"Core": 8, "Ryzen": 2, "*": "none"}
PROCESSORS = [
    ("Intel(R) Core(TM) i5-7500 CPU @ 3.40GHz", "short"), ("Core 2 Duo E8400", "short"),
    ("i7-8700", "met"), ("Intel Core i5-8365U", "met"), ("i5, 8th gen", "met"),
    ("12th Gen Intel(R) Core(TM) i5-1240P", "met"), ("Intel(R) Core(TM) Ultra 7 155H", "met"),
    ("Intel(R) Core(TM) 7 150U", "met"), ("AMD Ryzen 7 1700", "short"), ("Ryzen 5 2600", "met"),
    ("AMD Ryzen AI 9 HX 370", "met"), ("AMD Ryzen 7 260", "met"), ("Pentium G4560", "short"),
]  # fmt: skip


@pytest.mark.parametrize(("name", "status"), PROCESSORS)
def test_a_printed_rule_in_one_line(name: str, status: str) -> None:
    words = [f"generation={','.join(f'{line}:{least}' for line, least in RULE.items())}"]
    ran = call("check", demo_machine("glasshouse-05"), "--need", *words, "--have", f"cpu={name}",
              "--format", "json")  # fmt: skip
    assert [row["status"] for row in ran.json()["rows"]] == [status]


LISTED = ["Intel® Core™ | i5-8365U", "i5-8365U", "Intel Core i5 8365U", "8365U", "Core i5-8???U",
          "i5-8*"]  # fmt: skip


@pytest.mark.parametrize("entry", [one.replace(" | ", " ") for one in LISTED])
def test_lists_of_processors_match_real_names(entry: str) -> None:
    for name, answer in (("Intel(R) Core(TM) i5-8365U CPU @ 1.60GHz", "ready"),
                         ("i5 8365u", "ready"), ("i5-9400", "not-memory")):  # fmt: skip
        ran = call("check", demo_machine("herbarium-01"), "--need", f"processors={entry}",
                  "--have", f"cpu={name}", "--format", "json")  # fmt: skip
        found = ran.json()["rows"][0]["status"]
        assert found == ("met" if answer == "ready" else "short"), (entry, name)


@pytest.mark.parametrize("entry", ["i5", "Core i5", "Intel Core i5", "i5*", "Ryzen 7, i5"])
def test_a_line_on_a_list_stands_for_all_of_it(entry: str) -> None:
    for name, answer in (("i5-8365U", "ready"), ("i7-8650U", "replace"), ("R5 3600", "replace")):
        ran = call("check", demo_machine("herbarium-01"), "--need", f"cpu={entry}",
                  "--have", f"cpu={name}", "--have", "shape=notebook", "--quiet")  # fmt: skip
        assert ran.out.strip() == answer


# --- review -----------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("need", "part"),
    [
        ('generation = {"Osier Wandd" = 5}', "nearest known: 'Osier Wand'"),
        ('os = ["Widnows >= 10"]', "nearest known: 'Windows'"),
        ('processors = ["Osier", "Sedge Nine"]', "'Sedge Nine'"),
        ('graphics = {vulcan = "1.2"}', "nearest known: 'vulkan'"),
        (
            'processors = ["zig", "zag", "zug", "zog", "zeg"]',
            "nothing known is called 'zig', 'zag', 'zug' and 2 more",
        ),
        ('processors = ["zig", "zag", "zug"]', "called 'zig', 'zag', 'zug': such an entry"),
    ],
)
def test_names_that_nothing_is_known_by_are_warned_of(tmp_path: Path, need: str, part: str) -> None:
    path = tmp_path / "w.needs.toml"
    path.write_text(f'tallcheck = "needs/1"\ntitle = "W"\nkind = "program"\n[minimum]\n{need}\n')
    ran = call("needs", "validate", str(path))
    assert ran.code == 0
    assert part in ran.out


def test_known_names_pass_review(tmp_path: Path) -> None:
    path = tmp_path / "w.needs.toml"
    path.write_text(
        'tallcheck = "needs/1"\ntitle = "W"\nkind = "program"\nsource = "x"\nread_on = 2026-09-04\n'
        '[minimum]\ngeneration = {"intel core" = 8, "*" = "none"}\nos = ["Linux", "Win 10"]\n'
        'processors = ["i5-8365U", "Osier Wand S5 ???"]\n'
    )
    assert call("needs", "validate", str(path)).out.rstrip().endswith("sound")


def test_keys_and_lines_are_listed() -> None:
    out = call("needs", "keys").out
    assert all(f"\n{name}" in f"\n{out}" for name in KEYS)
    assert "storage_free" not in call("needs", "keys", "instruction").out
    lines = call("needs", "lines", "osier").out
    assert lines.startswith("Osier Wand")
    assert "generations 1 to 9" in lines
    assert call("needs", "lines", "nothing like it").code == 3
    assert key_called("RAM", VOCABULARY) == "memory"
    assert key_called("cores", VOCABULARY) == "cores"


@pytest.mark.parametrize(
    ("word", "key", "asked"),
    [
        ("memory=8 GB or more", "memory", 8 * GIB),
        ("ram=at least 8GB", "memory", 8 * GIB),
        ("memory=8GB max", "memory", "at most 8 GB"),
        ("memory >= 8 GB", "memory", 8 * GIB),
        ("cores=4+", "cores", 4),
        ("cores=quad core", "cores", 4),
        ("cores=between 2 and 8", "cores", "2 to 8"),
        ("clock=2.5ghz oder h\u00f6her", "clock", 2_500_000_000),
        ("tpm=2.0 or newer", "security_module", "2.0"),
        ("instructions=SSE4.2 and AVX2", "instructions", ["SSE4.2", "AVX2"]),
        ("avx2=required", "instructions", ["AVX2"]),
        ("gpu=DirectX 12, Vulkan 1.2", "graphics", "d3d 12, vulkan 1.2"),
        ("vram=2GB", "graphics_memory", 2 * GIB),
        ("architecture=64-bit", "processor_bits", 64),
        ("display=1080p", "display", "1920x1080"),
        ("cpu=i5 8th gen or newer", "generation", "Core 8"),
    ],
)
def test_a_need_as_people_type_it(word: str, key: str, asked: Any, tmp_path: Path) -> None:
    (tmp_path / "m.json").write_text('{"tallcheck": "machine/1", "name": "m"}')
    assert call("needs", "new", "Wattle", word, "-o", "w.needs.toml", cwd=tmp_path).code == 0
    for words in (["--need", word], ["w.needs.toml"]):
        rows = call("check", "m.json", *words, "--format", "json", cwd=tmp_path).json()["rows"]
        assert [(one["key"], one["need"]) for one in rows] == [(key, asked)]


@pytest.mark.parametrize("word", ["memory=8-16 GB", "os=not Windows 7", "memory=>8GB", "avx2=no"])
def test_a_need_that_may_mean_two_things_is_refused(word: str) -> None:
    assert call("check", "-", "--need", word).code == 2
    assert call("needs", "new", "Wattle", word).code == 3
