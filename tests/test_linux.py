"""The rest of the sheet on Linux: storage, firmware, graphics, programs, caches, kinds of core."""

from typing import Any

import pytest

from tallcheck.core.machine.readings import get
from tallcheck.core.machine.sheet import Cache, Graphics, Machine, Program, Volume
from tallcheck.gather import gather
from tallcheck.gather.source import ABSENT, DENIED, NOT_LOOKED_FOR, THERE, Captured, parse_df
from tests.helpers import GIB, VOCABULARY, X86_FLAGS, linux_tree

CPU = "sys/devices/system/cpu"
EFI = "sys/firmware/efi"
SECURE = f"{EFI}/efivars/SecureBoot-8be4df61-93ca-11d2-aa0d-00e098032b8c"


def sheet(tree: dict[str, Any], **linux: Any) -> Machine:
    """The sheet of a small Linux tree with these files besides."""
    files = {**linux_tree(**linux), **tree}
    encoded = {path: t.encode() if isinstance(t, str) else t for path, t in files.items()}
    return gather(Captured(encoded), "bench", vocabulary=VOCABULARY)


MOUNTS = """\
proc /proc proc rw 0 0
tmpfs /run tmpfs rw 0 0
/dev/mapper/root / ext4 rw 0 0
/dev/sda1 /boot vfat rw 0 0
/dev/sdb1 /media/-/SEED\\040STICK vfat rw 0 0
/dev/sda1 /mnt/again vfat rw 0 0
/dev/loop0 /snap/x squashfs ro 0 0
"""
DF = """\
Filesystem 1024-blocks Used Available Capacity Mounted on
/dev/mapper/root 100000000 40000000 60000000 40% /
/dev/sda1 500000 100000 400000 20% /boot
/dev/sdb1 8000000 1000000 7000000 13% /media/-/SEED STICK
"""
BLOCK = {
    "sys/block/sda/size": "500118192", "sys/block/sda/removable": "0",
    "sys/block/sda/queue/rotational": "0", "sys/block/sda/sda1/partition": "1",
    "sys/block/sda/sda2/partition": "2", "sys/block/sdb/size": "15728640",
    "sys/block/sdb/removable": "1", "sys/block/sdb/queue/rotational": "1",
    "sys/block/sdb/sdb1/partition": "1", "sys/block/dm-0/dm/name": "root",
    "sys/block/dm-0/dm/uuid": "LVM-x", "sys/block/dm-0/slaves/dm-1": "",
    "sys/block/dm-1/dm/name": "luks", "sys/block/dm-1/dm/uuid": "CRYPT-",
    "sys/block/dm-1/slaves/sda2": "",
}  # fmt: skip


def test_volumes_are_followed_through_every_layer_to_their_drive() -> None:
    found = sheet({"proc/mounts": MOUNTS, "df": DF, **BLOCK})
    assert found.storage == [
        Volume(mount="/", size=100000000 * 1024, free=60000000 * 1024, drive=256060514304,
               system=True, kind="solid", external=False, encrypted=True),
        Volume(mount="/boot", size=500000 * 1024, free=400000 * 1024, drive=256060514304,
               system=False, kind="solid", external=False, encrypted=False),
        Volume(mount="removable", size=8000000 * 1024, free=7000000 * 1024,
               drive=15728640 * 512, system=False, kind="spinning", external=True,
               encrypted=False),
    ]  # fmt: skip


def test_a_loop_of_layers_ends_and_a_virtual_drive_has_no_kind() -> None:
    loop = {"sys/block/dm-0/dm/name": "root", "sys/block/dm-0/slaves/dm-0": ""}
    found = sheet({"proc/mounts": "/dev/mapper/root / ext4 rw 0 0\n", **loop})
    assert found.storage == [Volume(mount="/", system=True)]
    virtual = sheet({"proc/mounts": "/dev/sda1 / ext4 rw 0 0\n", **BLOCK},
                    flags=X86_FLAGS + " hypervisor")  # fmt: skip
    assert [volume.kind for volume in virtual.storage or []] == [None]


