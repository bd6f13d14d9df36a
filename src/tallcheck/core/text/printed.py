"""What a system's own programs and files print, each read whole by its own form.

Sources: proc(5) for /proc/cpuinfo and /proc/meminfo; the manuals of the systems' own commands.
"""

import re
from collections.abc import Callable

from tallcheck.core.machine.instructions import from_flags
from tallcheck.core.machine.readings import Told
from tallcheck.core.machine.vocabulary import Vocabulary
from tallcheck.core.text.printed_tables import read_tables
from tallcheck.core.text.printed_view import read_view
from tallcheck.core.text.said import tried_said
from tallcheck.core.values.plain import whole_number
from tallcheck.core.values.quantities import GIB, KIB, MIB
from tallcheck.core.values.text import fold

_Read = tuple[list[Told], list[str]]
_CPUINFO = frozenset({
    "processor", "vendor_id", "cpu family", "model", "model name", "stepping", "microcode",
    "cpu mhz", "cache size", "physical id", "siblings", "core id", "cpu cores", "apicid",
    "initial apicid", "fpu", "fpu_exception", "cpuid level", "wp", "flags", "bugs", "bogomips",
    "clflush size", "cache_alignment", "address sizes", "power management", "vmx flags",
    "tlb size",
})  # fmt: skip
"""The labels of /proc/cpuinfo, which says each of them for every thread."""
_THREAD = re.compile(r"\s*(?:processor\s*:\s*\d+|vendor_id\s*:)")
_MEMINFO = {
    "MemTotal": "memory.usable", "MemAvailable": "memory.available", "SwapTotal": "memory.swap",
}  # fmt: skip
_LISTING = re.compile(
    r"architecture|address sizes|byte order|stepping|frequency boost|bogomips|flags|l1tf|mds|srbds"
    r"|(?:virtualization|caches|cpu|bios|vendor|model|numa|thread|core|socket|cluster)\b.+"
    r"|(?:on|off)-line cpu.*|hypervisor vendor|l[1-4]\w?(?: cache)?|vulnerabilit.*|virtualization"
    r"|(?:gather|itlb|mmio|reg|spec|spectre|tsx|indirect|old) .*|meltdown|retbleed|tsa|vmscape"
    r"|ghostwrite|numa"
)
"""The labels of the kernel's processors in one listing; a model's number is one besides."""


def read_printed(lines: list[str], vocabulary: Vocabulary) -> _Read:
    """What is told by the forms that are known, and the lines, empty where they were read."""
    told: list[Told] = []
    readers: tuple[Callable[[list[str], Vocabulary], _Read], ...] = (
        _aside, _processors, _cpuinfo, _kernel_log, _meminfo, _free, _df, _uname, _hostnamectl,
        read_view, _sw_vers, _drives, _top, _lsblk, read_tables,
    )  # fmt: skip
    for reader in readers:
        more, lines = reader(lines, vocabulary)
        told += more
    return told, lines


_ASIDE = re.compile(
    r"\s*(?:(?:PS )?[A-Z]:\\[^>]*>|(?!\d+%)[\w.-]*[$%#] |Handle 0x[0-9A-F]+, DMI type \d+).*"
)
"""A command behind its prompt, and the heads of a firmware table's parts."""


def _aside(lines: list[str], vocabulary: Vocabulary) -> _Read:
    return [], ["" if _ASIDE.fullmatch(line) else line for line in lines]


def _parts(line: str) -> tuple[str, str]:
    label, _, value = line.partition(":")
    return label.strip().lower(), value.strip()


def _processor(name: str, flags: str, vocabulary: Vocabulary) -> list[Told]:
    told = tried_said("processor.name", name, vocabulary) if name else []
    if sets := from_flags(flags.split()):
        told.append(Told("processor.instructions", sets))
        if "fpu" in flags.split():
            told.append(Told("processor.bits", 64 if "lm" in flags.split() else 32))
    return told


