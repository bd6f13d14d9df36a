"""Linux: ``/proc`` and ``/sys``, live or captured, into readings.

Sources: the kernel's own documentation, "The /proc Filesystem" and "Linux ABI description
(sysfs-devices-system-cpu)"; os-release(5).
"""

import re

from msgspec import structs

from tallcheck.core.derive import ADDRESSABLE_PAE
from tallcheck.core.instructions import from_flags
from tallcheck.core.machine import Volume
from tallcheck.core.quantities import GIB, parse_clock
from tallcheck.gather.cpuset import parse_cpu_list
from tallcheck.gather.draft import Draft
from tallcheck.gather.source import Source, read_int, read_text

_CPU = "sys/devices/system/cpu"

_MACHINES = {
    "x86_64": "x86-64", "amd64": "x86-64", "aarch64": "arm64", "arm64": "arm64",
}  # fmt: skip


def is_linux(source: Source) -> bool:
    """Whether a source holds a Linux system's files."""
    return source.read("proc/meminfo") is not None or source.read("proc/cpuinfo") is not None


def read_linux(source: Source, draft: Draft) -> None:
    """Every reading that the system's files give, into the draft."""
    _system(source, draft)
    cpuinfo = parse_cpuinfo(read_text(source, "proc/cpuinfo") or "")
    _bits(source, draft, cpuinfo)
    _processor(source, draft, cpuinfo)
    _topology(source, draft, cpuinfo)
    _memory(source, draft)
    _storage(source, draft)


# --- the system ----------------------------------------------------------------------------


def _system(source: Source, draft: Draft) -> None:
    for path in ("etc/os-release", "usr/lib/os-release"):
        release = _assignments(read_text(source, path) or "")
        if release:
            draft.read("system.os", release.get("NAME") or release.get("ID"), "/" + path)
            draft.read("system.os_version", release.get("VERSION_ID"), "/" + path)
            return
    if "Linux" in (read_text(source, "proc/version") or ""):
        draft.read("system.os", "Linux", "/proc/version")


def _assignments(text: str) -> dict[str, str]:
    """``KEY="value"`` lines, as os-release(5) has them."""
    found = {}
    for line in text.splitlines():
        key, equals, value = line.strip().partition("=")
        if equals and re.fullmatch(r"[A-Z_]+", key):
            found[key] = re.sub(r"\\(.)", r"\1", value.strip().strip("\"'"))
    return found


# --- the processor -------------------------------------------------------------------------


def parse_cpuinfo(text: str) -> list[dict[str, str]]:
    """``/proc/cpuinfo`` as one table for each logical processor; a trailing one may be general."""
    blocks: list[dict[str, str]] = []
    for part in re.split(r"\n\s*\n", text):
        block: dict[str, str] = {}
        for line in part.splitlines():
            key, colon, value = line.partition(":")
            if colon:
                block.setdefault(key.strip(), value.strip())
        if block:
            blocks.append(block)
    return blocks


def _first(blocks: list[dict[str, str]], *keys: str) -> str | None:
    for key in keys:
        for block in blocks:
            if block.get(key):
                return block[key]
    return None


def _architecture_of(machine: str | None) -> str | None:
    """An architecture's standard name from what ``uname -m`` prints."""
    if not machine:
        return None
    if re.fullmatch(r"i[3-6]86|x86", machine):
        return "x86"
    if re.match(r"armv[4-8]", machine):
        return "arm"
    return _MACHINES.get(machine, machine)


_ARCHITECTURE_BITS = {
    "x86": 32, "x86-64": 64, "arm": 32, "arm64": 64, "riscv64": 64, "ppc64le": 64, "ppc64": 64,
    "s390x": 64, "loongarch64": 64, "mips64": 64, "mips": 32, "ppc": 32, "riscv32": 32,
}  # fmt: skip