@pytest.mark.parametrize(
    ("line", "found"),
    [
        ("/dev/sda1 100 50 50 50% /", {"/": (102400, 51200)}),
        ("overlay 100 50 50 50% /", {"/": (102400, 51200)}),
        ("a b 100 50 50 50% /mnt/a b", {"/mnt/a b": (102400, 51200)}),
        ("Filesystem 1024-blocks Used Available Capacity Mounted on", {}),
        ("x", {}),
        ("", {}),
    ],
)
def test_lines_of_df(line: str, found: dict[str, tuple[int, int]]) -> None:
    assert parse_df(line.encode()) == found


@pytest.mark.parametrize(
    ("tree", "expected"),
    [
        # what was not looked for is unknown; what a manifest calls absent is known to be none
        ({}, {"firmware.mode": None, "firmware.security_module": None}),
        ({"manifest": f"absent {EFI}\nthere sys/class/tpm\nabsent sys/class/tpm/tpm0\n"},
         {"firmware.mode": "bios", "firmware.security_module": "none",
          "firmware.secure_boot": None}),
        ({"manifest": f"denied {EFI}\nabsent sys/class/tpm\n"},
         {"firmware.mode": None, "firmware.security_module": None}),
        ({"manifest": f"there {EFI}\n", SECURE: b"\x06\0\0\0\x01"},
         {"firmware.mode": "uefi", "firmware.secure_boot": "on"}),
        ({SECURE: b"\x06\0\0\0\0", "sys/class/tpm/tpm0/tpm_version_major": "2"},
         {"firmware.mode": "uefi", "firmware.secure_boot": "able",
          "firmware.security_module": "2.0"}),
        ({"sys/class/tpm/tpm0/tpm_version_major": "1"}, {"firmware.security_module": "1.2"}),
        ({"sys/class/tpm/tpm0/tpm_version_major": "9"}, {"firmware.security_module": None}),
    ],
)  # fmt: skip
def test_firmware_and_security_module(tree: dict[str, Any], expected: dict[str, Any]) -> None:
    found = sheet(tree)
    assert {key: get(found, key) for key in expected} == expected


PCI = b"# list\n8086  Larkmoor Graphics\n\t0412  Trellis 4\n\t0413  Other\n10de  Another\n"
DRM = "sys/class/drm"


@pytest.mark.parametrize(
    ("tree", "adapters", "display"),
    [
        ({f"{DRM}/card0/device/vendor": "0x8086", f"{DRM}/card0/device/device": "0x0412",
          "usr/share/misc/pci.ids": PCI, f"{DRM}/card0-eDP-1/status": "connected",
          f"{DRM}/card0-eDP-1/modes": "1920x1080\n1280x720\n",
          f"{DRM}/card0-HDMI-1/status": "disconnected"},
         [Graphics("Larkmoor Graphics Trellis 4")], "1920x1080"),
        ({f"{DRM}/card1/device/vendor": "0x1002", f"{DRM}/card1/device/device": "0x73ff",
          f"{DRM}/card1/device/mem_info_vram_total": "8589934592"},
         [Graphics("AMD 0x73ff", 8 * GIB)], None),
        ({f"{DRM}/card1/device/vendor": "0x8086", f"{DRM}/card1/device/device": "0x9999",
          "usr/share/misc/pci.ids": PCI}, [Graphics("Intel 0x9999")], None),
        ({f"{DRM}/card0-A/status": "connected", f"{DRM}/card0-A/modes": "nonsense"}, None, None),
        ({}, None, None),
    ],
)  # fmt: skip
def test_graphics_and_display(
    tree: dict[str, Any], adapters: list[Graphics] | None, display: str | None
) -> None:
    found = sheet(tree)
    assert (found.graphics, found.display) == (adapters, display)


DPKG = """\
Package: fernfolio
Status: install ok installed
Section: science
Version: 3.2-1

Package: libfern1
Status: install ok installed
Section: libs
Version: 1

Package: oldthing
Status: deinstall ok config-files
Version: 9
"""