def _cpuinfo(lines: list[str], vocabulary: Vocabulary) -> _Read:
    """/proc/cpuinfo: a block for each thread."""
    labels = {_parts(line)[0] for line in lines if ":" in line}
    if len(labels & _CPUINFO) < 2 or not any(map(_THREAD.match, lines)):
        return [], lines
    threads, cores, each, last = 0, 0, 0, dict.fromkeys(("model name", "flags"), "")
    sockets: set[str] = set()
    rest = []
    for line in lines:
        label, value = _parts(line)
        if ":" not in line or label not in _CPUINFO:
            rest.append(line)
            continue
        rest.append("")
        if label == "processor" and value.isdecimal():
            threads += 1
        elif label == "cpu cores":
            cores = whole_number(value) or cores
        elif label == "siblings":
            each = whole_number(value) or each
        elif label == "physical id":
            sockets.add(value)
        elif label in last:
            last[label] = value
    told = _processor(last["model name"], last["flags"], vocabulary)
    threads = max(threads, each * max(len(sockets), 1))  # of which not all may be pasted
    if threads > 1 or cores == 1:
        told.append(Told("processor.threads", threads))
    if cores:
        told.append(Told("processor.cores", cores * max(len(sockets), 1)))
    return told, rest


def _processors(lines: list[str], vocabulary: Vocabulary) -> _Read:
    """All processors in one listing: the cores are those of a socket times the sockets."""
    translated = vocabulary.phrases.words.get("listing", {})
    parts = [_parts(line) for line in lines]
    parts = [(translated.get(fold(label), label), value) for label, value in parts]
    values = {label: value for label, value in parts if value}
    each, sockets = (whole_number(values.get(one, ""))
                     for one in ("core(s) per socket", "socket(s)"))  # fmt: skip
    if sockets is None and values.get("socket(s)") == "-":  # clusters, and one chip of all
        clusters = whole_number(values.get("cluster(s)", "")) or 1
        each, sockets = (whole_number(values.get("core(s) per cluster", "")) or 0) * clusters, 1
    if each is None or sockets is None:
        return [], lines
    cores = each * sockets
    told = _processor(values.get("model name", ""), values.get("flags", ""), vocabulary)
    told += tried_said("processor.architecture", values.get("architecture", ""), vocabulary)
    modes = values.get("cpu op-mode(s)")
    if modes and not any(one.key == "processor.bits" for one in told):
        told.append(Told("processor.bits", 64 if "64" in modes else 32))
    if cores:
        told.append(Told("processor.cores", cores))
        told += tried_said("processor.sockets", str(sockets), vocabulary)
    told += tried_said("processor.threads", values.get("cpu(s)", ""), vocabulary)
    most = values.get("cpu max mhz", "").replace(",", ".")
    if re.fullmatch(r"\d{1,6}(?:\.\d+)?", most):
        told += tried_said("processor.clock_most", f"{float(most):.0f} MHz", vocabulary)
    if values.get("virtualization", "") in ("VT-x", "AMD-V"):
        told.append(Told("processor.virtualization", "able"))
    if "hypervisor vendor" in values:
        told.append(Told("system.virtual", True))
    return told, [
        "" if _is_listing(*part) else line for part, line in zip(parts, lines, strict=True)
    ]


def _is_listing(label: str, value: str) -> bool:
    return _LISTING.fullmatch(label) is not None or (label == "model" and value.isdecimal())


_KERNEL_MEMORY = re.compile(r"Memory: \d+K/(?P<all>\d{5,12})K available .*")


def _kernel_log(lines: list[str], vocabulary: Vocabulary) -> _Read:
    """What a kernel says of memory when it starts: what is free, and all that it was handed."""
    rest, told = list(lines), list[Told]()
    for at, line in enumerate(lines):
        if "available" in line and (match := _KERNEL_MEMORY.fullmatch(line.strip())):
            told += tried_said("memory.usable", f"{match['all']} KB", vocabulary)
            rest[at] = ""
    return told, rest


def _meminfo(lines: list[str], vocabulary: Vocabulary) -> _Read:
    """/proc/meminfo, which counts in KiB."""
    if not any(re.match(r"\s*MemTotal:\s*\d+ kB", line) for line in lines):
        return [], lines
    told, rest = [], []
    for line in lines:
        found = re.fullmatch(r"\s*([A-Z]\w*(?:\(\w+\))?):\s*(\d{1,12})(?: kB)?\s*", line)
        rest.append("" if found else line)
        key = _MEMINFO.get(found[1]) if found else None
        if found and key:
            told.append(Told(key, int(found[2]) * KIB))
    return told, rest


