"""The readings of a machine sheet, one entry each with all that is known of it.

Lists of readings anywhere else are made from these.
"""

from typing import Literal

from msgspec import Struct

# fmt: off
ReadingKey = Literal[
    "memory.installed", "memory.usable", "memory.available", "memory.swap", "memory.swap_used",
    "memory.ceiling", "memory.position_most", "memory.addressable", "memory.limit", "memory.slots",
    "memory.modules", "processor.name", "processor.maker", "processor.line",
    "processor.generation", "processor.sockets", "processor.cores", "processor.threads",
    "processor.bits", "processor.architecture", "processor.clock", "processor.clock_most",
    "processor.instructions", "processor.hidden", "processor.level", "processor.virtualization",
    "system.maker", "system.model", "system.shape", "system.virtual", "system.os",
    "system.os_version", "system.family", "system.kernel", "system.os_bits",
    "system.architecture", "firmware.mode", "firmware.secure_boot", "firmware.version",
    "firmware.date", "firmware.security_module", "storage.size", "storage.free", "storage.drive",
    "storage.kind", "graphics.memory", "graphics", "display", "software", "storage.data",
    "usage.memory_use", "usage.cores_use",
]
# fmt: on
"""Every reading by its dotted key on a machine sheet."""
Fact = Literal[
    "processor.complete", "software.complete", "firmware.looked_at", "publisher.generation",
    "system.wanted", "usage.in_use", "memory.least", "memory.most", "memory.most_shown",
    "memory.fixed", "extra.cores_off", "extra.threads_off",
]  # fmt: skip
"""What rules read besides: no reading of a machine."""
RuleKey = ReadingKey | Fact
"""What the rule of a need may read."""
Unasked = Literal["processor.cores_by_kind", "processor.caches", "system.serial"]
"""What a sheet has besides, and no need asks for."""

ANY = "any"
"""Any other system, and one that is not known."""


class Reading(Struct, frozen=True):
    """One reading: what it is called, what it follows from, and where people find it."""

    key: ReadingKey
    kind: str
    """The kind of value that it holds; empty for what no sheet has."""
    label: str
    short: str = ""
    """The needs' name for it."""
    words: tuple[str, ...] = ()
    """What the trade says for it."""
    never_zero: bool = False
    """Whether every machine has some, so that a zero is a fault and no fact."""
    follows: tuple[ReadingKey, ...] = ()
    """The readings from which it is worked out where it is not read."""
    told: str = ""
    """What it is called back as once somebody told it."""
    example: str = ""
    """What a caller may answer; empty where the kind tells that."""
    look: dict[str, str] = {}
    """Where a technician finds it, by the family of the system."""
    ask: dict[str, str] = {}
    """What to say to a caller who shall find it, by the family of the system."""


_ABOUT = "Press the Windows key, type About, press Enter; read out the line '{}'."
_TASKS = "Press Ctrl, Shift and Escape together, choose Performance, then {}; read out '{}'."
_INFO = "Press the Windows key, type System Information, press Enter; read out the line '{}'."
_MAC = "Click the apple at the top left, then About This Mac; read out '{}'."
_SETTINGS = "Open the system's settings, then About; read out '{}'."

