"""Windows: CIM classes as JSON, the raw firmware table and processor features, into readings.

Sources: the published descriptions of the CIM classes Win32_*; of the numbers that
IsProcessorFeaturePresent takes; of the header before the raw firmware table.
"""

import re
from typing import Any, Literal

from tallcheck.core.machine.entries import ReadingKey
from tallcheck.core.machine.locators import channel_of
from tallcheck.core.machine.modules import CIM_FORMS, TYPES
from tallcheck.core.machine.sheet import Cache, Graphics, Module, Program, Volume
from tallcheck.core.values.plain import whole_number
from tallcheck.core.values.quantities import GIB, KIB, MIB
from tallcheck.gather.cim import Cim, cim_date, number, text, unwrapped, words
from tallcheck.gather.draft import Draft
from tallcheck.gather.firmware import compare_memory, is_virtual, put_system, put_tables
from tallcheck.gather.listed import as_positions
from tallcheck.gather.smbios import SHAPES, decode, split_system_table
from tallcheck.gather.source import Source
from tallcheck.gather.windows_calls import (
    ARCHITECTURES,
    CALLS,
    EXTERNAL_BUSES,
    SOLID_BUSES,
    put_clock,
    read_calls,
    read_processor,
)

_SOLDERED = {9, 14, 21, 22}
_OLD_TYPES = {
    4: "cache DRAM", 7: "VRAM", 10: "ROM", 11: "FLASH", 12: "EEPROM", 13: "FEPROM", 14: "EPROM",
    20: "DDR", 21: "DDR2", 22: "DDR2 FB-DIMM", 24: "DDR3", 25: "FBD2", 26: "DDR4",
}  # fmt: skip
_BUILT = {
    ("x86-64", 64): "x86-64", ("x86-64", 32): "x86", ("x86", 32): "x86", ("arm64", 64): "arm64",
}  # fmt: skip

# documented numbers of processor features
_FEATURES = {
    3: "MMX", 6: "SSE", 7: "3DNow", 9: "PAE", 10: "SSE2", 12: "NX", 13: "SSE3", 14: "CMPXCHG16B",
    17: "XSAVE", 22: "FSGSBASE", 28: "RDRAND", 32: "RDTSCP", 33: "RDPID", 36: "SSSE3",
    37: "SSE4.1", 38: "SSE4.2", 39: "AVX", 40: "AVX2", 41: "AVX512F",
}  # fmt: skip
_ARM_FEATURES = {
    30: ("AES", "SHA1", "SHA2", "PMULL"), 31: ("CRC32",), 34: ("LSE",), 43: ("DotProd",),
    44: ("JSCVT",), 45: ("LRCPC",),
}  # fmt: skip
_MEDIA: dict[int, Literal["spinning", "solid"]] = {3: "spinning", 4: "solid"}
_ROLES = {2: "notebook", 4: "server", 5: "server", 7: "server", 8: "tablet"}  # PCSystemType
_NEWER = range(36, 41)  # older systems answer "no" to these whatever the processor has
_ONLY_YES = frozenset({22, 28, 32, 33, 41})  # nothing tells whether a "no" is the system's
_TOO_MUCH = 0x80000000  # KiB: the extended field holds it
_CAPPED = 4 * GIB - 2 * MIB  # a 32-bit field holds no more graphics memory


def is_windows(source: Source) -> bool:
    """Whether a source holds a Windows capture."""
    names = source.names("")
    return CALLS in names or any(
        re.fullmatch(r"(Win32|MSFT)_\w+\.json|smbios\.bin", name) for name in names
    )


def read_windows(source: Source, draft: Draft, serials: bool) -> None:
    """Every reading that a Windows capture gives; a few of its files are enough."""
    cim = Cim(source, draft)
    _system(cim, draft)
    _processor(cim, draft)
    calls = CALLS in source.names("")
    if calls:
        read_processor(source, cim, draft)
    table = source.read("smbios.bin")
    if table:
        version, data = split_system_table(table)
        put_tables(decode(data, version), draft, serials)
    if calls:
        read_calls(source, cim, draft)
    _modules(cim, draft)
    _features(cim, draft)
    _firmware(cim, draft)
    _storage(cim, draft)
    _graphics(cim, draft)
    _programs(cim, draft)