def _free(lines: list[str], vocabulary: Vocabulary) -> _Read:
    """free: its head, a row of memory, and one of swap."""
    rest = list(lines)
    told: list[Told] = []
    for at, line in enumerate(lines):
        head = line.split()
        if head[:3] != ["total", "used", "free"]:
            continue
        # before there was a column of what is available, plain numbers were of KiB
        unit = KIB if "cached" in head else None
        for below in range(at + 1, min(at + 4, len(lines))):
            name, colon, cells = lines[below].strip().partition(":")
            values = dict(zip(head, cells.split(), strict=False))
            if not colon or name not in ("Mem", "Swap") or "total" not in values:
                continue
            unit = unit or _unit_sized(values["total"])
            if unit is None:
                continue
            told += _sized("memory.usable" if name == "Mem" else "memory.swap",
                             values["total"], unit, vocabulary)  # fmt: skip
            beside = (
                ("available", "memory.available") if name == "Mem" else ("used", "memory.swap_used")
            )
            told += _sized(beside[1], values.get(beside[0], ""), unit, vocabulary)
            rest[at] = rest[below] = ""
    return told, rest


def _unit_sized(total: str) -> int | None:
    """What the plain numbers of free count in, by the total of memory; None where it may be two."""
    number = whole_number(total)
    if number is None:
        return 1
    for least, most, unit in ((1, 1 << 8, GIB), (1 << 8, 1 << 18, MIB), (1 << 21, 1 << 31, KIB),
                              (1 << 31, 1 << 46, 1)):  # fmt: skip
        if least <= number < most:
            return unit
    return None


def _sized(key: str, text: str, unit: int, vocabulary: Vocabulary) -> list[Told]:
    number = whole_number(text)
    if number is not None:
        return [Told(key, number * unit)]
    size = re.fullmatch(r"(\d+(?:[.,]\d+)?)([KMGT])i?B?", text)
    return tried_said(key, f"{size[1]} {size[2]}iB", vocabulary) if size else []


_VOLUME_ROW = re.compile(
    r"\S+\s+(?P<size>[\d.,]+\w*)\s+[\d.,]+\w*\s+(?P<free>[\d.,]+\w*)\s+\d+\s?%"
    r"(?:\s+[\d.,]+\w*\s+[\d.,]+\w*\s+\d+%)?\s+(?P<mount>/\S*)"
)
"""A row of df, in any language: its columns stand in one order, on macOS with those of inodes."""


def _df(lines: list[str], vocabulary: Vocabulary) -> _Read:
    """df: the row of the volume that holds the system, in blocks of 1 KiB or with their unit."""
    rest = list(lines)
    told: list[Told] = []
    for at, line in enumerate(lines):
        row = _VOLUME_ROW.fullmatch(line.strip())
        if row is None:
            continue
        if at and rest[at - 1].strip():
            rest[at - 1] = ""  # what stands over the columns
        rest[at] = ""
        if row["mount"] == "/":
            told += _sized("storage.size", row["size"], KIB, vocabulary)
            told += _sized("storage.free", row["free"], KIB, vocabulary)
    return told, rest


_UNAME = re.compile(r"\s*(Linux) \S+ (\d+\.\S+) #\d+\b.*\b(x86_64|aarch64|i[3-6]86|armv\dl?)\b.*")


def _uname(lines: list[str], vocabulary: Vocabulary) -> _Read:
    """uname -a: the kernel, and what it is built for."""
    told, rest = [], list(lines)
    for at, line in enumerate(lines):
        if match := _UNAME.fullmatch(line):
            wide = match[3] in ("x86_64", "aarch64")
            told += [Told("system.kernel", match[2]), Told("system.os_bits", 64 if wide else 32),
                     Told("system.family", "linux")]  # fmt: skip
            rest[at] = ""
    return told, rest


