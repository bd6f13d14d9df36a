"""Thin ports to the documented Win32 interfaces: volumes, drives, display adapters.

Source: Microsoft's published descriptions of the functions and control codes named below.
"""

import ctypes
import json
import struct
from importlib import import_module

from tallcheck.gather.win32 import call, read_values, sized

_QUERY_PROPERTY, _GEOMETRY = 0x2D1400, 0x700A0  # of a storage device; no access right is needed
_DEVICE, _SEEK_PENALTY = 0, 7  # STORAGE_PROPERTY_ID
_SHARED, _OPEN_EXISTING = 3, 3
_DISPLAY_CLASS = "{4d36e968-e325-11ce-bfc1-08002be10318}"
_PRESENT_OF_CLASS = 0x300  # CM_GETIDLIST_FILTER_CLASS and _PRESENT
_CLASSES = rf"SYSTEM\CurrentControlSet\Control\Class\{_DISPLAY_CLASS}"
_FEATURE_LEVEL_11 = 0xB000
_DEVICE_12 = struct.pack("<IHH8B", 0x189819F1, 0x1DB6, 0x4B57, 0xBE, 0x54, 0x18, 0x21, 0x33, 0x9B,
                         0x85, 0xF7)  # IID_ID3D12Device  # fmt: skip
_DRIVER_VERSION = 13  # KMTQAITYPE_DRIVERVERSION


def system_drive() -> bytes:
    room = ctypes.create_unicode_buffer(260)
    return room.value[:2].encode() if call("kernel32", "GetWindowsDirectoryW", room, 260) else b""


def volumes() -> list[str]:
    """The letters of the volumes."""
    mask = call("kernel32", "GetLogicalDrives", result=ctypes.c_uint32)
    return [chr(ord("A") + bit) for bit in range(26) if mask >> bit & 1]


def drive_kind(letter: str) -> bytes:
    kind = call("kernel32", "GetDriveTypeW", f"{letter}:\\", result=ctypes.c_uint32)
    return bytes([min(kind, 255)])


def space(letter: str) -> bytes:
    """Size and free bytes of a volume, two 8-byte numbers."""
    total, free = ctypes.c_uint64(), ctypes.c_uint64()
    told = call("kernel32", "GetDiskFreeSpaceExW", f"{letter}:\\", None, ctypes.byref(total),
                ctypes.byref(free))  # fmt: skip
    return bytes(total) + bytes(free) if told else b""


def _control(letter: str, code: int, question: bytes) -> bytes:
    """What the drive under a volume answers to a control code, asked with no access right."""
    handle = call("kernel32", "CreateFileW", f"\\\\.\\{letter}:", 0, _SHARED, None,
                  _OPEN_EXISTING, 0, None, result=ctypes.c_void_p)  # fmt: skip
    if handle in (None, ctypes.c_void_p(-1).value):
        return b""
    try:
        room, size = ctypes.create_string_buffer(1024), ctypes.c_uint32()
        told = call("kernel32", "DeviceIoControl", ctypes.c_void_p(handle), code, question,
                    len(question), room, len(room), ctypes.byref(size), None)  # fmt: skip
        return room.raw[: size.value] if told else b""
    finally:
        call("kernel32", "CloseHandle", ctypes.c_void_p(handle))


def device(letter: str) -> bytes:
    """STORAGE_DEVICE_DESCRIPTOR of the drive under a volume."""
    return _control(letter, _QUERY_PROPERTY, struct.pack("<III", _DEVICE, 0, 0))


def seek_penalty(letter: str) -> bytes:
    """DEVICE_SEEK_PENALTY_DESCRIPTOR of the drive under a volume."""
    return _control(letter, _QUERY_PROPERTY, struct.pack("<III", _SEEK_PENALTY, 0, 0))


def geometry(letter: str) -> bytes:
    """DISK_GEOMETRY_EX of the drive under a volume."""
    return _control(letter, _GEOMETRY, b"")


# --- graphics ------------------------------------------------------------------------------