# fmt: off
READINGS = (
    Reading(
        "memory.installed", "memory", "memory fitted", short="memory", words=("ram",),
        never_zero=True,
        follows=("memory.modules", "memory.usable", "memory.addressable", "system.virtual"),
        told="{} fitted", example="8 GB, or 8.0 GB (7.8 GB usable)",
        look={
            "windows": "Task Manager, Performance, Memory: the figure at the top right",
            "macos": "Apple menu, About This Mac: Memory",
            "linux": "run `tallcheck gather` as root, or read the modules' labels",
            "any": "the labels of the modules",
        },
        ask={
            "windows": _ABOUT.format("Installed RAM"),
            "macos": _MAC.format("Memory"),
            "other": _SETTINGS.format("Memory"),
        },
    ),
    Reading(
        "memory.usable", "memory", "memory the system can use", short="usable", never_zero=True,
        follows=("memory.installed", "memory.addressable", "memory.limit"), told="{} usable",
        look={
            "windows": "Settings, System, About: Installed RAM, the figure in brackets",
            "any": "`free -h`: total",
        },
        ask={"windows": _ABOUT.format("Installed RAM")},
    ),
    Reading(
        "memory.available", "memory", "memory available now", short="available",
        told="{} available",
        look={
            "windows": "Task Manager, Performance, Memory: Available",
            "macos": "Activity Monitor, Memory",
            "any": "run `free -h` and read the column 'available'",
        },
        ask={"windows": _TASKS.format("Memory", "Available")},
    ),
    Reading("memory.swap", "memory", "swap space"),
    Reading("memory.swap_used", "memory", "swap space in use"),
    Reading(
        "memory.ceiling", "memory", "most memory the board takes", short="ceiling",
        look={"linux": "the maker's page for this model, or `tallcheck gather` as root",
              "any": "the maker's page for this model"},
    ),
    Reading("memory.position_most", "memory", "largest module a position takes",
            look={"any": "the maker's page for this model"}),
    Reading(
        "memory.addressable", "memory", "memory the system can address",
        follows=("system.os_bits",),
    ),
    Reading(
        "memory.limit", "memory", "limit set on the memory", never_zero=True,
        look={"linux": "`cat /proc/cmdline`: what is behind mem=",
              "windows": "run `msconfig`, Boot, Advanced options: Maximum memory"},
    ),
    Reading(
        "memory.slots", "count", "memory positions", short="slots", told="{} positions",
        follows=("memory.modules", "processor.line", "processor.name"),
        look={
            "windows": "Task Manager, Performance, Memory: Slots used",
            "linux": "`tallcheck gather` as root, or open the case",
            "any": "open the case",
        },
        ask={"windows": _TASKS.format("Memory", "Slots used")},
    ),
    Reading(
        "memory.modules", "modules", "memory modules", short="modules",
        ask={"any": "Only with the case open, or from the machine's papers."},
    ),
    Reading(
        "processor.name", "text", "processor's name", short="processor", words=("cpu",),
        example="the name as it stands there, or line and generation",
        look={
            "windows": "Settings, System, About: Processor",
            "macos": "Apple menu, About This Mac: Chip or Processor",
            "any": "the line 'model name' in /proc/cpuinfo",
        },
        ask={
            "windows": _ABOUT.format("Processor"),
            "macos": _MAC.format("Chip or Processor"),
            "other": _SETTINGS.format("Processor"),
        },
    ),
    Reading("processor.maker", "text", "processor's maker", follows=("processor.name",)),
    Reading(
        "processor.line", "text", "processor line", short="line", follows=("processor.name",),
        ask={"windows": _ABOUT.format("Processor")},
    ),
    Reading(
        "processor.generation", "count", "processor generation", short="generation",
        follows=("processor.name", "processor.line"), told="generation {}",
        look={
            "windows": "Settings, System, About: the processor's full name tells it",
            "any": "the processor's full name tells it: the line 'model name' in /proc/cpuinfo",
        },
        ask={"windows": _ABOUT.format("Processor")},
    ),
    Reading("processor.sockets", "count", "sockets", never_zero=True),
    Reading(
        "processor.cores", "count", "cores", short="cores", never_zero=True, told="{} cores",
        follows=("processor.name", "processor.sockets", "processor.threads"),
        look={
            "windows": "Task Manager, Performance, CPU: Cores (not Logical processors)",
            "macos": "Terminal: sysctl hw.physicalcpu",
            "any": "`lscpu`: cores per socket times sockets",
        },
        ask={"windows": _TASKS.format("CPU", "Cores")},
    ),
    Reading(
        "processor.threads", "count", "threads", short="threads", never_zero=True,
        told="{} threads", follows=("processor.name", "processor.sockets", "processor.cores"),
        look={
            "windows": "Task Manager, Performance, CPU: Logical processors",
            "macos": "Terminal: sysctl hw.logicalcpu",
            "any": "`nproc --all`",
        },
        ask={"windows": _TASKS.format("CPU", "Logical processors")},
    ),
    Reading(
        "processor.bits", "bits", "bits of the processor", short="processor_bits", never_zero=True,
        follows=("processor.architecture", "system.os_bits", "processor.name", "processor.line"),
        told="a {} processor",
        look={
            "windows": "Settings, System, About: System type, 'x64-based processor' is 64 bits",
            "any": "`lscpu`: CPU op-mode(s)",
        },
        ask={"windows": _ABOUT.format("System type")},
    ),
    Reading(
        "processor.architecture", "text", "architecture of the processor", short="architecture",
        follows=("processor.bits", "processor.instructions", "processor.name", "processor.line"),
        look={
            "windows": "Settings, System, About: System type",
            "any": "`lscpu`: Architecture",
        },
        ask={"windows": _ABOUT.format("System type")},
    ),
    Reading(
        "processor.clock", "clock", "nominal clock", short="clock", never_zero=True,
        follows=("processor.name",),
        look={
            "windows": "Task Manager, Performance, CPU: Base speed",
            "any": "the maker's page for the processor, by its full name: base clock",
        },
        ask={"windows": _TASKS.format("CPU", "Base speed")},
    ),
    Reading("processor.clock_most", "clock", "highest clock", never_zero=True),
    Reading(
        "processor.instructions", "sets", "instruction sets", short="instructions",
        follows=("processor.name",),
        look={
            "macos": "Terminal: sysctl machdep.cpu.features machdep.cpu.leaf7_features",
            "linux": "the line 'flags' in /proc/cpuinfo",
            "any": "the maker's page for the processor, by its full name",
        },
        ask={"windows": _ABOUT.format("Processor")},
    ),
    Reading("processor.hidden", "sets", "hidden instruction sets"),
    Reading(
        "processor.level", "text", "x86-64 level", short="level",
        follows=("processor.instructions", "processor.bits", "processor.name"),
    ),
    Reading(
        "processor.virtualization", "text", "virtualization", short="virtualization",
        look={
            "windows": "Task Manager, Performance, CPU: Virtualization",
            "any": "`lscpu`: Virtualization; or the firmware's settings",
        },
        ask={"windows": _TASKS.format("CPU", "Virtualization")},
    ),
    Reading(
        "system.maker", "text", "maker", short="maker",
        ask={"windows": _INFO.format("System Manufacturer")},
    ),
    Reading(
        "system.model", "text", "model", short="model",
        ask={"windows": _INFO.format("System Model")},
    ),
    Reading(
        "system.shape", "text", "shape of the machine", short="shape", example="notebook",
        look={"any": "ask what it looks like: desktop, tower, notebook, all-in-one …"},
        ask={"any": "What does it look like: a notebook, a desktop, a tower, an all-in-one?"},
    ),
    Reading("system.virtual", "flag", "virtual machine", short="virtual"),
    Reading(
        "system.os", "text", "operating system", short="os", words=("system",),
        example="Merrow 10",
        look={
            "windows": "press the Windows key and R, type winver",
            "any": "the file /etc/os-release, or the system's About page",
        },
        ask={
            "windows": _ABOUT.format("Edition"),
            "macos": _MAC.format("macOS"),
            "other": _SETTINGS.format("OS Name"),
        },
    ),
    Reading(
        "system.os_version", "text", "version of the system", short="os_version",
        told="version {}",
        look={
            "windows": "press the Windows key and R, type winver",
            "any": "the file /etc/os-release, or the system's About page",
        },
        ask={
            "windows": _ABOUT.format("Edition"),
            "macos": _MAC.format("macOS"),
            "other": _SETTINGS.format("OS Name"),
        },
    ),
    Reading(
        "system.family", "text", "family of the system", short="os_family", follows=("system.os",),
    ),
    Reading("system.kernel", "text", "version of the kernel"),
    Reading(
        "system.os_bits", "bits", "bits of the running system", short="os_bits", words=("bits",),
        follows=("system.architecture", "processor.bits", "system.os", "system.os_version"),
        told="a {} system",
        look={
            "windows": "Settings, System, About: System type, '64-bit operating system'",
            "any": "`getconf LONG_BIT`",
        },
        ask={"windows": _ABOUT.format("System type"), "other": _SETTINGS.format("OS Type")},
    ),
    Reading(
        "system.architecture", "text", "architecture of the running system",
        follows=("system.os_bits",),
    ),
    Reading(
        "firmware.mode", "text", "firmware mode", short="firmware", example="UEFI",
        look={
            "windows": "press the Windows key, type System Information: BIOS Mode",
            "any": "/sys/firmware/efi exists under UEFI",
        },
        ask={"windows": _INFO.format("BIOS Mode")},
    ),
    Reading(
        "firmware.secure_boot", "text", "secure boot", short="secure_boot", example="on",
        look={
            "windows": "press the Windows key, type System Information: Secure Boot State",
            "any": "the firmware's settings, under Boot or Security",
        },
        ask={"windows": _INFO.format("Secure Boot State")},
    ),
    Reading("firmware.version", "text", "firmware version"),
    Reading("firmware.date", "text", "firmware date"),
    Reading(
        "firmware.security_module", "text", "security module", short="security_module",
        words=("tpm",), example="2.0, or none",
        look={
            "windows": "press the Windows key and R, type tpm.msc: Specification Version",
            "any": "/sys/class/tpm/tpm0/tpm_version_major, or the firmware's settings",
        },
        ask={
            "windows": "Press the Windows key, type tpm.msc, press Enter; read out 'Specification "
            "Version'. Where it finds none, look in the firmware's settings, too.",
        },
    ),
    Reading("storage.size", "storage", "size of the system volume", told="a volume of {}"),
    Reading(
        "storage.free", "storage", "free space on the system volume", short="storage_free",
        words=("free",), told="{} free", example="60 GB",
        look={"windows": "File Explorer, This PC: free space on drive C", "any": "`df -h /`"},
        ask={
            "windows": "Open the Explorer, then This PC; read out what is free on drive C.",
            "macos": "Click the apple, then System Settings, General, Storage; read what is free.",
        },
    ),
    Reading(
        "storage.drive", "storage", "size of the system drive", short="storage",
        words=("disk", "drive", "ssd", "hdd"), told="a drive of {}",
        look={
            "windows": "Task Manager, Performance, Disk: Capacity",
            "macos": "Disk Utility: the internal drive's capacity",
            "any": "`lsblk -d`",
        },
        ask={
            "windows": _TASKS.format("Disk 0", "Capacity"),
            "macos": "Open Disk Utility, choose the drive at the top; read out its capacity.",
            "other": _SETTINGS.format("Disk"),
        },
    ),
    Reading(
        "storage.kind", "text", "kind of the system drive", short="storage_kind", example="SSD",
        look={
            "windows": "Task Manager, Performance, Disk: SSD or HDD",
            "any": "`lsblk -d -o name,rota`: 0 is solid",
        },
        ask={"windows": _TASKS.format("Disk 0", "Type")},
    ),
    Reading(
        "graphics.memory", "memory", "graphics memory", short="graphics_memory", words=("vram",),
        look={"any": "the graphics adapter's name on its maker's page"},
    ),
    Reading(
        "graphics", "graphics", "graphics interfaces", words=("gpu",),
        follows=("graphics.memory",),
        look={"any": "the graphics adapter's name on its maker's page"},
    ),
    Reading(
        "display", "text", "display", example="1920x1080",
        look={"any": "the system's display settings: resolution"},
        ask={
            "windows": "Right-click the desktop, choose Display settings; read out 'Display "
            "resolution'.",
        },
    ),
    Reading(
        "software", "software", "installed programs",
        look={"any": "the system's list of installed programs"},
    ),
    Reading(
        "storage.data", "", "volumes for data", follows=("storage.size",),
        look={"any": "the system's list of volumes"},
    ),
    Reading(
        "usage.memory_use", "", "memory in use over time",
        look={"any": "a usage log of an ordinary day"},
    ),
    Reading(
        "usage.cores_use", "", "cores busy over time",
        look={"any": "a usage log of an ordinary day"},
    ),
)
# fmt: on
ENTRIES: dict[str, Reading] = {one.key: one for one in READINGS}
"""The entries by key."""