def _hostnamectl(lines: list[str], vocabulary: Vocabulary) -> _Read:
    """hostnamectl: the architecture is the running system's."""
    labels = {_parts(line)[0] for line in lines}
    if not {"operating system", "kernel", "architecture"} <= labels:
        return [], lines
    told, rest = [], list(lines)
    for at, line in enumerate(lines):
        label, value = _parts(line)
        if label == "architecture":
            told += tried_said("system.architecture", value, vocabulary)
        elif label == "kernel":
            told += tried_said("system.kernel", value.removeprefix("Linux "), vocabulary)
        elif label not in ("cpe os name", "boot id", "machine id", "icon name", "static hostname"):
            continue
        rest[at] = ""
    return told, rest


_DRIVE = re.compile(r"\s*Drive: ([A-Z]):\s*")
_OF_A_DRIVE = {"free space": "storage.free", "total space": "storage.size"}


def _drives(lines: list[str], vocabulary: Vocabulary) -> _Read:
    """A system's own report: a block for each drive's letter, up to the next or a blank line."""
    told, rest, letter = [], list(lines), ""
    for at, line in enumerate(lines):
        head = _DRIVE.fullmatch(line)
        letter = head[1] if head else letter if line.strip() else ""
        if not letter:
            continue
        label, value = _parts(line)
        if letter == "C" and label in _OF_A_DRIVE:
            told += tried_said(_OF_A_DRIVE[label], value, vocabulary)
        rest[at] = ""
    return told, rest


_TOP = re.compile(r"\s*([KMG])iB (Mem|Swap) *: *([\d.]+) total\b")
_AVAILABLE = re.compile(r"(?<![\d.])(\d[\d.]*) avail Mem")


def _top(lines: list[str], vocabulary: Vocabulary) -> _Read:
    """top: rows of memory and swap; what is available stands behind the swap."""
    told, rest = [], list(lines)
    units = {"K": KIB, "M": MIB, "G": GIB}
    for at, line in enumerate(lines):
        if found := _TOP.match(line):
            unit = units[found[1]]
            key = "memory.usable" if found[2] == "Mem" else "memory.swap"
            told.append(Told(key, int(float(found[3]) * unit)))
            if available := _AVAILABLE.search(line):
                told.append(Told("memory.available", int(float(available[1]) * unit)))
            rest[at] = ""
        elif re.match(r"\s*(?:top - |Tasks: |%?Cpu\(s\): )", line):
            rest[at] = ""
    return told, rest


_BLOCK_ROW = re.compile(
    r"\W*(?P<name>[a-z]\S+)\s+\d+:\d+\s+[01]\s+(?P<size>\S+)\s+[01]\s+(?P<kind>[a-z]\w+)"
    r"(?:\s+(?P<mount>/\S*|\[SWAP\]))?\s*"
)
"""A row of lsblk; what is mounted where stands last."""


def _lsblk(lines: list[str], vocabulary: Vocabulary) -> _Read:
    """lsblk: the system's volume, and the drive above it, or the only one that there is."""
    rest, told = list(lines), list[Told]()
    drives: list[re.Match[str]] = []
    system = None
    for at, line in enumerate(lines):
        row = _BLOCK_ROW.fullmatch(line)
        if row is None:
            continue
        rest[at] = ""
        if at and re.match(r"\s*NAME\s+MAJ:MIN\s", rest[at - 1]):
            rest[at - 1] = ""
        if row["kind"] == "disk":
            drives.append(row)
        if row["mount"] == "/" and system is None:
            told += _sized("storage.size", row["size"], KIB, vocabulary)
            system = drives[-1] if drives else None
    drive = system or (drives[0] if len(drives) == 1 else None)
    if drive is not None:
        told += _sized("storage.drive", drive["size"], KIB, vocabulary)
        if drive["name"].startswith(("nvme", "mmcblk")):
            told.append(Told("storage.kind", "solid"))
    return told, rest


def _sw_vers(lines: list[str], vocabulary: Vocabulary) -> _Read:
    """sw_vers: the name and the version of macOS."""
    values = dict(map(_parts, lines))
    system, version = values.get("productname", ""), values.get("productversion", "")
    if not version or not system.lower().startswith("mac"):
        return [], lines
    names = ("productname", "productversion", "productversionextra", "buildversion")
    rest = ["" if _parts(line)[0] in names else line for line in lines]
    return tried_said("system.os", f"macOS {version}", vocabulary), rest
