"""Windows' interfaces: structures as they are described, through the decoders into a sheet."""

import json
import struct
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tallcheck.core.machine.sheet import Machine
from tallcheck.gather import gather, win32
from tests.helpers import END, GIB, VOCABULARY, module_structure


class Answers:
    """A source of named answers, as the running system gives them."""

    live = True

    def __init__(self, answers: dict[str, bytes]) -> None:
        self.answers = answers

    def read(self, path: str) -> bytes | None:
        return self.answers.get(path)

    def names(self, path: str) -> list[str]:
        above = path + "/" if path else ""
        return sorted({one.removeprefix(above).partition("/")[0]
                       for one in self.answers if one.startswith(above)})  # fmt: skip

    def state(self, path: str) -> str:
        return "not looked for"

    def volume(self, mount: str) -> tuple[int, int] | None:
        return None


def group(mask: int, width: int = 8) -> bytes:
    """A GROUP_AFFINITY of one group."""
    return mask.to_bytes(width, "little") + bytes(8)


def core(masks: list[int], efficiency: int = 0, relation: int = 0, width: int = 8) -> bytes:
    """A record of a core (0) or a package (3)."""
    body = bytes([int(len(masks) > 1), efficiency]) + bytes(20) + struct.pack("<H", len(masks))
    body += b"".join(group(mask, width) for mask in masks)
    return struct.pack("<II", relation, 8 + len(body)) + body


@pytest.mark.parametrize(("groups", "refused", "expected"), [
    (1, False, b"P" * 48 * 2), (2, False, b"\0" * 48 * 3 + b"\1" * 48 * 3), (2, True, b""),
])  # fmt: skip
def test_processors_of_every_group_are_counted(
    groups: int, refused: bool, expected: bytes, monkeypatch: pytest.MonkeyPatch
) -> None:
    def call(library: str, function: str, *arguments: Any, result: Any = None) -> int:
        if function == "NtQuerySystemInformation":
            arguments[1].raw = b"P" * arguments[2]
        if function == "NtQuerySystemInformationEx":
            number = arguments[1]._obj.value
            arguments[3].raw = bytes([number]) * arguments[4]
            return int(refused and number == 1)
        return {"GetActiveProcessorGroupCount": groups, "GetActiveProcessorCount": 3}.get(
            function, 0
        )

    monkeypatch.setattr(win32, "call", call)
    monkeypatch.setattr("os.cpu_count", lambda: 2)
    assert win32.processor_times() == expected


def cache(level: int, size: int, kind: int) -> bytes:
    """A record of a cache."""
    body = struct.pack("<BBHII18xH", level, 8, 64, size, kind, 1) + group(3)
    return struct.pack("<II", 2, 8 + len(body)) + body


def version(build: int, kind: int = 1, major: int = 10) -> bytes:
    """An OSVERSIONINFOEXW; kind 1 is a client, 3 a server."""
    head = struct.pack("<IIIII", 284, major, 0, build, 2)
    return head.ljust(282, b"\0") + bytes([kind, 0])


def sheet(registry: Any = None, **answers: Any) -> Machine:
    """The sheet of a machine whose interfaces give these answers; `_` stands for `/` and `-`."""
    named = {
        "registry.json": json.dumps(registry or {}).encode(),
        "calls/memory-status": struct.pack(
            "<II7Q", 64, 50, 8 * GIB - (200 << 20), 3 * GIB, 10 * GIB, 4 * GIB, 0, 0, 0
        ),
    }
    named |= {key.replace("__", "/").replace("_", "-"): value for key, value in answers.items()}
    return gather(Answers(named), "bench", vocabulary=VOCABULARY)


HYBRID = (
    b"".join(core([3 << 2 * at], 1) for at in range(2))
    + b"".join(core([1 << 4 + at], 0) for at in range(4))
    + core([0xFF], relation=3)
    + cache(1, 49152, 2) + cache(1, 49152, 2) + cache(3, 12 << 20, 0)
)  # fmt: skip