def _system(cim: Cim, draft: Draft) -> None:
    system = cim.first("Win32_OperatingSystem")
    origin = "Win32_OperatingSystem"
    if caption := text(system, "Caption"):
        said = draft.vocabulary.systems.said(caption)
        draft.read("system.os", said.name, origin)
        draft.read("system.os_version", said.version or text(system, "Version"), origin)
        if said.edition:
            draft.extra("os_edition", said.edition)
    draft.read("system.kernel", text(system, "Version"), origin)
    if build := text(system, "BuildNumber"):
        draft.extra("os_build", build)
        if release := text(cim.table("registry"), "DisplayVersion"):
            draft.extra("os_release", release)
    usable, free = number(system, "TotalVisibleMemorySize"), number(system, "FreePhysicalMemory")
    bits = re.search(r"\b(32|64)", text(system, "OSArchitecture") or "")
    draft.read("system.os_bits", int(bits[1]) if bits else None, origin)
    draft.read("memory.usable", usable * KIB if usable else None, origin)
    draft.read("memory.available", free * KIB if free is not None else None, origin)
    computer = cim.first("Win32_ComputerSystem")
    if not usable:
        draft.read("memory.usable", number(computer, "TotalPhysicalMemory"), "Win32_ComputerSystem")
    maker, model = text(computer, "Manufacturer"), text(computer, "Model")
    if maker or model:
        put_system(maker, model, "Win32_ComputerSystem", draft)
        if computer.get("HypervisorPresent") is True and not is_virtual(maker, model):
            draft.note(
                "a hypervisor is present, yet the model is no virtual machine's: the system uses "
                "virtualization for its own protection"
            )
    pages = cim.objects("Win32_PageFileUsage")
    if pages is not None:
        swaps: tuple[tuple[ReadingKey, str], ...] = (
            ("memory.swap", "AllocatedBaseSize"), ("memory.swap_used", "CurrentUsage"),
        )  # fmt: skip
        for key, name in swaps:
            sizes = [number(page, name) or 0 for page in pages]
            draft.read(key, sum(sizes) * MIB, "Win32_PageFileUsage")
    _shape(cim, computer, draft)


def _shape(cim: Cim, computer: dict[str, Any], draft: Draft) -> None:
    """The chassis' shape; where it is not told, the role that the system sees, or a battery."""
    enclosure = cim.first("Win32_SystemEnclosure")
    kinds = [number({"kind": one}, "kind") for one in unwrapped(enclosure.get("ChassisTypes"))]
    kind = next((one for one in kinds if one is not None), None)
    shape, origin = SHAPES.get((kind or 0) & 0x7F), "Win32_SystemEnclosure"
    if shape is None:
        shape = _ROLES.get(number(computer, "PCSystemType") or 0)
        origin = "Win32_ComputerSystem, PCSystemType"
    if shape is None and cim.objects("Win32_Battery"):
        shape, origin = "notebook", "Win32_Battery"
    draft.read("system.shape", shape, origin)


def _processor(cim: Cim, draft: Draft) -> None:
    sockets = cim.objects("Win32_Processor")
    if not sockets:
        return
    origin, first = "Win32_Processor", sockets[0]
    draft.read("processor.name", words(first, "Name"), origin)
    draft.read("processor.sockets", len(sockets), origin)
    counted: tuple[tuple[ReadingKey, str], ...] = (
        ("processor.cores", "NumberOfCores"), ("processor.threads", "NumberOfLogicalProcessors"),
    )  # fmt: skip
    for key, name in counted:
        counts = [number(one, name) for one in sockets]
        if all(counts):
            draft.read(key, sum(count or 0 for count in counts), origin)
    enabled = [number(one, "NumberOfEnabledCore") for one in sockets]
    cores = draft.machine.processor.cores
    if all(enabled) and cores and (off := cores - sum(e or 0 for e in enabled)) > 0:
        draft.read("processor.cores", cores - off, origin)
        draft.extra("cores_off", off)
        draft.note(f"{off} of {cores} cores are switched off")
    # this class calls the nominal clock the most
    put_clock(text(first, "Name") or "", number(first, "MaxClockSpeed"), origin, draft)
    bits = number(first, "DataWidth")
    draft.read("processor.bits", bits if bits in (32, 64) else None, origin)
    architecture = ARCHITECTURES.get(number(first, "Architecture") or 0)
    if number(first, "Architecture") is None:
        architecture = None
    elif architecture == "x86" and bits == 64:
        architecture = "x86-64"
    draft.read("processor.architecture", architecture, origin)
    width = number(first, "AddressWidth")
    if draft.machine.system.os_bits is None:
        draft.read("system.os_bits", width if width in (32, 64) else None, origin)
    built = _BUILT.get((architecture or "", draft.machine.system.os_bits or 0))
    draft.work_out("system.architecture", built, "the processor's architecture and the bits")
    caches = {
        level: Cache(size * KIB, None)
        for level, key in (("L2", "L2CacheSize"), ("L3", "L3CacheSize"))
        if (size := number(first, key))
    }
    if caches:
        # this class gives the sum over a socket
        draft.read("processor.caches", caches, f"{origin}, all of a socket")
    if first.get("VirtualizationFirmwareEnabled") is True:
        draft.read("processor.virtualization", "on", origin)
    elif first.get("VMMonitorModeExtensions") is True:
        hypervisor = cim.first("Win32_ComputerSystem").get("HypervisorPresent") is True
        draft.read("processor.virtualization", "on" if hypervisor else "able", origin)