@pytest.mark.parametrize(
    ("tree", "programs"),
    [
        ({"var/lib/dpkg/status": DPKG}, [Program("fernfolio", "3.2-1")]),
        ({"lib/apk/db/installed": "C:x\nP:mail\nV:2.1-r0\nA:x86_64\n\nP:map\nV:1\n"},
         [Program("mail", "2.1-r0"), Program("map", "1")]),
        ({"var/lib/pacman/local/mail-2.1-3": "", "var/lib/pacman/local/ALPM_DB_VERSION": ""},
         [Program("mail", "2.1-3")]),
        ({"programs": "mail\t2.1\nx\t\nnonsense\n"}, [Program("mail", "2.1"), Program("x")]),
        ({}, None),
    ],
)  # fmt: skip
def test_installed_programs(tree: dict[str, Any], programs: list[Program] | None) -> None:
    assert sheet(tree).software == programs


def _cache(cpu: int, index: int, level: int, kind: str, size: str, shared: str) -> dict[str, str]:
    folder = f"{CPU}/cpu{cpu}/cache/index{index}"
    return {f"{folder}/level": str(level), f"{folder}/type": kind, f"{folder}/size": size,
            f"{folder}/shared_cpu_list": shared}  # fmt: skip


def test_caches_are_counted_by_who_shares_them() -> None:
    tree: dict[str, str] = {}
    for cpu in range(4):
        pair = "0-1" if cpu < 2 else "2-3"
        tree |= _cache(cpu, 0, 1, "Data", "32K", pair)
        tree |= _cache(cpu, 1, 1, "Instruction", "32K", pair)
        tree |= _cache(cpu, 3, 3, "Unified", "8M", "0-3")
    assert sheet(tree).processor.caches == {
        "L1d": Cache(32768, 2), "L1i": Cache(32768, 2), "L3": Cache(8 << 20, 1),
    }  # fmt: skip
    odd = _cache(0, 0, 1, "Odd", "32K", "0") | _cache(0, 1, 2, "Unified", "much", "0")
    assert sheet(odd).processor.caches == {"L2": Cache(None, 1)}


