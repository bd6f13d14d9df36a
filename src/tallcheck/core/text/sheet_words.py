"""The words that a sheet has for a reading, and what people say for each."""

from tallcheck.core.machine.derive import USUAL
from tallcheck.core.machine.vocabulary import Vocabulary

SYSTEM_TYPE = "system type"
"""The pseudo key of a text that tells two things: the system's bits and the processor's."""
_ARCHITECTURES = {
    "x86-64": ("x64", "amd64", "x86 64", "x86_64", "intel 64", "em64t", "x64 based pc",
               "x64 based processor", "x64 based"),
    "x86": ("x86", "i386", "i486", "i586", "i686", "ia32", "ia 32", "x86 based pc",
            "x86 based processor", "x86 based"),
    "arm64": ("arm64", "aarch64", "arm 64", "armv8", "arm64 based pc", "arm based pc",
              "arm64 based processor", "arm based processor", "apple silicon"),
    "arm": ("arm", "armv7", "armv7l", "armhf", "arm32", "armv6l"),
}  # fmt: skip
ARCHITECTURE_WORDS = {one: name for name, many in _ARCHITECTURES.items() for one in many}
DISPLAYS = {
    "full hd": "1920x1080", "fhd": "1920x1080", "1080p": "1920x1080", "720p": "1280x720",
    "wuxga": "1920x1200", "wqhd": "2560x1440", "qhd": "2560x1440", "hd+": "1600x900",
    "wqxga": "2560x1600", "uwqhd": "3440x1440", "5k": "5120x2880", "8k": "7680x4320",
    "4k": "3840x2160", "uhd": "3840x2160",
}  # fmt: skip
"""What the trade calls sizes of displays."""
INTERFACES = {"directx": "d3d", "direct3d": "d3d", "dx": "d3d"}
"""What people call graphics interfaces by other than the short name."""
VIRTUAL = ("vm", "virtual machine", "virtual")
"""What stands where a machine's shape is asked, and is none."""

_ON = {"on": "on", "enabled": "on", "active": "on", "yes": "on", "true": "on", "off": "able",
       "able": "able", "disabled": "able", "not enabled": "able", "false": "able",
       "capable": "able", "supported": "able", "none": "none", "unsupported": "none",
       "not supported": "none", "no": "none"}  # fmt: skip
SAID_FOR: dict[str, dict[str, str]] = {
    "system.shape": {
        "laptop": "notebook", "laptop pc": "notebook", "notebook": "notebook",
        "portable": "notebook",
        "convertible": "notebook", "ultrabook": "notebook", "netbook": "notebook",
        "2 in 1": "notebook", "chromebook": "notebook", "macbook": "notebook",
        "detachable": "tablet", "tablet": "tablet", "tablet pc": "tablet",
        "desktop": "desktop", "desktop pc": "desktop", "desktop computer": "desktop",
        "pc": "desktop", "workstation": "desktop", "sff": "desktop",
        "small form factor": "desktop", "low profile desktop": "desktop", "pizza box": "desktop",
        "imac": "all-in-one", "mac mini": "mini", "thin client": "mini",
        "tower": "tower", "mini tower": "tower", "minitower": "tower", "tower pc": "tower",
        "midi tower": "tower", "mini": "mini", "mini pc": "mini", "nuc": "mini",
        "stick pc": "mini", "micro": "mini", "space saving": "mini",
        "all in one": "all-in-one", "all in one pc": "all-in-one", "aio": "all-in-one",
        "server": "server", "rack": "server", "rack server": "server", "blade": "server",
        "rack mount chassis": "server", "main server chassis": "server", "board": "board",
        "single board computer": "board", "sbc": "board",
    },
    "firmware.mode": {
        "uefi": "uefi", "efi": "uefi", "legacy": "bios", "bios": "bios", "csm": "bios",
        "legacy bios": "bios",
    },
    "firmware.secure_boot": _ON,
    "processor.virtualization": _ON,
    "storage.kind": {
        "ssd": "solid", "nvme": "solid", "nvme ssd": "solid", "sata ssd": "solid", "m 2": "solid",
        "solid": "solid", "solid state": "solid", "solid state drive": "solid", "emmc": "solid",
        "hdd": "spinning", "hard disk": "spinning", "hard disk drive": "spinning",
        "spinning": "spinning", "magnetic": "spinning", "rotating": "spinning",
    },
    "processor.level": {f"x86 64 v{n}": f"x86-64-v{n}" for n in (1, 2, 3, 4)},
}  # fmt: skip
OWN_WORDS = {key: frozenset(words.values()) for key, words in SAID_FOR.items()} | dict.fromkeys(
    ("processor.architecture", "system.architecture"), frozenset(USUAL)
)
"""The words that a sheet itself has, by key."""


def words_for(key: str, vocabulary: Vocabulary) -> dict[str, str]:
    """What people say for a reading, in every language, with the sheet's word for each."""
    return SAID_FOR[key] | vocabulary.phrases.words.get(key, {})
