"""The machine sheet: one machine's readings, each with its origin.

Absent (None) means unknown. Zero, an empty list and ``"none"`` mean known to be none.
Sizes are bytes, clocks Hz, memory speeds MT/s.
"""

from typing import Annotated, Any, Literal, get_args

from msgspec import Meta, Struct, field

from tallcheck.core.values.kinds import COUNT_MOST, KIND, SIZE_MOST

SHEET_FORMAT: Literal["machine/1"] = "machine/1"
SHEET_ENDING = ".machine.json"
CAPTURE_ENDINGS = (".tar.gz", ".tgz", ".tar.xz", ".tar.bz2", ".tar", ".zip")
"""Files that hold a captured tree of a machine, of which a sheet is made."""

OR_TEXT = "x-or-text"
"""Marks, in the schema, numbers that may be written as text with a unit."""

POSITIONS_MOST = 1024
"""More memory positions than any board has."""


def _or_text(kind: str, text: str, least: int, most: int) -> Meta:
    """What bounds a number that may be written as text with a unit, as its kind is read."""
    schema = {OR_TEXT: True}
    return Meta(ge=least, le=most, description=text, extra_json_schema=schema, extra={KIND: kind})


_BYTES = 'Bytes, or text such as "8 GB".'
Size = Annotated[int, _or_text("memory", _BYTES, 0, SIZE_MOST)]
TotalSize = Annotated[int, _or_text("memory", _BYTES, 1, SIZE_MOST)]
DriveSize = Annotated[int, _or_text("storage", _BYTES, 0, SIZE_MOST)]
Clock = Annotated[int, _or_text("clock", 'Hz, or text such as "2.1 GHz".', 1, SIZE_MOST)]
Speed = Annotated[int, _or_text("speed", 'MT/s, or text such as "3200 MT/s".', 0, COUNT_MOST)]
Millivolts = Annotated[int, Meta(gt=0, le=10_000, description="mV")]
Count = Annotated[int, Meta(ge=0, le=COUNT_MOST)]
Some = Annotated[int, Meta(gt=0, le=COUNT_MOST)]
Positions = Annotated[int, Meta(ge=0, le=POSITIONS_MOST)]
Text = Annotated[str, Meta(max_length=4096)]

Shape = Literal[
    "desktop", "tower", "mini", "all-in-one", "notebook", "tablet", "server", "board"
]  # fmt: skip
Architecture = Literal[
    "x86-64", "x86", "arm64", "arm", "riscv64", "riscv32", "ppc64le", "ppc64", "ppc", "s390x",
    "loongarch64", "mips64", "mips", "ia64", "sparc64", "sparc", "alpha", "parisc", "m68k", "sh4",
]  # fmt: skip
ARCHITECTURES: tuple[str, ...] = get_args(Architecture)
Level = Literal["x86-64-v1", "x86-64-v2", "x86-64-v3", "x86-64-v4"]
How = Literal["read", "worked out", "told"]


