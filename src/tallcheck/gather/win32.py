"""Thin ports to the documented Win32 interfaces: memory, processor, system, firmware, programs.

Each is one small function that hands back bytes; `windows_calls` decodes them. One that refuses
gives nothing, one that is missing raises OSError. No process is started, nothing needs elevation.

Sources: Microsoft's published descriptions of the functions and control codes named below.
"""

import ctypes
import itertools
import json
import os
import struct
from collections.abc import Iterator
from contextlib import suppress
from importlib import import_module
from typing import Any

_RAW_SMBIOS = 0x52534D42  # 'RSMB'
_PERFORMANCE, _PROCESSES, _TIMES_OF_PROCESSORS = 2, 5, 8  # SYSTEM_INFORMATION_CLASS
_PROCESSES_MOST = 64 << 20  # bytes of the list of processes
_ALL_RELATIONS = 0xFFFF
_NO_SECURITY_MODULE = 0x8028400F  # TBS_E_TPM_NOT_FOUND
_UNINSTALL = r"SOFTWARE\Microsoft\Windows\CurrentVersion\Uninstall"
# keys of the registry, and the values that are read there
_VALUES = {
    r"SYSTEM\CurrentControlSet\Control": ("PEFirmwareType",),
    r"SYSTEM\CurrentControlSet\Control\SecureBoot\State": ("UEFISecureBootEnabled",),
    r"SOFTWARE\Microsoft\Windows NT\CurrentVersion": (
        "ProductName", "DisplayVersion",
    ),
    r"HARDWARE\DESCRIPTION\System\CentralProcessor\0": (
        "ProcessorNameString", "~MHz",
    ),
    r"HARDWARE\DESCRIPTION\System\BIOS": (
        "SystemManufacturer", "SystemProductName", "BIOSVersion", "BIOSReleaseDate",
    ),
}  # fmt: skip


def call(library: str, function: str, *arguments: Any, result: Any = ctypes.c_int) -> Any:
    """What a function of a system library returns. Raises OSError where there is no such one."""
    try:
        port = getattr(getattr(ctypes, "WinDLL")(library), function)  # noqa: B009
    except AttributeError:
        raise OSError(f"no {function}") from None
    port.restype = result
    return port(*arguments)


def sized(size: int) -> Any:
    """Room for a structure whose first field is its own size."""
    room = ctypes.create_string_buffer(size)
    struct.pack_into("<I", room, 0, size)
    return room


def console_processes() -> int:
    """How many processes are in this one's console window; 0 without one."""
    room = (ctypes.c_uint32 * 8)()
    return int(call("kernel32", "GetConsoleProcessList", room, len(room)))


# --- memory and processor ------------------------------------------------------------------


def memory_status() -> bytes:
    """MEMORYSTATUSEX."""
    room = sized(64)
    return room.raw if call("kernel32", "GlobalMemoryStatusEx", room) else b""


def installed_memory() -> bytes:
    """KiB of fitted memory, 8 bytes."""
    room = ctypes.c_uint64()
    answered = call("kernel32", "GetPhysicallyInstalledSystemMemory", ctypes.byref(room))
    return bytes(room) if answered else b""


def smbios() -> bytes:
    """RawSMBIOSData: a header of 8 bytes, then the table."""
    ask = ("kernel32", "GetSystemFirmwareTable", ctypes.c_uint32(_RAW_SMBIOS), 0)
    size = call(*ask, None, 0)
    room = ctypes.create_string_buffer(max(size, 1))
    return room.raw[: min(call(*ask, room, size), size)] if size > 8 else b""


def logical_processors() -> bytes:
    """SYSTEM_LOGICAL_PROCESSOR_INFORMATION_EX records, one after another."""
    size = ctypes.c_uint32()
    ask = ("kernel32", "GetLogicalProcessorInformationEx", _ALL_RELATIONS)
    call(*ask, None, ctypes.byref(size))
    room = ctypes.create_string_buffer(max(size.value, 1))
    return room.raw[: size.value] if call(*ask, room, ctypes.byref(size)) else b""


def features() -> bytes:
    answers = {n: bool(call("kernel32", "IsProcessorFeaturePresent", n)) for n in range(46)}
    return json.dumps(answers).encode()


def machines() -> bytes:
    """The machine types of this process and of the system, two words."""
    process, native = ctypes.c_uint16(), ctypes.c_uint16()
    here = ctypes.c_void_p(-1)  # GetCurrentProcess()
    told = call("kernel32", "IsWow64Process2", here, ctypes.byref(process), ctypes.byref(native))
    return bytes(process) + bytes(native) if told else b""


def system_info() -> bytes:
    """SYSTEM_INFO of the native system; its first word is the processor's architecture."""
    room = ctypes.create_string_buffer(64)
    call("kernel32", "GetNativeSystemInfo", room, result=None)
    return room.raw


