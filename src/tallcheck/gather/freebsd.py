"""FreeBSD: what ``sysctl``, the kernel's start, ``kenv`` and ``df`` print, into readings.

Sources: sysctl(8), kenv(1), smp(4), smbios(4) and disk(9) of the system, and what its kernel
prints of the processor.
"""

import os
import re
from collections.abc import Callable
from contextlib import suppress
from typing import Any, Literal
from xml.etree import ElementTree

from msgspec import Struct

from tallcheck.core.machine.derive import BITS_OF
from tallcheck.core.machine.instructions import from_flags
from tallcheck.core.machine.names import stated_clock
from tallcheck.core.machine.sheet import Volume
from tallcheck.core.values.plain import whole_number
from tallcheck.core.values.quantities import parse_clock
from tallcheck.gather.draft import Draft, volume_name
from tallcheck.gather.firmware import iso_date, put_system, put_tables
from tallcheck.gather.smbios import SHAPES, decode, parse_entry, table_at
from tallcheck.gather.source import Captured, Source, read_text
from tallcheck.gather.sysctl import Sysctl, ask, values_in

BUILT_FOR = {
    "amd64": "x86-64", "i386": "x86", "aarch64": "arm64", "armv7": "arm", "riscv64": "riscv64",
}  # fmt: skip
"""What the system calls the architectures that it is built for."""
_ENTRY, _TABLE = "smbios/entry", "smbios/DMI"
_MESSAGES = "dmesg.boot"


def is_freebsd(source: Source) -> bool:
    """Whether a source holds a FreeBSD capture."""
    return values_in(read_text(source, "sysctl.txt") or "").get("kern.ostype") == "FreeBSD"


def read_freebsd(source: Source, draft: Draft, serials: bool) -> None:
    """Every reading that a FreeBSD capture gives, into the draft."""
    sysctl = Sysctl(read_text(source, "sysctl.txt") or "")
    said = read_text(source, _MESSAGES) or ""
    _system(sysctl, draft)
    _processor(sysctl, said, draft)
    _memory(source, sysctl, draft)
    _firmware(source, sysctl, draft, serials)
    _storage(source, draft)
    draft.programs(read_text(source, "programs"), "pkg")


def _system(sysctl: Sysctl, draft: Draft) -> None:
    draft.read("system.os", "FreeBSD", "sysctl kern.ostype")
    release = sysctl.text("kern.osrelease") or ""
    version = re.match(r"\d+(?:\.\d+)*", release)
    draft.read("system.os_version", version and version[0], "sysctl kern.osrelease")
    built = BUILT_FOR.get(sysctl.text("hw.machine_arch") or sysctl.text("hw.machine") or "")
    draft.read("system.architecture", built, "sysctl hw.machine_arch")
    draft.read("system.os_bits", BITS_OF[built] if built else None, "sysctl hw.machine_arch")
    guest = sysctl.text("kern.vm_guest")
    draft.read("system.virtual", guest and guest != "none", "sysctl kern.vm_guest")
    if sysctl.number("security.jail.jailed") == 1:
        draft.note("this is a jail: memory and processor are those of its host")


# --- processor -----------------------------------------------------------------------------


def _processor(sysctl: Sysctl, said: str, draft: Draft) -> None:
    name = sysctl.text("hw.model")
    draft.read("processor.name", name, "sysctl hw.model")
    draft.read("processor.threads", sysctl.number("hw.ncpu"), "sysctl hw.ncpu")
    cores, origin = sysctl.number("kern.smp.cores"), "sysctl kern.smp.cores"
    sockets = re.search(r"^FreeBSD/SMP: (\d{1,3}) package\(s\)(.*)", said, re.M)
    if sockets:
        draft.read("processor.sockets", int(sockets[1]), _MESSAGES)
        each = re.findall(r"x (\d{1,4}) (?:cache )?(?:groups|core\(s\))", sockets[2])
        if cores is None and "core(s)" in sockets[2]:
            cores, origin = int(sockets[1]), _MESSAGES
            for count in each:
                cores *= int(count)
    elif sysctl.number("hw.ncpu") == 1:
        cores, origin = 1, "sysctl hw.ncpu"
    draft.read("processor.cores", cores, origin)
    clock = re.search(r"^CPU: .*\((\d{2,6}(?:\.\d+)?)-MHz", said, re.M)
    nominal = stated_clock(name or "") or (parse_clock(f"{clock[1]} MHz") if clock else None)
    draft.read("processor.clock", nominal, _MESSAGES)
    _instructions(sysctl, said, draft)


