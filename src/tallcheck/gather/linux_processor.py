"""Linux: the processor, from ``/proc/cpuinfo`` and ``/sys/devices/system/cpu``.

Sources: the kernel's own documentation, "Linux ABI description (sysfs-devices-system-cpu)";
Arm's Main ID Register for the names of arm64 parts.
"""

import re

from tallcheck.core.machine.derive import BY_NAME
from tallcheck.core.machine.instructions import LEVELS, enabled, from_flags
from tallcheck.core.machine.names import stated_clock
from tallcheck.core.machine.sheet import ARCHITECTURES, Cache
from tallcheck.core.values.quantities import KIB, MIB
from tallcheck.gather.draft import Draft
from tallcheck.gather.source import ABSENT, THERE, Source, parse_cpu_list, read_int, read_text

CPU = "sys/devices/system/cpu"

_MACHINES = {
    "x86_64": "x86-64", "amd64": "x86-64", "aarch64": "arm64", "arm64": "arm64",
}  # fmt: skip
_ARCHITECTURE_BITS = {
    "x86": 32, "x86-64": 64, "arm": 32, "arm64": 64, "riscv64": 64, "ppc64le": 64, "ppc64": 64,
    "s390x": 64, "loongarch64": 64, "mips64": 64, "mips": 32, "ppc": 32, "riscv32": 32,
}  # fmt: skip

# implementer and part of the Main ID Register
_ARM_PARTS = {
    "0x41": ("ARM", {
        "0xd03": "Cortex-A53", "0xd04": "Cortex-A35", "0xd05": "Cortex-A55", "0xd07": "Cortex-A57",
        "0xd08": "Cortex-A72", "0xd09": "Cortex-A73", "0xd0a": "Cortex-A75", "0xd0b": "Cortex-A76",
        "0xd0c": "Neoverse N1", "0xd0d": "Cortex-A77", "0xd40": "Neoverse V1",
        "0xd41": "Cortex-A78", "0xd46": "Cortex-A510", "0xd47": "Cortex-A710",
        "0xd48": "Cortex-X2", "0xd49": "Neoverse N2", "0xd4d": "Cortex-A715",
        "0xd4f": "Neoverse V2", "0xc07": "Cortex-A7", "0xc08": "Cortex-A8", "0xc09": "Cortex-A9",
        "0xc0f": "Cortex-A15", "0xb76": "ARM1176",
    }),
    "0x61": ("Apple", {"0x022": "M1", "0x023": "M1", "0x032": "M2", "0x033": "M2"}),
}  # fmt: skip


def read_processor(source: Source, draft: Draft) -> None:
    """Every reading of the processor and of the bits of the running system."""
    cpuinfo = parse_cpuinfo(read_text(source, "proc/cpuinfo") or "")
    _bits(source, draft, cpuinfo)
    _names(source, draft, cpuinfo)
    _instructions(draft, cpuinfo)
    _clocks(source, draft)
    _topology(source, draft, cpuinfo)
    _kinds(source, draft)
    _caches(source, draft)
    _virtualization(source, draft, cpuinfo)


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


# --- bits: the processor's and the running system's ----------------------------------------


def architecture_of(machine: str | None) -> str | None:
    """An architecture's standard name from what ``uname -m`` prints."""
    if not machine:
        return None
    if re.fullmatch(r"i[3-6]86|x86", machine):
        return "x86"
    if re.match(r"armv[4-8]", machine):
        return "arm"
    found = _MACHINES.get(machine, machine)
    return found if found in ARCHITECTURES else None


def _system_architecture(
    source: Source, cpuinfo: list[dict[str, str]], flags: list[str]
) -> tuple[str | None, str]:
    """What the running kernel is built for, and how that is known."""
    if _first(cpuinfo, "fdiv_bug"):
        return "x86", "/proc/cpuinfo, a line that only 32-bit kernels write"
    # the kernel's own word first: what uname prints can be changed for one program
    for path, origin in (
        ("proc/sys/kernel/arch", "/proc/sys/kernel/arch"), ("uname-m", "uname -m")
    ):  # fmt: skip
        found = architecture_of(read_text(source, path))
        if found:
            return found, origin
    meminfo = read_text(source, "proc/meminfo") or ""
    if flags and _first(cpuinfo, "vendor_id"):
        if "lm" not in flags:
            return "x86", "/proc/cpuinfo, a processor without 64 bits"
        if "LowTotal" in meminfo:
            return "x86", "/proc/meminfo, lines that only 32-bit kernels write"
        if "DirectMap" in meminfo:
            return "x86-64", "/proc/meminfo and /proc/cpuinfo"
    return None, ""