def _bits(source: Source, draft: Draft, cpuinfo: list[dict[str, str]]) -> None:
    """Bits of the processor and of the running system: two things, from two sources."""
    flags = (_first(cpuinfo, "flags") or "").split()
    meminfo = read_text(source, "proc/meminfo") or ""
    system, origin = None, ""
    # the kernel's own word first: what uname prints can be changed for one program
    for path in ("proc/sys/kernel/arch", "uname-m"):
        system = _architecture_of(read_text(source, path))
        if system:
            origin = "/" + path if path.startswith("proc") else "uname -m"
            break
    if _first(cpuinfo, "fdiv_bug"):
        system, origin = "x86", "/proc/cpuinfo, a line that only 32-bit kernels write"
    elif system is None and flags and _first(cpuinfo, "vendor_id"):
        high = "LowTotal" in meminfo
        system = "x86" if high or "lm" not in flags else None
        origin = "/proc/meminfo, lines that only 32-bit kernels write"
    draft.read("system.architecture", system, origin)
    draft.read("system.os_bits", _ARCHITECTURE_BITS.get(system or ""), origin)
    if flags and _first(cpuinfo, "vendor_id", "cpu family"):
        bits = 64 if "lm" in flags else 32
        from_flag = "/proc/cpuinfo, flag lm (long mode)" + ("" if bits == 64 else " missing")
        draft.read("processor.bits", bits, from_flag)
        draft.read("processor.architecture", "x86-64" if bits == 64 else "x86", from_flag)
    elif system in ("arm", "arm64"):
        number = _first(cpuinfo, "CPU architecture") or ""
        wide = system == "arm64" or number.startswith(("8", "9", "AArch64"))
        source_name = origin if system == "arm64" else "/proc/cpuinfo, CPU architecture"
        if wide or number:
            draft.read("processor.bits", 64 if wide else 32, source_name)
            draft.read("processor.architecture", "arm64" if wide else "arm", source_name)
    elif system:
        draft.read("processor.architecture", system, origin)
        draft.read("processor.bits", _ARCHITECTURE_BITS.get(system), origin)
    if system == "x86" and _addresses_extended(source, meminfo):
        draft.read(
            "memory.addressable", ADDRESSABLE_PAE, "a kernel with physical address extension"
        )
    if flags:
        draft.read(
            "system.virtual", "hypervisor" in flags, "/proc/cpuinfo, flag hypervisor"
        )  # fmt: skip


def _addresses_extended(source: Source, meminfo: str) -> bool:
    """Whether a 32-bit kernel shows physical address extension.

    Such a kernel maps memory in pieces of 2 MiB, another in pieces of 4 MiB; its name often says
    so; and only it manages more than 4 GiB.
    """
    release = (read_text(source, "proc/sys/kernel/osrelease") or "").lower()
    total = _kib(meminfo, "MemTotal") or 0
    return "DirectMap2M" in meminfo or total > 4 * GIB or bool(re.search(r"pae|bigmem", release))


def _processor(source: Source, draft: Draft, cpuinfo: list[dict[str, str]]) -> None:
    name = _first(cpuinfo, "model name", "cpu model", "cpu", "Processor")
    draft.read("processor.name", " ".join(name.split()) if name else None, "/proc/cpuinfo")
    flags = _first(cpuinfo, "flags", "Features")
    if flags is not None:
        every = [set((b.get("flags") or b.get("Features") or "").split()) for b in cpuinfo]
        shared = set.intersection(*(f for f in every if f)) if any(every) else set()
        draft.read("processor.instructions", from_flags(shared), "/proc/cpuinfo, flags")
    base = read_int(source, f"{_CPU}/cpu0/cpufreq/base_frequency")
    stated = re.search(r"@\s*([\d.]+\s*[GM]Hz)", name or "", re.IGNORECASE)
    nominal = read_int(source, f"{_CPU}/cpu0/acpi_cppc/nominal_freq")
    if base:
        draft.read("processor.clock", base * 1000, f"/{_CPU}/cpu0/cpufreq/base_frequency")
    elif stated:
        draft.read("processor.clock", parse_clock(stated[1]), "the processor's name")
    elif nominal:
        draft.read("processor.clock", nominal * 10**6, f"/{_CPU}/cpu0/acpi_cppc/nominal_freq")
    most = [
        khz
        for name in _cpu_folders(source)
        if (khz := read_int(source, f"{_CPU}/{name}/cpufreq/cpuinfo_max_freq"))
    ]
    if most:
        draft.read("processor.clock_most", max(most) * 1000, f"/{_CPU}/cpu*/cpufreq")


def _cpu_folders(source: Source) -> list[str]:
    return [name for name in source.names(_CPU) if re.fullmatch(r"cpu\d+", name)]


def online_processors(source: Source) -> list[int]:
    """The logical processors that the system runs."""
    online = parse_cpu_list(read_text(source, f"{_CPU}/online"))
    if online:
        return online
    return sorted(
        int(name[3:])
        for name in _cpu_folders(source)
        if read_int(source, f"{_CPU}/{name}/online") != 0
    )


def core_of(source: Source, cpu: int) -> str | None:
    """A text that is the same for all logical processors of one core, or None."""
    folder = f"{_CPU}/cpu{cpu}/topology"
    for name in ("core_cpus_list", "thread_siblings_list", "core_cpus", "thread_siblings"):
        siblings = read_text(source, f"{folder}/{name}")
        if siblings:
            return f"{name} {siblings}"
    core = read_int(source, f"{folder}/core_id")
    package = read_int(source, f"{folder}/physical_package_id")
    return None if core is None else f"{package} {core}"