def _words(said: str, label: str) -> list[str] | None:
    """The words between the brackets of a line such as ``Features=0xbfeb<FPU,VME>``."""
    found = re.search(rf"^\s+{re.escape(label)}=0x[0-9a-f]+<([^>\n]*)>", said, re.M)
    return found and found[1].split(",")


_X86 = ("Features", "Features2", "AMD Features", "AMD Features2", "Structured Extended Features")
_ARM = {"AES+PMULL": ("aes", "pmull"), "Atomic": ("atomics",), "RDM": ("asimdrdm",),
        "DP": ("asimddp",)}  # fmt: skip


def _instructions(sysctl: Sysctl, said: str, draft: Draft) -> None:
    built = draft.machine.system.architecture
    lists = {label: _words(said, label) for label in _X86}
    words = [word for one in lists.values() for word in one or ()]
    if words:
        wide = built == "x86-64" or "LM" in words
        draft.read("processor.bits", 64 if wide else 32, _MESSAGES)
        draft.read("processor.architecture", "x86-64" if wide else "x86", _MESSAGES)
        put = draft.read if lists["Features2"] else draft.work_out
        put("processor.instructions", from_flags(words), f"{_MESSAGES}: Features")
        virtualization = re.search(r"^\s+(VT-x|SVM): *(\(disabled in BIOS\))?", said, re.M)
        if virtualization:
            state = "able" if virtualization[2] else "on"
            draft.read("processor.virtualization", state, f"{_MESSAGES}: {virtualization[1]}")
    elif built in ("x86-64", "arm64", "riscv64"):
        draft.read("processor.bits", 64, "sysctl hw.machine_arch")
        draft.read("processor.architecture", built, "sysctl hw.machine_arch")
    sets = re.search(r"Instruction Set Attributes 0 = <([^>\n]*)>", said)
    if built == "arm64" and sets:
        flags = ["fp", "asimd"]  # which the kernel itself needs
        for word in sets[1].split(","):
            flags += _ARM.get(word, (word.lower(),))
        draft.work_out("processor.instructions", from_flags(flags), _MESSAGES)


# --- memory and firmware ---------------------------------------------------------------------


def available_memory(sysctl: Sysctl) -> int | None:
    """Bytes that are free or given back on demand, the cache of ZFS among them; None unknown."""
    page, free = sysctl.number("hw.pagesize"), sysctl.number("vm.stats.vm.v_free_count")
    if page is None or free is None:
        return None
    pages = free + sum(
        sysctl.number(f"vm.stats.vm.v_{name}_count") or 0 for name in ("inactive", "cache")
    )
    cache = sysctl.number("kstat.zfs.misc.arcstats.size") or 0
    kept = sysctl.number("kstat.zfs.misc.arcstats.c_min") or 0
    return pages * page + max(cache - kept, 0)


def used_swap(text: str) -> int | None:
    """Bytes of swap in use, from ``swapinfo -k``: device, blocks, used, available, capacity."""
    rows = re.findall(r"^/\S+\s+\d{1,15}\s+(\d{1,15})\s", text, re.M)
    return sum(int(one) for one in rows) * 1024 if text.strip() else None


def _memory(source: Source, sysctl: Sysctl, draft: Draft) -> None:
    usable = sysctl.number("hw.physmem")
    draft.read("memory.usable", usable or None, "sysctl hw.physmem")
    available = available_memory(sysctl)
    if available is not None and usable:
        draft.work_out(
            "memory.available", min(available, usable), "sysctl vm.stats: free and given back"
        )
    draft.read("memory.swap", sysctl.number("vm.swap_total"), "sysctl vm.swap_total")
    draft.read("memory.swap_used", used_swap(read_text(source, "swapinfo.txt") or ""), "swapinfo")