class Part(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Base of every table on a sheet: strict, unchangeable, unknown readings left out."""


class Module(Part, frozen=True):
    """One memory position and what sits in it; ``size`` 0 is an empty position.

    A ``persistent`` module is no memory, and takes the position from one that would be.
    """

    slot: Text | None = None
    size: Size | None = None
    type: Text | None = None
    form: Text | None = None
    speed: Speed | None = None
    running: Speed | None = None
    maker: Text | None = None
    part: Text | None = None
    serial: Text | None = None
    channel: Text | None = None
    bank: Text | None = None
    rank: Count | None = None
    ecc: bool | None = None
    registered: bool | None = None
    load_reduced: bool | None = None
    voltage: Millivolts | None = None
    persistent: bool | None = None
    fixed: bool | None = None


class Memory(Part, frozen=True):
    """Fitted, usable and addressable memory, the board's limits, and the modules."""

    installed: TotalSize | None = None
    usable: TotalSize | None = None
    available: Size | None = None
    swap: Size | None = None
    swap_used: Size | None = None
    ceiling: Size | None = None
    position_most: Size | None = None
    addressable: Size | None = None
    limit: TotalSize | None = None
    slots: Positions | None = None
    modules: Annotated[list[Module], Meta(max_length=POSITIONS_MOST)] | None = None


class Cache(Part, frozen=True):
    """One level of cache: bytes of each, and how many there are."""

    size: Size | None = None
    count: Count | None = None


class Kit(list[Module]):
    """Modules told without their positions: how many more there are is not said."""


class Processor(Part, frozen=True):
    """What the processor is and can do; cores are physical, threads logical processors."""

    name: Text | None = None
    maker: Text | None = None
    line: Text | None = None
    generation: Count | None = None
    sockets: Some | None = None
    cores: Some | None = None
    threads: Some | None = None
    cores_by_kind: dict[str, Count] | None = None
    bits: Literal[16, 32, 64] | None = None
    architecture: Architecture | None = None
    clock: Clock | None = None
    clock_most: Clock | None = None
    instructions: list[Text] | None = None
    hidden: list[Text] | None = None
    level: Level | None = None
    caches: dict[str, Cache] | None = None
    virtualization: Literal["on", "able", "none"] | None = None


class System(Part, frozen=True):
    """The machine as sold, and the operating system that runs on it."""

    maker: Text | None = None
    model: Text | None = None
    serial: Text | None = None
    shape: Shape | None = None
    virtual: bool | None = None
    os: Text | None = None
    os_version: Text | None = None
    family: Text | None = None
    kernel: Text | None = None
    os_bits: Literal[16, 32, 64] | None = None
    architecture: Architecture | None = None


class Firmware(Part, frozen=True):
    """Firmware mode, secure boot, version, and the version of the security module."""

    mode: Literal["uefi", "bios"] | None = None
    secure_boot: Literal["on", "able", "none"] | None = None
    version: Text | None = None
    date: Text | None = None
    security_module: Text | None = None


class Volume(Part, frozen=True):
    """One storage volume, and the whole size of the drive that holds it."""

    mount: Text | None = None
    size: DriveSize | None = None
    free: DriveSize | None = None
    drive: DriveSize | None = None
    system: bool | None = None
    kind: Literal["solid", "spinning"] | None = None
    external: bool | None = None
    encrypted: bool | None = None


class Graphics(Part, frozen=True):
    """One graphics adapter: its own memory and the interfaces it offers, with versions."""

    name: Text | None = None
    memory: Size | None = None
    api: dict[str, Text] | None = None


class Program(Part, frozen=True):
    """One installed program."""

    name: Text
    version: Text | None = None


class Origin(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Where a reading came from: ``read``, ``worked out`` or ``told``, and from what."""

    how: How
    source: Text = field(name="from", default="")


class Doubt(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Readings that cannot all be true: the keys it is about, and why.

    ``values``: the readings by each source, where each gave some; what one leaves out is unknown
    if it is right.
    """

    about: list[Text]
    text: Text
    values: list[dict[Text, int | float | bool | Text]] = []


class Machine(Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """One machine's readings."""

    tallcheck: Literal["machine/1"] = field()
    name: Text = field()
    gathered: Text | None = None
    memory: Memory = Memory()
    processor: Processor = Processor()
    system: System = System()
    firmware: Firmware = Firmware()
    storage: list[Volume] | None = None
    graphics: list[Graphics] | None = None
    display: Text | None = None
    software: list[Program] | None = None
    extra: dict[str, Any] | None = None
    origins: dict[str, Origin] = {}
    doubts: list[Doubt] = []
    notes: list[Text] = []


def system_volume(machine: Machine) -> Volume | None:
    """The volume that holds the system: the one marked so, else the only one there is."""
    volumes = machine.storage or []
    marked = [volume for volume in volumes if volume.system]
    if marked:
        return marked[0]
    return volumes[0] if len(volumes) == 1 and volumes[0].system is None else None
