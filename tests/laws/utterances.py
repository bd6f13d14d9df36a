"""Machines as people tell of them: what is said is read, and nothing that was not said."""

from typing import Any

from hypothesis import strategies as st

from tallcheck.core.machine.readings import Told
from tallcheck.core.text.pasted import read_lines
from tests.helpers import GIB, VOCABULARY
from tests.laws.law import Law

GB = 10**9
# how a part is said ("{}" is its figure), alone or behind a label, in several languages
MEMORY = (
    "{} GB RAM", "{}GB ram", "{} gigs of RAM", "{} GB of memory", "RAM: {} GB", "Memory: {} GB",
    "{} GB DDR4", "{} GB DDR4 RAM", "{} GB Arbeitsspeicher", "{} Go de RAM", "{} GB de RAM",
    "{} GB werkgeheugen", "RAM {}GB", "Arbeitsspeicher: {} GB", "about {} GB RAM",
    "RAM {} GB 2666MHz", "{}gb 3200", "{} GB RAM 2400",
    "{} GB RAM upgraded from 2 GB", "{} GB quad channel RAM", "{} GB RAM assigned",
    "Memory 1.5/{} GB (10%)",
    "{} GB 3200MHz RAM", "{} GB of RAM (DDR4 2400MHz)",
)  # fmt: skip
DRIVE = (
    ("{} GB SSD", "solid"), ("{}GB NVMe", "solid"), ("SSD {} GB", "solid"),
    ("{} GB HDD", "spinning"),
    ("{} GB eMMC", "solid"), ("{}GB NVMe SSD", "solid"), ("a {} GB SSD", "solid"),
    ("{} GB M.2 SSD", "solid"), ("Disk: {} GB SSD", "solid"), ("Festplatte: {} GB HDD", "spinning"),
)  # fmt: skip
NAMES = (
    "i5-8250U", "Intel Core i7-6700", "AMD Ryzen 5 3600", "Celeron N4020", "Core 2 Duo E8400",
    "Osier Wand S5 214", "Xeon Silver 4210", "i3-4130", "A6-9225", "Ryzen 7 PRO 4750U",
    "Ryzen 7 5800X3D", "Ryzen 7 5800X", "Ryzen 5 1600", "i5-520M", "i7 620M", "Core i3 M 330",
)  # fmt: skip
CPU = (
    "{}",
    "CPU: {}",
    "Processor: {}",
    "an {}",
    "Prozessor: {}",
    "Processeur : {}",
    "{} CPU",
    "{} {c}-Core Processor",
    "CPU: {} {c}-Core Processor",
)
SYSTEMS = (
    ("Windows 10", "Windows", "10"), ("Win 11", "Windows", "11"), ("win10", "Windows", "10"),
    ("Windows 10 Pro", "Windows", "10"), ("Ubuntu 22.04", "Ubuntu", "22.04"),
    ("macOS Sonoma 14.4", "macOS", "14.4"), ("Debian 12", "Debian GNU/Linux", "12"),
    ("Merrow 10", "Merrow", "10"), ("Windows 7 SP1", "Windows", "7"),
    ("Windows 7 Service Pack 1", "Windows", "7"),
    ("server 2019 standard", "Windows Server", "2019"),
    ("XP Pro", "Windows", "5.1"), ("upgraded to Catalina", "macOS", "10.15"),
    ("Microsoft Windows 10 Home", "Windows", "10"), ("W10P", "Windows", "10"),
    ("Windows 11 Pro 23H2", "Windows", "11"),
)  # fmt: skip
SYSTEM = ("{}", "OS: {}", "runs {}", "with {}", "Betriebssystem: {}", "it has {}")
VOLUME = (
    "C: {size} GB, {free} GB free", "C: {size} GB NTFS, {free} GB frei",
    "(C:) {size} GB, {free} GB free", "C: {free} GB free of {size} GB",
    "Drive C: {size} GB, {free} GB free", "C: {size}GB / {free}GB free",
    "Laufwerk C: {size} GB, {free} GB frei", "C: {size} GB total, {free} GB left",
    "C: {used} GB / {size} GB", "C: {used} of {size} GB used",
    "C drive {size} GB, {free} GB free", "the C drive has {free} GB free of {size} GB",
    "{free} Go libres sur le disque C de {size} Go", "{free} GB frei auf Laufwerk C von {size} GB",
)  # fmt: skip
COUNTS = (
    ("{c} cores, {t} threads", "ct"), ("{c}C/{t}T", "ct"), ("{c} cores / {t} threads", "ct"),
    ("Cores/Threads: {c}/{t}", "ct"), ("{c} cores ({t} threads)", "ct"), ("{c} cores", "c"),
    ("{p}P+{e}E cores", "c"), ("{p} P-cores and {e} E-cores", "c"), ("{c} Kerne", "c"),
    ("{c}-core", "c"), ("{word}core", "c"),
    ("{t} logical processors", "t"), ("{c} c\u0153urs, {t} threads", "ct"),
    ("{c} cores (2 of them idle)", "c"), ("Cores: {c} Logical processors: {t}", "ct"),
)  # fmt: skip
WORDS = {4: "quad", 6: "hexa", 8: "octa"}
# what may stand beside, of which nothing may be read
NOISE = (
    "", "bought in 2019", "from 2017",
    "asset 00417", "room 12", "belongs to Ann", "WLAN", "warranty until 2027",
    "14 inch", "two monitors", "144 Hz", "Shared memory: 128 MB",
    "serial 5CG9123ABC", "49 EUR", "ticket #4711", "65 W", "USB 3.0",
    "not 4 GB", "without a TPM", "needs 32 GB", "it was 2 GB before", "up to 64 GB",
    "Temp 65 C", "PCIe 3.0 x16",
    "SQL Server 2019", "PC1: fine", "two drive bays, one free",
    "one fan is broken", "the browser uses 2 GB", "FSB 1333 MHz", "webcam 720p",
    "it came with 1 GB", "timings 9-9-9-24 at 1600 MHz", "CPU 14% 2.10 GHz", "GTX1650 4GB",
    "RX 580 8GB", "GT 710", "2080ti", "TPM 2.0 disabled in the BIOS", "screen 1920 by 1080",
    "Intel UHD 620 with 128 MB dedicated", "committed 9.1/15.2 GB", "cached 2.3 GB",
    "paged pool 412 MB", "D drive 931 GB",
    "the drive is 93% full", "7 % of memory in use",
    "it copies at 550 MB/s", "the line gives 1 Gb/s", "25.6 GB/sec is the bandwidth",
)  # fmt: skip
DENIED = {
    "SQL Server 2019": {"system.shape"},
    "GTX1650 4GB": {"graphics"}, "CPU 14% 2.10 GHz": set(),
    "without a TPM": {"firmware.security_module"}, "up to 64 GB": {"memory.ceiling"},
    "TPM 2.0 disabled in the BIOS": {"firmware.security_module"},
    "screen 1920 by 1080": {"display"},
    "Intel UHD 620 with 128 MB dedicated": {"graphics", "graphics.memory"},
    "RX 580 8GB": {"graphics"}, "2080ti": {"graphics"}, "GT 710": {"graphics"},
}  # fmt: skip
PARTS = ["memory", "drive", "name", "system", "volume", "counts"]
MARKS = (", ", "; ", "\n", " | ", " / ", ". ", " - ", " \u2013 ")


