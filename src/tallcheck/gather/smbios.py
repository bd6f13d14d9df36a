"""The firmware tables: a decoder of the raw SMBIOS table, bytes in and structures out.

Source: DMTF DSP0134, System Management BIOS Reference Specification, 2.0 to 3.x. Sections:
5.2 entry points, 6.1 structures, 7.1 firmware, 7.2 system, 7.4 chassis, 7.5 processor,
7.17 memory array, 7.18 memory device. Old firmware cuts structures short and lies about lengths:
what is sound is decoded, the rest is named in ``faults``, and nothing raises.
"""

import re

from msgspec import Struct

from tallcheck.core.machine.modules import FORMS, TYPES
from tallcheck.core.values.quantities import GIB, KIB, MIB

_STRUCTURES_MOST = 65536
"""Handles have 16 bits, so no sound table has more structures."""
_TABLE_MOST = 1 << 20
"""Bytes; sound tables are far shorter."""

# strings that firmware makers leave in place of a value
_NO_VALUE = re.compile(
    r"(to be filled.*|not (specified|available|applicable|present)|unknown|undefined|none|n/?a|"
    r"default string|empty|no dimm|no module installed|"
    r"(system|product|chassis|base ?board|asset)[ -]?(manufacturer|product ?name|name|version|"
    r"serial ?number|asset ?tag|sku|family)|asset[ -]?\d+|"
    r"type ?\d+ ?- ?.*|type\d+[a-z]+|serial ?number|part ?num(ber)?\d*|t\.?b\.?d\.?( by .*)?|"
    r"o\.?e\.?m\.?|\[?empty\]?|invalid|null|[0x.\-_ ?*#]+|f{4,}|x+|0?123456789\d*)",
    re.IGNORECASE,
)

SOLDERED_FORMS = frozenset({"chip", "TSOP", "row of chips", "die"})
_NON_VOLATILE = 0x1F
_NOT_MAIN_MEMORY = frozenset({"ROM", "FLASH", "EEPROM", "FEPROM", "EPROM", "non-volatile", "VRAM"})

# 7.4.1, chassis types; what names no shape is left unknown
SHAPES = {
    0x03: "desktop", 0x04: "desktop", 0x05: "desktop", 0x06: "tower", 0x07: "tower",
    0x08: "notebook", 0x09: "notebook", 0x0A: "notebook", 0x0B: "tablet", 0x0D: "all-in-one",
    0x0E: "notebook", 0x0F: "desktop", 0x10: "desktop", 0x11: "server", 0x17: "server",
    0x18: "desktop", 0x1C: "server", 0x1D: "server", 0x1E: "tablet", 0x1F: "notebook",
    0x20: "tablet", 0x23: "mini", 0x24: "mini",
}  # fmt: skip


class Firmware(Struct, frozen=True):
    """Structure 0."""

    vendor: str | None
    version: str | None
    date: str | None


class System(Struct, frozen=True):
    """Structure 1."""

    maker: str | None
    model: str | None
    serial: str | None


class Socket(Struct, frozen=True):
    """Structure 4; ``socket_clock`` in Hz is the most the socket takes, not what the part does."""

    name: str | None
    maker: str | None
    populated: bool
    socket_clock: int | None
    cores: int | None
    cores_enabled: int | None
    threads: int | None
    wide: bool | None


class Array(Struct, frozen=True):
    """Structure 16 of system memory: the ceiling in bytes and the number of positions."""

    handle: int
    ceiling: int | None
    slots: int | None
    ecc: bool | None


class Device(Struct, frozen=True):
    """Structure 17: one memory position. ``size`` in bytes, 0 for empty, None for unknown."""

    array: int | None
    size: int | None
    form: str | None
    type: str | None
    locator: str | None
    bank: str | None
    speed: int | None
    running: int | None
    maker: str | None
    part: str | None
    serial: str | None
    rank: int | None
    ecc: bool | None
    registered: bool | None
    load_reduced: bool | None
    voltage: int | None
    persistent: bool
    """Whether it keeps what is in it without power: its position holds no main memory."""


class Tables(Struct):
    """What a table holds, and what was wrong with it."""

    version: tuple[int, int] | None = None
    firmware: Firmware | None = None
    system: System | None = None
    chassis: int | None = None
    sockets: list[Socket] = []
    arrays: list[Array] = []
    devices: list[Device] = []
    persistent: int = 0
    """Positions of system memory that hold persistent modules, which are not among ``devices``."""
    faults: list[str] = []


class Entry(Struct, frozen=True):
    """An entry point: the version, and the table's length in bytes where it is exact."""

    version: tuple[int, int]
    length: int | None


