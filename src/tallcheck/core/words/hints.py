"""How to get a missing reading, in one line, on the system the machine runs."""

_ANY = "any"

# reading: system family (as its name begins, lower case) or "any" -> what to do
_HOW: dict[str, dict[str, str]] = {
    "memory.installed": {
        "windows": "Task Manager, Performance, Memory: the figure at the top right",
        "macos": "Apple menu, About This Mac: Memory",
        _ANY: "run `tallcheck gather` as root, or read the modules' labels",
    },
    "memory.available": {
        "windows": "Task Manager, Performance, Memory: Available",
        "macos": "Activity Monitor, Memory",
        _ANY: "run `free -h` and read the column 'available'",
    },
    "memory.usable": {
        "windows": "Settings, System, About: Installed RAM, the figure in brackets",
        _ANY: "`free -h`: total",
    },
    "usage.memory_use": {_ANY: "a usage log of an ordinary day"},
    "usage.cores_use": {_ANY: "a usage log of an ordinary day"},
    "storage.data": {_ANY: "the system's list of volumes"},
    "memory.ceiling": {_ANY: "the maker's page for this model, or `tallcheck gather` as root"},
    "memory.slots": {
        "windows": "Task Manager, Performance, Memory: Slots used",
        _ANY: "`tallcheck gather` as root, or open the case",
    },
    "processor.name": {
        "windows": "Settings, System, About: Processor",
        "macos": "Apple menu, About This Mac: Chip or Processor",
        _ANY: "the line 'model name' in /proc/cpuinfo",
    },
    "processor.generation": {
        "windows": "Settings, System, About: the processor's full name tells it",
        _ANY: "the processor's full name tells it: the line 'model name' in /proc/cpuinfo",
    },
    "processor.cores": {
        "windows": "Task Manager, Performance, CPU: Cores (not Logical processors)",
        "macos": "Terminal: sysctl hw.physicalcpu",
        _ANY: "`lscpu`: cores per socket times sockets",
    },
    "processor.threads": {
        "windows": "Task Manager, Performance, CPU: Logical processors",
        "macos": "Terminal: sysctl hw.logicalcpu",
        _ANY: "`nproc --all`",
    },
    "processor.clock": {
        "windows": "Task Manager, Performance, CPU: Base speed",
        _ANY: "the processor's full name on the maker's page: base clock",
    },
    "processor.bits": {
        "windows": "Settings, System, About: System type, 'x64-based processor' is 64 bits",
        _ANY: "`lscpu`: CPU op-mode(s)",
    },
    "processor.architecture": {
        "windows": "Settings, System, About: System type",
        _ANY: "`lscpu`: Architecture",
    },
    "processor.instructions": {
        "macos": "Terminal: sysctl machdep.cpu.features machdep.cpu.leaf7_features",
        "linux": "the line 'flags' in /proc/cpuinfo",
        _ANY: "the processor's full name on the maker's page: instruction sets",
    },
    "processor.virtualization": {
        "windows": "Task Manager, Performance, CPU: Virtualization",
        _ANY: "`lscpu`: Virtualization; or the firmware's settings",
    },
    "system.shape": {_ANY: "ask what it looks like: desktop, tower, notebook, all-in-one …"},
    "system.os": {
        "windows": "press the Windows key and R, type winver",
        _ANY: "the file /etc/os-release, or the system's About page",
    },
    "system.os_version": {
        "windows": "press the Windows key and R, type winver",
        _ANY: "the file /etc/os-release, or the system's About page",
    },
    "system.os_bits": {
        "windows": "Settings, System, About: System type, '64-bit operating system'",
        _ANY: "`getconf LONG_BIT`",
    },
    "storage.drive": {
        "windows": "Task Manager, Performance, Disk: Capacity",
        "macos": "Disk Utility: the internal drive's capacity",
        _ANY: "`lsblk -d`",
    },
    "storage.free": {
        "windows": "File Explorer, This PC: free space on drive C",
        _ANY: "`df -h /`",
    },
    "storage.kind": {
        "windows": "Task Manager, Performance, Disk: SSD or HDD",
        _ANY: "`lsblk -d -o name,rota`: 0 is solid",
    },
    "firmware.mode": {
        "windows": "press the Windows key, type System Information: BIOS Mode",
        _ANY: "/sys/firmware/efi exists under UEFI",
    },
    "firmware.secure_boot": {
        "windows": "press the Windows key, type System Information: Secure Boot State",
        _ANY: "the firmware's settings, under Boot or Security",
    },
    "firmware.security_module": {
        "windows": "press the Windows key and R, type tpm.msc: Specification Version",
        _ANY: "/sys/class/tpm/tpm0/tpm_version_major, or the firmware's settings",
    },
    "graphics.memory": {_ANY: "the graphics adapter's name on its maker's page"},
    "graphics": {_ANY: "the graphics adapter's name on its maker's page"},
    "display": {_ANY: "the system's display settings: resolution"},
    "software": {_ANY: "the system's list of installed programs"},
}


def how_to_find(key: str, system: str | None) -> str:
    """One line that tells where a reading is found; ``system`` is the system's name, if known."""
    ways = _HOW.get(key, {})
    name = (system or "").lower()
    for family, how in ways.items():
        if family != _ANY and family in name:
            return how
    if "linux" not in name and not name and "windows" in ways:
        return f"{ways.get(_ANY, '')} (on Windows: {ways['windows']})".strip()
    return ways.get(_ANY, "ask the person at the machine")
