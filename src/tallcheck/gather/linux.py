"""Linux: ``/proc`` and ``/sys``, live or captured, into readings.

Sources: the kernel's own documentation, "The /proc Filesystem" and "Linux ABI description";
os-release(5).
"""

import re

from tallcheck.core.machine.amounts import ADDRESSABLE_LARGE, ADDRESSABLE_PAE, likely_fitted
from tallcheck.core.machine.entries import ReadingKey
from tallcheck.core.values.quantities import GIB
from tallcheck.gather.device_tree import read_device_tree
from tallcheck.gather.draft import Draft
from tallcheck.gather.firmware import read_firmware
from tallcheck.gather.linux_processor import read_processor
from tallcheck.gather.linux_rest import read_rest
from tallcheck.gather.source import Source, read_int, read_text


def is_linux(source: Source) -> bool:
    """Whether a source holds a Linux system's files."""
    return source.read("proc/meminfo") is not None or source.read("proc/cpuinfo") is not None


def read_linux(source: Source, draft: Draft, serials: bool) -> None:
    """Every reading that the system's files give, into the draft."""
    _system(source, draft)
    read_processor(source, draft)
    _memory(source, draft)
    _limits(source, draft)
    read_firmware(source, draft, serials)
    read_device_tree(source, draft)
    read_rest(source, draft)
    _container(source, draft)
    _own_group(source, draft)
    _load(source, draft)


def _system(source: Source, draft: Draft) -> None:
    kernel = re.match(r"\d+(?:\.\d+)*", read_text(source, "proc/sys/kernel/osrelease") or "")
    version = re.search(r"version (\d+(?:\.\d+)*)", read_text(source, "proc/version") or "")
    if kernel or version:
        found = kernel[0] if kernel else version[1] if version else ""
        draft.read("system.kernel", found, "/proc/sys/kernel/osrelease")
    for path in ("etc/os-release", "usr/lib/os-release"):
        release = _assignments(read_text(source, path) or "")
        if release:
            draft.read("system.os", release.get("NAME") or release.get("ID"), "/" + path)
            draft.read("system.os_version", release.get("VERSION_ID"), "/" + path)
            like = (release.get("ID", ""), *release.get("ID_LIKE", "").split())
            name = release.get("NAME") or release.get("ID") or ""
            draft.work_out(
                "system.family", draft.vocabulary.systems.family(name, like) or "linux", "/" + path
            )
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


def kib(meminfo: str, key: str) -> int | None:
    """A line of ``/proc/meminfo`` in bytes, or None."""
    match = re.search(rf"^{re.escape(key)}:\s*(\d{{1,15}})\s*kB", meminfo, re.MULTILINE)
    return int(match[1]) * 1024 if match else None


def _memory(source: Source, draft: Draft) -> None:
    meminfo = read_text(source, "proc/meminfo") or ""
    origin = "/proc/meminfo"
    draft.read("memory.usable", kib(meminfo, "MemTotal"), f"{origin}, MemTotal")
    available = kib(meminfo, "MemAvailable")
    if available is not None:
        draft.read("memory.available", available, f"{origin}, MemAvailable")
    else:
        # before Linux 3.14: free memory and what the caches would give back
        parts = [kib(meminfo, key) for key in ("MemFree", "Buffers", "Cached", "SReclaimable")]
        if parts[0] is not None:
            draft.work_out(
                "memory.available", sum(part or 0 for part in parts), f"{origin}, free and caches"
            )
    total, free = kib(meminfo, "SwapTotal"), kib(meminfo, "SwapFree")
    draft.read("memory.swap", total, f"{origin}, SwapTotal")
    if total is not None and free is not None:
        draft.read("memory.swap_used", max(total - free, 0), f"{origin}, SwapTotal less SwapFree")
    architecture = draft.machine.system.architecture
    if architecture == "x86" and _addresses_extended(source, meminfo):
        draft.read(
            "memory.addressable", ADDRESSABLE_PAE, "a kernel with physical address extension"
        )
    elif architecture == "arm" and _addresses_large(source, meminfo):
        draft.read("memory.addressable", ADDRESSABLE_LARGE, "a kernel with large addresses")


def _addresses_large(source: Source, meminfo: str) -> bool:
    """Whether a 32-bit Arm kernel has large physical addresses (40 bits, Armv7-A with LPAE)."""
    release = read_text(source, "proc/sys/kernel/osrelease") or read_text(source, "uname-r") or ""
    total = kib(meminfo, "MemTotal") or 0
    return "lpae" in release.lower() or release.strip().endswith("-v7l+") or total > 4 * GIB


