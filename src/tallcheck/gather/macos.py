"""macOS: what ``sysctl``, ``vm_stat``, ``sw_vers`` and ``df`` print, into readings.

Sources: sysctl(3), vm_stat(1) and sw_vers(1) of the system.
"""

import re
from collections.abc import Callable

from tallcheck.core.machine.derive import BITS_OF
from tallcheck.core.machine.entries import ReadingKey
from tallcheck.core.machine.instructions import from_flags
from tallcheck.core.machine.sheet import Cache, Volume
from tallcheck.core.values.quantities import MIB
from tallcheck.gather.draft import Draft, volume_name
from tallcheck.gather.source import Captured, Source, parse_df, read_text
from tallcheck.gather.sysctl import Sysctl, ask, values_in

_SHAPES = {
    "MacBook": "notebook", "Macmini": "mini", "iMac": "all-in-one", "MacPro": "tower",
    "Xserve": "server",
}  # fmt: skip
_MACHINES = {"arm64": "arm64", "x86_64": "x86-64", "i386": "x86"}
_ARM_FLAGS = {
    "hw.optional.AdvSIMD": "asimd", "hw.optional.floatingpoint": "fp",
    "hw.optional.armv8_crc32": "crc32", "hw.optional.armv8_1_atomics": "atomics",
    "hw.optional.arm.FEAT_AES": "aes", "hw.optional.arm.FEAT_PMULL": "pmull",
    "hw.optional.arm.FEAT_SHA1": "sha1", "hw.optional.arm.FEAT_SHA256": "sha2",
    "hw.optional.arm.FEAT_SHA3": "sha3", "hw.optional.arm.FEAT_DotProd": "asimddp",
    "hw.optional.arm.FEAT_LSE": "atomics", "hw.optional.arm.FEAT_BF16": "bf16",
    "hw.optional.arm.FEAT_I8MM": "i8mm", "hw.optional.arm.FEAT_SME": "sme",
}  # fmt: skip


def is_macos(source: Source) -> bool:
    """Whether a source holds a macOS capture: of another system that has sysctl it is none."""
    if source.read("sw_vers.txt") is not None:
        return True
    kernel = values_in(read_text(source, "sysctl.txt") or "")
    return "hw.memsize" in kernel or kernel.get("kern.ostype") == "Darwin"


def read_macos(source: Source, draft: Draft) -> None:
    """Every reading that a macOS capture gives; modules stay unknown there."""
    sysctl = Sysctl(read_text(source, "sysctl.txt") or "")
    _system(source, sysctl, draft)
    _processor(sysctl, draft)
    _memory(source, sysctl, draft)
    _storage(source, draft)
    draft.programs(read_text(source, "programs"), "the folder of applications")


def _system(source: Source, sysctl: Sysctl, draft: Draft) -> None:
    versions = values_in(read_text(source, "sw_vers.txt") or "")
    if name := versions.get("ProductName"):
        draft.read("system.os", name, "sw_vers")
    else:
        draft.work_out("system.os", "macOS", "the names that sysctl has there")
    version, kernel = versions.get("ProductVersion"), sysctl.text("kern.osproductversion")
    origin = "sw_vers" if version else "sysctl kern.osproductversion"
    draft.read("system.os_version", version or kernel, origin)
    model = sysctl.text("hw.model")
    draft.read("system.model", model, "sysctl hw.model")
    if model:
        draft.read("system.virtual", model.startswith("VirtualMac"), "sysctl hw.model")
        shape = next((s for prefix, s in _SHAPES.items() if model.startswith(prefix)), None)
        draft.read("system.shape", shape, "sysctl hw.model")


def _processor(sysctl: Sysctl, draft: Draft) -> None:
    draft.read("processor.name", sysctl.text("machdep.cpu.brand_string"), "sysctl")
    counted: tuple[tuple[ReadingKey, str], ...] = (
        ("processor.cores", "hw.physicalcpu"), ("processor.threads", "hw.logicalcpu"),
        ("processor.sockets", "hw.packages"), ("processor.clock", "hw.cpufrequency"),
        ("processor.clock_most", "hw.cpufrequency_max"),
    )  # fmt: skip
    for key, name in counted:
        draft.read(key, sysctl.number(name) or None, f"sysctl {name}")
    arm = sysctl.number("hw.optional.arm64") == 1
    wide = arm or sysctl.number("hw.cpu64bit_capable") == 1
    if arm or sysctl.number("hw.cpu64bit_capable") is not None:
        origin = "sysctl hw.optional.arm64" if arm else "sysctl hw.cpu64bit_capable"
        draft.read("processor.bits", 64 if wide else 32, origin)
        architecture = "arm64" if arm else ("x86-64" if wide else "x86")
        draft.read("processor.architecture", architecture, origin)
    # to a translated program the kernel tells the other machine's name
    built = "arm64" if arm else _MACHINES.get(sysctl.text("hw.machine") or "")
    draft.read("system.architecture", built, "sysctl hw.machine")
    draft.read("system.os_bits", BITS_OF[built] if built else None, "sysctl hw.machine")
    kinds = {
        kind: count
        for kind, level in (("performance", 0), ("efficiency", 1))
        if (count := sysctl.number(f"hw.perflevel{level}.physicalcpu"))
    }
    if len(kinds) > 1:
        draft.read("processor.cores_by_kind", kinds, "sysctl hw.perflevel*")
    caches = {
        level: Cache(size, None)
        for level, name in (("L1d", "l1dcachesize"), ("L2", "l2cachesize"), ("L3", "l3cachesize"))
        if (size := sysctl.number(f"hw.{name}"))
    }
    if caches:
        draft.read("processor.caches", caches, "sysctl hw.*cachesize")
    _instructions(sysctl, draft, arm)
    if sysctl.number("kern.hv_support") == 1:
        draft.read("processor.virtualization", "on", "sysctl kern.hv_support")