def _machine(drawn: dict[str, Any]) -> tuple[list[str], dict[str, Any]]:
    """The parts of an utterance, and the readings that are in it."""
    kind = DRIVE[drawn["drive"]]
    cores = drawn["cores"]
    counts = COUNTS[drawn["counts"]]
    name, system = NAMES[drawn["name"]], SYSTEMS[drawn["system"]]
    parts = {
        "memory": MEMORY[drawn["memory"]].format(drawn["gb"]),
        "drive": kind[0].format(drawn["size"]),
        "name": CPU[drawn["cpu"]].format(name, c=cores),
        "system": SYSTEM[drawn["os"]].format(system[0]),
        "counts": counts[0].format(
            c=cores, t=2 * cores, p=2, e=cores - 2, word=WORDS.get(cores, f"{cores} ")
        ),
        "volume": VOLUME[drawn["volume"]].format(
            size=drawn["shown"], free=drawn["free"], used=drawn["shown"] - drawn["free"]
        ),
    }
    truth = {
        "memory": {"memory.installed": drawn["gb"] * GIB},
        "drive": {"storage.drive": drawn["size"] * GB, "storage.kind": kind[1]},
        "name": {"processor.name": name},
        "system": {"system.os": system[1], "system.os_version": system[2]},
        "volume": {"storage.size": round(drawn["shown"] * GB)},
        "counts": {"processor.cores": cores, "processor.threads": 2 * cores},
    }
    for letter, key in (("c", "processor.cores"), ("t", "processor.threads")):
        if letter not in counts[1]:
            del truth["counts"][key]
    if "{free}" in VOLUME[drawn["volume"]]:
        truth["volume"]["storage.free"] = round(drawn["free"] * GB)
    said = [one for one in drawn["order"] if one in drawn["parts"]]
    readings = {key: value for one in said for key, value in truth[one].items()}
    return [parts[one] for one in said], readings