_XEN = "proc/xen/capabilities"
_NARROW_V8 = "0xd01"
"""The one design of Arm's eighth architecture that has no 64 bits."""


def _is_wide_part(cpuinfo: list[dict[str, str]]) -> bool:
    """Whether a processor of Arm's own is of 64 bits by its part number, whatever kernel runs.

    Main ID Register: part numbers from 0xd00 on are of the eighth architecture and later.
    """
    parts = [(one.get("CPU implementer", "").lower(), one.get("CPU part", "").lower())
             for one in cpuinfo]  # fmt: skip
    return any(
        maker == "0x41" and re.fullmatch(r"0xd[0-9a-f]{2}", part) and part != _NARROW_V8
        for maker, part in parts
    )


def _bits(source: Source, draft: Draft, cpuinfo: list[dict[str, str]]) -> None:
    flags = (_first(cpuinfo, "flags") or "").split()
    system, origin = _system_architecture(source, cpuinfo, flags)
    draft.read("system.architecture", system, origin)
    draft.read("system.os_bits", _ARCHITECTURE_BITS.get(system or ""), origin)
    if flags and _first(cpuinfo, "vendor_id", "cpu family"):
        bits = 64 if "lm" in flags else 32
        from_flag = "/proc/cpuinfo, flag lm (long mode)" + ("" if bits == 64 else " missing")
        draft.read("processor.bits", bits, from_flag)
        draft.read("processor.architecture", "x86-64" if bits == 64 else "x86", from_flag)
        draft.read("system.virtual", "hypervisor" in flags, "/proc/cpuinfo, flag hypervisor")
        if "control_d" in (read_text(source, _XEN) or ""):
            # the domain that controls the machine has all of its firmware
            draft.read("system.virtual", False, f"/{_XEN}, control_d")
    elif system in ("arm", "arm64"):
        number = _first(cpuinfo, "CPU architecture") or ""
        part = _is_wide_part(cpuinfo)
        wide = part or system == "arm64" or number.startswith(("8", "9", "AArch64"))
        if wide or number:
            from_number = origin if system == "arm64" else "/proc/cpuinfo, CPU architecture"
            from_number = "/proc/cpuinfo, CPU part" if part and system == "arm" else from_number
            draft.read("processor.bits", 64 if wide else 32, from_number)
            draft.read("processor.architecture", "arm64" if wide else "arm", from_number)
    elif system:
        draft.read("processor.architecture", system, origin)
        draft.read("processor.bits", _ARCHITECTURE_BITS.get(system), origin)


# --- name, generation, clock, instruction sets ---------------------------------------------


def _names(source: Source, draft: Draft, cpuinfo: list[dict[str, str]]) -> None:
    name = _first(cpuinfo, "model name", "cpu model", "cpu", "Processor")
    if name is None:
        name = _arm_name(cpuinfo)
    draft.read("processor.name", " ".join(name.split()) if name else None, "/proc/cpuinfo")


def _arm_name(cpuinfo: list[dict[str, str]]) -> str | None:
    """The distinct parts of an Arm processor, most capable last in the tables, named."""
    found: dict[str, None] = {}
    for block in cpuinfo:
        maker, parts = _ARM_PARTS.get(block.get("CPU implementer", "").lower(), ("", {}))
        part = parts.get(block.get("CPU part", "").lower())
        if part:
            found[f"{maker} {part}"] = None
    return " + ".join(found) or None


def _instructions(draft: Draft, cpuinfo: list[dict[str, str]]) -> None:
    listed = [block.get("flags") or block.get("Features") or "" for block in cpuinfo]
    every = [set(flags.split()) for flags in listed if flags]
    if not every:
        return
    shared = set.intersection(*every)
    found = from_flags(shared)
    draft.read("processor.instructions", found, "/proc/cpuinfo, flags")
    named = draft.vocabulary.processors.named(draft.machine.processor.name or "")
    level = named.level if named is not None else None
    if level:
        # the maker's line has these sets; what is missing is kept from the system
        there = enabled(found, draft.machine.processor.bits)
        hidden = [
            name for name in LEVELS[level] if name not in there and name not in ("OSXSAVE", "SCE")
        ]
        if hidden:
            draft.work_out("processor.hidden", hidden, BY_NAME)
            draft.note(
                f"the processor has {', '.join(hidden)}, but the system or the host does not "
                "offer it"
            )