def test_cores_threads_and_kinds() -> None:
    found = sheet(calls__logical_processors=HYBRID).processor
    assert (found.cores, found.threads, found.sockets) == (6, 8, 1)
    assert found.cores_by_kind == {"performance": 2, "efficiency": 4}
    assert found.caches is not None
    assert (found.caches["L1d"].size, found.caches["L1d"].count) == (49152, 2)
    assert found.caches["L3"].size == 12 << 20


@pytest.mark.parametrize("width", [4, 8])
def test_more_than_64_logical_processors_are_groups(width: int) -> None:
    full = (1 << 8 * width) - 1
    records = core([full, full], width=width) + core([1], width=width)
    found = sheet(calls__logical_processors=records).processor
    assert (found.cores, found.threads) == (2, 16 * width + 1)


# product name, build, kind: the system, its version and edition
@pytest.mark.parametrize(
    ("product", "build", "kind", "system"),
    [("Windows 10 Pro", 19045, 1, ("Windows", "10", "Pro")),
     ("Windows 10 Pro", 22631, 1, ("Windows", "11", "Pro")),
     ("Windows 10 Home", 26100, 1, ("Windows", "11", "Home")),
     ("Windows 7 Professional", 7601, 1, ("Windows", "7", "Professional"))],
)  # fmt: skip
def test_the_build_tells_the_system(
    product: str, build: int, kind: int, system: tuple[str, str, str]
) -> None:
    found = sheet({"ProductName": product, "DisplayVersion": "23H2"},
                  calls__version=version(build, kind))  # fmt: skip
    extra = found.extra or {}
    assert (found.system.os, found.system.os_version, extra.get("os_edition")) == system
    assert (extra["os_build"], extra["os_release"]) == (str(build), "23H2")


def test_a_server_keeps_its_name() -> None:
    found = sheet({"ProductName": "Windows Server 2022 Standard"}, calls__version=version(20348, 3))
    assert found.system.os_version == "2022"


@pytest.mark.parametrize(
    ("machines", "info", "expected"),
    [((0, 0x8664), None, ("x86-64", 64)), ((0x14C, 0x8664), None, ("x86-64", 64)),
     ((0x8664, 0xAA64), None, ("arm64", 64)), (None, 9, ("x86-64", 64)),
     (None, 0, ("x86", 32)), ((0, 0x14C), 0, ("x86", 32))],
)  # fmt: skip
def test_what_the_system_is_built_for(
    machines: tuple[int, int] | None, info: int | None, expected: tuple[str, int]
) -> None:
    answers = {"calls__machines": struct.pack("<HH", *machines)} if machines else {}
    if info is not None:
        answers["calls__system_info"] = struct.pack("<H", info).ljust(48, b"\0")
    found = sheet(**answers)
    assert (found.system.architecture, found.system.os_bits) == expected
    # a 32-bit system tells nothing of the processor's bits
    assert found.processor.bits == (64 if expected[1] == 64 else None)


@pytest.mark.parametrize(
    ("answer", "expected"),
    [(struct.pack("<4I", 1, 2, 0, 0), "2.0"), (struct.pack("<4I", 1, 1, 0, 0), "1.2"),
     (bytes(16), "none"), (b"", None), (struct.pack("<4I", 1, 9, 0, 0), None)],
)  # fmt: skip
def test_the_security_module(answer: bytes, expected: str | None) -> None:
    assert sheet(calls__security_module=answer).firmware.security_module == expected