def _firmware(source: Source, sysctl: Sysctl, draft: Draft, serials: bool) -> None:
    table, entry = source.read(_TABLE), parse_entry(source.read(_ENTRY) or b"")
    if table:
        put_tables(decode(table, entry.version if entry else None), draft, serials)
    told = {
        key: value.strip('"')
        for key, value in values_in(read_text(source, "kenv.txt") or "").items()
    }
    machine = draft.machine
    if machine.system.maker is None and machine.system.model is None:
        maker, model = told.get("smbios.system.maker"), told.get("smbios.system.product")
        put_system(maker, model, "kenv", draft)
    if machine.memory.modules is None and machine.memory.installed is None:
        fitted = whole_number(told.get("smbios.memory.enabled", ""))
        draft.read("memory.installed", fitted and fitted * 1024, "kenv smbios.memory.enabled")
    if machine.firmware.version is None:
        draft.read("firmware.version", told.get("smbios.bios.version"), "kenv")
        draft.read("firmware.date", iso_date(told.get("smbios.bios.reldate")), "kenv")
    if machine.system.shape is None:
        shape = _shape(told.get("smbios.chassis.type", ""))
        draft.read("system.shape", shape, "kenv smbios.chassis.type")
    mode = (sysctl.text("machdep.bootmethod") or "").lower()
    draft.read("firmware.mode", mode if mode in ("bios", "uefi") else None,
               "sysctl machdep.bootmethod")  # fmt: skip
    module = next(
        (match[1] for key, value in sysctl.values.items() if key.startswith("dev.tpm")
         if (match := re.match(r"Trusted Platform Module (\d\.\d)", value))), None,
    )  # fmt: skip
    draft.read("firmware.security_module", module, "sysctl dev.tpm")
    if not table and draft.machine.system.virtual is False:
        draft.note(
            "the firmware tables are for root only: as root, gather adds modules, positions and "
            "ceiling, rated and running speeds"
        )


_CASES = {
    "desktop": 3, "low profile desktop": 4, "pizza box": 5, "mini tower": 6, "tower": 7,
    "portable": 8, "laptop": 9, "notebook": 10, "all in one": 13, "space-saving": 15,
    "main server chassis": 17, "rack mount chassis": 23, "tablet": 30, "convertible": 31,
    "detachable": 32, "mini pc": 35, "stick pc": 36,
}  # fmt: skip


def _shape(case: str) -> str | None:
    """The shape of a case that is told by its number or its name."""
    number = whole_number(case)
    return SHAPES.get(_CASES.get(case.lower(), 0) if number is None else number)


# --- storage ---------------------------------------------------------------------------------


class _Mounted(Struct):
    """A line of ``df -P -k``, in bytes."""

    device: str
    used: int
    free: int
    mount: str


def _mounted(text: str) -> list[_Mounted]:
    rows = re.findall(r"^(\S.*?)\s+\d{1,15}\s+(\d{1,15})\s+(-?\d{1,15})\s+\S+\s+(/.*)$", text, re.M)
    return [_Mounted(one, int(u) * 1024, max(int(f), 0) * 1024, m) for one, u, f, m in rows]


Drive = tuple[int | None, Literal["solid", "spinning"] | None]
"""Its size in bytes and its kind."""


def _drives(text: str) -> dict[str, Drive]:
    """Size and kind of each fixed drive, by name, from the tree of disk classes in XML."""
    found: dict[str, Drive] = {}
    if not text or "<!" in text:
        return found
    with suppress(ElementTree.ParseError):
        for one in ElementTree.fromstring(text).iter("class"):
            for provider in one.iter("provider") if one.findtext("name") == "DISK" else ():
                name, size = provider.findtext("name", ""), provider.findtext("mediasize", "")
                turns = provider.findtext("config/rotationrate", "")
                solid = turns == "0" or re.match(r"nvd|nda", name)
                turning = (whole_number(turns) or 0) > 1
                kind: Any = "solid" if solid else ("spinning" if turning else None)
                if bytes_ := whole_number(size):
                    found[name] = bytes_, kind
    return found