def page_files() -> bytes:
    """Pages in total and in use of each page file, two 8-byte numbers a file."""
    sizes: list[bytes] = []

    def note(context: Any, info: Any, name: Any) -> int:
        _, total, used, _ = struct.unpack("@I4xNNN", ctypes.string_at(info, 32))
        sizes.append(struct.pack("<QQ", total, used))
        return 1

    kind = getattr(ctypes, "WINFUNCTYPE")(  # noqa: B009
        ctypes.c_int, ctypes.c_void_p, ctypes.c_void_p, ctypes.c_void_p
    )
    told = call("psapi", "EnumPageFilesW", kind(note), None) if struct.calcsize("P") == 8 else 0
    return b"".join(sizes) if told else b""


def processor_times() -> bytes:
    """SYSTEM_PROCESSOR_PERFORMANCE_INFORMATION of each logical processor, group by group."""
    groups = call("kernel32", "GetActiveProcessorGroupCount", result=ctypes.c_uint16)
    if groups < 2:  # the plain call sees its own group, which is all there is
        return _system_information(_TIMES_OF_PROCESSORS, 48 * (os.cpu_count() or 1))
    found = []
    for number in range(groups):
        group = ctypes.c_uint16(number)
        count = call("kernel32", "GetActiveProcessorCount", group, result=ctypes.c_uint32)
        room = ctypes.create_string_buffer(48 * count)
        if call("ntdll", "NtQuerySystemInformationEx", _TIMES_OF_PROCESSORS, ctypes.byref(group),
                2, room, len(room), None):  # fmt: skip
            return b""  # a part would be taken for the whole
        found.append(room.raw)
    return b"".join(found)


def processes() -> bytes:
    """SYSTEM_PROCESS_INFORMATION of all processes, after the address at which it was written."""
    if struct.calcsize("P") != 8:
        return b""
    size = 1 << 20
    while size <= _PROCESSES_MOST:
        room = ctypes.create_string_buffer(size)
        if not call("ntdll", "NtQuerySystemInformation", _PROCESSES, room, size, None):
            return struct.pack("<Q", ctypes.addressof(room)) + room.raw
        size *= 2
    return b""


def performance() -> bytes:
    """SYSTEM_PERFORMANCE_INFORMATION: counters of paging since the system's start."""
    return _system_information(_PERFORMANCE, 1024)  # it has grown over time


def _system_information(what: int, size: int) -> bytes:
    room = ctypes.create_string_buffer(size)
    return b"" if call("ntdll", "NtQuerySystemInformation", what, room, size, None) else room.raw


# --- system and firmware -------------------------------------------------------------------


def version() -> bytes:
    """OSVERSIONINFOEXW; the call returns 0 where it succeeds."""
    room = sized(284)
    return b"" if call("ntdll", "RtlGetVersion", room) else room.raw


def firmware_type() -> bytes:
    room = ctypes.c_uint32()
    return bytes(room) if call("kernel32", "GetFirmwareType", ctypes.byref(room)) else b""


def security_module() -> bytes:
    """TPM_DEVICE_INFO; 16 bytes of zero where there is none."""
    room = ctypes.create_string_buffer(16)
    result = call("tbs", "Tbsi_GetDeviceInfo", 16, room, result=ctypes.c_uint32)
    if result == _NO_SECURITY_MODULE:
        return bytes(16)
    return b"" if result else room.raw


def registry_values() -> bytes:
    registry = import_module("winreg")
    found: dict[str, Any] = {}
    for path, names in _VALUES.items():
        try:
            with registry.OpenKey(registry.HKEY_LOCAL_MACHINE, path) as key:
                found.update(read_values(key, names))
        except OSError:
            continue
    return json.dumps(found).encode()


def read_values(key: Any, names: tuple[str, ...]) -> dict[str, str | int]:
    """The values of a key that are there, as text or numbers; little-endian bytes are numbers."""
    registry, found = import_module("winreg"), {}
    for name in names:
        try:
            value, _ = registry.QueryValueEx(key, name)
        except OSError:
            continue
        if isinstance(value, bytes):
            value = int.from_bytes(value[:8], "little")
        if isinstance(value, str | int):
            found[name] = value
    return found


def _keys_below(root: Any, path: str, view: int) -> Iterator[Any]:
    """The keys below one, open while they are looked at."""
    registry = import_module("winreg")
    access = registry.KEY_READ | view
    with suppress(OSError), registry.OpenKey(root, path, 0, access) as above:
        for at in itertools.count():
            name = registry.EnumKey(above, at)  # raises after the last
            with suppress(OSError), registry.OpenKey(above, name, 0, access) as key:
                yield key


def programs() -> bytes:
    """Installed programs, from both views of the registry and the user's own."""
    registry, found = import_module("winreg"), []
    for root, view in (
        (registry.HKEY_LOCAL_MACHINE, registry.KEY_WOW64_64KEY),
        (registry.HKEY_LOCAL_MACHINE, registry.KEY_WOW64_32KEY),
        (registry.HKEY_CURRENT_USER, 0),
    ):
        for key in _keys_below(root, _UNINSTALL, view):
            values = read_values(key, ("DisplayName", "DisplayVersion", "SystemComponent"))
            if values.get("DisplayName") and values.pop("SystemComponent", 0) != 1:
                found.append(values)
    return json.dumps(found).encode()