def parse_entry(data: bytes) -> Entry | None:
    """The 32-bit (``_SM_``) or 64-bit (``_SM3_``) entry point; None where it is neither."""
    if data[:5] == b"_SM3_" and len(data) >= 0x18:
        # its table size is a most, not the size
        return Entry((data[0x07], data[0x08]), None)
    if data[:4] == b"_SM_" and len(data) >= 0x1F:
        return Entry((data[0x06], data[0x07]), int.from_bytes(data[0x16:0x18], "little"))
    return None


def table_at(entry: bytes) -> tuple[int, int]:
    """The address of the table that an entry point tells, and its length at most, in bytes."""
    if entry[:5] == b"_SM3_":
        place, length = entry[0x10:0x18], entry[0x0C:0x10]
    elif entry[:4] == b"_SM_":
        place, length = entry[0x18:0x1C], entry[0x16:0x18]
    else:
        return 0, 0
    return int.from_bytes(place, "little"), min(int.from_bytes(length, "little"), _TABLE_MOST)


def split_system_table(data: bytes) -> tuple[tuple[int, int] | None, bytes]:
    """Version and table from a table as another system hands it out, behind an 8-byte header."""
    if len(data) < 8:
        return None, b""
    length = int.from_bytes(data[4:8], "little")
    return (data[1], data[2]), data[8 : 8 + length] if length else data[8:]


def meant(raw: str | None) -> str | None:
    """A string from the tables; None for what stands for no value or is no text."""
    text = " ".join("".join(ch if ch.isprintable() else " " for ch in raw or "").split())
    return None if not text or "\ufffd" in text or _NO_VALUE.fullmatch(text) else text


class _Structure:
    """One raw structure: fields that lie outside its length are None."""

    def __init__(self, kind: int, handle: int, data: bytes, strings: list[bytes]) -> None:
        self.kind = kind
        self.handle = handle
        self._data = data
        self._strings = strings

    def number(self, offset: int, size: int) -> int | None:
        if offset + size > len(self._data):
            return None
        return int.from_bytes(self._data[offset : offset + size], "little")

    def text(self, offset: int) -> str | None:
        """The string that the byte at an offset points to; what stands for no value is None."""
        at = self.number(offset, 1)
        if not at or at > len(self._strings):
            return None
        return meant(self._strings[at - 1].decode("utf-8", "replace"))


def _structures(data: bytes, faults: list[str]) -> list[_Structure]:
    """Every structure up to the end-of-table one (6.1), however the table is cut."""
    found: list[_Structure] = []
    at = 0
    while at + 4 <= len(data) and len(found) < _STRUCTURES_MOST:
        kind, length = data[at], data[at + 1]
        handle = int.from_bytes(data[at + 2 : at + 4], "little")
        if length < 4:
            faults.append(f"structure {kind} at byte {at} claims a length of {length}")
            return found
        if at + length > len(data):
            faults.append(f"the table ends inside structure {kind} at byte {at}")
        formatted = data[at : at + length]
        end = data.find(b"\0\0", at + length)
        if end < 0:
            if at + length <= len(data) and kind != 127:
                faults.append(f"the strings of structure {kind} at byte {at} have no end")
            end = len(data)
        strings = data[at + length : end].split(b"\0")
        found.append(_Structure(kind, handle, formatted, strings))
        if kind == 127:
            return found
        at = end + 2
    if found and found[-1].kind != 127:
        faults.append("the table has no end-of-table structure")
    return found


def decode(data: bytes, version: tuple[int, int] | None = None) -> Tables:
    """What a raw table holds. Never raises: what is not sound is left out and named."""
    tables = Tables(version=version, sockets=[], arrays=[], devices=[], faults=[])
    for one in _structures(data, tables.faults):
        if one.kind == 0 and tables.firmware is None:
            tables.firmware = Firmware(one.text(0x04), one.text(0x05), one.text(0x08))
        elif one.kind == 1 and tables.system is None:
            tables.system = System(one.text(0x04), one.text(0x05), one.text(0x07))
        elif one.kind == 3 and tables.chassis is None:
            kind = one.number(0x05, 1)
            tables.chassis = None if kind is None else kind & 0x7F  # bit 7 says that it locks
        elif one.kind == 4 and one.number(0x05, 1) in (3, None):
            tables.sockets.append(_socket(one))
        elif one.kind == 16 and one.number(0x05, 1) == 3:
            tables.arrays.append(_array(one))
        elif one.kind == 17:
            tables.devices.append(_device(one))
    _keep_main_memory(tables)
    return tables