def _cim_module(one: dict[str, Any]) -> Module:
    size, form = number(one, "Capacity"), number(one, "FormFactor")
    total, data = number(one, "TotalWidth"), number(one, "DataWidth")
    kind = TYPES.get(number(one, "SMBIOSMemoryType") or 0)
    locator, bank = text(one, "DeviceLocator"), text(one, "BankLabel")
    return Module(
        slot=locator or bank,
        size=size,
        type=kind or _OLD_TYPES.get(number(one, "MemoryType") or 0),
        form=CIM_FORMS.get(form or 0),
        speed=number(one, "Speed") or None,
        running=number(one, "ConfiguredClockSpeed") or None,
        maker=text(one, "Manufacturer"),
        part=text(one, "PartNumber"),
        channel=channel_of(locator, bank),
        bank=bank,
        rank=(number(one, "Attributes") or 0) & 0x0F or None,
        ecc=total > data if total and data else None,
        fixed=None if not form or form not in CIM_FORMS else form in _SOLDERED,
    )


def _modules(cim: Cim, draft: Draft) -> None:
    """Modules and positions from CIM, where the firmware table did not give them.

    Empty positions are not listed: they are counted against the array's number.
    """
    listed = cim.objects("Win32_PhysicalMemory")
    arrays = [
        one
        for one in cim.objects("Win32_PhysicalMemoryArray") or []
        if number(one, "Use") in (3, None)
    ]
    slots = sum(number(one, "MemoryDevices") or 0 for one in arrays)
    if slots and draft.machine.memory.slots is None:
        draft.read("memory.slots", slots, "Win32_PhysicalMemoryArray")
    ceilings = [number(one, "MaxCapacityEx") or _capacity(one) for one in arrays]
    if ceilings and all(ceilings) and draft.machine.memory.ceiling is None:
        total = sum(ceiling or 0 for ceiling in ceilings) * KIB
        draft.read("memory.ceiling", total, "Win32_PhysicalMemoryArray")
    if listed and draft.machine.memory.modules is None:
        modules = as_positions(_cim_module(one) for one in listed)
        empty = max((draft.machine.memory.slots or 0) - len(modules), 0)
        draft.read(
            "memory.modules", modules + [Module(size=0)] * min(empty, 1024), "Win32_PhysicalMemory"
        )
        sizes = [module.size for module in modules]
        if all(sizes):
            of = f"Win32_PhysicalMemory, {len(sizes)} {'module' if len(sizes) == 1 else 'modules'}"
            draft.read("memory.installed", sum(size or 0 for size in sizes), of)
        compare_memory(draft)


def _capacity(array: dict[str, Any]) -> int | None:
    """The older field, where it is not too small for what there is."""
    found = number(array, "MaxCapacity")
    return None if found == _TOO_MUCH else found


def _features(cim: Cim, draft: Draft) -> None:
    """Features the system reports: a partial list, for its numbers do not name every set."""
    features = cim.load("features")
    if not isinstance(features, dict):
        return
    answers = {whole_number(k): v for k, v in features.items() if isinstance(v, bool)}
    newer = any(answers.get(number) for number in _NEWER)
    listed: list[str] = []
    arm = draft.machine.processor.architecture == "arm64"
    if arm:
        listed = [
            n for number, names in _ARM_FEATURES.items() if answers.get(number) for n in names
        ]
    else:
        for number, name in _FEATURES.items():
            if answers.get(number):
                listed.append(name)
            elif number in answers and number not in _ONLY_YES and (newer or number not in _NEWER):
                listed.append(f"-{name}")
    if listed:
        draft.work_out("processor.instructions", listed, "features.json, a partial list")


