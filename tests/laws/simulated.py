"""A machine that is drawn, written as a system would show it, lies and all, and read back.

No reading that comes back may differ from what was drawn. What is not known is no fault.
"""

from collections.abc import Iterator
from typing import Any

from hypothesis import assume
from hypothesis import strategies as st

from tallcheck.core.machine.amounts import likely_fitted
from tallcheck.core.machine.normalized import Normalized, normalized
from tallcheck.core.machine.readings import get
from tallcheck.core.machine.sheet import system_volume
from tallcheck.gather import gather
from tallcheck.gather.source import Captured
from tests.helpers import GIB, VOCABULARY
from tests.laws.doors import DOORS, MIB
from tests.laws.law import Law
from tests.laws.lies import ALONE, LIES

_SYSTEMS = {
    "linux": [("Debian GNU/Linux", "12"), ("Ubuntu", "24.04"), ("Fedora Linux", "41")],
    "windows": [("Windows", "7"), ("Windows", "8.1"), ("Windows", "10"), ("Windows", "11"),
                ("Windows Server", "2019"), ("Windows Server", "2022")],
    "macos": [("macOS", "10.13.6"), ("macOS", "12.7"), ("macOS", "14.4"), ("macOS", "15.1")],
}  # fmt: skip
_PROCESSORS = {
    "x86": ["Intel(R) Pentium(R) M processor 1.60GHz", "AMD Athlon(tm) XP 2400+"],
    "x86-64": ["Intel(R) Core(TM) i5-8365U CPU @ 1.60GHz", "AMD Ryzen 5 3600 6-Core Processor",
               "Intel(R) Xeon(R) Gold 6230 CPU @ 2.10GHz", "12th Gen Intel(R) Core(TM) i7-1260P"],
    "arm64": ["Snapdragon(R) X Elite - X1E78100"],
}  # fmt: skip
_HOSTS = [("QEMU", "Standard PC (Q35 + ICH9, 2009)"), ("VMware, Inc.", "VMware20,1"),
          ("Microsoft Corporation", "Virtual Machine"), ("innotek GmbH", "VirtualBox")]  # fmt: skip
_BOARDS = [("DDR3", "DIMM"), ("DDR3", "SODIMM"), ("DDR4", "DIMM"), ("DDR4", "SODIMM"),
           ("DDR5", "DIMM"), ("DDR5", "SODIMM"), ("LPDDR4", "row of chips"),
           ("LPDDR5", "row of chips")]  # fmt: skip
_MACS = [
    ("Macmini9,1", "mini", "arm64"),
    ("MacBookPro14,1", "notebook", "x86-64"),
    ("iMac19,1", "all-in-one", "x86-64"),
    ("MacPro6,1", "tower", "x86-64"),
]
_ON_PACKAGE = {"Macmini9,1", "MacBookPro14,1"}
_SOLDERED = {"chip", "row of chips"}
_SHAPES = {"notebook": 10, "desktop": 3, "tower": 7, "server": 23, "mini": 35, "all-in-one": 13}