def _instructions(sysctl: Sysctl, draft: Draft, arm: bool) -> None:
    if arm:
        flags = [flag for key, flag in _ARM_FLAGS.items() if sysctl.number(key) == 1]
        if flags:
            draft.work_out("processor.instructions", from_flags(flags), "sysctl hw.optional")
        return
    lists = [
        sysctl.text(f"machdep.cpu.{name}") for name in ("features", "leaf7_features", "extfeatures")
    ]
    words = " ".join(one for one in lists if one).replace("AVX1.0", "AVX").split()
    if words and all(lists):
        draft.read("processor.instructions", from_flags(words), "sysctl machdep.cpu")
    elif words:
        draft.work_out("processor.instructions", from_flags(words), "sysctl, a partial list")


def _memory(source: Source, sysctl: Sysctl, draft: Draft) -> None:
    draft.read("memory.installed", sysctl.number("hw.memsize") or None, "sysctl hw.memsize")
    usable = sysctl.number("hw.memsize_usable")
    draft.read("memory.usable", usable or None, "sysctl hw.memsize_usable")
    available = available_memory(parse_vm_stat(read_text(source, "vm_stat.txt") or ""))
    draft.work_out("memory.available", available, "vm_stat: free and what is given back")
    swap = parse_swap_usage(sysctl.text("vm.swapusage") or "")
    draft.read("memory.swap", swap.get("total"), "sysctl vm.swapusage")
    draft.read("memory.swap_used", swap.get("used"), "sysctl vm.swapusage")


_GIVEN_BACK = ("free", "inactive", "speculative", "purgeable")


def parse_vm_stat(text: str) -> dict[str, int]:
    """The counts of ``vm_stat`` by name in lower case, in bytes."""
    size = re.search(r"page size of (\d{1,6}) bytes", text)
    page = int(size[1]) if size else 0
    lines = re.finditer(r'^"?(?:Pages )?([\w -]+?)"?:\s+(\d{1,15})\.?$', text, re.M)
    return {match[1].lower(): int(match[2]) * page for match in lines} if page else {}


def available_memory(pages: dict[str, int]) -> int | None:
    """Bytes that are free or given back on demand; None where ``vm_stat`` did not tell."""
    return sum(pages.get(name, 0) for name in _GIVEN_BACK) if "free" in pages else None


def parse_swap_usage(text: str) -> dict[str, int]:
    """``total`` and ``used`` of ``vm.swapusage`` in bytes."""
    found = re.finditer(r"(total|used) = (\d{1,9}(?:\.\d{1,2})?)M", text)
    return {match[1]: round(float(match[2]) * MIB) for match in found}


def _storage(source: Source, draft: Draft) -> None:
    sizes = parse_df(source.read("df.txt") or b"")
    # the system's own volume is sealed; what people fill lies beside it in the same container
    free = sizes.get("/System/Volumes/Data", sizes.get("/", (0, 0)))[1]
    volumes = [
        Volume(mount=volume_name(mount), size=size, free=free if mount == "/" else left,
               system=mount == "/", external=mount.startswith("/Volumes/"))
        for mount, (size, left) in sizes.items()
        if mount == "/" or mount.startswith("/Volumes/")
    ]  # fmt: skip
    if volumes:
        draft.storage(volumes, "df")


def ask_macos(when: str, ask: Callable[[list[str]], bytes] = ask) -> Captured:
    """The files of a macOS capture, asked of the running system at a moment (RFC 3339)."""
    questions = {
        "sysctl.txt": ["/usr/sbin/sysctl", "hw", "machdep.cpu", "vm.swapusage",
                       "kern.osproductversion", "kern.hv_support"],
        "vm_stat.txt": ["/usr/bin/vm_stat"],
        "sw_vers.txt": ["/usr/bin/sw_vers"],
        "df.txt": ["/bin/df", "-P", "-k"],
    }  # fmt: skip
    found = {"gathered": when.encode(), **{n: ask(words) for n, words in questions.items()}}
    return Captured({name: data for name, data in found.items() if data})