def _present_adapters() -> list[str] | None:
    """The class keys of the display adapters that are there, or None where that is not told."""
    registry, size = import_module("winreg"), ctypes.c_uint32()
    ask = (ctypes.c_wchar_p(_DISPLAY_CLASS), _PRESENT_OF_CLASS)
    if call("cfgmgr32", "CM_Get_Device_ID_List_SizeW", ctypes.byref(size), *ask) or not size.value:
        return None
    room = ctypes.create_unicode_buffer(size.value)
    if call("cfgmgr32", "CM_Get_Device_ID_ListW", ask[0], room, size, ask[1]):
        return None
    drivers = []
    for name in filter(None, "".join(room[: size.value]).split("\0")):
        path = rf"SYSTEM\CurrentControlSet\Enum\{name}"
        with registry.OpenKey(registry.HKEY_LOCAL_MACHINE, path) as key:
            drivers += [str(v).rpartition("\\")[2] for v in read_values(key, ("Driver",)).values()]
    return drivers or None


def adapters() -> bytes:
    """Name and memory of each adapter, from the registry's class of display adapters."""
    registry, found = import_module("winreg"), []
    try:
        present = _present_adapters()
    except OSError:
        present = None
    for number in range(64):
        name = f"{number:04}"
        if present is not None and name not in present:
            continue
        try:
            with registry.OpenKey(registry.HKEY_LOCAL_MACHINE, rf"{_CLASSES}\{name}") as key:
                found.append(read_values(key, ("DriverDesc", "HardwareInformation.qwMemorySize",
                                           "HardwareInformation.MemorySize")))  # fmt: skip
        except OSError:
            continue
    return json.dumps(found).encode() if found else b""


def displays() -> bytes:
    """Each display's adapter: name, whether it is the first one, pixels, and the driver model."""
    found = []
    for number in range(32):
        room = sized(840)  # DISPLAY_DEVICEW
        if not call("user32", "EnumDisplayDevicesW", None, number, room, 0):
            break
        port, name = (
            room.raw[a:b].decode("utf-16-le", "replace").partition("\0")[0]
            for a, b in ((4, 68), (68, 324))
        )
        state = struct.unpack_from("<I", room, 324)[0]
        if not state & 1:  # not part of the desktop
            continue
        mode = ctypes.create_string_buffer(220)  # DEVMODEW
        struct.pack_into("<H", mode, 68, len(mode))
        now = call("user32", "EnumDisplaySettingsW", port, ctypes.c_uint32(0xFFFFFFFF), mode)
        width, height = struct.unpack_from("<II", mode, 172) if now else (0, 0)
        found.append({"name": name, "first": bool(state & 4), "width": width, "height": height,
                      "model": _driver_model(port)})  # fmt: skip
    return json.dumps(found).encode()


def _driver_model(port: str) -> int | None:
    """D3DKMT_DRIVERVERSION of the adapter behind a display, or None."""
    opened = ctypes.create_string_buffer(80)  # D3DKMT_OPENADAPTERFROMGDIDISPLAYNAME
    opened.raw = port.encode("utf-16-le")[:62].ljust(80, b"\0")
    try:
        if call("gdi32", "D3DKMTOpenAdapterFromGdiDisplayName", opened):
            return None
        handle = struct.unpack_from("<I", opened, 64)[0]
        version = ctypes.c_uint32()
        question = struct.pack("@IIPI4x", handle, _DRIVER_VERSION, ctypes.addressof(version), 4)
        failed = call("gdi32", "D3DKMTQueryAdapterInfo", ctypes.create_string_buffer(question))
        call("gdi32", "D3DKMTCloseAdapter", ctypes.create_string_buffer(struct.pack("<I", handle)))
    except OSError:
        return None
    return None if failed else version.value


def direct3d_12() -> bytes:
    """Whether the first adapter takes a Direct3D 12 device; asked without making one."""
    told = call("d3d12", "D3D12CreateDevice", None, _FEATURE_LEVEL_11,
                ctypes.create_string_buffer(_DEVICE_12), None)  # fmt: skip
    return b"1" if told == 1 else b""