def _keep_main_memory(tables: Tables) -> None:
    """Leave out devices of other arrays than system memory, and those that are no main memory."""
    handles = {array.handle for array in tables.arrays}
    tables.persistent = sum(one.persistent and one.array in handles for one in tables.devices)
    devices = [
        one for one in tables.devices if one.type not in _NOT_MAIN_MEMORY and not one.persistent
    ]
    linked = [one for one in devices if one.array in handles]
    if handles and devices and not linked:
        tables.faults.append("no memory device names the memory array that is there")
    tables.devices = linked or devices


def _socket(one: _Structure) -> Socket:
    status = one.number(0x18, 1)
    characteristics = one.number(0x26, 2)
    clock = one.number(0x14, 2)
    return Socket(
        name=one.text(0x10),
        maker=one.text(0x07),
        populated=status is None or bool(status & 0x40),
        socket_clock=clock * 10**6 if clock else None,
        cores=_count(one, 0x23, 0x2A),
        cores_enabled=_count(one, 0x24, 0x2C),
        threads=_count(one, 0x25, 0x2E),
        wide=bool(characteristics & 4) if characteristics and not characteristics & 2 else None,
    )


def _count(one: _Structure, offset: int, wide_offset: int) -> int | None:
    """A count of one byte, or of two where the byte says that it is too small (7.5.6)."""
    count = one.number(offset, 1)
    if count == 0xFF:
        count = one.number(wide_offset, 2)
    return None if count in (0, 0xFF, 0xFFFF) else count


def _array(one: _Structure) -> Array:
    ceiling = one.number(0x07, 4)
    wide = ceiling == 0x80000000  # the field is too small: the extended one holds it, in bytes
    total = one.number(0x0F, 8) if wide else (ceiling or 0) * KIB
    correction = one.number(0x06, 1)
    return Array(
        handle=one.handle,
        ceiling=total if total and total < 1 << 50 else None,
        slots=one.number(0x0D, 2) or None,
        ecc={3: False, 4: True, 5: True, 6: True, 7: True}.get(correction or 0),
    )


_PERSISTENT = frozenset({0x04, 0x05, 0x06, 0x07})
"""Technologies (7.18.6): NVDIMM-N, -F and -P, and persistent memory."""


def _device(one: _Structure) -> Device:
    total, data = one.number(0x08, 2), one.number(0x0A, 2)
    widths_known = total not in (None, 0, 0xFFFF) and data not in (None, 0, 0xFFFF)
    detail = one.number(0x13, 2) or 0
    attributes = one.number(0x1B, 1)
    size = _device_size(one)
    return Device(
        array=one.number(0x04, 2),
        size=size,
        form=FORMS.get(one.number(0x0E, 1) or 0),
        type=TYPES.get(one.number(0x12, 1) or 0),
        locator=one.text(0x10),
        bank=one.text(0x11),
        speed=_speed(one, 0x15, 0x54),
        running=_speed(one, 0x20, 0x58),
        maker=one.text(0x17) if size else None,
        part=one.text(0x1A) if size else None,
        serial=one.text(0x18) if size else None,
        rank=(attributes & 0x0F or None) if attributes is not None else None,
        ecc=(total or 0) > (data or 0) if widths_known else None,
        # 7.18.3: registered and load-reduced both put a register between
        registered=bool(detail & 0xA000) if detail & 0xE000 else None,
        load_reduced=bool(detail & 0x8000) if detail & 0xE000 else None,
        voltage=one.number(0x26, 2) or one.number(0x22, 2) or None,  # mV, configured or least
        persistent=size != 0
        and (one.number(0x12, 1) == _NON_VOLATILE or one.number(0x28, 1) in _PERSISTENT),
    )


def _device_size(one: _Structure) -> int | None:
    """Bytes: both size fields, in KB or MB; 0 for an empty position (7.18.4, 7.18.5)."""
    size = one.number(0x0C, 2)
    if size is None or size == 0xFFFF:
        return None
    if size == 0x7FFF:
        extended = one.number(0x1C, 4)
        bytes_ = (extended & 0x7FFFFFFF) * MIB if extended else None
    elif size & 0x8000:
        bytes_ = (size & 0x7FFF) * KIB
    else:
        bytes_ = size * MIB
    return bytes_ if bytes_ is None or bytes_ <= 4096 * GIB else None


def _speed(one: _Structure, offset: int, extended_offset: int) -> int | None:
    """MT/s; 0 is unknown, and 0xFFFF points to the extended field (7.18.x)."""
    speed = one.number(offset, 2)
    if speed == 0xFFFF:
        extended = one.number(extended_offset, 4)
        speed = extended & 0x7FFFFFFF if extended else None
    return speed or None
