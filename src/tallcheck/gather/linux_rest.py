"""Linux: firmware mode, security module, storage, graphics, display, installed programs."""

import re

from msgspec import structs

from tallcheck.core.machine.sheet import Graphics, Program, Volume
from tallcheck.gather.draft import Draft, volume_name
from tallcheck.gather.rpm import OTHER_FORMATS, PATHS, packages
from tallcheck.gather.source import ABSENT, THERE, Source, read_int, read_text

_EFI = "sys/firmware/efi"
_ATTRIBUTES = 4
"""Bytes of attributes before the value of a firmware variable."""
_SECURE_BOOT = f"{_EFI}/efivars/SecureBoot-8be4df61-93ca-11d2-aa0d-00e098032b8c"
_TPM = "sys/class/tpm"
_SECTOR = 512  # the kernel counts drives in these, whatever the drive's own sectors
_REAL = frozenset(
    ["ext2", "ext3", "ext4", "xfs", "btrfs", "f2fs", "jfs", "reiserfs", "vfat", "exfat", "ntfs",
     "ntfs3", "fuseblk", "bcachefs", "zfs"]
)  # fmt: skip


def read_rest(source: Source, draft: Draft) -> None:
    """Everything of the sheet beside memory, processor and system."""
    _firmware(source, draft)
    _storage(source, draft)
    _graphics(source, draft)
    _programs(source, draft)


def _firmware(source: Source, draft: Draft) -> None:
    state = source.state(_EFI)
    if state == THERE:
        draft.read("firmware.mode", "uefi", f"/{_EFI}")
        value = source.read(_SECURE_BOOT)
        if value and len(value) > _ATTRIBUTES:
            on = value[-1] == 1
            draft.read("firmware.secure_boot", "on" if on else "able", "the variable SecureBoot")
        elif (
            value is None
            and source.state(_SECURE_BOOT) == ABSENT
            and source.names(f"{_EFI}/efivars")
        ):
            draft.read("firmware.secure_boot", "none", f"/{_EFI}/efivars, no SecureBoot there")
    elif state == ABSENT and (draft.machine.system.architecture or "").startswith("x86"):
        draft.read("firmware.mode", "bios", f"no /{_EFI}")
    major = read_int(source, f"{_TPM}/tpm0/tpm_version_major")
    if major in (1, 2):
        version = "2.0" if major == 2 else "1.2"
        draft.read("firmware.security_module", version, f"/{_TPM}/tpm0/tpm_version_major")
    elif source.state(_TPM) == THERE and source.state(f"{_TPM}/tpm0") == ABSENT:
        draft.read("firmware.security_module", "none", f"/{_TPM}, none there")


# --- storage -------------------------------------------------------------------------------


_BOUND = ("/etc/hosts", "/etc/hostname", "/etc/resolv.conf", "/etc/localtime")
"""Single files that containers have from their hosts, and no volumes."""


def _storage(source: Source, draft: Draft) -> None:
    volumes, seen = [], set()
    lines = [line.split() for line in (read_text(source, "proc/mounts") or "").splitlines()]
    mounts = [(one[0], _unescape(one[1]), one[2]) for one in lines if len(one) > 2]
    for device, mount, kind in mounts:
        real = kind in _REAL and (device.startswith("/dev/") or kind == "zfs")
        if not real or device in seen or mount in _BOUND:
            continue
        seen.add(device)
        volume = _volume(source, device, mount)
        if draft.machine.system.virtual:
            volume = structs.replace(volume, kind=None)  # hosts do not tell what lies below
        volumes.append(volume)
    if not any(volume.system for volume in volumes):
        _system_below(source, volumes, [(mount, kind) for _, mount, kind in mounts])
    if volumes:
        draft.storage(volumes, "/proc/mounts, the file systems and /sys/block")


_IMAGES = ("squashfs", "iso9660", "erofs")
"""File systems of images, that hold a system and have no room."""
_BELOW = ("/sysroot", "/var", "/nix")
"""Where the volume is seen that holds a system whose root is an image, or lies in memory."""


def _system_below(source: Source, volumes: list[Volume], mounts: list[tuple[str, str]]) -> None:
    """Mark or add the system's volume where its root is no device: an image, layers, or memory."""
    for mount in _BELOW:
        for at, volume in enumerate(volumes):
            if volume.mount == mount:
                volumes[at] = structs.replace(volume, system=True)
                return
    root = next((kind for mount, kind in reversed(mounts) if mount == "/"), "")
    live = any(kind in _IMAGES for _, kind in mounts)  # which says nothing of the machine's drives
    size = source.volume("/")
    if size and size[0] and not live and root not in ("tmpfs", "ramfs", "rootfs"):
        volumes.insert(0, Volume(mount="/", size=size[0], free=size[1], system=True))


def _unescape(path: str) -> str:
    return re.sub(r"\\([0-7]{3})", lambda match: chr(int(match[1], 8)), path)


def _volume(source: Source, device: str, mount: str) -> Volume:
    sizes = source.volume(mount)
    disk, encrypted = _disk_of(source, device)
    sectors = read_int(source, f"sys/block/{disk}/size") if disk else None
    spinning = read_int(source, f"sys/block/{disk}/queue/rotational") if disk else None
    removable = read_int(source, f"sys/block/{disk}/removable") if disk else None
    return Volume(
        mount=volume_name(mount),
        size=sizes[0] if sizes else None,
        free=sizes[1] if sizes else None,
        drive=sectors * _SECTOR if sectors and sectors > 0 else None,
        system=mount == "/",
        kind={0: "solid", 1: "spinning"}.get(spinning) if spinning is not None else None,  # type: ignore[arg-type]
        external={0: False, 1: True}.get(removable) if removable is not None else None,
        encrypted=encrypted,
    )


