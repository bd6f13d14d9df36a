"""Pages of requirements as publishers write them: what is asked for is read, and nothing else."""

from typing import Any

from hypothesis import strategies as st

from tallcheck.core.text.page import read_page
from tests.helpers import VOCABULARY
from tests.laws.law import Law

# how a figure is asked for ("{}"), by key; of several levels the second text is the better one's
SAID: dict[str, tuple[str, ...]] = {
    "memory": (
        "RAM: {} GB", "Memory: {} GB", "{} GB RAM", "{} GB of RAM", "At least {} GB of memory",
        "{}GB RAM or more", "Arbeitsspeicher: {} GB", "{} GB Arbeitsspeicher", "RAM: {}GB+",
        "M\u00e9moire : {} Go", "{} Go de RAM", "Memoria: {} GB de RAM", "Memoria: {} GB di RAM",
        "Werkgeheugen: {} GB", "A minimum of {} GB RAM is required", "Memory (RAM): {} GB",
        "Requires {} GB of RAM", "{} gigabytes (GB) of RAM", "RAM {} GB minimum",
        "Memory\nMinimum: {} GB", "RAM\n{} GB", "System memory (RAM): {} GB", "{}GB system RAM",
        "Memory: {}-96 GB by workload",
        "RAM \u2265 {} GB", "RAM >= {}GB", "RAM \u2014 {} GB", "RAM: ab {} GB",
        "PC: {} GB RAM",
        "The server needs: {} GB RAM",
        "<tr><td>RAM</td><td>{} GB</td></tr>",
        "RAM: {} GB \u2013 96 GB", "Arbeitsspeicher: mind. {} GB",
    ),
    "storage_free": (
        "Disk space: {} GB", "{} GB free disk space", "{} GB of available disk space",
        "{} GB of free hard drive space", "Storage: {} GB available space",
        "Hard disk: {} GB free", "Festplatte: {} GB verf\u00fcgbarer Speicherplatz",
        "{} GB freier Speicherplatz", "Espace disque : {} Go", "{} Go d'espace disque",
        "Almacenamiento: {} GB de espacio disponible", "{} GB di spazio libero su disco",
        "Disk space:\nMinimum: {} GB", "{} GB freier Festplattenspeicher",
        "Vrije schijfruimte: {} GB",
        "Disk space \u2014 {} GB", "disk >= {} GB free", "Free space on the system drive: {} GB",
    ),
    "cores": (
        "{} cores", "CPU: {} cores", "Processor: {}-core", "CPU cores: {}",
        "{} CPU cores or more",
        "At least {} physical cores", "Prozessor: mindestens {} Kerne",
        "Processeur : {} c\u0153urs",
        "Procesador: {} n\u00facleos", "a processor with {} cores", "{}+ cores",
        "cores >= {}", "CPU \u2013 {} cores",
    ),
    "clock": (
        "{} GHz processor", "CPU: {} GHz", "Processor: {} GHz or faster", "{} GHz CPU or faster",
        "Prozessor: {} GHz oder schneller", "Processeur : {} GHz", "Procesador a {} GHz",
        "a processor running at {} GHz", "Clock speed: {} GHz", "{} gigahertz (GHz) or faster",
        "At least a {} GHz processor", "{}-GHz-Prozessor", "Processor\n  Minimum: {} GHz",
        "{} GHz processor (multi-core recommended)",
    ),
    "display": (
        "Display: {}", "{} display", "Screen resolution: {}", "Resolution of {} or higher",
        "Bildschirm: {}", "Bildschirmaufl\u00f6sung {}", "{} screen resolution",
        "Monitor: {} or larger",
        "R\u00e9solution : {}", "A display with {} pixels", "{} px",
    ),
    "graphics": (
        "DirectX {}", "Graphics: DirectX {}", "DirectX: version {}", "GPU: DirectX {} compatible",
        "Graphics card with DirectX {} support", "Video card: DirectX {} or higher",
        "Grafikkarte: DirectX {}", "Carte graphique : DirectX {}", "Requires DirectX {}",
        "DirectX {} capable graphics",
    ),
    "graphics_memory": (
        "{} GB VRAM", "VRAM: {} GB", "Video: {} GB",
        "{} GB of video memory", "Graphics card with {} GB",
        "Graphics: {} GB VRAM", "GPU with {} GB VRAM", "Video memory: {} GB",
        "Grafikkarte mit {} GB", "Graphics memory: {} GB", "{} GB graphics memory",
        "Dedicated video memory: {} GB", "at least {} GB VRAM",
        "GPU with {} GB of memory", "Graphics card with {} GB of memory",
    ),
    "storage_kind": ("{} required", "Storage: {}", "An {} is required", "Hard disk: {}"),
    "instructions": (
        "CPU with {} support", "Requires {}", "{} required", "Processor must support {}",
        "{} instruction set", "CPU: {}", "Prozessor mit {}", "processor with {}",
    ),
    "firmware": ("Firmware: {}", "{} firmware", "Boot mode: {}", "{} boot mode", "Requires {}"),
    "secure_boot": (
        "Secure Boot", "Secure Boot capable", "Secure Boot support", "Requires Secure Boot",
    ),
    "security_module": (
        "TPM: {}", "TPM {}", "TPM version {}", "Security: TPM {}", "Trusted Platform Module {}",
        "TPM: Trusted Platform Module, version {}", "TPM {} is required", "TPM {} or later",
    ),
    "os": (
        "OS: Windows {}", "Windows {} or later", "Operating system: Windows {} (64-bit)",
        "Requires Windows {} or newer", "Microsoft\u00ae Windows\u00ae {}", "Windows {}+",
        "Betriebssystem: Windows {} oder h\u00f6her", "SO: Windows {} o superior",
        "Syst\u00e8me : Windows {} ou plus r\u00e9cent", "Supported OS: Windows {}",
        "Runs on Windows {}", "Windows {} 64-bit or higher", "Windows >= {}", "Windows: {}",
        "OS \u2014 Windows {}",
    ),
}  # fmt: skip
FIGURES: dict[str, tuple[Any, ...]] = {
    "memory": (2, 4, 6, 8, 12, 16, 32, 1.5, 64), "storage_free": (1, 2, 10, 25, 50, 3.5, 120),
    "clock": ("1", "2.4", "3.0", "3.5"), "display": ("1280x800", "1920x1080", "1366x768"),
    "graphics": ("11", "12", "9.0"), "graphics_memory": (1, 2, 4, 6), "storage_kind": ("SSD",),
    "instructions": ("SSE4.2", "AVX2", "AVX"), "firmware": ("UEFI",), "secure_boot": ("",),
    "cores": (2, 4, 6, 8, 16), "security_module": ("1.2", "2.0"), "os": ("7", "8.1", "10", "11"),
}  # fmt: skip
# what may stand beside, of which nothing may be asked
NOISE = (
    "", "System requirements", "Internet connection required", "Not supported: Windows XP, ARM",
    "Does not run on 32-bit systems", "Up to 64 GB of RAM is supported", "A mouse with two buttons",
    "Version 4.2 of the program takes 20 minutes to install", "\u00a9 2024 Tolland & Pike",
    "Support ends in 2027", "USB 3.0 port for the dongle", "Scanner: 600 dpi", "10/100 Mbit/s LAN",
    "Not for use on Windows 8 or Merrow 6", "Unsupported: 32-bit Windows", "Price: 49 EUR",
    "Two monitors are supported", "Latency below 50 ms", "Created on 12.05.2023, page 3 of 8",
    "For best results close other programs", "Windows is a trademark of its owner",
    "Backups need 500 MB for each day", "Licence: one for each 4 cores", "Runs without a GPU",
    "2 GB of memory per core", "1 GB RAM for each user", "Prefetch: 2 GB for each core",
    "Maximum supported RAM 128 GB", "Runs on 32- or 64-bit systems",
    "Printers with less than 2 GB of memory are slow", "* measured on a fresh system",
)  # fmt: skip
BETTER = (
    "{}, {} recommended",
    "{}, rec. {}",
    "{} / {} recommended",
    "{} ({} rec.)",
    "{} ({} recommended)",
    "{}; recommended: {}",
    "{} (recommended: {})",
    "{} (se recomiendan {})",
    "{}, opt. {}",
    "{} ({} conseill\u00e9s)",
    "{} ({} recomendados)",
    "{} ({} aanbevolen)",
    "{}, {} empfohlen",
    "System requirements: {} ({} recommandés)",
)
BULLETS = ("", "- ", "* ", "\u2022 ", "  ", "<li>")
"""What each line begins with; those of a web page stand in one line."""