@pytest.mark.parametrize(
    ("tree", "kinds"),
    [
        ({"sys/devices/cpu_core/cpus": "0-3", "sys/devices/cpu_atom/cpus": "4-7"},
         {"performance": 2, "efficiency": 2}),
        ({f"{CPU}/cpu{n}/cpu_capacity": "1024" if n < 4 else "400" for n in range(8)},
         {"performance": 2, "efficiency": 2}),
        ({f"{CPU}/cpu{n}/cpu_capacity": ("1024", "700", "400", "400")[n // 2] for n in range(8)},
         {"performance": 1, "middle": 1, "efficiency": 2}),
        ({f"{CPU}/cpu{n}/cpu_capacity": "1024" for n in range(8)}, None),
    ],
)  # fmt: skip
def test_hybrid_cores_are_counted_by_kind(
    tree: dict[str, str], kinds: dict[str, int] | None
) -> None:
    assert sheet(tree, cores=4).processor.cores_by_kind == kinds


@pytest.mark.parametrize(
    ("tree", "flags", "state"),
    [
        ({}, X86_FLAGS, None),
        ({}, X86_FLAGS + " vmx", "able"),
        ({"proc/modules": "kvm_intel 1 0 - Live 0\n"}, X86_FLAGS + " vmx", "on"),
        ({"manifest": "there dev/kvm\n"}, X86_FLAGS + " svm", "on"),
    ],
)
def test_virtualization(tree: dict[str, str], flags: str, state: str | None) -> None:
    assert sheet(tree, flags=flags).processor.virtualization == state


def test_threads_switched_off_are_no_cores() -> None:
    found = sheet({f"{CPU}/smt/control": "off"}, each=1, cores=4, off=2)
    assert found.extra == {"threads_off": 2}
    assert "not more cores" in " ".join(found.notes)


@pytest.mark.parametrize(
    ("path", "state"),
    [("a/b", THERE), ("a", THERE), ("gone", ABSENT), ("gone/below", ABSENT), ("shut/x", DENIED),
     ("here", THERE), ("here/below", NOT_LOOKED_FOR), ("else", NOT_LOOKED_FOR)],
)  # fmt: skip
def test_a_manifest_tells_absent_from_not_looked_for(path: str, state: str) -> None:
    manifest = b"there here\nabsent /gone/\ndenied shut\nnonsense line\n"
    assert Captured({"a/b": b"", "manifest": manifest}).state(path) == state


def test_what_hides_sets_is_told_from_what_lacks_them() -> None:

    files = linux_tree(flags=X86_FLAGS + " hypervisor")
    encoded = {path: str(text).encode() for path, text in files.items()}
    found = gather(Captured(encoded), "bench", vocabulary=VOCABULARY)
    assert found.processor.line == "Osier Wand"
    assert "AVX2" in (found.processor.hidden or [])
    assert found.processor.level == "x86-64-v2"


@pytest.mark.parametrize(
    ("words", "limit"),
    [("mem=4G", 4096), ("quiet mem=2048M splash", 2048), ("mem=1G mem=2g", 2048), ("", None),
     ("mem=nopentium", None), ("memmap=64M$1G", None)],
)  # fmt: skip
def test_a_limit_at_start_is_a_reading(words: str, limit: int | None) -> None:
    found = sheet({"proc/cmdline": f"ro {words}\n"}, kib=1_900_000).memory
    assert found.limit == (None if limit is None else limit << 20)
    # what is usable under a limit tells nothing of what is fitted
    assert (found.installed is None) == (limit is not None)


_IMAGE = "composefs / overlay ro 0 0\n/dev/sda2 /sysroot xfs ro 0 0\n/dev/sda2 /var xfs rw 0 0\n"
_IN_MEMORY = "none / tmpfs rw 0 0\n/dev/sda2 /nix ext4 rw 0 0\n"
_LIVE = "overlay / overlay rw 0 0\n/dev/loop0 /run/rootfs squashfs ro 0 0\n"
_LAYERS = "overlay / overlay rw,lowerdir=/x 0 0\n"
_SIZES = "overlay 22000 22000 0 100% /\n/dev/sda2 4000 1000 3000 25% /sysroot\n" \
    "/dev/sda2 4000 1000 3000 25% /nix\n"  # fmt: skip


@pytest.mark.parametrize(
    ("mounts", "mount", "kib"),
    [(_IMAGE, "/sysroot", 4000), (_IN_MEMORY, "/nix", 4000), (_LIVE, None, None),
     (_LAYERS, "/", 22000)],
)  # fmt: skip
def test_the_systems_volume_is_the_one_that_holds_it(
    mounts: str, mount: str | None, kib: int | None
) -> None:
    found = sheet({"proc/mounts": mounts, "df": _SIZES, **BLOCK}).storage or []
    own = next((one for one in found if one.system), None)
    assert (own and own.mount, own and own.size) == (mount, None if kib is None else kib << 10)


def test_core_numbers_that_repeat_in_the_dies_of_a_package() -> None:
    blocks = [
        f"processor : {cpu}\nphysical id : 0\ncore id : {cpu % 2}\ncpu cores : 4\n"
        for cpu in range(8)
    ]
    found = sheet({"proc/cpuinfo": "\n".join(blocks)}, cores=0).processor
    assert (found.cores, found.threads, found.sockets) == (4, 8, 1)


@pytest.mark.parametrize(
    ("tables", "sockets"), [({}, None), ({"sys/firmware/acpi/tables/X": "x"}, 2)]
)
def test_clusters_that_are_numbered_as_packages(
    tables: dict[str, str], sockets: int | None
) -> None:
    found = sheet(tables, cores=2, each=1, packages=2, machine_word="aarch64").processor
    assert (found.sockets, found.cores) == (sockets, 4)
