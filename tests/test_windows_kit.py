"""The Windows kit: its scripts' grammar, what they ask for, and small captures."""

import json
import re
from pathlib import Path
from typing import Any

import pytest
import tree_sitter
import tree_sitter_powershell

from tallcheck.core.machine.sheet import Machine
from tallcheck.gather import gather
from tallcheck.gather.source import Captured
from tests.helpers import VOCABULARY

KIT = Path(__file__).parents[1] / "src" / "tallcheck" / "data" / "kit"
READER = KIT.parents[1] / "gather" / "windows.py"
GB = 1 << 30


@pytest.mark.parametrize("name", ["windows.ps1", "record-windows.ps1"])
def test_the_scripts_are_whole_by_the_shells_grammar(name: str) -> None:
    parser = tree_sitter.Parser(tree_sitter.Language(tree_sitter_powershell.language()))
    data = (KIT / name).read_bytes()
    assert not parser.parse(data).root_node.has_error
    assert parser.parse(data.replace(b"} catch {", b"} catch ", 1)).root_node.has_error
    data.decode("ascii")  # older shells read a script without a mark in the local code page


def test_the_kit_asks_for_every_property_that_is_read() -> None:
    script = (KIT / "windows.ps1").read_text()
    asked = set(re.findall(r'"(\w+)"', " ".join(re.findall(r"Save-Class .*", script))))
    read = set(re.findall(r'(?:text|number)\(\w+(?:\[0\])?, "(\w+)"\)', READER.read_text()))
    by_name = {"kind", "Volume", "Drive", "DisplayName", "DisplayVersion", "DriverDesc",
               "PEFirmwareType", "UEFISecureBootEnabled"}  # fmt: skip
    assert read - asked <= by_name
    assert all(f'"{name}"' in script for name in by_name - {"kind"})


def captured(**files: Any) -> Machine:
    """A capture of some classes."""
    system = {"Caption": "Microsoft Windows 11 Pro", "SystemDrive": "C:"}
    files = {"Win32_OperatingSystem": system, **files}
    return gather(
        Captured({f"{n}.json": json.dumps(o).encode() for n, o in files.items()}),
        "x",
        vocabulary=VOCABULARY,
    )


@pytest.mark.parametrize(
    ("files", "shape"),
    [({"Win32_SystemEnclosure": {"ChassisTypes": [9]}}, "notebook"),
     ({"Win32_SystemEnclosure": {"ChassisTypes": [2]}, "Win32_ComputerSystem": {"PCSystemType": 2}},
      "notebook"),
     ({"Win32_SystemEnclosure": {"ChassisTypes": [3]}, "Win32_ComputerSystem": {"PCSystemType": 2}},
      "desktop"),
     ({"Win32_ComputerSystem": {"PCSystemType": 4}}, "server"),
     ({"Win32_Battery": [{"Chemistry": 6}]}, "notebook"),
     ({"Win32_Battery": []}, None), ({"Win32_ComputerSystem": {"PCSystemType": 1}}, None)],
)  # fmt: skip
def test_shapes(files: dict[str, Any], shape: str | None) -> None:
    assert captured(**files).system.shape == shape


INSIDE = {"Index": 0, "Size": str(512 * GB), "MediaType": "Fixed hard disk media",
          "InterfaceType": "SCSI"}  # fmt: skip
SECOND = {**INSIDE, "Index": 1, "Size": str(2000 * GB)}
OUTSIDE = {"Index": 1, "Size": str(1000 * GB), "MediaType": "External hard disk media",
           "InterfaceType": "USB"}  # fmt: skip
C = {"DeviceID": "C:", "DriveType": 3, "Size": str(500 * GB), "FreeSpace": "7"}
D = {"DeviceID": "D:", "DriveType": 3, "Size": str(900 * GB), "FreeSpace": "7"}
SOLID, SPINNING = ({"DeviceId": str(at), "MediaType": kind, "BusType": 17}
                   for at, kind in ((0, 4), (1, 3)))  # fmt: skip
LIES = [{"Volume": "C:", "Drive": 0}, {"Volume": "D:", "Drive": 1}]


# classes: then drive, kind and outside of each volume
@pytest.mark.parametrize(
    ("drives", "disks", "lies", "expected"),
    [([INSIDE], [SOLID], None, [(512, "solid", False)]),
     # a drive that says nothing of itself, on a bus that has but one kind: NVMe, MMC; else SATA
     ([INSIDE], [{**SOLID, "MediaType": 0}], None, [(512, "solid", False)]),
     ([INSIDE], [{**SOLID, "MediaType": 0, "BusType": 13}], None, [(512, "solid", False)]),
     ([INSIDE], [{**SOLID, "MediaType": 0, "BusType": 11}], None, [(512, None, False)]),
     ([INSIDE, OUTSIDE], [SOLID, {**SPINNING, "BusType": 7}], LIES,
      [(512, "solid", False), (None, None, True)]),
     ([INSIDE, OUTSIDE], [SOLID, {**SPINNING, "BusType": 7}], None,
      [(512, "solid", False), (None, None, None)]),
     ([INSIDE, SECOND], [SOLID, SPINNING], LIES,
      [(512, "solid", False), (2000, "spinning", False)]),
     ([INSIDE, SECOND], [SOLID, SPINNING], None, [(None, None, False), (None, None, False)])],
)  # fmt: skip
def test_drives_under_volumes(drives: Any, disks: Any, lies: Any, expected: Any) -> None:
    more = {"volumes": lies} if lies else {}
    volumes = [C, D][: len(expected)]
    found = captured(Win32_DiskDrive=drives, MSFT_PhysicalDisk=disks, Win32_LogicalDisk=volumes,
                     **more).storage or []  # fmt: skip
    assert [((v.drive or 0) // GB or None, v.kind, v.external) for v in found] == expected


def test_memory_of_an_adapter_beyond_its_32_bit_field() -> None:
    adapter = {"Name": "Brookglass 620", "AdapterRAM": 4293918720}
    assert [a.memory for a in captured(Win32_VideoController=adapter).graphics or []] == [None]
    wide = [{"DriverDesc": "Brookglass 620", "HardwareInformation.qwMemorySize": 8 * GB}]
    found = captured(Win32_VideoController=adapter, adapters=wide)
    assert [a.memory for a in found.graphics or []] == [8 * GB]
