"""Windows: what the documented Win32 interfaces answer, into readings.

Pure decoders of the structures that `win32` hands back. Source: Microsoft's published descriptions
of these structures.
"""

import struct
from typing import Any

from tallcheck.core.machine.derive import BITS_OF
from tallcheck.core.machine.names import stated_clock
from tallcheck.core.machine.sheet import Cache, Graphics, Volume
from tallcheck.core.values.quantities import KIB, MIB, format_clock
from tallcheck.gather.cim import Cim, number, words
from tallcheck.gather.draft import Draft
from tallcheck.gather.firmware import iso_date, put_system
from tallcheck.gather.sampler import PAGE, Levels
from tallcheck.gather.source import Source

_MEMORY_STATUS = struct.Struct("<II7Q")  # MEMORYSTATUSEX
CALLS = "calls"
"""The folder of a source in which the interfaces' answers stand."""

_MACHINES = {0x014C: "x86", 0x8664: "x86-64", 0x01C4: "arm", 0xAA64: "arm64"}
ARCHITECTURES = {0: "x86", 5: "arm", 9: "x86-64", 12: "arm64"}
"""Processor architectures as SYSTEM_INFO and the class Win32_Processor number them."""
_CORE, _CACHE, _PACKAGE = 0, 2, 3  # LOGICAL_PROCESSOR_RELATIONSHIP
_CACHE_KINDS = {0: "", 1: "i", 2: "d"}
_FIRST_11 = 22000
"""The build from which a client system is Windows 11, whatever name the registry keeps."""
_CLIENT = 1  # wProductType
_REMOVABLE, _FIXED = 2, 3  # GetDriveTypeW
EXTERNAL_BUSES = frozenset({4, 7})
"""Buses of drives outside of a machine: IEEE 1394, USB (STORAGE_BUS_TYPE)."""
SOLID_BUSES = frozenset({12, 13, 17, 19})
"""Buses on which no drive spins: SD, MMC, NVMe, UFS."""
_CARD_BUSES = frozenset({12, 13})  # in a reader, or soldered to the board
# SCSI, ATA, RAID, SAS, SATA, NVMe, UFS
_INTERNAL_BUSES = frozenset({1, 2, 3, 8, 10, 11, 17, 18, 19})


def read_calls(source: Source, cim: Cim, draft: Draft) -> None:
    """Every other reading that the interfaces give and that the firmware's tables do not."""
    values = cim.table("registry")
    _system(source, values, draft)
    _memory(source, draft)
    _firmware(source, values, draft)
    _storage(source, draft)
    _graphics(source, cim, draft)


def _unpacked(source: Source, path: str, form: str) -> tuple[int, ...]:
    """The numbers of a structure; none where it is absent or too short."""
    data = source.read(path) or b""
    return struct.unpack_from(form, data) if len(data) >= struct.calcsize(form) else ()


# --- system --------------------------------------------------------------------------------


def _system(source: Source, values: dict[str, Any], draft: Draft) -> None:
    version = _unpacked(source, "calls/version", "<4I")
    product = (source.read("calls/version") or b"").ljust(284, b"\0")[282]
    build = version[3] if version else None
    if version:
        kernel = ".".join(map(str, version[1:4]))
        draft.read("system.kernel", kernel, "RtlGetVersion")
        draft.extra("os_build", str(build))
    if name := words(values, "ProductName"):
        said = draft.vocabulary.systems.said(name)
        release = said.version
        if said.name == "Windows" and release == "10" and product == _CLIENT:
            release = "11" if (build or 0) >= _FIRST_11 else "10"
        draft.read("system.os", said.name, "the registry, ProductName")
        draft.read("system.os_version", release, "the registry and the build")
        if said.edition:
            draft.extra("os_edition", said.edition)
        if display := words(values, "DisplayVersion"):
            draft.extra("os_release", display)
    built = _architecture(source)
    if built:
        draft.read("system.architecture", built, "IsWow64Process2")
        draft.read("system.os_bits", BITS_OF[built], "IsWow64Process2")
    put_system(words(values, "SystemManufacturer"), words(values, "SystemProductName"),
               "the registry, what firmware tells", draft)  # fmt: skip


def _architecture(source: Source) -> str | None:
    """What the running system is built for: the native machine, whatever this process is."""
    machines = _unpacked(source, "calls/machines", "<HH")
    if machines:
        return _MACHINES.get(machines[1])
    info = _unpacked(source, "calls/system-info", "<H")
    return ARCHITECTURES.get(info[0]) if info else None