def _clocks(source: Source, draft: Draft) -> None:
    """Nominal and highest clock; what cpuinfo calls MHz is the clock of the moment."""
    name = draft.machine.processor.name or ""
    base = read_int(source, f"{CPU}/cpu0/cpufreq/base_frequency")
    stated = stated_clock(name)
    nominal = read_int(source, f"{CPU}/cpu0/acpi_cppc/nominal_freq")
    if base and base > 0:
        draft.read("processor.clock", base * 1000, f"/{CPU}/cpu0/cpufreq/base_frequency")
    elif stated is not None:
        draft.read("processor.clock", stated, "the processor's name")
    elif nominal and nominal > 0:
        draft.read("processor.clock", nominal * 10**6, f"/{CPU}/cpu0/acpi_cppc/nominal_freq")
    most = [
        khz
        for folder in _cpu_folders(source)
        if (khz := read_int(source, f"{CPU}/{folder}/cpufreq/cpuinfo_max_freq")) and khz > 0
    ]
    if most:
        draft.read("processor.clock_most", max(most) * 1000, f"/{CPU}/cpu*/cpufreq")


# --- sockets, cores, threads ---------------------------------------------------------------


def _cpu_folders(source: Source) -> list[str]:
    return [name for name in source.names(CPU) if re.fullmatch(r"cpu\d+", name)]


def online_processors(source: Source) -> list[int]:
    """The logical processors that the system runs."""
    online = parse_cpu_list(read_text(source, f"{CPU}/online"))
    if online:
        return online
    return sorted(
        int(name[3:])
        for name in _cpu_folders(source)
        if read_int(source, f"{CPU}/{name}/online") != 0
    )


def _core_of(source: Source, cpu: int) -> str | None:
    """A text that is the same for all logical processors of one core, or None."""
    folder = f"{CPU}/cpu{cpu}/topology"
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
    cores = [_core_of(source, cpu) for cpu in online]
    if online and None not in cores:
        packages = {
            read_int(source, f"{CPU}/cpu{cpu}/topology/physical_package_id") for cpu in online
        }
        origin = f"/{CPU}/cpu*/topology"
        told = None not in packages
        if told and (len(packages) == 1 or not _numbers_clusters(source, draft)):
            draft.read("processor.sockets", len(packages), origin)
        draft.read("processor.cores", len(set(cores)), origin)
        draft.read("processor.threads", len(online), f"/{CPU}/online")
    else:
        _topology_from_cpuinfo(draft, cpuinfo, len(online))
    _switched_off(source, draft, online)


def _numbers_clusters(source: Source, draft: Draft) -> bool:
    """Whether what is numbered as packages may be clusters of one chip.

    So did kernels before Linux 6 for Arm, where no firmware table says what the packages are.
    """
    arm = (draft.machine.system.architecture or "").startswith("arm")
    return arm and source.state("sys/firmware/acpi/tables") != THERE


def _topology_from_cpuinfo(draft: Draft, cpuinfo: list[dict[str, str]], online: int) -> None:
    processors = [block for block in cpuinfo if block.get("processor", "").isdecimal()]
    threads = online or len(processors)
    origin = "/proc/cpuinfo"
    draft.read("processor.threads", threads or None, f"/{CPU}/online" if online else origin)
    if not processors:
        return
    places = [(block.get("physical id"), block.get("core id")) for block in processors]
    if all(package is not None for package, _ in places):
        told = {block["physical id"]: block.get("cpu cores", "") for block in processors}
        draft.read("processor.sockets", len(told), origin)
        # of each package, what runs of it
        counts = [int(each) for each in told.values() if each.isdecimal() and len(each) < 6]
        counted = sum(counts) if len(counts) == len(told) else 0
        if all(core is not None for _, core in places):
            # core numbers repeat in the dies of one package
            repeat = len(set(places)) < counted <= len(processors)
            draft.read("processor.cores", counted if repeat else len(set(places)), origin)
        elif counted:
            draft.read("processor.cores", counted, origin)
    elif len(processors) == 1:
        draft.read("processor.sockets", 1, origin)
        draft.read("processor.cores", 1, origin)