def _addresses_extended(source: Source, meminfo: str) -> bool:
    """Whether a 32-bit kernel shows physical address extension.

    Such a kernel maps memory in pieces of 2 MiB, another in pieces of 4 MiB; its name often says
    so; and only it manages more than 4 GiB.
    """
    release = read_text(source, "proc/sys/kernel/osrelease") or read_text(source, "uname-r") or ""
    total = kib(meminfo, "MemTotal") or 0
    named = re.search(r"pae|bigmem", release.lower())
    return "DirectMap2M" in meminfo or total > 4 * GIB or bool(named)


def _limits(source: Source, draft: Draft) -> None:
    """Limits at the start that keep memory from the system, for the likely reason."""
    words = (read_text(source, "proc/cmdline") or "").split()
    for most in (_bytes(word.removeprefix("mem=")) for word in words if word.startswith("mem=")):
        # the last one counts, as it does for the kernel
        draft.read("memory.limit", most, "/proc/cmdline, mem=")
    limits = [word for word in words if re.match(r"(mem|memmap|hugepages|maxcpus|nr_cpus)=", word)]
    if limits:
        draft.limit = f"the kernel's command line has {' '.join(limits)}"
        draft.note(draft.limit)


def _bytes(text: str) -> int | None:
    """A size as the kernel's parameters have it, with K, M, G or T behind."""
    found = re.fullmatch(r"(\d{1,15})([KMGT]?)", text, re.IGNORECASE)
    if found is None:
        return None
    return int(found[1]) << 10 * " KMGT".index(found[2].upper() or " ")


_GROUPS = (
    ("sys/fs/cgroup/memory.max", "sys/fs/cgroup/memory.current"),
    ("sys/fs/cgroup/memory/memory.limit_in_bytes", "sys/fs/cgroup/memory/memory.usage_in_bytes"),
)
"""Limit and use of the control group at the root of what is seen: a container's, where set."""


_OF_THE_HOST: tuple[ReadingKey, ...] = (
    "memory.installed", "memory.modules", "memory.slots", "memory.ceiling",
)  # fmt: skip


def _set_on_the_host(draft: Draft, origin: str) -> None:
    """What is fitted is the host's, and another matter."""
    draft.read("system.virtual", True, origin)
    for key in _OF_THE_HOST:
        draft.forget(key)


def _container(source: Source, draft: Draft) -> None:
    """A container's limit: what it leaves is usable, and it is set on the host."""
    usable = draft.machine.memory.usable
    below, _ = _GROUPS[0]
    mounts = read_text(source, "proc/mounts") or ""
    if source.read(below) is not None or re.search(r"(?m)^lxcfs /proc/meminfo ", mounts):
        # the root group has no such file: here another one is the root of what is seen
        _set_on_the_host(draft, f"/{below}" if source.read(below) else "/proc/mounts")
    for path, used in _GROUPS:
        limit = read_int(source, path)
        if limit is None or not usable or not 0 < limit < usable:
            continue
        draft.note(
            f"a container's limit of {limit >> 20} MB holds here, below the {usable >> 20} MB of "
            "the host: it is set on the host"
        )
        _set_on_the_host(draft, f"/{path}")
        draft.work_out(
            "memory.installed", int(likely_fitted(usable, virtual=True)), "what its host has"
        )
        draft.read("memory.limit", limit, f"/{path}")
        draft.read("memory.usable", limit, f"/{path}")
        draft.forget("memory.available")
        current = read_int(source, used)
        if current is not None and current >= 0:
            draft.read("memory.available", max(limit - current, 0), f"/{used}")
        return


_OWN_GROUP = re.compile(
    r"(?m)^(?:0:(?P<all>)|\d+:(?:[\w=,]*,)?memory(?:,[\w=,]*)?):(/(?!\.\.)\S+)$"
)


def _own_group(source: Source, draft: Draft) -> None:
    """A limit of a group that this runs in, below the root: of the machine it says nothing."""
    usable = draft.machine.memory.usable or 0
    for found in _OWN_GROUP.finditer(read_text(source, "proc/self/cgroup") or ""):
        at_root, _ = _GROUPS[0 if found["all"] is not None else 1]
        root, _, name = at_root.rpartition("/")
        parts = found[2].strip("/").split("/")
        for count in range(1, len(parts) + 1):
            group = "/".join(parts[:count])
            limit = read_int(source, f"{root}/{group}/{name}")
            if limit is not None and 0 < limit < usable:
                draft.note(
                    f"gathered in the control group /{group}, whose programs get "
                    f"{limit >> 20} MB at most; it does not limit those outside of it"
                )


def _load(source: Source, draft: Draft) -> None:
    words = (read_text(source, "proc/loadavg") or "").split()
    if len(words) >= 3 and re.fullmatch(r"\d{1,6}\.\d+", words[2]):
        draft.extra("load_15min", float(words[2]))