def _firmware(cim: Cim, draft: Draft) -> None:
    bios = cim.first("Win32_BIOS")
    if draft.machine.firmware.version is None:
        draft.read("firmware.version", text(bios, "SMBIOSBIOSVersion"), "Win32_BIOS")
    if draft.machine.firmware.date is None:
        draft.read("firmware.date", cim_date(bios.get("ReleaseDate")), "Win32_BIOS")
    registry = cim.table("registry")
    mode = {1: "bios", 2: "uefi"}.get(number(registry, "PEFirmwareType") or 0)
    draft.read("firmware.mode", mode, "the registry, PEFirmwareType")
    secure = {0: "able", 1: "on"}.get(number(registry, "UEFISecureBootEnabled") or 0)
    if "UEFISecureBootEnabled" in registry:
        draft.read("firmware.secure_boot", secure, "the registry, UEFISecureBootEnabled")
    modules = cim.objects("Win32_Tpm")
    if modules is not None:
        spec = re.match(r"\d+\.\d+", text(modules[0], "SpecVersion") or "") if modules else None
        version = (spec[0] if spec else None) if modules else "none"
        draft.read("firmware.security_module", version, "Win32_Tpm")


def _storage(cim: Cim, draft: Draft) -> None:
    system = text(cim.first("Win32_OperatingSystem"), "SystemDrive") or "C:"
    drives = {number(one, "Index"): one for one in cim.objects("Win32_DiskDrive") or []}
    inside = {index for index, one in drives.items() if _inside(one)}
    disks = cim.objects("MSFT_PhysicalDisk") or []
    kinds = {number(one, "DeviceId"): _kind_of(one) for one in disks
             if number(one, "BusType") not in EXTERNAL_BUSES}  # fmt: skip
    lies_on = {text(one, "Volume"): number(one, "Drive") for one in cim.objects("volumes") or []}
    volumes = []
    for one in cim.objects("Win32_LogicalDisk") or []:
        kind, name = number(one, "DriveType"), text(one, "DeviceID")
        if kind not in (2, 3, None):
            continue
        index = lies_on.get(name)
        # where nothing tells which volume lies on which drive, one inside has the system
        if index is None and kind == 3 and len(inside) == 1:
            index = next(iter(inside)) if len(drives) == 1 or name == system else None
        drive = drives.get(index, {}) if kind == 3 and index in inside else {}
        found = kinds.get(index) if len(kinds) != 1 else next(iter(kinds.values()))
        volumes.append(
            Volume(
                mount=name, size=number(one, "Size"), free=number(one, "FreeSpace"),
                drive=number(drive, "Size"), system=name == system if name else None,
                kind=found if drive or not drives else None,
                external=_external(kind, index, inside, len(drives)),
            )
        )  # fmt: skip
    if volumes:
        draft.storage(volumes, "Win32_LogicalDisk and Win32_DiskDrive")


def _kind_of(disk: dict[str, Any]) -> Literal["spinning", "solid"] | None:
    """Solid or spinning, by what the drive says of itself, else by a bus that has but one kind."""
    bus = number(disk, "BusType")
    return _MEDIA.get(number(disk, "MediaType") or 0) or ("solid" if bus in SOLID_BUSES else None)


def _external(
    kind: int | None, index: int | None, inside: set[int | None], drives: int
) -> bool | None:
    """Whether a volume's drive is outside of the machine."""
    if kind is None or (index is None and len(inside) < drives):
        return None
    return kind == 2 or (index is not None and index not in inside)


def _inside(drive: dict[str, Any]) -> bool:
    media, interface = text(drive, "MediaType") or "", text(drive, "InterfaceType") or ""
    outside = re.search("external|removable", media, re.IGNORECASE)
    return not outside and interface.upper() not in ("USB", "1394")


def _graphics(cim: Cim, draft: Draft) -> None:
    adapters = cim.objects("Win32_VideoController")
    if adapters is None:
        return
    wide = {text(one, "DriverDesc"): number(one, "HardwareInformation.qwMemorySize")
            for one in cim.objects("adapters") or []}  # fmt: skip
    found = []
    for one in adapters:
        memory = wide.get(text(one, "Name")) or number(one, "AdapterRAM")
        if memory and memory >= _CAPPED and not wide.get(text(one, "Name")):
            draft.note("graphics memory is 4 GB or more: the system's field holds no more")
            memory = None
        found.append(Graphics(text(one, "Name"), memory))
    draft.graphics(found, "Win32_VideoController")
    for one in adapters:
        width = number(one, "CurrentHorizontalResolution")
        height = number(one, "CurrentVerticalResolution")
        if width and height and max(width, height) < 10**6:
            draft.read("display", f"{width}x{height}", "Win32_VideoController")
            return


def _programs(cim: Cim, draft: Draft) -> None:
    programs = cim.objects("programs")
    if programs:
        names = {
            name: text(one, "DisplayVersion")
            for one in programs
            if (name := text(one, "DisplayName"))
        }
        listed = [
            Program(draft.clean(name), draft.clean(version) if version else None)
            for name, version in sorted(names.items())
        ]
        draft.read("software", listed, "the registry, installed programs")