_NO_VOLUMES = ("devfs", "fdescfs", "procfs", "linprocfs", "linsysfs", "tmpfs", "map ")


def _pools(text: str) -> dict[str, list[_Mounted]]:
    """What is mounted, by the device or by the pool of ZFS that holds it."""
    found: dict[str, list[_Mounted]] = {}
    for one in _mounted(text):
        device = one.device.startswith("/dev/")
        if device or not (one.device.startswith(("/", *_NO_VOLUMES)) or ":" in one.device):
            name = one.device if device else one.device.partition("/")[0]
            found.setdefault(name, []).append(one)
    return found


def _storage(source: Source, draft: Draft) -> None:
    drives = _drives(read_text(source, "geom.xml") or "")
    unknown: Drive = (None, None)
    only = next(iter(drives.values())) if len(drives) == 1 else unknown
    volumes = []
    for name, those in _pools(read_text(source, "df.txt") or "").items():
        first = min(those, key=lambda one: len(one.mount))
        drive = re.match(r"/dev/([a-z]+\d+)", name)
        size, kind = drives.get(drive[1], only) if drive else only
        free = max(one.free for one in those)
        volumes.append(
            Volume(mount=volume_name(first.mount), size=free + sum(one.used for one in those),
                   free=free, drive=size, system=first.mount == "/", kind=kind,
                   external=first.mount.startswith("/media/"))
        )  # fmt: skip
    if volumes:
        draft.storage(volumes, "df")


# --- the running system ------------------------------------------------------------------------

ASKED = (
    "kern.ostype", "kern.osrelease", "kern.vm_guest", "kern.smp", "security.jail.jailed",
    "hw.model", "hw.machine", "hw.machine_arch", "hw.ncpu", "hw.physmem", "hw.pagesize",
    "machdep.bootmethod", "vm.stats.vm", "vm.swap_total", "kstat.zfs.misc.arcstats.size",
    "kstat.zfs.misc.arcstats.c_min", "dev.tpm", "dev.tpmcrb", "dev.tpmtis",
)  # fmt: skip
"""What is asked of ``sysctl``; names that are not there are left out."""


def ask_freebsd(when: str, ask: Callable[[list[str]], bytes] = ask) -> Captured:
    """The files of a FreeBSD capture, asked of the running system at a moment (RFC 3339)."""
    questions = {
        "sysctl.txt": ["/sbin/sysctl", "-i", *ASKED],
        "kenv.txt": ["/bin/kenv"],
        "df.txt": ["/bin/df", "-P", "-k"],
        "swapinfo.txt": ["/usr/sbin/swapinfo", "-k"],
        "geom.xml": ["/sbin/sysctl", "-n", "kern.geom.confxml"],
        "programs": ["/usr/local/sbin/pkg", "query", "%n\t%v"],
    }  # fmt: skip
    found = {"gathered": when.encode(), **{n: ask(words) for n, words in questions.items()}}
    with suppress(OSError), open("/var/run/dmesg.boot", "rb") as file:
        found[_MESSAGES] = file.read(1 << 20)
    found |= _tables(found["kenv.txt"].decode("utf-8", "replace"))
    return Captured({name: data for name, data in found.items() if data})


def _tables(kenv: str) -> dict[str, bytes]:
    """The firmware's tables from memory, as root; nothing else where it is not."""
    address = re.search(r'^hint\.smbios\.0\.mem="(0x[0-9a-fA-F]{1,16})"', kenv, re.M)
    if not address:
        return {}
    with suppress(OSError):
        memory = os.open("/dev/mem", os.O_RDONLY)
        try:
            entry = os.pread(memory, 32, int(address[1], 16))
            place, length = table_at(entry)
            return {_ENTRY: entry, _TABLE: os.pread(memory, length, place)} if length else {}
        finally:
            os.close(memory)
    return {}