# --- memory --------------------------------------------------------------------------------


def memory_levels(status: bytes, page_files: bytes) -> Levels | None:
    """Memory from a MEMORYSTATUSEX; swap from the page files, pairs of pages in all and in use.

    Where these are not told, swap is what the commit limit has beyond memory, which is rounded.
    """
    if len(status) < _MEMORY_STATUS.size:
        return None
    _, _, total, free, limit, left, *_ = _MEMORY_STATUS.unpack_from(status)
    if not total:
        return None
    if page_files:
        sizes = list(struct.iter_unpack("<QQ", page_files[: len(page_files) // 16 * 16]))
        swap, used = (sum(one[at] for one in sizes) * PAGE for at in (0, 1))
    else:
        swap = limit - total if limit - total >= MIB else 0
        used = max((limit - left) - (total - free), 0)
    return Levels(total, min(free, total), swap, min(used, swap))


def _memory(source: Source, draft: Draft) -> None:
    files = source.read("calls/page-files") or b""
    levels = memory_levels(source.read("calls/memory-status") or b"", files)
    if levels:
        origin = "GlobalMemoryStatusEx"
        told = "EnumPageFiles" if files else f"{origin}, the commit limit"
        draft.read("memory.usable", levels.memory_total, origin)
        draft.read("memory.available", levels.memory_available, origin)
        draft.read("memory.swap", levels.swap_total, told)
        draft.read("memory.swap_used", levels.swap_used, told)
    fitted = _unpacked(source, "calls/installed-memory", "<Q")
    # without a firmware table the call may hand back what is usable, which modules never come to
    whole = fitted and fitted[0] * KIB % (64 * MIB) == 0
    if whole and draft.machine.memory.installed is None:
        draft.read("memory.installed", fitted[0] * KIB, "GetPhysicallyInstalledSystemMemory")


# --- processor -----------------------------------------------------------------------------


def put_clock(name: str, mhz: int | None, origin: str, draft: Draft) -> None:
    """The nominal clock: what the system reports, or the name's where that reports a higher one."""
    named, clock = stated_clock(name), mhz * 10**6 if mhz else None
    if named is not None and clock and clock > 1.02 * named:
        draft.read("processor.clock", named, "the processor's name")
        draft.note(
            f"the system reports {format_clock(clock)} as the nominal clock, which is a "
            f"higher rating: {format_clock(named)} stands in the processor's name"
        )
    else:
        draft.read("processor.clock", clock, origin)


def read_processor(source: Source, cim: Cim, draft: Draft) -> None:
    """Names and counts, which the firmware's tables are held against."""
    values = cim.table("registry")
    origin = "the registry, CentralProcessor"
    name = words(values, "ProcessorNameString")
    draft.read("processor.name", name, origin)
    put_clock(name, number(values, "~MHz"), origin, draft)
    built = _architecture(source)
    if built and BITS_OF[built] == 64:
        draft.read("processor.architecture", built, "the system's architecture")
        draft.read("processor.bits", 64, "a 64-bit system runs")
    _topology(source.read("calls/logical-processors") or b"", draft)


def _records(data: bytes) -> list[tuple[int, bytes]]:
    """The relation and the rest of each record; what is cut off is left out."""
    found, at = [], 0
    while at + 8 <= len(data):
        relation, size = struct.unpack_from("<II", data, at)
        if size < 8 or at + size > len(data):
            break
        found.append((relation, data[at + 8 : at + size]))
        at += size
    return found


def _logical(body: bytes) -> int:
    """Logical processors in the groups of a record, whose masks are as wide as a pointer."""
    if len(body) < 24:
        return 0
    groups = struct.unpack_from("<H", body, 22)[0]
    each = (len(body) - 24) // groups if groups else 0
    masks = (body[24 + at * each :][: each - 8] for at in range(groups))
    return sum(int.from_bytes(mask, "little").bit_count() for mask in masks)


def _topology(data: bytes, draft: Draft) -> None:
    origin = "GetLogicalProcessorInformationEx"
    records = _records(data)
    cores = [body for relation, body in records if relation == _CORE]
    if not cores:
        return
    threads = sum(map(_logical, cores))
    draft.read("processor.cores", len(cores), origin)
    draft.read("processor.threads", threads or None, origin)
    packages = sum(relation == _PACKAGE for relation, _ in records)
    draft.read("processor.sockets", packages or None, origin)
    kinds = [body[1] for body in cores if len(body) > 1]
    if len(set(kinds)) > 1:
        fast = kinds.count(max(kinds))
        by_kind = {"performance": fast, "efficiency": len(kinds) - fast}
        draft.read("processor.cores_by_kind", by_kind, origin)
    caches: dict[str, Cache] = {}
    for relation, body in records:
        if relation != _CACHE or len(body) < 12:
            continue
        level, _, _, size, kind = struct.unpack_from("<BBHII", body)
        if kind in _CACHE_KINDS and size:
            known = caches.get(name := f"L{level}{_CACHE_KINDS[kind]}", Cache(0, 0))
            caches[name] = Cache(max(known.size or 0, size), (known.count or 0) + 1)
    if caches:
        draft.read("processor.caches", dict(sorted(caches.items())), origin)


# --- firmware ------------------------------------------------------------------------------


def _firmware(source: Source, values: dict[str, Any], draft: Draft) -> None:
    mode = _unpacked(source, "calls/firmware-type", "<I")
    if mode:
        draft.read("firmware.mode", {1: "bios", 2: "uefi"}.get(mode[0]), "GetFirmwareType")
    if draft.machine.firmware.version is None:
        draft.read("firmware.version", words(values, "BIOSVersion"), "the registry")
        draft.read("firmware.date", iso_date(words(values, "BIOSReleaseDate")), "the registry")
    module = _unpacked(source, "calls/security-module", "<II")
    if module:
        version = {(0, 0): "none", (1, 1): "1.2", (1, 2): "2.0"}.get((module[0], module[1]))
        draft.read("firmware.security_module", version, "Tbsi_GetDeviceInfo")


# --- storage and graphics ------------------------------------------------------------------


def _storage(source: Source, draft: Draft) -> None:
    system = (source.read("calls/system-drive") or b"").decode("ascii", "replace")[:1].upper()
    found = []
    for letter in source.names("calls/volumes"):
        path = f"calls/volumes/{letter}"
        kind = _unpacked(source, f"{path}/kind", "<B")
        space = _unpacked(source, f"{path}/space", "<QQ")
        if not kind or kind[0] not in (_REMOVABLE, _FIXED) or not space:
            continue
        bus = _unpacked(source, f"{path}/device", "<28xI")
        seeks = _unpacked(source, f"{path}/seek", "<8xB")
        drive = _unpacked(source, f"{path}/geometry", "<24xQ")
        outside = kind[0] == _REMOVABLE or (bus[0] in EXTERNAL_BUSES if bus else None)
        if not outside and not (bus and bus[0] in _INTERNAL_BUSES):
            own = letter == system and bool(bus) and bus[0] in _CARD_BUSES
            outside = False if own else None
        found.append(
            Volume(
                mount=f"{letter}:", size=space[0], free=space[1],
                drive=drive[0] if drive and drive[0] >= space[0] else None,
                system=letter == system if system else None,
                kind="solid" if bus and bus[0] in SOLID_BUSES
                else ("spinning" if seeks[0] else "solid") if seeks else None,
                external=outside,
            )
        )  # fmt: skip
    if found:
        draft.storage(found, "GetDiskFreeSpaceEx and the drives' descriptors")


def _graphics(source: Source, cim: Cim, draft: Draft) -> None:
    displays, adapters = cim.objects("displays") or [], cim.objects("adapters") or []
    names = [words(one, "DriverDesc") for one in adapters]
    sizes = [
        number(one, "HardwareInformation.qwMemorySize")
        or number(one, "HardwareInformation.MemorySize") or None
        for one in adapters
    ]  # fmt: skip
    shown = {words(one, "name"): one for one in displays}
    if not names:
        names, sizes = list(shown), [None] * len(shown)
    first = next((words(one, "name") for one in displays if one.get("first")), None)
    newest = source.read("calls/direct3d-12") is not None
    found = []
    for name, size in zip(names, sizes, strict=True):
        api = {}
        model = number(shown.get(name, {}), "model")
        if model and model >= 1000:
            api["wddm"] = f"{model // 1000}.{model // 100 % 10}"
        if newest and name == first and names.count(name) == 1:
            api["d3d"] = "12"
        found.append(Graphics(draft.clean(name) or None, size, api or None))
    if found:
        draft.graphics(found, "the registry's display adapters, and what the driver tells")
    for one in displays:
        width, height = number(one, "width"), number(one, "height")
        if one.get("first") and width and height and max(width, height) < 10**6:
            draft.read("display", f"{width}x{height}", "EnumDisplaySettings")
