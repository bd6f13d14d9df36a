"""One odd thing in a capture: the rest of it is read, and the sheet that comes of it is sound."""

import functools
import json
from contextlib import suppress
from pathlib import Path
from typing import Any

from hypothesis import strategies as st

from tallcheck.core.values.errors import InputError
from tallcheck.gather import gather
from tallcheck.gather.source import Captured
from tests.helpers import DEMO, VOCABULARY, linux_tree
from tests.laws.law import Law
from tests.laws.way_in import WRONG, reads_back, text_of

MACOS = {
    "sysctl.txt": "hw.memsize: 8589934592\nhw.physicalcpu: 4\nhw.logicalcpu: 8\nhw.machine: arm64\n"
    "hw.optional.arm64: 1\nhw.model: Macmini9,1\nvm.swapusage: total = 1024.00M  used = 512.00M\n"
    "hw.cpufrequency: 2400000000\nhw.l2cachesize: 4194304\nmachdep.cpu.brand_string: Osier 1\n",
    "sw_vers.txt": "ProductName: macOS\nProductVersion: 14.4\n",
    "vm_stat.txt": "Mach Virtual Memory Statistics: (page size of 16384 bytes)\n"
    'Pages free: 1000.\n"Pages inactive": 2000.\n',
    "df.txt": "Filesystem 1024-blocks Used Available Capacity Mounted on\n/dev/disk1 9 1 8 1% /\n",
}


@functools.cache
def trees() -> dict[str, dict[str, bytes]]:
    """Captures by name: those of the demo, a tree of Linux, and one of macOS."""
    found = {
        folder.name: {
            path.relative_to(folder).as_posix(): path.read_bytes()
            for path in folder.rglob("*")
            if path.is_file()
        }
        for folder in sorted((Path(DEMO) / "captures").iterdir())
    }
    plain = linux_tree() | {
        "proc/swaps": "Filename Type Size Used Priority\n/dev/sda2 partition 4194300 100 -2\n",
        "sys/devices/system/cpu/cpu0/cpufreq/base_frequency": "2100000\n",
        "sys/devices/system/cpu/cpu0/cpufreq/cpuinfo_max_freq": "3900000\n",
        "sys/class/dmi/id/bios_date": "03/11/2025\n",
        "sys/fs/cgroup/memory.max": "4294967296\n",
        "sys/block/sda/size": "500118192\n",
        "sys/block/sda/queue/rotational": "0\n",
    }
    found["linux"] = {
        path: text if isinstance(text, bytes) else text.encode() for path, text in plain.items()
    }
    found["macos"] = {path: text.encode() for path, text in MACOS.items()}
    return found


def odd_capture(tree: str, at: int, place: int, value: str) -> None:
    """A capture with one word of one file, or one value of JSON, replaced."""
    files = dict(trees()[tree])
    path = sorted(files)[at % len(files)]
    files[path] = _replaced(path, files[path], place, value)
    with suppress(InputError):
        reads_back(gather(Captured(files), "x", vocabulary=VOCABULARY))


def _replaced(path: str, data: bytes, place: int, value: str) -> bytes:
    wrong = WRONG[value]
    if path.endswith(".json"):
        with suppress(ValueError, RecursionError):
            raw = json.loads(data.decode("utf-8-sig"))
            return (
                json.dumps(_put(raw, [place], "@@"))
                .replace('"@@"', _json(wrong))
                .encode("utf-8", "surrogatepass")
            )
    text = text_of(wrong).encode("utf-8", "surrogatepass")
    words = data.split(b" ") if b" " in data else [data]
    at = place % (len(words) + 1)
    if at == len(words):
        return text
    return b" ".join([*words[:at], text, *words[at + 1 :]])


def _json(value: Any) -> str:
    return "9" * 5000 if isinstance(value, int) and abs(value) > 1 << 80 else json.dumps(value)


def _put(raw: Any, left: list[int], value: Any) -> Any:
    """The same with one value replaced: the one at a place, counted through all that is nested."""
    if isinstance(raw, dict):
        return {key: _put(one, left, value) for key, one in raw.items()}
    if isinstance(raw, list):
        return [_put(one, left, value) for one in raw]
    left[0] -= 1
    return value if left[0] == -1 else raw


CAPTURES = Law(
    "captures",
    "One odd word or value in a capture is no fault, and what is read of the rest reads back.",
    st.deferred(
        lambda: st.fixed_dictionaries(
            {
                "tree": st.sampled_from(sorted(trees())),
                "at": st.integers(0, 80),
                "place": st.integers(0, 60),
                "value": st.sampled_from(sorted(WRONG)),
            }
        )
    ),
    lambda drawn: odd_capture(**drawn),
)