@st.composite
def machines(draw: st.DrawFn) -> dict[str, Any]:
    """A machine that could be built, as plain values; sizes in bytes."""
    door = draw(st.sampled_from(sorted(DOORS)))
    system = DOORS[door].system
    architecture = draw(st.sampled_from(["x86-64"] * 6 + ["x86", "arm64"]))
    model, shape = "Bench 4", draw(st.sampled_from(sorted(_SHAPES)))
    if system == "macos":
        model, shape, architecture = draw(st.sampled_from(_MACS))
    host = draw(st.sampled_from([None] * 5 + _HOSTS)) if architecture == "x86-64" else None
    host = None if system == "macos" else host
    kind, form = draw(st.sampled_from(_BOARDS))
    on_package = model in _ON_PACKAGE or architecture == "arm64"
    kind, form = ("LPDDR4", "row of chips") if on_package else (kind, form)
    soldered = form == "row of chips"
    count = draw(st.sampled_from([1, 2, 2, 4, 4, 8]))
    each = draw(st.sampled_from([1, 2, 4, 8, 16, 32]))
    empty = 0 if soldered else draw(st.integers(0, count - 1))
    other = draw(st.sampled_from([each, each, 2 * each])) if count - empty > 1 else each
    sizes = [each * GIB] * (count - empty - 1) + [other * GIB] + [0] * empty
    sockets = draw(st.sampled_from([1, 1, 1, 2, 4])) if form == "DIMM" else 1
    cores, threads = draw(st.integers(1, 16)), draw(st.sampled_from([1, 2, 2]))
    cores, threads = (1, 1) if architecture == "x86" else (cores, threads)
    off = draw(st.sampled_from(["", "", "", "smt", "cores"])) if system == "linux" else ""
    off = "" if (threads if off == "smt" else cores) == 1 else off
    release = draw(st.sampled_from(_SYSTEMS[system][: 3 if architecture == "x86" else None]))
    could = system == "linux" or release[1] in ("7", "8.1", "10")  # be of 32 bits
    narrow = architecture == "x86" or (architecture == "x86-64" and draw(st.integers(0, 6)) == 0)
    bits = 32 if narrow and could else 64
    limit = group = None
    if system == "linux":
        limit = draw(st.sampled_from([None] * 6 + [2 * GIB]))
        group = draw(st.sampled_from([None] * 8 + [GIB // 2, 768 * MIB]))
    fitted = sum(sizes)
    assume(likely_fitted(float(fitted)) == fitted)  # others cannot be worked out of what is usable
    # a narrow system of a client reaches 4 GB less what devices take there
    reach = min(fitted, limit or fitted, *([3 * GIB + 512 * MIB] if bits == 32 else []))
    kept = draw(st.integers(30, 190)) * MIB if fitted >= 2 * GIB else 40 * MIB
    drive = draw(st.sampled_from([128, 256, 500, 1000])) * 10**9
    return {
        "door": door, "system": list(release), "architecture": architecture, "os_bits": bits,
        "host": list(host) if host else None, "type": kind, "form": form, "sizes": sizes,
        "ceiling": max(draw(st.sampled_from([fitted, 2 * fitted, 4 * fitted])), GIB),
        "model": model, "shape": shape,
        "processor": draw(st.sampled_from(_PROCESSORS[architecture])),
        "sockets": sockets, "cores": cores, "threads": threads,
        "off": off, "arrays": sockets if count % sockets == 0 else 1, "group": group,
        "limit": limit, "usable": reach - kept, "drive": drive, "free": drive // 3 // 1024 * 1024,
        "solid": draw(st.booleans()), "mode": draw(st.sampled_from(["uefi", "bios"])),
        "lies": draw(
            st.lists(st.sampled_from(sorted(LIES)), max_size=3, unique=True).filter(
                lambda lies: not any(both <= {*lies} for both in ALONE)
            )
        ),
    }  # fmt: skip


def truth(drawn: dict[str, Any]) -> dict[str, Any]:
    """Readings by key as they are, whatever a system shows of them."""
    virtual = drawn["host"] is not None
    group, sizes = drawn["group"], drawn["sizes"]
    cores = drawn["cores"] * drawn["sockets"] - (drawn["off"] == "cores")
    each = 1 if drawn["off"] == "smt" else drawn["threads"]
    found = {
        "memory.usable": drawn["usable"] if group is None else group,
        "memory.limit": drawn["limit"] if group is None else group,
        "processor.cores": cores,
        "processor.threads": cores * each,
        "processor.sockets": drawn["sockets"],
        "processor.bits": 32 if drawn["architecture"] == "x86" else 64,
        "processor.architecture": drawn["architecture"],
        "system.os": drawn["system"][0],
        "system.os_version": drawn["system"][1],
        "system.os_bits": drawn["os_bits"],
        "system.architecture": "x86" if drawn["os_bits"] == 32 else drawn["architecture"],
        "system.virtual": virtual or group is not None,
        "firmware.mode": drawn["mode"],
        "storage.drive": drawn["drive"],
        "storage.free": drawn["free"],
        "storage.kind": None if virtual or group else ("solid" if drawn["solid"] else "spinning"),
    }
    if not virtual and group is None:  # what is fitted is the host's there
        found |= {
            "system.shape": drawn["shape"],
            "memory.installed": sum(sizes),
            # what is soldered has no positions, or as many as it has pieces
            "memory.slots": None if drawn["form"] in _SOLDERED else len(sizes),
            "memory.ceiling": drawn["ceiling"],
            "memory.sizes": sorted(size for size in sizes if size),
            "memory.type": {drawn["type"]},
            "memory.form": {"soldered" if drawn["form"] in _SOLDERED else drawn["form"]},
        }
    return found


def read(drawn: dict[str, Any]) -> Normalized:
    """What is known of a drawn machine after its door and its lies."""
    shown = DOORS[drawn["door"]].shows(drawn, _SHAPES)
    lies = [
        lie for name, lie in LIES.items()
        if name in drawn["lies"] and drawn["door"] in lie.doors
    ]  # fmt: skip
    for lie in lies:
        lie.shown(shown)
    files = DOORS[drawn["door"]].written(shown)
    for lie in lies:
        lie.written(files)
    return normalized(gather(Captured(files), "bench", VOCABULARY), VOCABULARY)


def readings(drawn: dict[str, Any]) -> Iterator[tuple[str, Any, Any]]:
    """Key, what is so, and what was read, None where it is not known."""
    machine = read(drawn).machine
    modules = machine.memory.modules or []
    volume = system_volume(machine)
    for key, value in truth(drawn).items():
        section, _, name = key.partition(".")
        filled = [one for one in modules if one.size]
        if key == "memory.sizes":
            known: Any = None if None in [one.size for one in modules] else sorted(
                one.size or 0 for one in filled) or None  # fmt: skip
        elif key in ("memory.type", "memory.form"):
            told = {getattr(one, name) for one in filled} - {None}
            known = {"soldered" if one in _SOLDERED else one for one in told} or None
        elif section == "storage":
            known = getattr(volume, name) if volume is not None else None
        else:
            known = get(machine, key)
        yield key, value, known


def _holds(drawn: dict[str, Any]) -> None:
    for key, value, known in readings(drawn):
        assert value is None or known is None or known == value, (
            f"{key}: {known} was read of {value}"
        )


SIMULATED = Law(
    "simulated",
    "No reading of a drawn machine is wrong, through any door and any lie.",
    machines(),
    _holds,
)