def _value(key: str, figure: Any) -> Any:
    made = {
        "os": [f"Windows >= {figure}"], "clock": f"{str(figure).removesuffix('.0')} GHz",
        "graphics": {"d3d": figure}, "storage_kind": "solid", "instructions": [figure],
        "firmware": "uefi", "secure_boot": "able",
    }  # fmt: skip
    sized = key in ("memory", "storage_free", "graphics_memory")
    return f"{figure} GB" if sized else made.get(key, figure)


def _holds(drawn: dict[str, Any]) -> None:
    minimum: dict[str, Any] = {}
    better: dict[str, Any] = {}
    lines = []
    for key in drawn["keys"]:
        said, figures = SAID[key], FIGURES[key]
        text = said[drawn[key][0] % len(said)]
        at = drawn[key][1] % len(figures)
        minimum[key] = _value(key, figures[at])
        lines.append(text.format(figures[at]))
        alone = text.endswith("{} GB") and "\n" not in text
        if key == "memory" and drawn["better"] and alone:
            better[key] = _value(key, figures[at - 1])
            two = BETTER[drawn["better"] - 1]
            lines[-1] = two.format(lines[-1], f"{figures[at - 1]} GB")
    noise = NOISE[drawn["noise"]]
    lines.insert(drawn["at"] % (len(lines) + 1), noise)
    bullet = BULLETS[drawn["bullet"]]
    between = "" if bullet == "<li>" else "\n"
    page = read_page(between.join(bullet + one for one in lines if one), False, VOCABULARY)
    asked, recommended = page.levels["minimum"], page.levels["recommended"]
    asked.pop("os_bits", None)
    assert asked == minimum, f"asked {asked} of {lines}"
    assert recommended == better, f"recommended {recommended} of {lines}"


def _draw() -> st.SearchStrategy[Any]:
    place = st.tuples(st.integers(0, 30), st.integers(0, 30)).map(list)
    return st.fixed_dictionaries(
        {
            **dict.fromkeys(SAID, place),
            "keys": st.lists(st.sampled_from(sorted(SAID)), min_size=1, max_size=5, unique=True),
            "noise": st.integers(0, len(NOISE) - 1),
            "at": st.integers(0, 5),
            "better": st.integers(0, len(BETTER)),
            "bullet": st.integers(0, len(BULLETS) - 1),
        }
    )


PAGES = Law(
    "pages",
    "Of a publisher's page what it asks for is read, in any order and company, and nothing else.",
    _draw(),
    _holds,
)