def _switched_off(source: Source, draft: Draft, online: list[int]) -> None:
    """Logical processors that are present and not online: a note, and how many cores they are."""
    present = parse_cpu_list(read_text(source, f"{CPU}/present"))
    off = sorted(set(present) - set(online)) if online else []
    if not off:
        return
    known = draft.machine.processor
    draft.extra("threads_off", len(off))
    if (read_text(source, f"{CPU}/smt/control") or "") in ("off", "forceoff"):
        draft.note(
            f"{len(off)} threads are switched off with multithreading: more threads, not more cores"
        )
        return
    each = max((known.threads or 1) // (known.cores or 1), 1)
    cores = -(-len(off) // each)
    draft.note(
        f"{len(off)} of {len(present)} logical processors are switched off "
        f"(about {cores} {'core' if cores == 1 else 'cores'}); they are not counted"
    )
    draft.extra("cores_off", cores)


def _kinds(source: Source, draft: Draft) -> None:
    """Hybrid processors: how many cores of each kind."""
    online = online_processors(source)
    kinds: dict[str, set[str | None]] = {}
    for folder, kind in (("cpu_core", "performance"), ("cpu_atom", "efficiency")):
        cpus = parse_cpu_list(read_text(source, f"sys/devices/{folder}/cpus"))
        if cpus:
            kinds[kind] = {_core_of(source, cpu) for cpu in cpus if cpu in online}
    origin = "/sys/devices/cpu_core and cpu_atom"
    if not kinds:
        origin = f"/{CPU}/cpu*/cpu_capacity"
        capacities = {cpu: read_int(source, f"{CPU}/cpu{cpu}/cpu_capacity") for cpu in online}
        steps = sorted({c for c in capacities.values() if c is not None}, reverse=True)
        names = {2: ("performance", "efficiency"), 3: ("performance", "middle", "efficiency")}
        for step, kind in zip(steps, names.get(len(steps), ()), strict=False):
            kinds[kind] = {_core_of(source, cpu) for cpu in online if capacities[cpu] == step}
    if len(kinds) > 1 and not any(None in cores for cores in kinds.values()):
        counts = {kind: len(cores) for kind, cores in kinds.items() if cores}
        draft.read("processor.cores_by_kind", counts, origin)


_CACHE_KINDS = {"Data": "d", "Instruction": "i", "Unified": ""}


def _caches(source: Source, draft: Draft) -> None:
    """Each cache level: the size of one, and how many there are."""
    found: dict[str, tuple[int | None, set[str]]] = {}
    for cpu in online_processors(source):
        folder = f"{CPU}/cpu{cpu}/cache"
        for index in source.names(folder):
            level = read_int(source, f"{folder}/{index}/level")
            kind = _CACHE_KINDS.get(read_text(source, f"{folder}/{index}/type") or "")
            if not level or kind is None:
                continue
            size = _cache_size(read_text(source, f"{folder}/{index}/size"))
            shared = read_text(source, f"{folder}/{index}/shared_cpu_list") or str(cpu)
            known, sharers = found.get(f"L{level}{kind}", (None, set()))
            found[f"L{level}{kind}"] = (max(size or 0, known or 0) or None, {*sharers, shared})
    if found:
        caches = {name: Cache(size, len(shared)) for name, (size, shared) in sorted(found.items())}
        draft.read("processor.caches", caches, f"/{CPU}/cpu*/cache")


def _cache_size(text: str | None) -> int | None:
    match = re.fullmatch(r"(\d{1,9})([KM])", text or "")
    return int(match[1]) * (KIB if match[2] == "K" else MIB) if match else None


def _virtualization(source: Source, draft: Draft, cpuinfo: list[dict[str, str]]) -> None:
    """Whether the processor can host virtual machines, and whether that is switched on."""
    flags = (_first(cpuinfo, "flags") or "").split()
    if not {"vmx", "svm"} & set(flags):
        return  # switched off in the firmware looks like not there: unknown
    modules = read_text(source, "proc/modules") or ""
    on = source.state("dev/kvm") == THERE or re.search(r"^kvm_(intel|amd) ", modules, re.M)
    state = "on" if on else "able"
    if not on and source.state("dev/kvm") == ABSENT:
        draft.note("virtualization: the processor can; no device for it is there yet")
    draft.read("processor.virtualization", state, "/proc/cpuinfo, flags; /dev/kvm")