def _topology(source: Source, draft: Draft, cpuinfo: list[dict[str, str]]) -> None:
    """Sockets, cores and threads: the topology files, with cpuinfo where they are missing."""
    online = online_processors(source)
    cores = [core_of(source, cpu) for cpu in online]
    if online and None not in cores:
        packages = {
            read_int(source, f"{_CPU}/cpu{cpu}/topology/physical_package_id") for cpu in online
        }
        origin = f"/{_CPU}/cpu*/topology"
        draft.read("processor.sockets", len(packages), origin)
        draft.read("processor.cores", len(set(cores)), origin)
        draft.read("processor.threads", len(online), f"/{_CPU}/online")
    else:
        _topology_from_cpuinfo(draft, cpuinfo, len(online))
    _switched_off(source, draft, online)


def _topology_from_cpuinfo(draft: Draft, cpuinfo: list[dict[str, str]], online: int) -> None:
    processors = [block for block in cpuinfo if block.get("processor", "").isdecimal()]
    threads = online or len(processors)
    origin = "/proc/cpuinfo"
    draft.read("processor.threads", threads or None, f"/{_CPU}/online" if online else origin)
    if not processors:
        return
    places = [(block.get("physical id"), block.get("core id")) for block in processors]
    if all(package is not None for package, _ in places):
        sockets = len({package for package, _ in places})
        draft.read("processor.sockets", sockets, origin)
        if all(core is not None for _, core in places):
            draft.read("processor.cores", len(set(places)), origin)
        elif (each := processors[0].get("cpu cores", "")).isdecimal():
            draft.read("processor.cores", int(each) * sockets, origin)
    elif len(processors) == 1:
        draft.read("processor.sockets", 1, origin)
        draft.read("processor.cores", 1, origin)


def _switched_off(source: Source, draft: Draft, online: list[int]) -> None:
    """Logical processors that are present and not online: a note, and how many cores they are."""
    present = parse_cpu_list(read_text(source, f"{_CPU}/present"))
    off = sorted(set(present) - set(online)) if online else []
    if not off:
        return
    control = read_text(source, f"{_CPU}/smt/control") or ""
    known = draft.machine.processor
    if control in ("off", "forceoff"):
        draft.note(
            f"{len(off)} threads are switched off with multithreading: more threads, not more cores"
        )
        draft.extra("threads_off", len(off))
        return
    each = max((known.threads or 1) // (known.cores or 1), 1)
    cores = -(-len(off) // each)
    draft.note(
        f"{len(off)} of {len(present)} logical processors are switched off "
        f"(about {cores} {'core' if cores == 1 else 'cores'}); they are not counted"
    )
    draft.extra("threads_off", len(off))
    draft.extra("cores_off", cores)


# --- memory and storage --------------------------------------------------------------------


def _kib(meminfo: str, key: str) -> int | None:
    match = re.search(rf"^{re.escape(key)}:\s*(\d{{1,15}})\s*kB", meminfo, re.MULTILINE)
    return int(match[1]) * 1024 if match else None


def _memory(source: Source, draft: Draft) -> None:
    meminfo = read_text(source, "proc/meminfo") or ""
    origin = "/proc/meminfo"
    draft.read("memory.usable", _kib(meminfo, "MemTotal"), f"{origin}, MemTotal")
    available = _kib(meminfo, "MemAvailable")
    if available is not None:
        draft.read("memory.available", available, f"{origin}, MemAvailable")
    else:
        # before Linux 3.14: free memory and what the caches would give back
        parts = [_kib(meminfo, key) for key in ("MemFree", "Buffers", "Cached", "SReclaimable")]
        if parts[0] is not None:
            draft.work_out(
                "memory.available", sum(part or 0 for part in parts), f"{origin}, free and caches"
            )
    total, free = _kib(meminfo, "SwapTotal"), _kib(meminfo, "SwapFree")
    draft.read("memory.swap", total, f"{origin}, SwapTotal")
    if total is not None and free is not None:
        draft.read("memory.swap_used", max(total - free, 0), f"{origin}, SwapTotal less SwapFree")


def _storage(source: Source, draft: Draft) -> None:
    volume = source.volume("/")
    if volume and volume[0]:
        size, free = volume
        entry = Volume(mount="/", size=size, free=free, system=True)
        draft.machine = structs.replace(draft.machine, storage=[entry])
        draft.origin("storage", "the file system at /")