def _disk_of(source: Source, device: str) -> tuple[str | None, bool | None]:
    """The whole drive under a device, and whether a layer on the way is encrypted."""
    name = device.removeprefix("/dev/")
    disks = source.names("sys/block")
    if name.startswith("mapper/"):
        wanted = name.removeprefix("mapper/")
        name = next(
            (d for d in disks if read_text(source, f"sys/block/{d}/dm/name") == wanted), name
        )
    encrypted: bool | None = False if disks else None
    for _ in range(8):  # layers of mapping; more is a loop
        disk = name if name in disks else next(
            (d for d in disks if name in source.names(f"sys/block/{d}")), None
        )  # fmt: skip
        if disk is None:
            return None, None
        if (read_text(source, f"sys/block/{disk}/dm/uuid") or "").startswith("CRYPT-"):
            encrypted = True
        below = source.names(f"sys/block/{disk}/slaves")
        if not below:
            return disk, encrypted
        name = below[0]
    return None, None


# --- graphics, display, programs -----------------------------------------------------------

_PCI_MAKERS = {"0x8086": "Intel", "0x10de": "NVIDIA", "0x1002": "AMD", "0x1234": "emulated",
               "0x1af4": "Virtio", "0x15ad": "VMware", "0x1a03": "ASPEED"}  # fmt: skip
_PCI_IDS = ("usr/share/misc/pci.ids", "usr/share/hwdata/pci.ids")


def _graphics(source: Source, draft: Draft) -> None:
    drm = "sys/class/drm"
    entries = source.names(drm)
    adapters, sizes = [], []
    for card in entries:
        if re.fullmatch(r"card\d+", card):
            vendor = read_text(source, f"{drm}/{card}/device/vendor")
            device = read_text(source, f"{drm}/{card}/device/device")
            memory = read_int(source, f"{drm}/{card}/device/mem_info_vram_total")
            if vendor or memory:
                adapters.append(Graphics(_pci_name(source, vendor, device), memory))
        elif read_text(source, f"{drm}/{card}/status") == "connected":
            first = (read_text(source, f"{drm}/{card}/modes") or "").splitlines()[:1]
            sizes += [mode for mode in first if re.fullmatch(r"\d{3,5}x\d{3,5}", mode)]
    if adapters:
        draft.graphics(adapters, f"/{drm}")
    elif source.state(drm) == THERE and source.live:
        draft.graphics([], f"/{drm}, none there")
    if sizes:
        draft.read("display", sizes[0], f"/{drm}, the first connected display's first mode")


def _pci_name(source: Source, vendor: str | None, device: str | None) -> str | None:
    """The adapter's name in the system's list of PCI devices, else its maker and number."""
    if not vendor or not device:
        return None
    for path in _PCI_IDS:
        data = source.read(path)
        if data is None:
            continue
        start = re.search(rb"^" + re.escape(vendor[2:].encode()) + rb"  (.+)$", data, re.M)
        if start:
            line = re.compile(
                rb"^\t" + re.escape(device[2:].encode()) + rb"  (.+)$|^[0-9a-f]", re.M
            ).search(data, start.end())
            if line and line[1]:
                return f"{start[1].decode('utf-8', 'replace')} {line[1].decode('utf-8', 'replace')}"
    return f"{_PCI_MAKERS.get(vendor, vendor)} {device}"


# sections of a Debian-like database that hold no programs
_NOT_PROGRAMS = re.compile(
    rb"^Section: (?:.*/)?(?:libs|libdevel|oldlibs|doc|debug|localization|fonts|introspection)$",
    re.M,
)


def _programs(source: Source, draft: Draft) -> None:
    """Installed programs, where the package database reads without running anything."""
    status = source.read("var/lib/dpkg/status")
    if status:
        _put(draft, _dpkg(status), "/var/lib/dpkg/status")
        return
    installed = source.read("lib/apk/db/installed")
    if installed:
        text = installed.decode("utf-8", "replace")
        pairs = re.findall(r"^P:(.+)\nV:(.+)$", text, re.M)
        _put(draft, pairs, "/lib/apk/db/installed")
        return
    local = source.names("var/lib/pacman/local")
    pairs = [(m[1], m[2]) for name in local if (m := re.fullmatch(r"(.+)-([^-]+-[^-]+)", name))]
    if pairs:
        _put(draft, pairs, "/var/lib/pacman/local")
        return
    for path in PATHS:
        database = source.read(path)
        found = packages(database) if database else None
        if found is not None:
            _put(draft, found, f"/{path}")
            return
    given = read_text(source, "programs")  # a capture lists them where it could ask
    if given:
        draft.programs(given, "the capture's list of programs")
    elif any(source.state(path) == THERE for path in OTHER_FORMATS):
        draft.note("the list of programs was not read: rpm keeps it in an older format here")


def _dpkg(status: bytes) -> list[tuple[str, str]]:
    found = []
    for block in status.split(b"\n\n"):
        if b"Status: install ok installed" not in block or _NOT_PROGRAMS.search(block):
            continue
        name = re.search(rb"^Package: (.+)$", block, re.M)
        version = re.search(rb"^Version: (.+)$", block, re.M)
        if name and version:
            found.append(
                (name[1].decode("utf-8", "replace"), version[1].decode("utf-8", "replace"))
            )
    return found


def _put(draft: Draft, pairs: list[tuple[str, str]], origin: str) -> None:
    programs = [Program(draft.clean(name), draft.clean(version)) for name, version in pairs]
    draft.read("software", sorted(programs, key=lambda one: one.name), origin)