def _alike(key: str, value: Any, truth: Any) -> bool:
    return str(truth) in str(value) if key == "processor.name" else bool(value == truth)


def _read(text: str) -> list[Told]:
    told, _ = read_lines(text, VOCABULARY)
    beside = ("extra.", "system.os_bits", "system.family")
    return [one for one in told if not one.key.startswith(beside)]


def _holds(drawn: dict[str, Any]) -> None:
    parts, truth = _machine(drawn)
    noise = NOISE[drawn["noise"]]
    if noise:
        parts.insert(drawn["at"] % (len(parts) + 1), noise)
    told = _read(MARKS[drawn["mark"]].join(parts))
    aside = DENIED.get(noise, set())
    if "-Core" in CPU[drawn["cpu"]]:
        aside = aside | {"processor.cores"}
    for one in told:
        assert one.key in truth or one.key in aside, f"invented: {one}"
        assert one.key in aside or _alike(one.key, one.value, truth[one.key]), f"wrong: {one}"
    missing = truth.keys() - {one.key for one in told}
    assert not missing, f"missing: {missing}"


UTTERANCES = Law(
    "utterances",
    "What people tell of a machine is read in any order, language and company, and nothing else.",
    st.fixed_dictionaries(
        {
            "memory": st.integers(0, len(MEMORY) - 1),
            "gb": st.sampled_from([2, 4, 6, 8, 12, 16, 24, 32]),
            "drive": st.integers(0, len(DRIVE) - 1),
            "size": st.sampled_from([128, 240, 256, 500, 512, 1000]),
            "name": st.integers(0, len(NAMES) - 1),
            "cpu": st.integers(0, len(CPU) - 1),
            "system": st.integers(0, len(SYSTEMS) - 1),
            "os": st.integers(0, len(SYSTEM) - 1),
            "volume": st.integers(0, len(VOLUME) - 1),
            "shown": st.sampled_from([119, 237.8, 238, 465, 931.5]),
            "free": st.sampled_from([4, 16, 22.4, 61, 100.5]),
            "counts": st.integers(0, len(COUNTS) - 1),
            "cores": st.sampled_from([4, 6, 8, 10, 16]),
            "order": st.permutations(PARTS),
            "parts": st.lists(st.sampled_from(PARTS), min_size=1, unique=True),
            "noise": st.integers(0, len(NOISE) - 1),
            "at": st.integers(0, 5),
            "mark": st.integers(0, len(MARKS) - 1),
        }
    ),
    _holds,
)