def volume(
    letter: str, kind: int, size: int, bus: int, seeks: bool, drive: int
) -> dict[str, bytes]:
    """The answers of one volume."""
    path = f"calls__volumes__{letter}__"
    return {
        f"{path}kind": bytes([kind]), f"{path}space": struct.pack("<QQ", size, size // 4),
        f"{path}device": struct.pack("<28xI", bus), f"{path}seek": struct.pack("<8xB", seeks),
        f"{path}geometry": struct.pack("<24xQ", drive),
    }  # fmt: skip


def test_volumes_and_their_drives() -> None:
    found = sheet(
        calls__system_drive=b"C:",
        **volume("C", 3, 250 << 30, 17, False, 256 << 30),
        **volume("D", 3, 900 << 30, 11, True, 1000 << 30),
        **volume("E", 3, 900 << 30, 7, True, 1000 << 30),  # fixed, but behind USB
        **volume("F", 2, 30 << 30, 7, False, 31 << 30),
        **volume("S", 3, 900 << 30, 16, False, 500 << 30),  # over several drives
        **volume("X", 5, 4 << 30, 7, False, 4 << 30),  # a disc
    )
    assert [(v.mount, v.system, v.kind, v.external) for v in found.storage or []] == [
        ("C:", True, "solid", False), ("D:", False, "spinning", False),
        ("E:", False, "spinning", True), ("F:", False, "solid", True), ("S:", False, "solid", None),
    ]  # fmt: skip
    assert [v.drive for v in found.storage or []][-1] is None


@pytest.mark.parametrize(("system", "external"), [(b"C:", False), (b"D:", None)])
def test_a_drive_on_a_card_bus_is_inside_where_it_has_the_system(
    system: bytes, external: bool | None
) -> None:
    found = sheet(calls__system_drive=system, **volume("C", 3, 28 << 30, 13, True, 29 << 30))
    assert [(v.kind, v.external) for v in found.storage or []] == [("solid", external)]


def test_adapters_tell_what_the_loader_tells() -> None:
    adapters = [{"DriverDesc": "Brookglass 620", "HardwareInformation.qwMemorySize": 6 << 30},
                {"DriverDesc": "Built in", "HardwareInformation.MemorySize": 1 << 30}]  # fmt: skip
    displays = [{"name": "Built in", "first": True, "width": 1920, "height": 1080, "model": 2700}]
    found = sheet(
        calls__direct3d_12=b"1",
        **{
            "adapters.json": json.dumps(adapters).encode(),
            "displays.json": json.dumps(displays).encode(),
        },
    )
    assert [(a.name, a.memory, a.api) for a in found.graphics or []] == [
        ("Brookglass 620", 6 << 30, None), ("Built in", 1 << 30, {"wddm": "2.7", "d3d": "12"}),
    ]  # fmt: skip
    assert found.display == "1920x1080"


def test_the_firmwares_table_comes_before_the_calls() -> None:
    table = module_structure(0x20, 8192, "DIMM A1", "BANK 0", 0x1A, 0x0D, 3200, 2400) + END
    head = bytes([0, 3, 2, 0]) + len(table).to_bytes(4, "little")
    installed = struct.pack("<Q", 4 << 20)
    found = sheet(**{"smbios.bin": head + table}, calls__installed_memory=installed).memory
    assert (found.installed, len(found.modules or [])) == (8 * GIB, 1)
    assert sheet(calls__installed_memory=installed).memory.installed == 4 * GIB
    # what is usable is no sum of modules: fitted is worked out from it
    odd = struct.pack("<Q", (8 << 20) - 204_800)
    assert sheet(calls__installed_memory=odd).memory.installed == 8 * GIB


def test_names_tell_a_virtual_machine_and_features_only_what_is_sure() -> None:
    names = {"SystemManufacturer": "QEMU", "SystemProductName": "Standard PC"}
    features = json.dumps({n: n in (6, 10, 13, 14, 17, 36, 37, 38) for n in range(46)}).encode()
    found = sheet(names, **{"features.json": features}, calls__machines=b"\0\0\x64\x86")
    sets = found.processor.instructions or []
    assert found.system.virtual is True
    assert {"SSE4.2", "-AVX2"} <= set(sets)
    assert not {"RDRAND", "-RDRAND", "-AVX512F"} & set(sets)


PATHS = ["adapters.json", "displays.json", *(f"calls/{name}" for name in (
    "logical-processors", "memory-status", "page-files", "machines", "version", "security-module",
    "firmware-type", "system-drive", "volumes/C/kind", "volumes/C/space", "volumes/C/device",
))]  # fmt: skip


@given(st.dictionaries(
    st.sampled_from(PATHS),
    st.binary(max_size=120) | st.sampled_from([HYBRID[:-7], b"[[]]", b'[{"name": 3}]']),
))  # fmt: skip
def test_any_answers_give_a_sheet(answers: dict[str, bytes]) -> None:
    found = gather(
        Answers({**answers, "calls/system-info": b"\t\0"}), "bench", vocabulary=VOCABULARY
    )
    assert found.system.os_bits in (32, 64, None)
